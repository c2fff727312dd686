"""Quads between where the border of picked faces was and where it is."""

from __future__ import annotations

import numpy as np

from able_brick.core.edit.assemble import Faces, like_corners
from able_brick.core.edit.regions import Region
from able_brick.core.mesh.polymesh import Floats, Indices


def walls(
    region: Region, at: Indices, uv_above: Floats | None, *, fresh: bool = False, base: Indices | None = None
) -> Faces:
    """A quad for each border edge, wound like its face: from the old edge to the vertices `at` (fans) where it is now;
    from the vertices `base` (fans), where they are given.

    `uv_above` (n,2,2) are the uv of the upper corners, at the beginning and the end of each border edge (n) in rising
    order of its corner; the lower ones have those of the old corners. `fresh`: each is a facet of its own.
    """
    mesh = region.mesh
    c = np.flatnonzero(region.border)
    ahead = mesh.next_corner[c]
    low = mesh.corners if base is None else base[region.fan]
    vertices = np.stack([low[c], low[ahead], at[region.fan[ahead]], at[region.fan[c]]], axis=1)
    uv = None
    if mesh.uv is not None and uv_above is not None:
        uv = np.stack(
            [mesh.uv.take(c, axis=0), mesh.uv.take(ahead, axis=0), uv_above[:, 1], uv_above[:, 0]], axis=1
        ).reshape(-1, 2)
    sharp = np.zeros((len(c), 4), np.bool_)
    sharp[:, 0] = mesh.sharp[c]
    return Faces(
        np.full(len(c), 4, np.int32),
        vertices.astype(np.int32).ravel(),
        like_corners(mesh, np.stack([c, ahead, ahead, c], axis=1).ravel()),
        mesh.corner_face[c],
        sharp.ravel(),
        uv,
        fresh=np.arange(len(c), dtype=np.int32) if fresh else None,
    )
