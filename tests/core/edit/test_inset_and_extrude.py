"""What is inset with a depth, what is pulled out askew or left behind: where it comes to lie, and its map."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.inset import inset
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane


def affine_map(mesh: PolyMesh) -> np.ndarray:
    """(3,2) by which uv come of x, z and 1, where they do everywhere."""
    assert mesh.uv is not None
    flat = np.column_stack([mesh.positions[mesh.corners][:, [0, 2]], np.ones(len(mesh.corners))])
    found, _, _, _ = np.linalg.lstsq(flat, mesh.uv, rcond=None)
    assert np.abs(flat @ found - mesh.uv).max() < 1e-9
    return np.asarray(found)


@pytest.mark.parametrize("depth", [0.2, -0.2])
def test_an_inset_goes_out_by_its_depth_and_in_by_its_width(depth: float) -> None:
    mesh = box(1.0, 2.0, 3.0)
    for face in range(6):
        normal = unit(area_vectors(mesh))[face]
        out = inset(mesh, np.array([face], np.int32), 0.1, depth=depth)
        now = int(np.flatnonzero(out.face_from == face)[0])
        old = mesh.positions[mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]]
        new = out.mesh.positions[out.mesh.corners[out.mesh.face_starts[now] : out.mesh.face_starts[now + 1]]]
        assert (new - old) @ normal == pytest.approx(np.full(4, depth))
        # a tenth of a metre from both edges of each corner
        flat = (new - old) - np.outer((new - old) @ normal, normal)
        assert np.sort(np.abs(flat), axis=1) == pytest.approx(np.tile([0.0, 0.1, 0.1], (4, 1)))


def test_an_inset_has_the_map_of_the_place_where_it_lies() -> None:
    mesh = plane(3.0, 2.0, divisions=(3, 2))
    wanted = affine_map(mesh)
    for each in (False, True):
        out = inset(mesh, np.array([1, 2], np.int32), 0.17, each=each).mesh
        assert affine_map(out) == pytest.approx(wanted)


@pytest.mark.parametrize("depth", [0.5, -0.5])
def test_what_is_pulled_out_with_its_base_left_is_a_body_that_looks_outward(depth: float) -> None:
    mesh = box(1.0, 2.0, 3.0)
    for face in range(6):
        out = extrude(mesh, np.array([face], np.int32), depth, leave=True).mesh
        area = float(np.linalg.norm(area_vectors(mesh)[face]))
        assert topology(out).is_closed
        assert volume(out) == pytest.approx(6.0 + area * 0.5)


def test_walls_that_lean_have_the_density_of_their_edge() -> None:
    mesh = plane(2.0, 2.0, divisions=(2, 2))
    wanted = affine_map(mesh)
    density = float(np.linalg.norm(wanted[0]))
    assert np.linalg.norm(wanted[1]) == pytest.approx(density)
    move = np.array([0.3, 0.8, 0.0])
    out = extrude(mesh, np.array([0], np.int32), float(np.linalg.norm(move)), direction=move)
    made = out.mesh
    assert made.uv is not None
    for wall in np.flatnonzero(out.face_from < 0).tolist():
        c = np.arange(made.face_starts[wall], made.face_starts[wall + 1])
        p, uv = made.positions[made.corners[c]], made.uv[c]
        for a, b in ((0, 1), (1, 2), (2, 3), (3, 0)):
            assert np.linalg.norm(uv[b] - uv[a]) == pytest.approx(density * np.linalg.norm(p[b] - p[a]))
