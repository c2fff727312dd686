"""Cutting faces along parallel planes, so that a mesh can be bent between them."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.spans import spans
from able_brick.core.mesh.triangulate import triangulated

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices

#: Vertices nearer to a plane than this share of the mesh's extent lie on it.
ON_PLANE = 1e-9


def cut_planes(at: Floats, longest: float) -> Floats:
    """Where to cut so that no part is longer: coordinates (k) between the ends of the vertices' coordinates (V).

    Loops that are there already are used where they suit; what lies between them is divided evenly.
    """
    low, high = float(at.min()), float(at.max())
    if not longest > 0 or high - low <= longest * (1 + 1e-9):
        return np.zeros(0)
    there = np.unique(at)
    grain = (high - low) * ON_PLANE
    stops = [low]
    for value in there[(there > low + grain) & (there < high - grain)].tolist():
        if value - stops[-1] >= longest / 2 and high - value >= longest / 4:
            stops.append(value)
    stops.append(high)
    out: list[Floats] = []
    for a, b in pairwise(stops):
        parts = max(1, int(np.ceil((b - a) / longest - 1e-9)))
        out.append(a + (b - a) * np.arange(1, parts) / parts)
        out.append(np.array([b]))
    return np.concatenate(out)[:-1]


def sliced(mesh: PolyMesh, at: Floats, planes: Floats) -> tuple[PolyMesh, Floats]:
    """The mesh with its faces cut where the vertices' coordinate (V) crosses each of the planes (k), rising.

    Also the coordinate of every vertex afterwards, which is a plane's very own on its cut. uv and colours are
    interpolated; materials, facets and sharp edges stay, and the cuts are not sharp. Faces that a plane crosses more
    than once are cut into triangles first.
    """
    coordinate = np.array(at, np.float64)
    grain = float(np.ptp(coordinate)) * ON_PLANE if len(coordinate) else 0.0
    for plane in np.asarray(planes, np.float64):
        coordinate[np.abs(coordinate - plane) <= grain] = plane
        mesh, coordinate = _cut(mesh, coordinate, float(plane))
    return mesh, coordinate


def _cut(mesh: PolyMesh, at: Floats, plane: float) -> tuple[PolyMesh, Floats]:
    side = np.sign(at - plane).astype(np.int8)
    changes = _changes(mesh.face_starts, mesh.corners, side)
    if (changes > 2).any():
        mesh = _with_triangles(mesh, changes > 2)
        changes = _changes(mesh.face_starts, mesh.corners, side)
    crossed = changes > 0
    if not crossed.any():
        return mesh, at
    a, b = mesh.corners, mesh.corners[mesh.next_corner]
    cut = np.flatnonzero(side[a].astype(np.int64) * side[b] < 0)
    low, high = np.minimum(a[cut], b[cut]).astype(np.int64), np.maximum(a[cut], b[cut]).astype(np.int64)
    keys, number = np.unique(low * mesh.vertex_count + high, return_inverse=True)
    first, second = keys // mesh.vertex_count, keys % mesh.vertex_count
    share = (plane - at[first]) / (at[second] - at[first])
    p = mesh.positions
    fresh = p[first] + (p[second] - p[first]) * share[:, None]
    new_vertex = np.full(len(mesh.corners), -1, np.int32)
    new_vertex[cut] = mesh.vertex_count + number
    # shares from the corner on, for what corners carry
    along = np.zeros(len(mesh.corners))
    along[cut] = np.where(a[cut] == first[number], share[number], 1.0 - share[number])
    size = 2 * (len(mesh.corners) + 2 * len(cut)) + 8
    starts, corners, source, shares, face, sharp = (
        np.empty(2 * mesh.face_count + 1, np.int32),
        np.empty(size, np.int32),
        np.empty(size, np.int32),
        np.zeros(size),
        np.empty(2 * mesh.face_count, np.int32),
        np.empty(size, np.bool_),
    )
    faces = _split(
        mesh.face_starts,
        mesh.corners,
        mesh.sharp,
        side,
        crossed,
        new_vertex,
        along,
        starts,
        corners,
        source,
        shares,
        face,
        sharp,
    )
    total = int(starts[faces])
    source, shares, face = source[:total], shares[:total, None], face[:faces]
    ahead = mesh.next_corner[source]

    def carried(values: Floats | None) -> Floats | None:
        return None if values is None else values[source] + (values[ahead] - values[source]) * shares

    out = mesh.replaced(
        positions=np.concatenate([p, fresh]),
        face_starts=starts[: faces + 1],
        corners=corners[:total],
        material=mesh.material[face],
        facet=mesh.facet[face],
        sharp=sharp[:total],
        uv=carried(mesh.uv),
        colour=carried(mesh.colour),
        normal=None if (normal := carried(mesh.normal)) is None else unit(normal),
    )
    return out, np.concatenate([at, np.full(len(fresh), plane)])


@kernel
def _changes(starts: Ints, corners: Ints, side: Any) -> Ints:
    """(F) how often the way round each face goes from one side to the other, 0 where it stays on one; where it also
    touches the plane and turns back, more than 2."""
    out = np.zeros(len(starts) - 1, np.int32)
    for f in range(len(starts) - 1):
        last = 0
        for c in range(starts[f], starts[f + 1]):
            here = side[corners[c]]
            if here != 0:
                last = here
        if last == 0:
            continue
        touches, between = 0, side[corners[starts[f + 1] - 1]] == 0
        for c in range(starts[f], starts[f + 1]):
            here = side[corners[c]]
            if here == 0:
                between = True
                continue
            if here != last:
                out[f] += 1
            elif between:
                touches += 1
            last, between = here, False
        if out[f] > 0:
            out[f] += touches
    return out


@kernel
def _split(
    starts: Indices,
    corners: Indices,
    sharp: Bools,
    side: npt.NDArray[np.int8],
    crossed: Bools,
    fresh: Indices,
    along: Floats,
    o_starts: Indices,
    o_corners: Indices,
    o_source: Indices,
    o_share: Floats,
    o_face: Indices,
    o_sharp: Bools,
) -> int:
    """Every face, those that are crossed in two; new vertices also go into edges of faces that are not."""
    faces, n = 0, 0
    o_starts[0] = 0
    for f in range(len(starts) - 1):
        ways = 2 if crossed[f] else 1
        for way in range(ways):
            begun = n
            for c in range(starts[f], starts[f + 1]):
                following = c + 1 if c + 1 < starts[f + 1] else starts[f]
                here, there = side[corners[c]], side[corners[following]]
                wanted = 1 if way == 0 else -1
                if ways == 1 or here == wanted or here == 0:
                    o_corners[n], o_source[n], o_share[n] = corners[c], c, 0.0
                    # along the plane runs the cut, unless the edge was there before
                    o_sharp[n] = sharp[c] if (ways == 1 or here == wanted or there == wanted or there == 0) else False
                    if ways == 2 and here == 0 and there == 0:
                        o_sharp[n] = sharp[c]
                    n += 1
                if fresh[c] >= 0:
                    o_corners[n], o_source[n], o_share[n] = fresh[c], c, along[c]
                    o_sharp[n] = sharp[c] if (ways == 1 or there == wanted) else False
                    n += 1
            if n - begun < 3:
                n = begun
                continue
            faces += 1
            o_starts[faces] = n
            o_face[faces - 1] = f
    return faces


def _with_triangles(mesh: PolyMesh, chosen: Bools) -> PolyMesh:
    """The mesh with the chosen faces (F) cut into triangles."""
    all_triangles = triangulated(mesh)
    number = np.repeat(np.arange(mesh.face_count, dtype=np.int32), mesh.face_sizes - 2)
    taken = np.flatnonzero(chosen[number]).astype(np.int32)
    kept = np.flatnonzero(~chosen).astype(np.int32)
    sizes = np.concatenate([mesh.face_sizes[kept], np.full(len(taken), 3)])
    order = np.argsort(np.concatenate([kept, number[taken]]), kind="stable")

    def corners_of(m: PolyMesh, faces: Ints) -> Ints:
        out: Ints = spans(m.face_starts[faces], m.face_sizes[faces]).astype(np.int32)
        return out

    def joined(name: str) -> Any:
        one, two = getattr(mesh, name), getattr(all_triangles, name)
        if one is None:
            return None
        return np.concatenate([one[corners_of(mesh, kept)], two[corners_of(all_triangles, taken)]])[shuffle]

    sorted_sizes = sizes[order]
    shuffle = spans((np.cumsum(sizes) - sizes)[order], sorted_sizes)
    per_face = {
        name: np.concatenate([getattr(mesh, name)[kept], getattr(all_triangles, name)[taken]])[order]
        for name in ("material", "facet")
    }
    return mesh.replaced(
        face_starts=np.concatenate([[0], np.cumsum(sorted_sizes)]),
        corners=joined("corners"),
        sharp=joined("sharp"),
        uv=joined("uv"),
        colour=joined("colour"),
        normal=joined("normal"),
        **per_face,
    )
