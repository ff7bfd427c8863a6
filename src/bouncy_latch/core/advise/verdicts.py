"""The whole judgement of one design, in two parts: at once, and after the slow work (sweep and layers)."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from bouncy_latch.core.advise.printing import LAYERS_ID, Job, Printed, judge
from bouncy_latch.core.advise.remedies import Remedy, remedies
from bouncy_latch.core.advise.surety import surety
from bouncy_latch.core.advise.window import PrintWindow, print_window, recommended
from bouncy_latch.core.checks import Check
from bouncy_latch.core.layers.poses import AS_IS, Pose
from bouncy_latch.core.layers.setup import DESIGNED, PrintSetup
from bouncy_latch.core.mechanisms.contract import Kind, Solution
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.motion import riding
from bouncy_latch.core.motion import sweep as sweeping
from bouncy_latch.core.motion.sweep import Sweep
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.progress import Progress, told, unwatched
from bouncy_latch.core.solids import mesh

SWEEP_ID = "swings-clear"


@dataclass(frozen=True)
class Request:
    """Everything the judgement depends on; hashable by identity, cheap to make, callable parts run anywhere.

    ``errors``: standard errors (mm) of given sizes that were measured.
    """

    kind: Kind
    params: Params
    process: Process
    policy: Policy
    setup: PrintSetup = DESIGNED
    errors: tuple[tuple[str, float], ...] = ()

    @property
    def judged(self) -> Process:
        """The process the policy judges by."""
        return effective(self.process, self.policy)

    def solve(self) -> Solution:
        """Return the solution; raises SolveError when there is none."""
        return self.kind.solve(self.params, self.judged)


@dataclass(frozen=True)
class Outlook:
    """What a design is worth on any printer: print window, recommended size, remedies, and how sure measured sizes make it."""

    window: PrintWindow | None
    recommended: float | None
    remedies: dict[str, list[Remedy]]
    surety: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Proof:
    """What only the solid itself tells: the sweep through its travel (None where parts ride on each other) and the print."""

    sweep: Sweep | None
    printed: Printed
    checks: tuple[Check, ...]
    remedies: dict[str, list[Remedy]]


def outlook(request: Request, solution: Solution, progress: Progress = unwatched) -> Outlook:
    """Return the outlook of a solution, some tens of milliseconds; a second where many verdicts fail.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    process = request.judged
    failing = [check for check in solution.checks if check.margin < 0]
    told(progress, 0.0)
    window = print_window(request.kind, request.params, process)
    told(progress, 0.3)
    best = recommended(request.kind, request.params, process)
    found: dict[str, list[Remedy]] = {}
    for number, check in enumerate(failing):
        told(progress, 0.4 + 0.55 * number / len(failing))
        found[check.id] = remedies(request.kind, request.params, process, check)
    told(progress, 0.95)
    sure = surety(request.kind, request.params, process, solution, dict(request.errors)) if request.errors else {}
    told(progress, 1.0)
    return Outlook(window, best, found, sure)


def job_of(request: Request, solution: Solution) -> Job:
    """Return what is printed when a solution is printed as its request sets it up."""
    motion = solution.motion
    return Job(
        {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}, solution.process, motion.arm, request.setup,
        solution.freeing.strength if solution.freeing else None,
        least_gap=min((face.gap for face in solution.faces if face.stays), default=None),
        place_name=motion.place_name, bends_along=solution.bends_along, poses=(Pose("as designed", AS_IS), *solution.poses),
        mend=(solution.rulers[0].param,))


def prove(request: Request, solution: Solution, progress: Progress = unwatched) -> Proof:
    """Return sweep, print and their verdicts; some seconds for a box.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    printed = judge(job_of(request, solution), lambda part: progress(0.3 * part))
    if solution.motion.rides:
        rides = riding.check(solution, lambda part: progress(0.3 + 0.7 * part))
        return Proof(None, printed, (rides, *printed.checks), {})
    swept = sweeping.sweep(solution, progress=lambda part: progress(0.3 + 0.6 * part))
    swing = sweeping.check(swept, solution)
    mended: dict[str, list[Remedy]] = {}
    if swing.margin < 0:

        def again(changed: Solution) -> Check:
            return sweeping.check(sweeping.spot_sweep(changed, [swept.worst_value]), changed)

        mended[SWEEP_ID] = remedies(request.kind, request.params, request.judged, swing, again)
    laid = next((check for check in printed.checks if check.id == LAYERS_ID), None)
    if laid is not None and laid.margin < 0:
        mended[LAYERS_ID] = _layer_remedies(request, solution, laid)
    progress(1.0)
    return Proof(swept, printed, (swing, *printed.checks), mended)


def _layer_remedies(request: Request, solution: Solution, laid: Check) -> list[Remedy]:
    """Return remedies for the layers: those of the quick check that the layers bear out, where there are any."""
    kind, params, process = request.kind, request.params, request.judged

    def again(changed: Solution) -> Check:
        return next(c for c in judge(job_of(request, changed), again=True).checks if c.id == LAYERS_ID)

    found = []
    for remedy in remedies(kind, params, process, solution.check(solution.aim.check)):
        check = again(kind.solve(params.changed(**{remedy.param: remedy.value}), process))
        if check.margin >= 0:
            found.append(replace(remedy, mended=check))
    return found or remedies(kind, params, process, laid, again)
