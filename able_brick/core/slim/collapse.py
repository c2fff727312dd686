"""Edge collapse in passes over the whole mesh.

Each pass costs every edge, takes the cheapest up to a cut-off, and collapses them in rising order, skipping any whose
end was used before in the pass. What meets no wedge of the vertex that it goes into goes along: with what that has
where it looks alike, and else with what its own faces have there, from one end of the edge to the other. So creases and
seams are kept by what it costs to leave them; borders are only gone along.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel
from able_brick.core.slim.corner_kernels import carry, carry_along
from able_brick.core.slim.costs import best_place
from able_brick.core.slim.quadrics import evaluate
from able_brick.core.slim.stars import corner_of

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices
    from able_brick.core.slim.working import CollapseRecord, EdgeList, WorkingMesh

_NEVER = np.float32(np.inf)
#: By how many times an end of an edge may cost more than the best place, where that would turn a face over.
_AT_AN_END = 1.5


class Sides(NamedTuple):
    """The two faces of an edge from u to v, and on each the wedge of u and that of v; −1 for a face that is not
    there."""

    face_1: int
    u_1: int
    v_1: int
    face_2: int
    u_2: int
    v_2: int


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
def _sides(mesh: WorkingMesh, u: int, v: int, uses: int, mark: Indices, step: int) -> tuple[bool, Sides]:
    """The sides of an edge, and whether it may be collapsed by the link condition: common neighbours of its ends are
    exactly the corners opposite to it (Dey et al. 1999), and those are no two corners of one face at both. `mark` (V)
    is not `step` anywhere before."""
    tri, wedge, start, star = mesh.tri, mesh.wedge, mesh.start, mesh.star
    shared, x, y = 0, -1, -1
    u_1, v_1, u_2, v_2, face_1, face_2 = -1, -1, -1, -1, -1, -1
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
                u_1, v_1, face_1 = wedge[f, k], wedge[f, j], f
            else:
                y = tri[f, 3 - j - k]
                u_2, v_2, face_2 = wedge[f, k], wedge[f, j], f
    sides = Sides(face_1, u_1, v_1, face_2, u_2, v_2)
    if shared != uses:
        return False, sides
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
        return False, sides
    return not (y >= 0 and _has_face(mesh, u, x, y) and _has_face(mesh, v, x, y)), sides


@kernel
def _has_face(mesh: WorkingMesh, v: int, x: int, y: int) -> bool:
    """Whether a face has the corners v, x and y."""
    for i in range(mesh.start[v], mesh.start[v + 1]):
        f = mesh.star[i]
        if mesh.tri[f, 0] >= 0 and corner_of(mesh.tri, f, x) >= 0 and corner_of(mesh.tri, f, y) >= 0:
            return True
    return False


@kernel
def _placed(mesh: WorkingMesh, edges: EdgeList, e: int, u: int, v: int, most: float, q: Floats, p: Floats) -> bool:
    """Write to p (3) where u and v come together; whether no face turns over there. `q` (11) is overwritten.

    A place that would turn a face over is exchanged for an end of the edge, where that costs little more than the place
    and no more than the `most`; its cost is then that.
    """
    pos, tri, start, star, cost = mesh.position, mesh.tri, mesh.start, mesh.star, edges.cost
    if edges.way[e] != 0:
        p[:] = pos[v]
        return not _turns_over(u, v, p, pos, tri, start, star)
    for k in range(11):
        q[k] = mesh.quadric[u, k] + mesh.quadric[v, k]
    best_place(q, pos[u, 0], pos[u, 1], pos[u, 2], pos[v, 0], pos[v, 1], pos[v, 2], p)
    if not _turns_over(v, u, p, pos, tri, start, star) and not _turns_over(u, v, p, pos, tri, start, star):
        return True
    # at one of its ends, where nothing tilts that lies flat beside it
    cost_u = evaluate(q, pos[u, 0], pos[u, 1], pos[u, 2])
    cost_v = evaluate(q, pos[v, 0], pos[v, 1], pos[v, 2])
    limit = min(most, _AT_AN_END * cost[e])
    if cost_v <= limit and not _turns_over(u, v, pos[v], pos, tri, start, star):
        p[:] = pos[v]
        cost[e] = max(cost[e], cost_v)
        return True
    if cost_u <= limit and not _turns_over(v, u, pos[u], pos, tri, start, star):
        p[:] = pos[u]
        cost[e] = max(cost[e], cost_u)
        return True
    return False


@kernel
def _carry_attributes(mesh: WorkingMesh, u: int, v: int, sides: Sides, way: int, apart: bool, p: Floats) -> None:
    """Give the wedges of u and v what the old surface has at p."""
    pos, tri, wedge, look, uv = mesh.position, mesh.tri, mesh.wedge, mesh.look, mesh.attribute
    face_1, u_1, v_1, face_2, u_2, v_2 = sides
    if way == 0:
        same = face_2 >= 0 and v_1 == v_2 and u_1 == u_2
        carry(face_1, face_2 if same else -1, u, v, p, pos, tri, wedge, uv)
        if face_2 >= 0 and v_2 != v_1:
            carry(face_2, -1, u, v, p, pos, tri, wedge, uv)
        if mesh.multi_wedge[v]:
            for i in range(mesh.start[v], mesh.start[v + 1]):
                f = mesh.star[i]
                if tri[f, 0] < 0:
                    continue
                w = wedge[f, corner_of(tri, f, v)]
                if w != v_1 and w != v_2:
                    beside = v_1 if look[w] == look[v_1] else v_2
                    if beside >= 0 and look[w] == look[beside]:
                        for m in range(uv.shape[1]):
                            uv[w, m] = uv[beside, m]
    if mesh.multi_wedge[u] or apart:
        carry_along(u, v, u_1, u_2, apart, p, pos, tri, wedge, look, mesh.start, mesh.star, uv)


@kernel
def _merge(
    mesh: WorkingMesh, record: CollapseRecord, u: int, v: int, sides: Sides, apart: bool, p: Floats, number: int
) -> int:
    """Let u go into v, which comes to lie at p; how many faces went with it."""
    tri, wedge, look, uv, stamp = mesh.tri, mesh.wedge, mesh.look, mesh.attribute, record.stamp
    u_1, v_1, u_2, v_2 = sides.u_1, sides.v_1, sides.u_2, sides.v_2
    look_1, look_2 = look[u_1], look[u_2] if u_2 >= 0 else -1
    for k in range(3):
        mesh.position[v, k] = p[k]
    for k in range(11):
        mesh.quadric[v, k] += mesh.quadric[u, k]
    gone = 0
    for i in range(mesh.start[u], mesh.start[u + 1]):
        f = mesh.star[i]
        if tri[f, 0] < 0:
            continue
        k = corner_of(tri, f, u)
        for m in range(3):
            stamp[tri[f, m]] = number
        if corner_of(tri, f, v) >= 0:
            tri[f, 0] = -1
            gone += 1
            continue
        w = wedge[f, k]  # which may be one list with the triangles
        tri[f, k] = v
        if w == u_1 and not apart:
            wedge[f, k] = v_1
        elif w == u_2 and not apart:
            wedge[f, k] = v_2
        else:
            mesh.multi_wedge[v] = True
            beside = -1
            if not apart:
                beside = v_1 if look[w] == look_1 else (v_2 if u_2 >= 0 and look[w] == look_2 else -1)
            if beside >= 0:  # it goes along, and looks from now on as what it is beside
                look[w] = look[beside]
                for m in range(uv.shape[1]):
                    uv[w, m] = uv[beside, m]
    for i in range(mesh.start[v], mesh.start[v + 1]):
        f = mesh.star[i]
        if tri[f, 0] >= 0:
            for m in range(3):
                stamp[tri[f, m]] = number
    record.into[u] = v
    record.used[u] = True
    record.used[v] = True
    return gone


@kernel
def collapse_pass(
    mesh: WorkingMesh,
    edges: EdgeList,
    record: CollapseRecord,
    order: Indices,
    lane: npt.NDArray[np.int8],
    only: int,
    first: int,
    last: int,
    number: int,
    surplus: int,
    most: float,
    ahead: float,
) -> int:
    """Collapse the chosen edges of an order (n) from `first` to before `last` until `surplus` faces are gone, in the
    pass of that `number`. Returns how many went.

    Edges in another `lane` (n) than the only one are left, −1 for all. What costs more than so many times `ahead` of an
    edge that waits for the next pass waits with it. No place is exchanged for one that costs more than the `most`.
    """
    mark = np.full(len(mesh.position), -1, np.int32)
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
        u, v = edges.ends[e, 0], edges.ends[e, 1]
        if edges.cost[e] > ahead * waiting:
            record.stopped[0] = True
            break
        if record.used[u] or record.used[v]:
            waiting = min(waiting, edges.cost[e])
            continue
        if edges.way[e] == 2:
            u, v = v, u
        free, sides = _sides(mesh, u, v, edges.uses[e], mark, step)
        if not free or not _placed(mesh, edges, e, u, v, most, q, p):
            continue
        # what meets two looks of v on its two sides belongs to neither as a whole
        apart = (
            sides.u_2 >= 0
            and mesh.look[sides.u_1] == mesh.look[sides.u_2]
            and mesh.look[sides.v_1] != mesh.look[sides.v_2]
        )
        if mesh.attribute.shape[1] > 0:
            _carry_attributes(mesh, u, v, sides, edges.way[e], apart, p)
        gone = _merge(mesh, record, u, v, sides, apart, p, number)
        record.took[step] += gone
        removed += gone
    return removed
