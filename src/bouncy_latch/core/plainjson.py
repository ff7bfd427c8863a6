"""The one door for JSON from outside: plain values only, numbers a float can hold, text that can be written again."""

from __future__ import annotations

import json
import math
from typing import Any

from bouncy_latch.core.errors import ReadError

MOST_DIGITS = 15
"""Of a whole number; more than a double can tell apart."""


def loads(data: bytes | str, name: str) -> Any:
    """Return what a JSON text holds; ``name`` is used in sentences.

    Raises:
        ReadError: for damaged text, NaN or infinity, numbers beyond all measure, half characters, or nesting without end.
    """
    def constant(text: str) -> float:
        raise ReadError(f"{name} holds {text} where a number belongs", field=name)

    def whole(text: str) -> int:
        if len(text.lstrip("-")) > MOST_DIGITS:
            raise ReadError(f"{name} holds a number of {len(text)} digits", field=name)
        return int(text)

    def number(text: str) -> float:
        value = float(text)
        if not math.isfinite(value):
            raise ReadError(f"{name} holds the number {text[:20]}, which is beyond all measure", field=name)
        return value

    try:
        text = data if isinstance(data, str) else data.decode("utf-8-sig")
        found = json.loads(text, parse_constant=constant, parse_int=whole, parse_float=number)
        # Escapes may name half a character, which no file could hold again.
        if "\\u" in text:
            json.dumps(found, ensure_ascii=False).encode()
    except (ValueError, RecursionError):
        raise ReadError(f"{name} is damaged or no JSON", field=name) from None
    return found
