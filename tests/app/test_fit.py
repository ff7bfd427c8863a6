"""The Fit stop in the user's words: what is known, what to print next, and what every print teaches."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from bouncy_latch.app.stops import fit as fit_stop
from bouncy_latch.app.strips.jobline import STOPS
from bouncy_latch.core.formats import foreign
from bouncy_latch.core.learn.calibration.situations import SITUATIONS
from bouncy_latch.core.learn.posterior.belief import FIT_PEG
from bouncy_latch.core.process.evidence import Result
from bouncy_latch.core.process.evidence_store import Evidence
from tests.app.conftest import PATIENCE


@pytest.fixture
def fit(bench):
    bench.settle()
    bench.window.jobline.go(STOPS.index("Fit"))
    return bench.window.fit


def planned(bench):
    bench.qtbot.waitUntil(lambda: bench.window.fit.next.coupon is not None and not bench.window.fit.next._plan_lane.busy,
                          timeout=PATIENCE)


def test_the_projects_own_prints_already_teach(bench, fit):
    known = bench.session.experience
    assert known.believed.source == "learnt from 3 results"
    assert known.believed.growth.sd < known.process.growth.sd
    assert len(fit.chart._evidence) == 3
    assert fit._source.whole() == "learnt from 3 results"


def test_the_chart_is_dragged_like_the_ruler(bench, fit):
    x, end = fit.chart._x(bench.params.gap), fit.chart._x(0.5)
    QTest.mousePress(fit.chart, Qt.MouseButton.LeftButton, pos=QPoint(round(x), 60))
    for i in range(1, 5):
        QTest.mouseMove(fit.chart, QPoint(round(x + (end - x) * i / 4), 60))
    QTest.mouseRelease(fit.chart, Qt.MouseButton.LeftButton, pos=QPoint(round(end), 60))
    assert bench.params.gap == pytest.approx(0.5, abs=0.011)
    assert bench.window.ruler.ruler.value == bench.params.gap
    bench.session.undo()
    assert bench.params.gap == 0.32
    row = next(row for row in map(fit.chart.row_at, range(600)) if row is not None and not SITUATIONS[row].moving)
    assert "slides (slides by its own weight or a light push): 0." in fit.chart.advice(row)
    lid = next(index for index, situation in enumerate(SITUATIONS) if situation.span)
    short = fit.chart.advice(lid)
    for typed, span in (("5", 5.0), ("wide", 5.0), ("1 in", 25.4)):
        fit.span.setText(typed)
        fit.span.editingFinished.emit()
        assert fit.chart.span == span
    assert "25.4 mm span" in fit.chart.advice(lid) != short
    assert fit.chart.row_at(5) is None


def test_the_next_ladder_is_planned_printed_virtually_and_learnt(bench, fit, tmp_path):
    planned(bench)
    card = fit.next
    assert "growth known to" in card._about.whole()
    steps = [float(text) for text in card.steps.text().split()]
    assert len(steps) == 5
    assert len(card.picture._bodies) == 10
    card._export(tmp_path)
    assert len(foreign.read(tmp_path / "knuckle-hinge-ladder.3mf").bodies) == 10
    bench.window.export_coupon("pegs-and-holes", tmp_path)
    bench.qtbot.waitUntil((tmp_path / "pegs-and-holes.3mf").exists, timeout=PATIENCE)
    assert len(foreign.read(tmp_path / "pegs-and-holes.3mf").bodies) == 3
    card.steps.setText("0.2 0,3 wide")
    card.steps.editingFinished.emit()
    assert "steps are sizes in mm" in card._about.whole()
    card.steps.setText("0.2 0,25 0.3")
    card.steps.editingFinished.emit()
    assert "your own steps" in card._about.whole()

    before = bench.session.experience.believed.growth.sd
    card.virtual_button.click()
    bench.qtbot.waitUntil(lambda: not card.print_lane.busy, timeout=PATIENCE)
    assert "they count from now on" in bench.window.notice.text()
    known = bench.session.experience
    assert len(known.items) == 6
    assert known.believed.growth.sd < before
    assert len(bench.window.ruler.ruler._evidence) == 6, "the ruler takes its ticks from here"
    assert {item.note for item in known.items[-3:]} == {"printed virtually"}


def test_evidence_is_added_doubted_and_left_out(bench, fit, tmp_path):
    fit.go(2)
    table = fit.evidence
    table.nominal.setText("8")
    table.values.setText("78 7.8")
    table.feature.setCurrentIndex(table.feature.findData("hole"))
    table.add_button.click()
    assert "meant 7.80, a decimal point" in table.trouble.text()
    assert len(bench.session.experience.items) == 3
    table.values.setText("7,80 7.79 7.81")
    table.add_button.click()
    assert table.trouble.isHidden()
    assert len(bench.session.experience.items) == 4
    table.step.setText("0.12")
    table.outcome.setCurrentText("free")
    asked = []
    bench.session.said.connect(asked.append)
    table._add_step()
    odd = next(item for item in bench.session.experience.items if isinstance(item, Result) and item.value == 0.12)
    assert any("contradicts what is known of this printer" in sentence for sentence in asked)
    assert odd.key in bench.session.experience.excluded, "it counts when it is confirmed"
    rows, resets = table.table.records, []
    row = next(i for i, record in enumerate(rows.records) if record.key == odd.key)
    table.table.setCurrentIndex(rows.index(row, 1))
    QTest.keyClick(table.table, Qt.Key.Key_Return)
    assert "Two results disagree: gap 0.12 came out free" in table.doubts.text()
    assert bench.session.process.source == "learnt from 4 results and 1 reading"
    rows.modelReset.connect(lambda: resets.append(1))
    assert (rows.records[row].tone, rows.records[row].action) == ("look", "leave out")
    QTest.keyClick(table.table, Qt.Key.Key_Return)
    assert odd.key in bench.session.experience.excluded
    assert rows.records[row].action == "take in"
    assert not resets, "only that row is made anew"
    assert table.doubts.isHidden()
    assert bench.session.process.source == "learnt from 3 results and 1 reading"
    fit.go(fit_stop.PAGES.index("process"))
    lines, learnt = fit.fields["loops"], bench.session.experience
    for count, items in (("3", 0), ("2", len(learnt.items))):
        lines.setText(count)
        lines.editingFinished.emit()
        assert len(bench.session.experience.items) == items, "evidence belongs to the settings it was printed with"
        assert items or bench.session.process.source.endswith("widened")
    fit.go(fit_stop.PAGES.index("evidence"))
    table.step.setText("0.2 wide")
    table._add_step()
    assert "not 'wide'" in table.trouble.text()
    kept = Evidence(tmp_path / "data" / "evidence.sqlite")
    assert len(kept.results()) == 1, "a mistyped step keeps its neighbours out too"
    table.step.setText("0,33 0.36")
    table.outcome.setCurrentText("free")
    table._add_step()
    assert [r.value for r in kept.results()] == [0.12, 0.33, 0.36]
    assert len(kept.readings()) == 1
    table.ladder.setCurrentIndex(1)
    table.step.setText("9")
    table._add_step()
    assert "clearance of a step of fits" in table.trouble.text()
    table.step.setText("0.1")
    table.outcome.setCurrentText("slides")
    table._add_step()
    assert [(r.kind, r.outcome) for r in kept.results() if r.value == 0.1] == [(FIT_PEG, "slides")]
    assert bench.session.save(tmp_path / "kit.latch")
    assert len(kept.results()) == 7, "a saved project's prints teach other projects"


def test_a_damaged_store_is_said_and_its_copy_offered(bench, fit, tmp_path):
    fit.go(2)
    fit.evidence.step.setText("0.24")
    fit.evidence._add_step()
    path = tmp_path / "data" / "evidence.sqlite"
    path.write_bytes(b"SQLite format 3\x00" + b"x" * 3000)
    bench.session.bench.change_evidence(lambda _store: None)
    fit._on_changed()
    assert "damaged" in fit.evidence.trouble.text()
    assert not fit.evidence._restore.isHidden()
    fit.evidence._restore.click()
    assert fit.evidence._restore.isHidden()
    assert len(bench.session.experience.items) == 4


def test_a_given_size_is_measured_and_its_spread_reaches_the_verdicts(bench):
    bench.settle()
    bench.type("wall", "2.38 2,41 2.42")
    mechanism = bench.session.mechanism
    assert mechanism.measured == {"wall": (2.38, 2.41, 2.42)}
    assert bench.params.wall == pytest.approx(2.403, abs=1e-3)
    assert "measured 2.40 ± 0.02 mm from 3 readings" in bench.window.sheet.editors["wall"].toolTip()
    bench.settle()
    moved = bench.session.view.outlook.surety
    assert moved
    assert all(0 <= sure <= 1 for sure in moved.values())
    assert bench.session.surety("chamfer-layers") is None, "the wall has no part in it"
    bench.type("wall", "2.4 2.41 2.4 24.1")
    assert "24.1 cannot be a reading of 2.405 mm; meant 2.41, a decimal point?" in bench.window.sheet.troubles["wall"].text()
    assert bench.session.mechanism.measured == {"wall": (2.38, 2.41, 2.42)}
    bench.type("wall", "2.5")
    assert bench.session.mechanism.measured == {}


def test_the_caliper_types_where_the_cursor_is(bench):
    editor = bench.window.sheet.editors["width"]
    editor.setFocus()
    editor.clear()
    bench.window.activateWindow()
    bench.qtbot.waitUntil(editor.hasFocus)
    for _ in range(3):
        bench.window.caliper_reading()
    readings = [float(text) for text in editor.text().split()]
    assert len(readings) == 3
    assert all(value == pytest.approx(70, abs=0.08) for value in readings)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    assert len(bench.session.mechanism.measured["width"]) == 3
