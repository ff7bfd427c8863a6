"""What a nut's pocket looks like: the hole, the slot, the bore, the nut, and the way it goes in."""

from __future__ import annotations

import math
from functools import cached_property

from bouncy_latch.core.course import Asked, Course
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import MESHES, Motion, Pause
from bouncy_latch.core.mechanisms.nuts.plan import CORNER, EASED, PRESS, REACH, SLOT, Plan
from bouncy_latch.core.mechanisms.nuts.sizes import PRESSED, PULLED, SLID, TEARDROP
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import BOUGHT, Body, Feature
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline, polygon

LEAD_IN, FOOT = 0.4, 0.4
"""Bevels of a pressed pocket's mouth and of a bore that meets the bed, mm."""
RIDGE, PAST = 0.4, 0.1
"""Width of the top of the bump a nut slides over, and how far from the nut it begins, mm."""
SOLID, SOLID_ROUND = 3, 1.0
"""Solid layers under a nut, and how far they reach beyond it, mm (common practice, no source)."""
GIVES = 0.05
"""How far surfaces may reach into each other beside what the bump takes, as a nut slides in, mm."""
LAPS, TIP = 0.2, 0.2
"""How far a roof's room reaches into the pocket, and how blunt its peak is, mm."""
ROOFED = 0.6
"""Of the roof that a bore through it keeps closed, mm."""


def hexagonal(across: float, sides: int = 6) -> Outline:
    """Return a hexagon or square ``across`` its flats, a flat towards −y, mm."""
    radius = across / 2 / math.cos(math.pi / sides)
    begin = -math.pi / 2 + math.pi / sides
    return polygon([(radius * math.cos(begin + 2 * math.pi * i / sides), radius * math.sin(begin + 2 * math.pi * i / sides))
                    for i in range(sides)])


def octagon(radius: float) -> Outline:
    """Return an octagon round a circle, a flat towards +y: no face of it overhangs by more than 45° where its axis lies."""
    corner = radius / math.cos(math.pi / 8)
    return polygon([(corner * math.cos(math.pi / 8 + math.pi / 4 * i), corner * math.sin(math.pi / 8 + math.pi / 4 * i))
                    for i in range(8)])


def teardrop(radius: float, count: int = 48) -> Outline:
    """Return a circle with a peak of two slopes of 45° towards +y."""
    angles = [math.pi / 4 - math.pi * 1.5 * i / count for i in range(count + 1)]
    return polygon([(0.0, radius * math.sqrt(2)), *((radius * math.cos(a), radius * math.sin(a)) for a in angles)][::-1])


@frozen
class Drawn:
    """A pocket drawn from its plan, about its axis: the nut bears at z = 0 and goes up from there; y is up where it lies."""

    plan: Plan

    @property
    def _sides(self) -> int:
        return 4 if self.plan.square else 6

    @cached_property
    def out(self) -> float:
        """How far the block reaches from the axis, mm: the bump has room in it."""
        slid = self.plan.p.style == SLID and not self.plan.lies
        wall = max(self.plan.p.wall, self.ridge + 2 * PAST if slid else 0.0)
        return self.plan.corner + (REACH if self.plan.relieved else 0.0) + wall

    @cached_property
    def under(self) -> float:
        """How far the block reaches below a lying axis, mm: the nut stands on a flat there, and a flat is bridged over it."""
        return self.plan.axis

    @cached_property
    def over(self) -> float:
        """How far the block reaches above a lying axis, mm."""
        p = self.plan.p
        if self.plan.sealed:
            return self.plan.paused - self.plan.axis + self.plan.peak + p.roof
        return self.plan.drawn / 2 + (max(p.wall, self.ridge + 2 * PAST) if p.style == SLID else p.wall)

    @cached_property
    def top(self) -> float:
        """Where the block ends along the axis: at the pocket's mouth, or over its roof, mm."""
        p, room = self.plan.p, self.plan.room
        if self.plan.lies:
            return room + (p.wall if self.plan.sealed or p.style == SLID else 0.0)
        return room + (self.plan.peak + p.roof if self.plan.roofed else 0.0)

    @cached_property
    def laid(self) -> tree.Matrix:
        """From these coordinates to the print pose."""
        if self.plan.lies:
            # z along −y, y up: the nut bears on the far wall.
            return (1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, self.under)
        return (1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, self.plan.p.floor)

    def block(self) -> tree.Solid:
        """The block before the pocket."""
        p = self.plan.p
        if self.plan.lies:
            return tree.Box(-self.out, -self.under, -p.floor, self.out, self.over, self.top)
        return blocks.block(-self.out, -self.out, self.out, self.out, p.floor + self.top).move(z=-p.floor)

    def pocket(self) -> tree.Solid:
        """What the nut's room takes away."""
        plan, p = self.plan, self.plan.p
        hole = hexagonal(plan.drawn, self._sides)
        if plan.lies and (plan.sealed or p.style == SLID):
            # Straight up from where it is widest, at its full width.
            high = plan.paused - plan.axis if plan.sealed else self.over + 1
            half = plan.drawn / 2 if plan.square else plan.corner
            low = plan.drawn / 2
            foot = low * math.tan(math.pi / 6) if not plan.square else low
            slot: tree.Solid = tree.Extrude(polygon([(-foot, -low), (foot, -low), *([(half, 0)] if not plan.square else []),
                                                     (half, high), (-half, high), *([(-half, 0)] if not plan.square else [])]),
                                            plan.room)
            if plan.peak:
                slot = slot + tree.Extrude(polygon([(0, high - LAPS), (plan.room, high - LAPS), (plan.room, high),
                                                    (plan.room / 2, high + plan.peak), (0, high)]), 2 * half).placed(
                    (0, 0, 1, -half, 0, 1, 0, 0, -1, 0, 0, plan.room))
            return slot - self._bump(plan.drawn / 2 + PAST, half) if p.style == SLID and p.bump > 0 else slot
        if p.style == SLID:
            half = plan.drawn / 2
            slot = tree.union([tree.Extrude(hole, plan.room), tree.Box(0, -half, 0, self.out + 1, half, plan.room)])
            if plan.peak:
                ridge = tree.Extrude(polygon([(-half, plan.room - LAPS), (half, plan.room - LAPS), (half, plan.room),
                                              (0, plan.room + plan.peak), (-half, plan.room)]), self.out + 1).placed(
                    (0, 0, 1, 0, 1, 0, 0, 0, 0, 1, 0, 0))
                slot = tree.union([slot, self._spire(hole), ridge])
            return slot - self._bump(plan.corner + PAST, half) if p.bump > 0 else slot
        if plan.sealed:
            room = tree.Extrude(hole, plan.room)
            return tree.union([room, self._spire(hole)]) if plan.peak else room
        mouth: list[tree.Solid] = [tree.Extrude(hole, plan.room + 1), *self._reliefs()]
        top = plan.drawn
        if plan.stepped:
            top += 2 * EASED
            eased = hexagonal(top, self._sides)
            mouth.append(tree.Loft(((hole, plan.band), (eased, plan.band + EASED), (eased, plan.room + 1))))
        if p.style in {PRESSED, PULLED}:
            wide = hexagonal(top + 2 * LEAD_IN + 2, self._sides)
            flare: tree.Solid = tree.Loft(((hexagonal(top, self._sides), plan.room - LEAD_IN), (wide, plan.room + 1)))
            if plan.lies:
                # Over the nut it would hang, and the bridge over it would begin wider: there the flats go straight out.
                flare = flare - tree.Box(-plan.drawn, 0, 0, plan.drawn, 2 * plan.drawn, plan.room + 2)
            mouth.append(flare)
        return tree.union(mouth)

    def _reliefs(self) -> list[tree.Solid]:
        """Round reliefs at the pocket's corners, which a nozzle would round."""
        if not self.plan.relieved:
            return []
        out = self.plan.corner + REACH - CORNER
        turns = [math.pi / 2 + math.pi / self._sides + 2 * math.pi * i / self._sides for i in range(self._sides)]
        return [tree.cylinder(CORNER, self.plan.room + 1).move(out * math.cos(turn), out * math.sin(turn)) for turn in turns]

    def _spire(self, hole: Outline) -> tree.Solid:
        """Slopes of 45° over the flats of a nut that stands in its hole."""
        plan = self.plan
        tip = hexagonal(2 * TIP, self._sides)
        return tree.Loft(((hole, plan.room - LAPS), (hole, plan.room), (tip, plan.room + plan.peak - TIP)))

    def _bump(self, at: float, half: float) -> tree.Solid:
        """The ridge on the bearing face that keeps a nut which was slid in, from ``at`` along its way; its sides are 45°."""
        high, wide = self.plan.p.bump, self.ridge
        outline = polygon([(at, -1), (at + wide, -1), (at + wide, 0), (at + wide - high, high), (at + high, high), (at, 0)])
        ridge = tree.Extrude(outline, 2 * half + 2)
        if self.plan.lies:
            return ridge.placed((0, 0, 1, -half - 1, 1, 0, 0, 0, 0, 1, 0, 0))
        return ridge.placed((1, 0, 0, 0, 0, 0, -1, half + 1, 0, 1, 0, 0))

    @property
    def ridge(self) -> float:
        """Width of the bump along the nut's way, mm."""
        return 2 * self.plan.p.bump + RIDGE

    def bore(self) -> tree.Solid:
        """The screw's hole: through what is under the nut, and on where nothing is closed over it."""
        plan, p, r = self.plan, self.plan.p, self.plan.hole / 2
        end = self.top + 1 if plan.lies or not plan.roofed else self.top - ROOFED
        if p.style == SLID and not plan.lies:
            # A bridge closes over the slot only where nothing goes through it.
            end = plan.room - PAST
        if plan.peak and not plan.lies:
            # Into the room under the slopes, as far as they are wider.
            end = plan.room + plan.peak - r
        if plan.lies:
            outline = teardrop(r) if p.bore == TEARDROP else octagon(r)
            return tree.Extrude(outline, p.floor + 1 + end).move(z=-p.floor - 1)
        hole = tree.cylinder(r, p.floor + 1 + end).move(z=-p.floor - 1)
        foot = tree.Cone(r + FOOT + 1, r, FOOT + 1).move(z=-p.floor - 1)
        return tree.union([hole, foot])

    def bodies(self) -> tuple[Body, ...]:
        """The block, and the nut where it ends up; a nut tighter than its pocket is drawn as it sits there."""
        plan, nut = self.plan, self.plan.nut
        across = min(plan.usual, plan.drawn - 0.01)
        base = tree.Extrude(hexagonal(across, self._sides), nut.height_max) \
            - tree.cylinder(nut.diameter / 2, nut.height_max + 2).move(z=-1)
        return Body("A", "block", self.block(), self.laid), Body("N", "nut", base, self.laid, BOUGHT)

    def features(self) -> tuple[Feature, ...]:
        """The pocket with its bore."""
        return (Feature("pocket", "A", cut=tree.union([self.pocket(), self.bore()])),)

    def solid_under(self) -> tree.Solid:
        """What should be printed solid: some layers under the nut only, in print pose."""
        thick = min(self.plan.p.floor, SOLID * self.plan.process.layer_height)
        around = hexagonal(self.plan.drawn + 2 * SOLID_ROUND, self._sides)
        return tree.Extrude(around, thick).move(z=-thick).placed(self.laid)

    # -- the way in ----------------------------------------------------------------------------------------------------

    def pauses(self) -> tuple[Pause, ...]:
        """Where the print stops for the nut."""
        plan = self.plan
        if not plan.sealed:
            return ()
        stands = plan.axis + plan.nut.flats_max / 2 if plan.lies else plan.p.floor + plan.nut.height_max
        below = plan.paused - stands
        note = (f"Drop it in, flat on the floor of its pocket: it must lie {below:.2f} below the layer or more, or the nozzle "
                "hits it. The nozzle is hot and the axes may move; motors and bed may time out.")
        return (Pause(plan.paused, f"{plan.nut.size} nut", note, plan.paused, stands),)

    def motion(self) -> Motion:
        """The nut goes in."""
        plan, p = self.plan, self.plan.p
        upward = plan.lies and (plan.sealed or p.style == SLID)
        way = (0.0, 1.0, 0.0) if upward else (1.0, 0.0, 0.0) if p.style == SLID else (0.0, 0.0, 1.0)
        long = plan.room if way[2] else self.out if way[0] else plan.corner + self.over
        if plan.sealed:
            # Over it the roof is closed: it has the way that is left to it.
            long = plan.paused - (plan.axis + plan.nut.flats_max / 2 if plan.lies else p.floor + plan.nut.height_max)
        matrix = self.laid
        x, y, z = (sum(matrix[4 * row + column] * way[column] for column in range(3)) for row in range(3))

        slid = p.style == SLID

        def pose(value: float) -> dict[str, tree.Matrix]:
            out = long - value
            # A nut that slides in is lifted over the bump by the play it has.
            up = SLOT * min(1.0, out) if slid else 0.0
            dx, dy, dz = (out * way + up * matrix[at] for way, at in ((x, 2), (y, 6), (z, 10)))
            return {"N": (1, 0, 0, dx, 0, 1, 0, dy, 0, 0, 1, dz)}

        course = None
        if p.style in {PRESSED, PULLED}:
            course = Course("push along the way", "N", (0.0, long), {"push": (0.0, plan.push)}, f"{plan.push:.0f} N at the end",
                            asked=(Asked(f"a hand {PRESS:g}", PRESS),))
        return Motion("Rattle" if plan.sealed else "Put in", "mm", 0.0, long, None, long, pose, MESHES,
                      (("A", "N"),), mend=("allowance",), slack=2.0, freely="Nut goes in freely",
                      gives=max(p.bump - SLOT, 0.0) + GIVES if slid else 0.0, show=0.45 * long, course=course)
