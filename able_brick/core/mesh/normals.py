"""Face and shaded normals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.normal_kernels import angle_weighted, face_vectors, mark_sharp, units
from able_brick.core.mesh.numbering import bits_of, joined_numbers, number_rows
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.topology import topology


def dots(a: Floats, b: Floats) -> Floats:
    """Scalar products (…) of vectors (…,3); quicker than a sum over an axis of three, and the same numbers."""
    out: Floats = a[..., 0] * b[..., 0] + a[..., 1] * b[..., 1] + a[..., 2] * b[..., 2]
    return out


def crossed(a: Floats, b: Floats) -> Floats:
    """Vector products (…,3) of vectors (…,3) of one shape; quicker for few than the general one, and the same
    numbers."""
    out: Floats = np.empty_like(a)
    out[..., 0] = a[..., 1] * b[..., 2] - a[..., 2] * b[..., 1]
    out[..., 1] = a[..., 2] * b[..., 0] - a[..., 0] * b[..., 2]
    out[..., 2] = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return out


def unit(vectors: Floats) -> Floats:
    """Vectors (…,3) scaled to length 1; zero vectors stay zero."""
    length = np.sqrt(dots(vectors, vectors))[..., None]
    out: Floats = np.divide(vectors, length, out=np.zeros_like(vectors), where=length > 0)
    return out


@kept_with_mesh
def area_vectors(mesh: PolyMesh) -> Floats:
    """(F,3) Newell normals, of the length of the face's area in m² (Newell, in Sutherland et al. 1974)."""
    if not mesh.face_count:
        return np.zeros((0, 3))
    out: Floats = face_vectors(mesh.positions, mesh.face_starts, mesh.corners)
    out.flags.writeable = False
    return out


def sharp_edges(mesh: PolyMesh) -> Bools:
    """(E) edges shaded or drawn as sharp: flagged, bent beyond the smoothing angle, open or not two-faced."""
    t = topology(mesh)
    out = np.ones(len(t.edges), np.bool_)
    limit = float(np.cos(mesh.smooth_angle)) - 1e-9
    mark_sharp(units(area_vectors(mesh)), mesh.corner_face, t.corner_edge, t.twin, mesh.sharp, limit, out)
    return out


@dataclass(frozen=True, eq=False)
class Shading:
    """Shaded normals: `group` (C) int32, which corners round a vertex share a normal; `normals` (G,3) unit."""

    group: Ints
    normals: Floats


@kept_with_mesh
def shading(mesh: PolyMesh) -> Shading:
    """Corner normals: those of the file that the mesh came from where it has them, else those of its surface."""
    own = surface_shading(mesh)
    if mesh.normal is None:
        return own
    rows = np.concatenate([mesh.corners.astype(np.uint32)[:, None], bits_of(mesh.normal)], axis=1)
    group, first = number_rows(rows)
    return Shading(group.astype(np.int32), mesh.normal[first])


@kept_with_mesh
def surface_shading(mesh: PolyMesh) -> Shading:
    """Corner normals of the surface, split at sharp edges, each the sum of face normals weighted by corner angle.

    Source: Thürmer & Wüthrich 1998, Computing vertex normals from polygonal facets.
    """
    t = topology(mesh)
    n = len(mesh.corners)
    if not n:
        return Shading(np.zeros(0, np.int32), np.zeros((0, 3)))
    smooth = ~sharp_edges(mesh)
    c = np.flatnonzero((t.twin >= 0) & smooth[t.corner_edge])
    # across the edge from c to its next: the corner c meets the corner after its twin, at the same vertex
    group, count = joined_numbers(n, c, mesh.next_corner[t.twin[c]])
    face = units(area_vectors(mesh))
    normals: Floats = units(angle_weighted(mesh.positions, mesh.face_starts, mesh.corners, face, group, count))
    lost = np.flatnonzero((normals == 0).all(axis=1))
    if len(lost):  # opposite faces cancel out: fall back to one face, or to up for a face without area
        any_corner = np.empty(count, np.int64)
        any_corner[group] = np.arange(n)
        normals[lost] = face[mesh.corner_face[any_corner[lost]]]
        normals[(normals == 0).all(axis=1)] = (0.0, 1.0, 0.0)
    return Shading(group, normals)


def corner_normals(mesh: PolyMesh) -> Floats:
    """(C,3) the normal that is shown at each corner."""
    shown = shading(mesh)
    return shown.normals[shown.group]


def lengths(normals: Floats) -> tuple[Bools, Floats]:
    """(n) whether each of normals (n,3) points anywhere, and (n) how long it is."""
    with np.errstate(over="ignore", invalid="ignore"):
        length = np.sqrt(dots(normals, normals))
    return (length > 1e-6) & np.isfinite(length), length


def with_normals(mesh: PolyMesh, normals: Floats) -> PolyMesh:
    """The mesh shaded by normals (C,3) of whatever length; where one has none, by that of its surface."""
    nonzero, length = lengths(normals)
    length[np.abs(length - 1.0) < 1e-6] = 1.0  # as a file holds them
    found = np.divide(normals, length[:, None], out=np.zeros_like(normals), where=nonzero[:, None])
    lost = np.flatnonzero(~nonzero)
    if len(lost):
        own = surface_shading(mesh)
        found[lost] = own.normals[own.group[lost]]
    return mesh.replaced(normal=found + 0.0)
