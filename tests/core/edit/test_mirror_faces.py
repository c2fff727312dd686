"""Faces mirrored: two halves that are alike to the last bit, volumes by the library, seams that are shared."""

from __future__ import annotations

import manifold3d
import numpy as np
import pytest

from able_brick.core.edit.mirror_faces import mirror_faces
from able_brick.core.edit.sound import check_sound
from able_brick.core.errors import GeometryError
from able_brick.core.finish.seam import distances
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.place.mirror import Reflection
from able_brick.core.shapes.box import box
from tests.zoo import CLOSED, ZOO


def every(mesh: PolyMesh) -> np.ndarray:  # type: ignore[type-arg]
    return np.arange(mesh.face_count, dtype=np.int32)


def before(mesh: PolyMesh, over: Reflection) -> float:
    """The volume of what is before a plane, by the library."""
    t = triangulated(mesh)
    body = manifold3d.Manifold(manifold3d.Mesh64(np.array(t.positions), np.array(t.corners.reshape(-1, 3), np.uint64)))
    return float(body.trim_by_plane(tuple(over.normal), float(over.centre @ over.normal)).volume())


@pytest.mark.parametrize("name", sorted(set(CLOSED) & set(ZOO)))
@pytest.mark.parametrize("axis", [0, 1, 2])
def test_halves_are_alike_and_closed(name: str, axis: int) -> None:
    mesh = ZOO[name]()
    middle = mesh.positions.mean(axis=0) + 0.13 * np.ptp(mesh.positions[:, axis]) * np.eye(3)[axis]
    for normal in (np.eye(3)[axis], -np.eye(3)[axis]):
        over = Reflection(middle, normal)
        out = mirror_faces(mesh, every(mesh), over, cut=True, weld=1e-7)
        check_sound(mesh, out)
        assert topology(out.mesh).is_closed
        assert volume(out.mesh) == pytest.approx(2 * before(mesh, over), rel=1e-9)
        # of each vertex the image is one, to the last bit; a copy is exactly the image of what it was made of
        held = {tuple(p) for p in out.mesh.positions.tolist()}
        own = out.mesh.positions[distances(out.mesh.positions, over) > 0]
        assert {tuple(p) for p in over.points(own).tolist()} <= held
        assert (out.mesh.positions[distances(out.mesh.positions, over) == 0, axis] == middle[axis]).all()
        # what stays of the half is there to the last bit
        kept = out.vertex_from >= 0
        assert (out.mesh.positions[kept] == mesh.positions[out.vertex_from[kept]]).all()


def test_a_box_on_the_plane_becomes_one_body_without_a_wall() -> None:
    mesh = box(1.0, 1.0, 1.0)
    low = float(mesh.bounds[0][0])
    out = mirror_faces(mesh, every(mesh), Reflection(np.array([low, 0.0, 0.0]), np.eye(3)[0]))
    assert topology(out.mesh).is_closed
    assert out.mesh.face_count == 10
    assert out.mesh.vertex_count == 12
    assert volume(out.mesh) == pytest.approx(2.0)
    # what goes on flat over the seam is one facet: four sides and two ends
    assert len(np.unique(out.mesh.facet)) <= 6
    ways = unit(area_vectors(out.mesh))
    for facet in np.unique(out.mesh.facet):
        own = ways[out.mesh.facet == facet]
        assert np.allclose(own, own[0])


def test_what_nearly_reaches_the_plane_is_put_onto_it() -> None:
    mesh = box(1.0, 1.0, 1.0)
    wall = np.flatnonzero(unit(area_vectors(mesh))[:, 0] < -0.9)
    open_box = np.setdiff1d(every(mesh), wall)
    low = float(mesh.bounds[0][0])
    over = Reflection(np.array([low - 3e-5, 0.0, 0.0]), np.eye(3)[0])
    out = mirror_faces(mesh, every(mesh), over, weld=1e-4)
    assert topology(out.mesh).is_closed
    assert (out.mesh.positions[:, 0] == low - 3e-5).sum() == 4
    apart = mirror_faces(mesh, every(mesh), over, weld=1e-6)
    assert apart.mesh.vertex_count == 16
    # with a wall that is not picked the seam has its faces already
    beside = mirror_faces(mesh, open_box, Reflection(np.array([low, 0.0, 0.0]), np.eye(3)[0]))
    assert beside.mesh.vertex_count == 16
    assert beside.mesh.face_count == 11


def test_in_place_nothing_is_left_behind() -> None:
    mesh = ZOO["arrow"]()
    over = Reflection(np.array([2.0, 0.0, 0.0]), np.array([0.6, 0.8, 0.0]))
    out = mirror_faces(mesh, every(mesh), over, copy=False)
    assert out.mesh.face_count == mesh.face_count
    assert volume(out.mesh) == pytest.approx(volume(mesh))
    there = sorted(np.round(over.points(mesh.positions), 9).tolist())
    assert np.allclose(sorted(np.round(out.mesh.positions, 9).tolist()), there)
    some = mirror_faces(mesh, np.array([0]), over, copy=False)
    assert some.mesh.face_count == mesh.face_count
    assert some.mesh.vertex_count == mesh.vertex_count + mesh.face_sizes[0]


def test_uv_and_materials_go_along() -> None:
    mesh = ZOO["divided box"]()
    mesh = mesh.replaced(material=np.arange(mesh.face_count, dtype=np.int32))
    out = mirror_faces(mesh, every(mesh), Reflection(np.array([9.0, 0.0, 0.0]), np.eye(3)[0]))
    n = mesh.face_count
    assert out.picked.tolist() == list(range(n, 2 * n))
    assert (out.mesh.material[n:] == mesh.material).all()
    assert out.mesh.uv is not None and mesh.uv is not None
    half = len(mesh.corners)
    for k in range(n):
        a, b = mesh.face_starts[k], mesh.face_starts[k + 1]
        at = {
            tuple(np.round(p, 9)): tuple(uv)
            for p, uv in zip(mesh.positions[mesh.corners[a:b]], mesh.uv[a:b], strict=True)
        }
        own = out.mesh.positions[out.mesh.corners[half + a : half + b]]
        for p, uv in zip(own, out.mesh.uv[half + a : half + b], strict=True):
            assert at[tuple(np.round([18.0 - p[0], p[1], p[2]], 9))] == tuple(uv)


def test_nothing_on_that_side_is_told() -> None:
    mesh = box(1.0, 1.0, 1.0)
    over = Reflection(np.array([5.0, 0.0, 0.0]), np.eye(3)[0])
    with pytest.raises(GeometryError, match="keep the other side"):
        mirror_faces(mesh, every(mesh), over, cut=True)
    back = Reflection(np.array([5.0, 0.0, 0.0]), -np.eye(3)[0])
    assert mirror_faces(mesh, every(mesh), back, cut=True).mesh.face_count == 12


def test_sharp_edges_stay_on_their_edges() -> None:
    mesh = ZOO["arrow"]()
    sharp = np.random.default_rng(3).random(len(mesh.corners)) < 0.4
    out = mirror_faces(mesh.replaced(sharp=sharp), every(mesh), Reflection(np.array([9.0, 0.0, 0.0]), np.eye(3)[0]))

    def flagged(made: PolyMesh, of: range) -> list[list[list[float]]]:
        c = np.flatnonzero(np.isin(made.corner_face, of) & made.sharp)
        ends = np.stack([made.corners[c], made.corners[made.next_corner[c]]], axis=1)
        return sorted(sorted(np.round(made.positions[e], 9).tolist()) for e in ends)

    n = mesh.face_count
    own, image = flagged(out.mesh, range(n)), flagged(out.mesh, range(n, 2 * n))
    assert image == sorted(sorted([round(18.0 - x, 9), y, z] for x, y, z in edge) for edge in own)
