"""Print-in-place hinge: knuckles that alternate between two leaves, turning on cones or balls, printed in one go.

Coordinates: the axis runs along x, the fold plane is y = 0, the bed z = 0; leaf A lies at y < 0, leaf B at y > 0, and
swinging by 180° turns B over onto A. Symbols in formulas: f fold gap, e closing gap, H rim height, R barrel radius,
c clearance between knuckles (mm per side, normal), g growth (mm per side), h layer height.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from pydantic import field_validator

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.features.knuckle import KnuckleShape
from bouncy_latch.core.features.pivots import Pivot
from bouncy_latch.core.hosts import fold, outlines
from bouncy_latch.core.layers.breakaway import HAND_ARM, HAND_FORCE, TOOL_FACTOR, Freeing, Strength
from bouncy_latch.core.layers.facing import Facing, freeing, worst_contact_gap
from bouncy_latch.core.mechanisms.contract import (
    Aim,
    Callout,
    Derived,
    Host,
    HostOps,
    Kind,
    LadderPiece,
    Motion,
    Play,
    Question,
    Ruler,
    SectionView,
    Solution,
)
from bouncy_latch.core.mechanisms.fields import Params, choice, number
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

HOSTS = ("leaves", "box", "chain")
_BOX, _FLAT = ("box",), ("leaves", "chain")
BENDING_STRENGTH = 40.0
"""Of a printed wall in the layer plane, MPa (typical of PLA and PETG, from memory)."""
END_MARGIN = 1.5
"""Plain edge left at both ends of the hinge, mm."""


class KnuckleHingeParams(Params):
    """Sizes of a knuckle hinge and its hosts."""

    host: str = choice("leaves", HOSTS, label="host", role="chosen", help="What the hinge is built into.")
    outline: str = choice("rounded-rectangle", outlines.NAMED, open_choice=True, inline=outlines.INLINE, label="outline",
                          role="given", hosts=_BOX,
                          help="Plan of the box: a named shape, or an SVG or DXF file with a straight edge.")
    width: float = number(70, label="width", unit="mm", role="given", low=15, high=400, step=1, hosts=_BOX,
                          help="Outer size along the hinge.", source="you")
    depth: float = number(46, label="depth", unit="mm", role="given", low=12, high=400, step=1, hosts=_BOX,
                          help="Outer size across the hinge.", source="you")
    base_height: float = number(18, label="base height", unit="mm", role="given", low=4, high=200, step=0.2,
                                hosts=_BOX, help="Height of the base's rim above the bed.", source="you")
    lid_height: float = number(18, label="lid height", unit="mm", role="given", low=4, high=200, step=0.2,
                               hosts=_BOX, help="Height of the lid's rim above the bed as printed.", source="you")
    wall: float = number(2.4, label="wall", unit="mm", role="given", low=0.4, high=10, step=0.1,
                         help="Thickness of the walls that carry the hinge.", source="you")
    length: float = number(40, label="hinge edge", unit="mm", role="given", low=10, high=400, step=1, hosts=_FLAT,
                           help="Length of the leaf along the axis.", source="you")
    leaf_width: float = number(15, label="leaf width", unit="mm", role="given", low=5, high=200, step=0.5,
                               hosts=_FLAT, help="Size of a leaf or link across the axis.", source="you")
    links: int = number(4, label="links", unit="", role="given", low=2, high=20, step=1, whole=True, hosts=("chain",),
                        help="Bodies in the chain.", source="you")
    gap: float = number(0.3, label="gap", unit="mm", role="chosen", low=0.05, high=1.0, step=0.01,
                        help="Clearance between the knuckles, per side and normal to the surfaces.")
    fold_gap: float = number(0.5, label="fold gap", unit="mm", role="chosen", low=0.1, high=20, step=0.05,
                             help="Distance between the two bodies on the bed.")
    closing_gap: float = number(0.5, label="closing gap", unit="mm", role="chosen", low=0.0, high=3, step=0.05,
                                help="Distance between the rims when shut.")
    travel: float = number(180, label="travel", unit="°", role="chosen", low=10, high=270, step=1,
                           help="Swing from shut: 180 is flat as printed, more folds back.")
    pivot: str = choice("cone", ("cone", "truncated-cone", "ball"), label="pivot", role="chosen",
                        help="What carries each knuckle in its neighbour.")
    pivot_slope: float = number(45, label="pivot underside", unit="°", role="chosen", low=25, high=60, step=1,
                                help="Steepness of the pivot's underside, from vertical.")
    pivot_radius: float | None = number(None, label="pivot radius", unit="mm", role="chosen", low=0.5, high=15,
                                        step=0.05, help="Radius of the cone or ball where it leaves its knuckle.")
    knuckles: int = number(7, label="knuckles", unit="", role="chosen", low=2, high=60, step=1, whole=True,
                           help="Knuckles of both leaves together.")
    knuckle_length: float | None = number(None, label="knuckle length", unit="mm", role="chosen", low=2, high=40,
                                          step=0.1, help="Length of one knuckle along the axis.")
    barrel: float | None = number(None, label="barrel", unit="mm", role="chosen", low=2, high=40, step=0.1,
                                  help="Barrel diameter; left alone it is flush with both inner walls.")
    web_slope: float = number(45, label="web underside", unit="°", role="chosen", low=20, high=60, step=1,
                              help="Steepness of the web that carries a knuckle, from vertical.")
    leaf_thickness: float | None = number(None, label="leaf thickness", unit="mm", role="chosen", low=1, high=40,
                                          step=0.2, hosts=_FLAT, help="Thickness of the plates.")
    floor: float = number(1.6, label="floor", unit="mm", role="chosen", low=0.4, high=10, step=0.2, hosts=_BOX,
                          help="Thickness of the bottom of base and lid.")
    corner_radius: float = number(6, label="corner radius", unit="mm", role="chosen", low=0, high=100, step=0.5,
                                  hosts=_BOX, help="Outer radius of the upright corners; inside it is less the wall.")
    bed_chamfer: float = number(0.4, label="bed chamfer", unit="mm", role="chosen", low=0, high=3, step=0.05,
                                help="45° chamfer along every bed edge, against the first layer's squash.")
    rim_step: float = number(1.0, label="rim step", unit="mm", role="chosen", low=0, high=6, step=0.1, hosts=_BOX,
                             help="Overlap of the step that seats the lid; 0 for plain rims.")
    rim_clearance: float = number(0.2, label="rim clearance", unit="mm", role="chosen", low=0.05, high=1, step=0.05,
                                  hosts=_BOX, help="Clearance of that step, per side.")
    lid_edge: float = number(0, label="lid edge bevel", unit="mm", role="chosen", low=0, high=3, step=0.1, hosts=_BOX,
                             help="45° bevel round the lid's rim, to get a fingernail under; 0 for none.")
    wobble_limit: float = number(1.0, label="wobble allowed", unit="mm", role="chosen", low=0.05, high=10, step=0.05,
                                 help="How far the free edge may wander sideways, ± about the middle.")

    @field_validator("outline")
    @classmethod
    def _embed_outline(cls, value: str) -> str:
        return outlines.embed(value)


@dataclass(frozen=True)
class _Plan:
    """Every dimension of one hinge, worked out once; the shape, the checks and the figures all read it."""

    p: KnuckleHingeParams
    process: Process

    @cached_property
    def radius(self) -> float:
        return self.p.barrel / 2 if self.p.barrel else self.p.wall + self.p.fold_gap / 2

    @cached_property
    def carrier(self) -> float:
        return self.p.wall if self.p.host == "box" else min(self.p.leaf_width, 1.5 * self.radius)

    @cached_property
    def beyond(self) -> float:
        """Travel beyond flat, rad."""
        return math.radians(max(0.0, self.p.travel - 180))

    @cached_property
    def slope(self) -> float:
        return math.radians(self.p.web_slope)

    @cached_property
    def leaf_thickness(self) -> float:
        if self.p.leaf_thickness:
            return self.p.leaf_thickness
        h = self.process.layer_height
        web = self.radius / math.sin(self.slope) + self.p.fold_gap / 2 / math.tan(self.slope)
        return h * math.ceil((web - self.p.closing_gap / 2 + 2 * h) / h)

    @cached_property
    def hosts(self) -> fold.FoldHosts:
        p = self.p
        if p.host != "box":
            return fold.leaves(length=p.length, width=p.leaf_width, thickness=self.leaf_thickness,
                               fold_gap=p.fold_gap, chamfer=p.bed_chamfer, layer=self.process.layer_height,
                               links=2 if p.host == "leaves" else p.links, lean=self._lean if self.beyond else None)
        edged = outlines.edged(p.outline, p.width, p.depth, p.corner_radius)
        sizes = fold.BoxSizes(
            wall=p.wall, floor=p.floor, base_height=p.base_height, lid_height=p.lid_height, fold_gap=p.fold_gap,
            closing_gap=p.closing_gap, chamfer=p.bed_chamfer, rim_step=p.rim_step, rim_clearance=p.rim_clearance,
            lid_edge=p.lid_edge, layer=self.process.layer_height, keep_clear=self.radius + 1.5)
        return fold.box(edged, sizes)

    def _lean(self) -> tree.Solid:
        half = self.hosts.half + 1
        return self.shape.fold_bevel(-half, half)

    @cached_property
    def axis_height(self) -> float:
        return (self.hosts.rim_a + self.hosts.rim_b + self.p.closing_gap) / 2

    @cached_property
    def knuckle_length(self) -> float:
        if self.p.knuckle_length:
            return self.p.knuckle_length
        n = self.p.knuckles
        room = (2 * self.hosts.half - 2 * END_MARGIN - (n - 1) * self.p.gap) / n
        return min(6.0, math.floor(room * 10) / 10)

    @cached_property
    def hinge_length(self) -> float:
        return self.p.knuckles * self.knuckle_length + (self.p.knuckles - 1) * self.p.gap

    @cached_property
    def pivot(self) -> Pivot:
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
        bevel = self.beyond / 2 if self.hosts.bevel_allowed else 0.0
        return KnuckleShape(self.radius, self.p.fold_gap, self.carrier, self.axis_height, self.slope, self.p.gap, bevel)

    def start(self, index: int) -> float:
        """Where knuckle ``index`` begins along x."""
        return -self.hinge_length / 2 + index * (self.knuckle_length + self.p.gap)

    @cached_property
    def freeing(self) -> Freeing:
        return freeing(self.faces, self.process, self.strength)

    # -- figures -----------------------------------------------------------------------------------------------------

    @cached_property
    def joints(self) -> int:
        return self.p.knuckles - 1

    @cached_property
    def printed_gap(self) -> float:
        return max(0.0, self.p.gap - 2 * self.process.growth.mean)

    @cached_property
    def play(self) -> Play:
        axial = self.printed_gap
        radial = axial / math.sin(self.pivot.slope)
        span = (self.joints - 1) * (self.knuckle_length + self.p.gap)
        tilt = axial / self.radius if span <= 0 else min(axial / self.radius, 2 * radial / span)
        return Play(axial, radial, tilt, radial + tilt * self.hosts.reach)

    @cached_property
    def faces(self) -> tuple[Facing, ...]:
        p, r, n = self.p, self.radius, self.p.knuckles
        ring = math.pi * max(0.0, r**2 - self.pivot.mouth_radius**2)
        found = [Facing("knuckle ends", self.joints * ring, 0.0, p.gap, 2 * r / 3), *self.pivot.faces(self.joints)]
        arcs = 6
        # The other wall faces the barrel from where the web leaves it up to the axis.
        for i in range(arcs):
            tilt = (i + 0.5) / arcs * self.slope
            found.append(Facing("barrel in its relief", n * self.knuckle_length * r * self.slope / arcs, tilt, p.gap, r))
        web = max(0.0, (r * math.cos(self.slope) - p.fold_gap / 2) / math.sin(self.slope))
        found.append(Facing("web over the other wall", n * self.knuckle_length * web, self.slope, p.gap,
                            math.hypot(r, web / 2), stays=False))
        plain = max(0.0, 2 * self.hosts.half - self.hinge_length) * min(self.hosts.rim_a, self.hosts.rim_b)
        found.append(Facing("walls across the fold", plain, 0.0, p.fold_gap, self.axis_height / 2, stays=False))
        return tuple(found)

    @cached_property
    def strength(self) -> Strength:
        hand = HAND_FORCE * min(self.hosts.reach, HAND_ARM)
        own = math.ceil(self.p.knuckles / 2) if self.p.knuckles % 2 == 0 else self.p.knuckles // 2
        section = own * self.knuckle_length * min(self.carrier, self.radius) ** 2 / 6
        return Strength(hand=hand, tool=TOOL_FACTOR * hand, part=BENDING_STRENGTH * section,
                        weakest="the knuckles' webs")

    @cached_property
    def travel_limit(self) -> float:
        """Greatest travel before the two walls meet behind the fold, degrees."""
        if self.hosts.bevel_allowed:
            return 270.0
        return 180 + math.degrees(2 * math.atan(self.p.fold_gap / 2 / self.axis_height))

    # -- shape -------------------------------------------------------------------------------------------------------

    def build(self) -> tuple[tuple[Host, ...], tuple[HostOps, ...]]:
        hosts = self.hosts.build()
        operations = []
        for index, y in enumerate(self.hosts.joints):
            a, b = hosts[index].name, hosts[index + 1].name
            operations += [HostOps(a, *(s and s.move(y=y) for s in self._side(0))),
                           HostOps(b, *(s and s.move(y=y) for s in self._side(1)))]
        if self.p.host == "chain":
            # The free edges make room for the next link's knuckles when two links lie folded on each other.
            pitch = self.p.leaf_width + self.p.fold_gap
            operations += [HostOps(hosts[0].name, room=self._room(1).move(y=-pitch)),
                           HostOps(hosts[-1].name, room=self._room(0).move(y=(len(hosts) - 1) * pitch))]
        return hosts, tuple(operations)

    def _room(self, side: int) -> tree.Solid:
        """Reliefs around all knuckles, and their pivots, that a leaf on ``side`` of y = 0 does not own."""
        relief = self.shape.relief(self.knuckle_length + 2 * self.p.gap, self.beyond)
        relief = relief if side else relief.mirror("y")
        pocket = self._pieces[2].move(x=self.p.gap)
        foreign = range(1 - side, self.p.knuckles, 2)
        room = [relief.move(x=self.start(i) - self.p.gap) for i in foreign]
        return tree.union(room + [pocket.move(x=self.start(i) + self.knuckle_length) for i in foreign])

    @cached_property
    def _pieces(self) -> tuple[tree.Solid, tree.Solid, tree.Solid, tree.Solid]:
        """A knuckle, one with its pivot, a pocket and a relief; each is evaluated once and moved along."""
        plain = self.shape.solid(self.knuckle_length)
        pocket = self.pivot.pocket().move(x=-self.p.gap, z=self.axis_height)
        armed = plain + self.pivot.male().move(x=self.knuckle_length, z=self.axis_height)
        return plain, armed, pocket, self.shape.relief(self.knuckle_length + 2 * self.p.gap, self.beyond)

    def _side(self, side: int) -> tuple[tree.Solid, tree.Solid, tree.Solid | None]:
        """Room, adds and cuts of one leaf (0 = A, 1 = B) about the fold plane y = 0."""
        gap, n = self.p.gap, self.p.knuckles
        plain, armed, pocket, relief = self._pieces
        if side:
            plain, armed = plain.mirror("y"), armed.mirror("y")
        else:
            relief = relief.mirror("y")
        own = range(side, n, 2)
        room = [relief.move(x=self.start(i) - gap) for i in range(1 - side, n, 2)]
        adds = [(armed if i < n - 1 else plain).move(x=self.start(i)) for i in own]
        cuts = [pocket.move(x=self.start(i)) for i in own if i]
        if self.shape.stands:
            # A web that stands on the bed is made too deep and trimmed level with it.
            half, high = self.hosts.half + 1, 2 * self.axis_height
            cuts.append(tree.Box(-half, -high, -2, half, high, 0))
        return tree.union(room), tree.union(adds), tree.union(cuts) if cuts else None


def _derived(plan: _Plan) -> tuple[Derived, ...]:
    p, process, play = plan.p, plan.process, plan.play
    growth = f"growth {process.growth.mean:.2f} ± {process.growth.sd:.2f} ({process.source})"
    tilts = [f.tilt for f in plan.faces if f.stays]
    barrel_how = "2·wall + fold gap, flush with both inner walls" if p.barrel is None else "set by you"
    free = plan.freeing
    return (
        Derived("barrel", "barrel", 2 * plan.radius, "mm", barrel_how, "you: wall, fold gap"),
        Derived("axis_height", "axis height", plan.axis_height, "mm", "(rim A + rim B + closing gap) / 2",
                "you: heights, closing gap"),
        Derived("knuckle_length", "knuckle length", plan.knuckle_length, "mm",
                "at most 6, and all of them on the straight edge" if p.knuckle_length is None else "set by you",
                "you: edge, knuckles"),
        Derived("hinge_length", "hinge length", plan.hinge_length, "mm", "n·length + (n − 1)·gap", "you"),
        Derived("pivot_radius", "pivot radius", plan.pivot.radius, "mm",
                "barrel radius less two lines round the pocket" if p.pivot_radius is None else "set by you",
                "rule: a wall is two lines"),
        Derived("pivot_depth", "pivot stands proud", plan.pivot.depth, "mm",
                "r_b(1 − cos slope)" if p.pivot == "ball" else "radius·tan slope", "geometry"),
        Derived("leaf_thickness" if p.host != "box" else "rim_height", "rim height", plan.hosts.rim_a, "mm",
                "web and barrel clear the bed by two layers" if p.host != "box" else "base height", "geometry"),
        Derived("weld_free_gap", "weld-free above", worst_contact_gap(tilts, process.layer_height, process.growth.mean),
                "mm", "h·sin θ + 2g·cos θ, worst tilt of barrel and pivot", growth),
        Derived("printed_gap", "printed gap", p.gap - 2 * process.growth.mean, "mm", "gap − 2·growth", growth),
        Derived("breakaway", "breakaway", free.breakaway, "N·mm", "Σ weld area × bond strength × arm", growth),
        Derived("hand_moment", "a hand gives", plan.strength.hand, "N·mm", f"{HAND_FORCE:g} N at the free edge",
                "common practice"),
        Derived("axial_play", "axial play", play.axial, "mm", "± (gap − 2·growth)", growth),
        Derived("radial_play", "radial play", play.radial, "mm", "± printed gap / sin(pivot underside)", growth),
        Derived("edge_wobble", "wobble at the edge", play.edge, "mm", "± radial + 2·radial / span · reach", growth),
    )


def _checks(plan: _Plan) -> tuple[Check, ...]:
    p, process, play, pivot = plan.p, plan.process, plan.play, plan.pivot
    h, line, g = process.layer_height, process.line_width, process.growth.mean
    free = plan.freeing
    hosts = plan.hosts

    rims = round(hosts.rim_a / h) * h + round(hosts.rim_b / h) * h
    shut = 2 * plan.axis_height - rims
    ring = plan.radius - pivot.mouth_radius
    behind = plan.knuckle_length - pivot.pocket_depth
    wall_parts = {"ring round the pivot's pocket": ring, "web behind the pocket": behind, "wall": hosts.thinnest}
    thinnest = min(wall_parts, key=lambda name: wall_parts[name])
    engaged = pivot.depth - p.gap - max(0.0, p.gap - 2 * g)
    # The chamfer's inset in the first layer is taken at mid-layer.
    first_growth = g + process.foot(0) - max(0.0, p.bed_chamfer - process.first_layer_height / 2)
    remainder = p.bed_chamfer - h * round(p.bed_chamfer / h)
    box = p.host == "box"
    return (
        Check("comes-free", "Comes free", 100 * free.by_hand, 95, "%", stop=50, mend=("gap",), printer=True,
              posed=True, why=f"likeliest {free.outcome}; at the mean growth {free.breakaway:.0f} N·mm holds it, "
                  f"a hand gives {plan.strength.hand:.0f}",
              topic="fit", basis="19 of 20: what a first print should reach (common practice, no source)"),
        Check("printed-clearance", "Gap left after printing", p.gap - 2 * g, 0.1, "mm", stop=0.02, mend=("gap",),
              printer=True, why=f"each side grows {g:.2f}, so {p.gap:.2f} drawn is {p.gap - 2 * g:.2f} printed",
              topic="fit", basis="two beads laid 0.1 apart still part (common practice, no source)"),
        Check("closes-fully", "Closes fully", shut, 0.2, "mm", stop=0.0, mend=("closing_gap",),
              why="distance of the rims when shut, with heights rounded to layers; the axis sits half of it above",
              topic="shape", basis="a layer of room, so that rounding to layers cannot hold the rims apart"),
        Check("travel", "Travel", plan.travel_limit, p.travel, "°", stop=p.travel - 0.5, mend=("travel", "fold_gap"),
              why="the walls meet behind the fold beyond this" if not hosts.bevel_allowed
              else "the faces at the fold lean back far enough",
              topic="shape", basis="the travel you ask for"),
        Check("fold-gap", "Fold gap in the first layer", p.fold_gap - 2 * first_growth, 0.2, "mm", stop=0.05,
              mend=("fold_gap", "bed_chamfer"), printer=True,
              posed=True, why=f"growth and first-layer squash less the chamfer take {first_growth:+.2f} a side",
              topic="fit", basis="0.2 between first layers, which squash most (common practice, no source)"),
        Check("engagement", "Pivot stays in", engaged, 0.3, "mm", stop=0.1,
              mend=("pivot_radius", "gap", "barrel"), printer=True,
              why=f"stands {pivot.depth:.2f} proud, less the gap and the worst play",
              topic="shape", basis="0.3 left when all play lies on one side (common practice, no source)"),
        Check("edge-wobble", "Lid wobbles at its edge" if box else "Free edge wobbles", play.edge, p.wobble_limit, "mm",
              least=False, mend=("knuckles", "gap", "knuckle_length"), printer=True,
              why=f"± {play.radial:.2f} in the pivots over {plan.hinge_length:.0f} mm, {hosts.reach:.0f} mm out",
              topic="shape", basis="the wobble you allow"),
        Check("axial-play", "Slides along its axis", play.axial, 0.5, "mm", least=False, mend=("gap",), printer=True,
              why="± what is left of the gap between the knuckle ends",
              topic="shape", basis="half a millimetre is felt as loose (common practice, no source)"),
        Check("radial-play", "Play across the axis", play.radial, 0.6, "mm", least=False,
              mend=("gap", "pivot_slope"), printer=True, why="± what the cone or ball leaves across the axis",
              topic="shape", basis="0.6 is seen as loose (common practice, no source)"),
        Check("pivot-overhang", "Pivot underside", p.pivot_slope, process.overhang_limit, "°", least=False,
              stop=process.overhang_limit + 10, mend=("pivot_slope",), posed=True,
              why="from vertical; beyond the limit it droops",
              topic="print", basis="the overhang limit of the process"),
        Check("web-overhang", "Web underside", p.web_slope, process.overhang_limit, "°", least=False,
              stop=process.overhang_limit + 10, mend=("web_slope",), posed=True,
              why="from vertical; beyond the limit it droops",
              topic="print", basis="the overhang limit of the process"),
        Check("thinnest-wall", "Thinnest wall", wall_parts[thinnest], 2 * line, "mm", stop=line,
              mend=("pivot_radius", "wall", "knuckle_length", "rim_clearance") if box
              else ("pivot_radius", "barrel", "knuckle_length"),
              why=f"the {thinnest}; a sound wall is two lines of {line:.2f}",
              topic="print", basis="two lines of the process"),
        Check("chamfer-layers", "Chamfer in whole layers", abs(remainder), 0.01, "mm", least=False,
              mend=("bed_chamfer",), posed=True,
              why=f"{p.bed_chamfer:g} is {p.bed_chamfer / h:.2f} layers; a part layer is cut",
              topic="print", basis="whole layers; a part layer is cut as one or none"),
    )


def _refuse_what_cannot_be(plan: _Plan) -> None:
    """Raise one sentence for parameters that are sane alone and impossible together."""
    p, line = plan.p, plan.process.line_width
    room = 2 * plan.hosts.half - 2 * END_MARGIN
    if p.wall < line:
        raise SolveError(f"a wall of {p.wall:g} mm is thinner than one printed line ({line:g} mm)",
                         field="wall", value=p.wall, limit=line)
    if abs(plan.hosts.rim_a - plan.hosts.rim_b) > p.closing_gap + 1e-9:
        raise SolveError("base and lid must be printed with their rims level (within the closing gap), or the knuckles "
                         "hang in the air", field="lid_height", value=p.lid_height, limit=p.base_height)
    if plan.radius < p.fold_gap / 2 + 2 * line:
        raise SolveError(f"a barrel of {2 * plan.radius:.2f} mm does not reach across the fold gap into its wall; "
                         f"it needs {p.fold_gap + 4 * line:.2f} mm", field="barrel", value=2 * plan.radius,
                         limit=p.fold_gap + 4 * line)
    widest = (p.fold_gap / 2 + plan.carrier) / math.cos(plan.slope)
    if plan.radius > widest + 1e-9:
        raise SolveError(f"a barrel of {2 * plan.radius:.2f} mm hangs over inside a {plan.carrier:.2f} mm wall; "
                         f"at most {2 * widest:.2f} mm is carried", field="barrel", value=2 * plan.radius,
                         limit=2 * widest)
    lowest = min(plan.hosts.rim_a, plan.hosts.rim_b)
    if plan.axis_height - plan.radius - p.gap < 0.4 or lowest < plan.axis_height - plan.radius:
        raise SolveError(f"a barrel of {2 * plan.radius:.2f} mm does not fit under an axis {plan.axis_height:.2f} mm "
                         "above the bed with these rims: raise the lower rim or make the barrel smaller",
                         field="barrel", value=2 * plan.radius, limit=2 * (plan.axis_height - p.gap - 0.4))
    if plan.hinge_length > room + 1e-6 or plan.knuckle_length < 2.0:
        most = max(0, math.floor((room + p.gap) / ((p.knuckle_length or 2.0) + p.gap)))
        raise SolveError(f"{p.knuckles} knuckles do not fit on a straight edge of {2 * plan.hosts.half:.1f} mm; "
                         f"at most {most} do", field="knuckles", value=p.knuckles, limit=most)
    if plan.pivot.mouth_radius > plan.radius - 0.2 or plan.pivot.pocket_depth > plan.knuckle_length - 0.2:
        raise SolveError(f"a pivot of {plan.pivot.radius:.2f} mm radius with its gap breaks out of a knuckle "
                         f"{2 * plan.radius:.2f} mm thick and {plan.knuckle_length:.2f} mm long",
                         field="pivot_radius", value=plan.pivot.radius, limit=plan.radius - 0.2)
    if p.host == "box":
        if p.floor >= min(p.base_height, p.lid_height):
            raise SolveError("the floor is thicker than the box is high", field="floor", value=p.floor)
        if p.rim_step > 0 and p.wall / 2 - p.rim_clearance / 2 < 0.2:
            raise SolveError(f"a {p.wall:g} mm wall is too thin for a rim step with {p.rim_clearance:g} mm clearance",
                             field="rim_clearance", value=p.rim_clearance, limit=p.wall - 0.4)
        edged = outlines.edged(p.outline, p.width, p.depth, p.corner_radius)
        edged.outline.inset_freely(p.wall)
        if p.lid_edge > 0:
            edged.outline.inset(p.lid_edge)
    elif plan.shape.sweep_radius + p.gap > p.leaf_width - 1:
        raise SolveError(f"leaves {p.leaf_width:g} mm wide are too narrow for this hinge",
                         field="leaf_width", value=p.leaf_width, limit=plan.shape.sweep_radius + p.gap + 1)
    if p.host == "chain" and p.links > 2 and p.leaf_width + p.fold_gap < 2 * plan.radius + p.gap:
        raise SolveError(f"links {p.leaf_width:g} mm wide are too narrow for {2 * plan.radius:.2f} mm barrels at both edges",
                         field="leaf_width", value=p.leaf_width, limit=round(2 * plan.radius + p.gap - p.fold_gap, 2))
    if plan.shape.bevel > 0:
        left = p.leaf_width - (-plan.shape.face_u(-plan.axis_height) - p.fold_gap / 2) * (2 if p.host == "chain" else 1)
        if left < 2 * line:
            raise SolveError(f"leaves {p.leaf_width:g} mm wide and {plan.leaf_thickness:.1f} thick have no foot left once "
                             f"their faces lean back for {p.travel:g}°", field="travel", value=p.travel, limit=180)
    chamfer_top = plan.axis_height - plan.radius - p.gap
    if p.bed_chamfer > min(chamfer_top, p.wall * 0.75):
        raise SolveError(f"a bed chamfer of {p.bed_chamfer:g} mm reaches into the hinge or through the wall",
                         field="bed_chamfer", value=p.bed_chamfer, limit=min(chamfer_top, p.wall * 0.75))


def _motion(plan: _Plan) -> Motion:
    """The swing: 0 is shut, 180 flat as printed; every body beyond the first joint follows."""
    z, joints = plan.axis_height, plan.hosts.joints
    names = [chr(ord("A") + i) for i in range(len(joints) + 1)]

    def pose(opened: float) -> dict[str, tree.Matrix]:
        turn = tree.turn_about_x(math.radians(180 - opened), 0.0, z)
        return dict.fromkeys(names[1:], turn)

    def place(point: tuple[float, float, float]) -> str:
        x, y, height = point
        index = round((x - plan.start(0) - plan.knuckle_length / 2) / (plan.knuckle_length + plan.p.gap))
        if math.hypot(y, height - z) < plan.radius + plan.p.gap + 0.3 and 0 <= index < plan.p.knuckles:
            return f"knuckle {index + 1}"
        if abs(x) <= plan.hinge_length / 2 and math.hypot(y, height - z) < plan.shape.sweep_radius + 0.5:
            return f"web of knuckle {min(max(index, 0), plan.p.knuckles - 1) + 1}"
        if height > z - 3:
            return "rims"
        return "walls at the fold"

    return Motion("Swing", "°", 0.0, plan.p.travel, 180.0, pose, ("A", "B"), 0.0, place,
                  lambda point: math.hypot(point[1], point[2] - z), mend=("gap", "closing_gap", "fold_gap", "travel"))


def _summary(plan: _Plan) -> str:
    return (f"The axis lies {plan.axis_height:.2f} mm above the bed, {plan.p.closing_gap / 2:.2f} above the rims; the barrel "
            f"is {2 * plan.radius:.2f} thick. {plan.p.knuckles} knuckles of {plan.knuckle_length:.1f} take "
            f"{plan.hinge_length:.1f} of the {2 * plan.hosts.half:.1f} mm edge. With a gap of {plan.p.gap:.2f} it comes free "
            f"by hand with {100 * plan.freeing.by_hand:.0f} % chance, and the free edge may wander ± "
            f"{plan.play.edge:.2f} mm.")


def solve(params: KnuckleHingeParams, process: Process) -> Solution:
    """Work out a knuckle hinge for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no hinge.
    """
    plan = _Plan(params, process)
    _refuse_what_cannot_be(plan)
    half, clear = plan.hinge_length / 2, max(plan.radius, plan.shape.sweep_radius) + params.gap + 1
    beside = plan.hosts.half + 12 if params.host == "box" else plan.hosts.half + 3
    z, start = plan.axis_height, plan.start(params.knuckles // 2)
    middle, near = plan.start(0) + 0.3 * plan.knuckle_length, 2.6 * plan.radius
    return Solution(
        kind=KIND.id, params=params, process=process, derived=_derived(plan), checks=_checks(plan), faces=plan.faces,
        freeing=plan.freeing, play=plan.play, aim=Aim("comes-free", plan.freeing.by_hand, "comes free by hand", "free"),
        rulers=(Ruler("gap", "gap between knuckles", "gap", 0.0, 0.8, "mm",
                      f"{process.layer_height:.2f} layers, {params.pivot_slope:g}° {params.pivot.replace('-', ' ')}",
                      params.gap, lambda gap: _chances(params, process, gap)),),
        motion=_motion(plan), build=plan.build,
        summary=_summary(plan),
        views=(
            SectionView("as printed, across a knuckle", 180.0, middle,
                        (-near, max(-1.0, z - 0.9 * near), near, z + 0.5 * near)),
            SectionView(f"shut, {params.closing_gap:.2f} mm between the rims", 0.0, middle),
        ),
        callouts=(
            Callout(f"axis {z:.2f}", (-beside, 0, 0), (-beside, 0, z)),
            Callout(f"gap {params.gap:.2f}", (start - params.gap, 0, z + plan.radius), (start, 0, z + plan.radius)),
            Callout(f"barrel {2 * plan.radius:.2f}", (half + 1.5, plan.radius, z), (half + 1.5, -plan.radius, z)),
        ),
        region=(-half - 1, -clear, max(0.0, z - clear), half + 1, clear, z + clear),
    )


def _chances(params: KnuckleHingeParams, process: Process, gap: float) -> tuple[float, ...]:
    """The chance of every outcome at another gap; raises SolveError where there is no hinge."""
    facts = params.facts()["gap"]
    plan = _Plan(params.changed(gap=min(max(gap, facts.low), facts.high)), process)
    _refuse_what_cannot_be(plan)
    return plan.freeing.chances


def _label_place(solution: Solution) -> tuple[float, float, float]:
    """A level place on the outer edge of leaf A."""
    params = solution.params
    assert isinstance(params, KnuckleHingeParams)
    return 0.0, -(params.leaf_width - 1.9), solution.value("leaf_thickness")


KIND = Kind(
    id="knuckle-hinge",
    title="Knuckle hinge",
    summary="Two parts that swing on each other, printed in one go without supports.",
    params=KnuckleHingeParams,
    solve=solve,
    questions=(
        Question("What swings?", ("host", "outline", "width", "depth", "length", "leaf_width", "links")),
        Question("How tall are the two halves, and how thick the wall?", ("base_height", "lid_height", "wall")),
        Question("How far must it open?", ("travel",)),
        Question("How close do the rims come, and how far apart does it print?", ("closing_gap", "fold_gap")),
        Question("How much may the free edge wander?", ("wobble_limit",)),
        Question("How is the hinge divided?", ("knuckles", "knuckle_length", "pivot")),
    ),
    recommend="gap",
    clearance="gap",
    test_piece={"host": "leaves", "travel": 180},
    cautions=(
        "Freeing a stiff joint with a blade or mallet: wear eye protection, cut away from your fingers.",
        "Estimates for unfilled filament prints; nothing that lifts, brakes or guards people rests on them alone.",
    ),
    ladder=LadderPiece({"host": "leaves", "length": 14, "leaf_width": 9.5, "knuckles": 2, "travel": 180, "fold_gap": 0.6},
                       _label_place),
)
