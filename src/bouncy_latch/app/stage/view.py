"""The 3-D view: the bodies in a pose, cut by a section plane, pulled apart, with dimension call-outs.

Imported after the first paint, because its libraries take time to load.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from bouncy_latch.app.kit.copying import copyable
from bouncy_latch.app.kit.figures import body_colour, rgb_f
from bouncy_latch.app.kit.theme import THEME, text_font
from bouncy_latch.app.stage import callouts, legend
from bouncy_latch.app.stage.canvas import Canvas
from bouncy_latch.app.stage.drawn import Drawn
from bouncy_latch.app.stage.floor import Floor
from bouncy_latch.core.flex.warp import Strain, Warp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import Callout, Motion, Solution
from bouncy_latch.core.parts import measure
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.solids.outline import CHORD_TOLERANCE, SKETCH_TOLERANCE
from bouncy_latch.core.trial import rides

MARGIN = 0.08
"""Part of half the view that is left free round what is seen."""
SKETCH_FINE, SKETCH_PARTS = 1.6, 15
"""Longest edge of what bends while something is being dragged, mm, or of larger bodies how many lie along it."""
ENOUGH = 4000
"""Corners of a body by which its outline is known; of finer ones some are left out."""
NEAR = 0.6
"""How far from a call-out's place a section still shows it, mm."""
RING = 9.0
"""Radius of the ring round a place that is shown, px."""

@frozen
class Scene:
    """What is shown: how the bodies are posed and bent at a value, which bend, whether it is best seen from above,
    call-outs, the mechanism's own region (mm), which bodies are bought and so not printed, values of the motion that must be in
    view, and how strained what bends is, against what it stands, per cent.

    The view is framed anew when ``key`` changes.
    """

    key: tuple[object, ...]
    pose: Callable[[float], dict[str, tree.Matrix]]
    bends: Callable[[float], dict[str, Warp]] | None = None
    flexing: tuple[str, ...] = ()
    from_above: bool = False
    callouts: tuple[Callout, ...] = ()
    region: tuple[float, float, float, float, float, float] | None = None
    bought: frozenset[str] = frozenset()
    ends: tuple[float, ...] = ()
    strains: Callable[[float], dict[str, Strain]] | None = None
    stands: float = 0.0


class Stage3D(Canvas):
    """Shows bodies.

    Signals:
        pointed: a place of a body was clicked at: its name, and the place as it lies on the bed, mm.
    """

    pointed = Signal(str, tuple)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("3-D view of the parts")
        copyable(self, self.said, menu=False)
        self._bodies: dict[str, Drawn] = {}
        self._manifolds: dict[str, Any] = {}
        self._floor = Floor(self.renderer)
        self._scene: Scene | None = None
        self._value = 0.0
        self._section: float | None = None
        self._plane: float | None = None
        self._apart = False
        self._sizes = True
        self._sketching = False
        self._printed = False
        self._warps: dict[str, Warp] = {}
        self._strained: set[str] = set()
        self._framed: tuple[tuple[float, ...], ...] = ()
        self._mark: tuple[float, float, float] | None = None
        self._covered = (0, 0)
        self.apply_theme()

    # -- what to show ------------------------------------------------------------------------------------------------

    def show_solution(self, solution: Solution, motion: Motion, value: float, sketch: bool = False) -> None:
        """Show a solution with one of its motions at ``value``; the view is framed anew when the mechanism is another one.

        ``sketch`` uses coarser arcs, for every frame of a drag.
        """
        tolerance = SKETCH_TOLERANCE if sketch else CHORD_TOLERANCE
        shape = solution.shape
        scene = Scene((solution.kind, *solution.body_labels.items()), motion.pose, motion.bends, motion.flexing,
                      any(view.axis == "z" for view in shape.views), shape.callouts, shape.region,
                      frozenset(solution.inserts), (motion.low, (motion.low + motion.high) / 2, motion.high), motion.strains,
                      motion.stands)
        self._sketching = sketch
        self._show(scene, {name: mesh.evaluate(solid, tolerance) for name, solid in solution.together.items()}, value)

    def show_bodies(self, key: tuple[object, ...], bodies: Mapping[str, Any]) -> None:
        """Show manifolds as they stand; ``key`` tells one set of them from another."""
        self._sketching = False
        self._show(Scene((*key, *bodies), lambda _: {}), dict(bodies), 0.0)

    def _show(self, scene: Scene, bodies: dict[str, Any], value: float) -> None:
        framed = self._scene.key if self._scene else None
        self._scene, self._value = scene, value
        if framed != scene.key:
            self.forget_place()
            self._paint_bodies()
        if list(bodies) != list(self._bodies):
            self._rebuild(list(bodies))
        changed = False
        for name, manifold in bodies.items():
            if self._manifolds.get(name) is not manifold:
                self._manifolds[name] = manifold
                fine = manifold
                if name in scene.flexing:
                    fine = manifold.refine_to_length(_sketch_fine(manifold) if self._sketching else rides.FINE)
                self._bodies[name].show(fine)
                changed = True
        self._bend()
        self._pose()
        if framed != scene.key:
            self.frame()
            if self._section is not None:
                self._face_the_cut()
        elif changed and not self._sketching:
            # What has grown out of a view that nobody turned is looked at anew once it stands still.
            if self._framed == self._standing() and float(np.abs(self.in_view(self._outline())).max()) > 1:
                self.frame()
            else:
                self._lay_floor()
        self.draw()

    def show_value(self, value: float) -> None:
        """Move the mechanism."""
        self._value = value
        if self._scene:
            self._bend()
            self._pose()
            self.draw()

    def show_printed(self, printed: bool) -> None:
        """Show the bodies as they lie on the bed instead of in the motion."""
        if printed != self._printed:
            self._printed = printed
            if self._scene:
                self._bend()
                self._pose()
                self.frame()
                self.draw()

    def show_section(self, part: float | None) -> None:
        """Cut everything at ``part`` (0 to 1) of the bodies' extent along x; None shows them whole."""
        begins, ends = part is not None and self._section is None, part is None and self._section is not None
        self._section = part
        self._pose()
        if begins:
            self._face_the_cut()
        elif ends:
            self.frame()
        self.draw()

    def show_apart(self, apart: bool) -> None:
        self._apart = apart
        self._pose()
        self.draw()

    def show_sizes(self, sizes: bool) -> None:
        self._sizes = sizes
        self._pose()
        self.draw()

    def clicked_at(self, place: QPointF) -> None:
        """Tell which place of which body was clicked at."""
        eye, way = self.ray(place)
        found: list[tuple[float, str, tuple[float, float, float]]] = []
        for index, (name, manifold) in enumerate(self._manifolds.items()):
            if self._hidden(name):
                continue
            back = tree.invert(self._matrix(index, name))
            start = tree.moved_point(back, tuple(eye.tolist()))
            end = tree.moved_point(back, tuple((eye + way).tolist()))
            ahead = np.array(end) - np.array(start)
            far = measure.first_met(manifold, start, tuple(ahead.tolist()))
            if far is not None:
                found.append((far, name, tuple((np.array(start) + far * ahead).tolist())))
        if found:
            _, name, point = min(found)
            self.pointed.emit(name, point)

    def mark(self, point: tuple[float, float, float]) -> None:
        """Mark a place with a ring, as the view is."""
        self._mark = point
        self.update()

    def look_at_place(self, point: tuple[float, float, float]) -> None:
        """Bring a place to the middle, nearer, with a ring of dots round it."""
        self._mark = point
        camera = self.renderer.GetActiveCamera()
        by = np.array(point) - np.array(camera.GetFocalPoint())
        camera.SetPosition(*(np.array(camera.GetPosition()) + by))
        camera.SetFocalPoint(*point)
        self.zoom(1.8)

    def forget_place(self) -> None:
        """Take the mark of a place away."""
        self._mark = None
        self.update()

    def frame(self) -> None:
        """Look at everything from the front right, a little above; at what moves in the plane of the bed from well above."""
        flat = self._scene is not None and self._scene.from_above
        points = self._outline()
        if not len(points):
            return
        self.look((0.08, -0.75, 1.5) if flat else (1.0, -1.45, 0.95), (0, 0, 0))
        low, high = points.min(axis=0), points.max(axis=0)
        self.renderer.ResetCamera(low[0], high[0], low[1], high[1], low[2], high[2])
        self._lay_floor(points)
        self._fill(points)
        self._framed = self._standing()

    def cover(self, top: int, bottom: int) -> None:
        """Keep what is seen out of what other widgets cover at the top and at the bottom, px."""
        if (top, bottom) != self._covered:
            self._covered = top, bottom
            if self._framed == self._standing():
                self.frame()
            self.draw()

    def _standing(self) -> tuple[tuple[float, ...], ...]:
        camera = self.renderer.GetActiveCamera()
        return camera.GetPosition(), camera.GetFocalPoint()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A view that nobody turned yet goes on filling the stage."""
        super().resizeEvent(event)
        if self._framed == self._standing():
            self.frame()

    def _fill(self, points: npt.NDArray[np.float64]) -> None:
        """Move and zoom so that all that is seen, wherever its motion takes it, fills the view but for a margin."""
        if min(self.width(), self.height()) < 50:
            return
        camera = self.renderer.GetActiveCamera()
        top, bottom = self._covered
        free, middle = max(1 - (top + bottom) / self.height(), 0.3), (bottom - top) / self.height()
        for _ in range(4):
            x, y = self.in_view(points).T
            self.shift(-(x.max() + x.min()) / 4 * self.width(), ((y.max() + y.min()) / 4 - middle / 2) * self.height())
            camera.Dolly((1 - MARGIN) / max((x.max() - x.min()) / 2, (y.max() - y.min()) / 2 / free, 1e-6))

    def _lay_floor(self, points: npt.NDArray[np.float64] | None = None) -> None:
        """Lay the bed under all that is seen."""
        points = self._outline() if points is None else points
        if len(points):
            self._floor.lay(tuple(points.min(axis=0)), tuple(points.max(axis=0)))

    def _outline(self) -> npt.NDArray[np.float64]:
        """Return points of all that is seen, (n, 3): at rest, and with the motion at its ends and between."""
        scene, found = self._scene, [np.zeros((0, 3))]
        if scene is None:
            return found[0]
        values = {self._value} if self._printed else {self._value, *scene.ends}
        for value in values:
            poses = {} if self._printed else scene.pose(value)
            for name, manifold in self._manifolds.items():
                if not self._hidden(name):
                    matrix = np.array(poses.get(name, tree.IDENTITY)).reshape(3, 4)
                    corners = mesh.arrays(manifold)[0]
                    found.append(corners[::len(corners) // ENOUGH + 1] @ matrix[:, :3].T + matrix[:, 3])
        return np.concatenate(found)

    def _face_the_cut(self) -> None:
        """Look at the mechanism in the cut, from the side that was taken away."""
        region = self._scene.region if self._scene else None
        if region is None:
            return
        height, size = (region[2] + region[5]) / 2, region[5] - region[2]
        self.look((9 * size, -2.2 * size, height + 2.2 * size), (0, 0, height))
        points = self._outline()
        if len(points):
            low, high = points.min(axis=0), points.max(axis=0)
            self.renderer.ResetCamera(low[0], high[0], low[1], high[1], low[2], high[2])
            self._fill(points)

    def apply_theme(self) -> None:
        """Take the tokens in force."""
        t = THEME.tokens
        self.renderer.SetBackground(*rgb_f(QColor(t.sunken)))
        self._floor.paint(QColor(t.line))
        self._paint_bodies()
        self.draw()

    # -- making it ---------------------------------------------------------------------------------------------------

    def _rebuild(self, names: list[str]) -> None:
        for drawn in self._bodies.values():
            drawn.remove()
        self._bodies = {name: Drawn(self.renderer) for name in names}
        self._manifolds, self._warps = {}, {}
        self._paint_bodies()

    def _hidden(self, name: str) -> bool:
        """Whether a body is not on the bed that is shown."""
        return self._printed and self._scene is not None and name in self._scene.bought

    def _paint_bodies(self) -> None:
        for i, (name, drawn) in enumerate(self._bodies.items()):
            drawn.paint(QColor(self._colour(i, name)))

    def _colour(self, index: int, name: str) -> str:
        return THEME.tokens.zones[-1] if self._scene is not None and name in self._scene.bought else body_colour(index, name)

    def _matrix(self, index: int, name: str) -> tree.Matrix:
        scene = self._scene
        assert scene is not None
        pose = tree.IDENTITY if self._printed else scene.pose(self._value).get(name, tree.IDENTITY)
        if self._apart and index:
            lift = 0.35 * (scene.region[3] - scene.region[0]) if scene.region else 20.0
            pose = tree.compose((1, 0, 0, 0, 0, 1, 0, index * lift * 0.35, 0, 0, 1, index * lift), pose)
        return pose

    def _bend(self) -> None:
        """Bend what bends: every vertex follows the computed curve."""
        scene = self._scene
        before = set(self._warps)
        self._warps = scene.bends(self._value) if scene and scene.bends and not self._printed else {}
        for name in before | set(self._warps):
            if name in self._bodies:
                self._bodies[name].bend(self._warps.get(name))
        strains = scene.strains(self._value) if scene and scene.strains and self._warps else {}
        for name in self._strained | set(strains):
            if name in self._bodies:
                self._bodies[name].paint_strain(strains.get(name))
        self._strained = set(strains)

    def _pose(self) -> None:
        if self._scene is None:
            return
        plane = None
        if self._section is not None:
            # Where the bodies are now: parts that were printed beside each other have come together.
            boxes = [mesh.transformed(manifold, self._matrix(index, name)).bounding_box()
                     for index, (name, manifold) in enumerate(self._manifolds.items())]
            low, high = min(b[0] for b in boxes), max(b[3] for b in boxes)
            plane = low + 0.01 + self._section * (high - low - 0.02)
        for index, (name, drawn) in enumerate(self._bodies.items()):
            drawn.let_be_seen(not self._hidden(name))
            drawn.place(self._matrix(index, name))
            drawn.cut(plane, self._bent(name) if plane is not None and not self._hidden(name) else None)
        self._plane = plane
        # Laid under bodies in a motion it would be no bed.
        self._floor.let_be_seen(not self._apart and self._section is None)

    def _bent(self, name: str) -> Any:
        """Return a body as it is drawn."""
        body = self._manifolds[name]
        return mesh.warped(body.refine_to_length(rides.FINE), self._warps[name]) if name in self._warps else body

    def said(self) -> str:
        """Return the sizes that are called out, a line each."""
        return "\n".join(f"{callout.label} mm" for callout in self._scene.callouts) if self._scene else ""

    # -- over the picture --------------------------------------------------------------------------------------------

    def scale_lines(self, factor: float) -> None:
        self._floor.scale_lines(factor)
        for drawn in self._bodies.values():
            drawn.scale_lines(factor)

    def sizes_shown(self) -> list[Callout]:
        """Return the call-outs that are true of what is seen: outer ones of the whole, where a section cuts those in it."""
        if self._scene is None or self._apart:
            return []
        plane = self._plane
        return [each for each in self._scene.callouts
                if (not each.cut if plane is None else each.cut and abs(each.start[0] - plane) < NEAR)]

    def paint_over(self, painter: QPainter) -> None:
        scene = self._scene
        if scene is None:
            return
        t = THEME.tokens
        area = QRectF(self.rect()).adjusted(4, 4 + self._covered[0], -4, -4 - self._covered[1])
        whole = not self._apart and self._section is None
        if whole and self._floor.step:
            painter.setFont(text_font(8.5))
            painter.setPen(QColor(t.quiet))
            painter.drawText(area.adjusted(4, 0, 0, -2), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom,
                             f"squares of {self._floor.step:g} mm")
        if whole and self._strained:
            legend.paint(painter, area, scene.stands)
        # While something is dragged their figures would be those of the last frame.
        if self._sizes and not self._sketching:
            callouts.paint(painter, self.sizes_shown(), self.on_screen, area)
        if self._mark is not None:
            (middle,) = self.on_screen(np.array([self._mark]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for colour, width in ((t.panel, 5.0), (t.stop, 2.6)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawEllipse(middle, RING, RING)


def _sketch_fine(manifold: Any) -> float:
    """Return the longest edge of a body that bends while something is being dragged, mm."""
    x0, y0, z0, x1, y1, z1 = manifold.bounding_box()
    return max(SKETCH_FINE, float(np.linalg.norm((x1 - x0, y1 - y0, z1 - z0))) / SKETCH_PARTS)
