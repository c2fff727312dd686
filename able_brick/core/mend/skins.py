"""Faces that are there twice."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import assemble
from able_brick.core.edit.edited import Edited
from able_brick.core.errors import GeometryError
from able_brick.core.mend.places import edge_places, places
from able_brick.core.mesh.numbering import number_rows
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import duplicate_faces


def doubled_faces(mesh: PolyMesh) -> Ints:
    """Faces, rising, on the places of an earlier face that look the same way; both of those that look away from each
    other where the mesh stays whole without them; and those on the very vertices of an earlier one."""
    return np.union1d(np.flatnonzero(duplicate_faces(mesh)), _removable(mesh)).astype(np.int32)


def _removable(mesh: PolyMesh) -> Ints:
    """Faces, rising, that may go: of those alike all but the first, and of those that look away from each other both,
    where two faces stay beside each of their edges."""
    place = places(mesh)
    number, uses = edge_places(mesh)
    edge = number[topology(mesh).corner_edge]
    left = uses.copy()
    out: list[int] = []
    for faces in faces_on_the_same(mesh):
        ahead: list[int] = []
        back: list[int] = []
        first: list[int] = []
        for face in faces:
            loop = place[mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]].tolist()
            at = loop.index(min(loop))
            loop = loop[at:] + loop[:at]
            first = first or loop
            if loop == first:
                ahead.append(face)
            elif loop[:1] + loop[:0:-1] == first:
                back.append(face)
        gone = ahead[1:] + back[1:]
        for face in gone:
            left[edge[mesh.face_starts[face] : mesh.face_starts[face + 1]]] -= 1
        if ahead and back:
            pair = [ahead[0], back[0]]
            beside = np.unique(edge[mesh.face_starts[pair[0]] : mesh.face_starts[pair[0] + 1]])
            if (left[beside] >= 4).all():
                left[beside] -= 2
                gone += pair
        out += gone
    return np.array(sorted(out), np.int32)


def faces_on_the_same(mesh: PolyMesh) -> list[list[int]]:
    """Groups of two and more faces, rising, that have corners on the same places, each on places of their own."""
    place = places(mesh)
    out: list[list[int]] = []
    for size in np.unique(mesh.face_sizes).tolist():
        faces = np.flatnonzero(mesh.face_sizes == size)
        rows = np.sort(place[mesh.corners[mesh.face_starts[faces][:, None] + np.arange(size)]], axis=1)
        # one that is nowhere wider than its vertices are near says nothing of others
        apart = (rows[:, 1:] != rows[:, :-1]).all(axis=1)
        faces, rows = faces[apart], rows[apart]
        number, first = number_rows(rows.astype(np.uint32))
        several = np.flatnonzero(np.bincount(number, minlength=len(first))[number] > 1)
        groups: dict[int, list[int]] = {}
        for k in several.tolist():
            groups.setdefault(int(number[k]), []).append(int(faces[k]))
        out += groups.values()
    return sorted(out)


def without_doubles(mesh: PolyMesh, faces: Indices) -> Edited:
    """The mesh without faces that are there twice. Raises GeometryError where all of them are two sides of a sheet."""
    gone = np.intersect1d(faces, _removable(mesh))
    if not len(gone):
        raise GeometryError("They are the two sides of a sheet: delete one side, or leave them.")
    if len(gone) == mesh.face_count:
        raise GeometryError("No face would be left; delete the piece instead.")
    keep = np.ones(mesh.face_count, np.bool_)
    keep[gone] = False
    return assemble(mesh, positions=mesh.positions, keep=keep, normals=True)
