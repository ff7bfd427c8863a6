"""The whole judgement of one design, in two parts: at once, and after the slow work (motions tried out, layers)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace

from bouncy_latch.core import assembly
from bouncy_latch.core.checks import OK, Check
from bouncy_latch.core.design import Design
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.judge.prints.printing import LAYERS_ID, Job, Printed, judge
from bouncy_latch.core.judge.search.remedies import MOST_FAILING, Remedy, all_remedies, measured_remedies
from bouncy_latch.core.judge.search.window import PrintWindow, print_window, recommended
from bouncy_latch.core.judge.surety import surety
from bouncy_latch.core.layers.poses import AS_IS, Pose
from bouncy_latch.core.mechanisms.contract import Solution
from bouncy_latch.core.progress import Progress, share, told, unwatched
from bouncy_latch.core.solids import mesh
from bouncy_latch.core.trial import clear, trying
from bouncy_latch.core.trial.clear import Trace

SWEEP_ID = clear.ID


@frozen
class QuickAnalysis:
    """What a design is worth on any printer: print window, recommended size, remedies, and how sure measured sizes make it.

    ``thorough``: whether all remedies were tried; those that were not, the proof tries.
    """

    window: PrintWindow | None
    recommended: float | None
    remedies: dict[str, list[Remedy]]
    surety: dict[str, float] = field(default_factory=dict)
    thorough: bool = True


@frozen
class FullAnalysis:
    """What only the solid itself tells: the motions tried out and the print.

    Attributes:
        traces: the gap along every motion that must stay clear, by its place among the motions.
    """

    traces: Mapping[int, Trace]
    printed: Printed
    checks: tuple[Check, ...]
    remedies: dict[str, list[Remedy]]

    @property
    def sweep(self) -> Trace | None:
        """The trace of the main motion, where it has one."""
        return self.traces.get(0)


def quick_analysis(request: Design, solution: Solution, progress: Progress = unwatched) -> QuickAnalysis:
    """Return the outlook of a solution, some tens of milliseconds; a second where many verdicts fail.

    Of a design that fails all over only the likeliest remedies are tried here, the rest when it is proved.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    failing = [check for check in solution.checks if check.margin < 0]
    told(progress, 0.0)
    window = print_window(request)
    told(progress, 0.3)
    best = recommended(request)
    thorough = not _all_over(failing)
    found = all_remedies(request, failing, share(progress, 0.4, 0.95), thorough)
    told(progress, 0.95)
    sure = surety(request, solution) if request.errors else {}
    told(progress, 1.0)
    return QuickAnalysis(window, best, found, sure, thorough)


def _all_over(failing: list[Check]) -> bool:
    return len(failing) > MOST_FAILING


def offered(look: QuickAnalysis | None, proof: FullAnalysis | None, check_id: str) -> list[Remedy]:
    """Return the remedies of a check from what is worked out so far; those offered first stay."""
    return (look.remedies.get(check_id) if look else None) or (proof.remedies.get(check_id, []) if proof else [])


def job_of(request: Design, solution: Solution) -> Job:
    """Return what is printed when a solution is printed as its request sets it up."""
    return Job(
        {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}, solution.process, request.setup,
        solution.joints, place_name=solution.motion.place_name, bends_along=solution.shape.bends_along,
        poses=(Pose("as designed", AS_IS), *solution.shape.poses), mend=tuple(ruler.param for ruler in solution.rulers[:1]),
        called=solution.body_labels,
        inserted={name: mesh.evaluate(solid) for name, solid in solution.inserts.items()} if solution.pauses else {},
        of_files=False)


def full_analysis(request: Design, solution: Solution, progress: Progress = unwatched, traced: bool = True) -> FullAnalysis:
    """Return the motions tried out, the print, their verdicts, and what an outlook had no time for; some seconds for a box.

    ``traced``: whether the gap along every motion is wanted for a picture of it.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    printed = judge(job_of(request, solution), share(progress, 0.0, 0.3))
    traces: dict[int, Trace] = {}
    checks: list[Check] = []
    mended: dict[str, list[Remedy]] = {}
    if request.guests:
        checks += assembly.neighbours(solution, request.guests)
    # A part moves by itself nowhere; what sits on it is tried out on its own page.
    count = 0 if request.kind.is_part else len(solution.motions)
    for number in range(count):
        tried = trying.tried(solution, number, share(progress, 0.3 + 0.6 * number / count, 0.3 + 0.6 * (number + 1) / count),
                             traced)
        checks += tried.checks
        if tried.trace is not None:
            traces[number] = tried.trace
        for check in tried.checks:
            if check.margin < 0 and check.mend:
                mended[check.id] = measured_remedies(request, check, trying.again(number, check.id, tried.where))
    laid = next((check for check in printed.checks if check.id == LAYERS_ID), None)
    if laid is not None and laid.margin < 0:
        mended[LAYERS_ID] = _layer_remedies(request, solution, laid)
    failing = [check for check in solution.checks if check.margin < 0]
    if _all_over(failing):
        mended |= all_remedies(request, failing, share(progress, 0.9, 1.0))
    progress(1.0)
    return FullAnalysis(traces, printed, (*checks, *printed.checks), mended)


def _layer_remedies(request: Design, solution: Solution, laid: Check) -> list[Remedy]:
    """Return remedies for the layers: those of the quick check that the layers bear out, where there are any."""

    def again(changed: Solution) -> Check:
        return next(c for c in judge(job_of(request, changed), again=True).checks if c.id == LAYERS_ID)

    found = []
    asked = solution.check(solution.aim.check)
    for remedy in all_remedies(request, [asked])[asked.id] if asked.verdict != OK else []:
        check = again(request.changed(**remedy.values).solve())
        if check.margin >= 0:
            found.append(replace(remedy, mended=check))
    return found or measured_remedies(request, laid, again)
