"""Snap fits at the bench: the two rulers, forces along the way, designing to a target, outcomes, and the material."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from bouncy_latch.app.strips.jobline import standing
from tests.app.conftest import PATIENCE


@pytest.fixture
def clip(bench):
    bench.session.select("hook-1")
    bench.settle()
    return bench


def test_the_bend_ruler_is_dragged_and_everything_follows(clip):
    panel, session = clip.window.ruler, clip.session
    before, strain = clip.params.undercut, session.solution.check("strain").value
    assert list(panel.choice_buttons) == ["bend", "force"]
    assert panel.ruler._zones.scale.names == ("low strain", "springy", "whitens", "breaks")
    assert panel.ruler.value == pytest.approx(strain)

    clip.drag_ruler(2.2)

    assert clip.params.undercut > before
    assert session.solution.check("strain").value == pytest.approx(2.2, abs=0.25)
    assert clip.verdict("Bending strain").mark._verdict == "look"
    clip.settle()
    session.undo()
    assert clip.params.undercut == before, "a drag is one step"


def test_the_force_ruler_drives_the_thickness(clip):
    panel = clip.window.ruler
    panel.choice_buttons["force"].click()
    assert panel.ruler._zones.scale.names == ("falls in", "by hand", "hard push", "will not go in")
    before = clip.params.thickness
    clip.drag_ruler(3 * panel.ruler.value)
    assert clip.params.thickness > before
    assert "thickness" in panel._about.text()
    clip.session.select("knuckle-hinge-1")
    assert not panel.choice_buttons
    assert "gap" in panel._title.text().lower()


def test_the_way_in_is_shown_as_force_and_saved(clip, tmp_path):
    clip.window.jobline.go(2)
    trace, motion = clip.window.shape.trace, clip.session.solution.motion
    assert trace.course is clip.session.solution.motion.course
    assert (trace.low, trace.high) == (motion.low, motion.high)
    trace.set_value(motion.show)
    assert clip.window.shape._about.text().startswith("in ")
    assert clip.window.shape.play_button.text() == "press"
    clip.window.grab()
    at = trace.frame()
    QTest.mouseClick(trace, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x(2.0)), 60))
    assert trace.value == pytest.approx(2.0, abs=0.02), "the handle stands where the plot says"
    clip.window.exporting.plot(tmp_path / "plot")
    assert {path.suffix for path in (tmp_path / "plot").iterdir()} == {".csv", ".svg"}
    clip.session.select("knuckle-hinge-1")
    assert not trace.course or trace.course.label == "smallest gap on the way"
    assert not clip.window.shape.printed_button.isVisibleTo(clip.window)


def test_sizes_are_found_for_a_target_taken_and_undone(clip):
    clip.window.jobline.go(0)
    panel = clip.window.brief.target
    assert panel.isVisibleTo(clip.window)
    clip.session.set_params("target", push=25, hold=40, cycles=300, length=14, release="either")
    asked = clip.params
    panel.keep("length")
    panel.find_button.click()
    clip.qtbot.waitUntil(lambda: not panel.lane.busy, timeout=PATIENCE)

    assert "Reached after" in panel.said.text()
    row = panel.rows.itemAt(0).widget()
    take = next(child for child in row.children() if getattr(child, "accessibleName", str)().startswith("take"))
    QTest.mouseClick(take, Qt.MouseButton.LeftButton)
    assert clip.params.length == 14
    assert clip.params != asked
    assert all(check.verdict == "ok" for check in clip.session.solution.checks)
    clip.session.undo()
    assert clip.params == asked
    panel.find_button.click()
    panel.lane.cancel()
    clip.qtbot.waitUntil(lambda: not panel.lane.busy, timeout=PATIENCE)
    clip.session.select("knuckle-hinge-1")
    assert not panel.isVisibleTo(clip.window)


def test_the_target_is_found_by_command_too(clip):
    clip.session.set_params("target", push=15, hold=25, cycles=300)
    clip.command("find sizes")
    assert clip.window.jobline.current == 0
    assert clip.window.brief.target.lane.busy
    clip.qtbot.waitUntil(lambda: not clip.window.brief.target.lane.busy, timeout=PATIENCE)
    assert clip.window.brief.target.rows.count() >= 1
    clip.session.select("knuckle-hinge-1")
    clip.command("find sizes")
    assert not clip.window.brief.target.lane.busy
    clip.command("add a mechanism")
    assert clip.window.chooser.isVisible()
    clip.window.chooser.back_button.click()
    assert clip.window.brief.isVisible()


def test_another_material_is_offered_and_becomes_a_process(clip):
    panel = clip.window.brief.target
    clip.session.set_params("target", push=20, hold=40, cycles=2000, length=7, undercut=1.0, fillet=0.6, wall=2, thickness=0.9)
    panel.keep("length", "undercut")
    panel.search()
    clip.qtbot.waitUntil(lambda: not panel.lane.busy, timeout=PATIENCE)
    assert "Not reached" in panel.said.text()
    assert panel.rows.count() > 1
    before = len(clip.session.project.processes)
    last = panel.rows.itemAt(panel.rows.count() - 1).widget()
    next(child for child in last.children() if getattr(child, "accessibleName", str)().startswith("take")).click()
    process = clip.session.project.process
    assert (len(clip.session.project.processes) == before + 1) == (process.material != "PLA")


def test_what_became_of_a_snap_is_recorded_in_its_own_words(clip):
    prove = clip.window.prove
    clip.window.jobline.go(4)
    shown = [name for name, button in prove.outcome_buttons.items() if button.isVisibleTo(prove)]
    assert shown == ["will not go in", "goes in hard", "snaps in", "falls out", "breaks"]
    assert "goes in, holds and lasts" in prove._as_it_stands.text()
    prove.outcome_buttons["goes in hard"].click()
    prove.record_button.click()
    assert clip.session.mechanism.prints[-1].outcome == "goes in hard"
    assert not clip.session.experience.learnt.unused, "what becomes of snaps tells how stiff they are"


def test_the_material_and_its_values_are_the_users(clip):
    clip.window.jobline.go(1)
    clip.window.fit.go(3)
    panel, limit = clip.window.fit.process, clip.session.solution.check("strain").limit
    panel.material.setCurrentText("PETG")
    panel.material.textActivated.emit("PETG")
    assert clip.session.project.process.modulus.mean == 1700
    assert clip.session.solution.check("strain").limit > limit

    field = panel.fields["friction"]
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "7")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert "cannot be '7'" in panel.trouble.text()
    field.selectAll()
    QTest.keyClicks(field, "0,52")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert clip.session.project.process.plastic.friction == 0.52
    assert "friction: yours" in panel._plastic_source.whole()


def test_the_job_line_counts_the_checks_of_any_kind_where_they_belong(clip):
    session = clip.session
    session.select(next(m.id for m in session.project.mechanisms if m.kind == "locking-tab"))
    clip.settle()
    assert [verdict for verdict, _ in standing(session)][:4] == ["ok"] * 4
    assert session.solution.check("seam").verdict == "ok"
    session.set_params("open", seat_gap=0.5)
    clip.settle()
    assert session.solution.check("seam").verdict == "look", "a seam that opens is no longer called shut"
    assert [list(remedy.values) for remedy in session.remedies("seam")] == [["seat_gap"]]
    assert standing(session)[1][0] == "look", "its play belongs to the fit"
    session.undo()
    session.set_params("across", layers="across")
    clip.settle()
    assert standing(session)[3][0] != "ok", "the way its layers lie belongs to the print"


def test_belief_is_kept_with_the_prints_it_rests_on(clip):
    session = clip.session
    first = session.experience
    assert any(part is session.project.mechanisms[0].prints for part in session.bench._known._for[1])
    session.set_params("width", width=11)
    assert session.experience is first


def test_where_nothing_mends_it_the_search_is_offered(clip):
    clip.session.set_params("hard", push=12, hold=60, cycles=2000, undercut=1.4, thickness=2.4)
    clip.settle()
    assert not clip.session.remedies(clip.session.solution.aim.check)
    assert clip.window.verdicts.search.isVisible()
    clip.window.verdicts.search.click()
    assert clip.window.brief.target.lane.busy
    clip.window.brief.target.lane.cancel()
    clip.session.undo()
    clip.settle()
    assert not clip.window.verdicts.search.isVisible()
