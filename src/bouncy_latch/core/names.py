"""Names that users give to things of theirs: without blanks around them, and the same whatever their capitals."""

from __future__ import annotations

from typing import Annotated

from pydantic import BeforeValidator, Field

LONGEST = 60
"""Letters of a name."""


def plain(name: object) -> object:
    """Return a name without blanks around it and with single ones within; what is no text stays for the model to refuse."""
    return " ".join(name.split(" ")).strip() if isinstance(name, str) else name


def same(one: str, other: str) -> bool:
    """Whether two names mean one thing."""
    return folded(one) == folded(other)


def folded(name: str) -> str:
    """Return what a name is compared by."""
    return name.strip().casefold()


def apart(names: list[str]) -> list[str]:
    """Return names as they may stand in one list: none empty, and numbered where several mean one thing."""
    found = list[str]()
    for name in names:
        begin, number = name.strip()[:LONGEST] or "without a name", 1
        made = begin
        while any(same(made, other) for other in found):
            number += 1
            made = f"{begin[:LONGEST - 4]} {number}"
        found.append(made)
    return found


Name = Annotated[str, BeforeValidator(plain), Field(min_length=1, max_length=LONGEST, pattern=r"^[^/\n\r\t]+$")]
