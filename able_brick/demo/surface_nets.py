"""A closed mesh from a signed distance, in quads."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Floats, PolyMesh

Distance = Callable[[Floats], Floats]
_COARSE = 4


def surface_net(distance: Distance, low: Floats, high: Floats, cell: float) -> PolyMesh:
    """Quads (Gibson 1998, Constrained elastic surface nets) on the zero surface of a signed distance (n,3) → (n).

    The box from low to high (3,) must hold the surface; `cell` is the grid's step in metres. The distance must not grow
    faster than the way travelled, since only cells near the surface are looked at.
    """
    blocks = np.ceil((high - low) / (cell * _COARSE)).astype(int)
    n = blocks * _COARSE + 1
    field = _sampled(distance, low, n, cell)
    _relax(field)
    inside = field < 0
    cells = n - 1
    corner = [(dx, dy, dz) for dx in (0, 1) for dy in (0, 1) for dz in (0, 1)]

    def at(a: np.ndarray, d: tuple[int, int, int]) -> np.ndarray:
        return a[d[0] : d[0] + cells[0], d[1] : d[1] + cells[1], d[2] : d[2] + cells[2]]

    count = np.zeros(tuple(cells), np.int8)
    for d in corner:
        count += at(inside, d)
    active = (count > 0) & (count < 8)
    index = np.full(active.shape, -1, np.int64)
    index[active] = np.arange(int(active.sum()))
    where = np.argwhere(active)
    total, hits = np.zeros((len(where), 3)), np.zeros(len(where))
    value = {d: field[where[:, 0] + d[0], where[:, 1] + d[1], where[:, 2] + d[2]] for d in corner}
    for a in corner:
        for axis in range(3):
            if a[axis]:
                continue
            b = tuple(1 if k == axis else v for k, v in enumerate(a))
            va, vb = value[a], value[b]  # type: ignore[index]
            cut = (va < 0) != (vb < 0)
            t = np.where(cut, va / np.where(cut, va - vb, 1.0), 0.0)
            point = np.tile(np.array(a, float), (len(where), 1))
            point[:, axis] = t
            total += point * cut[:, None]
            hits += cut
    positions = low + (where + total / hits[:, None]) * cell
    faces = []
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        here = [slice(None)] * 3
        there = [slice(None)] * 3
        here[axis], there[axis] = slice(0, -1), slice(1, None)
        start, end = inside[tuple(here)], inside[tuple(there)]
        edges = np.argwhere(start != end)
        edges = edges[(edges[:, u] > 0) & (edges[:, v] > 0) & (edges[:, u] < cells[u]) & (edges[:, v] < cells[v])]
        quad = []
        for du, dv in ((0, 0), (1, 0), (1, 1), (0, 1)):
            c = edges.copy()
            c[:, u] -= 1 - du
            c[:, v] -= 1 - dv
            quad.append(index[c[:, 0], c[:, 1], c[:, 2]])
        quads = np.stack(quad, axis=1)
        flip = ~start[edges[:, 0], edges[:, 1], edges[:, 2]]
        quads[flip] = quads[flip][:, ::-1]
        faces.append(quads)
    corners = np.concatenate(faces)
    return PolyMesh.checked(positions, np.full(len(corners), 4), corners.ravel())


def _sampled(distance: Distance, low: Floats, n: np.ndarray, cell: float) -> Floats:
    """The distance on the grid, exact near the surface and roughly elsewhere."""
    blocks = (n - 1) // _COARSE
    step = cell * _COARSE
    centre = np.stack(np.meshgrid(*[np.arange(b) + 0.5 for b in blocks], indexing="ij"), axis=-1) * step + low
    rough = distance(centre.reshape(-1, 3)).reshape(blocks)
    field = np.empty(n)
    spread = [np.minimum(np.arange(k) // _COARSE, b - 1) for k, b in zip(n, blocks, strict=True)]
    field[:] = rough[np.ix_(*spread)]
    near = np.argwhere(np.abs(rough) < step * 1.15)
    fine = np.stack(np.meshgrid(*[np.arange(_COARSE + 1)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    wanted = np.zeros(n, np.bool_)
    wanted[tuple((near[:, None] * _COARSE + fine).reshape(-1, 3).T)] = True
    points = np.argwhere(wanted)
    field[points[:, 0], points[:, 1], points[:, 2]] = distance(low + points * cell)
    return field


def _relax(field: Floats) -> None:
    """Change the sign of samples where four of them lie crosswise, since a net would touch itself there."""
    for _ in range(50):
        changed = False
        for axis in range(3):
            u, v = (axis + 1) % 3, (axis + 2) % 3

            def part(du: int, dv: int, u: int = u, v: int = v) -> Floats:
                cut = [slice(None)] * 3
                cut[u] = slice(1, None) if du else slice(0, -1)
                cut[v] = slice(1, None) if dv else slice(0, -1)
                return field[tuple(cut)]

            a, b, c, d = (part(*at) < 0 for at in ((0, 0), (1, 1), (0, 1), (1, 0)))
            for cross, pair in (((a & b & ~c & ~d), ((0, 1), (1, 0))), ((c & d & ~a & ~b), ((0, 0), (1, 1)))):
                if cross.any():
                    changed = True
                    one, two = part(*pair[0]), part(*pair[1])
                    nearer = np.abs(one) <= np.abs(two)
                    one[cross & nearer] = -1e-6
                    two[cross & ~nearer] = -1e-6
        if not changed:
            return


def onto(distance: Distance, mesh: PolyMesh, *, rounds: int = 3, reach: float = 0.004) -> Floats:
    """The mesh's vertices (V,3), drawn along their normals onto the zero surface, `reach` metres a round at most."""
    p = mesh.positions.copy()
    normals = np.zeros_like(p)
    weighted = area_vectors(mesh)
    for k in range(4):
        np.add.at(normals, mesh.corners[k::4], weighted)
    normals = unit(normals)
    for _ in range(rounds):
        p -= np.clip(distance(p), -reach, reach)[:, None] * normals
    return p
