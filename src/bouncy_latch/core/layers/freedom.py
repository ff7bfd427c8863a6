"""From predicted contacts to the chance that two bodies come free, along or about the way they are meant to move.

The breakaway is Σ weld area × bond strength of its kind × arm. It is known at a few growths; between them it is
interpolated, local edge noise is averaged over, what merely touches is left out (:mod:`bouncy_latch.core.layers.bonding`),
and growth, elephant foot and sag are integrated over what the process says of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from bouncy_latch.core.freedom import Freedom
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.layers.bonding import PEEL_FRONT, SAG_BOND, SAG_FADE, depth_nodes
from bouncy_latch.core.layers.breakaway import (
    CURED,
    Freeing,
    Resistance,
    Strength,
    cure,
    foot_nodes,
    growth_nodes,
    hardest,
    nodes_of,
    outcome_chances,
)
from bouncy_latch.core.layers.facing import FOOT_LAYERS
from bouncy_latch.core.layers.laying import way_round
from bouncy_latch.core.layers.predict import Curve, Hung, Prediction
from bouncy_latch.core.layers.welds import SAG, SIDE, STACKED, Weld
from bouncy_latch.core.numbers import Array, monotone, normal_nodes
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.solids import tree

Arm = Callable[[tuple[float, float, float]], float]

_NOISE, _NOISE_WEIGHTS = normal_nodes(9)
_TABLE = 49


def bond(weld: Weld, process: Process) -> float:
    """Return the strength of a weld by its kind, MPa."""
    if weld.kind == SAG:
        return sag_bond(round(weld.drop / process.layer_height), process)
    return process.bond_stacked if weld.kind == STACKED else process.bond_side


def sag_bond(empty: int, process: Process) -> float:
    """Return the strength of what hung down over ``empty`` layers of air, MPa."""
    return process.bond_stacked * SAG_BOND / SAG_FADE ** (max(empty, 1) - 1)


def moment_at(prediction: Prediction, process: Process, arm: Arm, growth: Array, foot: Array | None = None,
              own: Callable[[tuple[str, str]], bool] = lambda _pair: True, chamfer: float = 0.0, level: bool = False
              ) -> tuple[Array, Array]:
    """Return the breakaway of stacked and side welds at some growths (n,), N·mm or N, and what first layers have of it, (n,).

    Local edge noise is averaged over, and what merely touches does not count.

    Args:
        foot: elephant foot that goes with each growth, mm a side (n,); None: its mean.
        own: whether a pair of bodies counts.
        chamfer: what the bed edges of both bodies are chamfered more than drawn, mm.
        level: whether it keeps its height while it moves, so that first layers shear off all at once and do not peel.
    """
    growth = np.asarray(growth, dtype=np.float64)
    curve, low = prediction.curve, prediction.low
    chosen = [i for i, w in enumerate(curve.contacts) if own(w.pair)]
    above, peeled = np.zeros(len(growth)), np.zeros(len(growth))
    if chosen:
        above = _smeared(curve.growths, _levers(curve.contacts, chosen, process, arm) @ curve.areas[chosen], process, growth)
    insets = [max(0.0, chamfer - process.middle_of(layer)) for layer in range(FOOT_LAYERS + 1)]
    extra = np.zeros(len(growth)) if foot is None else foot - process.elephant_foot.mean
    groups: dict[tuple[int, str], list[int]] = {}
    for i, weld in enumerate(low.contacts):
        if own(weld.pair):
            groups.setdefault((weld.layer, weld.kind), []).append(i)
    for (layer, kind), members in groups.items():
        part = 1.0 if level else _peeled(low, members, kind, prediction.layers[0 if layer == 0 else 1].thickness)
        areas = low.areas[members] * part
        # What is laid on a first layer meets it by half of both their feet.
        share = 0.5**layer if kind == SIDE else 0.75 * 0.5**layer
        inset = insets[layer] if kind == SIDE else (insets[layer] + insets[layer + 1]) / 2
        holds = _smeared(low.growths, _levers(low.contacts, members, process, arm) @ areas, process,
                         growth + share * extra - inset)
        above, peeled = above + holds, peeled if level else peeled + holds
    return above, peeled


def _levers(contacts: Sequence[Weld], chosen: Sequence[int], process: Process, arm: Arm) -> Array:
    return np.array([bond(contacts[i], process) * math.fsum(map(arm, contacts[i].points)) / len(contacts[i].points)
                     for i in chosen])


def _peeled(low: Curve, members: Sequence[int], kind: str, thickness: float) -> Array:
    """Return the part of first-layer contacts that holds at a time, at every growth, (n,): they peel from one side."""
    if kind == SIDE:
        lengths = low.areas[members].sum(axis=0) / thickness
    else:
        around = math.fsum(way_round(low.contacts[i].region) / 2 for i in members if low.contacts[i].region is not None)
        lengths = np.full(len(low.growths), around)
    return np.asarray(np.minimum(1.0, PEEL_FRONT / np.maximum(lengths, 1e-9)))


def _smeared(known: Array, values: Array, process: Process, growth: Array) -> Array:
    """Return moments (n,) at growths from those at ``known`` growths, over edge noise and the depth that merely touches."""
    if len(known) == 1:
        return np.full(len(growth), values[0])
    # More growth never welds less; slices rounded to whole layers may say so by a hair. From where welding begins the
    # overlap widens and spreads at once, so the root of the moment is what grows evenly.
    roots = np.sqrt(np.maximum.accumulate(values))
    table = np.linspace(known[0], known[-1], _TABLE)
    depths, shares = depth_nodes()
    smear = process.edge_noise / math.sqrt(2) * _NOISE[:, None] - depths / 2
    at = np.clip(table[:, None, None] + smear, known[0], known[-1])
    over = monotone(at.ravel(), known, roots).reshape(at.shape) ** 2
    return np.asarray(np.interp(growth, table, np.einsum("tnd,n,d->t", over, _NOISE_WEIGHTS, shares)))


def moment_of_sag(hung: Sequence[Hung], process: Process, arm: Arm, sag: Array) -> Array:
    """Return the breakaway of sag welds at some sags of a 10 mm span (n,), N·mm or N."""
    total = np.zeros(len(sag))
    for item in hung:
        lever = sag_bond(item.empty, process) * arm((item.x, item.y, item.z))
        total += lever * item.area * np.array([item.touches(float(s)) for s in sag])
    return total


@frozen
class Held:
    """Bodies that must come free of each other, as they lie on the bed.

    Attributes:
        arm: lever of a weld at a point (mm) about the freedom; 1 where a force breaks it.
        least_gap: least drawn clearance between surfaces that stay together, mm per side. across: whether it lies across the
        layers, where no outline's growth comes between. freedom: how they move, as they lie; None where nobody said.
        pair: the two bodies; None: whatever no other pair of the same print speaks of.
    """

    arm: Arm
    strength: Strength
    least_gap: float
    pair: tuple[str, str] | None = None
    name: str = ""
    across: bool = False
    freedom: Freedom | None = None

    @property
    def level(self) -> bool:
        """Whether they keep their height as they move."""
        return self.freedom is not None and self.freedom.level

    def printed_gap(self, growth: Array | float) -> Array:
        """Return the clearance that is left at some growths (mm per side), mm per side."""
        return self.least_gap - 2 * np.asarray(growth) * (not self.across)

    def carried(self, matrix: tree.Matrix) -> Held:
        """Return the same bodies after a rigid transform."""
        back = tree.invert(matrix)
        moved = self.freedom.placed(matrix) if self.freedom else None
        return replace(self, arm=lambda point: self.arm(tree.moved_point(back, point)), freedom=moved)


def freed(prediction: Prediction, process: Process, held: Sequence[Held]) -> Freeing:
    """Return the chance of each outcome of a prediction in which all of ``held`` must come free."""
    growth, growth_weights = growth_nodes(process)
    foot, foot_weights = foot_nodes(process) if prediction.low.contacts else (np.zeros(1), np.ones(1))
    sag, sag_weights = nodes_of(process.sag) if prediction.hung else (np.zeros(1), np.ones(1))
    weights = (growth_weights[:, None, None] * foot_weights[:, None] * sag_weights).ravel()
    # The last node is the mean of everything.
    grown = np.append(np.repeat(growth, len(foot)), process.growth.mean)
    footed = np.append(np.tile(foot, len(growth)), process.elephant_foot.mean)
    named = {frozenset(item.pair) for item in held if item.pair}
    by_node = np.append(np.repeat(grown[:-1], len(sag)), grown[-1])

    def counts(item: Held, pair: tuple[str, str]) -> bool:
        return frozenset(pair) == frozenset(item.pair) if item.pair else frozenset(pair) not in named

    def resisted(item: Held, chamfer: float) -> Resistance:
        own = partial(counts, item)
        laid, peeled = moment_at(prediction, process, item.arm, grown, footed, own, chamfer, item.level)
        hung = [h for h in prediction.hung if own(h.pair)]
        sagged = moment_of_sag(hung, process, item.arm, np.append(sag, process.sag.mean))
        moments = np.append((laid[:-1, None] + sagged[None, :-1]).ravel(), laid[-1] + sagged[-1])
        peels = np.append(np.repeat(peeled[:-1], len(sag)), peeled[-1])
        return Resistance(moments, item.printed_gap(by_node), item.strength, peels, item.name, item.across)

    def chances(found: Sequence[Resistance]) -> tuple[float, ...]:
        return tuple(map(float, outcome_chances([each.nodes for each in found], weights, process.bond_spread)))

    found = [resisted(item, 0.0) for item in held]
    worst = hardest(found)
    area = math.fsum(w.area for w in prediction.welds if any(counts(item, w.pair) for item in held))
    made = Freeing(
        chances=chances(found), breakaway=float(worst.moments[-1]), weld_area=area,
        printed_gap=min(float(item.printed_gap(process.growth.mean)) for item in held), strength=worst.strength,
        name=worst.name)
    if not prediction.low.contacts or made.by_hand > 1 - CURED:
        return made
    return replace(made, cure=cure(
        made.by_hand, process.first_layer_height, process.layer_height,
        lambda chamfer: float(sum(chances([resisted(item, chamfer) for item in held])[2:]))))
