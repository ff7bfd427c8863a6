"""What a caliper says: several readings of one size, their mean and spread, and what is worth a second look."""

from __future__ import annotations

import math
import re
import statistics

from bouncy_latch.core import typed
from bouncy_latch.core.errors import ParamError
from bouncy_latch.core.frozen import frozen

RESOLUTION = 0.01
"""Of a caliper, mm."""
HAND_SD = 0.02
"""Spread of one hand's readings of one size, mm (common practice, no source)."""
MOST_READINGS = 40
FAR_OFF = 3.0
"""Readings further than this from the median, in robust spreads, are pointed out."""


@frozen
class Measured:
    """Several readings of one size, mm."""

    values: tuple[float, ...]

    @property
    def mean(self) -> float:
        """Mean, mm."""
        return statistics.fmean(self.values)

    @property
    def sd(self) -> float:
        """Standard deviation of one reading, mm; a hand's usual one where there are too few to say."""
        own = statistics.stdev(self.values) if len(self.values) > 2 else HAND_SD
        return max(own, RESOLUTION / math.sqrt(12))

    @property
    def error(self) -> float:
        """Standard error of the mean, mm."""
        return self.sd / math.sqrt(len(self.values))

    @property
    def outlier(self) -> float | None:
        """The reading that lies far from all others, if any."""
        if len(self.values) < 3:
            return None
        middle = statistics.median(self.values)
        off = [abs(v - middle) for v in self.values]
        spread = max(1.4826 * statistics.median(off), RESOLUTION)
        worst = max(range(len(off)), key=off.__getitem__)
        return self.values[worst] if off[worst] > FAR_OFF * spread + HAND_SD else None

    @property
    def text(self) -> str:
        """Mean and spread in words."""
        return self.told()

    def told(self, unit: str = "") -> str:
        """Return mean and spread in words, with their unit."""
        count, unit = len(self.values), f" {unit}" if unit else ""
        return f"{self.mean:.2f} ± {self.sd:.2f}{unit} from {count} reading{'s' if count > 1 else ''}"


def read(text: str, nominal: float | None = None) -> Measured:
    """Return what a user typed: readings apart by spaces, semicolons or new lines, decimal point or comma, ``in`` for inches,
    or one fraction such as 1 3/8 in.

    ``nominal`` (mm) is what it should be near (without it, the median of three or more); a reading that misses it by a factor
    is a slip of the decimal point.

    Raises:
        ParamError: one sentence naming the reading that cannot be.
    """
    if typed.is_fraction(text):
        return Measured((_possible(typed.number(text, "mm"), text, nominal),))
    parts = [part for part in re.split(r"[;\s]+", text.strip().replace("mm", " ")) if part]
    inches = [part for part in parts if part in {"in", '"', "inch"}]
    parts = [part for part in parts if part not in {"in", '"', "inch"}]
    values = []
    for part in parts:
        bare = part.removesuffix('"').removesuffix("in")
        try:
            value = float(bare.replace(",", "."))
        except ValueError:
            raise ParamError(f"'{part}' is no reading; write them like 9.98 10.01 9.97", field="readings", value=part) from None
        if inches or bare != part:
            value *= typed.INCH
        values.append(_possible(value, part, nominal))
    if nominal is None and len(values) > 2:
        middle = statistics.median(values)
        for value in values:
            _possible(value, f"{value:g}", middle)
    if not 1 <= len(values) <= MOST_READINGS:
        raise ParamError(f"give 1 to {MOST_READINGS} readings", field="readings", value=text)
    return Measured(tuple(values))


def _possible(value: float, part: str, nominal: float | None) -> float:
    if not math.isfinite(value) or not 0 <= value <= 1000:
        raise ParamError(f"'{part}' is no size in mm", field="readings", value=part)
    if nominal is None or nominal <= 0:
        return value
    room = max(1.0, 0.15 * nominal)
    if abs(value - nominal) <= room:
        return value
    hints = [(value / 10, "a decimal point?"), (value * 10, "a decimal point?"), (value * typed.INCH, "inches?")]
    hint = next((f"; meant {guess:.2f}, {why}" for guess, why in hints if abs(guess - nominal) <= room), "")
    raise ParamError(f"{value:g} cannot be a reading of {nominal:g} mm{hint}", field="readings", value=part)
