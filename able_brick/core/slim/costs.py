"""What it costs to collapse each edge, and which are worth trying in a pass.

Corners carry wedges (uv island, normal group, material), which meet those of the vertex that theirs goes into on the
two faces of the edge. Wedges that differ by their normals alone hold nothing. Where a wedge meets none, one end of the
edge goes into the other as that is.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel
from able_brick.core.slim.quadrics import evaluate
from able_brick.core.slim.stars import corner_of

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices, Ints
    from able_brick.core.slim.working import EdgeList, WorkingMesh

_NEVER = np.float32(np.inf)
_SHIFT = 13


@kernel
def _may_go(mesh: WorkingMesh, u: int, v: int) -> bool:
    """Whether every wedge round u occurs on a face shared with v, or looks like one that does, and leads to wedges of
    v that look alike."""
    tri, wedge, look, start, star = mesh.tri, mesh.wedge, mesh.look, mesh.start, mesh.star
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
def best_place(q: Floats, ax: float, ay: float, az: float, bx: float, by: float, bz: float, out: Floats) -> float:
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
    mesh: WorkingMesh, edges: EdgeList, locked: Bools, border: Bools, square: float, first: int, last: int
) -> None:
    """Fill cost and way of the edges from `first` to before `last`, where some vertices (V) are `locked` and some on a
    `border`. What would lie off by more than a `square` of a distance, in the mean of the faces that are gone, is never
    done."""
    pos, quadric, multi_wedge = mesh.position, mesh.quadric, mesh.multi_wedge
    uses, cost, way = edges.uses, edges.cost, edges.way
    q = np.empty(11)
    p = np.empty(3)
    for e in range(first, last):
        a, b = edges.ends[e, 0], edges.ends[e, 1]
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
            a_goes = a_free and _may_go(mesh, a, b)
            b_goes = b_free and _may_go(mesh, b, a)
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
            error = best_place(q, pos[a, 0], pos[a, 1], pos[a, 2], pos[b, 0], pos[b, 1], pos[b, 2], p)
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
