"""Rulers whose scale is not the parameter they drive: the parameter that brings the design to a place on the scale."""

from __future__ import annotations

from bouncy_latch.core.design import Design
from bouncy_latch.core.errors import UserError
from bouncy_latch.core.judge.search.window import PrintWindow
from bouncy_latch.core.mechanisms.contract import Ruler


def _reading(design: Design, ruler: Ruler, value: float) -> float | None:
    """Where the design would stand on a ruler's scale with its parameter at ``value``; None where there is no design."""
    try:
        solution = design.changed(**{ruler.param: value}).solve()
    except UserError:
        return None
    return next(r.value for r in solution.rulers if r.id == ruler.id)


def brought_to(design: Design, ruler: Ruler, wanted: float) -> float:
    """Return the value of a ruler's parameter, on its own grid, that brings the design nearest to ``wanted`` on the scale.

    Looks from the present value outwards, so that a drag moves smoothly; at the end of what can be made it stays there.
    """
    facts = type(design.params).facts()[ruler.param]
    now = float(getattr(design.params, ruler.param))
    if ruler.direct:
        return facts.rounded(wanted)

    def at(steps: int) -> float:
        return min(max(round(now + steps * facts.step, 6), facts.low), facts.high)

    here = ruler.value
    ahead = _reading(design, ruler, at(1))
    rising = ahead is None or ahead >= here
    way = 1 if (wanted > here) == rising else -1
    room = round(((facts.high - now) if way > 0 else (now - facts.low)) / facts.step)
    near, far, best = 0, 0, (abs(here - wanted), 0)
    reach = 1
    while reach <= room:
        found = _reading(design, ruler, at(way * reach))
        if found is None:
            break
        best = min(best, (abs(found - wanted), reach))
        if (found - wanted) * (here - wanted) <= 0:
            far = reach
            break
        near, reach = reach, 2 * reach
    while far - near > 1:
        middle = (near + far) // 2
        found = _reading(design, ruler, at(way * middle))
        if found is None:
            break
        best = min(best, (abs(found - wanted), middle))
        near, far = (middle, far) if (found - wanted) * (here - wanted) > 0 else (near, middle)
    return at(way * best[1])


def bracket(design: Design, ruler: Ruler, window: PrintWindow) -> tuple[float, float] | None:
    """Return where the print window ends on a ruler's scale, at its least and at its greatest growth."""
    if ruler.direct:
        # A printer that grows by g leaves what another printer would leave of a gap smaller by 2g.
        mean = design.judged.growth.mean
        return ruler.value - 2 * (window.low - mean), ruler.value - 2 * (window.high - mean)
    now = float(getattr(design.params, ruler.param))
    ends = [_reading(design.grown(growth), ruler, now) for growth in (window.low, window.high)]
    if ends[0] is None or ends[1] is None:
        return None
    return ends[0], ends[1]
