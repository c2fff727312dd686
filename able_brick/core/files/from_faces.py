"""Making a sound polygon mesh from the faces that files hold."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core import tolerances
from able_brick.core.errors import GeometryError
from able_brick.core.files.keyholes import without_keyholes
from able_brick.core.files.weld import same_points
from able_brick.core.kernel import kernel
from able_brick.core.mesh.face_kernels import flat_faces
from able_brick.core.mesh.normals import dots, lengths, surface_shading, with_normals
from able_brick.core.mesh.polymesh import MAX_ELEMENTS, Bools, Floats, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.text import counted

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices

Whole = npt.NDArray[np.integer]
#: Normals that lean no more than this from those of the surface are its own, degrees.
_OF_SURFACE: Final = 2.0


@dataclass(frozen=True, eq=False)
class RawFaces:
    """Faces as a file gives them: points (N,3), sizes (F), corners (C) into the points; the rest is optional.

    normal (N,3) and normal_at (C) into it. Per corner: uv (C,2), colour (C,4), sharp (C). Per face (F): material,
    facet, and smoothing, the group of faces among which it is smooth, 0 for none. With `sharp` and its angle, groups
    are not asked, and normals are kept as they are.
    """

    points: Floats
    sizes: Whole
    corners: Whole
    normal: npt.NDArray[np.floating] | None = None
    normal_at: Whole | None = None
    uv: Floats | None = None
    colour: Floats | None = None
    material: Whole | None = None
    smoothing: Whole | None = None
    facet: Whole | None = None
    sharp: Bools | None = None
    smooth_angle: float | None = None


def floats(values: npt.NDArray[Any]) -> Floats:
    """The values as float64; a number that is none, of whatever kind, stays none without complaint."""
    with np.errstate(invalid="ignore"):
        return values.astype(np.float64)


def mesh_from(raw: RawFaces, *, weld: bool = True) -> tuple[PolyMesh, list[str]]:
    """A sound mesh, and notes of what was dropped.

    Exactly coincident points become one vertex, in their first order, unless `weld` is off. Faces with holes, which
    name a vertex twice, are cut at their bridges; faces without area, unless `sharp` is given, or with fewer than three
    corners go, and unused vertices. Where there are normals, edges at
    which they differ are sharp and no others; else smoothing groups decide; else the usual angle.
    Raises GeometryError for numbers that are not finite and for indices out of range.
    """
    points, sizes, corners = _checked(raw)
    notes: list[str] = []
    vertex = corners
    if weld and len(points):
        number, first = same_points(points)
        vertex, points = number[corners], points[first]
    vertex = np.ascontiguousarray(vertex, np.int64)
    starts = np.concatenate([[0], np.cumsum(sizes)])
    keep, size, twice = _sound_corners(vertex, starts)
    if twice.any():
        order, sizes, faces_before, cut = without_keyholes(points, vertex, starts, keep, twice)
        raw = _reordered(raw, order, faces_before, cut)
        counts = counted(int(twice.sum()), "face with a hole was", "faces with holes were")
        notes.append(f"{counts} cut at the bridge.")
        vertex = np.ascontiguousarray(vertex[order])
        starts = np.concatenate([[0], np.cumsum(sizes)])
        keep, size, _ = _sound_corners(vertex, starts)
    repeated = int((size < sizes).sum() - (size == 0).sum())
    if raw.sharp is None:  # else it is a mesh of ours, which comes back as it was
        size[flat_faces(points, starts, vertex, keep, size, tolerances.DEGENERATE)] = 0
    dropped = int((size == 0).sum())
    if dropped:
        notes.append(f"{counted(dropped, 'face without area was', 'faces without area were')} dropped.")
    if repeated:
        notes.append(f"{counted(repeated, 'face', 'faces')} lost corners that were named twice in a row.")
    alive = np.repeat(size > 0, sizes)
    keep &= alive
    chosen: Any = np.flatnonzero(keep) if not keep.all() else slice(None)
    faces: Any = np.flatnonzero(size > 0) if dropped else slice(None)
    final_starts: Any = np.concatenate([[0], np.cumsum(size[faces])])
    vertex = vertex if isinstance(chosen, slice) else vertex[chosen]
    used = np.zeros(len(points), np.bool_)
    used[vertex] = True
    if not used.all():
        notes.append(f"{counted(int((~used).sum()), 'unused vertex was', 'unused vertices were')} dropped.")
        vertex, points = (np.cumsum(used) - 1)[vertex], points[used]
    mesh = PolyMesh.trusted(
        points,
        final_starts,
        vertex,
        material=None if raw.material is None else raw.material[faces],
        uv=None if raw.uv is None else _owned(raw.uv, chosen),
        colour=None if raw.colour is None else np.clip(raw.colour[chosen], 0.0, 1.0),
        facet=None if raw.facet is None else raw.facet[faces],
        sharp=None if raw.sharp is None else raw.sharp[chosen],
        smooth_angle=tolerances.SMOOTH_ANGLE if raw.smooth_angle is None else raw.smooth_angle,
    )
    sharp = None
    at = None if raw.normal_at is None or raw.normal is None else np.asarray(raw.normal_at[chosen])
    if raw.sharp is not None:
        return (mesh if raw.normal is None or at is None else with_normals(mesh, floats(raw.normal[at]))), notes
    if raw.normal is not None and at is not None:
        sharp = _creases(mesh, np.ascontiguousarray(raw.normal), at)
    elif raw.smoothing is not None:
        sharp = _group_borders(mesh, raw.smoothing[faces])
    mesh = mesh if sharp is None else with_sharp(mesh, sharp)
    if raw.normal is not None and at is not None and (lean := _lean(mesh, raw.normal, at)) > _OF_SURFACE:
        mesh = with_normals(mesh, floats(raw.normal[at]))
        notes.append(
            f"its own normals, which lean up to {lean:.0f}° from those of its surface, are kept until it is edited."
        )
    return mesh, notes


def _lean(mesh: PolyMesh, normal: npt.NDArray[np.floating], at: Whole) -> float:
    """How far normals of corners lean from those of the surface at most, degrees; those without length do not."""
    if not len(at):
        return 0.0
    own = surface_shading(mesh)
    # each pair once, of the many corners that share both
    pairs = np.unique(own.group.astype(np.int64) * len(normal) + at)
    own_normals, shown = floats(normal[pairs % len(normal)]), own.normals[pairs // len(normal)]
    nonzero, long = lengths(own_normals)
    cosines = dots(own_normals[nonzero], shown[nonzero]) / long[nonzero]
    return float(np.degrees(np.arccos(np.clip(cosines.min(initial=1.0), -1.0, 1.0))))


def _reordered(raw: RawFaces, order: Whole, faces: Whole, cut: Bools) -> RawFaces:
    """What the file says of corners and faces, for corners in another order (C') and faces (F') that were cut."""

    def of(values: npt.NDArray[Any] | None, places: Whole) -> npt.NDArray[Any] | None:
        return None if values is None else values[places]

    sharp = of(raw.sharp, order)
    return replace(
        raw,
        normal_at=of(raw.normal_at, order),
        uv=of(raw.uv, order),
        colour=of(raw.colour, order),
        sharp=None if sharp is None else sharp & ~cut,
        material=of(raw.material, faces),
        smoothing=of(raw.smoothing, faces),
        facet=of(raw.facet, faces),
    )


def _owned(values: Floats, chosen: Any) -> Floats:
    """The chosen rows; all of them without a copy, when they are the reader's own and will not change."""
    if isinstance(chosen, slice):
        values.flags.writeable = False
        return values
    return np.asarray(values[chosen])


def with_sharp(mesh: PolyMesh, sharp: Bools) -> PolyMesh:
    """The mesh with exactly these sharp edges (C)."""
    return PolyMesh.trusted(
        mesh.positions,
        mesh.face_starts,
        mesh.corners,
        material=mesh.material,
        facet=mesh.facet,
        sharp=sharp,
        uv=mesh.uv,
        colour=mesh.colour,
        smooth_angle=np.pi,
    )


def _checked(raw: RawFaces) -> tuple[Floats, npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    points = np.ascontiguousarray(raw.points, np.float64)
    sizes, corners = np.asarray(raw.sizes, np.int64), np.asarray(raw.corners, np.int64)
    if max(len(points), len(corners)) > MAX_ELEMENTS:
        raise GeometryError(
            f"The mesh has {max(len(points), len(corners))} elements; at most {MAX_ELEMENTS} can be held.",
            allowed=MAX_ELEMENTS,
        )
    for what, values in (("coordinate", points), ("texture coordinate", raw.uv), ("colour", raw.colour)):
        if values is not None and not np.isfinite(values).all():
            broken = np.flatnonzero(~np.isfinite(values).all(axis=1))
            if len(broken):
                at = int(broken[0])
                where = "Vertex" if what == "coordinate" else "Corner"
                raise GeometryError(f"{where} {at} has a {what} that is not a finite number.", at=at)
    if raw.uv is not None and len(raw.uv) and float(np.abs(raw.uv).max()) > 1e9:
        raise GeometryError("A texture coordinate lies beyond 1 000 000 000.")
    if len(points) and float(np.abs(points).max()) > 1e7:
        bad = int(np.flatnonzero((np.abs(points) > 1e7).any(axis=1))[0])
        raise GeometryError(f"Vertex {bad} lies beyond 10 000 km from the origin.", at=bad)
    if len(corners) and (int(corners.min()) < 0 or int(corners.max()) >= len(points)):
        bad = int(np.flatnonzero((corners < 0) | (corners >= len(points)))[0])
        face = int(np.searchsorted(np.cumsum(sizes), bad, side="right"))
        raise GeometryError(
            f"Face {face} names vertex {int(corners[bad])}; there are vertices 0 to {len(points) - 1}.", face=face
        )
    return points, sizes, corners


@kernel
def _sound_corners(vertex: Indices, starts: Indices) -> tuple[Bools, Indices, Bools]:
    """Which corners stay, how many of each face, 0 where fewer than three; and the faces that name a vertex twice."""
    faces = len(starts) - 1
    twice = np.zeros(faces, np.bool_)
    keep = np.ones(len(vertex), np.bool_)
    size = np.empty(faces, np.int64)
    for f in range(faces):
        a, b = starts[f], starts[f + 1]
        n = 0
        for c in range(a, b):
            before = vertex[c - 1] if c > a else vertex[b - 1]
            if before == vertex[c] and b - a > 1:
                keep[c] = False
            else:
                n += 1
        if n >= 3:
            if b - a <= 32:
                for c in range(a, b):
                    if keep[c]:
                        for d in range(a, c):
                            if keep[d] and vertex[d] == vertex[c]:
                                twice[f] = True
            else:
                ring = np.sort(vertex[a:b][keep[a:b]])
                for k in range(1, len(ring)):
                    if ring[k] == ring[k - 1]:
                        twice[f] = True
        size[f] = n if n >= 3 else 0
    return keep, size, twice


@kernel
def _creased(
    twin: Indices, following: Indices, normal: npt.NDArray[np.floating[Any]], at: Indices, sharp: Bools
) -> None:
    for c in range(len(twin)):
        t = twin[c]
        if t < 0:
            continue
        a, b = at[c], at[following[c]]
        p, q = at[following[t]], at[t]
        if a == p and b == q:
            continue
        for k in range(3):
            if abs(normal[a, k] - normal[p, k]) > 1e-3 or abs(normal[b, k] - normal[q, k]) > 1e-3:
                sharp[c] = True


def _creases(mesh: PolyMesh, normal: npt.NDArray[np.floating], at: Whole) -> Bools:
    """(C) edges at whose ends the normals of the two faces differ."""
    sharp = np.zeros(len(mesh.corners), np.bool_)
    if len(sharp):
        _creased(topology(mesh).twin, mesh.next_corner, normal, at, sharp)
    return sharp


def _group_borders(mesh: PolyMesh, smoothing: Whole) -> Bools:
    """(C) edges between faces that are not smooth with each other."""
    twin = topology(mesh).twin
    mine = smoothing[mesh.corner_face]
    other = np.where(twin >= 0, mine[np.maximum(twin, 0)], mine)
    out: Bools = (twin >= 0) & ((mine != other) | (mine == 0))
    return out
