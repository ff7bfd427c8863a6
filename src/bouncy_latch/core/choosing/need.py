"""What is wanted of a mechanism, in one vocabulary for all kinds."""

from __future__ import annotations

from typing import Any

from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.fields import Params, choice, number
from bouncy_latch.core.mechanisms.contract import Kind
from bouncy_latch.core.mechanisms.contract.answer import APART, DIRECTIONS, JOIN, NO_MATTER, OPENED, SOMETIMES, TASKS, VISIBLE
from bouncy_latch.core.process.profile import Policy

ROOM = ("room_length", "room_width", "room_height")
"""Fields that say how large the mechanism may be; they are compared with its solid and answered by no parameter."""
_OWN = {"task", "printer", *ROOM}


class Need(Params):
    """A need: what is left empty does not matter."""

    task: str = choice(JOIN, TASKS, label="task", role="given", source="you",
                       help="Join two parts, close an opening, hold a thing, turn, or spring back.")
    load: float | None = number(None, label="must hold", unit="N", role="given", low=0.1, high=5000, step=1, source="you",
                                help="Pull or push that the mechanism must bear in use without letting go.")
    direction: str = choice(APART, DIRECTIONS, label="load acts", role="given", source="you",
                            help="Apart: against the way the parts were put together. Sideways: across it.")
    effort: float | None = number(None, label="put together with", unit="N", role="given", low=1, high=400, step=1,
                                  source="you", help="Greatest push of a hand; a thumb gives about 40 N (common practice).")
    opened: str = choice(SOMETIMES, OPENED, label="undone", role="given", source="you",
                         help="How often the parts are taken apart again. Never allows one use of the plastic; daily asks for "
                              "3000.")
    click: float | None = number(None, label="click at least", unit="N·mm", role="given", low=0.05, high=500, step=0.5,
                                 source="you", help="Energy freed as the mechanism snaps shut: 0.5 N·mm is felt, 2 is heard "
                                                    "(common practice, no source).")
    play: float | None = number(None, label="play at most", unit="mm", role="given", low=0.0, high=5, step=0.05, source="you",
                                help="How far the closed parts may move against each other; from 0.15 mm on they rattle "
                                     "(common practice, no source).")
    force: float | None = number(None, label="force wanted", unit="N", role="given", low=0.05, high=1000, step=0.5,
                                 source="you", help="Of a spring: its force at its travel.")
    travel: float | None = number(None, label="travel wanted", unit="mm", role="given", low=0.1, high=200, step=0.5,
                                  source="you", help="Of a spring: how far it moves.")
    torque: float | None = number(None, label="torque wanted", unit="N·mm", role="given", low=0.1, high=100_000, step=1,
                                  source="you", help="Of what turns: the torque it gives or bears.")
    size: float | None = number(None, label="tube, neck or opening", unit="mm", role="given", low=1, high=400, step=0.1,
                                source="you", help="Measured diameter of what it goes round or into.")
    room_length: float | None = number(None, label="room, length", unit="mm", role="given", low=1, high=1000, step=1,
                                       source="you", help="Greatest length of the mechanism as printed, its longest side.")
    room_width: float | None = number(None, label="room, width", unit="mm", role="given", low=1, high=1000, step=1,
                                      source="you", help="Greatest width of the mechanism as printed, its middle side.")
    room_height: float | None = number(None, label="room, thickness", unit="mm", role="given", low=1, high=1000, step=1,
                                       source="you", help="Greatest thickness of the mechanism as printed, its shortest side.")
    visible: str = choice(NO_MATTER, VISIBLE, label="stays plain", role="given", source="you",
                          help="Whether one face of the joined parts must stay plain.")
    printer: str = choice(Policy.MINE.value, tuple(policy.value for policy in Policy), label="whose printer", role="given",
                          source="you", help="Your printer, or anyone who downloads the files.")


def answered(kind: Kind, need: Need) -> dict[str, Any]:
    """Return the parameters with which a kind answers a need.

    Raises:
        ParamError: with the reason, where it cannot: it is for another task, a word is refused, or a number has no parameter.
    """
    if need.task not in kind.tasks:
        raise ParamError(f"a {kind.title.lower()} is not made to {need.task}", field="task", value=need.task)
    found: dict[str, Any] = {}
    facts = kind.params.facts()
    for name, fact in need.facts().items():
        value, answer = getattr(need, name), kind.answers.get(name)
        if name in _OWN or value is None:
            continue
        if fact.choices:
            if answer is None:
                continue
            if value in answer.refuses:
                raise ParamError(f"a {kind.title.lower()} does not answer “{fact.label} {value}”: {answer.refuses[value]}",
                                 field=name, value=value)
            found.update(answer.sets.get(value, {}))
            continue
        if answer is None:
            raise ParamError(f"a {kind.title.lower()} has no figure that answers “{fact.label} {value:g} {fact.unit}”",
                             field=name, value=value)
        if not answer.param:
            continue
        own = facts[answer.param]
        wanted = answer.of(value)
        if not own.low <= wanted <= own.high:
            raise ParamError(f"a {kind.title.lower()} takes {own.label} from {own.low:g} to {own.high:g} {own.unit}, not "
                             f"{wanted:g}", field=name, value=value, limit=min(max(wanted, own.low), own.high))
        found[answer.param] = wanted
    return found
