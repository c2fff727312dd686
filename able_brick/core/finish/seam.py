"""The seam between a mesh and its mirror image, and the plane that it lies on."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.mesh.slicing import ON_PLANE
from able_brick.core.mesh.topology import topology
from able_brick.core.place.mirror import Reflection


def distances(points: Floats, over: Reflection) -> Floats:
    """(n) how far points (n,3) are before the plane, metres; below 0 behind it."""
    out: Floats = (points - over.centre) @ over.normal
    return out


def onto_plane(points: Floats, over: Reflection) -> Floats:
    """Points (n,3) put onto the plane: across one of the axes exactly."""
    plain = np.flatnonzero(over.normal)
    if len(plain) == 1:
        out = np.array(points)
        out[:, plain[0]] = over.centre[plain[0]]
        return out
    return np.asarray(points - np.multiply.outer(distances(points, over), over.normal))


def on_plane(points: Floats, over: Reflection) -> Bools:
    """(n) whether points (n,3) are on the plane but for rounding, by how far they reach."""
    grain = ON_PLANE * float(np.ptp(points, axis=0).max(initial=0.0)) if len(points) else 0.0
    return np.asarray(np.abs(distances(points, over)) <= grain)


def settled(points: Floats, over: Reflection) -> Floats:
    """Points (n,3), those of them put onto the plane that are on it but for rounding."""
    on = on_plane(points, over)
    out = np.array(points)
    out[on] = onto_plane(points[on], over)
    return out


def settled_on(points: Floats, chosen: Bools, over: Reflection) -> bool:
    """Whether those of points (n,3) that are chosen (n) are on the plane as `onto_plane` puts them there: across an
    axis to the last digit."""
    if np.count_nonzero(over.normal) == 1:
        return np.array_equal(onto_plane(points[chosen], over), points[chosen])
    return bool(on_plane(points, over)[chosen].all())


def seam_of(
    mesh: PolyMesh, near: Bools, *, keep: Bools | None = None, flat: Bools | None = None
) -> tuple[Bools, Bools]:
    """(V) the vertices of border edges of which both ends are on the plane, by those `near` it (V), and (F) the faces
    that lie in it.

    The border is that of the faces `keep` (F) without those of `flat` (F) that lie in the plane; both are all faces
    where nothing is said.
    """
    t = topology(mesh)
    inside = np.logical_and.reduceat(near[mesh.corners], mesh.face_starts[:-1])
    gone = inside if flat is None else inside & flat
    if keep is not None:
        gone = gone | ~keep
    uses = np.bincount(t.corner_edge[~gone[mesh.corner_face]], minlength=len(t.edges))
    # of an edge both ends are on the plane, or it is none of the seam
    on = (uses == 1) & near[t.edges].all(axis=1)
    seam = np.zeros(mesh.vertex_count, np.bool_)
    seam[t.edges[on].ravel()] = True
    return seam, inside
