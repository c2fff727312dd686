"""Kernels of soundness: which faces an operation has changed, and which triangles go through or lie on one another."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import inline_kernel, kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints

#: How two triangles meet: one goes through the other; they lie on one another and look the same way, or away.
CROSS, SAME_WAY, BACK_TO_BACK = 1, 2, 3


@kernel
def moved_vertices(points: Floats, old_points: Floats, back: Indices) -> Bools:
    """(V) vertices that are new, or stand elsewhere than their old ones (V) did."""
    out = np.zeros(len(points), np.bool_)
    for v in range(len(points)):
        k = back[v]
        out[v] = (
            k < 0
            or points[v, 0] != old_points[k, 0]
            or points[v, 1] != old_points[k, 1]
            or points[v, 2] != old_points[k, 2]
        )
    return out


@kernel
def changed_faces(
    starts: Indices,
    corners: Indices,
    moved: Bools,
    back: Indices,
    face_from: Indices,
    old_starts: Indices,
    old_corners: Indices,
) -> Bools:
    """(F) faces that are new, have a vertex (V) that moved, or other corners than they had."""
    out = np.zeros(len(starts) - 1, np.bool_)
    for f in range(len(starts) - 1):
        old = face_from[f]
        n = starts[f + 1] - starts[f]
        if old < 0 or old_starts[old + 1] - old_starts[old] != n:
            out[f] = True
            continue
        for k in range(n):
            v = corners[starts[f] + k]
            if moved[v] or back[v] != old_corners[old_starts[old] + k]:
                out[f] = True
                break
    return out


@kernel
def still_corners(starts: Indices, corners: Indices, moved: Bools) -> Ints:
    """(F) how many of a face's vertices have not moved (V)."""
    out = np.zeros(len(starts) - 1, np.int32)
    for f in range(len(out)):
        for c in range(starts[f], starts[f + 1]):
            if not moved[corners[c]]:
                out[f] += 1
    return out


@kernel
def near_faces(points: Floats, starts: Indices, corners: Indices, changed: Bools, grain: float) -> Bools:
    """(F) faces whose box meets that of all changed ones (F)."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for f in range(len(changed)):
        if changed[f]:
            for c in range(starts[f], starts[f + 1]):
                for j in range(3):
                    low[j] = min(low[j], points[corners[c], j] - grain)
                    high[j] = max(high[j], points[corners[c], j] + grain)
    out = np.zeros(len(changed), np.bool_)
    for f in range(len(changed)):
        near = True
        for j in range(3):
            least, most = np.inf, -np.inf
            for c in range(starts[f], starts[f + 1]):
                least, most = min(least, points[corners[c], j]), max(most, points[corners[c], j])
            if least > high[j] or most < low[j]:
                near = False
                break
        out[f] = near
    return out


@kernel
def triangle_frames(points: Floats, tris: Indices) -> tuple[Floats, Floats, Floats, Floats]:
    """Planes (T,4): unit normals, zero where there is no area, and how far they are from the origin along them; the
    same (T,3,4) of planes through the edges, that look into the triangle; and boxes: low and high (T,3)."""
    n = len(tris)
    frame, side, low, high = np.zeros((n, 4)), np.zeros((n, 3, 4)), np.empty((n, 3)), np.empty((n, 3))
    for t in range(n):
        p, q, r = tris[t, 0], tris[t, 1], tris[t, 2]
        for j in range(3):
            a, b = (j + 1) % 3, (j + 2) % 3
            frame[t, j] = (points[q, a] - points[p, a]) * (points[r, b] - points[p, b]) - (
                points[q, b] - points[p, b]
            ) * (points[r, a] - points[p, a])
            low[t, j] = min(points[p, j], min(points[q, j], points[r, j]))
            high[t, j] = max(points[p, j], max(points[q, j], points[r, j]))
        size = math.sqrt(frame[t, 0] ** 2 + frame[t, 1] ** 2 + frame[t, 2] ** 2)
        if size == 0.0:
            continue
        for j in range(3):
            frame[t, j] /= size
            frame[t, 3] += frame[t, j] * points[p, j]
        for k in range(3):
            v, w = tris[t, k], tris[t, (k + 1) % 3]
            for j in range(3):
                a, b = (j + 1) % 3, (j + 2) % 3
                side[t, k, j] = frame[t, a] * (points[w, b] - points[v, b]) - frame[t, b] * (
                    points[w, a] - points[v, a]
                )
            size = math.sqrt(side[t, k, 0] ** 2 + side[t, k, 1] ** 2 + side[t, k, 2] ** 2)
            for j in range(3):
                side[t, k, j] /= size
                side[t, k, 3] += side[t, k, j] * points[v, j]
    return frame, side, low, high


@inline_kernel
def _height(points, frame, s, v):  # type: ignore[no-untyped-def]
    """How far a vertex is above the plane of a triangle, metres."""
    return frame[s, 0] * points[v, 0] + frame[s, 1] * points[v, 1] + frame[s, 2] * points[v, 2] - frame[s, 3]


@kernel
def _pierces(
    points: Floats, frame: Floats, side: Floats, tris: Indices, inner: Bools, t: int, s: int, grain: float
) -> bool:
    """Whether an edge of triangle t goes through triangle s, clear of what bounds that; edges that only cut a face into
    triangles (inner) bound nothing."""
    for k in range(3):
        if inner[t, k]:
            continue
        a, b = tris[t, k], tris[t, (k + 1) % 3]
        da, db = _height(points, frame, s, a), _height(points, frame, s, b)
        if not ((da > grain and db < -grain) or (da < -grain and db > grain)):
            continue
        share = da / (da - db)
        x = points[a, 0] + share * (points[b, 0] - points[a, 0])
        y = points[a, 1] + share * (points[b, 1] - points[a, 1])
        z = points[a, 2] + share * (points[b, 2] - points[a, 2])
        inside = True
        for j in range(3):
            w = side[s, j, 0] * x + side[s, j, 1] * y + side[s, j, 2] * z - side[s, j, 3]
            if not (w > grain or (inner[s, j] and w >= -grain)):
                inside = False
                break
        if inside:
            return True
    return False


@kernel
def _overlap(points: Floats, side: Floats, tris: Indices, t: int, s: int, grain: float) -> bool:
    """Whether two triangles in one plane overlap by more than an edge."""
    for turn in range(2):
        one, other = (t, s) if turn == 0 else (s, t)
        for k in range(3):
            most = -1.0
            for j in range(3):
                v = tris[other, j]
                w = side[one, k, 0] * points[v, 0] + side[one, k, 1] * points[v, 1] + side[one, k, 2] * points[v, 2]
                most = max(most, w - side[one, k, 3])
            if most <= 10 * grain:
                return False
    return True


@inline_kernel
def _sides(points, frame, tris, t, s, grain):  # type: ignore[no-untyped-def]
    """Where the corners of triangle t are of the plane of s: 0 in it, 1 on one side but for what touches, 2 on both."""
    above, under = False, False
    for k in range(3):
        h = _height(points, frame, s, tris[t, k])
        above = above or h > grain
        under = under or h < -grain
    return int(above) + int(under)


@kernel
def _meet(
    points: Floats,
    frame: Floats,
    side: Floats,
    tris: Indices,
    inner: Bools,
    face: Indices,
    t: int,
    s: int,
    grain: float,
) -> int:
    one = _sides(points, frame, tris, t, s, grain)
    if one == 1:
        return 0
    other = _sides(points, frame, tris, s, t, grain)
    if other == 1:
        return 0
    if one == 0 and other == 0:
        if not _overlap(points, side, tris, t, s, grain):
            return 0
        dot = frame[t, 0] * frame[s, 0] + frame[t, 1] * frame[s, 1] + frame[t, 2] * frame[s, 2]
        return 2 if dot > 0 else 3
    if face[t] == face[s]:
        return 0
    if _pierces(points, frame, side, tris, inner, t, s, grain):
        return 1
    if _pierces(points, frame, side, tris, inner, s, t, grain):
        return 1
    return 0


@kernel
def places_in_a_row(low: Floats, high: Floats, chosen: Indices) -> Indices:
    """(n) numbers by which the chosen boxes (T) come in a row that winds through space: near ones are near in it
    (Morton 1966)."""
    n = len(chosen)
    least, most = np.full(3, np.inf), np.full(3, -np.inf)
    for i in range(n):
        for j in range(3):
            m = low[chosen[i], j] + high[chosen[i], j]
            least[j], most[j] = min(least[j], m), max(most[j], m)
    out = np.empty(n, np.int64)
    for i in range(n):
        code = 0
        for j in range(3):
            wide = most[j] - least[j]
            m = low[chosen[i], j] + high[chosen[i], j]
            v = int((m - least[j]) / wide * 1023.0) if wide > 0.0 else 0
            for bit in range(10):
                code |= ((v >> bit) & 1) << (3 * bit + j)
        out[i] = code
    return out


@kernel
def box_tree(low: Floats, high: Floats, order: Indices, leaf: int) -> Floats:
    """Boxes (2 · P, 6) of a binary tree over boxes in an order: node i has children 2 i and 2 i + 1, and the P last
    ones hold `leaf` boxes each."""
    n = len(order)
    leaves = 1
    while leaves * leaf < n:
        leaves *= 2
    tree = np.empty((2 * leaves, 6))
    tree[:, :3], tree[:, 3:] = np.inf, -np.inf
    for i in range(n):
        k = leaves + i // leaf
        for j in range(3):
            tree[k, j] = min(tree[k, j], low[order[i], j])
            tree[k, 3 + j] = max(tree[k, 3 + j], high[order[i], j])
    for k in range(leaves - 1, 0, -1):
        for j in range(3):
            tree[k, j] = min(tree[2 * k, j], tree[2 * k + 1, j])
            tree[k, 3 + j] = max(tree[2 * k, 3 + j], tree[2 * k + 1, 3 + j])
    return tree


@kernel
def boxes_in_order(
    low: Floats, high: Floats, frame: Floats, group: Indices, seek: Bools, order: Indices, grain: float
) -> tuple[Floats, npt.NDArray[np.int8]]:
    """Of triangles (T) in an order (n): boxes (n,6), those that are sought a grain larger; and marks (n): the group, 0,
    1, or 2 for none, and 4 more where one is sought; -1 without area."""
    n = len(order)
    box, mark = np.empty((n, 6)), np.empty(n, np.int8)
    for i in range(n):
        t = order[i]
        wide = grain if seek[t] else 0.0
        for j in range(3):
            box[i, j], box[i, 3 + j] = low[t, j] - wide, high[t, j] + wide
        mark[i] = group[t] + (4 if seek[t] else 0)
        if frame[t, 0] == 0.0 and frame[t, 1] == 0.0 and frame[t, 2] == 0.0:
            mark[i] = -1
    return box, mark


@inline_kernel
def _apart(a, i, b, k):  # type: ignore[no-untyped-def]
    """Whether two boxes (n,6) do not touch."""
    return (
        a[i, 0] > b[k, 3]
        or a[i, 3] < b[k, 0]
        or a[i, 1] > b[k, 4]
        or a[i, 4] < b[k, 1]
        or a[i, 2] > b[k, 5]
        or a[i, 5] < b[k, 2]
    )


@kernel
def meetings(
    points: Floats,
    tris: Indices,
    inner: Bools,
    face: Indices,
    frame: Floats,
    side: Floats,
    order: Indices,
    box: Floats,
    mark: npt.NDArray[np.int8],
    tree: Floats,
    leaf: int,
    grain: float,
    first: int,
    last: int,
    most: int,
) -> Indices:
    """(n,3) pairs of triangles that meet, and how; so many at most.

    Not those of one group, 0 or 1, whose places to one another are as they were. Each pair of which one is sought is
    looked at once, where its boxes overlap: `tree` is over the boxes in `order`, `leaf` of them in each leaf. Sought
    are those in leaves from the first to before the last.
    """
    out = np.empty((most, 3), np.int64)
    found = 0
    n, leaves = len(order), len(tree) // 2
    waiting = np.empty(128, np.int64)
    mine = np.empty(leaf, np.int64)
    whole = np.empty((1, 6))
    for own in range(first, last):
        count = 0
        whole[0, :3], whole[0, 3:] = np.inf, -np.inf
        for i in range(own * leaf, min((own + 1) * leaf, n)):
            if mark[i] < 4:
                continue
            mine[count] = i
            count += 1
            for j in range(3):
                whole[0, j] = min(whole[0, j], box[i, j])
                whole[0, 3 + j] = max(whole[0, 3 + j], box[i, 3 + j])
        if count == 0:
            continue
        waiting[0], left = 1, 1
        while left:
            left -= 1
            k = waiting[left]
            if _apart(tree, k, whole, 0):
                continue
            if k < leaves:
                waiting[left], waiting[left + 1] = 2 * k, 2 * k + 1
                left += 2
                continue
            for j in range((k - leaves) * leaf, min((k - leaves + 1) * leaf, n)):
                if mark[j] < 0 or _apart(box, j, whole, 0):
                    continue
                s = order[j]
                for m in range(count):
                    i = mine[m]
                    # each pair of two that are sought once
                    if (mark[j] >= 4 and j <= i) or _apart(box, i, box, j):
                        continue
                    if mark[i] & 3 == mark[j] & 3 and mark[i] & 3 < 2:
                        continue
                    t = order[i]
                    how = _meet(points, frame, side, tris, inner, face, t, s, grain)
                    if how:
                        out[found, 0], out[found, 1], out[found, 2] = t, s, how
                        found += 1
                        if found == most:
                            return out
    return out[:found]


@kernel
def part_volumes(
    points: Floats, starts: Indices, corners: Indices, part: Indices, count: int, x0: float, y0: float, z0: float
) -> tuple[Floats, Floats]:
    """Signed volumes (count) under the faces of each part, seen from a point, and their areas, both by fans."""
    volume, area = np.zeros(count), np.zeros(count)
    for f in range(len(starts) - 1):
        a = corners[starts[f]]
        ax, ay, az = points[a, 0] - x0, points[a, 1] - y0, points[a, 2] - z0
        for c in range(starts[f] + 1, starts[f + 1] - 1):
            p, q = corners[c], corners[c + 1]
            bx, by, bz = points[p, 0] - x0, points[p, 1] - y0, points[p, 2] - z0
            cx, cy, cz = points[q, 0] - x0, points[q, 1] - y0, points[q, 2] - z0
            nx, ny, nz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
            volume[part[f]] += (ax * nx + ay * ny + az * nz) / 6.0
            ux, uy, uz, vx, vy, vz = bx - ax, by - ay, bz - az, cx - ax, cy - ay, cz - az
            mx, my, mz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            area[part[f]] += math.sqrt(mx * mx + my * my + mz * mz) / 2.0
    return volume, area
