"""What a printed thread looks like: heads, necks, caps and knobs, and the two threads on and in them."""

from __future__ import annotations

import math
from functools import cached_property

from bouncy_latch.core.freedom import SCREW, Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.contract import MESHES, Motion
from bouncy_latch.core.mechanisms.threads.plan import EASE, EDGE, LEAD_IN, ROOF, STOP, Plan
from bouncy_latch.core.mechanisms.threads.sizes import BOLT, CAP, FLANGE, HEXAGON, HOLE, KNOB, KNURLED, LEFT, LOBED, SOCKET
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import Body, Feature
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import Outline, polygon, rounded

BESIDE = 5.0
"""Between the two parts on the bed, mm."""
LOBES, WAVE = 6, 0.12
"""Lobes of a knob, and how far its rim waves over its radius."""


def hexagon(radius: float) -> Outline:
    """Return a hexagon with eased corners; ``radius`` of the circle its flats touch, mm."""
    corner = radius / math.cos(math.pi / 6)
    points = [(corner * math.cos(a), corner * math.sin(a)) for a in (math.pi / 3 * i + math.pi / 6 for i in range(6))]
    return rounded(points, min(EDGE, 0.3 * radius))


def waved(radius: float, waves: int, depth: float) -> Outline:
    """Return a rim that goes in and out ``waves`` times by ``depth`` mm from ``radius``; the fewer, the rounder."""
    count = waves * max(4, 48 // waves)
    return polygon([((radius - depth * (0.5 - 0.5 * math.cos(waves * a))) * math.cos(a),
                     (radius - depth * (0.5 - 0.5 * math.cos(waves * a))) * math.sin(a))
                    for a in (2 * math.pi * i / count for i in range(count))])


def grip(style: str, radius: float, smaller: float = 0.0) -> Outline:
    """Return the outline of what fingers or a wrench turn, ``smaller`` by that much all round, mm."""
    if style == KNURLED:
        return waved(radius - smaller, min(max(10, round(0.6 * radius)), 24), min(0.8, 0.08 * radius))
    if style == LOBED:
        return waved(radius - smaller, LOBES, WAVE * radius)
    return hexagon(radius - smaller)


def prism(style: str, radius: float, height: float) -> tree.Solid:
    """Return a grip that stands on the bed, its edges there bevelled."""
    low = grip(style, radius, EASE)
    return tree.Loft(((low, 0.0), (grip(style, radius), EASE), (grip(style, radius), height)))


@frozen
class Drawn:
    """A thread drawn from its plan."""

    plan: Plan

    @property
    def _left(self) -> bool:
        return self.plan.p.hand == LEFT

    def _rod(self, moved_in: float, low: float, high: float, ends: tuple[float, float] = (0.0, 0.0)) -> tree.Solid:
        """What is inside a thread from z ``low`` to ``high``, its first ridge's middle at z = 0 in the half plane x > 0."""
        form = self.plan.form
        phase = (-form.middle_at(moved_in) - low) % form.lead
        return tree.threaded(form.profile(moved_in), high - low, phase, self._left, ends).move(z=low)

    @cached_property
    def begins(self) -> float:
        """Where the outer thread begins, mm above the bed."""
        return self.plan.head

    @cached_property
    def top(self) -> float:
        """Where it ends."""
        return self.begins + self.plan.p.length

    def outer_thread(self) -> tree.Solid:
        """The outer thread, rooted in its head, its tip bevelled."""
        plan = self.plan
        rooted = self.begins - min(1.0, plan.head / 2)
        return self._rod(plan.p.offset, rooted, self.top, (0.0, plan.outer[0] - LEAD_IN))

    def outer_base(self) -> tree.Solid:
        """What the outer thread stands on."""
        plan, p = self.plan, self.plan.p
        if p.product == CAP:
            out = plan.around + 3.0
            return blocks.tube(0.0, out, plan.head, ease=(EASE, 0.0))
        style = p.head
        if style == SOCKET:
            radius = 0.8 * plan.form.diameter
            head = blocks.tube(0.0, radius, plan.head, ease=(EASE, 0.0))
            key = tree.Extrude(hexagon(plan.drawn_key / 2), 0.6 * plan.head + 1)
            return head - key.move(z=-1)
        if style == FLANGE:
            disc = blocks.tube(0.0, 0.65 * plan.drawn_flats + 1, 0.25 * plan.head).move(z=0.75 * plan.head)
            cone = tree.Cone(plan.drawn_flats / 2, 0.65 * plan.drawn_flats + 1, 0.25 * plan.head).move(z=0.5 * plan.head)
            return tree.union([prism(HEXAGON, plan.drawn_flats / 2, plan.head), cone, disc])
        radius = plan.drawn_flats / 2 if style == HEXAGON else max(plan.drawn_flats / 2, 0.9 * plan.form.diameter)
        return prism(style, radius, plan.head)

    @cached_property
    def seat(self) -> tuple[float, float]:
        """From where to where the inner part reaches when tight, mm above the bed of the outer one."""
        plan = self.plan
        if plan.closed:
            # It is tight on the top of what it is screwed on.
            return self.top + STOP - plan.engaged, self.top + STOP + ROOF
        return self.begins + STOP, self.begins + STOP + plan.engaged

    def inner_base(self) -> tree.Solid:
        """What the inner thread is in, where it is when tight."""
        plan, (low, high) = self.plan, self.seat
        style = {BOLT: HEXAGON, CAP: KNURLED, KNOB: LOBED, HOLE: ""}[plan.p.product]
        if plan.p.product == HOLE:
            half = plan.around
            body: tree.Solid = blocks.block(-half, -half, half, half, high - low)
        elif plan.closed:
            # Printed on its roof: the bevel is up here.
            body = prism(style, plan.around + 1.0, high - low).placed((1, 0, 0, 0, 0, -1, 0, 0, 0, 0, -1, high - low))
        else:
            body = prism(style, plan.around, high - low)
        return body.move(z=low)

    def inner_thread(self) -> tree.Solid:
        """What the inner thread takes away: its rod, and bevels at its mouths."""
        plan, (low, high) = self.plan, self.seat
        roof = self.top + STOP if plan.closed else high + 1
        wide = plan.inner[1] + LEAD_IN
        deep = wide + 1 - plan.inner[0]
        tools = [self._rod(-plan.gap, low - 1, roof), tree.Cone(wide + 1, plan.inner[0], deep).move(z=low - 1)]
        if not plan.closed:
            tools.append(tree.Cone(plan.inner[0], wide + 1, deep).move(z=high + 1 - deep))
        return tree.union(tools)

    @cached_property
    def printed_at(self) -> tree.Matrix:
        """Where the inner part is printed."""
        plan, (low, high) = self.plan, self.seat
        aside = self.reach[0] + BESIDE + self.reach[1]
        if plan.closed:
            return (1, 0, 0, aside, 0, -1, 0, 0, 0, 0, -1, high)
        return (1, 0, 0, aside, 0, 1, 0, 0, 0, 0, 1, -low)

    @cached_property
    def reach(self) -> tuple[float, float]:
        """How far the two parts reach from their axes along x, mm."""
        plan, p = self.plan, self.plan.p
        hexed = plan.drawn_flats / math.sqrt(3)
        heads = {HEXAGON: hexed, FLANGE: 0.65 * plan.drawn_flats + 1, SOCKET: 0.8 * plan.form.diameter}
        round_head = max(plan.drawn_flats / 2, 0.9 * plan.form.diameter)
        first = plan.around + 3.0 if p.product == CAP else heads.get(p.head, round_head)
        second = plan.around / math.cos(math.pi / 6) if p.product == BOLT else plan.around + 1.0
        return max(first, plan.outer[1]), second

    def bodies(self) -> tuple[Body, ...]:
        """The two parts before their threads."""
        names = {BOLT: ("bolt", "nut"), CAP: ("neck", "cap"), HOLE: ("bolt", "block"), KNOB: ("bolt", "knob")}
        first, second = names[self.plan.p.product]
        return Body("A", first, self.outer_base()), Body("B", second, self.inner_base(), self.printed_at)

    def features(self) -> tuple[Feature, ...]:
        """The two threads."""
        plan = self.plan
        bore = tree.cylinder(plan.bore, self.top + 2).move(z=-1) if plan.bore > 0 else None
        return (Feature("outer", "A", add=self.outer_thread(), cut=bore), Feature("inner", "B", cut=self.inner_thread()))

    def motion(self) -> Motion:
        """It is screwed on until it is tight."""
        plan = self.plan
        pitch = -plan.form.lead if self._left else plan.form.lead
        screw = Freedom(SCREW, pitch=pitch)
        high = plan.turned
        back = tree.invert(self.printed_at)

        def pose(value: float) -> dict[str, tree.Matrix]:
            # Seen from above a right-handed one goes down as it turns clockwise.
            left = math.radians(high - value) * (-1 if self._left else 1)
            return {"B": tree.compose(screw.matrix(left), back)}

        # A screw is the same all round: what meets a quarter of one meets the others a little sooner or later.
        low, top = self.seat
        quarter = tree.Box(0.0, 0.0, low - 1, 2 * self.reach[1], 2 * self.reach[1], top + 1).placed(self.printed_at)
        return Motion("Screw on", "°", 0.0, high, None, high, pose, MESHES, (("A", "B"),), mend=("offset", "gap"),
                      freely="Thread runs on freely",
                      course=plan.course(), alike={"B": quarter})
