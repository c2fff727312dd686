"""Writing binary STL."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.files.scene import ScenePart
from able_brick.core.files.stl_read import RECORD
from able_brick.core.mesh.normals import unit
from able_brick.core.mesh.triangulate import triangulate


def write_stl(parts: Sequence[ScenePart]) -> bytes:
    """The bytes of a binary STL file of all triangles; the format has no quads, materials or texture coordinates."""
    corners = np.concatenate([p.mesh.positions[p.mesh.corners[triangulate(p.mesh)[0]]] for p in parts])
    rows = np.zeros(len(corners), RECORD)
    rows["corners"] = corners
    rows["normal"] = unit(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    name = "Able Brick " + (parts[0].name if len(parts) == 1 else f"{len(parts)} parts")
    head = name.encode("ascii", "replace")[:80].ljust(80, b" ")
    return head + len(rows).to_bytes(4, "little") + rows.tobytes()
