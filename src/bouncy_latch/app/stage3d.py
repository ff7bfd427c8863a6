"""The 3-D view: the bodies in a pose, cut by a section plane, pulled apart, with dimension call-outs.

Imported after the first paint, because its libraries take seconds to load.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import pyvista as pv
from PySide6.QtWidgets import QWidget
from pyvistaqt import QtInteractor

from bouncy_latch.app.figures import body_colour
from bouncy_latch.app.theme import FONTS, THEME
from bouncy_latch.core.flex.warp import Warp
from bouncy_latch.core.mechanisms.contract import Callout, Motion, Solution
from bouncy_latch.core.solids import mesh, tree
from bouncy_latch.core.solids.outline import CHORD_TOLERANCE, SKETCH_TOLERANCE
from bouncy_latch.core.trial import rides

FEATURE_ANGLE = 28.0
MARGIN = 0.12
"""Part of half the view that is left free round what is seen; call-outs need some of it."""
LETTER, LINE = 9.0, 26.0
"""Room that a letter and a line of a call-out take on the screen, px."""
SKETCH_FINE = 1.6
"""Longest edge of what bends while something is being dragged, mm."""


@dataclass(frozen=True)
class Scene:
    """What is shown: how the bodies are posed and bent at a value, which bend, whether it is best seen from above,
    call-outs, the mechanism's own region (mm), which bodies are bought and so not printed, and values
    of the motion that must be in view.

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


class Stage3D(QtInteractor):
    """Shows bodies."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, auto_update=False, multi_samples=1, line_smoothing=False)
        self.setAccessibleName("3-D view of the parts")
        self._meshes: dict[str, pv.PolyData] = {}
        self._actors: dict[str, Any] = {}
        self._caps: dict[str, Any] = {}
        self._manifolds: dict[str, Any] = {}
        self._scene: Scene | None = None
        self._value = 0.0
        self._section: float | None = None
        self._apart = False
        self._sizes = True
        self._drawn = False
        self._sketching = False
        self._printed = False
        self._drawn_points: dict[str, Any] = {}
        self._warps: dict[str, Warp] = {}
        self._texts: list[Any] = []
        self._mark: tuple[float, float, float] | None = None
        self.enable_trackball_style()
        self.iren.add_observer("EndInteractionEvent", lambda *_: (self._callouts(), self.draw()))
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
                      frozenset(solution.inserts), (motion.low, (motion.low + motion.high) / 2, motion.high))
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
        if list(bodies) != list(self._actors):
            self._rebuild(list(bodies))
        for name, manifold in bodies.items():
            if self._manifolds.get(name) is not manifold:
                self._manifolds[name] = manifold
                fine = manifold
                if name in scene.flexing:
                    fine = manifold.refine_to_length(SKETCH_FINE if self._sketching else rides.FINE)
                self._meshes[name].copy_from(_shaded(fine))
                self._drawn_points[name] = np.array(self._meshes[name].points, dtype=np.float64)
        self._bend()
        self._pose()
        if framed != scene.key:
            self.frame()
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

    def look_at_place(self, point: tuple[float, float, float]) -> None:
        """Bring a place to the middle, nearer, with a ring of dots round it."""
        self._mark = point
        self._pose()
        self.camera.focal_point = point
        self.camera.zoom(1.8)
        self.draw()

    def forget_place(self) -> None:
        """Take the mark of a place away."""
        self._mark = None
        self.remove_actor("mark", render=False)

    def frame(self) -> None:
        """Look at everything from the front right, a little above; at what moves in the plane of the bed from well above."""
        flat = self._scene is not None and self._scene.from_above
        self.camera_position = [(0.08, -0.75, 1.5) if flat else (1.0, -1.45, 0.95), (0, 0, 0), (0, 0, 1)]
        self.reset_camera(bounds=self._travel_bounds())
        self._fill()

    def _fill(self) -> None:
        """Move and zoom so that all that is seen, wherever its motion takes it, fills the view but for a margin."""
        points = self._outline()
        wide, high = self.renderer.GetSize()
        if not len(points) or min(wide, high) < 50:
            return
        homogeneous = np.c_[points, np.ones(len(points))]
        for _ in range(3):
            seen = self.camera.GetCompositeProjectionTransformMatrix(wide / high, -1, 1)
            flat = homogeneous @ np.array([[seen.GetElement(i, j) for j in range(4)] for i in range(4)]).T
            x, y = (flat[:, i] / flat[:, 3] for i in (0, 1))
            across = self.camera.GetDistance() * np.tan(np.radians(self.camera.GetViewAngle() / 2))
            up = np.array(self.camera.GetViewUp())
            ahead = np.array(self.camera.GetDirectionOfProjection())
            right = np.cross(ahead, up)
            right /= np.linalg.norm(right)
            shift = across * ((x.max() + x.min()) / 2 * wide / high * right + (y.max() + y.min()) / 2 * np.cross(right, ahead))
            self.camera.SetPosition(*(np.array(self.camera.GetPosition()) + shift))
            self.camera.SetFocalPoint(*(np.array(self.camera.GetFocalPoint()) + shift))
            self.camera.Zoom((1 - MARGIN) / max((x.max() - x.min()) / 2, (y.max() - y.min()) / 2, 1e-6))
        self.reset_camera_clipping_range()

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
                    found.append(mesh.arrays(manifold)[0][::3] @ matrix[:, :3].T + matrix[:, 3])
        return np.concatenate(found)

    def _face_the_cut(self) -> None:
        """Look at the mechanism in the cut, from the side that was taken away."""
        region = self._scene.region if self._scene else None
        if region is None:
            return
        height, size = (region[2] + region[5]) / 2, region[5] - region[2]
        self.camera_position = [(9 * size, -2.2 * size, height + 2.2 * size), (0, 0, height), (0, 0, 1)]
        self.reset_camera_clipping_range()

    def _travel_bounds(self) -> tuple[float, ...] | None:
        """The room the bodies take in the present pose, without call-outs."""
        if self._scene is None:
            return None
        boxes = []
        for index, (name, manifold) in enumerate(self._manifolds.items()):
            if self._hidden(name):
                continue
            boxes.append(mesh.transformed(manifold, self._matrix(index, name)).bounding_box())
        low = [min(box[i] for box in boxes) for i in range(3)]
        high = [max(box[i + 3] for box in boxes) for i in range(3)]
        return (low[0], high[0], low[1], high[1], low[2], high[2])

    def apply_theme(self) -> None:
        """Take the tokens in force."""
        t = THEME.tokens
        self.set_background(t.sunken)
        self._paint_bodies()
        for actor in self._caps.values():
            actor.prop.color = t.cut
        self._pose()
        self.draw()

    def draw(self) -> None:
        """Render once, if there is anything to render on."""
        if not self.isVisible():
            return
        if self._drawn:
            self.update()  # one repaint of the GL widget renders once
        else:
            self._drawn = True
            self.render()

    # -- making it ---------------------------------------------------------------------------------------------------

    def _rebuild(self, names: list[str]) -> None:
        self.clear_actors()
        self._actors, self._caps, self._meshes, self._manifolds = {}, {}, {}, {}
        self._drawn_points, self._warps = {}, {}
        for i, name in enumerate(names):
            empty = pv.Sphere(radius=0.01)
            self._meshes[name] = empty
            self._actors[name] = self.add_mesh(
                empty, color=self._colour(i, name), smooth_shading=False, ambient=0.28, diffuse=0.75,
                specular=0.08, reset_camera=False, render=False, name=f"body {name}")
            self._actors[name].mapper.SetInterpolateScalarsBeforeMapping(False)

    def _hidden(self, name: str) -> bool:
        """Whether a body is not on the bed that is shown."""
        return self._printed and self._scene is not None and name in self._scene.bought

    def _paint_bodies(self) -> None:
        for i, (name, actor) in enumerate(self._actors.items()):
            actor.prop.color = self._colour(i, name)

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
            if name in self._drawn_points:
                drawn = self._drawn_points[name]
                self._meshes[name].points = (self._warps[name](drawn) if name in self._warps else drawn).astype(np.float32)

    def _pose(self) -> None:
        if self._scene is None:
            return
        for actor in self._caps.values():
            self.remove_actor(actor, render=False)
        self._caps = {}
        plane = None
        if self._section is not None:
            boxes = [m.bounding_box() for m in self._manifolds.values()]
            low, high = min(b[0] for b in boxes), max(b[3] for b in boxes)
            plane = low + 0.01 + self._section * (high - low - 0.02)
        for index, (name, actor) in enumerate(self._actors.items()):
            matrix = self._matrix(index, name)
            actor.visibility = not self._hidden(name)
            actor.user_matrix = np.vstack([np.array(matrix).reshape(3, 4), [0, 0, 0, 1]])
            mapper = actor.mapper
            mapper.RemoveAllClippingPlanes()
            if plane is not None and not self._hidden(name):
                cutter = pv.Plane(center=(plane, 0, 0), direction=(-1, 0, 0))
                from vtkmodules.vtkCommonDataModel import vtkPlane

                clip = vtkPlane()
                clip.SetOrigin(cutter.center)
                clip.SetNormal(-1, 0, 0)
                mapper.AddClippingPlane(clip)
                self._cap(index, name, plane, matrix)
        self._callouts()
        if self._mark is not None:
            dots = pv.PolyData(np.array([self._mark]))
            actor = self.add_mesh(dots, color=THEME.tokens.stop, point_size=16, render_points_as_spheres=True, lighting=False,
                                  name="mark", reset_camera=False, render=False)
            # Drawn over the parts, or a weld inside them would not be seen.
            actor.mapper.SetResolveCoincidentTopologyToPolygonOffset()
            actor.mapper.SetRelativeCoincidentTopologyPointOffsetParameter(-60000)

    def _cap(self, index: int, name: str, plane: float, matrix: tree.Matrix) -> None:
        """Fill the cut of one body."""
        import manifold3d

        body = self._manifolds[name]
        if name in self._warps:
            body = mesh.warped(body.refine_to_length(rides.FINE), self._warps[name])
        lying = mesh.transformed(body, tree.compose(tree.X_UP, matrix))
        polygons = lying.slice(plane).to_polygons()
        if not polygons:
            return
        points = np.vstack(polygons)
        faces = manifold3d.triangulate(polygons)
        corners = np.c_[np.full(len(points), plane - 0.005), points]
        cap = pv.PolyData(corners, np.c_[np.full(len(faces), 3), faces].ravel())
        colour = pv.Color(self._colour(index, name))
        dark = [0.62 * part for part in colour.float_rgb]
        self._caps[name] = self.add_mesh(cap, color=dark, lighting=False, reset_camera=False, render=False,
                                         name=f"cap {name}")

    def _callouts(self) -> None:
        if self._sketching:
            return  # renewed when the drag pauses
        self.remove_actor("sizes", render=False)
        for text in self._texts:
            self.renderer.RemoveViewProp(text)
        self._texts = []
        scene = self._scene
        if not self._sizes or scene is None or not scene.callouts or self._apart or self._section is not None:
            return
        lines: list[tuple[float, float, float]] = []
        for callout, place in zip(scene.callouts, self._apart_from_each_other(scene.callouts), strict=True):
            lines += [callout.start, callout.end]
            lines += [callout.end, place]
            self._texts.append(_text(callout.label, place))
            self.renderer.AddViewProp(self._texts[-1])
        ink = THEME.tokens.ink
        points = np.array(lines, dtype=float)
        self.add_mesh(pv.line_segments_from_points(points), color=ink, line_width=2, lighting=False, name="sizes",
                      reset_camera=False, render=False)


    def _apart_from_each_other(self, callouts: tuple[Callout, ...]) -> list[tuple[float, float, float]]:
        """Return where the texts stand: each where it belongs, kept in view, or as much higher or lower as others need."""
        renderer, taken = self.renderer, []
        wide, high = renderer.GetSize()
        found: list[tuple[float, float, float]] = []
        for callout in callouts:
            renderer.SetWorldPoint(*_label_place(callout), 1.0)
            renderer.WorldToDisplay()
            x, y, depth = renderer.GetDisplayPoint()
            half = (LETTER * (len(callout.label) + 2)) / 2
            x, y = min(max(x, half), max(wide - half, half)), min(max(y, 0.0), max(high - LINE, 0.0))
            step = LINE if y < high - 4 * LINE else -LINE
            for other_x, other_y, other_half in sorted(taken, key=lambda each: each[1] * step):
                if abs(x - other_x) < half + other_half and abs(y - other_y) < LINE:
                    y = other_y + step
            taken.append((x, y, half))
            renderer.SetDisplayPoint(x, y, depth)
            renderer.DisplayToWorld()
            a, b, c, w = renderer.GetWorldPoint()
            found.append((a / w, b / w, c / w))
        return found


def _text(words: str, place: tuple[float, float, float]) -> Any:
    """Return a text pinned to a place, always on top; unlike labels that avoid each other it costs next to nothing."""
    from vtkmodules.vtkRenderingCore import vtkTextActor

    actor = vtkTextActor()
    actor.SetInput(f" {words} ")
    coordinate = actor.GetPositionCoordinate()
    coordinate.SetCoordinateSystemToWorld()
    coordinate.SetValue(*place)
    style = actor.GetTextProperty()
    style.SetFontFamily(4)  # VTK_FONT_FILE
    style.SetFontFile(str(FONTS / "Manrope-SemiBold.ttf"))
    style.SetFontSize(14)
    style.SetColor(*pv.Color(THEME.tokens.ink).float_rgb)
    style.SetBackgroundColor(*pv.Color(THEME.tokens.panel).float_rgb)
    style.SetBackgroundOpacity(1.0)
    style.SetJustificationToCentered()
    style.SetVerticalJustificationToBottom()
    return actor


def _label_place(callout: Callout) -> tuple[float, float, float]:
    """A little beyond the end of a call-out, so that the text does not cover what it names."""
    a, b = np.array(callout.start), np.array(callout.end)
    length = float(np.linalg.norm(b - a))
    beyond = b + (b - a) / length * (2.0 if length > 8 else 6.0) if length > 1e-9 else b
    if length < 2.0:
        beyond = b + np.array([0.0, 0.0, 14.0])
    return tuple(float(v) for v in beyond)  # type: ignore[return-value]


def _shaded(manifold: Any) -> pv.PolyData:
    """Return a manifold as a surface whose sharp edges stay sharp and whose arcs look round."""
    vertices, triangles = mesh.arrays(manifold)
    faces = np.c_[np.full(len(triangles), 3), triangles].ravel()
    surface = pv.PolyData(vertices, faces)
    return surface.compute_normals(cell_normals=False, split_vertices=True, feature_angle=FEATURE_ANGLE,
                                   consistent_normals=False, auto_orient_normals=False)


