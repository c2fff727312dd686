"""Extruded lettering for signs."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Final

import manifold3d
import mapbox_earcut
import numpy as np

from able_brick.core import tolerances
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.shapes.limits import check_length
from able_brick.core.shapes.mesh_builder import MeshBuilder, grid_uv

MOST_LETTERS: Final = 200


def lettering(text: str, height: float, depth: float, *, chord_error: float = 0.002, spacing: float = 0.0) -> PolyMesh:
    """Closed letters in metres along X, standing upright on their base line, drawn from −depth/2 to depth/2 in Z.

    `height` is that of a capital; curves keep within `chord_error` of the outline; `spacing` is added between letters.
    The font is the one that ships with the program. Facets: a front and a back for each form, one for each wall.
    Raises GeometryError for empty text and for letters that the font does not have.
    """
    check_length("height", height)
    check_length("depth", depth)
    check_length("chord error", chord_error, least=1e-5, most=height)
    check_length("spacing", spacing, least=-height, most=100 * height)
    if not text.strip():
        raise GeometryError("The lettering has no letters; type some.", field="text")
    if len(text) > MOST_LETTERS:
        raise GeometryError(
            f"The lettering has {len(text)} letters; give at most {MOST_LETTERS}.",
            field="text",
            received=len(text),
            allowed=MOST_LETTERS,
        )
    from able_brick.core.shapes.glyphs import outlines  # with the first letters: a start need not wait for the font

    rings = outlines(text, height, chord_error, spacing)
    forms = manifold3d.CrossSection(rings, manifold3d.FillRule.NonZero).decompose()
    builder = MeshBuilder()
    for form in sorted((_rings_of(f) for f in forms), key=lambda r: float(r[0][:, 0].min())):
        _form(builder, form, depth)
    mesh = builder.built()
    low, high = mesh.bounds
    centred = mesh.positions - [(low[0] + high[0]) / 2, 0.0, 0.0]
    return PolyMesh.trusted(centred, mesh.face_starts, mesh.corners, facet=mesh.facet, uv=mesh.uv)


def _rings_of(form: manifold3d.CrossSection) -> list[Floats]:
    """The outline (counter-clockwise) and the holes (clockwise) of one form; points that coincide are dropped."""
    rings = []
    for polygon in form.to_polygons():
        ring = np.asarray(polygon, np.float64)
        ring = ring[(ring != np.roll(ring, 1, axis=0)).any(axis=1)]
        if len(ring) >= 3 and area_of(ring) != 0:
            rings.append(ring)
    return sorted(rings, key=lambda r: -area_of(r))


def area_of(ring: Floats) -> float:
    """Signed area of a polygon (n,2): above 0 where it runs counter-clockwise."""
    x, y = ring.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)


def _form(builder: MeshBuilder, rings: list[Floats], depth: float) -> None:
    front, back = builder.new_facet(), builder.new_facet()
    flat = np.concatenate(rings)
    ends = np.cumsum([len(r) for r in rings]).astype(np.uint32)
    numbers = [builder.points(np.column_stack([flat, np.full(len(flat), z)])) for z in (depth / 2, -depth / 2)]
    if len(rings) == 1:
        ears = np.arange(len(flat))[None]
    else:
        ears = np.array(mapbox_earcut.triangulate_float64(flat, ends), np.int64).reshape(-1, 3)
        corner = flat[ears]
        e, g = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
        wrong = e[:, 0] * g[:, 1] - e[:, 1] * g[:, 0] < 0
        ears[wrong] = ears[wrong][:, ::-1]
    builder.faces(numbers[0][ears], flat[ears], front)
    builder.faces(numbers[1][ears[:, ::-1]], flat[ears[:, ::-1]] * [-1.0, 1.0], back)
    start = 0
    for ring in rings:
        n = len(ring)
        edge = np.roll(ring, -1, axis=0) - ring
        heading = np.arctan2(edge[:, 1], edge[:, 0])
        bend = np.abs((heading - np.roll(heading, 1) + math.pi) % (2 * math.pi) - math.pi)
        corners = np.flatnonzero(bend > tolerances.SMOOTH_ANGLE)
        first = int(corners[0]) if len(corners) else 0
        order = (first + np.arange(n + 1)) % n + start
        run = np.concatenate([[0.0], np.cumsum(np.hypot(*np.roll(edge, -first, axis=0).T))])
        cuts = [0, *((corners[1:] - first) % n).tolist(), n]
        for a, b in pairwise(cuts):
            wall = order[a : b + 1]
            builder.sheet(
                np.stack([numbers[0][wall], numbers[1][wall]], axis=0),
                grid_uv([0.0, depth], run[a : b + 1]),
            )
        start += n
