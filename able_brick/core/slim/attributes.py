"""Vertex colours and normals of a reduced mesh, as near to those of its source as they can be."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Final

import numpy as np

from able_brick.core.kernel import kernel
from able_brick.core.mesh.normals import with_normals
from able_brick.core.mesh.numbering import bits_of, number_rows
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim.fit_kernels import areas_until, lies_at, sample_of
from able_brick.core.slim.slimmed import Slimmed
from able_brick.core.slim.stars import vertex_stars

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Floats, Indices

#: Samples for each triangle of the reduced mesh.
_SAMPLES: Final = 6
_LEAST_SAMPLES: Final = 4_000
_MOST_SAMPLES: Final = 600_000
#: By how much values that nothing speaks about hold to what they are, against a sample.
_HOLD: Final = 0.02
_ROUNDS: Final = 25


def fitted_attributes(source: PolyMesh, slimmed: Slimmed, *, locked: Bools | None = None) -> Slimmed:
    """What a source was reduced to, with colours and normals of a file at its corners that, interpolated over its
    triangles, are nearest to those of the source by least squares. Where several meet at a vertex they stay as they
    are, as do those of what is `locked` (V of the source). Same input, same output."""
    mesh = slimmed.mesh
    names = [n for n in ("colour", "normal") if getattr(source, n) is not None and getattr(mesh, n) is not None]
    if not names or not mesh.triangle_count or mesh is source:
        return slimmed
    triangles = mesh.corners.reshape(-1, 3)
    of_mesh, of_source = (np.concatenate([getattr(m, n) for n in names], axis=1) for m in (mesh, source))
    row = np.concatenate([mesh.corners.astype(np.uint32)[:, None], bits_of(of_mesh)], axis=1)
    of_corner, first = number_rows(row)
    now = of_mesh[first]
    corner_tri, _ = triangulate(source)
    source_tris = source.corners[corner_tri]
    count = int(min(_MOST_SAMPLES, max(_SAMPLES * len(triangles), _LEAST_SAMPLES)))
    start, star = vertex_stars(triangles, mesh.vertex_count)
    at, shares, seen = _seen(
        source.positions,
        source_tris,
        of_source[corner_tri],
        areas_until(source.positions, source_tris),
        count,
        slimmed.collapse_map,
        mesh.positions,
        triangles,
        start,
        star,
    )
    vertex = mesh.corners[first]
    kept = np.bincount(vertex, minlength=mesh.vertex_count)[vertex] > 1
    if locked is not None:
        kept |= locked[slimmed.vertex_source[vertex]]
    unknown = of_corner.reshape(-1, 3)[at]
    fresh = _least_squares(unknown, shares, seen, now, kept)[of_corner]
    if "colour" in names:
        mesh = mesh.replaced(colour=np.clip(fresh[:, :4], 0.0, 1.0))
    if "normal" in names:
        mesh = with_normals(mesh, fresh[:, -3:])
    return replace(slimmed, mesh=mesh)


def _least_squares(unknown: Ints, shares: Floats, seen: Floats, now: Floats, kept: Bools) -> Floats:
    """Values (U,m) for which those mixed by shares (n,3) of unknown ones (n,3) come nearest to what was seen (n,m), by
    conjugate gradients from what they are now; those that are kept stay."""
    n = len(now)

    def mixed(values: Floats) -> Floats:
        return np.asarray((values[unknown] * shares[:, :, None]).sum(axis=1))

    def gathered(values: Floats) -> Floats:
        out = np.empty((n, values.shape[1]))
        for k in range(values.shape[1]):
            parts = (shares * values[:, k, None]).ravel()
            out[:, k] = np.bincount(unknown.ravel(), parts, n)
        return out

    def applied(values: Floats) -> Floats:
        out = gathered(mixed(values)) + _HOLD * values
        out[kept] = 0.0
        return out

    found = now.copy()
    residual = gathered(seen - mixed(found))
    residual[kept] = 0.0
    direction = residual.copy()
    norm = (residual * residual).sum(axis=0)
    for _ in range(_ROUNDS):
        image = applied(direction)
        step = norm / np.maximum((direction * image).sum(axis=0), 1e-300)
        found += step * direction
        residual -= step * image
        next_norm = (residual * residual).sum(axis=0)
        direction = residual + next_norm / np.maximum(norm, 1e-300) * direction
        norm = next_norm
    return found


@kernel
def _seen(
    source: Floats,
    source_tris: Indices,
    values: Floats,
    until: Floats,
    count: int,
    collapse_map: Indices,
    positions: Floats,
    triangles: Indices,
    start: Indices,
    star: Indices,
) -> tuple[Indices, Floats, Floats]:
    """Where samples of a source lie on a reduced mesh, (n) triangles and (n,3) the shares of their corners, and the
    values (n,m) that the source has there, given those of its triangles' corners (T,3,m)."""
    at = np.empty(count, np.int64)
    shares = np.empty((count, 3))
    seen = np.empty((count, values.shape[2]))
    n = 0
    step = until[-1] / count
    f = 0
    for i in range(count):
        f, r, s, t = sample_of(i, f, step, until)
        a, b, c = source_tris[f, 0], source_tris[f, 1], source_tris[f, 2]
        px = r * source[a, 0] + s * source[b, 0] + t * source[c, 0]
        py = r * source[a, 1] + s * source[b, 1] + t * source[c, 1]
        pz = r * source[a, 2] + s * source[b, 2] + t * source[c, 2]
        v, most = -1, -1.0
        for w, share in ((a, r), (b, s), (c, t)):
            if collapse_map[w] >= 0 and share > most:
                v, most = collapse_map[w], share
        if v < 0:
            continue
        g, x, y = lies_at(px, py, pz, v, positions, triangles, start, star)
        if g < 0:
            continue
        at[n] = g
        shares[n, 0], shares[n, 1], shares[n, 2] = 1.0 - x - y, x, y
        for k in range(values.shape[2]):
            seen[n, k] = r * values[f, 0, k] + s * values[f, 1, k] + t * values[f, 2, k]
        n += 1
    return at[:n], shares[:n], seen[:n]
