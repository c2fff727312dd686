"""Vertices made one: collapsed, or welded by distance; and faces that this leaves clean."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.limits import MOST_PAIRS, check_limit
from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.gather import lowest_of, sums_at
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def collapse(mesh: PolyMesh, edges: Indices) -> Edited:
    """Draw edges together, each connected set to its middle. Raises GeometryError where no face would be left."""
    marked(mesh, "edge", edges)
    ends = topology(mesh).edges[edges]
    label, _ = joined_numbers(mesh.vertex_count, ends[:, 0], ends[:, 1])
    return _merged(mesh, label, np.unique(ends))


def weld(mesh: PolyMesh, vertices: Indices, distance: float) -> Edited:
    """Make vertices one that lie within a distance (m) of each other, each set in its middle. Raises GeometryError
    where there are none, with the nearest two."""
    marked(mesh, "vertex", vertices)
    if not distance >= 0:
        raise GeometryError("Give a distance of 0 or more.", received=distance)
    own = np.unique(vertices)
    tree = cKDTree(mesh.positions[own])
    check_limit(int(tree.count_neighbors(tree, distance)), MOST_PAIRS, "pairs of vertices")
    pairs = tree.query_pairs(distance, output_type="ndarray")
    if not len(pairs):
        far = np.asarray(tree.query(mesh.positions[own], k=min(2, len(own)))[0])
        near = float(far[:, 1].min()) if len(own) > 1 else np.inf
        nearest = f"the nearest two are {near:.4g} m apart" if np.isfinite(near) else "only one is picked"
        raise GeometryError(f"No two of the vertices are within {distance:g} m: {nearest}.", allowed=float(near))
    label, _ = joined_numbers(mesh.vertex_count, own[pairs[:, 0]], own[pairs[:, 1]])
    return _merged(mesh, label, np.unique(own[pairs]))


def _merged(mesh: PolyMesh, label: Indices, touched: Indices) -> Edited:
    """The mesh with vertices of one label (V) made one, in their middle; those that are not `touched` stay."""
    target = lowest_of(label, int(label.max()) + 1)
    positions = mesh.positions.copy()
    into = target[touched]
    total = sums_at(into, mesh.positions.take(touched, axis=0), mesh.vertex_count)
    count = np.bincount(into, minlength=mesh.vertex_count)
    several = count > 1
    positions[several] = total[several] / count[several, None]
    return joined_at(mesh, positions, target, np.unique(target[touched]))


def joined_at(mesh: PolyMesh, positions: Floats, target: Indices, picked: Indices) -> Edited:
    """The mesh with every vertex become its target (V) at new positions (V,3): faces drop corners that are the same as
    the next, those below three corners go, and of those on the same vertices one stays, or none where they look
    opposite ways."""
    changed, keep = _clean(mesh, target)
    if not keep.any():
        raise GeometryError("No face would be left; pick less, or give a smaller distance.")
    out = assemble(
        mesh,
        positions=positions,
        keep=keep,
        changed=changed,
        next_=Next(vertices=picked),
    )
    return refuse_worse(mesh, out)


def _clean(mesh: PolyMesh, target: Indices) -> tuple[Faces | None, np.ndarray]:
    keep = np.ones(mesh.face_count, np.bool_)
    moved = target[mesh.corners] != mesh.corners
    shared = np.zeros(mesh.vertex_count, np.bool_)
    shared[target[mesh.corners[moved]]] = True
    touched = np.unique(mesh.corner_face[moved | shared[mesh.corners]])
    sizes: list[int] = []
    taken: list[int] = []
    faces: list[int] = []
    seen: dict[tuple[int, ...], list[tuple[int, list[int]]]] = {}
    for face in touched.tolist():
        corners = list(range(int(mesh.face_starts[face]), int(mesh.face_starts[face + 1])))
        names = [int(target[mesh.corners[c]]) for c in corners]
        left = [k for k in range(len(names)) if names[k] != names[(k + 1) % len(names)]]
        loop = _longest([(names[k], corners[k]) for k in left])
        keep[face] = len(loop) >= 3
        if keep[face]:
            key = tuple(sorted(n for n, _ in loop))
            seen.setdefault(key, []).append((face, [n for n, _ in loop]))
            faces.append(face)
            sizes.append(len(loop))
            taken += [c for _, c in loop]
    for same in seen.values():
        _drop_doubles(same, keep)
    if not faces:
        return None, keep
    at = np.array(taken, np.int64)
    size = np.array(sizes, np.int32)
    stay = keep[np.array(faces)]
    of_corner = np.repeat(stay, size)
    at, size = at[of_corner], size[stay]
    like = np.array(faces, np.int32)[stay]
    return Faces(size, target[mesh.corners[at]], like_corners(mesh, at), like, mesh.sharp[at]), keep


def _longest(loop: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """The longest way round that names no vertex twice: what hangs on it by one vertex is left out."""
    while True:
        first: dict[int, int] = {}
        for k, (name, _) in enumerate(loop):
            if name in first:
                i = first[name]
                one, other = loop[i:k], loop[:i] + loop[k:]
                loop = one if len(one) >= len(other) else other
                break
            first[name] = k
        else:
            return loop


def _drop_doubles(same: list[tuple[int, list[int]]], keep: np.ndarray) -> None:
    """Of faces on the same vertices keep the first of each way round, or none where both ways are there."""
    if len(same) < 2:
        return
    first = same[0][1]
    alike: list[int] = []
    against: list[int] = []
    for face, loop in same:
        at = loop.index(first[0])
        ahead = loop[at:] + loop[:at]
        (alike if ahead[1] == first[1] or len(first) < 3 else against).append(face)
    for face in alike[1:] + against[1:]:
        keep[face] = False
    if alike and against:
        keep[alike[0]] = keep[against[0]] = False
