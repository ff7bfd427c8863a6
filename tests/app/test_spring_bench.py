"""Springs at the bench: the ruler of their load, what is possible as a plot, designs to start from."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QToolTip

from tests.app.conftest import PATIENCE


@pytest.fixture
def latch(bench):
    bench.session.select("zigzag-spring-1")
    bench.settle()
    return bench


@pytest.fixture
def plot(latch):
    """What is possible with it, shown on the brief."""
    latch.window.jobline.go(0)
    latch.session.set_params("asked", force=3.0)
    latch.settle()
    latch.window.brief.target.possible_button.click()
    found = latch.window.brief.possible
    latch.qtbot.waitUntil(lambda: found.found is not None, timeout=PATIENCE)
    latch.window.grab()
    return found


def test_the_ruler_of_the_load_says_what_moves_it_and_brings_it_there(latch):
    panel = latch.window.ruler
    panel.choice_buttons["load"].click()
    assert panel.choice_buttons["load"].text() == "force"
    latch.settle()
    assert panel.ruler._zones.scale.names == ("a weight", "a full cup", "fingers", "a hand", "a tool")
    before, thickness = panel.ruler.value, latch.params.thickness
    wanted = min(2.2 * before, 0.9 * panel._scale(latch.session.solution).high)
    latch.drag_ruler(wanted)
    assert latch.params.thickness > thickness
    assert latch.session.solution.value("force") == pytest.approx(wanted, rel=0.25), "as near as steps of its thickness come"
    latch.session.set_params("asked", force=3.0)
    latch.settle()
    assert panel.ruler._zones.scale.names == ("too soft", "as asked", "too stiff")
    latch.session.select("spiral-spring-1")
    latch.settle()
    assert panel.choice_buttons["load"].text() == "torque", "another kind's ruler has its own name"


def test_a_mark_of_what_is_possible_is_pressed_and_is_the_design(latch, plot):
    good = [i for i, item in enumerate(plot.found.tried) if item.holds]
    assert 3 < len(good) < len(plot.found.tried), "some can be made, some cannot"
    assert plot.found.asked == pytest.approx(3.0 / 5.0, rel=0.15), "asked are 3 N over 5 mm"
    apart = [plot.place(item.figure, item.share) for item in plot.found.tried]
    number = max(good, key=lambda i: min((apart[i] - other).manhattanLength() for j, other in enumerate(apart) if j != i))
    item, at = plot.found.tried[number], apart[number].toPoint()
    QApplication.sendEvent(plot, QHelpEvent(QHelpEvent.Type.ToolTip, at, plot.mapToGlobal(at)))
    assert f"{item.share:.0f} % of what it may be" in QToolTip.text()
    before = latch.params
    QTest.mouseClick(plot, Qt.MouseButton.LeftButton, pos=at)
    latch.settle()
    assert {name: getattr(latch.params, name) for name in item.changes} == item.changes
    assert latch.session.solution.value("rate") == pytest.approx(item.figure)
    assert plot.found.tried[number] is item, "the others stay where they are"
    latch.session.undo()
    assert latch.params == before, "it is one step"
    QTest.mouseClick(plot, Qt.MouseButton.LeftButton, pos=QPoint(2, 2))
    assert latch.params == before, "beside every mark nothing is taken"


def test_what_is_possible_is_walked_with_keys_and_follows_other_sizes(latch, plot):
    QTest.keyClick(plot, Qt.Key.Key_Right)
    first = plot._chosen
    QTest.keyClick(plot, Qt.Key.Key_Right)
    assert plot.found.tried[plot._chosen].figure > plot.found.tried[first].figure
    assert plot.said().startswith("rate ")
    chosen = plot.found.tried[plot._chosen]
    QTest.keyClick(plot, Qt.Key.Key_Return)
    assert latch.session.solution.value("rate") == pytest.approx(chosen.figure)
    old = plot.found
    latch.session.set_params("other", travel=7.0)
    latch.qtbot.waitUntil(lambda: plot.found is not None and plot.found is not old, timeout=PATIENCE)
    latch.window.brief.target.possible_button.click()
    assert plot.isHidden()
    latch.session.select("hook-1")
    assert latch.window.brief.target.possible_button.isHidden(), "nothing pulls against anything there"


def test_a_spiral_starts_as_a_lid_closer_or_as_a_wind_up(bench):
    bench.session.select("spiral-spring-1")
    bench.settle()
    bench.window.jobline.go(0)
    thickness = []
    for name in ("lid closer", "wind-up"):
        bench.qtbot.waitUntil(lambda n=name: any(b.text() == n for b in bench.window.brief.findChildren(QPushButton)),
                              timeout=PATIENCE)
        next(b for b in bench.window.brief.findChildren(QPushButton) if b.text() == name).click()
        thickness.append((bench.params.thickness, bench.params.turns))
        assert {check.verdict for check in bench.session.solution.checks} == {"ok"}
    (closer, few), (winder, many) = thickness
    assert closer > winder
    assert few < many
    bench.session.undo()
    bench.session.undo()
    assert bench.params.turns == 9
