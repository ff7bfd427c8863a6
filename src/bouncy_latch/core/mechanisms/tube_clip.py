"""Tube clip: an open ring that snaps over a tube or pole, sideways, and grips it.

Drawn lying, the tube's axis along z through the origin, the mouth towards +x, the foot it stands on towards −x. Either half of
the ring is a curved spring whose nose rides over the round of the tube; the half below y = 0 is computed, the other is its
mirror image.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.fields import number
from bouncy_latch.core.flex.contact import Point, Ride
from bouncy_latch.core.flex.hoop import Hoop
from bouncy_latch.core.flex.warp import Bow, Warp
from bouncy_latch.core.mechanisms.contract import HOLD, Bought, Callout, Derived, Kind, Question, Solution
from bouncy_latch.core.mechanisms.snapping import pressing, shapes
from bouncy_latch.core.mechanisms.snapping.fields import CAUTIONS, SnapParams, questions
from bouncy_latch.core.mechanisms.snapping.snap import Snap
from bouncy_latch.core.mechanisms.snapping.solved import Look, Mends, lying_along, middle_of, solution
from bouncy_latch.core.outcomes import SNAPPED
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import BOUGHT, Body, Share
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import from_corners, polygon

FINE, COARSE = math.radians(3), math.radians(12)
"""Chords of the tube's round where nose and lip slide on it, and elsewhere."""
LIPS = math.radians(10)
"""How far back from its nose the ring's inside moves as the nose does and can touch the tube; further back it opens by more
than the tube asks for."""
RESTS = math.radians(50)
"""Where a tube larger than the ring rests besides on the noses: beside the roots, from the back (plane-stress finite elements
of three clips: 40° to 60°)."""
PAST = 6.0
"""How far the tube is shown to reach out of the clip on either side, mm."""


class TubeClipParams(SnapParams):
    """Sizes of a clip round a tube."""

    diameter: float = number(20, label="tube diameter", unit="mm", role="given", low=3, high=200, step=0.1,
                             help="Of the tube or pole, measured.", source="you")
    wall: float = number(2.6, label="wall", unit="mm", role="chosen", low=0.8, high=20, step=0.1,
                         help="Thickness of the ring. Thicker holds more and cracks sooner at its back.")
    width: float = number(12, label="width", unit="mm", role="chosen", low=2, high=100, step=0.5,
                          help="Of the clip along the tube.")
    mouth: float = number(142, label="mouth", unit="°", role="chosen", low=40, high=176, step=1,
                          help="Angle of the opening between the two noses, seen from the tube's axis.")
    lead_angle: float = number(35, label="lip angle", unit="°", role="chosen", low=10, high=75, step=1,
                               help="Of the flared lips that meet the tube first, from the way in.")
    lip: float = number(3, label="lip", unit="mm", role="chosen", low=0.5, high=30, step=0.5,
                        help="Length of the flared lips.")
    foot: float = number(8, label="foot", unit="mm", role="chosen", low=2, high=200, step=0.5,
                         help="Width of what the ring stands on; a wide foot leaves less of it to bend.")
    fillet: float = number(1.5, label="root fillet", unit="mm", role="chosen", low=0.2, high=20, step=0.1,
                           help="Radius between the ring's outside and its foot.")
    clearance: float = number(-0.05, label="clearance", unit="mm", role="chosen", low=-1.0, high=1.0, step=0.01,
                              help="Between tube and ring, per side, as drawn; below 0 the ring is smaller and grips.")
    stay: float = number(0, label="stays put to", unit="N", role="given", low=0, high=2000, step=0.5, source="you",
                         help="Force along the tube it must not slide under; 0 if it may.")
    backing: float = blocks.backing(8, label="behind", low=2, high=200, part="foot", help="Length of the block it stands on.")


@dataclass(frozen=True)
class _Plan:
    p: TubeClipParams
    process: Process

    @cached_property
    def inner(self) -> float:
        return self.p.diameter / 2 + self.p.clearance

    @cached_property
    def outer(self) -> float:
        return self.inner + self.p.wall

    @cached_property
    def nose(self) -> float:
        """Where the nose is, rad from the back."""
        return math.pi - math.radians(self.p.mouth) / 2

    @cached_property
    def printed(self) -> Hoop:
        """Half the ring as printed: its outside further out, its inside further in."""
        p, growth = self.p, self.process.growth.mean
        return Hoop(self.inner - self.shrink, p.wall + self.shrink + growth, p.width, self.root[2], self.nose, p.fillet,
                    p.fill(self.process), self.process.modulus.mean, self.process.plastic.poisson)

    @cached_property
    def shrink(self) -> float:
        """How far the ring's inside prints further in than drawn, mm."""
        return self.process.growth.mean + self.process.hole_shrink(self.inner)

    @cached_property
    def root(self) -> tuple[float, float, float]:
        """Middle of the lower fillet's round, x and y, mm, and where it ends on the ring, rad from the back."""
        r = self.p.fillet
        high = self.p.foot / 2 + r
        x = -math.sqrt(max((self.outer + r) ** 2 - high**2, 0.0))
        return x, -high, math.atan2(high, -x)

    def lip(self, inner: float) -> tuple[tuple[Point, ...], float]:
        """The lower nose, rounded, and its lip out to the tip, x and y from the tube's axis; where the round begins, rad."""
        p, lead = self.p, math.radians(self.p.lead_angle)
        c, s = -math.cos(self.nose), -math.sin(self.nose)
        ridge = (inner * c, inner * s)
        before = (ridge[0] + p.lip * s, ridge[1] - p.lip * c)
        tip = (ridge[0] + p.lip * math.cos(lead), ridge[1] - p.lip * math.sin(lead))
        made = shapes.eased([before, ridge, tip], p.edge, (1,))[1:]
        return made, self.nose - math.dist(made[0], ridge) / inner

    @cached_property
    def catch(self) -> tuple[Point, ...]:
        """The nose as printed, from the end of the ring's centre line, y towards the tube."""
        hoop, end = self.printed, self.printed.nodes[-1]
        lip, turn = self.lip(hoop.inner)
        around = np.linspace(max(self.nose - LIPS, self.nose / 2), turn, 6, endpoint=False)
        inside = [(-hoop.inner * math.cos(s), -hoop.inner * math.sin(s)) for s in around]
        return tuple((x - float(end[0]), y - float(end[1])) for x, y in (*inside, *lip))

    @cached_property
    def around(self) -> npt.NDArray[np.float64]:
        """Corners of the tube's round, rad from its front."""
        first = max(math.pi / 2 - math.radians(self.p.lead_angle + 8), COARSE)
        last = min(self.nose + math.radians(12), math.pi - COARSE)
        parts = [np.linspace(low, high, max(2, math.ceil((high - low) / step)), endpoint=False)
                 for low, high, step in ((0.0, first, COARSE), (first, last, FINE), (last, math.pi, COARSE))]
        return np.append(np.concatenate(parts), math.pi)

    @cached_property
    def snap(self) -> Snap:
        p, m, hoop = self.p, self.process.plastic, self.printed
        radius, axis = p.diameter / 2, -float(hoop.nodes[-1, 1])
        mate = tuple((radius - radius * math.cos(a), axis - radius * math.sin(a)) for a in self.around)
        # The tube comes to rest on the back of the ring.
        seat = radius + float(hoop.nodes[-1, 0]) - (radius - hoop.inner)

        def slope(x: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
            off = np.clip(x - radius, -0.999 * radius, 0.999 * radius)
            return np.asarray(off / np.sqrt(radius**2 - off**2))

        ride = Ride(hoop, self.catch, mate, seat, m.friction, count=2, curve=slope)
        strength = m.across if p.layers == "across" else m.strength
        nose = max(self.catch, key=lambda point: point[1])
        tears = (("back of the ring", 2 * hoop.pulled(nose, strength)),)
        return Snap(p, self.process, ride, hoop.thickness, max(radius - hoop.inner * math.sin(self.nose), 0.02), tears,
                    lead=math.radians(p.lead_angle), across=p.layers == "across", grips=True)

    @cached_property
    def pressed(self) -> float:
        """All forces between tube and ring when shut, N: of both noses, and of the roots that they press the tube to."""
        way = self.snap.way
        lean = math.atan(max(0.0, -float(way.slope[-1])))
        return way.preload / math.cos(lean) + way.preload * math.tan(lean) / math.cos(RESTS)

    @cached_property
    def slides(self) -> float:
        """Force along the tube at which it slides after a year, N."""
        return self.process.plastic.friction * self.process.plastic.creep * self.pressed

    # -- shape -------------------------------------------------------------------------------------------------------

    @cached_property
    def laid(self) -> tree.Matrix:
        return pressing.laid(self.p.layers, -self.outer - self.p.backing)

    def ring(self) -> Share:
        """The open ring with its lips and fillets."""
        p, ri, ro = self.p, self.inner, self.outer
        x0, _, root = self.root
        lead, (lip, turn) = math.radians(p.lead_angle), self.lip(ri)
        to_fillet, to_end = -math.tan((math.pi / 2 - root) / 4), math.tan((turn - root) / 4)
        end = (-math.cos(turn), -math.sin(turn))
        low = [(min(-ro, x0) - 0.1, -p.foot / 2, 0.0), (x0, -p.foot / 2, to_fillet),
               (-ro * math.cos(root), -ro * math.sin(root), to_end),
               (ro * end[0], ro * end[1], 0.0), (ri * end[0], ri * end[1], -math.tan(turn / 4))]
        # The other half is gone through backwards: there an arc is said by its other end.
        high = [(x, -y, bulge) for (x, y, _), bulge in zip(reversed(low), (0.0, to_end, to_fillet, 0.0, 0.0), strict=True)]
        arc = tree.Extrude(from_corners([*low, (-ri, 0.0, -math.tan(turn / 4)), *high]), p.width)
        tip = (lip[-1][0] - p.wall * math.sin(lead), lip[-1][1] - p.wall * math.cos(lead))
        back = turn - 0.4 * p.wall / ri
        inside = (-(ri + p.wall / 2) * math.cos(back), -(ri + p.wall / 2) * math.sin(back))
        nose = tree.Extrude(polygon([*lip, tip, inside]), p.width)
        return Share("clip", "A", add=tree.union([arc, nose, nose.mirror("y")]))

    def draw(self) -> tuple[tuple[Body, ...], tuple[Share, ...]]:
        """The clip on a block, and the tube, which is bought."""
        p = self.p
        behind = blocks.block(-self.outer - p.backing, -p.foot / 2, -self.outer, p.foot / 2, p.width)
        tube = tree.cylinder(p.diameter / 2, p.width + 2 * PAST).move(z=-PAST)
        return ((Body("A", "clip", behind, self.laid), Body("B", "tube", tube, self.laid, BOUGHT)), (self.ring(),))

    @cached_property
    def seated(self) -> tree.Matrix:
        """Where the tube rests, from where it is drawn."""
        drawn: tree.Matrix = (1, 0, 0, self.p.diameter / 2 - self.printed.inner, 0, 1, 0, 0, 0, 0, 1, 0)
        return pressing.seated_as_laid(drawn, self.laid, self.laid)


def _refuse_what_cannot_be(plan: _Plan) -> None:
    p = plan.p
    if p.foot / 2 > 0.8 * plan.outer:
        raise SolveError(f"a foot of {p.foot:g} mm leaves nothing of a ring {2 * plan.outer:.1f} mm wide to bend", field="foot",
                         value=p.foot, limit=round(1.6 * plan.outer, 1))
    reach, foot = plan.outer + p.backing - 0.2, p.foot / 2
    if plan.root[0] < -reach:
        most = (reach**2 - plan.outer**2 + foot**2) / (2 * (plan.outer - foot))
        raise SolveError(f"a fillet of {p.fillet:g} mm does not fit on {p.backing:g} mm behind the ring", field="fillet",
                         value=p.fillet, limit=math.floor(10 * most) / 10)
    if plan.nose - plan.root[2] < math.radians(30):
        raise SolveError(f"between a foot of {p.foot:g} mm with a fillet of {p.fillet:g} and a mouth of {p.mouth:g}° no arm is "
                         "left to bend", field="mouth", value=p.mouth,
                         limit=round(math.degrees(2 * (math.pi - plan.root[2])) - 60))
    if plan.inner < 1.0:
        raise SolveError(f"a ring smaller than its tube by {-p.clearance:g} mm a side has no room for it", field="clearance",
                         value=p.clearance, limit=1.0 - p.diameter / 2)
    if p.diameter / 2 <= plan.printed.inner * math.sin(plan.nose) + 0.02:
        most = math.degrees(2 * math.asin(min(1.0, (p.diameter / 2 - 0.02) / plan.printed.inner)))
        raise SolveError(f"a mouth of {p.mouth:g}° is as wide as the tube: nothing would hold it", field="mouth", value=p.mouth,
                         limit=math.floor(most))
    if 2 * plan.lip(plan.inner)[0][-1][1] > -0.2:
        raise SolveError("the lips meet each other", field="lip", value=p.lip)


def solve(params: TubeClipParams, process: Process) -> Solution:
    """Work out a tube clip for the effective ``process``.

    Raises:
        SolveError: when the parameters describe no clip, or it bends further than can be followed.
        ParamError: when the material lacks values.
    """
    plan, p = _Plan(params, process), params
    _refuse_what_cannot_be(plan)
    snap, hoop, way = plan.snap, plan.printed, plan.snap.way
    bow = Bow.of(hoop, way.states)

    def opened(points: npt.NDArray[np.float64], lowered: float) -> npt.NDArray[np.float64]:
        side = np.where(points[:, 1] >= 0, 1.0, -1.0)
        moved = bow.follow(np.column_stack([points[:, 0], -np.abs(points[:, 1])]), lowered)
        return np.column_stack([moved[:, 0], -side * moved[:, 1]])

    def springs(points: npt.NDArray[np.float64]) -> npt.NDArray[np.bool_]:
        around = np.arctan2(np.abs(points[:, 1]), -points[:, 0])
        return np.asarray((around > hoop.held) & (np.hypot(*points.T) < plan.outer + 0.1) | (around > plan.nose))

    def bends(lowered: float) -> dict[str, Warp]:
        return {"A": pressing.in_plane(lambda points: opened(points, lowered), springs, plan.laid)}

    own = (
        Derived("mouth_width", "mouth between the noses", 2 * hoop.inner * math.sin(plan.nose), "mm", "2·r·sin(mouth/2)",
                "geometry, as printed"),
        Derived("opens", "opens by", 2 * way.most, "mm", "both noses, as the tube passes them", "the way in"),
        Derived("back_factor", "stress at the back, inside", hoop.factor, "×", "t·(r_n − r_i)/(6·e·r_i), over a straight bar's",
                "Winkler–Bach"),
        Derived("pressed", "presses the tube", plan.pressed, "N", "both noses and the back, when shut", "the way in"),
        Derived("slides_at", "slides along the tube at", plan.slides, "N", "µ · creep · all forces on the tube",
                process.plastic.source),
        Derived("turns_at", "turns on the tube at", plan.slides * p.diameter / 2, "N·mm", "the same, at the tube's radius",
                process.plastic.source),
    )
    checks = []
    if p.stay > 0:
        checks.append(Check("stays-put", "Stays where put", plan.slides, p.stay, "N", stop=0.5 * p.stay,
                            mend=("clearance", "wall", "width"), printer=True,
                            why=f"friction of {plan.pressed:.1f} N on the tube, crept for a year",
                            topic="shape", basis="the force along the tube you ask it to stand"))
    size = p.width + 1.0 if p.layers == "along" else p.width
    at = [tree.moved_point(plan.laid, point) for point in (
        (0.0, -p.diameter / 2, size), (0.0, p.diameter / 2, size), (-plan.outer, 0.0, size), (-plan.inner, 0.0, size))]
    look = Look(plan.draw, plan.seated, lying_along(p.layers), bends,
                (Callout(f"tube {p.diameter:g}", at[0], at[1]), Callout(f"wall {p.wall:g}", at[2], at[3])),
                label="Clip on", section=middle_of(p.layers, p.width),
                roots=(pressing.root(-0.97 * plan.inner, -plan.outer - 1, plan.outer + 1, p.width, 3, plan.laid),))
    mends = Mends(("mouth", "wall", "foot"), ("mouth", "wall", "width"), ("wall", "mouth", "width"), ("clearance",))
    what = f"An open ring {p.wall:g} thick opens {2 * way.most:.1f} mm to let a tube of {p.diameter:g} in."
    return solution(KIND.id, snap, look, mends, what=what, bend="mouth", force="wall", derived=own, checks=tuple(checks),
                    bought=(Bought(f"tube or pole, {p.diameter:g} mm", 1, "as measured; it is not printed"),))


KIND = Kind(
    id="tube-clip",
    title="Tube clip",
    summary="An open ring that snaps over a tube or pole and grips it.",
    needs=(HOLD,),
    params=TubeClipParams,
    solve=solve,
    questions=questions(
        Question("What does it go over?", ("diameter", "backing")),
        Question("What opens?", ("wall", "width", "mouth", "foot", "fillet")),
        Question("How does the tube find its way in, and does it grip?", ("lead_angle", "lip", "clearance", "stay")),
    ),
    recommend="wall",
    test_piece={"backing": 3},
    cautions=(*CAUTIONS, "Nothing that people hang on or under: a clip lets go when it is pulled, warmed or old."),
    outcomes=SNAPPED,
    sides={"clip": "what the clip stands on"},
    tuned=("wall", "mouth", "width", "lead_angle", "foot", "clearance"),
)
