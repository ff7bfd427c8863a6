"""What may be round a spring that moves in a line: a frame it is printed in, whose end wall stops it, and a floor and a roof.

The spring lies along y, its fixed end grown into the frame's foot. Its moving end passes through the end wall: a collar inside
stops it when it is stretched, one outside when it is pressed. Between floor and roof the frame's rails carry both.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bouncy_latch.core.checks import Check
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.breakaway import HAND_PULL, Strength
from bouncy_latch.core.layers.facing import Facing, freeing
from bouncy_latch.core.mechanisms.contract import Derived
from bouncy_latch.core.mechanisms.springs.spring import BEYOND, room_for
from bouncy_latch.core.numbers import Array
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree
from bouncy_latch.core.solids.outline import rectangle

Mask = npt.NDArray[np.bool_]
NOTHING, FRAME, COVERED = "nothing", "a frame", "a frame, floor and roof"
AROUND = (NOTHING, FRAME, COVERED)
WALL, COLLAR = 4.0, 3.0
"""Thickness of the frame's walls and length of the collar, mm (common practice, no source)."""
LIP = 3.0
"""How far the collar reaches beyond the opening on either side, mm (common practice, no source)."""
FLOOR, ROOF = 0.8, 1.0
"""Thickness of the floor and of the roof, mm (common practice, no source)."""
SURE = 0.95
"""Chance to come free that floor and roof are given room for."""
MOST_LAYERS = 5


def breaks_loose(process: Process, layers: int, line: tuple[float, float], holds: float, lies_on: tuple[str, ...] = ("plate",)
                 ) -> float:
    """Return the chance that a bar breaks loose by hand from what it was laid over or covered by.

    Args:
        layers: of air between. line: length of bar that holds at a time and its thickness, mm. holds: force the bar stands, N.
    """
    faces = tuple(Facing(name, line[0] * line[1], math.pi / 2, layers * process.layer_height, 1.0) for name in lies_on)
    return freeing(faces, process, Strength(min(HAND_PULL, holds), holds, holds, "N", weakest="its bar")).by_hand


def layers_to_break(process: Process, line: tuple[float, float], holds: float, lies_on: tuple[str, ...] = ("plate",)) -> int:
    """Return the fewest layers of air from which a bar breaks loose as good as always, or the most that are worth it."""
    return next((count for count in range(1, MOST_LAYERS) if breaks_loose(process, count, line, holds, lies_on) >= SURE),
                MOST_LAYERS)


@frozen
class Cover:
    """A floor and a roof that a spring is printed between, with as few layers of air as let a hand break it loose from both.

    Attributes:
        process: it prints on. high: of the spring's bars, mm. line: length of bar that stands over the floor at the front of a
        tear, and its thickness, mm. holds: force its bar stands, N.
    """

    process: Process
    high: float
    line: tuple[float, float]
    holds: float

    @cached_property
    def layers(self) -> int:
        """Layers of air under and over the spring: as few as free it by hand."""
        return layers_to_break(self.process, self.line, self.holds, ("floor", "roof"))

    @property
    def by_hand(self) -> float:
        """Chance that it comes free of floor and roof by hand."""
        return breaks_loose(self.process, self.layers, self.line, self.holds, ("floor", "roof"))

    @property
    def air(self) -> float:
        """Air under and over the spring, mm."""
        return self.layers * self.process.layer_height

    @property
    def lifted(self) -> float:
        """Height above the bed at which the spring begins, mm."""
        return FLOOR + self.air

    @property
    def top(self) -> float:
        """Height of the whole, mm."""
        return self.lifted + self.high + self.air + ROOF

    def hides(self, z: Array) -> Mask:
        """Return which heights (n,) are those of floor and roof, or of the air beside them."""
        return np.asarray((z < self.lifted - 1e-6) | (z > self.lifted + self.high + 1e-6))

    def slabs(self, over: Callable[[float], tree.Solid]) -> list[tree.Solid]:
        """Return floor and roof; ``over``: a slab of a thickness (mm) on the bed."""
        return [over(FLOOR), over(ROOF).move(z=self.top - ROOF)]

    def check(self, mend: tuple[str, ...]) -> Check:
        """Return the verdict on whether it comes free."""
        return Check("leaves-covers", "Comes free of floor and roof", 100 * self.by_hand, 90, "%", stop=50, printer=True,
                     mend=mend, topic="fit",
                     why=f"{self.layers} layers of air above and below; the bars come off one by one as the spring's end is "
                         f"moved",
                     basis="90 % of prints (common practice, no source)")

    @property
    def derived(self) -> Derived:
        """The air, as a figure."""
        return Derived("air", "air under and over it", self.air, "mm", "fewest layers from which a hand frees it",
                       "what hangs on what it lies over")


@frozen
class Frame:
    """A frame round a spring.

    Attributes:
        process: it prints on. half: half the width of what moves in it, mm. foot: y of the inside of its foot. head: y from
        which on the moving end is a plain neck, ``neck`` mm wide. travel: of the spring, mm. way: 1 where it is stretched, -1
        pressed. grip: length of what is gripped outside, mm. high: of the bars, mm. cover: floor and roof, where it has them.
    """

    process: Process
    half: float
    foot: float
    head: float
    neck: float
    travel: float
    way: int
    grip: float
    high: float
    cover: Cover | None

    @cached_property
    def room(self) -> float:
        """Between what moves and the frame, mm."""
        return room_for(self.process)

    @property
    def stops_at(self) -> float:
        """Travel at which the collar meets the end wall, mm."""
        return (1 + BEYOND) * self.travel

    @property
    def inside(self) -> float:
        """Half the width between its rails, mm."""
        return max(self.half, self.neck / 2 + LIP) + self.room

    @property
    def collar(self) -> float:
        """Where the collar is, y within the frame, mm; it also keeps a pressed spring from falling out."""
        return self.head + self.room

    @property
    def wall(self) -> float:
        """Where the inside of its end wall is, y, mm."""
        return self.collar + COLLAR + (self.stops_at if self.way > 0 else self.room)

    @property
    def end(self) -> float:
        """Where what moves ends, y, mm."""
        return self.wall + WALL + (self.room if self.way > 0 else self.stops_at) + self.grip

    @property
    def lifted(self) -> float:
        """Height above the bed at which the spring begins, mm."""
        return self.cover.lifted if self.cover else 0.0

    @property
    def top(self) -> float:
        """Its height, mm."""
        return self.cover.top if self.cover else self.high

    def moving(self) -> tree.Solid:
        """Neck, collar and grip of the moving end, from the head on, at the height of the bars."""
        half, lip = self.neck / 2, self.neck / 2 + LIP
        pieces = [rectangle(-half, self.head - 0.5, half, self.end), rectangle(-lip, self.collar, lip, self.collar + COLLAR)]
        if self.way < 0:
            pieces.append(rectangle(-lip, self.end - self.grip, lip, self.end))
        whole = tree.union([tree.Extrude(each, self.high) for each in pieces]).move(z=self.lifted)
        if self.cover is None:
            return whole
        # What is gripped stands on the bed, beyond the floor.
        half = lip if self.way < 0 else half
        gripped = rectangle(-half, self.end - self.grip, half, self.end)
        return tree.union([whole, tree.Extrude(gripped, self.lifted + self.high)])

    def standing(self) -> tree.Solid:
        """Its foot, rails and end wall, and floor and roof where it has them."""
        out, opening, top = self.inside + WALL, self.neck / 2 + self.room, self.top
        far = self.wall + WALL
        pieces: list[tree.Solid] = [
            tree.Extrude(rectangle(-out, self.foot - WALL, out, self.foot), top),
            *(tree.Extrude(rectangle(a, low, b, far), top) for low, a, b in (
                (self.foot - 0.5, -out, -self.inside), (self.foot - 0.5, self.inside, out),
                (self.wall, -out, -opening), (self.wall, opening, out)))]
        if self.cover:
            over = rectangle(-out, self.foot - WALL, out, far)
            pieces += self.cover.slabs(lambda thick: tree.Extrude(over, thick))
        return tree.union(pieces)
