"""The exact evaluator: a solid tree as a boundary representation with true cylinders, cones and arcs (OCP).

Imported only on export; its libraries are loaded on the first call.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.progress import checkpoint
from bouncy_latch.core.solids import contents, tree
from bouncy_latch.core.solids.outline import Outline

if TYPE_CHECKING:
    from OCP.BRepAlgoAPI import Operation
    from OCP.gp import gp_Pnt, gp_Trsf
    from OCP.TopoDS import TopoDS_Edge, TopoDS_Face, TopoDS_Shape


@lru_cache(maxsize=256)
def evaluate(solid: tree.Solid) -> TopoDS_Shape:
    """Return the OCP shape of a solid tree, mm; raises Cancelled when the work under way should stop."""
    checkpoint()
    return _BUILDERS[type(solid)](solid)


def standing(solid: tree.Solid) -> TopoDS_Shape:
    """Return the shape of a body; bodies that are the same but for where they stand are worked out once."""
    inner, shift = tree.anchored(solid)
    return evaluate(inner.move(*shift))


def volume_and_centroid(shape: TopoDS_Shape) -> tuple[float, tuple[float, float, float]]:
    """Return the volume (mm³) and centroid (mm) of a shape."""
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, properties)
    centre = properties.CentreOfMass()
    return properties.Mass(), (centre.X(), centre.Y(), centre.Z())


def is_valid(shape: TopoDS_Shape) -> bool:
    """Whether the kernel's own validity check passes."""
    from OCP.BRepCheck import BRepCheck_Analyzer

    return bool(BRepCheck_Analyzer(shape).IsValid())


def _wire(outline: Outline, z: float = 0.0, flat_xz: bool = False) -> TopoDS_Shape:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeWire
    from OCP.GC import GC_MakeArcOfCircle
    from OCP.gp import gp_Pnt

    def point(x: float, y: float) -> gp_Pnt:
        return gp_Pnt(x, 0.0, y) if flat_xz else gp_Pnt(x, y, z)

    maker = BRepBuilderAPI_MakeWire()
    for edge in outline.edges:
        start, end = point(edge.x0, edge.y0), point(edge.x1, edge.y1)
        if edge.bulge:
            arc = GC_MakeArcOfCircle(start, point(*edge.middle()), end).Value()
            maker.Add(BRepBuilderAPI_MakeEdge(arc).Edge())
        else:
            maker.Add(BRepBuilderAPI_MakeEdge(start, end).Edge())
    return maker.Wire()


def _face(outline: Outline, flat_xz: bool = False) -> TopoDS_Face:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace

    return BRepBuilderAPI_MakeFace(_wire(outline, flat_xz=flat_xz), True).Face()


def _extrude(solid: tree.Extrude) -> TopoDS_Shape:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
    from OCP.gp import gp_Vec

    if solid.twist == 0 and solid.taper == 1:
        return BRepPrimAPI_MakePrism(_face(solid.outline), gp_Vec(0, 0, solid.height)).Shape()
    wires = []
    for step in range(solid.steps + 1):
        part = step / solid.steps
        scale = 1 + (solid.taper - 1) * part
        scaled = Outline(tuple((scale * x, scale * y, b) for x, y, b in solid.outline.corners))
        wires.append(_wire(scaled.moved(0, 0, solid.twist * part), solid.height * part))
    return _through(wires)


def _through(wires: list[TopoDS_Shape]) -> TopoDS_Shape:
    from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections

    maker = BRepOffsetAPI_ThruSections(True, True)
    maker.CheckCompatibility(False)
    for wire in wires:
        maker.AddWire(wire)
    maker.Build()
    return maker.Shape()


def _loft(solid: tree.Loft) -> TopoDS_Shape:
    return _through([_wire(outline, z) for outline, z in solid.sections])


def _revolve(solid: tree.Revolve) -> TopoDS_Shape:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
    from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt

    axis = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    return BRepPrimAPI_MakeRevol(_face(solid.outline, flat_xz=True), axis, solid.angle).Shape()


def _helix(solid: tree.Helix) -> TopoDS_Shape:
    """The outline carried along a helix, its plane always through the axis: a true helicoid within 1e-5 mm."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeWire
    from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipeShell
    from OCP.gp import gp_Dir

    x0, _, x1, _ = solid.outline.bounds
    spine = _helical_edge((x0 + x1) / 2, 0.0, solid.pitch, solid.turns, solid.left)
    maker = BRepOffsetAPI_MakePipeShell(BRepBuilderAPI_MakeWire(spine).Wire())
    maker.SetMode(gp_Dir(0, 0, 1))
    maker.SetTolerance(1e-5, 1e-5, 1e-3)
    maker.Add(_wire(solid.outline, flat_xz=True))
    maker.Build()
    maker.MakeSolid()
    return _outward(maker.Shape())


def _helical_edge(radius: float, z: float, pitch: float, turns: float, left: bool) -> TopoDS_Edge:
    """A helix about z that begins at (radius, 0, z): a straight line on a cylinder, its curve in space within 1e-6 mm."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.BRepLib import BRepLib
    from OCP.Geom import Geom_CylindricalSurface
    from OCP.Geom2d import Geom2d_Line
    from OCP.gp import gp_Ax3, gp_Dir, gp_Dir2d, gp_Pnt, gp_Pnt2d

    surface = Geom_CylindricalSurface(gp_Ax3(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), radius)
    way = -2 * math.pi if left else 2 * math.pi
    line = Geom2d_Line(gp_Pnt2d(0, z), gp_Dir2d(way, pitch))
    edge = BRepBuilderAPI_MakeEdge(line, surface, 0.0, math.hypot(way, pitch) * turns).Edge()
    BRepLib.BuildCurves3d_s(edge, 1e-6)
    return edge


def _threaded(solid: tree.Threaded) -> TopoDS_Shape:
    """Turn by turn ruled between neighbouring helices, true helicoids; ramps to the axis close it, and are trimmed off.

    Cutting a swept ridge with the cylinder it stands on would have to find the curves along which they meet, and often fails.
    """
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
    from OCP.BRepBuilderAPI import (
        BRepBuilderAPI_MakeEdge,
        BRepBuilderAPI_MakeFace,
        BRepBuilderAPI_MakePolygon,
        BRepBuilderAPI_MakeSolid,
        BRepBuilderAPI_Sewing,
    )
    from OCP.BRepFill import BRepFill
    from OCP.gp import gp_Pnt
    from OCP.TopoDS import TopoDS

    first, turns = solid.turns
    levels = [(z + solid.lead * turn + solid.phase, radius) for turn in range(first, first + turns)
              for z, radius in solid.profile[:-1]]
    levels.append((solid.lead * (first + turns) + solid.phase, solid.profile[0][1]))
    rails = [_helical_edge(radius, z, solid.lead, 1.0, solid.left) for z, radius in levels]
    sewing = BRepBuilderAPI_Sewing(1e-5)
    for lower, upper in itertools.pairwise(rails):
        sewing.Add(BRepFill.Face_s(lower, upper))
    for (z0, _), rail in ((levels[0], rails[0]), (levels[-1], rails[-1])):
        sewing.Add(BRepFill.Face_s(BRepBuilderAPI_MakeEdge(gp_Pnt(0, 0, z0), gp_Pnt(0, 0, z0 + solid.lead)).Edge(), rail))
        outer = [gp_Pnt(radius, 0, z0 + z) for z, radius in solid.profile]
        rim = BRepBuilderAPI_MakePolygon()
        for corner in (gp_Pnt(0, 0, z0), *outer, gp_Pnt(0, 0, z0 + solid.lead)):
            rim.Add(corner)
        rim.Close()
        sewing.Add(BRepBuilderAPI_MakeFace(rim.Wire(), True).Face())
    sewing.Perform()
    rod = _outward(BRepBuilderAPI_MakeSolid(TopoDS.Shell(sewing.SewedShape())).Solid())
    return _combine(BRepAlgoAPI_Common(), [rod], [evaluate(tree.Revolve(solid.trimmed_by()))])


def _outward(shape: TopoDS_Shape) -> TopoDS_Shape:
    """Return a closed shape with its inside inside."""
    volume, _ = volume_and_centroid(shape)
    return shape.Reversed() if volume < 0 else shape


def _given(solid: tree.Given) -> TopoDS_Shape:
    if solid.form == "step":
        return read_step(solid.data, solid.label)
    exact = contents.exact_of(solid)
    return read_step(exact.data, exact.label) if exact is not None else _faceted(*tree.triangles_of(solid.data), solid.label)


def read_step(data: bytes, label: str = "") -> TopoDS_Shape:
    """Return the shape of a STEP file, mm; raises SolveError when it holds no solid."""
    import tempfile

    with tempfile.NamedTemporaryFile(suffix=".step") as file:
        file.write(data)
        file.flush()
        return read_step_file(file.name, label)


def read_step_file(path: str, label: str = "") -> TopoDS_Shape:
    """Return the shape of a STEP file by its path, as :func:`read_step`."""
    from OCP.IFSelect import IFSelect_ReturnStatus
    from OCP.Message import Message, Message_PrinterOStream
    from OCP.STEPControl import STEPControl_Reader

    # The reader reports to standard output, which belongs to our own JSON.
    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    reader = STEPControl_Reader()
    done = reader.ReadFile(path)
    if done != IFSelect_ReturnStatus.IFSelect_RetDone or not reader.TransferRoots():
        raise SolveError(f"{label or 'the file'} is no STEP file that can be read", field="body")
    shape = reader.OneShape()
    if volume_and_centroid(shape)[0] <= 0:
        raise SolveError(f"{label or 'the file'} holds no solid", field="body")
    return shape


MOST_FACETS = 20_000
"""Triangles of a given mesh that are made into exact faces; more would take minutes."""


def _faceted(points: Any, faces: Any, label: str) -> TopoDS_Shape:
    """Return triangles as flat faces, those that lie in one plane joined."""
    from OCP.BRepBuilderAPI import (
        BRepBuilderAPI_MakeFace,
        BRepBuilderAPI_MakePolygon,
        BRepBuilderAPI_MakeSolid,
        BRepBuilderAPI_Sewing,
    )
    from OCP.gp import gp_Pnt
    from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
    from OCP.TopAbs import TopAbs_ShapeEnum
    from OCP.TopoDS import TopoDS

    if len(faces) > MOST_FACETS:
        raise SolveError(f"{label or 'the mesh'} has {len(faces)} triangles; up to {MOST_FACETS} are made into exact faces",
                         field="body", value=len(faces), limit=MOST_FACETS)
    sewing = BRepBuilderAPI_Sewing(1e-6)
    for number, corners in enumerate(points[faces]):
        if number % 500 == 0:
            checkpoint()
        polygon = BRepBuilderAPI_MakePolygon(*(gp_Pnt(*map(float, corner)) for corner in corners), True)
        sewing.Add(BRepBuilderAPI_MakeFace(polygon.Wire(), True).Face())
    sewing.Perform()
    sewn = sewing.SewedShape()
    if sewn.ShapeType() != TopAbs_ShapeEnum.TopAbs_SHELL:
        raise SolveError(f"{label or 'the mesh'} is not one closed body", field="body")
    shell = TopoDS.Shell(sewn)
    joined = ShapeUpgrade_UnifySameDomain(_outward(BRepBuilderAPI_MakeSolid(shell).Solid()))
    joined.Build()
    return _outward(joined.Shape())


def triangles(shape: TopoDS_Shape, tolerance: float) -> tuple[Any, Any]:
    """Return vertices (n, 3) mm and triangles (m, 3) of a shape, its curved faces within ``tolerance`` mm."""
    import numpy as np
    from OCP.BRep import BRep_Tool
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopLoc import TopLoc_Location
    from OCP.TopoDS import TopoDS

    BRepMesh_IncrementalMesh(shape, tolerance, False, 0.3, True)
    points: list[tuple[float, float, float]] = []
    faces: list[tuple[int, int, int]] = []
    walker = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while walker.More():
        face, place = TopoDS.Face(walker.Current()), TopLoc_Location()
        made = BRep_Tool.Triangulation_s(face, place)
        if made is not None:
            start = len(points)
            for i in range(1, made.NbNodes() + 1):
                node = made.Node(i).Transformed(place.Transformation())
                points.append((node.X(), node.Y(), node.Z()))
            back = face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED
            for i in range(1, made.NbTriangles() + 1):
                a, b, c = (start + corner - 1 for corner in made.Triangle(i).Get())
                faces.append((a, c, b) if back else (a, b, c))
        walker.Next()
    # Neighbouring faces have their own copies of the points on the edge between them.
    _, first, index = np.unique(np.round(np.array(points), 7), axis=0, return_index=True, return_inverse=True)
    joined = index.ravel()[np.array(faces)]
    whole = (joined[:, 0] != joined[:, 1]) & (joined[:, 1] != joined[:, 2]) & (joined[:, 2] != joined[:, 0])
    return np.array(points)[first], joined[whole]


def _box(solid: tree.Box) -> TopoDS_Shape:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeBox(gp_Pnt(solid.x0, solid.y0, solid.z0), gp_Pnt(solid.x1, solid.y1, solid.z1)).Shape()


def _cone(solid: tree.Cone) -> TopoDS_Shape:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone, BRepPrimAPI_MakeCylinder

    if math.isclose(solid.bottom, solid.top, rel_tol=1e-12):
        return BRepPrimAPI_MakeCylinder(solid.bottom, solid.height).Shape()
    return BRepPrimAPI_MakeCone(solid.bottom, solid.top, solid.height).Shape()


def _sphere(solid: tree.Sphere) -> TopoDS_Shape:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere

    return BRepPrimAPI_MakeSphere(solid.radius).Shape()


def _transform(shape: TopoDS_Shape, transform: gp_Trsf) -> TopoDS_Shape:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform

    return BRepBuilderAPI_Transform(shape, transform, True).Shape()


def _placed(solid: tree.Placed) -> TopoDS_Shape:
    from OCP.gp import gp_Trsf

    transform = gp_Trsf()
    transform.SetValues(*(float(v) for v in solid.matrix))
    return _transform(evaluate(solid.solid), transform)


def _mirrored(solid: tree.Mirrored) -> TopoDS_Shape:
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf

    normal = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1)}[solid.axis]
    transform = gp_Trsf()
    transform.SetMirror(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(*normal)))
    return _transform(evaluate(solid.solid), transform)


def _combine(operation: Operation, first: list[TopoDS_Shape], second: list[TopoDS_Shape]) -> TopoDS_Shape:
    from OCP.collections import List_TopoDS_Shape

    arguments, tools = List_TopoDS_Shape(), List_TopoDS_Shape()
    for shape in first:
        arguments.Append(shape)
    for shape in second:
        tools.Append(shape)
    operation.SetArguments(arguments)
    operation.SetTools(tools)
    operation.SetRunParallel(True)
    operation.Build()
    return operation.Shape()


def _union(solid: tree.Union) -> TopoDS_Shape:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    shapes = [evaluate(s) for s in solid.solids]
    return _combine(BRepAlgoAPI_Fuse(), shapes[:1], shapes[1:])


def _difference(solid: tree.Difference) -> TopoDS_Shape:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    return _combine(BRepAlgoAPI_Cut(), [evaluate(solid.solid)], [evaluate(s) for s in solid.tools])


def _intersection(solid: tree.Intersection) -> TopoDS_Shape:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

    result = evaluate(solid.solids[0])
    for other in solid.solids[1:]:
        result = _combine(BRepAlgoAPI_Common(), [result], [evaluate(other)])
    return result


_BUILDERS: dict[type[tree.Solid], Callable[[Any], TopoDS_Shape]] = {
    tree.Extrude: _extrude,
    tree.Loft: _loft,
    tree.Revolve: _revolve,
    tree.Helix: _helix,
    tree.Threaded: _threaded,
    tree.Given: _given,
    tree.Box: _box,
    tree.Cone: _cone,
    tree.Sphere: _sphere,
    tree.Placed: _placed,
    tree.Mirrored: _mirrored,
    tree.Union: _union,
    tree.Difference: _difference,
    tree.Intersection: _intersection,
}
