"""What is wrong with a mesh, in counted problems."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from able_brick.core import tolerances
from able_brick.core.mesh.combine import joined, together
from able_brick.core.mesh.face_kernels import flat_faces, mark_likely_twice
from able_brick.core.mesh.numbering import number_rows
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.text import counted


@dataclass(frozen=True)
class Problem:
    """One kind of fault: a closed `code`, how many, the first element, and a line for the artist."""

    code: str
    count: int
    first: int
    text: str


def degenerate_faces(mesh: PolyMesh, *, tolerance: float = tolerances.DEGENERATE) -> Bools:
    """(F) faces whose area is below the tolerance times their longest edge squared."""
    every = np.ones(len(mesh.corners), np.bool_)
    out: Bools = flat_faces(mesh.positions, mesh.face_starts, mesh.corners, every, mesh.face_sizes, tolerance)
    return out


def duplicate_faces(mesh: PolyMesh) -> Bools:
    """(F) faces that have the same vertices as an earlier face."""
    out = np.zeros(mesh.face_count, np.bool_)
    sizes = mesh.face_sizes
    t = topology(mesh)
    likely = np.zeros(mesh.face_count, np.bool_)
    mark_likely_twice(mesh.face_starts, mesh.corners, mesh.corner_face, t.twin, t.edge_uses[t.corner_edge], likely)
    for size in np.unique(sizes[likely]):
        faces = np.flatnonzero(likely & (sizes == size))
        rows = np.sort(mesh.corners[mesh.face_starts[faces][:, None] + np.arange(size)], axis=1)
        number, first = number_rows(rows.astype(np.uint32))
        out[faces[first[number] != np.arange(len(faces))]] = True
    return out


def unused_vertices(mesh: PolyMesh) -> Ints:
    """Vertices that no face has."""
    used = np.zeros(mesh.vertex_count, np.bool_)
    used[mesh.corners] = True
    return np.flatnonzero(~used).astype(np.int32)


def against_edges(mesh: PolyMesh) -> Ints:
    """Edges, rising, of two faces that run along them in the same direction."""
    t = topology(mesh)
    two = t.edge_uses[t.corner_edge] == 2
    return np.unique(t.corner_edge[two & (t.twin < 0)]).astype(np.int32)


def crowded_edges(mesh: PolyMesh) -> Ints:
    """Edges, rising, of more than two faces."""
    return _where(np.greater(topology(mesh).edge_uses, 2))


def _where(mask: Bools) -> Ints:
    return np.flatnonzero(mask).astype(np.int32)


def problems_of_all(meshes: Sequence[PolyMesh]) -> list[list[Problem]]:
    """`problems` of many meshes: of small ones several are looked at together, and singly only where one has some."""
    out: list[list[Problem]] = []
    for some in together(meshes):
        sound = len(some) > 1 and not problems(joined(some))
        out += [[] if sound else problems(mesh) for mesh in some]
    return out


def problems(mesh: PolyMesh) -> list[Problem]:
    """Every kind of fault found; open borders are no fault and are reported by `counts`."""
    found: list[tuple[str, Ints, str, str]] = [
        ("unused_vertices", unused_vertices(mesh), "vertex belongs to no face", "vertices belong to no face"),
        ("degenerate_faces", _where(degenerate_faces(mesh)), "face has no area", "faces have no area"),
        (
            "duplicate_faces",
            _where(duplicate_faces(mesh)),
            "face stands on the same vertices as another",
            "faces stand on the same vertices as others",
        ),
        ("crowded_edges", crowded_edges(mesh), "edge has more than two faces", "edges have more than two faces"),
        (
            "winding",
            against_edges(mesh),
            "edge joins faces that look opposite ways",
            "edges join faces that look opposite ways",
        ),
    ]
    return [
        Problem(code, len(at), int(at[0]), counted(len(at), one, plural)) for code, at, one, plural in found if len(at)
    ]
