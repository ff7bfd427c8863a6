"""Every registered kind at every stop of the real window, with its defaults."""

import pytest
from PySide6.QtWidgets import QLabel

from bouncy_latch.app.strips.jobline import standing
from bouncy_latch.core.checks import STOP
from bouncy_latch.core.mechanisms import registry

TRIED = {"clear": "swings-clear", "alone": "bends-alone", "rides": "rides-clear", "meshes": "meshes-free"}
"""The verdict of every way of trying a motion out."""


@pytest.mark.parametrize("kind", registry.kinds().values(), ids=lambda kind: kind.id)
def test_a_kind_fits_every_stop(bench, kind):
    window, session = bench.window, bench.session
    session.add(kind.id)
    solution = session.solution
    assert solution is not None, session.trouble
    assert set(window.sheet.editors) == set(session.mechanism.parsed().active())
    bench.settle()
    for stop in range(5):
        window.jobline.go(stop)
        picture = window.grab()
        assert picture.width() >= 1000
        said = [label.text() for label in window.centralWidget().findChildren(QLabel) if label.isVisible() and label.text()]
        assert len(said) > 12, "a stop with hardly a word on it"
    told = {check.id for check in session.proof.checks}
    for number, motion in enumerate(solution.motions):
        assert TRIED[motion.trial] + (f"-{number + 1}" if number else "") in told, "every motion was tried as it asks"
        assert (number in session.proof.traces) == (motion.trial == "clear")
    assert all(verdict != STOP for verdict, _ in standing(session)[:4]), [c for c in session.checks if c.verdict == STOP]
    window.jobline.go(2)
    chooser = window.shape.motion_box
    assert chooser.isVisible() == (len(solution.motions) > 1)
    for number, motion in enumerate(solution.motions):
        chooser.setCurrentIndex(number)
        assert (window.shape.trace.low, window.shape.trace.high) == (motion.low, motion.high)
        window.shape.trace.set_value(motion.high)
        assert motion.label in window.shape._headline.text()
    window.jobline.go(4)
    shown = {name for name, button in window.prove.outcome_buttons.items() if button.isVisible()}
    assert shown == set(kind.outcomes.names)
