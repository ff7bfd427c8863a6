"""Tube clip: an open ring that snaps over a tube or pole, sideways, and grips it.

Drawn lying, the tube's axis along z through the origin, the mouth towards +x, the foot it stands on towards −x. Either half of
the ring is a curved spring whose nose rides over the round of the tube; the half below y = 0 is computed, the other is its
mirror image.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.fields import number, other_default
from bouncy_latch.core.flex.contact import Ride
from bouncy_latch.core.flex.hoop import Hoop
from bouncy_latch.core.flex.outlines import Point
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.mechanisms.snaps import pressing, shapes
from bouncy_latch.core.mechanisms.snaps.fields import SnapParams
from bouncy_latch.core.mechanisms.snaps.snap import Snap
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.parts import blocks
from bouncy_latch.core.parts.body import BOUGHT, Body, Feature
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
                             help="Measured diameter of the tube or pole.", source="you")
    wall: float = number(2.7, label="wall", unit="mm", role="chosen", low=0.8, high=20, step=0.1,
                         help="Thickness of the ring. Thicker holds more and cracks sooner at its back.")
    width: float = number(18, label="width", unit="mm", role="chosen", low=2, high=100, step=0.5,
                          help="Width of the clip along the tube.")
    mouth: float = number(146, label="mouth", unit="°", role="chosen", low=40, high=176, step=1,
                          help="Angle of the opening between the two noses, seen from the tube's axis.")
    lead_angle: float = number(30, label="lip angle", unit="°", role="chosen", low=10, high=75, step=1,
                               help="Angle of the flared lips from the push direction; the tube meets them first.")
    lip: float = number(3, label="lip", unit="mm", role="chosen", low=0.5, high=30, step=0.5,
                        help="Length of the flared lips.")
    foot: float = number(6, label="foot", unit="mm", role="chosen", low=2, high=200, step=0.5,
                         help="Width of what the ring stands on; a wide foot leaves less of it to bend.")
    fillet: float = number(2.6, label="root fillet", unit="mm", role="chosen", low=0.2, high=20, step=0.1,
                           help="Radius between the ring's outside and its foot.")
    hold: float = other_default(SnapParams, "hold", 8)
    clearance: float = number(-0.04, label="clearance", unit="mm", role="chosen", low=-1.0, high=1.0, step=0.01,
                              help="Between tube and ring, per side, as drawn; below 0 the ring is smaller and grips.")
    stay: float = number(0, label="must not slide below", unit="N", role="given", low=0, high=2000, step=0.5, source="you",
                         help="Force along the tube that must not make the clip slide; 0 if it may slide.")
    backing: float = blocks.backing(8, label="behind", low=2, high=200, part="foot", help="Length of the block the part "
                                                                                          "stands on.")


@frozen
class TubeClipPlan:
    """A design worked out, before it is judged."""

    p: TubeClipParams
    process: Process

    @cached_property
    def inner(self) -> float:
        """Inner radius, mm."""
        return self.p.diameter / 2 + self.p.clearance

    @cached_property
    def outer(self) -> float:
        """Outer radius, mm."""
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

    @property
    def plain_areas(self) -> Array:
        """Area of the ring's printed section along it, mm²; NaN under the lip."""
        hoop = self.printed
        angles = np.arctan2(-hoop.nodes[1:, 1], -hoop.nodes[1:, 0])
        under = min(2 * hoop.thickness / hoop.middle, 0.3 * (self.nose - hoop.begins))
        return np.where(angles < self.nose - under, hoop.areas, np.nan)

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
        """Its mechanics: the way in and out, what it bears and what tears."""
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
        """From the drawn coordinates to the print pose."""
        return pressing.laid(self.p.layers, -self.outer - self.p.backing)

    def ring(self) -> Feature:
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
        return Feature("clip", "A", add=tree.union([arc, nose, nose.mirror("y")]))

    def draw(self) -> tuple[tuple[Body, ...], tuple[Feature, ...]]:
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
