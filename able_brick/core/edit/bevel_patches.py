"""What closes vertices between the strips of bevelled edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.bevel_corners import BevelledFans, Moves
from able_brick.core.edit.bevel_faces import NewFaces, by_facet, polygons
from able_brick.core.edit.bevel_rails import Rails
from able_brick.core.edit.bevel_uv import BevelUv
from able_brick.core.edit.patch import fan_patches, ring_patches
from able_brick.core.mesh.polymesh import Bools, Floats, Indices, PolyMesh
from able_brick.core.mesh.spans import spans, within


@dataclass(frozen=True, eq=False)
class _Holes:
    """h holes by their `fan`: the `points` round each, counter-clockwise, from starts[i] to starts[i + 1]; the parts of
    its `sides`, from side_starts[i] on; and the `uv` (k,2) of the points."""

    fan: Indices
    points: Indices
    starts: Indices
    sides: Indices
    side_starts: Indices
    uv: Floats | None


@dataclass(frozen=True, eq=False)
class _Batch:
    """Holes (b) with sides alike: which they are (`own`), the points of their `loops` (b,k), the same `faces` for each,
    by the numbers of the loop and then of what lies within; and the `corners` (b,k,3+d) and `fresh` (b,m,3+d) places of
    both, with uv where there are any."""

    own: Indices
    loops: Indices
    faces: list[Indices]
    corners: Floats
    fresh: Floats


def patches(
    mesh: PolyMesh,
    round_: BevelledFans,
    moves: Moves,
    across: Rails,
    rail_uv: Floats | None,
    uv: BevelUv | None,
    places: Floats,
    *,
    facet: int,
) -> tuple[NewFaces, Floats]:
    """The faces that close fans, each fan a facet of its own, numbered from `facet` on; and the places (m,3) within
    them, which are points on from the last of places (q,3)."""
    agree = _agree(round_, uv)
    holes = _holes(round_, moves, across, rail_uv, uv, agree)
    lead = round_.fans.corners[round_.fans.starts[:-1]]
    batches = _batches(holes, places)
    # what lies within holes is numbered hole by hole
    number = np.zeros(len(holes.fan), np.int64)
    for b in batches:
        number[b.own] = b.fresh.shape[1]
    base = len(places) + np.cumsum(number) - number
    out = np.empty((int(number.sum()), 3))
    made = [NewFaces.none(uv is not None)]
    for b in batches:
        inner = base[b.own][:, None] + np.arange(b.fresh.shape[1])
        out[inner - len(places)] = b.fresh[..., :3]
        names = np.concatenate([b.loops, inner], axis=1)
        corner, fan = lead[holes.fan[b.own]], holes.fan[b.own]
        maps = None if uv is None else _maps(b, uv, corner, agree[fan])
        for pattern in b.faces:
            like = np.repeat(corner, len(pattern))
            made.append(
                polygons(
                    names[:, pattern].reshape(len(like), -1),
                    np.repeat(like[:, None], pattern.shape[1], axis=1),
                    None if maps is None else maps[:, pattern].reshape(len(like), -1, 2),
                    mesh.corner_face[like],
                    facet + np.repeat(fan, len(pattern)),
                )
            )
    return by_facet(made), out


def _batches(holes: _Holes, places: Floats) -> list[_Batch]:
    """Holes by the number and the parts of their sides: those with undivided sides are closed by one face, those with
    sides divided alike by rings of quads, others by a fan about the middle."""
    if not len(holes.fan):
        return []
    count = np.diff(holes.starts)
    first = holes.side_starts[:-1]
    fewest, most = np.minimum.reduceat(holes.sides, first), np.maximum.reduceat(holes.sides, first)
    kinds, of = np.unique(np.stack([count, fewest == most, most], axis=1), axis=0, return_inverse=True)
    out = []
    for g, (size, even, parts) in enumerate(kinds.tolist()):
        own = np.flatnonzero(of.ravel() == g)
        at = spans(holes.starts[own], count[own])
        loops = holes.points[at].reshape(len(own), size)
        curves = places[loops]
        if holes.uv is not None:
            curves = np.concatenate([curves, holes.uv[at].reshape(len(own), size, 2)], axis=2)
        faces: list[Indices]
        if parts == 1:
            faces, fresh = [np.arange(size)[None]], curves[:, :0]
        elif even:
            sides = curves.reshape(len(own), size // parts, parts, curves.shape[2])
            faces, fresh = ring_patches(np.concatenate([sides, np.roll(sides[:, :, :1], -1, axis=1)], axis=2))
        else:
            triangles, fresh = fan_patches(curves)
            faces = [triangles]
        out.append(_Batch(own, loops, faces, curves, fresh))
    return out


def _maps(batch: _Batch, uv: BevelUv, corner: Indices, agree: Bools) -> Floats:
    """(b,k+m,2) the uv of a batch's points. Where uv do not agree at the vertex, a patch goes on from the face of its
    corner (b)."""
    maps: Floats = np.concatenate([batch.corners, batch.fresh], axis=1)[..., 3:]
    apart = np.flatnonzero(~agree)
    count = batch.fresh.shape[1]
    on = uv.on(np.repeat(corner[apart], count), batch.fresh[apart, :, :3].reshape(-1, 3))
    maps[apart, batch.loops.shape[1] :] = on.reshape(len(apart), count, 2)
    return maps


def _agree(round_: BevelledFans, uv: BevelUv | None) -> Bools:
    """(n) fans whose faces all have the same uv at the vertex."""
    found = round_.fans
    if uv is None:
        return np.zeros(len(found.vertex), np.bool_)
    own = uv.uv[found.corners]
    off = np.abs(own - np.repeat(own[found.starts[:-1]], np.diff(found.starts), axis=0)).max(axis=1)
    return np.asarray(np.maximum.reduceat(off, found.starts[:-1]) <= 1e-9)


def _holes(
    round_: BevelledFans, moves: Moves, across: Rails, rail_uv: Floats | None, uv: BevelUv | None, agree: Bools
) -> _Holes:
    """The holes between strips that have three sides or more."""
    s = across.lines.shape[1] - 1
    sectors = np.diff(round_.sector_starts)
    fan = np.repeat(np.arange(len(sectors)), sectors)
    k = within(sectors)
    points = np.diff(moves.starts)
    # each sector's own sides from point to point, and one to the sector after it, across a rail or along the border
    spokes = np.diff(round_.spoke_starts)[fan]
    closed = round_.fans.closed[fan]
    bridged = closed | (k + 1 < sectors[fan])
    rail = round_.spoke_starts[fan] + np.where(closed, (k + 1) % spokes, np.minimum(k, spokes - 1))
    of = np.repeat(np.arange(len(fan)), points)
    slot = within(points)
    bridge = slot == points[of] - 1
    begin = np.arange(len(of))
    first = moves.starts[round_.sector_starts[:-1]]
    after = np.where(bridged, across.lines[rail, 0], first[fan])
    end = np.where(bridge, after[of], begin + 1)
    parts = np.where(bridge & bridged[of], s, 1)
    total = np.add.reduceat(points, round_.sector_starts[:-1])
    keep = (begin != end) & (total >= 3)[fan[of]]
    count = np.bincount(fan[of][keep], minlength=len(sectors))
    side = np.flatnonzero(keep & (count >= 3)[fan[of]])
    fans = np.flatnonzero(count >= 3)
    side_starts = np.searchsorted(fan[of][side], np.append(fans, len(sectors)))
    # the points of each side but its last
    sizes = parts[side]
    at, own = within(sizes), np.repeat(side, sizes)
    long = parts[own] > 1
    lines = rail[of[own]]
    names = np.where(long, across.lines[lines, s - at], begin[own])
    maps = None
    if uv is not None and rail_uv is not None:
        corner = round_.fans.corners[round_.fans.starts[fan[of[own]]]]
        maps = uv.at(corner, names)
        same = agree[fan[of[own]]]
        outer = same & (at == 0)
        maps[outer] = uv.at(moves.corner[names[outer]], names[outer])
        curved = same & (at > 0)
        maps[curved] = rail_uv[lines[curved], (s - at)[curved]]
    ends = np.append(0, np.cumsum(sizes))
    return _Holes(fans, names, ends[side_starts], sizes, side_starts, maps)
