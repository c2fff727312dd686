"""A round section wound about the upright axis."""

from __future__ import annotations

import math

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import SHORTEST, check_count, check_length
from able_brick.core.shapes.mesh_builder import MeshBuilder, grid_uv


def helix(
    radius: float,
    pitch: float,
    turns: float,
    section: float,
    *,
    divisions: int = 16,
    section_sides: int = 8,
    left_handed: bool = False,
) -> PolyMesh:
    """Closed helix in metres: climbs `pitch` per turn at `radius`; the round section of radius `section` stands square
    to the curve, with `divisions` quads for each turn and an n-gon on each end. Facets: the skin, the two ends.

    Raises GeometryError where the coils would run into each other.
    """
    check_length("radius", radius)
    check_length("pitch", pitch)
    check_length("section radius", section, most=radius - SHORTEST)
    check_count("divisions", divisions, 3, 1000)
    check_count("section sides", section_sides, 3, 1000)
    if not 0.05 <= turns <= 1000:
        raise GeometryError(f"Turns is {turns:g}; give 0.05 to 1000.", field="turns", received=turns)
    rise = math.hypot(2 * math.pi * radius, pitch)
    if turns > 1 and 2 * section >= pitch * 2 * math.pi * radius / rise:
        least = 2 * section * 2 * math.pi * radius / math.sqrt(max((2 * math.pi * radius) ** 2 - 4 * section**2, 1e-18))
        raise GeometryError(
            f"The coils would run into each other; give a pitch above {least:.4g} m or a thinner section.",
            field="pitch",
            received=pitch,
            allowed=least,
        )
    steps = max(1, math.ceil(turns * divisions - 1e-9))
    hand = -1.0 if left_handed else 1.0
    angle = np.linspace(0.0, 2 * math.pi * turns, steps + 1)
    out = np.stack([np.cos(angle), np.zeros(steps + 1), -hand * np.sin(angle)], axis=1)
    around = np.stack([-np.sin(angle), np.zeros(steps + 1), -hand * np.cos(angle)], axis=1)
    flat, climb = 2 * math.pi * radius / rise, pitch / rise
    tangent = around * flat + [0.0, climb, 0.0]
    across = np.cross(tangent, out)
    centre = out * radius + np.stack([angle * 0, angle * (pitch / (2 * math.pi)), angle * 0], axis=1)
    phi = np.arange(section_sides) * (2 * math.pi / section_sides)
    ring = (
        centre[:, None]
        + section * np.cos(phi)[None, :, None] * out[:, None]
        + section * np.sin(phi)[None, :, None] * across[:, None]
    )
    ring[..., 1] -= ring[..., 1].min()
    builder = MeshBuilder()
    numbers = builder.points(ring)
    wrapped = np.concatenate([numbers, numbers[:, :1]], axis=1)
    skin_uv = grid_uv(
        np.arange(section_sides + 1) * (2 * math.pi * section / section_sides),
        np.linspace(0.0, turns * rise, steps + 1),
    )
    disc = np.stack([np.cos(phi), np.sin(phi)], axis=1) * section
    builder.sheet(wrapped.T, skin_uv)
    builder.faces(numbers[:1, ::-1], (disc[::-1] * [-1.0, 1.0])[None])
    builder.faces(numbers[-1:], disc[None])
    return builder.built()
