"""The exact evaluator: a solid tree as a boundary representation with true cylinders, cones and arcs (OCP).

Imported only on export; its libraries are loaded on the first call.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

from bouncy_latch.core.progress import checkpoint
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline


@lru_cache(maxsize=256)
def evaluate(solid: tree.Solid) -> Any:
    """Return the OCP shape of a solid tree, mm; raises Cancelled when the work under way should stop."""
    checkpoint()
    return _BUILDERS[type(solid)](solid)


def standing(solid: tree.Solid) -> Any:
    """Return the shape of a body; bodies that are the same but for where they stand are worked out once."""
    inner, shift = tree.anchored(solid)
    return evaluate(inner.move(*shift))


def volume_and_centroid(shape: Any) -> tuple[float, tuple[float, float, float]]:
    """Return the volume (mm³) and centroid (mm) of a shape."""
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, properties)
    centre = properties.CentreOfMass()
    return properties.Mass(), (centre.X(), centre.Y(), centre.Z())


def is_valid(shape: Any) -> bool:
    """Whether the kernel's own validity check passes."""
    from OCP.BRepCheck import BRepCheck_Analyzer

    return bool(BRepCheck_Analyzer(shape).IsValid())


def _wire(outline: Outline, z: float = 0.0, flat_xz: bool = False) -> Any:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeWire
    from OCP.GC import GC_MakeArcOfCircle
    from OCP.gp import gp_Pnt

    def point(x: float, y: float) -> Any:
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


def _face(outline: Outline, flat_xz: bool = False) -> Any:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace

    return BRepBuilderAPI_MakeFace(_wire(outline, flat_xz=flat_xz), True).Face()


def _extrude(solid: tree.Extrude) -> Any:
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


def _through(wires: list[Any]) -> Any:
    from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections

    maker = BRepOffsetAPI_ThruSections(True, True)
    maker.CheckCompatibility(False)
    for wire in wires:
        maker.AddWire(wire)
    maker.Build()
    return maker.Shape()


def _loft(solid: tree.Loft) -> Any:
    return _through([_wire(outline, z) for outline, z in solid.sections])


def _revolve(solid: tree.Revolve) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
    from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt

    axis = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
    return BRepPrimAPI_MakeRevol(_face(solid.outline, flat_xz=True), axis, solid.angle).Shape()


def _box(solid: tree.Box) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeBox(gp_Pnt(solid.x0, solid.y0, solid.z0), gp_Pnt(solid.x1, solid.y1, solid.z1)).Shape()


def _cone(solid: tree.Cone) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCone, BRepPrimAPI_MakeCylinder

    if math.isclose(solid.bottom, solid.top, rel_tol=1e-12):
        return BRepPrimAPI_MakeCylinder(solid.bottom, solid.height).Shape()
    return BRepPrimAPI_MakeCone(solid.bottom, solid.top, solid.height).Shape()


def _sphere(solid: tree.Sphere) -> Any:
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere

    return BRepPrimAPI_MakeSphere(solid.radius).Shape()


def _transform(shape: Any, transform: Any) -> Any:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform

    return BRepBuilderAPI_Transform(shape, transform, True).Shape()


def _placed(solid: tree.Placed) -> Any:
    from OCP.gp import gp_Trsf

    transform = gp_Trsf()
    transform.SetValues(*(float(v) for v in solid.matrix))
    return _transform(evaluate(solid.solid), transform)


def _mirrored(solid: tree.Mirrored) -> Any:
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf

    normal = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1)}[solid.axis]
    transform = gp_Trsf()
    transform.SetMirror(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(*normal)))
    return _transform(evaluate(solid.solid), transform)


def _combine(operation: Any, first: list[Any], second: list[Any]) -> Any:
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


def _union(solid: tree.Union) -> Any:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    shapes = [evaluate(s) for s in solid.solids]
    return _combine(BRepAlgoAPI_Fuse(), shapes[:1], shapes[1:])


def _difference(solid: tree.Difference) -> Any:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    return _combine(BRepAlgoAPI_Cut(), [evaluate(solid.solid)], [evaluate(s) for s in solid.tools])


def _intersection(solid: tree.Intersection) -> Any:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

    result = evaluate(solid.solids[0])
    for other in solid.solids[1:]:
        result = _combine(BRepAlgoAPI_Common(), [result], [evaluate(other)])
    return result


_BUILDERS: dict[type[tree.Solid], Any] = {
    tree.Extrude: _extrude,
    tree.Loft: _loft,
    tree.Revolve: _revolve,
    tree.Box: _box,
    tree.Cone: _cone,
    tree.Sphere: _sphere,
    tree.Placed: _placed,
    tree.Mirrored: _mirrored,
    tree.Union: _union,
    tree.Difference: _difference,
    tree.Intersection: _intersection,
}
