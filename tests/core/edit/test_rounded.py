"""Edges that are rounded: corner patches lie on the sphere, look outward, and fold for no number of segments."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.sound import check_sound
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.prism import prism
from tests.zoo import waves

MANY = [2, 3, 7, 12, 16, 31, 32]


def rounded(mesh: PolyMesh, width: float, segments: int) -> PolyMesh:
    out = bevel(mesh, np.arange(len(topology(mesh).edges)), width=width, segments=segments)
    assert check_sound(mesh, out)[0] == ""
    assert topology(out.mesh).is_closed
    return out.mesh


@pytest.mark.parametrize("segments", MANY)
def test_a_box_becomes_the_sum_of_a_box_and_a_ball(segments: int) -> None:
    sides, r = np.array([1.0, 2.0, 3.0]), 0.2
    made = rounded(box(*sides.tolist()), r, segments)
    low, high = box(*sides.tolist()).bounds
    # every vertex is as far from the box within as the ball is large
    inner = np.clip(made.positions, low + r, high - r)
    away = made.positions - inner
    assert np.linalg.norm(away, axis=1) == pytest.approx(np.full(made.vertex_count, r), rel=1e-6)
    # and every face looks away from there
    middle = np.add.reduceat(made.positions[made.corners], made.face_starts[:-1]) / made.face_sizes[:, None]
    outward = unit(middle - np.clip(middle, low + r, high - r))
    assert dots(unit(area_vectors(made)), outward).min() > 0.9
    a, b, c = sides - 2 * r
    whole = a * b * c + 2 * r * (a * b + b * c + c * a) + np.pi * r * r * (a + b + c) + 4 / 3 * np.pi * r**3
    assert volume(made) <= whole
    # chords take a share of the round that goes with the square of their angle
    assert volume(made) == pytest.approx(whole, abs=1.2 / segments**2 * (np.pi * r * r * (a + b + c)) * 0.5)


@pytest.mark.parametrize("segments", MANY)
def test_corners_of_other_angles_and_hollows_stay_sound(segments: int) -> None:
    for outline in ([(0, 0), (4, 0), (1, 3)], [(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)]):
        plain = prism(outline, 1.0)
        made = rounded(plain, 0.15, segments)
        assert 0.9 * volume(plain) < volume(made) < volume(plain) * 1.02


def test_one_corner_of_three_is_closed_by_a_patch_that_shrinks_with_its_width() -> None:
    plain = box(2.0, 2.0, 2.0)
    t = topology(plain)
    corner = int(np.argmax(plain.positions.sum(axis=1)))
    three = np.flatnonzero((t.edges == corner).any(axis=1))
    for segments in MANY:
        out = bevel(plain, three, width=0.3, segments=segments)
        assert check_sound(plain, out)[0] == ""
        assert topology(out.mesh).is_closed
        assert volume(out.mesh) < 8.0


def seams(mesh: PolyMesh) -> int:
    """How many edges within have other uv on one side than on the other."""
    assert mesh.uv is not None
    t = topology(mesh)
    c = np.flatnonzero(t.twin >= 0)
    one = np.abs(mesh.uv[c] - mesh.uv[mesh.next_corner[t.twin[c]]]).max(axis=1)
    return int((one > 1e-9).sum())


@pytest.mark.parametrize("segments", [1, 2, 3, 4])
@pytest.mark.parametrize("shape", [0.0, 0.5, 1.0])
def test_a_map_without_seams_keeps_none_and_hardly_moves(segments: int, shape: float) -> None:
    sheet = waves(8)
    table = topology(sheet)
    inner = np.flatnonzero(table.edge_uses == 2)
    rng = np.random.default_rng(segments)
    for share in (0.1, 0.4, 1.0):
        picked = np.sort(rng.choice(inner, max(1, int(share * len(inner))), replace=False)).astype(np.int32)
        out = bevel(sheet, picked, 0.04, segments=segments, shape=shape).mesh
        assert seams(out) == 0
        assert out.uv is not None
        # the map is the sheet seen from above
        flat = sheet.positions[sheet.corners][:, [0, 2]]
        to_uv = np.linalg.lstsq(np.column_stack([flat, np.ones(len(flat))]), sheet.uv, rcond=None)[0]
        wanted = np.column_stack([out.positions[out.corners][:, [0, 2]], np.ones(len(out.corners))]) @ to_uv
        assert np.abs(out.uv - wanted).max() < 0.01
