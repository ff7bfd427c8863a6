"""The 3-D view on a virtual display: it draws both bodies, cuts, moves and follows edits. One window for all."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtTest import QTest

from bouncy_latch.app import __main__ as start
from bouncy_latch.app.kit.theme import THEME
from bouncy_latch.app.stage import canvas, legend
from bouncy_latch.app.stage.callouts import apart
from bouncy_latch.core.solids import tree
from tests.app.conftest import PATIENCE, discard


@pytest.fixture(scope="module")
def shown(qapp, tmp_path_factory):
    start.application(["test"])
    window = start.open_window(None, True, tmp_path_factory.mktemp("data"))
    window.resize(1280, 800)
    window.show()
    window.shape.load_stage()
    for _ in range(20):
        qapp.processEvents()
    yield window
    discard(window)


def pixels(window, qapp):
    for _ in range(5):
        qapp.processEvents()
    window.shape.stage.draw()
    for _ in range(5):
        qapp.processEvents()
    image = window.shape.stage.grab().toImage().convertToFormat(window.grab().toImage().Format.Format_RGB888)
    raw = np.frombuffer(image.constBits(), dtype=np.uint8).reshape(image.height(), image.bytesPerLine())
    return raw[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


def pixels_as_they_are(window):
    """The picture on the stage without drawing it anew."""
    image = window.shape.stage._image.convertToFormat(window.shape.stage._image.Format.Format_RGB888)
    raw = np.frombuffer(image.constBits(), dtype=np.uint8).reshape(image.height(), image.bytesPerLine())
    return raw[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


def share(picture, token):
    """Part of the picture whose hue is that of a body colour, light or in shade."""
    colour = np.array([int(getattr(THEME.tokens, token)[i:i + 2], 16) for i in (1, 3, 5)], dtype=float)
    length = np.linalg.norm(picture, axis=2)
    cosine = (picture @ colour) / (np.maximum(length, 1) * np.linalg.norm(colour))
    return float(((cosine > 0.995) & (length > 60)).mean())


def test_both_bodies_are_seen_and_the_swing_moves_one(shown, qapp):
    opened = pixels(shown, qapp)
    assert share(opened, "body_a") > 0.03
    assert share(opened, "body_b") > 0.03
    assert [line.split() for line in shown.shape.stage.said().splitlines()] == [
        ["axis", "18.25", "mm"], ["gap", "0.32", "mm"], ["barrel", "5.30", "mm"]]
    shown.shape.trace.set_value(0)
    shut = pixels(shown, qapp)
    assert np.abs(shut - opened).mean() > 3.0
    assert "shut" in shown.shape._about.text()
    shown.shape.trace.set_value(130)
    assert np.abs(pixels(shown, qapp) - opened).mean() < 1.0


def test_all_of_it_fills_the_view_and_stays_where_it_is_in_a_drag(shown, qapp):
    stage = shown.shape.stage

    def silhouette():
        """How much of the view, without what words and scrubber cover, all that moves takes up."""
        x, y = stage.in_view(stage._outline()).T
        free = 1 - (shown.shape._head.height() + shown.shape.trace.height()) / stage.height()
        return max(np.ptp(x), np.ptp(y) / free) / 2

    shown.shape.frame_button.click()
    assert 0.88 < silhouette() < 0.94
    size = shown.size()
    shown.resize(size.width(), size.height() - 120)
    pixels(shown, qapp)
    assert 0.88 < silhouette() < 0.94, "a view that nobody turned goes on filling the stage"
    shown.resize(size)
    pixels(shown, qapp)
    standing = stage._standing()
    shown.session.drag_ruler(shown.session.solution.rulers[0], 0.45)
    shown.shape._sketch()
    pixels(shown, qapp)
    assert stage._standing() == standing
    shown.session.end_drag()
    shown.session.undo()
    QTest.keyClick(stage, Qt.Key.Key_Left)
    assert stage._standing() != standing
    QTest.keyClick(stage, Qt.Key.Key_Right)
    assert np.allclose(stage._standing(), standing)
    for turned in (True, False):
        shown.shape.frame_button.click()
        if turned:
            QTest.keyClick(stage, Qt.Key.Key_Left)
        standing = stage._standing()
        assert shown.session.set_params("wider", width=150)
        shown.shape._on_settled()
        pixels(shown, qapp)
        assert (stage._standing() == standing) == turned, "a view of the user's own stays"
        assert turned or 0.88 < silhouette() < 0.94, "what has grown out of it is looked at anew"
        shown.session.undo()
        pixels(shown, qapp)
    shown.shape.frame_button.click()


def test_graphics_hardware_smooths_every_frame(shown, qapp, qtbot, monkeypatch):
    """Played by the software: it can take several samples a pixel too, only slowly."""
    stage = shown.shape.stage
    qtbot.waitUntil(lambda: shown.session.view is not None and shown.session.proof is not None, timeout=PATIENCE)
    pixels(shown, qapp)  # the verdicts take their height
    wanted = pixels(shown, qapp)
    ground = [int(THEME.tokens.sunken[i:i + 2], 16) for i in (1, 3, 5)]
    stage.release_window()
    monkeypatch.setattr(canvas, "SOFTWARE", ())
    stage.draw()
    hardware = pixels(shown, qapp)
    assert not stage._software
    assert stage.smoothed()
    for picture in (wanted, hardware):
        assert np.abs(picture[3, -3] - ground).max() <= 1, "the ground is seen"
    assert np.abs(hardware - wanted).mean() < 1.5
    stage.release_window()
    monkeypatch.undo()
    stage.draw()
    pixels(shown, qapp)


def test_at_rest_edges_are_smoothed_and_the_bed_is_the_scale(shown, qapp, qtbot):
    stage = shown.shape.stage
    # The verdicts take their height when they are there; before, two pictures may differ in size.
    qtbot.waitUntil(lambda: shown.session.view is not None and shown.session.proof is not None, timeout=PATIENCE)
    pixels(shown, qapp)
    pixels(shown, qapp)
    rough = pixels_as_they_are(shown)
    if stage._software:
        qtbot.waitUntil(stage.smoothed, timeout=PATIENCE)
        fine = pixels_as_they_are(shown)
        changed = np.abs(fine - rough).max(axis=2) > 12
        assert 0.001 < changed.mean() < 0.1, "only edges change"
    low, high = stage._outline().min(axis=0), stage._outline().max(axis=0)
    assert stage._floor.step in (5.0, 10.0, 20.0)
    lines = stage._floor._actor.GetMapper().GetInput().GetBounds()
    assert lines[0] < low[0] < high[0] < lines[1]
    assert lines[4] == pytest.approx(low[2], abs=0.1)


@pytest.mark.parametrize("count", [2, 9, 60])
def test_callouts_never_overlap_and_stay_in_view(count):
    area = QRectF(0, 0, 300, 260)
    rng = np.random.default_rng(count)
    wanted = [QPointF(*point) for point in rng.uniform((-40, -40), (340, 300), (count, 2))]
    boxes = [box for box in apart(wanted, [(80.0 + 10 * (i % 3), 20.0) for i in range(count)], area) if box is not None]
    assert len(boxes) >= min(count, 20), "one is left out only where there is no room for all"
    assert all(area.contains(box) for box in boxes)
    assert not any(a.intersects(b) for i, a in enumerate(boxes) for b in boxes[:i])


def test_the_section_takes_half_away_and_fills_the_cut(shown, qapp):
    stage = shown.shape.stage
    shown.shape.section_button.click()
    shown.shape.section_slider.setValue(480)
    assert stage.sizes_shown() == [], "what is measured outside is not in the cut"
    caps = [drawn.cut_points for drawn in stage._bodies.values()]
    assert len(caps) == 2
    assert all(len(cap) > 2 and np.ptp(cap[:, 0]) < 1e-6 for cap in caps)
    cut = pixels(shown, qapp)
    shown.shape.section_slider.setValue(520)
    assert stage._bodies["A"].cut_points[0, 0] > caps[0][0, 0]
    shown.shape.section_button.click()
    assert not len(stage._bodies["A"].cut_points)
    assert np.abs(pixels(shown, qapp) - cut).mean() > 3.0


def test_edits_reach_the_solid_and_apart_pulls_it_apart(shown, qapp):
    stage = shown.shape.stage
    before = len(stage._bodies["A"].points)
    shown.session.set_params("knuckles", knuckles=9, knuckle_length=4)
    assert len(stage._bodies["A"].points) != before
    lid = stage._bodies["B"].matrix
    shown.shape.apart_button.click()
    assert stage._bodies["B"].matrix[11] > lid[11] + 5
    shown.shape.apart_button.click()
    shown.toggle_theme()
    assert share(pixels(shown, qapp), "body_a") > 0.03
    shown.toggle_theme()
    shown.session.undo()


def test_a_hook_really_bends_as_it_is_pressed_in(shown, qapp):
    shown.session.select("hook-1")
    stage, motion = shown.shape.stage, shown.session.solution.motion
    assert shown.shape.trace.value == motion.show
    bent = np.array(stage._bodies["A"].points)
    assert share(pixels(shown, qapp), "body_a") > 0.02, "what bends is drawn"
    shown.shape.trace.set_value(motion.low)
    straight = np.array(stage._bodies["A"].points)

    moved = np.linalg.norm(bent - straight, axis=1)
    # The finger beyond the catch goes further down than the catch itself.
    assert 1.0 < moved.max() / shown.session.solution.value("deflection") < 2.0
    assert moved[straight[:, 0] < 0].max() == 0, "its host does not bend"
    assert shown.shape.trace.frame().low == motion.course.values[0] == 0, "it begins where they first touch"
    shown.shape.trace.set_value(motion.high)
    assert shown.shape._about.text() == "shut"
    shown.shape.printed_button.click()
    assert "on the bed" in shown.shape._about.text()
    assert stage._bodies["B"].matrix == tree.IDENTITY
    shown.shape.trace.set_value(motion.show)
    assert not shown.shape.printed_button.isChecked()


def test_walls_left_are_marked_where_the_section_cuts_them(shown, qapp):
    shown.session.select("screw-boss-1")
    stage = shown.shape.stage
    shown.shape.section_button.setChecked(False)
    shown.shape._on_section()
    assert [each.label for each in stage.sizes_shown()] == ["⌀ 4.70"]
    shown.shape.section_slider.setValue(500)
    shown.shape.section_button.click()
    assert [each.label for each in stage.sizes_shown()] == ["wall 4.0", "wall 6.8", "wall 2.4", "under the head 3.2"]
    shown.shape.section_slider.setValue(900)
    assert stage.sizes_shown() == []
    shown.shape.section_button.click()


def test_strain_is_painted_on_what_bends_and_on_nothing_else(shown, qapp):
    shown.session.select("zigzag-spring-1")
    stage, motion = shown.shape.stage, shown.session.solution.motion
    shown.shape.trace.set_value(motion.high)
    strained = pixels(shown, qapp)
    shades = np.array(legend.colours(np.linspace(0, 0.9 * max(1e-6, shown.session.solution.check("strain").value
                                                              / shown.session.solution.check("strain").limit), 7)))
    assert len(np.unique(shades, axis=0)) > 4
    body = share(strained, "body_a")
    shown.shape.trace.set_value(motion.low)
    assert share(pixels(shown, qapp), "body_a") > body + 0.02, "at rest it has its own colour"
    assert not stage._strained
    shown.session.select("knuckle-hinge-1")
    assert not stage._strained


def off_axis(points):
    """How far points (n, 3) are from z."""
    return np.hypot(points[:, 0], points[:, 1])


@pytest.mark.parametrize(("name", "moves", "gone"), [
    ("ring-spring-1", lambda rest: off_axis(rest) < 4, lambda rest, now: now[:, 2] - rest[:, 2]),
    ("fin-ring-1", lambda rest: off_axis(rest) > 24.2, lambda rest, now: off_axis(rest) - off_axis(now)),
    ("side-spring-1", lambda rest: np.abs(rest[:, 0]) > 26.2, lambda rest, now: np.abs(rest[:, 0]) - np.abs(now[:, 0]))],
    ids=["a button goes up", "fins go in", "bars go in"])
def test_a_spring_is_drawn_as_it_gives_and_what_holds_it_stays(shown, name, moves, gone):
    """Corners as drawn, at rest and at its travel: what moves has gone as far as is said, what holds it not at all."""
    shown.session.select(name)
    stage, motion = shown.shape.stage, shown.session.solution.motion

    def corners_at(value):
        shown.shape.trace.set_value(value)
        return np.array(stage._bodies["A"].points, dtype=float)

    rest, now = corners_at(motion.low), corners_at(motion.high)
    moving = moves(rest)
    assert moving.any()
    assert gone(rest[moving], now[moving]).max() == pytest.approx(motion.high, rel=0.05)
    half = corners_at(motion.high / 2)
    assert gone(rest[moving], half[moving]).max() == pytest.approx(motion.high / 2, rel=0.1), "half way half as far"
    assert (np.linalg.norm(now - rest, axis=1) < 1e-4).mean() > 0.1, "what holds it stays"
    assert stage._strained, "and its strain is painted"
    assert shown.shape._about.text().startswith("force ")
    shown.session.set_params("fatter", thickness=1.3)
    assert len(stage._bodies["A"].points) > 100, "it is drawn anew while it is bent"
    assert stage._strained
    shown.session.undo()
    assert shown.session.solution.params.thickness < 1.3
