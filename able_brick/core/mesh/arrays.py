"""Whether the arrays of a mesh fit together, so that compiled loops may go through them."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import MAX_ELEMENTS, PolyMesh

#: More materials than any piece has.
_MOST_MATERIALS = 2**20


def array_fault(mesh: PolyMesh) -> str | None:
    """What is wrong with the arrays themselves, in a few words; None where nothing is.

    Looked at are shapes, starts of faces, indices, and numbers that are not finite: whatever would lead a compiled loop
    out of an array. Faults of the form, such as faces without area, are none of these.
    """
    v, starts, corners = len(mesh.positions), mesh.face_starts, mesh.corners
    f, c = len(starts) - 1, len(corners)
    if max(v, c) > MAX_ELEMENTS:
        return "it has too many elements"
    shapes = {
        "positions": (v, 3),
        "face_starts": (f + 1,),
        "corners": (c,),
        "material": (f,),
        "facet": (f,),
        "sharp": (c,),
        "uv": (c, 2),
        "colour": (c, 4),
        "normal": (c, 3),
    }
    for name, shape in shapes.items():
        array = getattr(mesh, name)
        if array is not None and array.shape != shape:
            return f"its {name} have a wrong shape"
    if f < 0 or starts[0] != 0 or starts[-1] != c or (f and np.diff(starts).min() < 3):
        return "its faces do not begin where they should"
    if c and (corners.min() < 0 or corners.max() >= v):
        return "a face names a vertex that is not there"
    if f and (mesh.material.min() < 0 or mesh.material.max() >= _MOST_MATERIALS):
        return "a face names a material that cannot be"
    if not np.isfinite(mesh.positions).all() or not np.isfinite(mesh.smooth_angle):
        return "a coordinate is not a finite number"
    if mesh.uv is not None and not np.isfinite(mesh.uv).all():
        return "a texture coordinate is not a finite number"
    if mesh.normal is not None and not np.isfinite(mesh.normal).all():
        return "a normal is not a finite number"
    return None
