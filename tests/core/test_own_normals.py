"""Normals of a file: kept with the mesh until its surface is edited, wherever it goes."""

from __future__ import annotations

import math

import numpy as np
import pytest

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.obj_write import write_obj
from able_brick.core.files.ply_write import write_ply
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.combine import joined, mapped, moved, turned_over, with_positions
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.measure import counts
from able_brick.core.mesh.normals import corner_normals, shading, with_normals
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.slicing import sliced
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.place.mirror import mirrored, symmetries
from able_brick.core.place.pivots import seen_from_pivot
from able_brick.core.place.pose import IDENTITY
from able_brick.core.place.sizes import sized
from able_brick.core.shapes.box import box
from able_brick.core.slim.fit import fitted
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.store.mesh_codec import decode, encode, format_of
from tests.zoo import bumpy_ball, rock


def outward(mesh: PolyMesh) -> PolyMesh:
    """Shaded like a ball about its middle, whatever its surface."""
    middle = (mesh.bounds[0] + mesh.bounds[1]) / 2
    return with_normals(mesh, (mesh.positions - middle)[mesh.corners])


def degrees_apart(a: Floats, b: Floats) -> Floats:
    cosines = (a * b).sum(axis=1) / np.linalg.norm(a, axis=1) / np.linalg.norm(b, axis=1)
    return np.asarray(np.degrees(np.arccos(np.clip(cosines, -1, 1))))


def test_they_are_what_is_shown_and_written() -> None:
    mesh = outward(box(2.0, 1.0, 3.0))
    assert mesh.normal is not None and counts(mesh).own_normals and not counts(box(1.0, 1.0, 1.0)).own_normals
    assert np.array_equal(corner_normals(mesh), mesh.normal)
    # one normal at each of eight vertices, where the form alone has three
    assert (len(shading(mesh).normals), len(shading(box(2.0, 1.0, 3.0)).normals)) == (8, 24)
    hardware = hardware_vertices(mesh)
    assert np.array_equal(hardware.normals[hardware.of_corner], mesh.normal)
    assert mesh.content_hash != box(2.0, 1.0, 3.0).content_hash


@pytest.mark.parametrize("lean", [False, True])
def test_a_glb_brings_them_and_gives_them_back_bit_for_bit(lean: bool) -> None:
    mesh = outward(rock(2))
    first = read_file("rock.glb", write_glb([ScenePart("Rock", mesh)], lean=lean))
    assert any("own normals" in note for note in first.notes) is lean
    found = first.parts[0].mesh
    assert found.normal is not None
    assert np.allclose(sorted(found.normal.tolist()), sorted(mesh.normal.tolist()), atol=1e-6)  # type: ignore[union-attr]
    for _ in range(2):
        again = read_file("rock.glb", write_glb([ScenePart("Rock", found)], lean=lean)).parts[0].mesh
        assert again.normal is not None and np.array_equal(again.normal, found.normal)
        assert again.content_hash == found.content_hash
        found = again


def test_obj_and_ply_bring_them_too() -> None:
    mesh = outward(triangulated(rock(1)))
    part = ScenePart("Rock", mesh)
    files = write_obj([part], "rock")
    for data, name in ((files["rock.obj"], "rock.obj"), (write_ply([part]), "rock.ply")):
        found = read_file(name, data).parts[0].mesh
        assert found.normal is not None
        away = found.positions - (mesh.bounds[0] + mesh.bounds[1]) / 2
        assert degrees_apart(found.normal, away[found.corners]).max() < 1e-4


@pytest.mark.parametrize("form", [box(1.0, 2.0, 3.0), rock(2), bumpy_ball(20)])
def test_a_file_that_is_shaded_by_its_form_has_none_of_its_own(form: PolyMesh) -> None:
    found = read_file("form.glb", write_glb([ScenePart("Form", form)], lean=True))
    assert found.parts[0].mesh.normal is None and not found.notes


def test_they_go_where_the_surface_becomes_another() -> None:
    mesh = outward(box(2.0, 1.0, 3.0))
    other = np.array(mesh.positions)
    other[0] += 0.1
    assert with_positions(mesh, other).normal is None
    assert mesh.replaced(sharp=~mesh.sharp).normal is None
    assert mesh.replaced(smooth_angle=0.3).normal is None
    for kept in (mesh.replaced(material=mesh.material + 1), moved(mesh, (1.0, 2.0, 3.0)), triangulated(mesh)):
        assert kept.normal is not None


def test_turned_sized_and_mirrored_they_stand_as_on_the_surface() -> None:
    rng = np.random.default_rng(3)
    mesh = outward(rock(2))
    before = mesh.normal
    assert before is not None
    for k in range(40):
        linear = rng.normal(size=(3, 3))
        if k % 2:  # a turn, perhaps with a mirror
            linear, _ = np.linalg.qr(linear)
        over = np.linalg.det(linear) < 0
        made = mapped(mesh, mesh.positions @ linear.T, linear)
        made = turned_over(made) if over else made
        assert made.normal is not None
        assert np.allclose(np.linalg.norm(made.normal, axis=1), 1.0)
        # a plane through three points near the corner, at right angles to the normal, goes along
        across = np.cross(before, rng.normal(size=3))
        along = np.cross(before, across)
        there = np.cross(across @ linear.T, along @ linear.T) * (-1.0 if over else 1.0)
        back = turned_over(made) if over else made
        shown = back.normal if not over else -back.normal  # type: ignore[operator]
        assert degrees_apart(np.asarray(shown), there).max() < 1e-4
    twice = mirrored(mirrored(mesh))
    assert twice.content_hash == mesh.content_hash
    assert symmetries(mesh) == (False, False, False)


def test_an_uneven_size_in_turned_axes_keeps_a_ball_s_normals_on_its_ellipsoid() -> None:
    ball = outward(bumpy_ball(24))
    axes = (0.0, math.sin(0.3), 0.0, math.cos(0.3))
    made = sized(ball, (3.0, 1.0, -0.5), (0.0, 0.0, 0.0), axes)
    local = seen_from_pivot(made, (0.0, 0.0, 0.0), axes)
    start = seen_from_pivot(ball, (0.0, 0.0, 0.0), axes)
    middle = (ball.bounds[0] + ball.bounds[1]) / 2
    centre = seen_from_pivot(moved(ball, -middle), (0.0, 0.0, 0.0), axes)
    assert local.normal is not None and start.normal is not None
    by_corner = dict(zip(start.corners.tolist(), centre.positions[start.corners].tolist(), strict=True))
    away = np.array([by_corner[c] for c in local.corners.tolist()]) / (3.0, 1.0, -0.5)
    assert degrees_apart(local.normal, away).max() < 1e-4


def test_joined_with_a_mesh_without_all_look_as_before() -> None:
    one, two = outward(box(1.0, 1.0, 1.0)), moved(box(1.0, 2.0, 1.0), (4.0, 0.0, 0.0))
    whole = joined([one, two])
    assert np.allclose(corner_normals(whole), np.concatenate([corner_normals(one), corner_normals(two)]))


def test_a_cut_across_lays_them_between() -> None:
    mesh = outward(box(2.0, 2.0, 2.0))
    out, _ = sliced(mesh, mesh.positions[:, 0], np.array([0.25]))
    middle = (mesh.bounds[0] + mesh.bounds[1]) / 2
    assert out.normal is not None and len(out.corners) > len(mesh.corners)
    assert degrees_apart(out.normal, (out.positions - middle)[out.corners]).max() < 12.0
    assert np.allclose(np.linalg.norm(out.normal, axis=1), 1.0)


@pytest.mark.parametrize("share", [0.5, 0.125, 0.03])
def test_slimming_keeps_them_where_they_were(share: float) -> None:
    mesh = outward(bumpy_ball(60))
    middle = (mesh.bounds[0] + mesh.bounds[1]) / 2
    goal = round(mesh.triangle_count * share)
    (rung,) = ladder(mesh, [Target("count", goal)])
    for out in (reduce_to(mesh, goal).mesh, rung.slimmed.mesh):
        assert out.normal is not None
        away = degrees_apart(out.normal, (out.positions - middle)[out.corners])
        assert away.mean() < 2.0 and away.max() < 12.0
        # its form alone says something else
        assert degrees_apart(corner_normals(with_positions(out, out.positions)), out.normal).max() > 15.0


def leaning(points: Floats) -> Floats:
    """Normals that lean this way and that over a ball about the origin."""
    way = points / np.linalg.norm(points, axis=1, keepdims=True)
    x, y, z = way.T
    return np.asarray(way + 0.5 * np.stack([np.sin(5 * y), np.cos(6 * z), np.sin(7 * x)], axis=1))


@pytest.mark.parametrize("share", [0.125, 0.03])
def test_what_is_left_of_them_is_nearest_to_what_there_was(share: float) -> None:
    ball = bumpy_ball(60)
    mesh = with_normals(ball, leaning(ball.positions)[ball.corners])
    goal = round(mesh.triangle_count * share)
    rng = np.random.default_rng(1)
    off = []
    run = Reducing(mesh)
    run.to(goal)
    for out in (fitted(mesh, run.result()).mesh, reduce_to(mesh, goal).mesh):
        assert out.normal is not None
        f, shares = rng.integers(0, out.face_count, 20_000), rng.dirichlet([1, 1, 1], 20_000)
        corners = out.corners.reshape(-1, 3)[f]
        places = np.einsum("nk,nkc->nc", shares, out.positions[corners])
        shown = np.einsum("nk,nkc->nc", shares, out.normal.reshape(-1, 3, 3)[f])
        off.append(float(np.sqrt((degrees_apart(shown, leaning(places)) ** 2).mean())))
    assert off[1] < 0.8 * off[0]


def test_projects_keep_them() -> None:
    mesh, plain = outward(rock(1)), rock(1)
    assert (format_of(mesh), format_of(plain)) == (3, 2)
    for m in (mesh, plain):
        assert decode(encode(m), format_of(m)).content_hash == m.content_hash
    assert seen_from_pivot(mesh, (0.0, 0.0, 0.0), IDENTITY).normal is not None


@pytest.mark.parametrize("odd", ["0 0 0", "1e200 1e200 0", "1e-9 0 0"])
def test_normals_that_point_nowhere_are_those_of_the_surface(odd: str) -> None:
    corners = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
    lines = [f"v {x} {y} {z}" for x, y, z in corners] + [f"vn {odd}", "vn 0.6 0 0.8", "f 1//1 2//2 3//2 4//2"]
    found = read_file("sheet.obj", "\n".join(lines).encode()).parts[0].mesh
    assert found.normal is not None
    assert found.normal.round(9).tolist() == [[0, 0, 1], [0.6, 0, 0.8], [0.6, 0, 0.8], [0.6, 0, 0.8]]
