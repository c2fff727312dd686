"""Faces with holes, as files hold them in one loop: cut at the bridge, and nothing of them is lost."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from able_brick.core.files.from_faces import RawFaces, mesh_from
from able_brick.core.files.read import read_file
from able_brick.core.mesh.measure import counts
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.validity import problems


def plate(holes: int, sides: int, tilt: Any = (0.0, 0.0, 0.0)) -> tuple[np.ndarray, list[int], float]:
    """A rectangle with holes in a row, as one loop over bridges from its lower edge; its area. Metres."""
    width = 4.0 * holes
    points: list[tuple[float, float, float]] = []
    loop: list[int] = []
    area = width * 4.0
    for h in range(holes):
        foot = len(points)
        points.append((4.0 * h + 2.0, 0.0, 0.0))
        first = len(points)
        turn = [2 * math.pi * k / sides for k in range(sides)]
        # the hole begins below and runs clockwise
        points += [(4.0 * h + 2.0 - 1.2 * math.sin(a), 2.0 - 1.2 * math.cos(a), 0.0) for a in turn]
        ring = list(range(first, first + sides))
        loop += [foot, *ring, first, foot]
        area -= sides / 2 * 1.2**2 * math.sin(2 * math.pi / sides)
    corners = len(points)
    points += [(width, 0.0, 0.0), (width, 4.0, 0.0), (0.0, 4.0, 0.0), (0.0, 0.0, 0.0)]
    loop += list(range(corners, corners + 4))
    turned = Rotation.from_euler("xyz", tilt, degrees=True).apply(np.array(points))
    return turned, loop, area


def made(points: np.ndarray, loops: list[list[int]], **more: Any) -> Any:
    corners = np.array([c for loop in loops for c in loop])
    return mesh_from(RawFaces(points, np.array([len(loop) for loop in loops]), corners, **more))


def sound(mesh: Any) -> None:
    assert not problems(mesh)
    for f in range(mesh.face_count):
        loop = mesh.corners[mesh.face_starts[f] : mesh.face_starts[f + 1]].tolist()
        assert len(set(loop)) == len(loop)


@given(st.integers(1, 4), st.integers(3, 9), st.tuples(*[st.floats(-180, 180)] * 3))
@settings(max_examples=60, deadline=None)
def test_a_plate_with_holes_keeps_its_area_and_its_holes(holes: int, sides: int, tilt: Any) -> None:
    points, loop, area = plate(holes, sides, tilt)
    mesh, notes = made(points, [loop])
    sound(mesh)
    vectors = area_vectors(mesh)
    assert np.linalg.norm(vectors, axis=1).sum() == pytest.approx(area, rel=1e-9)
    whole = vectors.sum(axis=0)
    assert (vectors @ whole > 0).all(), "all parts look the same way"
    assert np.linalg.norm(whole) == pytest.approx(area, rel=1e-9), "they cover nothing twice"
    assert mesh.vertex_count == len(points)
    assert mesh.face_count <= 2 * holes + 1, "as few parts as will do"
    assert notes == ["1 face with a hole was cut at the bridge."]


def test_a_wall_with_an_opening_stays_closed_and_keeps_its_surfaces() -> None:
    """Front and back with a hole, joined by walls inside and outside: closed before and after."""
    front, loop, _ = plate(1, 4)
    n = len(front)
    back = front + np.array([0.0, 0.0, -1.0])
    outline = [0, 5, 6, 7, 8]
    hole = [1, 2, 3, 4]
    walls = [[b, a, a + n, b + n] for a, b in zip(outline, [*outline[1:], outline[0]], strict=True)]
    walls += [[b, a, a + n, b + n] for a, b in zip(hole, [*hole[1:], hole[0]], strict=True)]
    loops = [loop, [v + n for v in reversed(loop)], *walls]
    corners = [v for one in loops for v in one]
    uv = np.array([[float(v), 1.0] for v in corners])
    material = np.arange(len(loops))
    mesh, _ = made(np.concatenate([front, back]), loops, uv=uv, material=material, facet=material)
    sound(mesh)
    assert counts(mesh).closed
    assert mesh.uv[:, 0].tolist() == mesh.corners.tolist(), "each corner keeps what it had"
    for name in ("material", "facet"):
        values = getattr(mesh, name)
        assert sorted(set(values.tolist())) == material.tolist()
        assert (values == 0).sum() == (values == 1).sum() == 2, "both halves of a face are of its surface"


def test_loops_that_touch_themselves_are_taken_apart_there() -> None:
    points = np.array([(0, 0, 0), (2, 0, 0), (1, 1, 0), (2, 2, 0), (0, 2, 0)], np.float64)
    mesh, _ = made(points, [[0, 1, 2, 3, 4, 2]])
    sound(mesh)
    assert np.linalg.norm(area_vectors(mesh), axis=1).tolist() == [1.0, 1.0]


def test_what_is_no_face_with_a_hole_makes_nothing() -> None:
    points = np.array([(0, 0, 0), (1, 0, 0), (2, 0, 0), (0, 1, 0)], np.float64)
    mesh, notes = made(points, [[0, 1, 2, 1], [0, 1, 3]])
    assert mesh.face_count == 1
    assert "1 face without area was dropped." in notes or mesh.vertex_count == 3


def test_normals_and_smoothing_go_along() -> None:
    points, loop, _ = plate(1, 4)
    normal = np.tile([0.0, 0.0, 1.0], (len(points), 1))
    mesh, _ = made(points, [loop], normal=normal, normal_at=np.array(loop))
    assert not mesh.sharp.any()
    mesh, _ = made(points, [loop], smoothing=np.array([3]))
    assert not mesh.sharp.any()


def test_a_file_with_a_holed_plate_is_read_whole() -> None:
    points, loop, area = plate(2, 6)
    text = "".join(f"v {x} {y} {z}\n" for x, y, z in points) + "f " + " ".join(str(v + 1) for v in loop) + "\n"
    scene = read_file("plate.obj", text.encode())
    mesh = scene.parts[0].mesh
    sound(mesh)
    assert np.linalg.norm(area_vectors(mesh), axis=1).sum() == pytest.approx(area, rel=1e-6)
    assert any("cut at the bridge" in note for note in scene.notes)
