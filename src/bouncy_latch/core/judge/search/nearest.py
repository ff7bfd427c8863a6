"""The nearest design that can be made, where the sizes that were asked for describe none.

A refusal names one size and its limit; often another size gives way more easily, and sometimes only two together do.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import combinations, islice, product
from typing import Any

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import SolveError, UserError
from bouncy_latch.core.fields import Facts
from bouncy_latch.core.progress import checkpoint

FACTORS = (0.95, 1.05, 0.9, 1.1, 0.8, 1.25, 0.67, 1.5, 0.5, 2.0)
"""By what a size is multiplied, the least change first."""
FEW_FACTORS, FEW_SIZES, MOST = (0.8, 1.25, 0.5, 2.0), 9, 120
"""The same for two sizes at a time, of so many, and designs that are tried at the most."""
LOOKED_AT, LED = 30, 10
"""Designs among which the likeliest is chosen, and refusals that are followed one after the other."""
PARTS = (0.9, 0.75, 0.5, 0.25)
"""Of the way to what was asked, how much is tried of a size that cannot be had whole."""
AT_ONCE = 30
"""Designs that are tried where somebody waits for the sentence."""
ANOTHER_FORM = 0.6
"""What another word of a choice counts, as a part of a size."""
NAMED = 4
"""Sizes that a sentence names."""
GIVEN_COUNTS = 3.0
"""How much more a change counts of what the user measured or asks for."""


def nearest(design: Design, error: SolveError, fixed: frozenset[str] = frozenset(), most: int = MOST) -> Design | None:
    """Return the design that can be made with the least change of one size or of two, else by following what each refusal
    names; None where none was found.

    ``error``: what refused the design. ``fixed``: parameters that stay as they are. ``most``: designs tried at the most.

    Raises:
        Cancelled: when the work under way should stop.
    """
    return next(near(design, error, fixed, most), None)


def likeliest(design: Design, error: SolveError, fixed: frozenset[str] = frozenset()) -> Design | None:
    """Return of the nearest designs that can be made the one that is likeliest to work; as :func:`nearest`."""
    # Of two that are as likely, to a hundredth, the one with the least change.
    looked_at = islice(near(design, error, fixed), LOOKED_AT)
    return max(looked_at, key=lambda made: round(made.figures().aim.chance, 2), default=None)


def near(design: Design, error: SolveError, fixed: frozenset[str] = frozenset(), most: int = MOST) -> Iterator[Design]:
    """Yield designs that can be made, those with the least change first; as :func:`nearest`."""
    facts = {name: each for name, each in design.params.active().items() if name not in fixed and not each.open_choice
             and getattr(design.params, name) is not None}
    tried = 0
    for count, factors in ((1, FACTORS), (2, FEW_FACTORS)):
        names = sorted(facts, key=lambda name: (name != error.field, facts[name].role == "given", bool(facts[name].choices),
                                                name not in design.kind.tuning.sizes))
        steps: dict[str, list[Any]] = {}
        for name in names:
            each, now = facts[name], getattr(design.params, name)
            if each.choices:
                steps[name] = [] if each.role == "given" else [word for word in each.choices if word != now]
            else:
                steps[name] = list(_steps(each, float(now), factors, error.limit if name == error.field else None))
        chosen = names if count == 1 else names[:FEW_SIZES]
        changes = [dict(zip(pair, values, strict=True)) for pair in combinations(chosen, count)
                   for values in product(*(steps[name] for name in pair))]
        for change in sorted(changes, key=lambda each: _far(design, facts, each)):
            checkpoint()
            if (tried := tried + 1) > most:
                break
            if (made := _made(design, change)) is not None:
                yield made
    if (led := _led(design, error, facts)) is not None:
        yield led
    # Whether figures can be worked out is known at once, whether the solid can be drawn takes longer.
    for drawn in (False, True):
        restored = _restored(design, facts, drawn)
        if restored is not None and (drawn or _made(restored, {}) is not None):
            yield restored
            break


def _made(design: Design, change: dict[str, Any], drawn: bool = True) -> Design | None:
    try:
        made = design.changed(**change)
        if drawn:
            made.solve()
        else:
            made.figures()
    except UserError:
        return None
    return made


def _led(design: Design, error: SolveError, facts: dict[str, Facts]) -> Design | None:
    """Return what comes of giving each refusal in turn the limit that it names; None where that leads nowhere."""
    for _ in range(LED):
        each, limit = facts.get(error.field or ""), error.limit
        if each is None or each.choices or not isinstance(limit, (int, float)) or not math.isfinite(limit):
            return None
        now = float(getattr(design.params, each.name))
        value = each.rounded(min(max(float(limit), each.low), each.high))
        # A limit may be one that is just missed, or lie between two steps of the size.
        past = each.rounded(min(max(value + math.copysign(each.step, limit - now), each.low), each.high))
        for attempt in (value, past):
            if (made := _made(design, {each.name: attempt})) is not None:
                return made
        try:
            design = design.changed(**{each.name: past})
            design.solve()
        except SolveError as next_one:
            error = next_one
        except UserError:
            return None
    return None


def _restored(design: Design, facts: dict[str, Facts], drawn: bool) -> Design | None:
    """Return what comes of a design that can be made, the kind's own, by giving back to it one asked size after the other as
    long as it can be made, and what cannot be given back whole in part; None where not even that one can be made.

    What the user gave comes first, then choices; so far apart from anything that can be made, many sizes have to give way.
    """
    own = design.kind.params()
    made = _made(design, {name: getattr(own, name) for name in facts}, drawn)
    if made is None:
        return None
    wanted = sorted((name for name in facts if getattr(made.params, name) != getattr(design.params, name)),
                    key=lambda name: (facts[name].role != "given", not facts[name].choices))
    for _ in range(2):  # what one size stood in the way of may be possible once others are back
        for name in list(wanted):
            checkpoint()
            if (better := _made(made, {name: getattr(design.params, name)}, drawn)) is not None:
                made = better
                wanted.remove(name)
    for name in wanted:
        now, asked = getattr(made.params, name), getattr(design.params, name)
        for part in () if facts[name].choices or now is None else PARTS:
            if (better := _made(made, {name: facts[name].rounded(now + part * (asked - now))}, drawn)) is not None:
                made = better
                break
    return made


def _steps(facts: Facts, now: float, factors: tuple[float, ...], limit: object) -> Iterator[float]:
    """Yield other values of a size within its range: its limit, where the refusal named one, and others further and further."""
    wanted = [now * factor for factor in factors] + [now + facts.step, now - facts.step]
    if isinstance(limit, (int, float)) and math.isfinite(limit):
        wanted += [float(limit), float(limit) + facts.step, float(limit) - facts.step]
    seen = {now}
    for value in wanted:
        value = facts.rounded(min(max(value, facts.low), facts.high))
        if value not in seen:
            seen.add(value)
            yield value


def _far(design: Design, facts: dict[str, Facts], change: dict[str, Any]) -> float:
    far = 0.0
    for name, value in change.items():
        now = getattr(design.params, name)
        if facts[name].choices:
            far += ANOTHER_FORM
            continue
        scale = max(abs(now), abs(value), facts[name].step)
        far += abs(value - now) / scale * (GIVEN_COUNTS if facts[name].role == "given" else 1.0)
    return far


def sentence(design: Design, error: SolveError, fixed: frozenset[str] = frozenset(), most: int = MOST) -> str:
    """Return a refusal with the nearest design that can be made, where there is one; raises as :func:`nearest`."""
    found = nearest(design, error, fixed, most)
    if found is None:
        return error.sentence
    facts = type(design.params).facts()
    said = []
    for name, each in facts.items():
        now = getattr(found.params, name)
        if now != getattr(design.params, name):
            said.append(f"{each.label} left empty" if now is None else f"{each.label} {now}" if each.choices
                        else f"{each.label} {now:g} {each.unit}".rstrip())
    listed = " and ".join(said[:NAMED]) + (f" and {len(said) - NAMED} more sizes" if len(said) > NAMED else "")
    return f"{error.sentence}. Nearest that can be made: {listed}"
