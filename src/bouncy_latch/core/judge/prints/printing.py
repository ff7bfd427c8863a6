"""The judgement of one print, of a mechanism or of loose parts: does it come off the bed free, and is nothing lost?"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import field, replace
from typing import Any

import numpy as np

from bouncy_latch.core.checks import OK, Check
from bouncy_latch.core.errors import SolveError
from bouncy_latch.core.freedom import APART, Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers import setup as setups
from bouncy_latch.core.layers.breakaway import Freeing
from bouncy_latch.core.layers.estimate import Estimate, estimate
from bouncy_latch.core.layers.findings import ADVICE, BASES, CHAMFER, Finding, leading
from bouncy_latch.core.layers.freedom import Held, freed
from bouncy_latch.core.layers.joint import Joint
from bouncy_latch.core.layers.loadpath import Load, strength_of
from bouncy_latch.core.layers.poses import AS_IS, Pose, Standing, candidates, compare, laid_down
from bouncy_latch.core.layers.predict import Prediction, Spot, predict, spots
from bouncy_latch.core.layers.setup import CARRIED, DESIGNED, PrintSetup, shelf_under
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh, sound, tree

LAYERS_ID = "layers-part"
PLAIN_ID = "prints-plain"
APART_ID = "apart-as-printed"
ROOM_ID = "printer-room"
EDGE = 5.0
"""Nearer to the room's end than this the verdict is shown though it holds, mm."""
AIM, LEAST = 90.0, 50.0
"""Chance to free by hand below which to look, and below which to stop, per cent. The quick verdict of a kind asks for 95; the
layers, which place every step of every slope, differ from it by some points and confirm it."""
FAR = 1.5
"""Bodies farther apart than this everywhere do not make a joint, mm."""
Vector = tuple[float, float, float]


@frozen
class Job:
    """What is printed: the bodies in drawn pose, how they are meant to move, and how the print is set up.

    Attributes:
        bodies: manifolds by name, mm.
        process: the effective process.
        joints: what must come free of what, and how; bodies that none of them names just have to come apart.
        freedom: how bodies that no joint names are meant to move.
        place_name: words for a point (drawn pose, mm).
        bends_along: directions along which something that flexes is stretched.
        poses: ways up to compare first.
        inserted: bought bodies that are put in while the print waits, and then carry what is laid on them.
        mend: parameters that could mend a weld. called: what the user calls each body, where that is not its name.
        of_files: whether the bodies are somebody's files, whose chamfers no kind speaks of.
    """

    bodies: Mapping[str, Any]
    process: Process
    setup: PrintSetup = DESIGNED
    joints: tuple[Joint, ...] = ()
    freedom: Freedom = Freedom(APART)
    place_name: Callable[[Vector], str] | None = None
    bends_along: tuple[Vector, ...] = ()
    poses: tuple[Pose, ...] = (Pose("as designed", AS_IS),)
    mend: tuple[str, ...] = ()
    called: Mapping[str, str] = field(default_factory=dict)
    inserted: Mapping[str, Any] = field(default_factory=dict)
    of_files: bool = True

    @property
    def turn(self) -> tuple[float, ...]:
        """The rotation onto the bed."""
        return self.setup.turn or AS_IS


@frozen
class Printed:
    """The judgement of a job.

    Attributes:
        prediction, spots: of the bodies as they lie on the bed.
        freeing: whether they come free; None for a single body, or bodies too far apart to be a joint.
        checks: verdicts; findings of a kind are one check.
        laid: the manifolds on the bed, shelves among them.
        matrix: the transform (3×4) from the drawn pose to the bed.
    """

    prediction: Prediction
    spots: list[Spot]
    freeing: Freeing | None
    checks: tuple[Check, ...]
    estimate: Estimate
    laid: Mapping[str, Any]
    matrix: tuple[float, ...]

    def drawn(self, point: Vector) -> Vector:
        """Return a point of the bed in the drawn pose."""
        return tree.moved_point(tree.invert(self.matrix), point)


def shelved(job: Job, printed: Printed) -> Job:
    """Return a job with a sacrificial shelf under everything a judgement of it says hangs, where there is room for one."""
    slices = dict(zip(printed.prediction.names, printed.prediction.drawn, strict=True))
    shelves = list(job.setup.shelves)
    for finding in printed.prediction.findings:
        if finding.id in CARRIED and finding.verdict != OK:
            with suppress(SolveError):
                shelves.append(shelf_under(finding, slices, job.process))
    return replace(job, setup=job.setup.model_copy(update={"shelves": tuple(dict.fromkeys(shelves))}))


def judge(job: Job, progress: Progress = unwatched, again: bool = False) -> Printed:
    """Return the judgement of a job; ``again`` asks only whether it comes free.

    Raises:
        Cancelled: when ``progress`` (told the part done) returned False.
    """
    laid, matrix = laid_down(job.bodies, job.turn)
    shelves = {name: mesh.evaluate(solid) for name, solid in setups.solids(job.setup.shelves).items()}
    seen_from = [_turned(d, matrix) for d in job.setup.seen_from]
    prediction = predict(laid, job.process, progress=lambda part: progress(0.9 * part), judge=not again,
                         seen_from=seen_from,
                         shelves={**shelves, **{name: mesh.transformed(body, matrix) for name, body in job.inserted.items()}})
    places = spots(prediction.welds)
    partial = Printed(prediction, places, None, (), estimate(prediction.drawn, job.process), {**laid, **shelves}, matrix)
    freeing = None
    checks: list[Check] = []
    held = _held(job, prediction, partial.drawn)
    if held:
        freeing = freed(prediction, job.process, [item.carried(matrix) for item in held])
        checks.append(_layer_check(job, partial, freeing))
    if not again:
        checks += [*_room(laid, job.process, together=bool(held)), *_shared(laid, job.called), *_flaws(prediction, job)]
    progress(1.0)
    return replace(partial, freeing=freeing, checks=tuple(checks))


def _turned(direction: Vector, matrix: Sequence[float]) -> Vector:
    x, y, z = (sum(matrix[4 * row + column] * direction[column] for column in range(3)) for row in range(3))
    return x, y, z


def _held(job: Job, prediction: Prediction, drawn: Callable[[Vector], Vector]) -> list[Held]:
    """Return what must come free of what, in the drawn pose: every place of every joint, then whatever else is near."""
    found = []
    for joint in job.joints:
        for place in joint.places:
            freedom = joint.freedom.placed(place.matrix)
            found.append(Held(freedom.arm, joint.strength, joint.least_gap, place.pair, joint.label, joint.across, freedom))
    named = {frozenset(item.pair) for item in found if item.pair}
    every = (*prediction.curve.contacts, *prediction.low.contacts, *prediction.welds)
    welds = [weld for weld in every if frozenset(weld.pair) not in named]
    hung = any(frozenset(h.pair) not in named for h in prediction.hung)
    gap = least_gap(job.bodies) if not job.joints else FAR
    if (not job.joints and len(job.bodies) > 1 and gap < FAR) or (job.joints and (welds or hung)):
        # Judged in the drawn pose, where the freedom is given.
        loads = [Load(drawn(point), weld.area / len(weld.points), weld.pair) for weld in welds for point in weld.points]
        found.append(Held(job.freedom.arm, strength_of(job.bodies, job.freedom, loads), gap, freedom=job.freedom))
    return found


def least_gap(bodies: Mapping[str, Any]) -> float:
    """Return the least distance between any two of some manifolds, mm, up to :data:`FAR`."""
    every = list(bodies.values())
    return min((float(a.min_gap(b, FAR)) for i, a in enumerate(every) for b in every[i + 1:]), default=FAR)


def _layer_check(job: Job, made: Printed, freeing: Freeing) -> Check:
    """Return the verdict of the sliced layers on coming free."""
    prediction, strength = made.prediction, freeing.strength
    worst = max(prediction.welds, key=lambda w: w.area, default=None)
    if worst is None:
        why = f"in {len(prediction.layers)} layers at an outline growth of {prediction.growth:.2f} mm no bodies touch"
        point = None
    else:
        point = (worst.x, worst.y, worst.z)
        where = job.place_name(made.drawn(point)) if job.place_name else f"x {point[0]:.1f}, y {point[1]:.1f}"
        tool = min(strength.tool, strength.part)
        limits = f"a hand gives {strength.hand:.0f}, " + (
            f"the part breaks at {strength.part:.0f} ({strength.weakest})" if strength.part <= strength.tool
            else f"a tool {tool:.0f}")
        why = f"welds hold {freeing.breakaway:.0f} {strength.unit}, most at {where}, layer {worst.layer + 1}; {limits}"
    outcome = "the part breaks first" if freeing.breaks_first else freeing.outcome
    if freeing.cure:
        why += f"; {freeing.cure}"
    return Check(LAYERS_ID, "Joint comes free (layer simulation)", 100 * freeing.by_hand, AIM, "%",
                 f"most likely {outcome}: {why}", stop=LEAST,
                 mend=job.mend, place=point,
                 topic="print", basis="90 %: the layer simulation confirms the quick estimate, which asks for 95 %")


def _room(laid: Mapping[str, Any], process: Process, together: bool) -> list[Check]:
    """Return the verdict on the room the printer has; none where its bed is not known or all fits well.

    ``together``: what is printed in place lies there at once, other parts may be printed one after the other.
    """
    if process.bed is None:
        return []
    boxes = np.array([body.bounding_box() for body in laid.values()])
    if together:
        boxes = np.r_[boxes[:, :3].min(axis=0), boxes[:, 3:].max(axis=0)][None]
    found = []
    for wide, deep, high in boxes[:, 3:] - boxes[:, :3]:
        # Turned on the bed by a right angle it may fit where it does not as it lies.
        across, room = sorted((wide, deep)), sorted(process.bed[:2])
        found += list(zip((*across, high), (*room, process.bed[2]), strict=True))
    needed, there = max(found, key=lambda pair: pair[0] - pair[1])
    if needed <= there - EDGE:
        return []
    why = f"your printer's build volume is {' × '.join(f'{side:g}' for side in process.bed)} mm"
    return [Check(ROOM_ID, "Size on the printer", float(needed), float(there), "mm", why, least=False, stop=float(there),
                  topic="print", basis="the bed of your printer", advice="Turn the part, print the parts apart, or make it "
                                                                         "smaller.")]


def _shared(laid: Mapping[str, Any], called: Mapping[str, str]) -> list[Check]:
    """Return the verdict on bodies that take up the same room as they are printed; none where all stand apart."""
    found = sound.shared(laid)
    if not found:
        return []
    first, second, _ = max(found, key=lambda pair: pair[2])
    first, second = (called.get(name, name) for name in (first, second))
    why = f"{first} and {second} overlap as they lie and print as one lump; move them apart"
    return [Check(APART_ID, "Overlap of parts as printed", sum(volume for _, _, volume in found), 0.0, "mm³", why, least=False,
                  stop=0.0,
                  topic="print", basis="no volume is used twice", advice="Move the parts apart in the drawing.")]


def _flaws(prediction: Prediction, job: Job) -> list[Check]:
    """Return the findings as checks, the gravest of a kind speaking for all, or one that says there are none.

    Where a chamfer of a mechanism ends matters only where its kind lets it be chosen, and that kind judges it.
    """
    flaws = [flaw for flaw in prediction.findings if job.of_files or flaw.id != CHAMFER]
    found: list[Check] = [_told(finding, job.called) for finding in leading(flaws)]
    if not found:
        why = "no long bridge, no island, no thin wall, nothing lost"
        found.append(Check(PLAIN_ID, "Places at risk in the print", 0, 0, "places", why, least=False,
                           topic="print", basis="none", advice="Nothing to do: print the parts as they lie."))
    return found


def _told(finding: Finding, called: Mapping[str, str]) -> Finding:
    layers = f"layer {finding.first_layer + 1}"
    if finding.last_layer > finding.first_layer:
        layers = f"layers {finding.first_layer + 1} to {finding.last_layer + 1}"
    more = f"; {finding.others} more" if finding.others else ""
    who = called.get(finding.body, finding.body)
    why = finding.why
    if finding.beside:
        why = why.replace(f"beside {finding.beside};", f"beside {called.get(finding.beside, finding.beside)};")
    return replace(finding, basis=BASES[finding.id], advice=ADVICE[finding.id], why=f"{who}, {layers}: {why}{more}")


def poses(job: Job, progress: Progress = unwatched) -> list[Standing]:
    """Return every way up worth comparing, best first. Raises Cancelled when ``progress`` returned False."""
    plain = replace(job, setup=job.setup.model_copy(update={"shelves": ()}))
    bodies = dict(plain.bodies)
    held = _held(plain, predict(bodies, job.process, judge=False), lambda point: point)
    # A way up that welds elsewhere is not judged by what the drawn one would break.
    held = [replace(item, strength=replace(item.strength, part=min(item.strength.part, 1e9))) for item in held]
    return compare(bodies, job.process, candidates(bodies, job.poses), held, seen_from=job.setup.seen_from,
                   bends_along=job.bends_along, progress=progress)
