"""Plane-stress and solid finite elements made in the tests with a general-purpose library, to hold the flex core against."""

from __future__ import annotations

import logging

import numpy as np
import skfem as fem
from skfem.helpers import ddot, sym_grad, trace

# The mesh classes say at INFO that they copy arrays.
logging.getLogger("skfem").setLevel(logging.ERROR)
POISSON = 0.35


def _graded(count, power=1.6):
    return np.linspace(0, 1, count) ** power


def arm_in_a_wall(length, thickness, fillet, wall=25.0, along=60, across=8):
    """Quadrilaterals of an arm (y about its middle) that grows out of a wide wall at x = 0 with two root fillets."""
    if fillet > 0:
        angle = np.linspace(0, np.pi / 2, 17)
        xs = np.r_[fillet * (1 - np.cos(angle)), np.linspace(fillet, length, along)[1:]]
        bulge = np.r_[fillet - fillet * np.sin(angle), np.zeros(along - 1)]
    else:
        xs, bulge = np.linspace(0, length, along), np.zeros(along)
    eta = np.linspace(-1, 1, 2 * across + 1)
    half = thickness / 2 + bulge
    beyond = half[0] + (wall - half[0]) * _graded(13)[1:]
    rows = np.r_[-beyond[::-1], eta * half[0], beyond]
    columns = -wall * _graded(15)[::-1]
    points, numbers = [], {}

    def number(key, x, y):
        if key not in numbers:
            numbers[key] = len(points)
            points.append((x, y))
        return numbers[key]

    block = [[number(("wall", i, j), x, y) for j, y in enumerate(rows)] for i, x in enumerate(columns)]
    arm = [[block[-1][len(beyond) + j] if i == 0 else number(("arm", i, j), x, e * half[i]) for j, e in enumerate(eta)]
           for i, x in enumerate(xs)]
    cells = [(g[i][j], g[i + 1][j], g[i + 1][j + 1], g[i][j + 1])
             for g in (block, arm) for i in range(len(g) - 1) for j in range(len(g[0]) - 1)]
    return fem.MeshQuad(np.ascontiguousarray(np.array(points).T), np.ascontiguousarray(np.array(cells).T))


def bent_arm(length, thickness, width, fillet, modulus, load, at):
    """Return the mean deflection of the arm's end and the most surface strain under ``load`` (N), ``at`` mm from its end."""
    mesh = arm_in_a_wall(length, thickness, fillet)
    element = fem.ElementVector(fem.ElementQuad2())
    basis = fem.Basis(mesh, element, intorder=4)
    lam, mu = modulus * POISSON / (1 - POISSON**2), modulus / 2 / (1 + POISSON)

    @fem.BilinearForm
    def stiffness(u, v, _):
        a, b = sym_grad(u), sym_grad(v)
        return width * (2 * mu * ddot(a, b) + lam * trace(a) * trace(b))

    end = fem.FacetBasis(mesh, element, facets=mesh.facets_satisfying(lambda x: np.isclose(x[0], length)), intorder=4)
    (fx, fy), turning = load, at[0] * load[1] - at[1] * load[0]

    @fem.LinearForm
    def pull(v, w):
        y = w.x[1]
        return (fx / thickness * v[0] + 1.5 * fy / thickness * (1 - (2 * y / thickness) ** 2) * v[1]
                - 12 * turning / thickness**3 * y * v[0])

    far = mesh.facets_satisfying(lambda x: np.isclose(x[0], -25.0) | np.isclose(np.abs(x[1]), 25.0))
    moved = fem.solve(*fem.condense(stiffness.assemble(basis), pull.assemble(end), D=basis.get_dofs(far).all()))

    @fem.Functional
    def mean(w):
        return w["u"][1] / thickness

    edge = fem.FacetBasis(mesh, element, facets=mesh.boundary_facets(), intorder=4)
    gradient, normal = edge.interpolate(moved).grad, edge.normals
    along = np.array([-normal[1], normal[0]])
    strain = sum(along[i] * gradient[i][j] * along[j] for i in range(2) for j in range(2))
    return float(mean.assemble(end, u=end.interpolate(moved))), float(np.abs(strain).max())


def bent_finger(radius, wall, angle, length, modulus):
    """Return outward deflection of the tip per newton, and the greatest strain along a finger that is a sector of a tube.

    Triquadratic bricks, built in at z = 0, loaded outward over its end face.
    """
    around, through, high = 10, 2, 14
    box = fem.MeshHex.init_tensor(np.linspace(-angle / 2, angle / 2, around + 1),
                                  np.linspace(radius, radius + wall, through + 1),
                                  length * _graded(high + 1, 1.2))
    a, r, z = box.p
    mesh = fem.MeshHex(np.ascontiguousarray(np.array([r * np.sin(a), r * np.cos(a), z])), box.t)
    element = fem.ElementVector(fem.ElementHex2())
    basis = fem.Basis(mesh, element, intorder=4)
    lam, mu = modulus * POISSON / (1 + POISSON) / (1 - 2 * POISSON), modulus / 2 / (1 + POISSON)

    @fem.BilinearForm
    def stiffness(u, v, _):
        e, f = sym_grad(u), sym_grad(v)
        return 2 * mu * ddot(e, f) + lam * trace(e) * trace(f)

    end = fem.FacetBasis(mesh, element, facets=mesh.facets_satisfying(lambda x: np.isclose(x[2], length)), intorder=4)

    @fem.Functional
    def area(_):
        return 1.0 + 0 * _.x[0]

    size = float(area.assemble(end))

    @fem.LinearForm
    def pull(v, _):
        return v[1] / size

    clamped = basis.get_dofs(mesh.facets_satisfying(lambda x: np.isclose(x[2], 0))).all()
    moved = fem.solve(*fem.condense(stiffness.assemble(basis), pull.assemble(end), D=clamped))

    @fem.Functional
    def mean(w):
        return w["u"][1] / size

    # Strain along the finger away from its clamped edge, where a built-in face is sharper than any print.
    strain = np.abs(basis.interpolate(moved).grad[2][2])
    height = basis.global_coordinates()[2]
    return float(mean.assemble(end,
                               u=end.interpolate(moved))), lambda z, tall=0.6: float(strain[np.abs(height - z) < tall].max())


def finger_on_a_floor(radius, wall, slots, length, modulus, floor=2.0, stub=1.0, slot=1.2):
    """Return what the tip of one of ``slots`` fingers gives outward per newton, all loaded alike, on a floor held below.

    Triquadratic bricks of half a finger, the stub beside it and the floor under them, symmetric in both cuts.
    """
    half = np.pi / slots
    cut = half - slot / 2 / (radius + wall / 2)
    box = fem.MeshHex.init_tensor(
        np.r_[np.linspace(0, cut, 6), half], np.r_[np.linspace(1.0, radius, 6), np.linspace(radius, radius + wall, 3)[1:]],
        np.r_[np.linspace(-floor, 0, 3), np.linspace(0, stub, 3)[1:], stub + length * _graded(13, 1.3)[1:]])
    middle = box.p[:, box.t].mean(axis=1)
    gone = ((middle[2] > 0) & (middle[1] < radius)) | ((middle[2] > stub) & (middle[0] > cut))
    box = box.restrict(np.flatnonzero(~gone))
    a, r, z = box.p
    mesh = fem.MeshHex(np.ascontiguousarray(np.array([r * np.sin(a), r * np.cos(a), z])), box.t)
    element = fem.ElementVector(fem.ElementHex2())
    basis = fem.Basis(mesh, element, intorder=4)
    lam, mu = modulus * POISSON / (1 + POISSON) / (1 - 2 * POISSON), modulus / 2 / (1 + POISSON)
    normal = np.array([np.cos(half), -np.sin(half)])

    def face(where):
        facets = np.intersect1d(mesh.boundary_facets(), mesh.facets_satisfying(where))
        return fem.FacetBasis(mesh, element, facets=facets, intorder=4)

    stiffness = fem.BilinearForm(lambda u, v, _: 2 * mu * ddot(sym_grad(u), sym_grad(v)) + lam * trace(sym_grad(u)) * trace(
        sym_grad(v))).assemble(basis)
    across = fem.BilinearForm(lambda u, v, _: 1e7 * (u[0] * normal[0] + u[1] * normal[1]) * (
        v[0] * normal[0] + v[1] * normal[1]))
    mirrored = across.assemble(face(lambda x: np.abs(x[0] * normal[0] + x[1] * normal[1]) < 1e-6))
    end = face(lambda x: np.isclose(x[2], stub + length))
    area = float(fem.Functional(lambda w: 1.0 + 0 * w.x[0]).assemble(end))
    pull = fem.LinearForm(lambda v, _: v[1] / area).assemble(end)
    held = np.r_[basis.get_dofs(mesh.facets_satisfying(lambda x: np.isclose(x[0], 0))).all("u^1"),
                 basis.get_dofs(mesh.facets_satisfying(lambda x: np.isclose(x[2], -floor))).all()]
    moved = fem.solve(*fem.condense(stiffness + mirrored, pull, D=np.unique(held)))
    return float(pull @ moved) / 2


def filled_arm(length, depth, width, wall, skin, ratio):
    """Return what an arm of solid walls and skins round a soft core gives at its end per newton, over E, built in at x = 0.

    Triquadratic bricks of half the arm (symmetric in its width); ``ratio``: modulus of the core over that of the rest.
    """
    across = np.unique(np.r_[np.linspace(-depth / 2, wall - depth / 2, 3), np.linspace(wall - depth / 2, depth / 2 - wall, 5),
                             np.linspace(depth / 2 - wall, depth / 2, 3)].round(9))
    half = width / 2
    high = np.unique(np.r_[np.linspace(0, half - skin, 4), np.linspace(half - skin, half, 3 if skin else 1)].round(9))
    mesh = fem.MeshHex.init_tensor(length * _graded(13, 1.3), across, high)
    element = fem.ElementVector(fem.ElementHex2())
    basis = fem.Basis(mesh, element, intorder=4)
    middle = mesh.p[:, mesh.t].mean(axis=1)
    soft = (np.abs(middle[1]) < depth / 2 - wall) & (middle[2] < half - skin)
    lam, mu = POISSON / (1 + POISSON) / (1 - 2 * POISSON), 0.5 / (1 + POISSON)
    share = np.where(soft, ratio, 1.0)[:, None]

    @fem.BilinearForm
    def stiffness(u, v, w):
        e, f = sym_grad(u), sym_grad(v)
        return share * (2 * mu * ddot(e, f) + lam * trace(e) * trace(f))

    end = fem.FacetBasis(mesh, element, facets=mesh.facets_satisfying(lambda x: np.isclose(x[0], length)), intorder=4)

    @fem.LinearForm
    def push(v, w):
        return v[1] / (depth * half)

    held = basis.get_dofs(mesh.facets_satisfying(lambda x: np.isclose(x[0], 0))).all()
    mirror = basis.get_dofs(mesh.facets_satisfying(lambda x: np.isclose(x[2], 0))).all("u^3")
    moved = fem.solve(*fem.condense(stiffness.assemble(basis), push.assemble(end), D=np.unique(np.r_[held, mirror])))

    @fem.Functional
    def mean(w):
        return w["u"][1] / (depth * half)

    return float(mean.assemble(end, u=end.interpolate(moved))) / 2


def along_y(places):
    """A unit of travel along y of places (2, n)."""
    return np.stack([np.zeros(places.shape[1]), np.ones(places.shape[1])])


def about_origin(places):
    """A radian about the origin of places (2, n), for as little as it matters."""
    return np.stack([-places[1], places[0]])


def swept_bar(places, normals, thickness, width, modulus, pulled, across=6, moves=along_y):
    """Return the load and the most strain along the surface of a bar that is swept along a centre line.

    ``places``, ``normals``: (n, 2). Its first end is held, its last one is moved by ``pulled`` of what ``moves`` says, as one;
    the load is what does work on that, N or N·mm; the strain is looked at away from both ends.
    """
    eta = np.linspace(-1, 1, across + 1) * thickness / 2
    points = (places[:, None, :] + eta[None, :, None] * normals[:, None, :]).reshape(-1, 2)
    rows, cols = np.meshgrid(np.arange(len(places) - 1), np.arange(across), indexing="ij")
    first = (rows * (across + 1) + cols).ravel()
    cells = np.stack([first, first + across + 1, first + across + 2, first + 1])
    mesh = fem.MeshQuad(np.ascontiguousarray(points.T), np.ascontiguousarray(cells))
    element = fem.ElementVector(fem.ElementQuad2())
    basis = fem.Basis(mesh, element, intorder=4)
    lam, mu = modulus * POISSON / (1 - POISSON**2), modulus / 2 / (1 + POISSON)

    @fem.BilinearForm
    def stiffness(u, v, _):
        a, b = sym_grad(u), sym_grad(v)
        return width * (2 * mu * ddot(a, b) + lam * trace(a) * trace(b))

    matrix = stiffness.assemble(basis)

    def end(at):
        chosen = set(range(at * (across + 1), (at + 1) * (across + 1)))
        return basis.get_dofs(np.array([f for f in mesh.boundary_facets() if set(mesh.facets[:, f]) <= chosen]))

    held, moved = end(0), end(len(places) - 1)
    found = basis.zeros()
    by = pulled * moves(basis.doflocs)
    for number, name in enumerate(("u^1", "u^2")):
        own = np.concatenate([moved.nodal[name], moved.facet[name]])
        found[own] = by[number, own]
    found = fem.solve(*fem.condense(matrix, x=found, D=np.concatenate([held.all(), moved.all()])))
    ends = moved.all()
    load = float((matrix @ found)[ends] @ found[ends]) / pulled
    far = mesh.boundary_facets()
    middle = mesh.p[:, mesh.facets[:, far]].mean(axis=1)
    apart = np.minimum(*(np.hypot(*(middle - places[i][:, None])) for i in (0, -1)))
    edge = fem.FacetBasis(mesh, element, facets=far[apart > 2 * thickness], intorder=4)
    gradient, normal = edge.interpolate(found).grad, edge.normals
    along = np.array([-normal[1], normal[0]])
    strain = sum(along[i] * gradient[i][j] * along[j] for i in range(2) for j in range(2))
    return load, float(np.abs(strain).max())


def centre_line(edges, count=30):
    """Return places and left-hand normals, (n, 2) each, along the straights and arcs of a centre line."""
    places, normals = [], []
    for edge in edges:
        for part in np.linspace(0.0, 1.0, count + 1):
            if edge.bulge == 0:
                at = (edge.x0 + (edge.x1 - edge.x0) * part, edge.y0 + (edge.y1 - edge.y0) * part)
            else:
                (cx, cy), turn = edge.centre, edge.sweep * part
                dx, dy = edge.x0 - cx, edge.y0 - cy
                at = (cx + dx * np.cos(turn) - dy * np.sin(turn), cy + dx * np.sin(turn) + dy * np.cos(turn))
            heading = np.arctan2(*edge.tangent(at_end=False)[::-1]) + edge.sweep * part
            if not places or np.hypot(*np.subtract(at, places[-1])) > 1e-9:
                places.append(at)
                normals.append((-np.sin(heading), np.cos(heading)))
    return np.array(places), np.array(normals)


def raised_bar(places, normals, thickness, height, modulus):
    """Return the force that raises the last end of a swept bar by a millimetre out of its plane and keeps it level, N.

    Triquadratic bricks, one through the thickness and two through the height; the first end is held.
    """
    across, high = np.array([-0.5, 0.5]) * thickness, np.linspace(0, height, 3)
    flat = places[:, None, :] + across[None, :, None] * normals[:, None, :]
    points = np.concatenate([np.repeat(flat[:, :, None, :], len(high), axis=2),
                             np.broadcast_to(high[:, None], (*flat.shape[:2], len(high), 1))], axis=3)
    number = np.arange(points[..., 0].size).reshape(points.shape[:3])
    tensor = fem.MeshHex.init_tensor(np.arange(len(places)), np.arange(2), np.arange(3))
    order = number[tuple(tensor.p.round().astype(int))]
    mesh = fem.MeshHex(np.ascontiguousarray(points.reshape(-1, 3)[order].T), tensor.t)
    element = fem.ElementVector(fem.ElementHex2())
    basis = fem.Basis(mesh, element, intorder=4)
    lam, mu = modulus * POISSON / (1 + POISSON) / (1 - 2 * POISSON), modulus / 2 / (1 + POISSON)

    @fem.BilinearForm
    def stiffness(u, v, _):
        a, b = sym_grad(u), sym_grad(v)
        return 2 * mu * ddot(a, b) + lam * trace(a) * trace(b)

    matrix = stiffness.assemble(basis)
    at = tensor.p[0]

    def end(row):
        facets = mesh.boundary_facets()
        return basis.get_dofs(facets[(np.abs(at[mesh.facets[:, facets]] - row) < 0.1).all(axis=0)])

    held, raised = end(0), end(len(places) - 1)
    found = basis.zeros()
    found[raised.all("u^3")] = 1.0
    found = fem.solve(*fem.condense(matrix, x=found, D=np.concatenate([held.all(), raised.all()])))
    return float((matrix @ found)[raised.all("u^3")].sum())


def level_leaf(length, thickness, width, modulus, travels, along=48, across=2):
    """Return forces (N), how far its end comes nearer (mm) and greatest surface strains at travels (mm) of a guided leaf.

    Biquadratic plane-stress elements at large displacements (total Lagrangian, Green's strain, second stress of Piola and
    Kirchhoff, by Newton's method); its first end is held, its last one is moved across as one and neither turns nor is pulled.
    """
    mesh = fem.MeshQuad.init_tensor(np.linspace(0, length, along + 1), np.linspace(-0.5, 0.5, across + 1) * thickness)
    basis = fem.Basis(mesh, fem.ElementVector(fem.ElementQuad2()), intorder=4)
    lam, mu = modulus * POISSON / (1 - POISSON**2), modulus / 2 / (1 + POISSON)

    def stress(grad):
        shift = grad + np.eye(2)[:, :, None, None]
        green = 0.5 * (np.einsum("ki...,kj...->ij...", shift, shift) - np.eye(2)[:, :, None, None])
        return shift, green, 2 * mu * green + lam * np.eye(2)[:, :, None, None] * (green[0, 0] + green[1, 1])

    @fem.BilinearForm
    def tangent(u, v, w):
        shift, _, now = stress(w["past"].grad)
        du, dv = (0.5 * (np.einsum("ki...,kj...->ij...", shift, f.grad) + np.einsum("ki...,kj...->ij...", f.grad, shift))
                  for f in (u, v))
        more = 2 * mu * du + lam * np.eye(2)[:, :, None, None] * (du[0, 0] + du[1, 1])
        return width * ((more * dv).sum(axis=(0, 1))
                        + np.einsum("ij...,ki...,kj...->...", now, u.grad, v.grad))

    @fem.LinearForm
    def pushed(v, w):
        shift, _, now = stress(w["past"].grad)
        return width * np.einsum("ki...,ij...,kj...->...", shift, now, v.grad)

    ends = [basis.get_dofs(lambda x, at=at: np.isclose(x[0], at)) for at in (0.0, length)]
    guided, free = ends[1].all("u^2"), ends[1].all("u^1")
    # The end moves along as one: its places along x are tied to the first of them.
    tied, first = free[1:], free[0]
    found, answers = basis.zeros(), []
    outside = mesh.facets_satisfying(lambda x: np.isclose(np.abs(x[1]), thickness / 2), boundaries_only=True)
    edge = fem.FacetBasis(mesh, basis.elem, intorder=4, facets=outside)
    fixed = np.concatenate([ends[0].all(), guided])
    gather = np.setdiff1d(np.arange(basis.N), np.concatenate([fixed, tied]))
    for travel in travels:
        found[guided] = travel
        for _ in range(25):
            past = basis.interpolate(found)
            matrix, inner = tangent.assemble(basis, past=past).tolil(), pushed.assemble(basis, past=past)
            matrix[first] = matrix[first] + matrix[tied].sum(axis=0)
            matrix[:, first] = matrix[:, first] + matrix[:, tied].sum(axis=1)
            inner[first] += inner[tied].sum()
            change = np.zeros(basis.N)
            change[gather] = fem.solve(matrix.tocsr()[gather][:, gather], -inner[gather])
            change[tied] = change[first]
            found = found + change
            if np.abs(change).max() < 1e-8:
                break
        force = pushed.assemble(basis, past=basis.interpolate(found))[guided].sum()
        _, green, _ = stress(edge.interpolate(found).grad)
        answers.append((float(force), float(-found[first]), float(np.sqrt(1 + 2 * green[0, 0]).max() - 1)))
    return np.array(answers).T
