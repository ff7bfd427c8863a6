"""One body on the stage: its surface, its sharp edges and, where it is cut, the cut's face."""

from __future__ import annotations

import manifold3d
import numpy as np
import numpy.typing as npt
from PySide6.QtGui import QColor
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPlane, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkFiltersCore import vtkFeatureEdges, vtkPolyDataNormals
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper, vtkRenderer

from bouncy_latch.app.kit.figures import rgb_f
from bouncy_latch.app.stage import legend
from bouncy_latch.core.flex.warp import Strain, Warp
from bouncy_latch.core.solids import mesh, tree

FEATURE_ANGLE = 28.0
"""Between faces that meet at more than this there is an edge, degrees."""
EDGE_DARK, CUT_DARK = 0.62, 0.62
EDGE_WIDTH = 1.1
AMBIENT, DIFFUSE, SPECULAR = 0.34, 0.72, 0.05

Points = npt.NDArray[np.float64]


def surface(points: Points, triangles: npt.NDArray[np.int64]) -> vtkPolyData:
    """Return triangles (m, 3) over points (n, 3) as the library's own."""
    data, cells = vtkPolyData(), vtkCellArray()
    corners = vtkPoints()
    corners.SetData(numpy_to_vtk(np.ascontiguousarray(points, dtype=np.float32), deep=1))
    cells.SetData(3, numpy_to_vtkIdTypeArray(np.ascontiguousarray(triangles, dtype=np.int64).ravel(), deep=1))
    data.SetPoints(corners)
    data.SetPolys(cells)
    return data


def lines(points: Points) -> vtkPolyData:
    """Return separate lines, each from one point (2n, 3) to the next."""
    data, cells, corners = vtkPolyData(), vtkCellArray(), vtkPoints()
    corners.SetData(numpy_to_vtk(np.ascontiguousarray(points, dtype=np.float32), deep=1))
    cells.SetData(2, numpy_to_vtkIdTypeArray(np.arange(len(points), dtype=np.int64), deep=1))
    data.SetPoints(corners)
    data.SetLines(cells)
    return data


def points_of(data: vtkPolyData) -> npt.NDArray[np.float32]:
    """Return the points of a surface or of lines, (n, 3)."""
    if not data.GetNumberOfPoints():
        return np.zeros((0, 3), dtype=np.float32)
    return np.asarray(vtk_to_numpy(data.GetPoints().GetData()), dtype=np.float32)


def _shaded(data: vtkPolyData) -> vtkPolyData:
    """Return a surface whose sharp edges stay sharp and whose arcs look round."""
    normals = vtkPolyDataNormals()
    normals.SetInputData(data)
    normals.SplittingOn()
    normals.SetFeatureAngle(FEATURE_ANGLE)
    normals.ConsistencyOff()
    normals.AutoOrientNormalsOff()
    normals.Update()
    return normals.GetOutput()


def _edges(data: vtkPolyData) -> vtkPolyData:
    edges = vtkFeatureEdges()
    edges.SetInputData(data)
    edges.BoundaryEdgesOff()
    edges.NonManifoldEdgesOff()
    edges.FeatureEdgesOn()
    edges.SetFeatureAngle(FEATURE_ANGLE)
    edges.ColoringOff()
    edges.Update()
    return edges.GetOutput()


class Drawn:
    """Keeps what the library needs to draw one body, and changes it in place."""

    def __init__(self, renderer: vtkRenderer) -> None:
        self._renderer = renderer
        self._solid, self._edges, self._cap = (vtkActor() for _ in range(3))
        self._shown: list[tuple[vtkPolyData, Points]] = []
        self.matrix: tree.Matrix = tree.IDENTITY
        for actor in (self._solid, self._edges, self._cap):
            mapper = vtkPolyDataMapper()
            mapper.ScalarVisibilityOff()
            actor.SetMapper(mapper)
            renderer.AddActor(actor)
        look = self._solid.GetProperty()
        look.SetAmbient(AMBIENT)
        look.SetDiffuse(DIFFUSE)
        look.SetSpecular(SPECULAR)
        for actor in (self._edges, self._cap):
            actor.GetProperty().LightingOff()
        # Edges lie on the faces they bound and must win there.
        lines_mapper = self._edges.GetMapper()
        lines_mapper.SetResolveCoincidentTopologyToPolygonOffset()
        lines_mapper.SetRelativeCoincidentTopologyLineOffsetParameters(0.0, -4.0)
        self.cut(None)

    def remove(self) -> None:
        """Take it off the stage."""
        for actor in (self._solid, self._edges, self._cap):
            self._renderer.RemoveActor(actor)

    def show(self, manifold: manifold3d.Manifold) -> None:
        """Take a new shape."""
        whole = surface(*mesh.arrays(manifold))
        shaded, edges = _shaded(whole), _edges(whole)
        self._shown = [(data, np.array(points_of(data), dtype=np.float64)) for data in (shaded, edges)]
        for actor, data in ((self._solid, shaded), (self._edges, edges)):
            actor.GetMapper().SetInputData(data)  # type: ignore[attr-defined]

    @property
    def points(self) -> npt.NDArray[np.float32]:
        """The corners of its surface as they are drawn, bent, (n, 3)."""
        return points_of(self._shown[0][0])

    def bend(self, warp: Warp | None) -> None:
        """Let every corner follow a computed curve, or none."""
        for data, drawn in self._shown:
            if len(drawn):
                points_of(data)[:] = warp(drawn) if warp is not None else drawn
                data.GetPoints().Modified()

    def place(self, matrix: tree.Matrix) -> None:
        """Put it somewhere."""
        self.matrix = matrix
        whole = vtkMatrix4x4()
        for row in range(3):
            for column in range(4):
                whole.SetElement(row, column, matrix[4 * row + column])
        for actor in (self._solid, self._edges):
            actor.SetUserMatrix(whole)

    def paint(self, colour: QColor) -> None:
        """Give it a colour; edges and cut are darker."""
        own = np.array(rgb_f(colour))
        for actor, part in ((self._solid, 1.0), (self._edges, EDGE_DARK), (self._cap, CUT_DARK)):
            actor.GetProperty().SetColor(*(part * own))

    def paint_strain(self, strain: Strain | None) -> None:
        """Colour its surface by how strained it is, as drawn; None: in its own colour."""
        mapper, (data, drawn) = self._solid.GetMapper(), self._shown[0]
        mapper.SetScalarVisibility(strain is not None)
        if strain is not None and len(drawn):
            colours = numpy_to_vtk(legend.colours(strain(drawn)), deep=1)
            data.GetPointData().SetScalars(colours)
            mapper.SetColorModeToDirectScalars()

    def scale_lines(self, factor: float) -> None:
        """Draw edges ``factor`` times as wide as on a plain screen."""
        self._edges.GetProperty().SetLineWidth(EDGE_WIDTH * factor)

    def let_be_seen(self, seen: bool) -> None:
        """Show or hide it."""
        for actor in (self._solid, self._edges, self._cap):
            actor.SetVisibility(seen)

    def cut(self, plane: float | None, manifold: manifold3d.Manifold | None = None) -> None:
        """Take away what lies beyond x = ``plane`` and fill the cut of ``manifold``, the body as it is drawn."""
        cap = vtkPolyData()
        for actor in (self._solid, self._edges):
            actor.GetMapper().RemoveAllClippingPlanes()
            if plane is not None:
                clip = vtkPlane()
                clip.SetOrigin(plane, 0, 0)
                clip.SetNormal(-1, 0, 0)
                actor.GetMapper().AddClippingPlane(clip)
        if plane is not None and manifold is not None:
            polygons = mesh.transformed(manifold, tree.compose(tree.X_UP, self.matrix)).slice(plane).to_polygons()
            if polygons:
                points = np.vstack(polygons)
                cap = surface(np.c_[np.full(len(points), plane - 0.005), points], manifold3d.triangulate(polygons))
        self._cap.GetMapper().SetInputData(cap)  # type: ignore[attr-defined]

    @property
    def cut_points(self) -> npt.NDArray[np.float32]:
        """The corners of the cut's face, (n, 3); none where it is whole."""
        return points_of(self._cap.GetMapper().GetInput())
