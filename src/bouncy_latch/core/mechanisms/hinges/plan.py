"""Every dimension of one knuckle hinge, worked out once; shape, checks and figures all read it.

Coordinates: the axis runs along x, the fold plane is y = 0, the bed z = 0; leaf A lies at y < 0, leaf B at y > 0, and
swinging by 180° turns B over onto A. Symbols in formulas: f fold gap, e closing gap, H rim height, R barrel radius,
c clearance between knuckles (mm per side, normal), g growth (mm per side), h layer height.
"""

from __future__ import annotations

import math
from functools import cached_property

from bouncy_latch.core.features.knuckle import KnuckleShape
from bouncy_latch.core.features.pivots import Pivot
from bouncy_latch.core.freedom import TURN, Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import CURED, HAND_ARM, HAND_FORCE, TOOL_FACTOR, Cure, Freeing, Strength, cure
from bouncy_latch.core.layers.facing import Facing, bed_faces, together
from bouncy_latch.core.layers.joint import Joint, Place, Play
from bouncy_latch.core.mechanisms.hinges.sizes import KnuckleHingeParams
from bouncy_latch.core.parts.box import BOX, box
from bouncy_latch.core.parts.hinged import Hinged, Wants
from bouncy_latch.core.parts.leaves import LEAVES, leaves
from bouncy_latch.core.process.profile import Process

BENDING_STRENGTH = 40.0
"""Of a printed wall in the layer plane, MPa (typical of PLA and PETG, from memory)."""
END_MARGIN = 1.5
"""Plain edge left at both ends of the hinge, mm."""
LABEL = "the fold"


@frozen
class Plan:
    """Every dimension of one hinge, worked out once; the shape, the checks and the figures all read it."""

    p: KnuckleHingeParams
    process: Process

    @cached_property
    def radius(self) -> float:
        """Of the barrel, mm."""
        return self.p.barrel / 2 if self.p.barrel else self.p.wall + self.p.fold_gap / 2

    @cached_property
    def carrier(self) -> float:
        """Thickness of what carries a knuckle, mm."""
        return self.p.wall if self.p.host == BOX else min(self.p.leaf_width, 1.5 * self.radius)

    @cached_property
    def beyond(self) -> float:
        """Travel beyond flat, rad."""
        return math.radians(max(0.0, self.p.travel - 180))

    @cached_property
    def slope(self) -> float:
        """Underside of the web, from vertical, rad."""
        return math.radians(self.p.web_slope)

    @cached_property
    def leaf_thickness(self) -> float:
        """Of plates: as the user has it, or so that web and barrel clear the bed by two layers."""
        if self.p.leaf_thickness:
            return self.p.leaf_thickness
        h = self.process.layer_height
        web = self.radius / math.sin(self.slope) + self.p.fold_gap / 2 / math.tan(self.slope)
        return h * math.ceil((web - self.p.closing_gap / 2 + 2 * h) / h)

    @cached_property
    def hosts(self) -> Hinged:
        """The bodies it joins."""
        p = self.p
        wants = Wants(p.fold_gap, p.closing_gap, p.wall, p.bed_chamfer, self.process.layer_height, self.leaf_thickness,
                      self.radius + 1.5)
        if p.host == BOX:
            return box(p, wants)
        return leaves(p, wants, 2 if p.host == LEAVES else p.links)

    @cached_property
    def axis_height(self) -> float:
        """Above the bed, mm."""
        return (sum(self.hosts.rims) + self.p.closing_gap) / 2

    @cached_property
    def knuckle_length(self) -> float:
        """Along the axis, mm."""
        if self.p.knuckle_length:
            return self.p.knuckle_length
        n = self.p.knuckles
        room = (2 * self.hosts.half - 2 * END_MARGIN - (n - 1) * self.p.gap) / n
        return min(6.0, math.floor(room * 10) / 10)

    @cached_property
    def hinge_length(self) -> float:
        """Of all knuckles with their gaps, mm."""
        return self.p.knuckles * self.knuckle_length + (self.p.knuckles - 1) * self.p.gap

    @cached_property
    def pivot(self) -> Pivot:
        """What carries each knuckle in its neighbour."""
        slope = math.radians(self.p.pivot_slope)
        if self.p.pivot_radius:
            radius = self.p.pivot_radius
        else:
            # A ring two lines thick stays round the pocket's mouth, and two lines behind its bottom.
            line = 2 * self.process.line_width
            radius = self.radius - line - self.p.gap * (1 / math.sin(slope) - 1 / math.tan(slope))
            if self.p.pivot != "ball":
                room = self.knuckle_length - self.p.gap - line
                radius = min(radius, 2.5, room / math.tan(slope))
            radius = max(0.5, math.floor(radius * 20) / 20)
        return Pivot(self.p.pivot, radius, slope, self.p.gap)

    @cached_property
    def shape(self) -> KnuckleShape:
        """A knuckle seen along the axis."""
        bevel = self.beyond / 2 if self.hosts.leans else 0.0
        return KnuckleShape(self.radius, self.p.fold_gap, self.carrier, self.axis_height, self.slope, self.p.gap, bevel)

    def start(self, index: int) -> float:
        """Where knuckle ``index`` begins along x."""
        return -self.hinge_length / 2 + index * (self.knuckle_length + self.p.gap)

    @cached_property
    def freeing(self) -> Freeing:
        """Whether it comes free."""
        return together([(LABEL, self.faces, self.strength)], self.process, self.p.play_limit)

    @cached_property
    def cure(self) -> Cure | None:
        """The bed chamfer that would free it, where first layers are what holds it."""
        if self.freeing.by_hand > 1 - CURED or self.shape.bevel > 0:
            return None
        return cure(self.freeing.by_hand, self.process.first_layer_height, self.process.layer_height,
                    lambda chamfer: Plan(self.p.changed(bed_chamfer=chamfer), self.process).freeing.by_hand)

    @cached_property
    def joints(self) -> tuple[Joint, ...]:
        """The fold, at every place it is repeated."""
        freedom = Freedom(TURN, (0.0, 0.0, self.axis_height), (1.0, 0.0, 0.0))
        places = tuple(Place((fold.first[0], fold.second[0]), (1, 0, 0, 0, 0, 1, 0, fold.y, 0, 0, 1, 0))
                       for fold in self.hosts.folds)
        return (Joint("fold", LABEL, freedom, self.faces, self.strength, places, self.play),)

    # -- figures -----------------------------------------------------------------------------------------------------

    @cached_property
    def pairs(self) -> int:
        """How many knuckle ends face each other."""
        return self.p.knuckles - 1

    @cached_property
    def printed_gap(self) -> float:
        """What growth and ridges leave of the gap to move in, mm."""
        return max(0.0, self.p.gap - 2 * self.process.growth.mean - 2 * self.process.ridge.mean)

    @cached_property
    def play(self) -> Play:
        """Free movement left."""
        axial = self.printed_gap
        radial = axial / math.sin(self.pivot.slope)
        span = (self.pairs - 1) * (self.knuckle_length + self.p.gap)
        tilt = axial / self.radius if span <= 0 else min(axial / self.radius, 2 * radial / span)
        return Play(axial, radial, tilt, radial + tilt * self.hosts.reach)

    @cached_property
    def faces(self) -> tuple[Facing, ...]:
        """The surfaces that face each other at one fold."""
        p, r, n = self.p, self.radius, self.p.knuckles
        ring = math.pi * max(0.0, r**2 - self.pivot.mouth_radius**2)
        found = [Facing("knuckle ends", self.pairs * ring, 0.0, p.gap, 2 * r / 3), *self.pivot.faces(self.pairs)]
        arcs = 6
        # The other wall faces the barrel from where the web leaves it up to the axis.
        for i in range(arcs):
            tilt = (i + 0.5) / arcs * self.slope
            found.append(Facing("barrel in its relief", n * self.knuckle_length * r * self.slope / arcs, tilt, p.gap, r))
        web = max(0.0, (r * math.cos(self.slope) - p.fold_gap / 2) / math.sin(self.slope))
        found.append(Facing("web over the other wall", n * self.knuckle_length * web, self.slope, p.gap,
                            math.hypot(r, web / 2), stays=False))
        plain = max(0.0, 2 * self.hosts.half - self.hinge_length) * min(self.hosts.rims)
        found.append(Facing("walls across the fold", plain, 0.0, p.fold_gap, self.axis_height / 2, stays=False))
        if self.shape.bevel <= 0:
            # Faces that lean back for more travel stand clear of each other on the bed.
            found += bed_faces("first layers of the fold", 2 * self.hosts.half, p.fold_gap, self.axis_height, self.process,
                               (p.bed_chamfer, p.bed_chamfer))
        return tuple(found)

    @cached_property
    def strength(self) -> Strength:
        """What hand, tool and the knuckles' webs give."""
        hand = HAND_FORCE * min(self.hosts.reach, HAND_ARM)
        own = math.ceil(self.p.knuckles / 2) if self.p.knuckles % 2 == 0 else self.p.knuckles // 2
        section = own * self.knuckle_length * min(self.carrier, self.radius) ** 2 / 6
        return Strength(hand=hand, tool=TOOL_FACTOR * hand, part=BENDING_STRENGTH * section,
                        weakest="the knuckles' webs")

    @cached_property
    def travel_limit(self) -> float:
        """Greatest travel before the two walls meet behind the fold, degrees."""
        if self.hosts.leans:
            return 270.0
        return 180 + math.degrees(2 * math.atan(self.p.fold_gap / 2 / self.axis_height))
