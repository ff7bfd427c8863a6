"""Numbers as people type and paste them: decimal comma, a unit behind, inches and their fractions."""

from __future__ import annotations

import re

INCH = 25.4
_INCHES = re.compile(r'\s*(?:"|″|in\.?|inch(?:es)?)$', re.IGNORECASE)
_FRACTION = re.compile(r"^(?P<sign>-?)(?:(?P<whole>\d+)[ -])?(?P<over>\d+)/(?P<under>[1-9]\d*)$")


def number(text: str, unit: str = "") -> float:
    """Return the number that a text stands for, in ``unit``; in mm it may be given in inches, as 0.25 in or 1 3/8".

    Raises:
        ValueError: when it is no number.
    """
    bare = text.strip().replace("\u2212", "-").removesuffix(unit).strip() if unit else text.strip().replace("\u2212", "-")
    per = 1.0
    if unit == "mm" and (inches := _INCHES.search(bare)):
        bare, per = bare[:inches.start()].strip(), INCH
    fraction = _FRACTION.match(bare)
    if fraction:
        value = int(fraction["whole"] or 0) + int(fraction["over"]) / int(fraction["under"])
        return per * (-value if fraction["sign"] else value)
    return per * float(bare.replace(",", "."))


def is_fraction(text: str) -> bool:
    """Whether a text is one number written as a fraction, such as 1 3/8 in, and not several numbers apart by spaces."""
    return _FRACTION.match(_INCHES.sub("", text.strip().removesuffix("mm").strip())) is not None
