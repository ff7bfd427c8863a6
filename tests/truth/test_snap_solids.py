"""The snap fits' figures against their own solids: what the path says must be there in the meshes, measured with a ruler."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from bouncy_latch.core import fields
from bouncy_latch.core.design import Design
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.parts.body import Body
from bouncy_latch.core.placing import OnBody
from bouncy_latch.core.process.population import built_in
from bouncy_latch.core.process.profile import Spread
from bouncy_latch.core.solids import brep, mesh, tree
from bouncy_latch.core.trial import posed, rides

# A printer that neither grows outlines nor shrinks holes prints what was drawn.
EXACT = built_in()[0].with_growth(0.0).model_copy(update={"hole_term": Spread(mean=0, sd=0)})
CASES = [
    ("hook", {"undercut": 0.9}, 0.9), ("hook", {"undercut": 0.7, "host": "plate", "backing": 40}, 0.7),
    ("hook", {"undercut": 0.6, "form": "u", "length": 10, "thickness": 1.2}, 0.6),
    ("hook", {"undercut": 0.9, "layers": "across"}, 0.9),
    ("split-pin", {"undercut": 0.4}, 0.4), ("split-pin", {"undercut": 0.4, "scale": 1.5}, 0.6),
    ("ball-peg", {"head": "shoulder", "clearance": 0.2}, 8.4 / 2 - 7 / 2 - 0.2),
    ("ball-peg", {"head": "ball", "clearance": 0.2}, 8.4 / 2 - 7 / 2 - 0.2),
    ("bead-ring", {"undercut": 0.3}, 0.3), ("bead-ring", {"undercut": 0.3, "form": "disc", "slots": 0}, 0.3),
    ("locking-tab", {"undercut": 0.5}, 0.5), ("clip-hinge", {"nub_height": 0.8, "clearance": 0.2}, 0.6),
]
each_case = pytest.mark.parametrize(("kind", "values", "undercut"), CASES,
                                    ids=[f"{k}-{i}" for i, (k, _, _) in enumerate(CASES)])


def made(kind_id, **values):
    kind = registry.kind(kind_id)
    seated = {"seat_gap": 0.2} if "seat_gap" in kind.params.facts() else {}
    solution = kind.solve(fields.parse(kind.params, {**seated, **values}), EXACT)
    return solution, {name: mesh.evaluate(solid) for name, solid in solution.bodies.items()}


def apart(solution, bodies, value):
    """How deep the unbent pair reach into each other with the motion at ``value``."""
    moved = mesh.transformed(bodies["B"], solution.motion.pose(value)["B"])
    return rides.overlap(bodies["A"], moved)[0]


@each_case
def test_seated_parts_do_not_touch_and_catch_after_their_play(kind, values, undercut):
    solution, bodies = made(kind, **values)
    shut, play = solution.motion.high, solution.value("rattle")
    assert apart(solution, bodies, shut) < 0.03
    if kind == "clip-hinge":
        return  # its nub is round in a round hole: it has the play of the hole, checked below
    low, high = 0.0, 1.5
    for _ in range(12):
        middle = (low + high) / 2
        low, high = (low, middle) if apart(solution, bodies, shut - middle) > 0.004 else (middle, high)
    # Rounded edges and facets of arcs meet a little later than the profile says.
    assert high == pytest.approx(play, abs=0.12)


@each_case
def test_unbent_parts_overlap_by_the_undercut(kind, values, undercut):
    """With the catch in the middle of the wall and the arm drawn straight, what they share is as deep as the undercut."""
    solution, bodies = made(kind, **values)
    moved = mesh.transformed(bodies["B"], solution.motion.pose(solution.motion.show)["B"])
    deep = []
    for piece in (bodies["A"] ^ moved).decompose():
        points = mesh.arrays(piece)[0]
        x, y, z = points.T
        round_ = {"bead-ring": np.hypot(x, y), "ball-peg": np.hypot(y, z - 0.75 * 7 / 2)}
        deep.append(np.ptp(round_.get(kind, y)))
    # An arc of the disc's rim is kept within a hundredth of its chords.
    assert max(deep) == pytest.approx(undercut, abs=0.04)


@pytest.mark.parametrize("kind", [k for k in registry.kinds() if k != "knuckle-hinge"])
def test_the_exact_solid_agrees_with_the_mesh_of_every_form(kind):
    facts = registry.kind(kind).params.facts()
    forms = [{}] + [{name: word} for name, fact in facts.items() for word in fact.choices
                    if name in {"host", "form", "taper", "head", "layers"} and word != fact.default]
    for form in forms:
        if kind == "bead-ring" and form.get("layers"):
            continue
        roomy = {"backing": 40} if form.get("host") else {}
        solution = registry.kind(kind).solve(fields.parse(registry.kind(kind).params, {**form, **roomy}), EXACT)
        for solid in solution.bodies.values():
            volume, _ = brep.volume_and_centroid(brep.evaluate(solid))
            assert mesh.evaluate(solid).volume() == pytest.approx(volume, rel=5e-3), form
            assert len(mesh.evaluate(solid).decompose()) == 1, form
            assert mesh.evaluate(solid).bounding_box()[2] == pytest.approx(0, abs=1e-9), form


@pytest.mark.parametrize(("kind", "changes", "late", "deep"), [
    ("hook", {"undercut": 1.4, "length": 8}, 0, True), ("ball-peg", {"clearance": 0.2}, 0, True), ("bead-ring", {}, 0, False),
    ("bead-ring", {}, 0.5, True), ("bead-ring", {"slots": 0, "form": "disc"}, 0.5, True), ("tube-clip", {}, 2.0, True)])
def test_only_what_may_meet_is_bent_and_overlaps_as_the_whole_does(kind, changes, late, deep):
    """And of what is the same all round or along, one part; ``late``: by so many mm of the way it is bent too late."""
    known = registry.kind(kind)
    solution = known.solve(known.params().changed(**changes), built_in()[0])
    motion = replace(solution.motions[0], bends=lambda value: solution.motions[0].bends(max(value - late, 0.0)))
    pairs, edges = posed.watched_pairs(solution, motion), posed.edges_for(solution, motion)
    values = np.linspace(motion.low, motion.high, 7).tolist()
    near = posed.within_reach(solution, motion, values, pairs, edges)
    assert near
    found = []
    for name, part in near.items():
        assert part.num_tri() < 0.75 * mesh.refined(solution.together[name], edges[name]).num_tri()
    for value in values:
        whole, part = (posed.bent(solution, value, motion, edges, which) for which in (None, near))
        found += [[posed.overlap(bodies[a], bodies[b])[0] for bodies in (whole, part)] for a, b in pairs]
    assert np.array(found)[:, 1] == pytest.approx(np.array(found)[:, 0], rel=0.08, abs=1e-3)
    assert (np.max(found) > 0.01) == deep


def test_what_carries_other_things_is_tried_out_whole():
    """A ring that is the same all round is so no more where a side of it sits on a body of the user's."""
    kind = registry.kind("bead-ring")
    design = Design(kind, kind.params(), built_in()[0])
    assert design.solve().motion.alike
    elsewhere = OnBody("lip", Body("B", "my neck", tree.cylinder(design.params.diameter / 2, 30.0)))
    assert replace(design, placements=(elsewhere,)).solve().motion.alike == {}
