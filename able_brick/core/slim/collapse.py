"""Edge collapse in passes over the whole mesh.

Each pass costs every edge, takes the cheapest up to a cut-off, and collapses them in rising order, skipping any whose
end was used before in the pass. Corners carry wedges (uv island, normal group, material), which meet those of the
vertex that theirs goes into on the two faces of the edge. Wedges that differ by their normals alone hold nothing. What
meets no wedge goes along: with what the vertex has where it looks alike, and else with what its own faces have there,
from one end of the edge to the other. So creases and seams are kept by what it costs to leave them; borders are only
gone along.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel
from able_brick.core.slim.corner_kernels import carry, carry_along
from able_brick.core.slim.quadrics import evaluate
from able_brick.core.slim.stars import corner_of

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints

_NEVER = np.float32(np.inf)
_SHIFT = 13
#: By how many times an end of an edge may cost more than the best place, where that would turn a face over.
_AT_AN_END = 1.5


@kernel
def _may_go(u: int, v: int, tri: Indices, wedge: Indices, look: Indices, start: Indices, star: Indices) -> bool:
    """Whether every wedge round u occurs on a face shared with v, or looks like one that does, and leads to wedges of
    v that look alike."""
    u1, v1, u2, v2 = -1, -1, -1, -1
    for i in range(start[u], start[u + 1]):
        f = star[i]
        j = corner_of(tri, f, v)
        if j >= 0:
            k = corner_of(tri, f, u)
            if u1 < 0:
                u1, v1 = wedge[f, k], wedge[f, j]
            else:
                u2, v2 = wedge[f, k], wedge[f, j]
    if u2 >= 0 and look[u1] == look[u2] and look[v1] != look[v2]:
        return False
    for i in range(start[u], start[u + 1]):
        f = star[i]
        w = wedge[f, corner_of(tri, f, u)]
        if w != u1 and w != u2 and look[w] != look[u1] and (u2 < 0 or look[w] != look[u2]):
            return False
    return True


@kernel
def _best_place(q: Floats, ax: float, ay: float, az: float, bx: float, by: float, bz: float, out: Floats) -> float:
    """The point of least error near the edge's middle, written to out (3); returns the error there."""
    mx, my, mz = 0.5 * (ax + bx), 0.5 * (ay + by), 0.5 * (az + bz)
    out[0], out[1], out[2] = mx, my, mz
    soft = 1e-4 * (q[0] + q[3] + q[5])
    if soft <= 0.0:
        return evaluate(q, mx, my, mz)
    a, b, c, d, e, f = q[0] + soft, q[1], q[2], q[3] + soft, q[4], q[5] + soft
    gx = q[0] * mx + q[1] * my + q[2] * mz + q[6]
    gy = q[1] * mx + q[3] * my + q[4] * mz + q[7]
    gz = q[2] * mx + q[4] * my + q[5] * mz + q[8]
    c0, c1, c2 = d * f - e * e, c * e - b * f, b * e - c * d
    det = a * c0 + b * c1 + c * c2
    if not det > 0.0:
        return evaluate(q, mx, my, mz)
    by_det = -1.0 / det
    dx = (c0 * gx + c1 * gy + c2 * gz) * by_det
    dy = (c1 * gx + (a * f - c * c) * gy + (b * c - a * e) * gz) * by_det
    dz = (c2 * gx + (b * c - a * e) * gy + (a * d - b * b) * gz) * by_det
    far = 4.0 * ((bx - ax) ** 2 + (by - ay) ** 2 + (bz - az) ** 2)
    if dx * dx + dy * dy + dz * dz <= far:
        out[0], out[1], out[2] = mx + dx, my + dy, mz + dz
    # an end that fits clearly better, such as the corner of a border, is kept exactly
    error = evaluate(q, out[0], out[1], out[2])
    at_a, at_b = evaluate(q, ax, ay, az), evaluate(q, bx, by, bz)
    if at_b < 0.5 * error and at_b < at_a:
        out[0], out[1], out[2] = bx, by, bz
        return at_b
    if at_a < 0.5 * error:
        out[0], out[1], out[2] = ax, ay, az
        return at_a
    return error


@kernel
def cost_edges(
    pos: Floats,
    quadric: Floats,
    tri: Indices,
    wedge: Indices,
    look: Indices,
    start: Indices,
    star: Indices,
    edges: Indices,
    uses: Indices,
    locked: Bools,
    border: Bools,
    multi_wedge: Bools,
    square: float,
    first: int,
    last: int,
    cost: npt.NDArray[np.float32],
    way: npt.NDArray[np.int8],
) -> None:
    """Fill cost (E) float32 and way (E) int8 of the edges from `first` to before `last`: 0 free, 1 the first end goes
    into the second, 2 the other way round. What would lie off by more than a `square` of a distance, in the mean of the
    faces that are gone, is never done."""
    q = np.empty(11)
    p = np.empty(3)
    for e in range(first, last):
        a, b = edges[e, 0], edges[e, 1]
        way[e] = 0
        cost[e] = _NEVER
        if uses[e] > 2:
            continue
        a_free = not locked[a] and (not border[a] or uses[e] == 1)
        b_free = not locked[b] and (not border[b] or uses[e] == 1)
        if not a_free and not b_free:
            continue
        a_goes, b_goes = a_free, b_free
        if multi_wedge[a] or multi_wedge[b]:
            a_goes = a_free and _may_go(a, b, tri, wedge, look, start, star)
            b_goes = b_free and _may_go(b, a, tri, wedge, look, start, star)
        for k in range(11):
            q[k] = quadric[a, k] + quadric[b, k]
        if not a_goes and not b_goes:
            # across seams: one end goes as it is, whichever costs less
            a_goes, b_goes = a_free, b_free
            if a_free and b_free:
                at_a = evaluate(q, pos[a, 0], pos[a, 1], pos[a, 2])
                at_b = evaluate(q, pos[b, 0], pos[b, 1], pos[b, 2])
                a_goes, b_goes = at_b <= at_a, at_b > at_a
        if a_goes and b_goes:
            error = _best_place(q, pos[a, 0], pos[a, 1], pos[a, 2], pos[b, 0], pos[b, 1], pos[b, 2], p)
        elif a_goes:
            way[e] = 1
            error = evaluate(q, pos[b, 0], pos[b, 1], pos[b, 2])
        else:
            way[e] = 2
            error = evaluate(q, pos[a, 0], pos[a, 1], pos[a, 2])
        l2 = (pos[a, 0] - pos[b, 0]) ** 2 + (pos[a, 1] - pos[b, 1]) ** 2 + (pos[a, 2] - pos[b, 2]) ** 2
        if not error > square * q[10]:  # which is no number where neither is any
            cost[e] = error + 1e-9 * l2 * q[10]


@kernel
def worth_trying(
    cost: npt.NDArray[np.float32],
    edges: Indices,
    stamp: Indices,
    cutoffs: Indices,
    passes: int,
    first: int,
    last: int,
    wanted: Bools,
) -> Ints:
    """Write which edges (E) from `first` to before `last` may be collapsed by now, and count them by the bits of their
    cost.

    An edge that was refused before at a cut-off not below its cost is left out while neither end's star has changed.
    """
    bits = cost.view(np.int32) >> _SHIFT
    highest = np.full(passes + 2, -1, np.int32)
    for k in range(passes, -1, -1):
        highest[k] = max(highest[k + 1], cutoffs[k])
    never = _bits_of_never()
    bins = np.zeros(never + 1, np.int32)
    for e in range(first, last):
        wanted[e] = False
        if bits[e] >= never:
            continue
        changed = max(stamp[edges[e, 0]], stamp[edges[e, 1]])
        if highest[changed + 1] >= bits[e]:
            continue
        wanted[e] = True
        bins[bits[e]] += 1
    return bins


@kernel
def _bits_of_never() -> np.int32:
    return np.int32(np.array([_NEVER], np.float32).view(np.int32)[0] >> _SHIFT)


@kernel
def cut_at(bins: Indices, quota: float) -> int:
    """The bits of the cost up to which there are so many edges, given how many there are (parts, bits)."""
    total = 0
    never: int = bins.shape[1] - 1
    for k in range(never):
        for h in range(len(bins)):
            total += bins[h, k]
        if total >= quota:
            return k
    return never - 1


@kernel
def places_of(bins: Indices, cut: int) -> int:
    """Make counts (parts, bits) the places where each part's edges of those bits begin; how many there are up to the
    cut."""
    total = 0
    for k in range(cut + 1):
        for h in range(len(bins)):
            count = bins[h, k]
            bins[h, k] = total
            total += count
    return total


@kernel
def put_in_order(
    cost: npt.NDArray[np.float32], wanted: Bools, cut: int, places: Indices, first: int, last: int, order: Indices
) -> None:
    """Write the wanted edges from `first` to before `last`, up to the cut, at their places in the order."""
    bits = cost.view(np.int32) >> _SHIFT
    for e in range(first, last):
        if wanted[e] and bits[e] <= cut:
            order[places[bits[e]]] = e
            places[bits[e]] += 1


@kernel
def _turns_over(u: int, v: int, p: Floats, pos: Floats, tri: Indices, start: Indices, star: Indices) -> bool:
    """Whether a face of u that survives would flip or become a sliver with u at p."""
    for i in range(start[u], start[u + 1]):
        f = star[i]
        if tri[f, 0] < 0 or corner_of(tri, f, v) >= 0:
            continue
        if tri[f, 0] == u:
            b, c = tri[f, 1], tri[f, 2]
        elif tri[f, 1] == u:
            b, c = tri[f, 2], tri[f, 0]
        else:
            b, c = tri[f, 0], tri[f, 1]
        ex, ey, ez = pos[c, 0] - pos[b, 0], pos[c, 1] - pos[b, 1], pos[c, 2] - pos[b, 2]
        ox, oy, oz = pos[u, 0] - pos[b, 0], pos[u, 1] - pos[b, 1], pos[u, 2] - pos[b, 2]
        nx, ny, nz = p[0] - pos[b, 0], p[1] - pos[b, 1], p[2] - pos[b, 2]
        o0, o1, o2 = ey * oz - ez * oy, ez * ox - ex * oz, ex * oy - ey * ox
        n0, n1, n2 = ey * nz - ez * ny, ez * nx - ex * nz, ex * ny - ey * nx
        old2, new2 = o0 * o0 + o1 * o1 + o2 * o2, n0 * n0 + n1 * n1 + n2 * n2
        dot = o0 * n0 + o1 * n1 + o2 * n2
        if old2 > 0.0 and (dot < 0.0 or dot * dot < 0.04 * old2 * new2):
            return True
        e2 = ex * ex + ey * ey + ez * ez
        long_new = max(e2, nx * nx + ny * ny + nz * nz)
        gx, gy, gz = nx - ex, ny - ey, nz - ez
        long_new = max(long_new, gx * gx + gy * gy + gz * gz)
        if new2 <= 4e-4 * long_new * long_new:
            hx, hy, hz = ox - ex, oy - ey, oz - ez
            long_old = max(max(e2, ox * ox + oy * oy + oz * oz), hx * hx + hy * hy + hz * hz)
            if new2 <= 1e-16 * long_new * long_new or new2 * long_old * long_old < 0.5 * old2 * long_new * long_new:
                return True
    return False


@kernel
def collapse_pass(
    pos: Floats,
    quadric: Floats,
    tri: Indices,
    wedge: Indices,
    look: Indices,
    multi_wedge: Bools,
    wedge_uv: Floats,
    start: Indices,
    star: Indices,
    edges: Indices,
    uses: Indices,
    way: npt.NDArray[np.int8],
    cost: npt.NDArray[np.float32],
    most: float,
    ahead: float,
    stopped: Bools,
    order: Indices,
    stamp: Indices,
    into: Indices,
    used: Bools,
    number: int,
    surplus: int,
    took: npt.NDArray[np.int8],
    lane: npt.NDArray[np.int8],
    only: int,
    first: int,
    last: int,
) -> int:
    """Collapse the chosen edges from `first` to before `last` in order until `surplus` faces are gone. Returns how many
    went. What costs more than so many times `ahead` of an edge that waits for the next pass waits with it,
    and it is reported that some were `stopped` (1).

    A place that would turn a face over is exchanged for an end of the edge, where that costs little more than the place
    and no more than the `most`; its cost (E) is then that. Dead faces get −1 as their first vertex. `stamp` (V) keeps
    the last pass in which a vertex's star changed; `into` (V) the vertex that each went into, itself if none; `used`
    (V) those that this pass has been at; `took` (n) how many faces each edge of the order took with it. Edges in
    another `lane` (n) than the only one are left, −1 for all.
    """
    mark = np.full(len(pos), -1, np.int32)
    removed = 0
    waiting = _NEVER
    q = np.empty(11)
    p = np.empty(3)
    for step in range(first, last):
        if removed >= surplus:
            break
        if only >= 0 and lane[step] != only:
            continue
        e = order[step]
        u, v = edges[e, 0], edges[e, 1]
        if cost[e] > ahead * waiting:
            stopped[0] = True
            break
        if used[u] or used[v]:
            waiting = min(waiting, cost[e])
            continue
        if way[e] == 2:
            u, v = v, u
        # the link condition: common neighbours are exactly the corners opposite the edge (Dey et al. 1999)
        shared, x, y = 0, -1, -1
        u1, v1, u2, v2, f1, f2 = -1, -1, -1, -1, -1, -1
        for i in range(start[u], start[u + 1]):
            f = star[i]
            if tri[f, 0] < 0:
                continue
            j = corner_of(tri, f, v)
            k = corner_of(tri, f, u)
            for m in range(3):
                mark[tri[f, m]] = step
            if j >= 0:
                shared += 1
                if x < 0:
                    x = tri[f, 3 - j - k]
                    u1, v1, f1 = wedge[f, k], wedge[f, j], f
                else:
                    y = tri[f, 3 - j - k]
                    u2, v2, f2 = wedge[f, k], wedge[f, j], f
        if shared != uses[e]:
            continue
        common = 0
        for i in range(start[v], start[v + 1]):
            f = star[i]
            if tri[f, 0] < 0:
                continue
            for m in range(3):
                w = tri[f, m]
                if mark[w] == step and w != u and w != v:
                    mark[w] = -1
                    common += 1
        if common != shared:
            continue
        if y >= 0:
            at_u, at_v = False, False
            for i in range(start[u], start[u + 1]):
                f = star[i]
                at_u = at_u or (tri[f, 0] >= 0 and corner_of(tri, f, x) >= 0 and corner_of(tri, f, y) >= 0)
            for i in range(start[v], start[v + 1]):
                f = star[i]
                at_v = at_v or (tri[f, 0] >= 0 and corner_of(tri, f, x) >= 0 and corner_of(tri, f, y) >= 0)
            if at_u and at_v:
                continue
        if way[e] == 0:
            for k in range(11):
                q[k] = quadric[u, k] + quadric[v, k]
            _best_place(q, pos[u, 0], pos[u, 1], pos[u, 2], pos[v, 0], pos[v, 1], pos[v, 2], p)
            if _turns_over(v, u, p, pos, tri, start, star) or _turns_over(u, v, p, pos, tri, start, star):
                # at one of its ends, where nothing tilts that lies flat beside it
                cost_u = evaluate(q, pos[u, 0], pos[u, 1], pos[u, 2])
                cost_v = evaluate(q, pos[v, 0], pos[v, 1], pos[v, 2])
                if cost_v <= min(most, _AT_AN_END * cost[e]) and not _turns_over(u, v, pos[v], pos, tri, start, star):
                    p[:] = pos[v]
                    cost[e] = max(cost[e], cost_v)
                elif cost_u <= min(most, _AT_AN_END * cost[e]) and not _turns_over(v, u, pos[u], pos, tri, start, star):
                    p[:] = pos[u]
                    cost[e] = max(cost[e], cost_u)
                else:
                    continue
        else:
            p[:] = pos[v]
            if _turns_over(u, v, p, pos, tri, start, star):
                continue
        if way[e] == 0 and wedge_uv.shape[1] > 0:
            same = f2 >= 0 and v1 == v2 and u1 == u2
            carry(f1, f2 if same else -1, u, v, p, pos, tri, wedge, wedge_uv)
            if f2 >= 0 and v2 != v1:
                carry(f2, -1, u, v, p, pos, tri, wedge, wedge_uv)
            if multi_wedge[v]:
                for i in range(start[v], start[v + 1]):
                    f = star[i]
                    if tri[f, 0] < 0:
                        continue
                    w = wedge[f, corner_of(tri, f, v)]
                    if w != v1 and w != v2:
                        beside = v1 if look[w] == look[v1] else v2
                        if beside >= 0 and look[w] == look[beside]:
                            for m in range(wedge_uv.shape[1]):
                                wedge_uv[w, m] = wedge_uv[beside, m]
        look_1, look_2 = look[u1], look[u2] if u2 >= 0 else -1
        # what meets two looks of v on its two sides belongs to neither as a whole
        apart = u2 >= 0 and look_1 == look_2 and look[v1] != look[v2]
        if wedge_uv.shape[1] > 0 and (multi_wedge[u] or apart):
            carry_along(u, v, u1, u2, apart, p, pos, tri, wedge, look, start, star, wedge_uv)
        for k in range(3):
            pos[v, k] = p[k]
        for k in range(11):
            quadric[v, k] += quadric[u, k]
        for i in range(start[u], start[u + 1]):
            f = star[i]
            if tri[f, 0] < 0:
                continue
            k = corner_of(tri, f, u)
            for m in range(3):
                stamp[tri[f, m]] = number
            if corner_of(tri, f, v) >= 0:
                tri[f, 0] = -1
                removed += 1
                took[step] += 1
                continue
            w = wedge[f, k]  # which may be one list with the triangles
            tri[f, k] = v
            if w == u1 and not apart:
                wedge[f, k] = v1
            elif w == u2 and not apart:
                wedge[f, k] = v2
            else:
                multi_wedge[v] = True
                beside = -1
                if not apart:
                    beside = v1 if look[w] == look_1 else (v2 if u2 >= 0 and look[w] == look_2 else -1)
                if beside >= 0:  # it goes along, and looks from now on as what it is beside
                    look[w] = look[beside]
                    for m in range(wedge_uv.shape[1]):
                        wedge_uv[w, m] = wedge_uv[beside, m]
        for i in range(start[v], start[v + 1]):
            f = star[i]
            if tri[f, 0] >= 0:
                for m in range(3):
                    stamp[tri[f, m]] = number
        into[u] = v
        used[u] = True
        used[v] = True
    return removed
