"""What comes of an operation on a mesh."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from able_brick.core.edit.element_types import ElementType
from able_brick.core.errors import GeometryError, UnsoundError
from able_brick.core.mesh.normals import area_vectors, dots
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.core.mesh.topology import Topology, topology
from able_brick.core.mesh.validity import degenerate_faces, duplicate_faces
from able_brick.core.text import length_of


@dataclass(frozen=True, eq=False)
class Edited:
    """A mesh after an operation; the old vertex (V) and the old face (F) of each of its own, −1 for those that are
    new; what is to be picked next, and of which kind; what else is to be said, and the faces where it came to an end
    that may not have been meant."""

    mesh: PolyMesh
    vertex_from: Indices
    face_from: Indices
    picked: Indices
    kind: ElementType = "face"
    note: str = ""
    ended: Indices | None = None


#: Of the largest width so much is used at most: beyond it edges have no length.
_MOST = 1.0 - 1e-6


def fitting(width: float, largest: float, what: str, *, clamp: bool) -> float:
    """The width (m) of something, or where that is not below the largest, what fits. Raises GeometryError, which says
    the largest, unless it is to be clamped; and where nothing fits."""
    if not largest > 0:
        raise GeometryError("An edge beside what is picked has no length; weld its ends first.")
    if width < largest * _MOST:
        return width
    if not clamp:
        raise GeometryError(
            f"{what} of {width:g} m leaves nothing of an edge; at most {largest * 0.999:.4g} m fits.",
            received=width,
            allowed=largest,
        )
    return largest * 0.999


def what_fits(out: Edited, asked: float, width: float) -> Edited:
    """The same, which says how wide it is where that is less than was asked for."""
    return out if width == asked else replace(out, note=f"{length_of(width)} fits")


def refuse_flat(before: PolyMesh, out: Edited) -> Edited:
    """The edited mesh; UnsoundError where a face has no area that had one, or is new."""
    flat = degenerate_faces(out.mesh)
    if flat.any():
        old = out.face_from
        was = np.zeros(len(flat), np.bool_)
        was[old >= 0] = degenerate_faces(before)[old[old >= 0]]
        bad = np.flatnonzero(flat & ~was)
        if len(bad):
            raise UnsoundError(
                f"{len(bad)} {'face' if len(bad) == 1 else 'faces'} would have no area: an edge lies along the way, or "
                "what moves folds together. Choose another direction or number.",
                face=int(bad[0]),
            )
    return out


def refuse_folded(before: PolyMesh, out: Edited) -> Edited:
    """The edited mesh; UnsoundError where a face that stays looks the other way, or has no area."""
    kept = np.flatnonzero(out.face_from >= 0)
    ways = dots(area_vectors(out.mesh)[kept], area_vectors(before)[out.face_from[kept]])
    if (ways < 0).any():
        count = int((ways < 0).sum())
        raise UnsoundError(
            f"{count} {'face' if count == 1 else 'faces'} would fold over.",
            face=int(out.face_from[kept[np.argmin(ways)]]),
        )
    return refuse_flat(before, out)


def refuse_worse(before: PolyMesh, out: Edited) -> Edited:
    """The edited mesh; UnsoundError where it has more crowded edges, doubled faces or faces that look against their
    neighbours than before, where a closed one is open, or where a face has no area."""
    now, was = topology(out.mesh), topology(before)
    crowded = np.flatnonzero(now.edge_uses > 2)
    if len(crowded) > int((was.edge_uses > 2).sum()):
        raise UnsoundError(
            f"{len(crowded)} {'edge' if len(crowded) == 1 else 'edges'} would have more than two faces; pick less, or "
            "other ones.",
            edge=int(crowded[0]),
        )
    doubled = duplicate_faces(out.mesh)
    if doubled.sum() > duplicate_faces(before).sum():
        raise UnsoundError("Two faces would lie on each other; pick less.", face=int(np.argmax(doubled)))

    def against(t: Topology) -> int:
        return int(((t.edge_uses[t.corner_edge] == 2) & (t.twin < 0)).sum())

    if against(now) > against(was):
        raise UnsoundError("Faces would look against their neighbours; pick less.")
    if was.is_closed and not now.is_closed:
        raise UnsoundError("The piece would be open there: a face folds onto itself; pick less, or other ones.")
    return refuse_flat(before, out)
