"""The whole judgement of one design, in two parts: at once, and after the slow work (sweep and layers)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from bouncy_latch.core.advise.remedies import Remedy, remedies
from bouncy_latch.core.advise.window import PrintWindow, print_window, recommended
from bouncy_latch.core.layers.predict import STACKED, Prediction, Spot, predict, spots
from bouncy_latch.core.mechanisms.contract import SEVERITY, Check, Kind, Solution
from bouncy_latch.core.mechanisms.fields import Params
from bouncy_latch.core.motion import sweep as sweeping
from bouncy_latch.core.motion.sweep import Sweep
from bouncy_latch.core.process.population import effective
from bouncy_latch.core.process.profile import Policy, Process
from bouncy_latch.core.solids import mesh

LAYERS_ID = "layers-part"
SWEEP_ID = "swings-clear"
FREE_ID = "comes-free"
Progress = Callable[[float], bool]


@dataclass(frozen=True)
class Request:
    """Everything the judgement depends on; hashable by identity, cheap to make, callable parts run anywhere."""

    kind: Kind
    params: Params
    process: Process
    policy: Policy

    @property
    def judged(self) -> Process:
        """The process the policy judges by."""
        return effective(self.process, self.policy)

    def solve(self) -> Solution:
        """Return the solution; raises SolveError when there is none."""
        return self.kind.solve(self.params, self.judged)


@dataclass(frozen=True)
class Outlook:
    """What a design is worth on any printer: its print window, recommended size, and remedies of its quick checks."""

    window: PrintWindow | None
    recommended: float | None
    remedies: dict[str, list[Remedy]]


@dataclass(frozen=True)
class Proof:
    """What only the solid itself tells: the sweep through its travel and the layers it prints in."""

    sweep: Sweep
    prediction: Prediction
    spots: list[Spot]
    checks: tuple[Check, ...]
    remedies: dict[str, list[Remedy]]


def outlook(request: Request, solution: Solution) -> Outlook:
    """Return the outlook of a solution, some tens of milliseconds."""
    process = request.judged
    return Outlook(
        print_window(request.kind, request.params, process),
        recommended(request.kind, request.params, process),
        {c.id: remedies(request.kind, request.params, process, c) for c in solution.checks if c.margin < 0},
    )


def prove(request: Request, solution: Solution, progress: Progress = lambda _: True) -> Proof:
    """Return sweep, layers and their verdicts; some seconds for a box.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    bodies = {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}
    layers = predict(bodies, solution.process, progress=lambda part: progress(0.3 * part))
    swept = sweeping.sweep(solution, progress=lambda part: progress(0.3 + 0.6 * part))
    swing = sweeping.check(swept, solution)
    laid = layer_check(layers, solution)
    mended: dict[str, list[Remedy]] = {}
    if swing.margin < 0:

        def again(changed: Solution) -> Check:
            return sweeping.check(sweeping.spot_sweep(changed, [swept.worst_value]), changed)

        mended[SWEEP_ID] = remedies(request.kind, request.params, request.judged, swing, again)
    if laid.margin < 0:
        mended[LAYERS_ID] = _layer_remedies(request, solution, laid)
    progress(1.0)
    return Proof(swept, layers, spots(layers.welds), (swing, laid), mended)


def _layer_remedies(request: Request, solution: Solution, laid: Check) -> list[Remedy]:
    """Return remedies for the layers: those that also bring the chance to come free to its aim, where there are any."""
    kind, params, process = request.kind, request.params, request.judged
    found = []
    for remedy in remedies(kind, params, process, solution.check(FREE_ID)):
        again = _laid_again(kind.solve(params.changed(**{remedy.param: remedy.value}), process))
        if again.margin >= 0:
            found.append(replace(remedy, check_id=LAYERS_ID, figure=again.value, figure_unit=again.unit, margin=again.margin))
    return found or remedies(kind, params, process, laid, _laid_again)


def _laid_again(changed: Solution) -> Check:
    bodies = {name: mesh.evaluate(solid) for name, solid in changed.bodies.items()}
    return layer_check(predict(bodies, changed.process), changed)


def layer_check(prediction: Prediction, solution: Solution) -> Check:
    """Return the verdict of the sliced layers: the moment their welds hold, against hand and tool.

    Moment: Σ weld area × bond strength of its kind × arm about the freedom, N·mm, at the mean growth.
    """
    process, strength = solution.process, solution.freeing.strength
    moment = 0.0
    worst = None
    for weld in prediction.welds:
        bond = process.bond_stacked if weld.kind == STACKED else process.bond_side
        part = weld.area * bond * solution.motion.arm((weld.x, weld.y, weld.z))
        moment += part
        if worst is None or weld.area > worst.area:
            worst = weld
    if worst is None:
        why = f"sliced into {len(prediction.layers)} layers at growth {prediction.growth:.2f}, no bodies touch"
        point = None
    else:
        point = (worst.x, worst.y, worst.z)
        area = sum(w.area for w in prediction.welds)
        why = f"{area:.1f} mm² touch, most at {solution.motion.place_name(point)}, layer {worst.layer + 1}"
    tool = min(strength.tool, strength.part)
    return Check(LAYERS_ID, "Layers part", moment, min(strength.hand, tool), "N·mm", why, least=False, stop=tool,
                 mend=(solution.rulers[0].param,), place=point)


def ordered(checks: list[Check]) -> list[Check]:
    """Return checks worst first; equal ones by how near they are to their limit."""

    def nearness(check: Check) -> float:
        return check.margin / (abs(check.limit) or 1.0)

    return sorted(checks, key=lambda c: (-SEVERITY[c.verdict], nearness(c)))
