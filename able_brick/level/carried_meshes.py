"""Meshes that are edited and shown otherwise, as a file of a level carries them beside what is shown."""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from able_brick.core.errors import AbleBrickError
from able_brick.core.mesh.polymesh import PolyMesh

#: Corners of all meshes of a file that are carried so; what goes beyond comes back as it is shown.
MOST_CORNERS: Final = 400_000


def mesh_as_rows(mesh: PolyMesh) -> dict[str, object] | None:
    """A mesh as JSON; None where it is shaded as a file says, which is not carried."""
    if mesh.normal is not None:
        return None
    return {
        "positions": mesh.positions.tolist(),
        "sizes": mesh.face_sizes.tolist(),
        "corners": mesh.corners.tolist(),
        "material": mesh.material.tolist(),
        "facet": mesh.facet.tolist(),
        "sharp": np.flatnonzero(mesh.sharp).tolist(),
        "uv": None if mesh.uv is None else mesh.uv.tolist(),
        "colour": None if mesh.colour is None else mesh.colour.tolist(),
        "smooth_angle": mesh.smooth_angle,
    }


def mesh_from_rows(rows: Any) -> PolyMesh | None:
    """The mesh again; None for what is none."""
    try:
        corners = np.array(rows["corners"], np.int64)
        sharp = np.zeros(len(corners), np.bool_)
        sharp[np.array(rows["sharp"], np.int64)] = True
        material, facet = (np.array(rows[name], np.int64) for name in ("material", "facet"))
        angle = float(rows["smooth_angle"])
        if not 0.0 <= angle <= np.pi or min(material.min(initial=0), facet.min(initial=0)) < 0:
            return None
        return PolyMesh.checked(
            rows["positions"],
            rows["sizes"],
            corners,
            material=material,
            facet=facet,
            sharp=sharp,
            uv=rows["uv"],
            colour=rows["colour"],
            smooth_angle=angle,
        )
    except (AbleBrickError, KeyError, TypeError, ValueError, IndexError, OverflowError, AttributeError):
        return None
