"""A bump that rides over an edge, by nonlinear finite elements made in the tests with general-purpose libraries.

Outlines cut from the solids themselves are filled with quadratic triangles (SciPy's Delaunay, shapely); large turns by total
Lagrangian elements, plane stress or round an axis; the mate is a rigid rounded edge that is moved in
steps, its contact with Coulomb friction by penalty. Features no line with the flex core.
"""

from __future__ import annotations

import logging
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
import skfem as fem
from scipy.sparse import coo_matrix, csr_matrix, diags
from scipy.sparse.linalg import splu
from scipy.spatial import Delaunay

logging.getLogger("skfem").setLevel(logging.ERROR)
POISSON = 0.35
SOFT = 0.001
"""Over what depth contact sets in, mm; at four times it a return face is met so early that a folded arm pulls 8 % more."""
SLIP = 0.01
"""Way over which friction sets in where faces stick until they slide, mm."""
SAMPLES = 6
"""Places at which contact is looked for on every edge of a triangle."""


def triangles(outline, size):
    """Return a mesh of a shapely polygon; ``size(x, y)``: wanted edge length there, mm."""
    found = []
    for ring in (outline.exterior, *outline.interiors):
        corners = np.asarray(ring.coords)
        for a, b in pairwise(corners):
            length, middle = np.hypot(*(b - a)), (a + b) / 2
            steps = max(1, int(np.ceil(length / min(size(*at[:, None])[0] for at in (a, middle, b)))))
            found.append(a + (b - a) * (np.arange(steps) / steps)[:, None])
    edge = np.concatenate(found)
    x0, y0, x1, y1 = outline.bounds
    coarsest = size(*edge.T).max()
    level, inner = size(*edge.T).min(), []
    while level <= 1.01 * coarsest:
        xs, ys = np.arange(x0, x1, level), np.arange(y0, y1, level * np.sqrt(3) / 2)
        rows = xs[None, :] + (np.arange(len(ys)) % 2 * level / 2)[:, None]
        grid = np.stack([rows, ys[:, None] + 0 * xs], axis=-1).reshape(-1, 2)
        wanted = size(*grid.T)
        grid = grid[(wanted >= 0.999 * level) & (wanted < 1.999 * level)]
        points = shapely.points(grid)
        away = shapely.contains(outline, points) & (shapely.distance(outline.boundary, points) > 0.6 * level)
        inner.append(grid[away])
        level *= 2
    points = np.concatenate([edge, *inner])
    cells = Delaunay(points).simplices
    a, b, c = (points[cells[:, k]] for k in range(3))
    area = 0.5 * ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])
    inside = shapely.contains(outline, shapely.points(points[cells].mean(axis=1))) & (np.abs(area) > 1e-7)
    cells, area = cells[inside], area[inside]
    cells[area < 0] = cells[area < 0][:, ::-1]
    used, numbers = np.unique(cells, return_inverse=True)
    mesh = fem.MeshTri(np.ascontiguousarray(points[used].T), np.ascontiguousarray(numbers.reshape(-1, 3).T))
    assert abs(np.abs(area).sum() - outline.area) < 1e-6 * outline.area + 1e-9, "the triangles fill the outline"
    return mesh


@dataclass(frozen=True)
class Edge:
    """A rigid wall with rounded edges: x from ``front`` to ``front + wall``, everything above ``face``, mm."""

    wall: float
    face: float
    radius: float
    height: float = 30.0

    def gap(self, front, x, y):
        """Return distance to it (negative inside) and the direction away from it."""
        half = np.array([self.wall / 2, self.height / 2])
        p = np.stack([x - front - half[0], y - self.face - half[1]])
        q = np.abs(p) - (half - self.radius)[:, None]
        out = np.maximum(q, 0.0)
        far = np.hypot(*out)
        along = np.where(q[0] > q[1], 0, 1)
        inside = np.maximum(q[0], q[1]) <= 0
        normal = np.where(inside, np.stack([along == 0, along == 1]).astype(float), out / np.maximum(far, 1e-12))
        return np.where(inside, np.maximum(q[0], q[1]), far) - self.radius, normal * np.sign(p)


@dataclass(frozen=True)
class Round:
    """A rigid round about (``front``, 0), mm."""

    radius: float

    def gap(self, front, x, y):
        """Return distance to it (negative inside) and the direction away from it."""
        out = np.stack([x - front, y])
        far = np.hypot(*out)
        return far - self.radius, out / far


def _spread(small, rows, cols, size):
    """Return a matrix between some rows and columns as one between all."""
    found = small.tocoo()
    return coo_matrix((found.data, (rows[found.row], cols[found.col])), shape=(size, size)).tocsr()


class Pressed:
    """A body held somewhere, pressed by an :class:`Edge` or a :class:`Round` that is moved along x."""

    def __init__(self, mesh, width, modulus, held, touching, *, round_axis=False, stiff=10.0, width_at=None, sticks=False):
        self.width_at, self.sticks, self.began = width_at or (lambda x: width), sticks, None
        self.mesh, self.width, self.modulus, self.round = mesh, width, modulus, round_axis
        self.element = fem.ElementVector(fem.ElementTriP2())
        self.basis = fem.Basis(mesh, self.element, intorder=2)
        self.moved, self._kept = self.basis.zeros(), None
        x = self.basis.doflocs
        boundary = np.unique(self.basis.get_dofs(mesh.boundary_facets()).all())
        chosen = boundary[touching(*x[:, boundary])]
        self.at = np.array([(a, b) for a, b in pairwise(chosen)
                            if np.allclose(x[:, a], x[:, b])])
        self.between, self.share = self._sampled(x[:, self.at[:, 0]])
        self.fixed = boundary[held(*x[:, boundary])]
        self.free = np.setdiff1d(np.arange(self.basis.N), self.fixed)
        self.penalty = stiff * modulus * width

    def _sampled(self, nodes):
        """Return how places on the touching boundary follow its nodes, (k, nodes), and the length each stands for, mm.

        Between nodes too, or a corner that rides along would drop into every gap between two of them.
        """
        number = {tuple(np.round(node, 7)): i for i, node in enumerate(nodes.T)}
        ends = self.mesh.p[:, self.mesh.facets[:, self.mesh.boundary_facets()]].transpose(2, 1, 0)
        part, rows, share = (np.arange(SAMPLES) + 0.5) / SAMPLES, [], []
        shape = np.stack([(1 - part) * (1 - 2 * part), part * (2 * part - 1), 4 * part * (1 - part)], axis=1)
        for a, b in ends:
            three = [number.get(tuple(np.round(node, 7))) for node in (a, b, (a + b) / 2)]
            if None in three:
                continue
            found = np.zeros((SAMPLES, nodes.shape[1]))
            found[:, three] = shape
            rows.append(found)
            share.append(np.full(SAMPLES, np.hypot(*(b - a)) / SAMPLES))
        return csr_matrix(np.concatenate(rows)), np.concatenate(share)

    def _shapes(self):
        """Gradients (12, 2, 2, n) and upward values (12, n) of the elements' functions at all places of the quadrature, and
        what each place counts: kept, they never change."""
        if self._kept is None:
            functions = [each[0] for each in self.basis.basis]
            grad = np.stack([np.broadcast_to(f.grad, (2, 2, *self.basis.dx.shape)) for f in functions])
            up = np.stack([np.broadcast_to(f[1], self.basis.dx.shape) for f in functions])
            along, out = (np.asarray(each).ravel() for each in self.basis.global_coordinates())
            weight = self.basis.dx.ravel() * (2 * np.pi * np.abs(out) if self.round else self.width_at(along))
            self._kept = grad.reshape(*grad.shape[:3], -1), up.reshape(len(up), -1) / out, weight
        return self._kept

    def _assemble(self):
        """Inner forces and their tangent.

        St. Venant-Kirchhoff in plane stress; round an axis neo-Hookean, which bears the pressure under a line that touches.
        """
        grad, up, weight = self._shapes()
        dofs = self.basis.element_dofs
        here = np.repeat(self.moved[dofs], len(weight) // dofs.shape[1], axis=1)
        f = np.einsum("kn,kijn->ijn", here, grad) + np.eye(2)[:, :, None]
        c = np.einsum("kin,kjn->ijn", f, f)
        half = np.einsum("min,kmjn->kijn", f, grad)
        # What each function strains: along x, along y and both, in pairs that add up to e : e.
        strained = np.stack([half[:, 0, 0], half[:, 1, 1], (half[:, 0, 1] + half[:, 1, 0]) / np.sqrt(2)], axis=1)
        mu, nu = self.modulus / 2 / (1 + POISSON), POISSON
        if self.round:
            lam, hoop = self.modulus * nu / (1 + nu) / (1 - 2 * nu), 1 + np.einsum("kn,kn->n", here, up)
            square = c[0, 0] * c[1, 1] - c[0, 1] ** 2
            inverse = np.stack([c[1, 1], c[0, 0], -np.sqrt(2) * c[0, 1]]) / square
            grown = lam * 0.5 * np.log(np.maximum(square * hoop**2, 1e-9))
            stress, third = mu * np.array([1.0, 1.0, 0])[:, None] + (grown - mu) * inverse, mu + (grown - mu) / hoop**2
            round_ = hoop * up
            force = np.einsum("tn,ktn->kn", stress, strained) + third * round_
            a, b, d = inverse[0], inverse[1], inverse[2] / np.sqrt(2)
            mixing = np.array([[a * a, d * d, np.sqrt(2) * a * d], [d * d, b * b, np.sqrt(2) * b * d],
                               [np.sqrt(2) * a * d, np.sqrt(2) * b * d, a * b + d * d]])
            swelling = np.einsum("tn,ktn->kn", inverse, strained) + round_ / hoop**2
            stiff = lam * weight * swelling[:, None] * swelling[None] + weight * third * up[:, None] * up[None]
            stiff += np.einsum("n,ktn,tun,lun->kln", 2 * (mu - grown) * weight, strained, mixing, strained, optimize=True)
            stiff += 2 * (mu - grown) * weight / hoop**4 * round_[:, None] * round_[None]
        else:
            lam = self.modulus * nu / (1 - nu**2)
            whole = 0.5 * (c[0, 0] + c[1, 1] - 2)
            stress = np.stack([lam * whole + mu * (c[0, 0] - 1), lam * whole + mu * (c[1, 1] - 1), np.sqrt(2) * mu * c[0, 1]])
            force = np.einsum("tn,ktn->kn", stress, strained)
            swelling = strained[:, 0] + strained[:, 1]
            stiff = lam * weight * swelling[:, None] * swelling[None]
            stiff += 2 * mu * np.einsum("ktn,ltn->kln", strained * weight, strained)
        s = np.array([[stress[0], stress[2] / np.sqrt(2)], [stress[2] / np.sqrt(2), stress[1]]]) * weight
        stiff += np.einsum("kmin,ijn,lmjn->kln", grad, s, grad, optimize=True)
        places = len(weight) // dofs.shape[1]
        inner = np.zeros(self.basis.N)
        np.add.at(inner, dofs, (force * weight).reshape(len(dofs), -1, places).sum(axis=2))
        stiff = stiff.reshape(len(dofs), len(dofs), -1, places).sum(axis=3)
        rows, cols = np.broadcast_to(dofs[:, None], stiff.shape), np.broadcast_to(dofs[None], stiff.shape)
        return inner, coo_matrix((stiff.ravel(), (rows.ravel(), cols.ravel())), shape=(self.basis.N, self.basis.N)).tocsr()

    def _touched(self, edge, front, friction, way):
        """Force of the edge on the nodes, its tangent, and the force along x; ``way``: direction the edge is moved in."""
        a, b = self.at.T
        x, y = (self.between @ (self.basis.doflocs[i, row] + self.moved[row]) for i, row in enumerate((a, b)))
        gap, normal = edge.gap(front, x, y)
        # A soft beginning of contact, or places would come and go for ever.
        deep = SOFT * np.logaddexp(0.0, -gap / SOFT)
        onset = 1 / (1 + np.exp(np.clip(gap / SOFT, -60, 60)))
        tangent = np.stack([-normal[1], normal[0]])
        tangent = tangent * np.sign(tangent[0] * way + 1e-12)
        rubs, grows = friction, 0.0
        if self.sticks:
            # As far as it has slid since it first touched; it slides on the same way.
            self.began = (x - front, y.copy()) if self.began is None else self.began
            slid = -((x - front - self.began[0]) * tangent[0] + (y - self.began[1]) * tangent[1]) / SLIP
            rubs, grows = friction * np.tanh(slid), friction / np.cosh(np.clip(slid, -50, 50)) ** 2 / SLIP * deep
        pull = normal + rubs * tangent
        share = self.penalty * self.share * (2 * np.pi * np.abs(y) if self.round else 1.0)
        force = share * deep * pull
        on = gap < 12 * SOFT
        w = self.between[on]
        stiff = [[share * (onset * pull[i] * normal[j] + grows * tangent[i] * tangent[j]) for j in (0, 1)] for i in (0, 1)]
        k = sum(_spread(w.T @ diags(stiff[i][j][on]) @ w, row, col, self.basis.N)
                for i, row in enumerate((a, b)) for j, col in enumerate((a, b)))
        outer = np.zeros(self.basis.N)
        for i, row in enumerate((a, b)):
            np.add.at(outer, row, self.between.T @ force[i])
        return outer, k, float(force[0].sum()), float(force[1].sum())

    def _solved(self, stiff, pushed):
        """Return how the free nodes move under forces on them."""
        return splu(stiff[self.free][:, self.free].tocsc(), permc_spec="MMD_AT_PLUS_A").solve(pushed)

    def press(self, edge, front, friction, way, most=80):
        """Bring the edge to ``front`` and return the forces on it along x and y, N."""
        for number in range(most):
            inner, k = self._assemble()
            outer, kc, along, across = self._touched(edge, front, friction, way)
            left = (outer - inner)[self.free]
            step = self._solved(k + kc, left)
            size = np.abs(step).max()
            # Half steps where nodes come and go between two states.
            self.moved[self.free] += step * min(1.0 if number < 30 else 0.5, 0.15 / max(size, 1e-12))
            if size < 3e-5:
                return -along, -across
        raise AssertionError(f"no balance at {front:.3f}")

    def led(self, at, to, steps):
        """Bring the node nearest to ``at`` up by ``to`` mm in some steps, all else of it free; return the force on it, N."""
        x = self.basis.doflocs
        dof = np.flatnonzero(np.hypot(*(x - np.array(at)[:, None])) < np.hypot(*(x - np.array(at)[:, None])).min() + 1e-9)[1]
        free, begun = np.setdiff1d(self.free, [dof]), self.moved[dof]
        for wanted in begun + (to - begun) * np.arange(1, steps + 1) / steps:
            for _ in range(60):
                inner, k = self._assemble()
                left = -inner[free] - k[free][:, [dof]].toarray()[:, 0] * (wanted - self.moved[dof])
                step = splu(k[free][:, free].tocsc(), permc_spec="MMD_AT_PLUS_A").solve(left)
                self.moved[dof] = wanted
                self.moved[free] += step
                if np.abs(step).max() < 1e-6:
                    break
            else:
                raise AssertionError(f"no balance at {wanted:.3f}")
        return float(self._assemble()[0][dof])

    def stiffness(self, where, tiny=1e-3):
        """Move the nodes where ``where(x, y)`` holds along y by ``tiny`` mm; return the force on them per mm."""
        x, across = self.basis.doflocs, np.concatenate([self.basis.nodal_dofs[1], self.basis.facet_dofs[1]])
        led = across[where(*x[:, across])]
        free, k = np.setdiff1d(self.free, led), self._assemble()[1]
        self.moved[led] = tiny
        self.moved[free] = -splu(k[free][:, free].tocsc()).solve((k @ self.moved)[free])
        return float((k @ self.moved)[led].sum()) / tiny

    def drawn_on(self, edge, where, pull, steps=8):
        """Pull the boundary where ``where(x)`` holds towards −y, N, against an edge at 0; return all contact forces."""
        facets = np.intersect1d(self.mesh.facets_satisfying(where), self.mesh.boundary_facets())
        face = fem.FacetBasis(self.mesh, self.element, facets=facets, intorder=4)
        length = float(fem.Functional(lambda w: 1.0 + 0 * w.x[0]).assemble(face))
        load = fem.LinearForm(lambda v, w: -pull / length * v[1]).assemble(face)
        for part in np.arange(1, steps + 1) / steps:
            for _ in range(120):
                inner, k = self._assemble()
                outer, kc, _, _ = self._touched(edge, 0.0, 0.0, 1)
                pushed = (outer + part * load - inner)[self.free]
                step = self._solved(k + kc, pushed)
                size = np.abs(step).max()
                self.moved[self.free] += step * min(1.0, 0.1 / max(size, 1e-12))
                if size < 1e-5:
                    break
            else:
                raise AssertionError(f"no balance at {part:.2f} of the pull")
        a, b = self.at.T
        x, y = (self.between @ (self.basis.doflocs[i, row] + self.moved[row]) for i, row in enumerate((a, b)))
        return float((self.penalty * self.share * SOFT * np.logaddexp(0.0, -edge.gap(0.0, x, y)[0] / SOFT)).sum())

    def loaded(self, end, middle, where):
        """Return what a newton across the end face at x = ``end``, about y = ``middle``, gives, and the surface strain."""
        facets = self.mesh.facets_satisfying(lambda x: np.isclose(x[0], end))
        half = np.abs(self.mesh.p[1, self.mesh.facets[:, facets]] - middle).max()
        face = fem.FacetBasis(self.mesh, self.element, facets=facets, intorder=4)
        load = fem.LinearForm(lambda v, w: 0.75 / half * (1 - ((w.x[1] - middle) / half) ** 2) * v[1]).assemble(face)
        stiff = self._assemble()[1][self.free][:, self.free]
        tiny = 1e-3
        self.moved[self.free] = tiny * splu(stiff.tocsc()).solve(load[self.free])
        return float(load @ self.moved) / tiny, self.surface_strain(where) / tiny

    def surface_strain(self, where):
        """Return the greatest Green strain along the boundary where ``where(x, y)`` holds, mid-edges only."""
        facets = self.mesh.boundary_facets()
        basis = fem.FacetBasis(self.mesh, self.element, facets=facets, intorder=4)
        grad, normal = basis.interpolate(self.moved).grad, basis.normals
        t = [-normal[1], normal[0]]
        stretched = [sum((grad[i][j] + (i == j)) * t[j] for j in range(2)) for i in range(2)]
        strain = 0.5 * (stretched[0] ** 2 + stretched[1] ** 2 - 1)
        x = basis.global_coordinates()
        chosen = where(x[0], x[1])
        return float(np.abs(np.where(chosen, strain, 0.0)).max())
