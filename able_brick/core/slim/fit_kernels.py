"""Compiled parts of fitting: samples of a surface, the places where they lie on another, and sums over them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.slim.tree import nearest_place

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Bools, Floats, Indices

#: Steps from vertex to vertex on the way to the place where a sample lies; nearly all need one or two.
_STEPS = 32
#: Share of a face's width by which a place is well inside, and of its first side, squared, up to which it is near.
_WELL_INSIDE = 0.02
_NEAR = 0.05**2
#: Surfaces whose normals' cosine is not above this look at each other from elsewhere.
_ALIKE = 0.2


@kernel
def shares_at(x: float, y: float, z: float, positions: Floats, a: int, b: int, c: int) -> tuple[float, float, float]:
    """The shares of the second and third corner at the place of the triangle a b c that is nearest to a point x y z,
    and the squared distance to there."""
    ax, ay, az = positions[a, 0], positions[a, 1], positions[a, 2]
    ux, uy, uz = positions[b, 0] - ax, positions[b, 1] - ay, positions[b, 2] - az
    vx, vy, vz = positions[c, 0] - ax, positions[c, 1] - ay, positions[c, 2] - az
    return nearest_place(x - ax, y - ay, z - az, ux, uy, uz, vx, vy, vz)


@kernel
def across(positions: Floats, a: int, b: int, c: int) -> tuple[float, float, float]:
    """The cross product of two sides of the triangle a b c: its normal, twice its area long."""
    ax, ay, az = positions[a, 0], positions[a, 1], positions[a, 2]
    ux, uy, uz = positions[b, 0] - ax, positions[b, 1] - ay, positions[b, 2] - az
    vx, vy, vz = positions[c, 0] - ax, positions[c, 1] - ay, positions[c, 2] - az
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@kernel
def areas_until(positions: Floats, triangles: Indices) -> Floats:
    """(T) the area of all triangles up to and with each."""
    out = np.empty(len(triangles))
    whole = 0.0
    for f in range(len(triangles)):
        x, y, z = across(positions, triangles[f, 0], triangles[f, 1], triangles[f, 2])
        whole += 0.5 * np.sqrt(x * x + y * y + z * z)
        out[f] = whole
    return out


@kernel
def _chance(n: int) -> float:
    """A number from 0 to before 1 that n stands for: as if by chance, always the same (Steele et al. 2014)."""
    z = np.uint64(n) * np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return np.float64(z >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@kernel
def lies_at(
    px: float, py: float, pz: float, v: int, positions: Floats, triangles: Indices, start: Indices, star: Indices
) -> tuple[int, float, float]:
    """Where a point lies on a mesh, from the vertex v on: (triangle, shares of its second and third corner there). The
    way goes to the nearest place on the faces round a vertex, and on to the vertex next to that, while it comes
    closer; one that is near, and well inside of a face, is good enough."""
    best, at, s, t = np.inf, -1, 0.0, 0.0
    for _ in range(_STEPS):
        closer = False
        for i in range(start[v], start[v + 1]):
            f = star[i]
            x, y, d = shares_at(px, py, pz, positions, triangles[f, 0], triangles[f, 1], triangles[f, 2])
            if d < best:
                best, at, s, t = d, f, x, y
                closer = True
                if x > _WELL_INSIDE and y > _WELL_INSIDE and x + y < 1.0 - _WELL_INSIDE:
                    a, b = triangles[f, 0], triangles[f, 1]
                    side = 0.0
                    for k in range(3):
                        side += (positions[a, k] - positions[b, k]) ** 2
                    if d < _NEAR * side:
                        return at, s, t
        if not closer:
            break
        k = 0
        if s >= t and s > 1.0 - s - t:
            k = 1
        elif t > s and t > 1.0 - s - t:
            k = 2
        if triangles[at, k] == v:
            break
        v = triangles[at, k]
    return at, s, t


@kernel
def sample_of(i: int, f: int, step: float, until: Floats) -> tuple[int, float, float, float]:
    """Where the sample i lies of those that have so much area each, as a triangle, looked for from f on, and the shares
    of its corners there. Triangles lie `until` (T) so much area; each fourth sample is at a corner."""
    goal = (i + _chance(3 * i)) * step
    while f < len(until) - 1 and until[f] < goal:
        f += 1
    r, s = np.sqrt(_chance(3 * i + 1)), _chance(3 * i + 2)
    if i % 4 == 0:
        r = 0.0 if i % 12 == 0 else 1.0
        s = 0.0 if i % 8 == 0 else 1.0
    return f, 1.0 - r, r * (1.0 - s), r * s


@kernel
def meet(
    source: Floats,
    source_tris: Indices,
    until: Floats,
    count: int,
    collapse_map: Indices,
    positions: Floats,
    triangles: Indices,
    start: Indices,
    star: Indices,
    normals: Floats,
    ways: Floats,
    first: int,
    last: int,
    ids: Indices,
    parts: Floats,
    away: Floats,
) -> None:
    """What the samples from `first` to before `last`, of `count` that lie evenly over the area of a source, say of a
    reduced mesh: which triangle each lies at, `ids` (count), −1 where it says nothing; how much of a shift of each of
    the three vertices along its way counts there, `parts` (count,3); and how far `away` (count) the sample is, along
    the triangle's normal.

    Triangles lie `until` (T) so much area; each fourth sample is at a corner: there a surface reaches farthest.
    `collapse_map` (V) are the reduced vertices that the source's grew into, −1 for none; from there the way to the
    nearest place begins. A surface that looks elsewhere than the one that it lies at says nothing."""
    step = until[-1] / count
    f = np.searchsorted(until, first * step)
    for i in range(first, last):
        ids[i] = -1
        f, r, s, t = sample_of(i, f, step, until)
        a, b, c = source_tris[f, 0], source_tris[f, 1], source_tris[f, 2]
        x, y, z = across(source, a, b, c)
        px = r * source[a, 0] + s * source[b, 0] + t * source[c, 0]
        py = r * source[a, 1] + s * source[b, 1] + t * source[c, 1]
        pz = r * source[a, 2] + s * source[b, 2] + t * source[c, 2]
        v = collapse_map[a]
        if v < 0 or (s > r and collapse_map[b] >= 0):
            v, r = collapse_map[b], s
        if v < 0 or (t > r and collapse_map[c] >= 0):
            v = collapse_map[c]
        if v < 0:
            continue
        at, s, t = lies_at(px, py, pz, v, positions, triangles, start, star)
        if at < 0:
            continue
        nx, ny, nz = normals[at, 0], normals[at, 1], normals[at, 2]
        if x * nx + y * ny + z * nz <= _ALIKE * np.sqrt(x * x + y * y + z * z):
            continue
        a, b, c = triangles[at, 0], triangles[at, 1], triangles[at, 2]
        r = 1.0 - s - t
        ids[i] = at
        away[i] = (
            (px - r * positions[a, 0] - s * positions[b, 0] - t * positions[c, 0]) * nx
            + (py - r * positions[a, 1] - s * positions[b, 1] - t * positions[c, 1]) * ny
            + (pz - r * positions[a, 2] - s * positions[b, 2] - t * positions[c, 2]) * nz
        )
        parts[i, 0] = r * (ways[a, 0] * nx + ways[a, 1] * ny + ways[a, 2] * nz)
        parts[i, 1] = s * (ways[b, 0] * nx + ways[b, 1] * ny + ways[b, 2] * nz)
        parts[i, 2] = t * (ways[c, 0] * nx + ways[c, 1] * ny + ways[c, 2] * nz)


@kernel
def squares(ids: Indices, parts: Floats, away: Floats, count: int, first: int, last: int) -> tuple[Floats, Floats]:
    """For each of so many triangles, of the samples from `first` to before `last` that lie at it: the sums (T,9) of the
    products of their parts (00 11 22 01 02 12) and of parts times away, and (T) how far the farthest is."""
    out = np.zeros((count, 9))
    far = np.zeros(count)
    for i in range(first, last):
        t = ids[i]
        if t < 0:
            continue
        a, b, c, d = parts[i, 0], parts[i, 1], parts[i, 2], away[i]
        out[t, 0] += a * a
        out[t, 1] += b * b
        out[t, 2] += c * c
        out[t, 3] += a * b
        out[t, 4] += a * c
        out[t, 5] += b * c
        out[t, 6] += a * d
        out[t, 7] += b * d
        out[t, 8] += c * d
        far[t] = max(far[t], abs(d))
    return out, far


@kernel
def farthest(far: Floats, triangles: Indices, count: int) -> Floats:
    """(V) how far the farthest sample round each vertex is, of that (T) at each triangle."""
    out = np.zeros(count)
    for t in range(len(triangles)):
        for k in range(3):
            out[triangles[t, k]] = max(out[triangles[t, k]], far[t])
    return out


@kernel
def solve(sums: Floats, triangles: Indices, free: Bools, damping: float, rounds: int) -> Floats:
    """The shifts (V) of the free vertices with which the samples are, by least squares, nearest: conjugate gradients
    on the damped normal equations, scaled by their diagonal. `sums` (T,9) as of `squares`."""
    n = len(free)
    diagonal, right = np.zeros(n), np.zeros(n)
    for t in range(len(triangles)):
        for k in range(3):
            diagonal[triangles[t, k]] += sums[t, k]
            right[triangles[t, k]] += sums[t, 6 + k]
    damp = damping * diagonal + 1e-9 * diagonal.max()
    scale = diagonal + damp
    x, rest, way, image = np.zeros(n), np.zeros(n), np.zeros(n), np.zeros(n)
    size = 0.0
    for v in range(n):
        if free[v] and scale[v] > 0.0:
            rest[v] = right[v]
            way[v] = rest[v] / scale[v]
            size += rest[v] * way[v]
    first = size
    for _ in range(rounds):
        if size <= 1e-6 * first:
            break
        image[:] = damp * way
        for t in range(len(triangles)):
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            x0, x1, x2 = way[a], way[b], way[c]
            image[a] += sums[t, 0] * x0 + sums[t, 3] * x1 + sums[t, 4] * x2
            image[b] += sums[t, 3] * x0 + sums[t, 1] * x1 + sums[t, 5] * x2
            image[c] += sums[t, 4] * x0 + sums[t, 5] * x1 + sums[t, 2] * x2
        along = 0.0
        for v in range(n):
            along += way[v] * image[v]
        if along <= 0.0:
            break
        step = size / along
        after = 0.0
        for v in range(n):
            if free[v] and scale[v] > 0.0:
                x[v] += step * way[v]
                rest[v] -= step * image[v]
                after += rest[v] * rest[v] / scale[v]
        for v in range(n):
            if free[v] and scale[v] > 0.0:
                way[v] = rest[v] / scale[v] + after / size * way[v]
        size = after
    return x


@kernel
def lost(sums: Floats, triangles: Indices, shifts: Floats, fresh: Bools) -> Bools:
    """(V) the vertices round which the samples would be farther, in sum of squares, than they are; only those that have
    a `fresh` (V) shift, or a neighbour with one, are looked at."""
    near = np.zeros(len(shifts), np.bool_)
    for t in range(len(triangles)):
        u, v, w = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        if fresh[u] or fresh[v] or fresh[w]:
            near[u] = near[v] = near[w] = True
    gain = np.zeros(len(shifts))
    for t in range(len(triangles)):
        u, v, w = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        if not (near[u] or near[v] or near[w]):
            continue
        a, b, c = shifts[u], shifts[v], shifts[w]
        g = 2.0 * (a * sums[t, 6] + b * sums[t, 7] + c * sums[t, 8])
        g -= a * a * sums[t, 0] + b * b * sums[t, 1] + c * c * sums[t, 2]
        g -= 2.0 * (a * b * sums[t, 3] + a * c * sums[t, 4] + b * c * sums[t, 5])
        gain[u] += g
        gain[v] += g
        gain[w] += g
    return near & (gain < 0.0)


@kernel
def strayed(
    ids: Indices,
    parts: Floats,
    away: Floats,
    triangles: Indices,
    shifts: Floats,
    far: Floats,
    fresh: Bools,
    first: int,
    last: int,
) -> Bools:
    """(V) the vertices round which a sample from `first` to before `last` would be farther than the farthest is, which
    is so `far` (V). Only samples at triangles that have a vertex with a `fresh` (V) shift are looked at."""
    out = np.zeros(len(shifts), np.bool_)
    for i in range(first, last):
        t = ids[i]
        if t < 0:
            continue
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        if not (fresh[a] or fresh[b] or fresh[c]):
            continue
        e = abs(away[i] - parts[i, 0] * shifts[a] - parts[i, 1] * shifts[b] - parts[i, 2] * shifts[c])
        out[a] |= e > far[a]
        out[b] |= e > far[b]
        out[c] |= e > far[c]
    return out


@kernel
def turned(positions: Floats, triangles: Indices, normals: Floats, least: float, fresh: Bools, out: Bools) -> None:
    """Mark in `out` (V) the vertices of triangles that look, by the cosine, less than so much the way that they did;
    only those with a vertex at a `fresh` (V) place are looked at."""
    for t in range(len(triangles)):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        if not (fresh[a] or fresh[b] or fresh[c]):
            continue
        x, y, z = across(positions, a, b, c)
        cosine = x * normals[t, 0] + y * normals[t, 1] + z * normals[t, 2]
        if cosine < least * np.sqrt(x * x + y * y + z * z):
            out[a] = out[b] = out[c] = True
