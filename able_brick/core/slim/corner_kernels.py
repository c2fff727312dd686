"""What lies on the corners of a mesh while its edges are collapsed: texture coordinates and colours."""

from __future__ import annotations

from typing import TYPE_CHECKING

from able_brick.core.kernel import kernel
from able_brick.core.slim.stars import corner_of

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices


@kernel
def _height_in(f: int, u: int, v: int, p: Floats, pos: Floats, tri: Indices) -> tuple[float, float]:
    """Barycentric coordinates of p in a face with the edge u v: at its third corner, and at u."""
    x = tri[f, 3 - corner_of(tri, f, u) - corner_of(tri, f, v)]
    ex, ey, ez = pos[u, 0] - pos[v, 0], pos[u, 1] - pos[v, 1], pos[u, 2] - pos[v, 2]
    hx, hy, hz = pos[x, 0] - pos[v, 0], pos[x, 1] - pos[v, 1], pos[x, 2] - pos[v, 2]
    qx, qy, qz = p[0] - pos[v, 0], p[1] - pos[v, 1], p[2] - pos[v, 2]
    ee, eh, hh = ex * ex + ey * ey + ez * ez, ex * hx + ey * hy + ez * hz, hx * hx + hy * hy + hz * hz
    qe, qh = qx * ex + qy * ey + qz * ez, qx * hx + qy * hy + qz * hz
    det = ee * hh - eh * eh
    if det <= 1e-12 * ee * hh:
        return 0.0, min(max(qe / ee, 0.0), 1.0) if ee > 0.0 else 0.0
    third = min(max((qh * ee - qe * eh) / det, 0.0), 1.0)
    return third, (qe - third * eh) / ee


@kernel
def carry(f: int, other: int, u: int, v: int, p: Floats, pos: Floats, tri: Indices, wedge: Indices, uv: Floats) -> None:
    """Give v's wedge in face f the uv that the old surface has at p; in `other` instead, where p lies over there."""
    at = wedge[f, corner_of(tri, f, v)]
    third, along = _height_in(f, u, v, p, pos, tri)
    if other >= 0:
        third2, along2 = _height_in(other, u, v, p, pos, tri)
        if third2 > third:
            f, third, along = other, third2, along2
    a = wedge[f, corner_of(tri, f, u)]
    b = wedge[f, corner_of(tri, f, v)]
    x = wedge[f, 3 - corner_of(tri, f, u) - corner_of(tri, f, v)]
    for k in range(uv.shape[1]):
        uv[at, k] = along * uv[a, k] + third * uv[x, k] + (1.0 - along - third) * uv[b, k]


@kernel
def carry_along(
    u: int,
    v: int,
    u1: int,
    u2: int,
    apart: bool,
    p: Floats,
    pos: Floats,
    tri: Indices,
    wedge: Indices,
    look: Indices,
    start: Indices,
    star: Indices,
    uv: Floats,
) -> None:
    """Give those wedges of u that look like none on a face shared with v what their own faces have at p, on from where
    they end."""
    for i in range(start[u], start[u + 1]):
        f = star[i]
        if tri[f, 0] < 0 or corner_of(tri, f, v) >= 0:
            continue
        k = corner_of(tri, f, u)
        w = wedge[f, k]
        alike = w in (u1, u2) or look[w] == look[u1] or (u2 >= 0 and look[w] == look[u2])
        if alike and not apart:
            continue
        seen = False  # once for all faces that it is on
        for j in range(start[u], i):
            g = star[j]
            if tri[g, 0] >= 0 and corner_of(tri, g, v) < 0 and wedge[g, corner_of(tri, g, u)] == w:
                seen = True
        if seen:
            continue
        b, c = tri[f, (k + 1) % 3], tri[f, (k + 2) % 3]
        e0, e1, e2 = pos[b, 0] - pos[u, 0], pos[b, 1] - pos[u, 1], pos[b, 2] - pos[u, 2]
        g0, g1, g2 = pos[c, 0] - pos[u, 0], pos[c, 1] - pos[u, 1], pos[c, 2] - pos[u, 2]
        x0, x1, x2 = p[0] - pos[u, 0], p[1] - pos[u, 1], p[2] - pos[u, 2]
        ee, eg, gg = e0 * e0 + e1 * e1 + e2 * e2, e0 * g0 + e1 * g1 + e2 * g2, g0 * g0 + g1 * g1 + g2 * g2
        xe, xg = x0 * e0 + x1 * e1 + x2 * e2, x0 * g0 + x1 * g1 + x2 * g2
        det = ee * gg - eg * eg
        if det <= 1e-12 * ee * gg:
            continue
        s, t = (xe * gg - xg * eg) / det, (xg * ee - xe * eg) / det
        wb, wc = wedge[f, (k + 1) % 3], wedge[f, (k + 2) % 3]
        for m in range(uv.shape[1]):
            uv[w, m] += s * (uv[wb, m] - uv[w, m]) + t * (uv[wc, m] - uv[w, m])
