"""What the kernels that collapse edges work on."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from able_brick.core.mesh.polymesh import Bools, Floats, Indices


class WorkingMesh(NamedTuple):
    """Triangles between collapses: `position` (V,3) and `quadric` (V,11) of vertices; `tri` (T,3) the vertices of
    triangles, −1 first where one is gone; `wedge` (T,3) the wedges at their corners, which may be one list with the
    vertices; `look` (W) a number for each wedge, the same for those that differ by their normals alone;
    `multi_wedge` (V) whether a vertex has more than one; `attribute` (W,A) what goes along with wedges and is mixed;
    `start` (V+1) and `star` (3T) the triangles round each vertex."""

    position: Floats
    quadric: Floats
    tri: Indices
    wedge: Indices
    look: Indices
    multi_wedge: Bools
    attribute: Floats
    start: Indices
    star: Indices


class EdgeList(NamedTuple):
    """Edges: their `ends` (E,2), the triangles on each in `uses` (E), what it costs to collapse them, `cost` (E), and
    the `way` (E): 0 free, 1 the first end goes into the second, 2 the other way round."""

    ends: Indices
    uses: Indices
    way: npt.NDArray[np.int8]
    cost: npt.NDArray[np.float32]


class CollapseRecord(NamedTuple):
    """What collapses leave behind: `stamp` (V) the last pass in which a vertex's star changed; `into` (V) the vertex
    that each went into, itself if none; `used` (V) those that this pass has been at; `took` (n) how many triangles
    each edge of the order took with it; `stopped` (1) whether some wait for the next pass."""

    stamp: Indices
    into: Indices
    used: Bools
    took: npt.NDArray[np.int8]
    stopped: Bools
