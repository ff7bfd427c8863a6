"""Everything slow that is shown beside a design, in one piece: its outlook, its rulers' zones and brackets."""

from __future__ import annotations

from collections.abc import Callable

from bouncy_latch.core.design import Design
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge import rulers
from bouncy_latch.core.judge.verdicts import QuickAnalysis, quick_analysis
from bouncy_latch.core.judge.zones import Zones, ruler_zones
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.progress import Progress, share, told, unwatched

NOTHING_YET = QuickAnalysis(None, None, {})


@frozen
class View:
    """The outlook of a request, the zones of its rulers by id, and what the print window stands for on each.

    ``whole``: whether all of it is there; zones come first.
    """

    outlook: QuickAnalysis
    zones: dict[str, Zones]
    brackets: dict[str, tuple[float, float] | None]
    whole: bool = True


def view_of(request: Design, solution: Solution, progress: Progress = unwatched,
            early: Callable[[View], None] | None = None) -> View:
    """Return the view of a solution; tens of milliseconds, some hundreds where many verdicts fail.

    ``early`` is told the zones as soon as they are there.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    zones = {}
    for number, ruler in enumerate(solution.rulers):
        told(progress, 0.2 * number / len(solution.rulers))
        zones[ruler.id] = ruler_zones(ruler)
    if early is not None:
        early(View(NOTHING_YET, dict(zones), dict.fromkeys(zones), whole=False))
    found = quick_analysis(request, solution, share(progress, 0.2, 0.95))
    brackets = {ruler.id: rulers.bracket(request, ruler, found.window)
                if found.window else None for ruler in solution.rulers}
    told(progress, 1.0)
    return View(found, zones, brackets)
