"""Upright cylinders, cones and capsules, standing on their base centre."""

from __future__ import annotations

import math

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.limits import SHORTEST, check_count, check_length, check_optional
from able_brick.core.shapes.turned import turned

BOTTOM, BOTTOM_ROUND, SIDE, TOP_ROUND, TOP = range(5)


def cylinder(
    radius: float,
    height: float,
    *,
    sides: int = 24,
    rows: int = 1,
    cap_rings: int = 0,
    rounding: float = 0.0,
    round_rows: int = 4,
) -> PolyMesh:
    """Closed cylinder in metres: `sides` quads round, `rows` along, `cap_rings` on each end (0: one n-gon).

    `rounding` is the radius of the rounded rims, up to the cylinder's radius and half its height, with `round_rows`
    quads over each. Facets: side, ends and rims. Raises GeometryError outside the allowed ranges.
    """
    check_length("radius", radius)
    check_length("height", height)
    most = min(radius, height / 2)
    rounding = check_optional("rounding", rounding, most=most)
    check_count("rows", rows, 1, 1000)
    check_count("cap rings", cap_rings, 0, 500)
    check_count("rows of the rim", round_rows, 1, 200)
    flat = radius - rounding if radius - rounding >= SHORTEST else 0.0
    rounding = radius - flat if rounding else 0.0
    end: list[tuple[float, float]] = []
    facets: list[int] = []
    if flat > 0:
        inner = [(flat * k / cap_rings, 0.0) for k in range(cap_rings)] if cap_rings else []
        end += inner
        facets += [BOTTOM] * len(inner)
    end.append((flat, 0.0))
    if rounding > 0:
        for k in range(1, round_rows + 1):
            angle = math.pi / 2 * k / round_rows
            last = k == round_rows
            end.append(
                (
                    radius if last else flat + rounding * math.sin(angle),
                    rounding if last else rounding * (1 - math.cos(angle)),
                )
            )
        facets += [BOTTOM_ROUND] * round_rows
    low, high = end[-1][1], height - end[-1][1]
    side = [(radius, low + (high - low) * k / rows) for k in range(1, rows)] if high > low else []
    top = [(r, height - y) for r, y in reversed(end)]
    mirrored = [{BOTTOM: TOP, BOTTOM_ROUND: TOP_ROUND}[f] for f in reversed(facets)]
    if high > low:
        return turned([*end, *side, *top], sides=sides, facets=[*facets, *[SIDE] * rows, *mirrored])
    return turned([*end, *top[1:]], sides=sides, facets=[*facets, *mirrored])


def cone(
    radius: float, height: float, *, top_radius: float = 0.0, sides: int = 24, rows: int = 1, cap_rings: int = 0
) -> PolyMesh:
    """Closed cone in metres, or a stump where `top_radius` is above 0; divided like a cylinder."""
    radius, top_radius = check_optional("radius", radius), check_optional("top radius", top_radius)
    check_length("height", height)
    check_count("rows", rows, 1, 1000)
    check_count("cap rings", cap_rings, 0, 500)
    if max(radius, top_radius) <= 0:
        raise GeometryError("Both radii of the cone are 0; give at least one of 0.0001 m or more.", field="radius")
    bottom = [(radius * k / cap_rings, 0.0) for k in range(cap_rings)] if radius > 0 else []
    top = [(top_radius * k / cap_rings, height) for k in reversed(range(cap_rings))] if top_radius > 0 else []
    side = [(radius + (top_radius - radius) * k / rows, height * k / rows) for k in range(rows)]
    profile = [*bottom, *side, (top_radius, height), *top]
    return turned(profile, sides=sides, facets=[*[BOTTOM] * len(bottom), *[SIDE] * rows, *[TOP] * len(top)])


def capsule(radius: float, height: float, *, sides: int = 24, rows: int = 1, cap_rows: int = 6) -> PolyMesh:
    """Closed capsule of a whole height in metres, at least twice the radius, with `cap_rows` over each end."""
    check_length("radius", radius)
    check_length("height", height, least=2 * radius)
    check_count("rows", rows, 1, 1000)
    check_count("cap rows", cap_rows, 1, 500)
    return cylinder(radius, height, sides=sides, rows=rows, rounding=radius, round_rows=cap_rows)
