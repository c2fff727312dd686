"""Taking in more: which faces belong to those that are picked."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh
from able_brick.core.mesh.topology import face_components, topology

How = Literal["grow", "shrink", "connected", "same plane", "same material", "same way", "invert", "all"]
#: Planes are the same within this angle, as a cosine, and this share of the mesh's size.
_SAME = 1.0 - 1e-9
_NEAR = 1e-6


def take_in(mesh: PolyMesh, faces: Ints, how: How) -> Ints:
    """The faces that are picked after taking in more of them, rising."""
    picked: Bools = np.zeros(mesh.face_count, np.bool_)
    picked[faces] = True
    match how:
        case "grow":
            picked |= _beside(mesh, picked)
        case "shrink":
            picked &= np.logical_not(_beside(mesh, ~picked))
        case "connected":
            _, part = face_components(mesh)
            picked = np.asarray(np.isin(part, part[picked]))
        case "same material":
            picked = np.asarray(np.isin(mesh.material, mesh.material[picked]))
        case "same plane":
            picked = _same_plane(mesh, picked)
        case "same way":
            normals = unit(area_vectors(mesh))
            wanted = np.unique(np.round(normals[picked], 6), axis=0)
            picked = np.asarray((normals @ wanted.T > _SAME).any(axis=1)) if len(wanted) else picked
        case "invert":
            picked = ~picked
        case "all":
            picked[:] = True
    return np.flatnonzero(picked).astype(np.int32)


def _beside(mesh: PolyMesh, picked: Bools) -> Bools:
    """(F) faces that share a vertex with picked ones."""
    touched = np.zeros(mesh.vertex_count, np.bool_)
    touched[mesh.corners[picked[mesh.corner_face]]] = True
    out = np.zeros(mesh.face_count, np.bool_)
    out[mesh.corner_face[touched[mesh.corners]]] = True
    return out


def _same_plane(mesh: PolyMesh, picked: Bools) -> Bools:
    """(F) what hangs together with picked faces through edges, and lies in their planes."""
    t = topology(mesh)
    normals = unit(area_vectors(mesh))
    first = mesh.positions[mesh.corners[mesh.face_starts[:-1]]]
    size = max(float(np.abs(mesh.bounds[1] - mesh.bounds[0]).max()), 1e-300)
    c = np.flatnonzero(t.twin >= 0)
    a, b = mesh.corner_face[c], mesh.corner_face[t.twin[c]]
    flat = ((normals[a] * normals[b]).sum(axis=1) > _SAME) & (
        np.abs(((first[b] - first[a]) * normals[a]).sum(axis=1)) < _NEAR * size
    )
    out = picked.copy()
    while True:
        more = out.copy()
        np.logical_or.at(more, b[flat], out[a[flat]])
        if (more == out).all():
            return out
        out = more
