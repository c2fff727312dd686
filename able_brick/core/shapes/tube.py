"""Tubes and tori, standing on the ground about their axis."""

from __future__ import annotations

import math

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import SHORTEST, check_count, check_length
from able_brick.core.shapes.turned import turned_ring


def tube(
    radius: float, height: float, thickness: float, *, sides: int = 24, rows: int = 1, end_rings: int = 1
) -> PolyMesh:
    """Closed upright tube in metres; `thickness` is that of its wall. Facets: outside, top, inside, bottom."""
    check_length("radius", radius)
    check_length("height", height)
    check_length("thickness", thickness, most=radius - SHORTEST)
    check_count("rows", rows, 1, 1000)
    check_count("end rings", end_rings, 1, 500)
    inner = radius - thickness
    outside = [(radius, height * k / rows) for k in range(rows)]
    top = [(radius + (inner - radius) * k / end_rings, height) for k in range(end_rings)]
    inside = [(inner, height - height * k / rows) for k in range(rows)]
    bottom = [(inner + (radius - inner) * k / end_rings, 0.0) for k in range(end_rings)]
    facets = [0] * rows + [1] * end_rings + [2] * rows + [3] * end_rings
    return turned_ring([*outside, *top, *inside, *bottom], sides=sides, facets=facets)


def torus(radius: float, section: float, *, sides: int = 32, section_sides: int = 12) -> PolyMesh:
    """Closed torus in metres: `radius` to the middle of the round section of radius `section`; one facet."""
    check_length("radius", radius)
    check_length("section radius", section, most=radius - SHORTEST)
    check_count("section sides", section_sides, 3, 1000)
    angles = [2 * math.pi * k / section_sides for k in range(section_sides)]
    profile = [(radius + section * math.cos(a), section * (1 + math.sin(a))) for a in angles]
    return turned_ring(profile, sides=sides, facets=[0] * section_sides)
