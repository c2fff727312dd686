"""Faces made one: by the edges or vertices between them, or as they are picked."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, Next, assemble, like_corners
from able_brick.core.edit.edited import Edited, refuse_worse
from able_brick.core.edit.element_types import ElementType, marked
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.topology import topology


def dissolve(mesh: PolyMesh, kind: ElementType, ids: Indices, *, tidy: bool = True) -> Edited:
    """Make faces one n-gon: picked ones that hang together, or those beside picked edges, or round picked vertices.

    `tidy`: vertices of what is dissolved that are left with two edges go as well. Raises GeometryError where what is
    picked lies at the border, or where the outline would not be one simple way round.
    """
    picked = marked(mesh, kind, ids)
    t = topology(mesh)
    inner = t.twin >= 0
    if kind == "vertex":
        lone = np.zeros(mesh.vertex_count, np.bool_)
        lone[t.edges[t.edge_uses != 2].ravel()] = True
        _refuse_border(int((picked & lone).sum()), "vertices lie at the border or on crowded edges")
        across = inner & (picked[mesh.corners] | picked[mesh.corners[mesh.next_corner]])
    elif kind == "edge":
        two = np.zeros(len(t.edges), np.bool_)
        two[t.corner_edge[inner]] = True
        _refuse_border(int((picked & ~two).sum()), "edges have not two faces that meet")
        across = inner & picked[t.corner_edge]
    else:
        beside = np.zeros(len(mesh.corners), np.bool_)
        beside[inner] = picked[mesh.corner_face[t.twin[inner]]]
        across = beside & picked[mesh.corner_face]
    c = np.flatnonzero(across)
    if not len(c):
        raise GeometryError("The picked faces do not touch along an edge; pick faces that lie beside each other.")
    group, count = joined_numbers(mesh.face_count, mesh.corner_face[c], mesh.corner_face[t.twin[c]])
    size = np.bincount(group, minlength=count)
    merged = size[group] > 1
    inside = inner.copy()
    inside[inner] = (group[mesh.corner_face[t.twin[inner]]] == group[mesh.corner_face[inner]]) & merged[
        mesh.corner_face[inner]
    ]
    nothing = np.zeros(mesh.vertex_count, np.bool_)
    if tidy:
        try:
            return _built(mesh, group, merged, inside, _left_with_two(mesh, inside, _touched(mesh, inside)))
        except GeometryError:
            pass  # without them faces would lie on each other: they stay
    return _built(mesh, group, merged, inside, nothing)


def _refuse_border(count: int, words: str) -> None:
    if count:
        raise GeometryError(f"{count} of the {words}; pick within the surface.", count=count)


def _touched(mesh: PolyMesh, inside: Bools) -> Bools:
    """(V) ends of edges that go."""
    out = np.zeros(mesh.vertex_count, np.bool_)
    out[mesh.corners[inside]] = True
    out[mesh.corners[mesh.next_corner[inside]]] = True
    return out


def _left_with_two(mesh: PolyMesh, inside: Bools, touched: Bools) -> Bools:
    """(V) touched vertices at which two edges are left."""
    t = topology(mesh)
    gone = np.zeros(len(t.edges), np.bool_)
    gone[t.corner_edge[inside]] = True
    left = np.bincount(t.edges[~gone].ravel(), minlength=mesh.vertex_count)
    out: Bools = touched & (left == 2)
    return out


def _built(mesh: PolyMesh, group: Indices, merged: Bools, inside: Bools, drop: Bools) -> Edited:
    t = topology(mesh)
    keep = ~merged
    outer = merged[mesh.corner_face] & ~inside
    done = np.zeros(len(mesh.corners), np.bool_)
    faces: list[int] = []
    loops: list[list[int]] = []
    of_group: set[int] = set()
    for start in np.flatnonzero(outer).tolist():
        if done[start]:
            continue
        loop, at = [], start
        while not done[at]:
            done[at] = True
            loop.append(at)
            at = int(mesh.next_corner[at])
            while inside[at]:
                at = int(mesh.next_corner[t.twin[at]])
        face = int(mesh.corner_face[start])
        names = [int(mesh.corners[c]) for c in loop]
        if int(group[face]) in of_group or len(set(names)) < len(names):
            raise GeometryError(
                "The outline of the faces goes round a hole or touches itself, so it is not one face; pick fewer.",
                face=face,
            )
        of_group.add(int(group[face]))
        slim = [c for c in loop if not drop[mesh.corners[c]]]
        loops.append(slim if len(slim) >= 3 else loop)
        faces.append(face)
        keep[face] = True
    # beside what is merged, faces lose the vertices that go as well
    beside = np.unique(mesh.corner_face[drop[mesh.corners]])
    for face in beside[~merged[beside]].tolist():
        loop = list(range(int(mesh.face_starts[face]), int(mesh.face_starts[face + 1])))
        slim = [c for c in loop if not drop[mesh.corners[c]]]
        loops.append(slim if len(slim) >= 3 else loop)
        faces.append(face)
    order = np.argsort(faces)
    corners = np.array([c for k in order for c in loops[k]], np.int64)
    changed = Faces(
        np.array([len(loops[k]) for k in order], np.int32),
        mesh.corners[corners],
        like_corners(mesh, corners),
        np.array(faces, np.int32)[order],
        mesh.sharp[corners],
    )
    if not len(of_group):
        raise GeometryError("Nothing would be left of the faces; pick fewer.")
    chosen = np.zeros(mesh.face_count, np.bool_)
    chosen[[f for f in faces if merged[f]]] = True
    out = assemble(mesh, positions=mesh.positions, keep=keep, changed=changed, next_=Next(faces=chosen))
    return refuse_worse(mesh, out)
