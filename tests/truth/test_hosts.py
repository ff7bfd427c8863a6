"""What arms grow out of, as printed: plane-stress elements of arm and host, walls along their outline, infill behind."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import shapely
import shapely.affinity
import skfem as fem
from skfem.helpers import ddot, sym_grad, trace

from bouncy_latch.core.flex import beams
from bouncy_latch.core.flex.arm import Arm
from bouncy_latch.core.flex.host import EDGE, SPLIT, WALL, Web
from bouncy_latch.core.flex.section import Fill
from bouncy_latch.core.mechanisms import registry
from bouncy_latch.core.mechanisms.springs import side_spring
from tests.riding_fem import POISSON, triangles

MODULUS, WIDTH, DEEP, SIDE = 2000.0, 8.0, 20.0, 16.0


def elements(outline, size, held, loaded, wall=99.0, core=1.0, sliding=None, level=None, near=(0, 0, 3), scale=1.0):
    """Return how far a newton across moves the ``loaded`` edge along itself, mm, and the greatest strain along the outline near
    a place; ``wall``: thickness of the solid band along the drawn outline, ``core``: modulus behind it over the solid's;
    ``sliding``, ``level``: where nothing moves across, along; ``scale``: of the width."""
    mesh = triangles(outline, size)
    basis = fem.Basis(mesh, fem.ElementVector(fem.ElementTriP2()), intorder=6)
    x = np.asarray(basis.global_coordinates())
    drawn = shapely.union_all([shapely.LineString(pair) for pair in pairwise(outline.exterior.coords)
                               if not all(held(*end) or (sliding and sliding(*end)) for end in pair)])
    solid = shapely.distance(drawn, shapely.points(x[0].ravel(), x[1].ravel())).reshape(x[0].shape) <= wall

    @fem.BilinearForm
    def stiffness(u, v, w):
        one, other = sym_grad(u), sym_grad(v)
        plane = (1 - POISSON) * ddot(one, other) + POISSON * trace(one) * trace(other)
        return MODULUS * WIDTH * scale * w.share / (1 - POISSON**2) * plane

    faces = fem.FacetBasis(mesh, basis.elem, facets=mesh.facets_satisfying(lambda x: loaded(*x), boundaries_only=True))
    length = fem.Functional(lambda w: 1.0 + 0 * w.x[0]).assemble(faces)
    push = fem.LinearForm(lambda v, w: v[1] / length).assemble(faces)
    fixed = basis.get_dofs(lambda x: held(*x)).all()
    if sliding:
        fixed = np.union1d(fixed, basis.get_dofs(lambda x: sliding(*x)).all("u^2"))
    if level:
        fixed = np.union1d(fixed, basis.get_dofs(lambda x: level(*x)).all("u^1"))
    moved = fem.solve(*fem.condense(stiffness.assemble(basis, share=np.where(solid, 1.0, core)), push, D=fixed))
    beside = fem.FacetBasis(mesh, basis.elem, facets=mesh.facets_satisfying(
        lambda x: (np.abs(x[0] - near[0]) < near[2]) & (np.abs(x[1] - near[1]) < near[2]), boundaries_only=True))
    slope, n = beside.interpolate(moved).grad, beside.normals
    along = np.einsum("i...,ij...,j...->...", np.stack([-n[1], n[0]]), slope, np.stack([-n[1], n[0]]))
    return float(push @ moved), float(np.abs(along).max())


def grown_out(root, length, thick, fillet):
    """Return an arm with rounded root on a deep host: in the middle of a wide wall, or flush with its side."""
    half = thick / 2
    below = [(fillet + fillet * np.cos(a), -half - fillet + fillet * np.sin(a)) for a in np.linspace(np.pi, np.pi / 2, 12)]
    host = [(-DEEP, -SIDE), (0, -SIDE), *below, (length, -half), (length, half)]
    above = [(x, -y) for x, y in reversed(below)]
    return shapely.Polygon([*host, *above, (0, SIDE), (-DEEP, SIDE)] if root is WALL else [*host, (-DEEP, half)])


@pytest.mark.parametrize(("root", "length", "thick", "loops", "infill"), [
    (WALL, 9, 2.0, 2, 0.15), (WALL, 6, 2.0, 1, 0.15), (EDGE, 9, 2.0, 1, 0.15), (EDGE, 7, 2.0, 2, 0.05), (WALL, 12, 1.6, 1, 0.4),
    (EDGE, 6, 2.0, 20, 1.0)])
def test_a_root_on_walls_and_infill_gives_more_than_a_solid_one(root, length, thick, loops, infill):
    """What the host adds to an arm that is clamped, within 5 % of the whole; strain at the fillet within 12 %.

    That the arm's own section is soft too is held against solid elements in ``test_flex``.
    """
    fill, fillet = Fill(loops, 0.45, infill, 0.8), 0.4 * thick
    skins = 2 * fill.skin / WIDTH
    core = skins + (1 - skins) * fill.core_ratio

    def size(x, y):
        return np.where(np.hypot(x - fillet / 2, np.abs(y) - thick / 2) < 1.6 * fillet, fillet / 7,
                        np.where((x > -4) & (np.abs(y) < 4), 0.25, 1.6))

    walls = fill.loops * fill.line
    give, strain = elements(grown_out(root, length, thick, fillet), size,
                            lambda x, y: np.isclose(x, -DEEP) | np.isclose(np.abs(y), SIDE), lambda x, y: np.isclose(x, length),
                            walls, core)
    alone, _ = elements(shapely.box(0, -thick / 2, length, thick / 2), lambda x, y: 0.2 + 0 * x,
                        lambda x, y: np.isclose(x, 0), lambda x, y: np.isclose(x, length), walls, core)
    arm = Arm(length, thick, WIDTH, fill, MODULUS, POISSON, fillet=fillet, root=root)
    clamped = replace(arm, soft_root=False, fillet=0.0)
    given = float(arm.flexibility[1, 1] - clamped.flexibility[1, 1])
    assert given == pytest.approx(give - alone, abs=0.05 * give)
    bent = arm.bent(np.array([1e-3]), np.zeros(1), np.zeros((1, 2)))
    assert bent.strain[0] / bent.force[0] == pytest.approx(strain, rel=0.12)


@pytest.mark.parametrize(("length", "thick", "slack"), [(36, 1.2, 0.4), (24, 1.6, 0.8), (40, 1.2, 1.5)])
def test_a_bar_is_stiffer_under_its_nub_and_strained_where_the_nub_begins(heron, length, thick, slack):
    """Half a side spring's bar and half its nub, as drawn, symmetric in the middle, on a clamped end."""
    process = heron.with_growth(0.0).model_copy(update={"loops": 20})
    params = registry.kind("side-spring").params().changed(length=length, thickness=thick, slack=slack, width=6)
    plan = side_spring.Plan(params, process)
    half, out = length / 2, plan.tip - plan.edge
    nub = shapely.Point(half, thick / 2 + out - side_spring.NUB).buffer(side_spring.NUB, 64)
    bar = shapely.box(0, -thick / 2, half, thick / 2) | (nub & shapely.box(0, 0, half, 20))
    # Corners are as round as a nozzle leaves them, half a line.
    r = process.line_width / 2
    both = (bar | shapely.affinity.scale(bar, -1, 1, origin=(half, 0))).buffer(r, 32).buffer(-r, 32)
    outline = shapely.Polygon((both & shapely.box(0, -9, half, 9)).exterior)
    begins = half - np.sqrt(side_spring.NUB**2 - (side_spring.NUB - out) ** 2)

    def size(x, y):
        return np.where((np.abs(x - begins) < 1) & (y > 0), r / 6, thick / 5)

    give, strain = elements(outline, size, lambda x, y: np.isclose(x, 0), lambda x, y: np.isclose(x, half), scale=6 / WIDTH,
                            level=lambda x, y: np.isclose(x, half), near=(begins, thick / 2, 1.2))
    winding = plan.sprung.winding
    held = replace(winding, fillet=1e-9, modulus=MODULUS)
    bare = replace(held, nub=None, fillet=0.0)
    _, force, _ = bare.pulled(np.array([1e-3]))
    assert float(abs(force[0])) == pytest.approx(1e-3 / give, rel=0.04)
    moment = float(abs(force[0])) * plan.bends / 2
    nominal = 6 * moment / (MODULUS * 6 * thick**2)
    assert nominal * beams.fillet_factor(r, thick) == pytest.approx(strain * 1e-3 / give, rel=0.12)


@pytest.mark.parametrize(("length", "thick", "slot", "web"), [(11, 1.8, 2.4, 1.6), (10, 1.8, 1.6, 2.4)])
def test_legs_pinched_at_one_end_turn_on_the_web_and_spread_the_other(length, thick, slot, web):
    """Half of a pin with two split ends, symmetric in the middle of its slots, free at its other end."""
    r = slot / 2
    end = [(r - r * np.cos(a), r * np.sin(a)) for a in np.linspace(0, np.pi / 2, 12)]
    other = [(-web - x, y) for x, y in end]
    outline = shapely.Polygon([*end, (length, r), (length, r + thick), (-web - length, r + thick), (-web - length, r),
                               *reversed(other)])

    def size(x, y):
        return np.where((np.abs(x + web / 2) < web / 2 + 2 * r) & (y < 2 * r), min(r, web) / 6, thick / 4)

    def middle(x, y):
        return np.isclose(y, 0)

    # Held along the pin at the middle of its web alone, so that it may turn there.
    give, _ = elements(outline, size, lambda x, y: np.isclose(y, 0) & (np.abs(x + web / 2) < web / 8), lambda x, y:
                       np.isclose(x, length), sliding=middle)
    arm = Arm(length, thick, WIDTH, Fill(20, 0.45, 1.0, 10.0), MODULUS, POISSON, fillet=min(r, 0.25 * length), root=SPLIT,
              web=Web(web, slot))
    assert float(arm.flexibility[1, 1]) == pytest.approx(give, rel=0.08)
    assert give > 1.1 * float(Arm(length, thick, WIDTH, arm.fill, MODULUS, POISSON, fillet=arm.fillet,
                                  root=SPLIT).flexibility[1, 1])
