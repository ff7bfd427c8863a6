"""Everything slow that is shown beside a design, in one piece: its outlook, its rulers' zones and brackets."""

from __future__ import annotations

from dataclasses import dataclass

from bouncy_latch.core.advise import rulers
from bouncy_latch.core.advise.verdicts import Outlook, Request, outlook
from bouncy_latch.core.advise.zones import Zones, ruler_zones
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.progress import Progress, share, told, unwatched


@dataclass(frozen=True)
class View:
    """The outlook of a request, the zones of its rulers by id, and what the print window stands for on each."""

    outlook: Outlook
    zones: dict[str, Zones]
    brackets: dict[str, tuple[float, float] | None]


def view_of(request: Request, solution: Solution, progress: Progress = unwatched) -> View:
    """Return the view of a solution; tens of milliseconds, some hundreds where many verdicts fail.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    zones = {}
    for number, ruler in enumerate(solution.rulers):
        told(progress, 0.3 * number / len(solution.rulers))
        zones[ruler.id] = ruler_zones(ruler)
    found = outlook(request, solution, share(progress, 0.3, 0.95))
    brackets = {ruler.id: rulers.bracket(request.kind, request.params, request.judged, ruler, found.window)
                if found.window else None for ruler in solution.rulers}
    told(progress, 1.0)
    return View(found, zones, brackets)
