"""Shapes the advice is tried on: printed in place and moving, or printed apart and fitted, each of one gap.

They share nothing with the kinds; the advice for them is the gap chart's, as a user with a design of his own would take it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial

from bouncy_latch.core.freedom import APART, TURN, Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import HAND_FORCE, TOOL_FACTOR, Strength
from bouncy_latch.core.layers.facing import Facing, bed_faces
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.tree import Solid


@frozen
class Shape:
    """A shape of one gap.

    Attributes:
        situation: the gap chart's name for it. build: bodies by name for a gap, mm.
        freedom: how the second body moves. strength: what a hand and a tool give.
        faces: its facing surfaces for a gap on a process, as the quick prediction wants them.
        play: how much play is allowed, ± mm. flat: whether its gap lies across the layers.
    """

    id: str
    label: str
    situation: str
    build: Callable[[float], dict[str, Solid]]
    freedom: Freedom
    strength: Strength
    faces: Callable[[float, Process], tuple[Facing, ...]]
    play: float = 0.3
    flat: bool = False


def _turned_by(radius: float) -> Strength:
    """What a hand and a tool give on a rim of ``radius`` mm; such short parts do not break before."""
    hand = HAND_FORCE * max(radius, 12.0)
    return Strength(hand, TOOL_FACTOR * hand, math.inf)


def _bearing(gap: float, chamfer: float = 0.0) -> dict[str, Solid]:
    """A core turning in a ring on two 45° cones, both standing on the bed, their edges there square or chamfered."""
    wide = gap * math.sqrt(2)
    core = tree.union([tree.Cone(9, 5, 4), tree.Cone(5, 9, 4).move(z=4)])
    room = tree.union([tree.Cone(9 + wide, 5 + wide, 4), tree.Cone(5 + wide, 9 + wide, 4).move(z=4),
                       tree.cylinder(9 + wide, 2).move(z=-2), tree.cylinder(9 + wide, 2).move(z=8)])
    if chamfer:
        # What a 45° chamfer leaves of a cone that leans away from it is upright, of one that leans towards it twice as flat.
        core = core & (tree.cylinder(9 - chamfer, chamfer) + tree.cylinder(14, 8).move(z=chamfer))
        room = room + tree.Cone(9 + wide + chamfer, 9 + wide - chamfer, chamfer)
    return {"core": core, "ring": tree.cylinder(14, 8) - room}


def _lying(gap: float) -> dict[str, Solid]:
    """A roller between two cheeks on 45° cones whose axis lies along the bed; cheeks and roller stand on the bed."""
    high, half, wide = 5.0, 4.0, gap * math.sqrt(2)
    right = (0.0, 0.0, 1.0, half, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, high)
    left = (0.0, 0.0, -1.0, -half, -1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, high)
    barrel = tree.along_x(tree.cylinder(5.2, 2 * half), -half, 0.0, high)
    cone, pocket = tree.Cone(3.0, 0.2, 2.8), tree.Cone(3.0 + wide, 0.2, 2.8 + wide)
    roller = tree.union([barrel, tree.Placed(cone, right), tree.Placed(cone, left)]) & tree.Box(-20, -9, 0, 20, 9, 20)
    cheeks: list[Solid] = [tree.Box(half + gap, -7, 0, half + gap + 5, 9, 9.6) - tree.Placed(pocket, right),
                           tree.Box(-half - gap - 5, -7, 0, -half - gap, 9, 9.6) - tree.Placed(pocket, left),
                           tree.Box(-half - gap - 5, 7.0, 0, half + gap + 5, 9.0, 9.6)]
    return {"cheeks": tree.union(cheeks), "roller": roller}


def _ball(gap: float) -> dict[str, Solid]:
    """A ball with a flat to stand on, in a socket that stands round it."""
    room = tree.Sphere(5 + gap).move(z=4)
    ball = tree.Sphere(5).move(z=4) & tree.Box(-9, -9, 0, 9, 9, 20)
    return {"socket": tree.cylinder(9, 7) - room, "ball": ball}


def _lid(gap: float) -> dict[str, Solid]:
    """A lid hanging over a pad, as wide as it."""
    return {"pad": tree.Box(0, 0, 0, 12, 12, 3), "lid": tree.Box(0.5, 0.5, 3 + gap, 11.5, 11.5, 5 + gap)}


def _bearing_faces(gap: float, process: Process, chamfer: float = 0.0) -> tuple[Facing, ...]:
    cones = 2 * math.pi * (9 + 5) * 4 * math.sqrt(2)
    return (Facing("cones", cones, math.pi / 4, gap, 7.0),
            *bed_faces("first layers", 2 * math.pi * 9, gap, 9.0, process, (chamfer, chamfer), math.pi / 4, level=True))


_CHORD = 2 * math.sqrt(5.2**2 - 4.7**2)
"""How wide the lying roller is 0.3 above the bed, in the middle of what its foot reaches, mm."""


def _lying_faces(gap: float, process: Process) -> tuple[Facing, ...]:
    ring = math.pi * (5.2**2 - 3.0**2)
    cones = math.pi * 3.0 * 2.8 * math.sqrt(2)
    tilts = [math.pi / 4 * (i + 0.5) / 4 for i in range(4)]
    # Half of a lying cone looks up and half down, at every tilt up to its slope.
    return (Facing("ends", 2 * ring, 0.0, gap, 4.2), *(Facing("cones", 2 * cones / 4, tilt, gap, 2.0) for tilt in tilts),
            *bed_faces("first layers", 2 * _CHORD, gap, 5.0, process, (0.0, 0.0)))


def _ball_faces(gap: float, process: Process) -> tuple[Facing, ...]:
    heights = [(-4.0 + 7.0 * (i + 0.5) / 8) for i in range(8)]
    bands = 2 * math.pi * 5 * 7.0 / 8
    return (*(Facing("ball", bands, math.asin(min(abs(z) / 5, 1.0)), gap, 4.0) for z in heights),
            *bed_faces("first layers", 2 * math.pi * 3, gap, 4.0, process, (0.0, 0.0), math.asin(4 / 5)))


def _lid_faces(gap: float, process: Process) -> tuple[Facing, ...]:
    return (Facing("lid", 121.0, math.pi / 2, gap, 1.0),)


IN_PLACE = (
    Shape("bearing", "upright bearing", "bed-slope", _bearing, Freedom(TURN, (0.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
          _turned_by(14.0), _bearing_faces),
    Shape("lying", "lying cones", "bed-wall", _lying, Freedom(TURN, (0.0, 0.0, 5.0), (1.0, 0.0, 0.0)), _turned_by(5.2),
          _lying_faces),
    Shape("ball", "ball in a socket", "bed-slope", _ball, Freedom(TURN, (0.0, 0.0, 4.0), (1.0, 0.0, 0.0)), _turned_by(9.0),
          _ball_faces),
    Shape("lid", "lid over a flat", "place-flat", _lid, Freedom(APART),
          Strength(HAND_FORCE, TOOL_FACTOR * HAND_FORCE, math.inf, "N", 1.0), _lid_faces, 0.6, flat=True),
)
"""All of them printed in place."""


def chamfered(chamfer: float) -> Shape:
    """Return the upright bearing with the bed chamfer that is advised for it, mm, at the gap it has away from the bed."""
    return replace(IN_PLACE[0], id="chamfered", label="upright bearing, chamfered as advised", situation="place-slope",
                   build=partial(_bearing, chamfer=chamfer), faces=partial(_bearing_faces, chamfer=chamfer))


PEG_DIAMETER, TONGUE = 8.0, (10.0, 6.0)
"""Sizes of what is printed apart and fitted, mm."""


def peg(gap: float) -> tuple[tree.Solid, tree.Solid]:
    """Return a round peg and a block with its hole, ``gap`` mm a side between them."""
    radius = PEG_DIAMETER / 2 - gap
    peg = tree.union([tree.Cone(radius - 0.4, radius, 0.4), tree.cylinder(radius, 7.6).move(z=0.4)])
    hole = tree.union([tree.cylinder(PEG_DIAMETER / 2, 9).move(z=-1), tree.Cone(PEG_DIAMETER / 2 + 0.4, PEG_DIAMETER / 2, 0.4)])
    return peg, tree.Box(-9, -9, 0, 9, 9, 4) - hole


def tongue(gap: float) -> tuple[tree.Solid, tree.Solid]:
    """Return a tongue and its slot, ``gap`` mm a side between them."""
    x, y = TONGUE[0] / 2, TONGUE[1] / 2
    return (tree.Box(gap - x, gap - y, 0, x - gap, y - gap, 8),
            tree.Box(-x - 5, -y - 5, 0, x + 5, y + 5, 4) - tree.Box(-x, -y, -1, x, y, 5))
