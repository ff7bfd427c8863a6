"""The Print stop in the user's words: scrub, find a weld, put a shelf, turn the print, predict parts from files."""

from __future__ import annotations

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from bouncy_latch.app.stops.print_stop import MOST_SPOTS
from bouncy_latch.app.strips.jobline import STOPS
from bouncy_latch.core.formats import foreign, gcode_check, meshes
from bouncy_latch.core.layers.setup import PrintSetup
from bouncy_latch.core.process import population
from bouncy_latch.core.project import delivery, store
from bouncy_latch.core.solids import mesh
from tests.app.conftest import PATIENCE
from tests.parts import bearing, block

PRINT = STOPS.index("Print")


@pytest.fixture
def stop(bench):
    bench.window.jobline.go(PRINT)
    return bench.window.print_stop


@pytest.fixture
def files(tmp_path):
    def write(bodies):
        paths = []
        for name, body in bodies.items():
            paths.append(tmp_path / f"{name}.stl")
            paths[-1].write_bytes(meshes.to_stl(body, name))
        return paths

    return write


def settle_bed(bench):
    bed = bench.window.bed
    bench.qtbot.waitUntil(lambda: not bed.loose_lane.busy and not bed.waiting and not bed.pose_lane.busy, timeout=PATIENCE)


def wheel(widget, notches):
    place = QPointF(widget.rect().center())
    widget.wheelEvent(QWheelEvent(place, widget.mapToGlobal(place), QPoint(), QPoint(0, 120 * notches), Qt.MouseButton.NoButton,
                                  Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False))


def test_layers_are_scrubbed_by_wheel_keys_and_drag(bench, stop):
    bench.settle()
    strip = stop.strip
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Home)
    assert stop._headline.text() == "Layer 1 of 104"
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert stop._headline.text() == "Layer 2 of 104"
    wheel(strip, 3)
    assert stop._headline.text() == "Layer 5 of 104"
    wheel(strip, 0.5)
    wheel(strip, 0.5)
    assert stop._headline.text() == "Layer 6 of 104", "parts of a notch add up"
    area = strip._area()
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=QPoint(round(area.left() + 5), round(area.center().y())))
    QTest.mouseMove(strip, QPoint(round(area.right() - 2), round(area.center().y())))
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=QPoint(round(area.right() - 2), round(area.center().y())))
    assert stop._headline.text() == "Layer 104 of 104"
    assert "base" in stop._about.whole()
    assert "about 89 min" in stop._cost.text()

    begin = time.process_time()
    for layer in range(30, 104, 2):
        strip.pick(layer)
        stop.grab()
    assert 37 / (time.process_time() - begin) > 5, "a slow machine still scrubs; the bench measures the real rate"


def test_a_click_on_a_ring_shows_the_weld_in_the_solid_and_its_verdict(bench, stop):
    bench.drag_ruler(0.18)
    bench.settle()
    printed = bench.window.bed.printed
    assert stop._spot_note.text() == f"{len(printed.spots)} welds:"
    assert stop._spot_row.count() == MOST_SPOTS
    stop._spot_row.itemAt(0).widget().click()
    layer = printed.prediction.layers[stop.strip.layer].index
    assert printed.spots[0].first_layer <= layer <= printed.spots[0].last_layer + 1
    assert stop.picture.chosen is printed.spots[0]
    assert bench.verdict("Joint comes free (layer simulation)").title.property("tone") == "head"

    _, middle, _ = next(ring for ring in stop.picture.shown_rings() if ring[0].subject is printed.spots[0])
    QTest.mouseClick(stop.picture, Qt.MouseButton.LeftButton, pos=middle.toPoint())
    assert bench.window.jobline.current == STOPS.index("Shape")
    assert bench.window.shape.trace.value == 180
    assert not bench.window.shape.back_button.isHidden()
    bench.window.shape.back_button.click()
    assert bench.window.jobline.current == PRINT
    assert bench.window.shape.back_button.isHidden()


def test_the_gap_shows_what_remains_of_it(bench, stop):
    """The same layer, in colours: at 0.32 it is free, at 0.18 it is nearly closed."""
    def tints():
        bench.settle()
        stop.strip.pick(86)
        found = next(iter(stop.picture._bands.values()), None)
        if found is None:
            stop.picture.grab()
            found = stop.picture._bands[86]
        return {level for level, polygons in found if polygons}

    assert 0.1 not in tints()
    bench.drag_ruler(0.18)
    assert 0.1 in tints()


def test_another_way_up_is_compared_adopted_exported_saved_and_undone(bench, stop, tmp_path):
    bench.settle()
    bench.command("compare ways")
    settle_bed(bench)
    standings = bench.window.bed.standings
    assert standings[0].pose.name == "as designed"
    assert stop.poses.rows.count() == len(standings)
    second = standings[1]
    row = stop.poses.rows.itemAt(1).widget()
    next(b for b in row.findChildren(type(stop.poses_button)) if b.text() == "print it so").click()
    bench.settle()
    setup = bench.session.mechanism.setup
    assert setup.turn == second.pose.turn
    assert bench.window.bed.printed.prediction.height == pytest.approx(second.height)
    ids = {check.id for check in bench.session.checks}
    assert "comes-free" not in ids, "a figure for another print pose is not shown"
    assert "layers-part" in ids
    stop.poses_button.setChecked(False)
    stop.show_poses()
    assert "turned from how it was designed" in stop._about.whole()

    bench.export(tmp_path / "out")
    body = next(iter(foreign.read(tmp_path / "out" / "specimen-box-hinge-A.stl").bodies.values()))
    solid = mesh.evaluate(bench.session.solution.bodies["A"])
    assert body.bounding_box()[5] - body.bounding_box()[2] == pytest.approx(
        sorted(np.subtract(solid.bounding_box()[3:], solid.bounding_box()[:3]))[2], abs=0.01)
    assert bench.session.save(tmp_path / "kit.latch")
    assert store.load(tmp_path / "kit.latch").project.mechanisms[0].setup == setup
    bench.session.undo()
    assert bench.session.mechanism.setup.turn is None

    stop.poses.sides["top"].click()
    assert bench.session.mechanism.setup.seen == ("top",)


def test_loose_parts_are_predicted_beside_the_project(bench, stop, files):
    bench.settle()
    before = bench.session.project
    bench.window.predict_loose(files(bearing(0.15)))
    settle_bed(bench)
    bed, sheet = bench.window.bed, bench.window.loose_sheet
    assert bed.shows_loose
    assert [card._name for card in bench.window.shelf.cards()][-1] == "core + ring"
    assert bench.window.ruler.isHidden()
    sheet.kind.setCurrentIndex(1)
    sheet.kind.activated.emit(1)
    settle_bed(bench)
    assert bed.loose.freedom.direction == (0, 0, 1)
    assert bed.printed.freeing.outcome == "welded"
    assert bench.verdict("Joint comes free (layer simulation)").mark.accessibleName() == "stop"
    sheet.line.setText("sideways")
    sheet.line.editingFinished.emit()
    assert "not 'sideways'" in sheet.trouble.text()
    assert bed.loose.freedom.direction == (0, 0, 1)

    bench.window.jobline.go(STOPS.index("Brief"))
    assert bench.window._stack.currentWidget() is bench.window._elsewhere
    bench.window.shelf.cards()[0].picked.emit()
    bench.qtbot.waitUntil(lambda: not bed.shows_loose)
    assert bench.session.project is before
    assert bench.window._stack.currentWidget() is bench.window.brief
    # A fatter printer is judged anew, without being asked.
    bench.window.shelf.cards()[-1].picked.emit()
    bench.qtbot.waitUntil(lambda: bed.shows_loose)
    bench.window.topbar.anyone_button.click()
    settle_bed(bench)
    assert bed.printed.prediction.growth == pytest.approx(population.GROWTH.mean)
    bed.close_loose()
    assert bed.loose is None
    assert not bench.window.ruler.isHidden()


def test_a_broken_file_leaves_what_was_there(bench, files, tmp_path):
    bench.settle()
    bench.window.predict_loose(files({"slab": block(20, 10, 3)}))
    settle_bed(bench)
    shown = bench.window.bed.loose
    broken = tmp_path / "broken.stl"
    broken.write_bytes(b"solid nothing")
    bench.window.predict_loose([broken])
    settle_bed(bench)
    assert "broken.stl" in bench.window.notice.text()
    assert bench.window.bed.loose is shown
    assert bench.window.bed.printed.freeing is None


def test_what_hangs_is_offered_a_shelf(bench, stop, files):
    bench.settle()
    bench.window.predict_loose(files({"gallows": block(16, 10, 30) + block(36, 10, 6, (0, 0, 24))}))
    settle_bed(bench)
    row = bench.verdict("Ledge in the air")
    assert row.mark.accessibleName() == "stop"
    event = stop.strip._events[0]
    QTest.mouseClick(stop.strip, Qt.MouseButton.LeftButton, pos=QPoint(round(stop.strip._event_x(event)), 24))
    assert stop.picture.chosen is event.subject
    assert row.remedy.text() == "put a sacrificial shelf under it"
    row.remedy.click()
    settle_bed(bench)
    assert bench.verdict("Places at risk").mark.accessibleName() == "ok"
    assert "shelf-1" in bench.window.bed.printed.laid
    stop.shelf_button.click()
    settle_bed(bench)
    assert bench.verdict("Ledge in the air").mark.accessibleName() == "stop"


def test_a_mechanisms_shelf_goes_into_its_files_and_leaves_with_its_shape(bench, stop, tmp_path):
    upside_down = PrintSetup(turn=(1, 0, 0, 0, -1, 0, 0, 0, -1))
    bench.session.set_setup("upside down", upside_down)
    bench.settle()
    ledge = next(c for c in bench.session.checks if c.id in {"ledge", "island"})
    assert bench.window.bed.put_shelf(ledge)
    bench.settle()
    solution, setup = bench.session.solution, bench.session.mechanism.setup
    written = delivery.export(solution, "tin", tmp_path, ("stl", "3mf"), setup)
    assert [path.name for path in written] == ["tin-A.stl", "tin-B.stl", "tin-shelf-1.stl", "tin.3mf"]
    lowest = [next(iter(foreign.read(path).bodies.values())).bounding_box()[2] for path in written[:3]]
    assert min(lowest) == pytest.approx(0, abs=1e-6)
    bench.session.set_params("gap", gap=0.4)
    assert bench.session.mechanism.setup.shelves == ()
    assert bench.session.mechanism.setup.turn == upside_down.turn
    assert "shelves were taken away" in bench.window.notice.text()


def test_the_pause_for_a_nut_is_shown_and_goes_into_a_sliced_file(bench, tmp_path):
    session, window = bench.session, bench.window
    session.select("nut-pocket-1")
    window.pausing.begin(tmp_path / "none.gcode")
    assert "put in while it prints" in window.notice.text()
    session.select("nut-pocket-2")
    window.jobline.go(STOPS.index("Print"))
    bench.settle()
    (pause,) = session.solution.pauses
    window.print_stop.choose(pause)
    assert "it stops then for M6 nut" in window.print_stop._about.whole()
    sliced = tmp_path / "grip.gcode"
    sliced.write_text("G90\nM83\n" + "".join(f"G1 Z{0.2 * i:.2f} F600\nG1 X{i} Y9 E1 F1800\n" for i in range(1, 60)))
    before = sliced.read_bytes()
    window.pausing.begin(sliced)
    bench.qtbot.waitUntil(lambda: not window.pausing.plan_lane.busy and "It stops" in window.notice.text(), timeout=PATIENCE)
    assert f"before the layer at {pause.z + 0.2:.2f} mm" in window.notice.text()
    assert not (tmp_path / "grip-paused.gcode").exists(), "nothing is written before it was shown"
    window.pausing.write()
    bench.qtbot.waitUntil(lambda: "written" in window.notice.text(), timeout=PATIENCE)
    written = gcode_check.check_file(tmp_path / "grip-paused.gcode", sliced)
    assert [stop.restored for stop in written.stops] == [True]
    assert written.same_as_before
    assert sliced.read_bytes() == before
    strip, menu = window.print_stop.strip, window.print_stop.stop_menu
    strip.pick(9)
    menu.aboutToShow.emit()
    assert not menu.go_on.isVisible()
    menu.note.setText("slate from here")
    menu.tasks["colour change"].trigger()
    (stop,) = session.mechanism.stops
    assert (stop.z, stop.task, stop.note) == (pytest.approx(2.0), "colour change", "slate from here")
    assert session.proof is not None, "the print is the same; only where it waits is not"
    assert "it stops then for colour change. slate from here" in window.print_stop._about.whole()
    window.pausing.begin(sliced)
    bench.qtbot.waitUntil(lambda: "before the layer at 2.20 mm (line 24), before" in window.notice.text(), timeout=PATIENCE)
    window.pausing.write_card()
    bench.qtbot.waitUntil(lambda: "card.svg" in window.notice.text(), timeout=PATIENCE)
    assert "slate from here" in (tmp_path / "grip-card.svg").read_text()
    menu.aboutToShow.emit()
    menu.go_on.trigger()
    assert session.mechanism.stops == ()
    window.pausing.begin(tmp_path / "none.gcode")
    bench.qtbot.waitUntil(lambda: "none.gcode cannot be" in window.notice.text(), timeout=PATIENCE)


def test_what_g91_means_for_the_extruder_is_asked_where_a_pause_depends_on_it(bench, tmp_path):
    bench.session.select("nut-pocket-2")
    sliced, window = tmp_path / "grip.gcode", bench.window
    sliced.write_text("M83\nG90\n" + "".join(f"G1 Z{0.2 * i:.2f} F600\nG1 X{i} Y9 E1 F1800\n" for i in range(1, 60)))
    window.pausing.begin(sliced)

    def answers():
        return [each for each in window.findChildren(QPushButton) if each.text() == "only M82 and M83 do"]

    bench.qtbot.waitUntil(lambda: "xtruder counts differently" in window.notice.text() and bool(answers()), timeout=PATIENCE)
    answers()[0].click()
    bench.qtbot.waitUntil(lambda: not window.pausing.plan_lane.busy and "It stops" in window.notice.text(), timeout=PATIENCE)
    window.pausing.write()
    bench.qtbot.waitUntil(lambda: "written" in window.notice.text(), timeout=PATIENCE)
    (stop,) = gcode_check.check_file(tmp_path / "grip-paused.gcode", sliced, extruder="own").stops
    assert stop.restored
