"""Operations on faces, each on the whole zoo: what they promise."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.edit.carry import carry, middle_of
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import converted
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.inset import inset
from able_brick.core.edit.picks import take_in
from able_brick.core.edit.remove import delete, flip
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import degenerate_faces, unused_vertices
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.prism import prism
from tests.zoo import CLOSED, ZOO

NAMES = sorted(ZOO)


def vertices_of(mesh: PolyMesh, faces: np.ndarray) -> np.ndarray:
    out = np.zeros(mesh.vertex_count, np.bool_)
    out[converted(mesh, "face", faces, "vertex")] = True
    return out


def picks(mesh: PolyMesh, seed: int, share: float) -> np.ndarray:
    chosen = np.random.default_rng(seed).random(mesh.face_count) < share
    chosen[seed % mesh.face_count] = True
    return np.flatnonzero(chosen).astype(np.int32)


def sound(before: PolyMesh, out: Edited) -> None:
    """What holds for every operation."""
    mesh = out.mesh
    PolyMesh.checked(mesh.positions, mesh.face_sizes, mesh.corners, uv=mesh.uv, colour=mesh.colour)
    assert not len(unused_vertices(mesh))
    assert degenerate_faces(mesh).sum() <= degenerate_faces(before).sum()
    assert len(out.vertex_from) == mesh.vertex_count and len(out.face_from) == mesh.face_count
    old = out.face_from[out.face_from >= 0]
    assert (np.diff(old) > 0).all()
    assert np.array_equal(mesh.material[out.face_from >= 0], before.material[old])
    assert set(out.picked.tolist()) <= set(range(mesh.face_count))


def untouched(before: PolyMesh, out: Edited, moved: np.ndarray) -> None:
    """Vertices (V) that were not asked to move are where they were, bit for bit; untouched faces have their uv."""
    kept = out.vertex_from >= 0
    source = out.vertex_from[kept]
    still = ~moved[source]
    assert np.array_equal(out.mesh.positions[kept][still], before.positions[source[still]])


@pytest.mark.parametrize("name", NAMES)
@given(st.integers(0, 10**6), st.sampled_from([0.0, 0.3, 0.8]), st.booleans(), st.sampled_from([0.01, -0.005]))
@settings(max_examples=6, deadline=None)
def test_an_extrusion_is_sound_and_stays_closed(name: str, seed: int, share: float, each: bool, depth: float) -> None:
    mesh = ZOO[name]()
    faces = picks(mesh, seed, share)
    try:
        out = extrude(mesh, faces, depth, each=each)
    except GeometryError as error:
        told = str(error)
        if "all directions" in told or "no area" in told:
            return
        raise
    sound(mesh, out)
    if name in CLOSED:
        assert topology(out.mesh).is_closed
    untouched(mesh, out, vertices_of(mesh, faces))
    assert np.array_equal(out.face_from[out.picked], faces)
    again = extrude(mesh, faces, depth, each=each)
    assert again.mesh.content_hash == out.mesh.content_hash


@given(st.floats(0.01, 3), st.integers(0, 5))
@settings(max_examples=20, deadline=None)
def test_what_is_pulled_out_of_a_plane_has_the_volume_of_its_area_times_its_depth(depth: float, face: int) -> None:
    mesh = box(1.0, 2.0, 3.0, divisions=(3, 2, 2))
    plate = take_in(mesh, "face", np.array([face * 3], np.int32), "same plane")
    area = float(np.linalg.norm(area_vectors(mesh)[plate], axis=1).sum())
    out = extrude(mesh, plate, depth).mesh
    assert volume(out) == pytest.approx(volume(mesh) + area * depth, rel=1e-9)
    pushed = extrude(mesh, plate, -0.01).mesh
    assert volume(pushed) == pytest.approx(volume(mesh) - area * 0.01, rel=1e-9)


@pytest.mark.parametrize("depth", [0.4, -0.4])
def test_a_sheet_whose_faces_stay_becomes_a_closed_body_as_thick_as_the_depth(depth: float) -> None:
    mesh = plane(3.0, 2.0, divisions=(3, 2))
    out = extrude(mesh, np.arange(mesh.face_count, dtype=np.int32), depth, leave=True)
    sound(mesh, out)
    assert topology(out.mesh).is_closed
    assert volume(out.mesh) == pytest.approx(3.0 * 2.0 * 0.4, rel=1e-9)
    assert len(out.picked) == mesh.face_count
    heights = out.mesh.positions[converted(out.mesh, "face", out.picked, "vertex"), 1]
    assert heights == pytest.approx(np.full(len(heights), depth))


@pytest.mark.parametrize("depth", [0.5, -0.2])
@pytest.mark.parametrize("each", [True, False])
def test_faces_with_neighbours_stay_and_the_body_stands_on_them(depth: float, each: bool) -> None:
    mesh = box(2.0, 2.0, 2.0, divisions=(4, 4, 4))
    plate = take_in(mesh, "face", np.array([5], np.int32), "same plane")[:6]
    out = extrude(mesh, plate, depth, each=each, leave=True)
    sound(mesh, out)
    assert topology(out.mesh).is_closed
    assert volume(out.mesh) == pytest.approx(8.0 + 6 * 0.25 * abs(depth), rel=1e-9)
    assert np.array_equal(out.face_from[: mesh.face_count], np.arange(mesh.face_count))


def test_an_extrusion_by_nothing_has_walls_that_get_their_height_when_it_is_moved() -> None:
    mesh = box(2.0, 2.0, 2.0)
    out = extrude(mesh, np.array([0], np.int32), 0.0)
    assert out.mesh.face_count == mesh.face_count + 4 and out.note
    way = unit(area_vectors(mesh))[0]
    moved = carry(out.mesh, "face", out.picked, np.eye(3), way * 0.5, np.zeros(3))
    straight = extrude(mesh, np.array([0], np.int32), 0.5)
    assert np.array_equal(moved.mesh.corners, straight.mesh.corners)
    assert moved.mesh.positions == pytest.approx(straight.mesh.positions)


@given(st.floats(0.02, 0.4))
@settings(max_examples=10, deadline=None)
def test_even_walls_are_as_thick_everywhere(depth: float) -> None:
    mesh = prism([(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)], 1.0)
    sides = np.flatnonzero(np.abs(unit(area_vectors(mesh))[:, 1]) < 0.5).astype(np.int32)
    faces = sides if len(sides) < mesh.face_count else sides[:-1]
    out = extrude(mesh, faces, depth, way="even")
    normals = unit(area_vectors(mesh))[faces]
    for old, new, normal in zip(faces, out.picked, normals, strict=True):
        corner = mesh.positions[mesh.corners[mesh.face_starts[old]]]
        a, b = out.mesh.face_starts[new], out.mesh.face_starts[new + 1]
        away = (out.mesh.positions[out.mesh.corners[a:b]] - corner) @ normal
        assert away == pytest.approx(np.full(b - a, depth), abs=1e-9)


def test_walls_go_on_with_the_density_of_their_edge() -> None:
    mesh = plane(3.0, 2.0, divisions=(3, 2))
    out = extrude(mesh, np.array([1], np.int32), 0.7)
    assert out.mesh.uv is not None and mesh.uv is not None
    assert np.array_equal(out.mesh.uv[: len(mesh.corners)], mesh.uv)
    for face in np.flatnonzero(out.face_from < 0):
        loop = np.arange(out.mesh.face_starts[face], out.mesh.face_starts[face + 1])
        p, uv = out.mesh.positions[out.mesh.corners[loop]], out.mesh.uv[loop]
        long = [np.linalg.norm(np.roll(v, -1, axis=0) - v, axis=1) for v in (p, uv)]
        ratio = long[1] / long[0]
        assert ratio == pytest.approx(np.full(4, ratio[0]), rel=1e-9)


@pytest.mark.parametrize("name", NAMES)
@given(st.integers(0, 10**6), st.sampled_from([0.0, 0.3]), st.booleans())
@settings(max_examples=6, deadline=None)
def test_an_inset_is_sound_or_says_the_largest(name: str, seed: int, share: float, each: bool) -> None:
    mesh = ZOO[name]()
    faces = picks(mesh, seed, share)
    try:
        out = inset(mesh, faces, 1e-3, each=each)
    except GeometryError as error:
        told = str(error)
        if "fits" in told or "border" in told or "angle" in told or "no area" in told:
            return
        raise
    sound(mesh, out)
    untouched(mesh, out, np.zeros(mesh.vertex_count, np.bool_))
    if name in CLOSED:
        assert topology(out.mesh).is_closed


@given(st.floats(0.01, 0.49))
@settings(max_examples=15, deadline=None)
def test_an_inset_is_as_wide_as_was_asked(width: float) -> None:
    mesh = box(1.0, 2.0, 3.0, divisions=(1, 2, 2))
    for faces in (np.array([0], np.int32), take_in(mesh, "face", np.array([0], np.int32), "same plane")):
        out = inset(mesh, faces, width)
        for face in np.flatnonzero(out.face_from < 0):
            loop = out.mesh.positions[out.mesh.corners[out.mesh.face_starts[face] : out.mesh.face_starts[face + 1]]]
            low, high = loop[1] - loop[0], loop[3] - loop[0]
            across = high - low * (high @ low) / (low @ low)
            assert np.linalg.norm(across) == pytest.approx(width, rel=1e-9)
        assert area_vectors(out.mesh).sum(axis=0) == pytest.approx(area_vectors(mesh).sum(axis=0), abs=1e-9)


def test_the_largest_inset_is_told_and_fits() -> None:
    mesh = box(1.0, 2.0, 3.0)
    for face in range(6):
        only = np.array([face], np.int32)
        with pytest.raises(GeometryError) as refused:
            inset(mesh, only, 9.0)
        largest = float(refused.value.data["allowed"])
        sound(mesh, inset(mesh, only, 0.999 * largest))


@pytest.mark.parametrize("name", NAMES)
def test_faces_are_deleted_and_flipped(name: str) -> None:
    mesh = ZOO[name]()
    some = picks(mesh, 3, 0.4)
    out = delete(mesh, some)
    sound(mesh, out)
    assert out.mesh.face_count == mesh.face_count - len(some)
    assert np.array_equal(area_vectors(out.mesh), area_vectors(mesh)[out.face_from])
    over = flip(mesh, some)
    assert area_vectors(over.mesh)[some] == pytest.approx(-area_vectors(mesh)[some])
    assert flip(over.mesh, some).mesh.content_hash == mesh.content_hash
    with pytest.raises(GeometryError, match="No face would be left"):
        delete(mesh, np.arange(mesh.face_count, dtype=np.int32))


@given(st.floats(0.1, 4))
@settings(max_examples=10, deadline=None)
def test_a_taper_changes_the_area_by_its_square(factor: float) -> None:
    mesh = box(2.0, 1.0, 2.0)
    top = np.flatnonzero(unit(area_vectors(mesh))[:, 1] > 0.9).astype(np.int32)
    middle = middle_of(mesh, "face", top)
    out = carry(mesh, "face", top, np.eye(3) * factor, np.zeros(3), middle)
    untouched(mesh, out, vertices_of(mesh, top))
    assert np.linalg.norm(area_vectors(out.mesh)[top]) == pytest.approx(factor**2 * 4.0, rel=1e-12)


@pytest.mark.parametrize("scale", [1e-3, 1e4])
def test_sizes_change_nothing_of_how_it_works(scale: float) -> None:
    mesh = box(1.0, 2.0, 3.0, divisions=(2, 2, 2))
    large = mesh.replaced(positions=mesh.positions * scale)
    faces = picks(mesh, 5, 0.3)
    for work in (
        lambda m, w: extrude(m, faces, 0.1 * w, way="even"),
        lambda m, w: inset(m, faces, 0.05 * w, each=True),
    ):
        one, other = work(mesh, 1.0), work(large, scale)
        assert np.array_equal(one.mesh.corners, other.mesh.corners)
        assert other.mesh.positions == pytest.approx(one.mesh.positions * scale, rel=1e-9, abs=1e-12 * scale)


def test_picks_that_are_not_there_are_refused() -> None:
    mesh = box(1, 1, 1)
    for work in (lambda f: extrude(mesh, f, 1.0), lambda f: inset(mesh, f, 0.1), lambda f: delete(mesh, f)):
        with pytest.raises(GeometryError):
            work(np.array([99], np.int32))
        with pytest.raises(GeometryError):
            work(np.zeros(0, np.int32))
    with pytest.raises(GeometryError, match="depth"):
        extrude(mesh, np.array([0], np.int32), 0.0, leave=True)


def test_more_is_taken_in() -> None:
    mesh = box(2.0, 2.0, 2.0, divisions=(4, 4, 4))
    one = np.array([5], np.int32)
    assert len(take_in(mesh, "face", one, "same plane")) == 16
    grown = take_in(mesh, "face", one, "grow")
    assert len(grown) > 1 and set(take_in(mesh, "face", grown, "shrink")) >= {5}
    assert len(take_in(mesh, "face", one, "connected")) == mesh.face_count
    assert len(take_in(mesh, "face", one, "invert")) == mesh.face_count - 1
    assert set(take_in(mesh, "face", one, "same way")) == set(take_in(mesh, "face", one, "same plane"))
