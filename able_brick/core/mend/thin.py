"""Faces without area, and triangles that are nearly that."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.edit.assemble import Faces, assemble, weights_of
from able_brick.core.edit.compose import composed, unchanged
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.merge import joined_at
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.gather import lowest_of
from able_brick.core.mesh.normals import dots, unit
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import Topology, topology
from able_brick.core.mesh.validity import degenerate_faces

#: A triangle with a smaller angle than this, radians, is a sliver.
NARROW: Final = float(np.radians(0.5))
#: Vertices of a face that are nearer along it than this share of its length are drawn together.
_TOGETHER: Final = 0.01
#: Rounds in which faces that are not beside each other go.
_ROUNDS: Final = 64


def flat_faces(mesh: PolyMesh) -> Ints:
    """Faces, rising, without area."""
    return np.flatnonzero(degenerate_faces(mesh)).astype(np.int32)


def sliver_faces(mesh: PolyMesh) -> Ints:
    """Triangles, rising, with an area and an angle below half a degree."""
    faces = np.flatnonzero((mesh.face_sizes == 3) & ~degenerate_faces(mesh))
    p = mesh.positions[mesh.corners[mesh.face_starts[faces][:, None] + np.arange(3)]]
    side = unit(np.roll(p, -1, axis=1) - p)
    nearest = np.max([-dots(side[:, k], side[:, (k + 1) % 3]) for k in range(3)], axis=0)
    out: Ints = faces[nearest > np.cos(NARROW)].astype(np.int32)
    return out


def without_width(mesh: PolyMesh, faces: Indices) -> Edited:
    """Close the surface over faces without width: vertices of theirs that are nearly on one place become one, and
    others become corners of the face beyond. Raises GeometryError where none of them can go."""
    out = _drawn_together(mesh, faces)
    left = np.zeros(mesh.face_count, np.bool_)
    left[faces] = True
    for _ in range(_ROUNDS):
        kept = out.face_from
        thin = np.flatnonzero((kept >= 0) & left[np.maximum(kept, 0)])
        made = _one_round(out.mesh, thin) if len(thin) else None
        if made is None:
            break
        out = composed(out, made)
    if out.mesh is mesh:
        raise GeometryError("What is beside them is of no width either, or meets itself there; delete and fill them.")
    return out


def _drawn_together(mesh: PolyMesh, faces: Indices) -> Edited:
    """The mesh with those vertices of the faces one that nearly meet; as it is where that would spoil others."""
    pairs: list[tuple[int, int]] = []
    for face in faces.tolist():
        vertices = mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]
        _, joins = _along(mesh.positions[vertices])
        pairs += [(int(vertices[k]), int(vertices[j])) for k, j in enumerate(joins.tolist()) if j != k]
    if not pairs:
        return unchanged(mesh)
    ends = np.array(pairs, np.int32)
    label, count = joined_numbers(mesh.vertex_count, ends[:, 0], ends[:, 1])
    try:
        return joined_at(mesh, mesh.positions, lowest_of(label, count), np.unique(ends))
    except GeometryError:
        return unchanged(mesh)


def _one_round(mesh: PolyMesh, faces: Indices) -> Edited | None:
    """The mesh without some of the faces, none of them beside another that goes; None where none can."""
    t = topology(mesh)
    taken = np.zeros(mesh.face_count, np.bool_)
    gone: list[int] = []
    more: dict[int, list[tuple[int, float]]] = {}
    for face in faces.tolist():
        inserted = _closing(mesh, t, face)
        if inserted is None:
            continue
        both = [face, *mesh.corner_face[list(inserted)].tolist()]
        if not taken[both].any():
            taken[both] = True
            gone.append(face)
            more.update(inserted)
    if not gone:
        return None
    keep = np.ones(mesh.face_count, np.bool_)
    keep[gone] = False
    return assemble(mesh, positions=mesh.positions, keep=keep, changed=_with_corners(mesh, more), normals=True)


def _closing(mesh: PolyMesh, t: Topology, face: int) -> dict[int, list[tuple[int, float]]] | None:
    """After which corner of the faces beside it which vertices of a face come when that goes, each with its share of
    the way to the next; None where it runs to and fro, or a face beside it has the vertex already."""
    begin, end = int(mesh.face_starts[face]), int(mesh.face_starts[face + 1])
    vertices = mesh.corners[begin:end]
    at, joins = _along(mesh.positions[vertices])
    n = len(vertices)
    if at is None or (joins != np.arange(n)).any():
        return None
    beside: set[int] = set()
    inserted: dict[int, list[tuple[int, float]]] = {}
    for k in range(n):
        a, b = at[k], at[(k + 1) % n]
        between = sorted(
            (float((at[j] - a) / (b - a)), int(vertices[j])) for j in range(n) if a < at[j] < b or b < at[j] < a
        )
        if not between:
            continue
        edge = int(t.corner_edge[begin + k])
        for corner in t.corners_of_edge(edge).tolist():
            other = int(mesh.corner_face[corner])
            if other == face:
                continue
            loop = mesh.corners[mesh.face_starts[other] : mesh.face_starts[other + 1]]
            if other in beside or np.isin(loop, [v for _, v in between]).any():
                return None
            beside.add(other)
            ahead = mesh.corners[corner] == vertices[k]
            inserted[corner] = [(v, s) for s, v in between] if ahead else [(v, 1.0 - s) for s, v in between[::-1]]
    return inserted


def _along(points: Floats) -> tuple[Floats | None, Ints]:
    """How far along its length (n) each point of a narrow loop is, points that nearly meet alike, and which point each
    of them is drawn to; nothing where it goes to and fro more than once."""
    n = len(points)
    joins = np.arange(n, dtype=np.int32)
    away = np.linalg.norm(points[:, None] - points[None], axis=2)
    u, w = np.unravel_index(int(np.argmax(away)), away.shape)
    long = float(away[u, w])
    if not long > 0:
        return np.zeros(n), np.zeros(n, np.int32)
    at = (points - points[u]) @ ((points[w] - points[u]) / long)
    order = np.argsort(at, kind="stable")
    # what nearly meets is drawn to the lowest of its own
    lead = int(order[0])
    for k in order[1:].tolist():
        if at[k] - at[lead] <= _TOGETHER * long:
            at[k] = at[lead]
            joins[k] = lead
        else:
            lead = k
    for lead in np.unique(joins).tolist():
        same = np.flatnonzero(joins == lead)
        joins[same] = same.min()
    steps = np.sign(np.diff(np.append(at, at[0])))
    steps = steps[steps != 0]
    if int((steps != np.roll(steps, 1)).sum()) > 2:
        return None, joins
    return at, joins


def _with_corners(mesh: PolyMesh, more: dict[int, list[tuple[int, float]]]) -> Faces | None:
    """The faces that get corners after some of theirs."""
    if not more:
        return None
    faces = np.unique(mesh.corner_face[list(more)])
    sizes, vertices, pairs, shares, sharp = [], [], [], [], []
    for face in faces.tolist():
        n = 0
        for corner in range(int(mesh.face_starts[face]), int(mesh.face_starts[face + 1])):
            following = int(mesh.next_corner[corner])
            for vertex, share in [(int(mesh.corners[corner]), 0.0), *more.get(corner, ())]:
                n += 1
                vertices.append(vertex)
                pairs.append((corner, following))
                shares.append((1.0 - share, share))
                sharp.append(mesh.sharp[corner])
        sizes.append(n)
    weights = weights_of(mesh, np.array(pairs), np.array(shares))
    flags: Bools = np.array(sharp, np.bool_)
    return Faces(np.array(sizes, np.int32), np.array(vertices, np.int32), weights, faces, flags)
