"""Declaring a mechanism's parameters once, for every reader: sheet, ruler, command line, docs page and error text."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from copy import copy
from functools import cache
from typing import Any, Self, TypeVar, cast

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo

from bouncy_latch.core import typed
from bouncy_latch.core.errors import ParamError, shortly
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.numbers import on_grid


@frozen
class Facts:
    """What is known about one parameter, read off its field.

    Attributes:
        name: the script name.
        label: the name in the window.
        unit: mm, degrees, … or empty for counts and choices.
        role: ``given`` (the user measured it) or ``chosen`` (the user decides it).
        low, high: sane range, both allowed; NaN for choices.
        step: the step of the arrows and the rounding of remedies.
        help: one sentence.
        source: where the default comes from.
        choices: the allowed words, empty for numbers.
        open_choice: whether a choice may also be a file path.
        inline: what a value taken from a file begins with, once it is kept in the parameters themselves.
        auto: whether the value may be left to the application (None).
        whole: whether only whole numbers make sense.
        when: what other fields must be for this one to matter: pairs of a name and the values it may have; empty: always.
        part: the built-in part whose size it is, in the user's words; empty for the mechanism's own.
    """

    name: str
    label: str
    unit: str
    role: str
    low: float
    high: float
    step: float
    help: str
    source: str
    choices: tuple[str, ...]
    open_choice: bool
    inline: str
    auto: bool
    whole: bool
    when: tuple[tuple[str, tuple[Any, ...]], ...]
    part: str
    default: Any

    def rounded(self, value: float) -> float:
        """Return the value nearest to ``value`` that is in range and on the field's own steps."""
        if self.whole:
            return float(min(self.high, max(self.low, round(value))))
        return on_grid(value, self.step, self.low, self.high)


def number(
    default: float | int | None, *, label: str, unit: str, role: str, low: float, high: float, step: float,
    help: str, source: str = "common practice", whole: bool = False, when: Mapping[str, tuple[Any, ...]] | None = None,
    part: str = "",
) -> Any:
    """Declare a numeric parameter; ``default=None`` leaves it to the application until the user sets it.

    ``when``: values other fields must have for it to matter, by name.
    """
    extra = {"label": label, "unit": unit, "role": role, "low": low, "high": high, "step": step, "source": source,
             "choices": [], "open_choice": False, "inline": "", "auto": default is None, "whole": whole,
             "when": dict(when or {}), "part": part}
    return Field(default, ge=low, le=high, description=help, json_schema_extra=cast(Any, extra))


def other_default(params: type[Params], name: str, default: float | str) -> Any:
    """Return the field ``name`` of some parameters with another default, for a class that takes all else of it over."""
    field = copy(params.model_fields[name])
    field.default = default
    return field


def choice(
    default: str, choices: tuple[str, ...], *, label: str, role: str, help: str, source: str = "common practice",
    open_choice: bool = False, inline: str = "", when: Mapping[str, tuple[Any, ...]] | None = None, part: str = "",
) -> Any:
    """Declare a parameter that is one of several words (or, with ``open_choice``, the path of a file, kept ``inline``)."""
    extra = {"label": label, "unit": "", "role": role, "low": math.nan, "high": math.nan, "step": 1, "source": source,
             "choices": list(choices), "open_choice": open_choice, "inline": inline, "auto": False, "whole": False,
             "when": dict(when or {}), "part": part}
    return Field(default, description=help, json_schema_extra=cast(Any, extra))


class Params(BaseModel):
    """Base of every kind's parameters: frozen, validated, no unknown names, no NaN."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, strict=False, defer_build=True)

    @classmethod
    def facts(cls) -> dict[str, Facts]:
        """Return the facts of every parameter by name, in order of declaration."""
        return _all_facts(cls)

    def active(self) -> dict[str, Facts]:
        """Return the facts of the parameters that matter as the others stand."""
        return {n: f for n, f in type(self).facts().items()
                if all(getattr(self, name, None) in values for name, values in f.when)}

    def changed(self, **values: Any) -> Self:
        """Return these parameters with some changed, checked.

        Raises:
            ParamError: one sentence naming the parameter, the value and what is allowed.
        """
        return parse(type(self), {**self.model_dump(), **values})


P = TypeVar("P", bound=Params)


@cache
def _all_facts(model: type[Params]) -> dict[str, Facts]:
    return {name: _facts(name, info) for name, info in model.model_fields.items()}


def _facts(name: str, info: FieldInfo) -> Facts:
    extra = cast(dict[str, Any], info.json_schema_extra)
    return Facts(
        name=name, label=extra["label"], unit=extra["unit"], role=extra["role"], low=extra["low"], high=extra["high"],
        step=extra["step"], help=info.description or "", source=extra["source"], choices=tuple(extra["choices"]),
        open_choice=extra["open_choice"], inline=extra["inline"], auto=extra["auto"], whole=extra["whole"],
        when=tuple((name, tuple(values)) for name, values in extra["when"].items()), part=extra["part"],
        default=info.default,
    )


def parse(model: type[P], values: dict[str, Any]) -> P:
    """Return checked parameters from loosely typed values (text from a shell or a field included).

    Raises:
        ParamError: for the first thing wrong, as one sentence; all are in the exception's ``limit`` if several.
    """
    facts = model.facts()
    clean: dict[str, Any] = {}
    for name, value in values.items():
        if name not in facts:
            raise ParamError(_unknown(name, facts), field=name, value=value)
        clean[name] = _read(facts[name], value)
    try:
        return model(**clean)
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]) if first["loc"] else None
        if field in facts:
            raise ParamError(_refusal(facts[field], clean.get(field)), field=field, value=clean.get(field)) from None
        raise ParamError(str(first["msg"])) from None


def named_file(model: type[Params], values: Mapping[str, Any]) -> str | None:
    """Return the first parameter whose value names a file that would have to be read, if any."""
    for name, value in values.items():
        facts = model.facts().get(name)
        if facts and facts.open_choice and isinstance(value, str) and value not in facts.choices \
                and not (facts.inline and value.startswith(facts.inline)):
            return name
    return None


def _unknown(name: str, facts: dict[str, Facts]) -> str:
    import difflib

    near = difflib.get_close_matches(name[:60], facts, n=1)
    hint = f"; did you mean '{near[0]}'?" if near else f"; known are {', '.join(facts)}"
    return f"there is no parameter '{shortly(name)}'{hint}"


def _refusal(facts: Facts, value: object) -> str:
    if facts.choices:
        return f"{facts.label} must be one of {', '.join(facts.choices)}, not {shortly(repr(value))}"
    unit = f" {facts.unit}" if facts.unit else ""
    kind = "a whole number" if facts.whole else "a number"
    return f"{facts.label} must be {kind} from {facts.low:g} to {facts.high:g}{unit}, not {shortly(str(value))}"


def _chosen(choices: Sequence[str], said: str) -> str | None:
    """Return the choice that a text means: itself, whatever its capitals and blanks, or a thread's size without its pitch (the
    coarsest of that diameter, which comes first); None for none."""
    if said in choices:
        return said
    plain = {each.lower().replace(" ", ""): each for each in reversed(choices)}
    wanted = said.lower().replace(" ", "").replace("×", "x")
    return plain.get(wanted) or next((each for each in choices if each.lower().startswith(f"{wanted}x")), None)


def _read(facts: Facts, value: Any) -> Any:
    """Return ``value`` as the field's type, text understood as a user means it (decimal comma, inches, 'auto')."""
    if facts.auto and (value is None or (isinstance(value, str) and value.strip().lower() in {"", "auto"})):
        return None
    if facts.choices:
        chosen = _chosen(facts.choices, value) if isinstance(value, str) else None
        if chosen is None and not (isinstance(value, str) and facts.open_choice):
            raise ParamError(_refusal(facts, value), field=facts.name, value=value)
        return value if chosen is None else chosen
    if isinstance(value, bool) or value is None:
        raise ParamError(_refusal(facts, value), field=facts.name, value=value)
    if isinstance(value, str):
        try:
            value = typed.number(value, facts.unit)
        except ValueError:
            raise ParamError(_refusal(facts, f"'{value}'"), field=facts.name, value=value) from None
    try:
        number_value = float(value)
    except (TypeError, ValueError, OverflowError):
        raise ParamError(_refusal(facts, value), field=facts.name, value=value) from None
    outside = not math.isfinite(number_value) or not facts.low <= number_value <= facts.high
    if outside or (facts.whole and number_value != round(number_value)):
        limit = facts.high if number_value > facts.high else facts.low
        raise ParamError(_refusal(facts, f"{number_value:g}"), field=facts.name, value=value, limit=limit)
    return round(number_value) if facts.whole else number_value
