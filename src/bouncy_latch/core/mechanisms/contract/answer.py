"""How a kind answers a need: which of its parameters takes what is wanted, and which figure says what came of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field
from typing import Any

from bouncy_latch.core.frozen import frozen

JOIN, CLOSE, HOLD, TURN, SPRING = TASKS = ("join", "close", "hold", "turn", "spring back")
"""What a mechanism is wanted for."""
NEVER, SOMETIMES, DAILY = OPENED = ("never", "sometimes", "daily")
"""How often what is joined is undone."""
APART, SIDEWAYS = DIRECTIONS = ("apart", "sideways")
"""Which way a load acts: against the way the parts were put together, or across it."""
NO_MATTER, ONE_FACE = VISIBLE = ("no matter", "one face")
"""Which faces must show nothing of the mechanism."""


@frozen
class Answer:
    """What a kind does with one field of a need.

    Attributes:
        param: its parameter that takes the value as it is; empty for none.
        sets: of a field that is a choice, what each word sets of its parameters; words that are missing change nothing.
        refuses: words it cannot do, with the reason as a clause.
        figure: the derived figure that says what came of what was wanted; empty for none. Without parameter and figure the
            field does not matter to the kind, as a push does not to what is screwed together.
        of: turns the wanted value into that of the parameter.
    """

    param: str = ""
    sets: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    refuses: Mapping[str, str] = field(default_factory=dict)
    figure: str = ""
    of: Callable[[float], float] = float


Answers = Mapping[str, Answer]
"""By the names of a need's fields."""
