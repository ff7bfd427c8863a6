"""What a screw's hole and its boss look like."""

from __future__ import annotations

import math

from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.bosses.plan import Plan
from bouncy_latch.core.mechanisms.bosses.sizes import COUNTERBORE, COUNTERSINK
from bouncy_latch.core.mechanisms.contract import MESHES, Motion
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import BOUGHT, Body, Feature
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import from_corners, polygon

LEAD_IN = 0.4
"""Bevel of the hole's mouth, mm."""


@frozen
class Drawn:
    """A hole drawn from its plan."""

    plan: Plan

    def boss(self) -> tree.Solid | None:
        """The boss with the fillet at its foot."""
        plan, p = self.plan, self.plan.p
        if p.boss <= 0:
            return None
        r, fillet = plan.outer, min(p.fillet, p.boss - 0.05)
        corners = [(0.0, p.plate - 0.01, 0.0), (r + fillet, p.plate - 0.01, 0.0)]
        if fillet > 0:
            # A quarter turn that is hollow outwards.
            corners += [(r + fillet, p.plate, -math.tan(math.pi / 8)), (r, p.plate + fillet, 0.0)]
        corners += [(r, plan.top, 0.0), (0.0, plan.top, 0.0)]
        if fillet <= 0:
            corners[1] = (r, p.plate - 0.01, 0.0)
        return tree.Revolve(from_corners(corners))

    def cut(self) -> tree.Solid:
        """The hole with its mouth and the head's recess: one body of revolution, two where a layer stays between them."""
        plan, p, r = self.plan, self.plan.p, self.plan.hole / 2
        mouth = [(r, plan.top - LEAD_IN), (r + LEAD_IN + 1, plan.top + 1), (0.0, plan.top + 1)]
        if not plan.through:
            floor = plan.top - plan.deep
            return tree.Revolve(polygon([(0.0, floor), (r, floor), *mouth]))
        if plan.headed == COUNTERBORE:
            recess = [(0.0, -1.0), (plan.head, -1.0), (plan.head, plan.sunk)]
            if not plan.bridged:
                return tree.Revolve(polygon([*recess, (r, plan.sunk), *mouth]))
            floor = plan.sunk + plan.process.layer_height
            return tree.union([tree.Revolve(polygon([*recess, (0.0, plan.sunk)])),
                               tree.Revolve(polygon([(0.0, floor), (r, floor), *mouth]))])
        if plan.headed == COUNTERSINK:
            rim = [(0.0, -1.0), (plan.head, -1.0), (plan.head, p.hide), (r, p.hide + plan.head - r)]
            return tree.Revolve(polygon([*rim, *mouth]))
        return tree.Revolve(polygon([(0.0, -1.0), (r + LEAD_IN + 1, -1.0), (r, LEAD_IN), *mouth]))

    def bodies(self) -> tuple[Body, ...]:
        """The plate, and the screw, which is bought, as it sits."""
        plan, row = self.plan, self.plan.row
        plate = blocks.block(-plan.out, -plan.out, plan.out, plan.out, plan.p.plate)
        shaft = min(row.diameter, plan.hole - 0.02) / 2
        if plan.through:
            low = plan.sunk - row.head_height if plan.headed == COUNTERBORE else 0.0 if plan.headed == COUNTERSINK \
                else -row.head_height
            if plan.headed == COUNTERSINK:
                top: tree.Solid = tree.Cone(row.head / 2, shaft, row.head / 2 - shaft).move(z=plan.p.hide)
            else:
                top = tree.cylinder(row.head / 2, row.head_height).move(z=low)
            screw = tree.union([top, tree.cylinder(shaft, plan.top + 4 - low - 0.01).move(z=low + 0.01)])
        else:
            screw = tree.union([tree.cylinder(shaft, plan.deep + 3).move(z=plan.top - plan.deep + 0.5),
                                tree.cylinder(row.head / 2, row.head_height).move(z=plan.top + 3)])
        # A layer that closes the hole is pushed out first: until then the screw's tip stands under it.
        below = plan.top + 4 - plan.sunk + 0.02 if plan.bridged else 0.0
        return Body("A", "plate", plate), Body("S", f"screw {row.size}", screw.move(z=-below), role=BOUGHT)

    def features(self) -> tuple[Feature, ...]:
        """The boss and the hole."""
        return (Feature("boss", "A", add=self.boss(), cut=self.cut()),)

    def motion(self) -> Motion:
        """The screw goes in, from below or from above."""
        plan = self.plan
        long, way = (plan.top + 4, -1.0) if plan.through else (plan.deep, 1.0)

        def pose(value: float) -> dict[str, tree.Matrix]:
            return {"S": (1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, way * (long - value))}

        return Motion("Drive in", "mm", 0.0, long, None, long, pose, MESHES, (("A", "S"),), mend=("allowance",),
                      freely="Screw goes in freely",
                      slack=50.0)
