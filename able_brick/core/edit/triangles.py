"""Faces as triangles, triangles as quads, and edges between triangles turned."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.dissolve import dissolve
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import marked
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.text import counted

DiagonalBy = Literal["shortest diagonal", "best angles", "flattest fold"]

#: What is better by less than this share is as good.
_BETTER = 1e-9
#: How often each inner edge of a face is looked at, at most.
_LOOKS = 64


def triangulated_faces(mesh: PolyMesh, faces: Indices, by: DiagonalBy) -> Edited:
    """Cut picked faces into triangles, with the diagonals that are shortest, that leave the largest smallest angles, or
    along which the face bends least; the triangles are picked next. Raises GeometryError where all are triangles."""
    picked = marked(mesh, "face", faces) & (mesh.face_sizes > 3)
    if not picked.any():
        raise GeometryError("All that is picked are triangles already.")
    tris, of = triangulate(mesh)
    some = np.flatnonzero(picked[of])
    made = np.array(tris[some])
    numbers = of[some]
    four = np.flatnonzero(picked & (mesh.face_sizes == 4))
    made[np.isin(numbers, four)] = _of_quads(mesh, four, made[np.searchsorted(numbers, four)][:, 0], by)
    for first, last in _runs(numbers):
        if last - first > 2:
            made[first:last] = _turned(mesh, made[first:last], by)
    return _rebuilt(mesh, made, numbers)


def turned_edges(mesh: PolyMesh, edges: Indices) -> Edited:
    """Turn picked edges between two triangles, so that they join the other two corners; these are picked next.

    Raises GeometryError where an edge has no triangle on each side, where two picked edges belong to one triangle, and
    where the four corners lie so that the turned edge would leave them.
    """
    t = topology(mesh)
    picked = marked(mesh, "edge", edges)
    one = np.flatnonzero(picked[t.corner_edge] & (np.arange(len(mesh.corners)) < t.twin))
    two = t.twin[one]
    faces = mesh.corner_face[np.concatenate([one, two])]
    if len(one) < int(picked.sum()) or (mesh.face_sizes[faces] != 3).any():
        raise GeometryError("An edge is turned between two triangles; triangulate the faces beside it first.")
    if len(np.unique(faces)) < len(faces):
        raise GeometryError("Two of the picked edges belong to one triangle; turn them one after the other.")
    # corners: u → v is the edge in the first, w and x are across it
    u, v = one, mesh.next_corner[one]
    w, x = mesh.next_corner[v], mesh.next_corner[mesh.next_corner[two]]
    ends = np.sort(mesh.corners[np.stack([w, x], axis=1)], axis=1).astype(np.int64)
    base = np.int64(mesh.vertex_count)
    there = np.isin(ends[:, 0] * base + ends[:, 1], t.edges[:, 0].astype(np.int64) * base + t.edges[:, 1])
    if there.any():
        raise GeometryError("The other two corners have an edge already; that one cannot be turned.")
    for values in (mesh.uv, mesh.colour):
        if values is not None and (
            (values[u] != values[mesh.next_corner[two]]).any() or (values[v] != values[two]).any()
        ):
            raise GeometryError("The texture or colour has a seam along that edge, which cannot be turned.")
    # (u, x, w) and (v, w, x): attributes at u and v are those of the triangle that each stays in
    vertices = np.stack([u, x, w, v, w, x], axis=1)
    sharp = np.zeros((len(u), 6), np.bool_)
    sharp[:, 0] = mesh.sharp[mesh.next_corner[two]]  # u → x
    sharp[:, 2] = mesh.sharp[w]  # w → u
    sharp[:, 3] = mesh.sharp[v]  # v → w
    sharp[:, 5] = mesh.sharp[x]  # x → v
    like = np.stack([mesh.corner_face[one], mesh.corner_face[two]], axis=1).ravel()
    order = np.argsort(like)
    corners = vertices.reshape(-1, 3)[order].ravel()
    changed = Faces(
        np.full(len(like), 3, np.int32),
        mesh.corners[corners],
        like_corners(mesh, corners),
        like[order].astype(np.int32),
        sharp.reshape(-1, 3)[order].ravel(),
    )
    out = assemble(mesh, positions=mesh.positions, changed=changed, next_=Next(pairs=mesh.corners[np.stack([w, x], 1)]))
    return refuse_worse(mesh, out)


def as_quads(mesh: PolyMesh, faces: Indices, *, bend: float, skew: float) -> Edited:
    """Make pairs of picked triangles quads, the best ones first: those that bend by no more than an angle, radians, and
    whose corners are all within `skew`, radians, of a right angle; never over an edge that is sharp, between facets or
    materials, or where uv or colours do not go on. Raises GeometryError where no two fit."""
    picked = marked(mesh, "face", faces) & (mesh.face_sizes == 3)
    t = topology(mesh)
    corner = np.flatnonzero((np.arange(len(mesh.corners)) < t.twin) & picked[mesh.corner_face])
    corner = corner[picked[mesh.corner_face[t.twin[corner]]] & ~mesh.sharp[corner] & ~mesh.sharp[t.twin[corner]]]
    u, v, twin = corner, mesh.next_corner[corner], t.twin[corner]
    f, g = mesh.corner_face[corner], mesh.corner_face[twin]
    same = (mesh.material[f] == mesh.material[g]) & (mesh.facet[f] == mesh.facet[g])
    for values in (mesh.uv, mesh.colour):
        if values is not None:
            same &= (values[u] == values[mesh.next_corner[twin]]).all(axis=1) & (values[v] == values[twin]).all(axis=1)
    normal = unit(area_vectors(mesh))
    bent = np.arccos(np.clip(dots(normal[f], normal[g]), -1.0, 1.0))
    w, x = mesh.next_corner[v], mesh.next_corner[mesh.next_corner[twin]]
    loop = mesh.positions[mesh.corners[np.stack([u, x, v, w], axis=1)]]
    off = np.abs(_angles(loop) - np.pi / 2).max(axis=1)
    fits = np.flatnonzero(same & (bent <= bend) & (off <= skew))
    taken = np.zeros(mesh.face_count, np.bool_)
    chosen = []
    for k in fits[np.lexsort((corner[fits], np.round(off[fits] + bent[fits], 9)))].tolist():
        if not (taken[f[k]] or taken[g[k]]):
            taken[[f[k], g[k]]] = True
            chosen.append(int(t.corner_edge[corner[k]]))
    if not chosen:
        raise GeometryError("No two of the picked triangles fit into a quad; allow more bend or skew.")
    out = dissolve(mesh, "edge", np.array(sorted(chosen), np.int32), tidy=False)
    return replace(out, note=f"{counted(len(chosen), 'quad', 'quads')} of {int(picked.sum())} triangles")


def _angles(loops: Floats) -> Floats:
    """(n,4) the angles at the corners of quads (n,4,3), radians."""
    ahead = unit(np.roll(loops, -1, axis=1) - loops)
    back = unit(np.roll(loops, 1, axis=1) - loops)
    out: Floats = np.arccos(np.clip(dots(ahead, back), -1.0, 1.0))
    return out


def _runs(numbers: Ints) -> list[tuple[int, int]]:
    """Where runs of one number begin and end."""
    if not len(numbers):
        return []
    ends = np.append(np.flatnonzero(np.diff(numbers)) + 1, len(numbers))
    return list(zip([0, *ends[:-1].tolist()], ends.tolist(), strict=True))


def _of_quads(mesh: PolyMesh, faces: Indices, begins: Ints, by: DiagonalBy) -> Indices:
    """The triangles (2n,3), by corners, of quads (n), which are cut from their first or second corner, `begins` (n),
    unless the other diagonal is better."""
    first = mesh.face_starts[faces].astype(np.int64)
    table = np.array([[[0, 1, 2], [0, 2, 3]], [[1, 2, 3], [1, 3, 0]]])
    both = table[None] + first[:, None, None, None]  # (n, diagonal, triangle, corner)
    p = mesh.positions[mesh.corners[both]]
    normal = np.cross(p[..., 1, :] - p[..., 0, :], p[..., 2, :] - p[..., 0, :])
    whole = area_vectors(mesh)[faces]
    way = (normal * whole[:, None, None]).sum(axis=-1).min(axis=-1)
    sound = way > 1e-12 * np.sqrt(dots(whole, whole))[:, None]
    if by == "shortest diagonal":
        ends = mesh.positions[mesh.corners[first[:, None] + np.arange(4)]]
        score = -np.stack([np.linalg.norm(ends[:, k + 2] - ends[:, k], axis=1) for k in (0, 1)], axis=1)
        least = _BETTER * np.abs(score).max(axis=1, initial=0.0)
    else:
        least = np.full(len(first), _BETTER)
        score = dots(*(unit(normal[:, :, k]) for k in (0, 1))) if by == "flattest fold" else _smallest(p).min(axis=-1)
    now = (begins != first).astype(np.int64)
    rows = np.arange(len(first))
    other = sound[rows, 1 - now] & (score[rows, 1 - now] > score[rows, now] + least)
    out: Indices = both[rows, np.where(other, 1 - now, now)].reshape(-1, 3)
    return out


def _smallest(points: Floats) -> Floats:
    """(…) the smallest angle of triangles (…,3,3), radians."""
    ahead, back = (unit(np.roll(points, k, axis=-2) - points) for k in (-1, 1))
    out: Floats = np.arccos(np.clip(dots(ahead, back), -1.0, 1.0)).min(axis=-1)
    return out


def _turned(mesh: PolyMesh, tris: Ints, by: DiagonalBy) -> Ints:
    """The triangles (n,3) of one face, by corners, with its inner edges turned as long as that is better."""
    loops = [list(map(int, t)) for t in tris]
    place = {c: mesh.positions[mesh.corners[c]] for loop in loops for c in loop}
    face = int(mesh.corner_face[loops[0][0]])
    whole = area_vectors(mesh)[face]
    beside: dict[tuple[int, int], int] = {(t[k], t[(k + 1) % 3]): n for n, t in enumerate(loops) for k in range(3)}
    waiting = [e for e in beside if e[0] < e[1] and e[::-1] in beside]
    left = _LOOKS * len(waiting)
    while waiting and left:
        left -= 1
        u, v = waiting.pop(0)
        a, b = beside.get((u, v)), beside.get((v, u))
        if a is None or b is None:
            continue
        w = next(c for c in loops[a] if c not in (u, v))
        x = next(c for c in loops[b] if c not in (u, v))
        p, q, r, s = (place[c] for c in (u, v, w, x))
        now, then = (_cross(p, q, r), _cross(q, p, s)), (_cross(p, s, r), _cross(q, r, s))
        if min(float(n @ whole) for n in then) <= 1e-12 * float(whole @ whole) ** 0.5:
            continue
        if not _is_better(by, (p, q, r, s), now, then):
            continue
        del beside[u, v], beside[v, u]
        loops[a], loops[b] = [u, x, w], [v, w, x]
        for n in (a, b):
            t = loops[n]
            for k in range(3):
                c, d = t[k], t[(k + 1) % 3]
                beside[c, d] = n
                if (d, c) in beside:
                    waiting.append((min(c, d), max(c, d)))
    return np.array(loops, np.int32)


def _cross(a: Floats, b: Floats, c: Floats) -> Floats:
    out: Floats = np.cross(b - a, c - a)
    return out


def _is_better(
    by: DiagonalBy, corners: tuple[Floats, ...], now: tuple[Floats, Floats], then: tuple[Floats, Floats]
) -> bool:
    """Whether the diagonal from the third to the fourth corner is better than that from the first to the second."""
    p, q, r, s = corners
    if by == "shortest diagonal":
        old, new = (float(np.linalg.norm(d)) for d in (p - q, r - s))
        return new < old * (1 - _BETTER)
    if by == "flattest fold":
        old, new = (float(unit(n[0][None])[0] @ unit(n[1][None])[0]) for n in (now, then))
        return new > old + _BETTER
    old, new = (float(_smallest(np.array(tris)).min()) for tris in (((p, q, r), (q, p, s)), ((p, s, r), (q, r, s))))
    return new > old + _BETTER


def _rebuilt(mesh: PolyMesh, tris: Ints, numbers: Ints) -> Edited:
    """The mesh with triangles (n,3), by corners, in place of faces (n): of each its first triangle is that face."""
    first = np.ones(len(numbers), np.bool_)
    first[1:] = numbers[1:] != numbers[:-1]
    sharp = mesh.sharp[tris] & (mesh.next_corner[tris] == np.roll(tris, -1, axis=1))

    def some(rows: np.ndarray) -> Faces:
        corners = tris[rows].ravel()
        return Faces(
            np.full(int(rows.sum()), 3, np.int32),
            mesh.corners[corners],
            like_corners(mesh, corners),
            numbers[rows],
            sharp[rows].ravel(),
        )

    chosen = np.zeros(mesh.face_count, np.bool_)
    chosen[numbers] = True
    out = assemble(
        mesh,
        positions=mesh.positions,
        changed=some(first),
        added=some(~first),
        next_=Next(faces=chosen, added=np.ones(int((~first).sum()), np.bool_)),
    )
    return refuse_worse(mesh, replace(out, note=f"{counted(len(tris), 'triangle', 'triangles')}"))
