"""Error quadrics of faces and of the edges that must keep their place.

Source: Garland & Heckbert 1997, Surface simplification using quadric error metrics. A quadric is a row of eleven:
xx xy xz yy yz zz, bx by bz, c, w, with q(p) = pᵀAp + 2b·p + c, and w the area that it stands for.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices

#: Weights of the planes through borders and seams, and of those through creases, against the faces' own.
EDGE_WEIGHT = 10.0
CREASE_WEIGHT = 0.5


@kernel
def add_plane(q: Floats, x: float, y: float, z: float, d: float, weight: float, area: float) -> None:
    """Add the plane x·px + y·py + z·pz + d = 0 to one quadric row."""
    q[0] += weight * x * x
    q[1] += weight * x * y
    q[2] += weight * x * z
    q[3] += weight * y * y
    q[4] += weight * y * z
    q[5] += weight * z * z
    q[6] += weight * x * d
    q[7] += weight * y * d
    q[8] += weight * z * d
    q[9] += weight * d * d
    q[10] += area


@kernel
def evaluate(q: Floats, x: float, y: float, z: float) -> float:
    """The quadric's value at a point, never below 0."""
    value = (
        q[0] * x * x
        + 2.0 * q[1] * x * y
        + 2.0 * q[2] * x * z
        + q[3] * y * y
        + 2.0 * q[4] * y * z
        + q[5] * z * z
        + 2.0 * (q[6] * x + q[7] * y + q[8] * z)
        + q[9]
    )
    return value if value > 0.0 else 0.0


@kernel
def vertex_quadrics(
    pos: Floats,
    tri: Indices,
    wedge: Indices,
    look: Indices,
    multi_wedge: Bools,
    start: Indices,
    star: Indices,
    first: int,
    last: int,
    out: Floats,
) -> None:
    """Write the quadrics (V,11) of positions (V,3), triangles (T,3) and wedges (T,3), given the faces round each
    vertex, for the vertices from `first` to before `last`; `multi_wedge` (V) are those with more than one wedge.

    Faces weigh a third of their area. An edge with one face, or whose wedges differ across it, adds the plane
    through it perpendicular to each of its faces, weighing EDGE_WEIGHT · length² / 3; CREASE_WEIGHT where the looks (H)
    of the wedges, which are all of them but their normals, are the same: there the faces' own planes hold it. Where
    the looks differ at one end alone, as round the tip of a cone, nothing runs along the edge that could be lost.
    """
    faces = np.zeros(len(pos), np.int32)
    for v in range(first, last):
        q = out[v]
        for i in range(start[v], start[v + 1]):
            f = star[i]
            for k in range(3):
                faces[tri[f, k]] += 1
        for i in range(start[v], start[v + 1]):
            f = star[i]
            a, b, c = tri[f, 0], tri[f, 1], tri[f, 2]
            ux, uy, uz = pos[b, 0] - pos[a, 0], pos[b, 1] - pos[a, 1], pos[b, 2] - pos[a, 2]
            vx, vy, vz = pos[c, 0] - pos[a, 0], pos[c, 1] - pos[a, 1], pos[c, 2] - pos[a, 2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            length = np.sqrt(nx * nx + ny * ny + nz * nz)
            if length <= 0.0:
                continue
            nx, ny, nz = nx / length, ny / length, nz / length
            d = -(nx * pos[a, 0] + ny * pos[a, 1] + nz * pos[a, 2])
            weight = length / 6.0
            add_plane(q, nx, ny, nz, d, weight, weight)
            for k in range(3):
                j = k + 1 if k < 2 else 0
                p, r = tri[f, k], tri[f, j]
                other = r if p == v else p
                if (p != v and r != v) or (faces[other] == 2 and not multi_wedge[v] and not multi_wedge[other]):
                    continue
                held = _held(f, p, r, wedge[f, k], wedge[f, j], tri, wedge, look, start[v], start[v + 1], star)
                if held == 0.0:
                    continue
                ex, ey, ez = pos[r, 0] - pos[p, 0], pos[r, 1] - pos[p, 1], pos[r, 2] - pos[p, 2]
                l2 = ex * ex + ey * ey + ez * ez
                if l2 <= 0.0:
                    continue
                sx, sy, sz = ey * nz - ez * ny, ez * nx - ex * nz, ex * ny - ey * nx
                ls = np.sqrt(sx * sx + sy * sy + sz * sz)
                if ls <= 0.0:
                    continue
                sx, sy, sz = sx / ls, sy / ls, sz / ls
                e = -(sx * pos[p, 0] + sy * pos[p, 1] + sz * pos[p, 2])
                add_plane(q, sx, sy, sz, e, held * l2 / 3.0, 0.0)
        for i in range(start[v], start[v + 1]):
            f = star[i]
            faces[tri[f, 0]] = faces[tri[f, 1]] = faces[tri[f, 2]] = 0


@kernel
def _held(
    f: int,
    p: int,
    r: int,
    wp: int,
    wr: int,
    tri: Indices,
    wedge: Indices,
    look: Indices,
    first: int,
    last: int,
    star: Indices,
) -> float:
    """How much the edge from p to r of a face keeps its place, given the faces round one of its ends: 0 if not at
    all."""
    others = 0
    same, alike, joins = True, True, False
    for i in range(first, last):
        g = star[i]
        if g == f:
            continue
        jp, jr = -1, -1
        for j in range(3):
            if tri[g, j] == p:
                jp = j
            elif tri[g, j] == r:
                jr = j
        if jp >= 0 and jr >= 0:
            others += 1
            same = same and wedge[g, jp] == wp and wedge[g, jr] == wr
            alike_p, alike_r = look[wedge[g, jp]] == look[wp], look[wedge[g, jr]] == look[wr]
            alike = alike and alike_p and alike_r
            joins = alike_p != alike_r
    if others == 1 and (same or joins):
        return 0.0
    return CREASE_WEIGHT if others == 1 and alike else EDGE_WEIGHT
