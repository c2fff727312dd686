"""Several things as one piece: what meets is welded, what lies back to back goes, all else stays."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.fuse import fused
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import duplicate_faces
from able_brick.level.rows import Placement
from tests.steps.test_separate import shown_all as shown
from tests.steps.test_steps import Sheet


def volume(mesh: PolyMesh) -> float:
    """Of a closed mesh, by its faces' area vectors and centres: exact for flat faces."""
    centre = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1]) / mesh.face_sizes[:, None]
    return float((area_vectors(mesh) * centre).sum() / 3)


@pytest.fixture
def yard() -> Sheet:
    """A slab of 2 by 1 by 1 m on the shelf and at the origin."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}, name="Slab")
    return sheet


def fuse(sheet: Sheet, *rows: str, **how: Any) -> tuple[PolyMesh, Placement]:
    (made,) = sheet.do("fuse", *rows, **how).select or ()
    placement = sheet.row(made)
    return sheet.meshes[sheet.row(placement.piece).mesh], placement


def test_two_slabs_side_by_side_are_one_closed_form(yard: Sheet) -> None:
    yard.do("place_piece", "piece-1", position=(2, 0, 0))
    mesh, placement = fuse(yard, "placement-1", "placement-2")
    assert (mesh.face_count, mesh.vertex_count) == (10, 12)
    assert topology(mesh).is_closed
    assert volume(mesh) == pytest.approx(4.0)
    assert placement.position == (1, 0, 0)
    assert yard.row(placement.piece).name == "Slab fused"
    assert "placement-1" not in yard.snapshot.of("level-1")
    assert "piece-1" in yard.snapshot.pieces


def test_what_only_touches_or_partly_meets_stays_whole(yard: Sheet) -> None:
    yard.do("place_piece", "piece-1", position=(2, 1, 0))  # along one edge
    yard.do("place_piece", "piece-1", position=(0, 0, 5))  # nowhere
    yard.do("place_piece", "piece-1", position=(0.5, 0, -1))  # half of a side
    mesh, _ = fuse(yard, "placement-1", "placement-2", "placement-3", "placement-4")
    assert (mesh.face_count, mesh.vertex_count) == (24, 32)
    assert topology(mesh).is_closed


def test_sizes_turns_and_mirrors_are_baked(yard: Sheet) -> None:
    yard.do("set_pose", "placement-1", position=(3, 1, 2), turn=(0, 30, 10), size=(2, 1, -3))
    before = yard.vertices()["placement-1"][0]
    mesh, placement = fuse(yard, "placement-1")
    assert placement.size == (1, 1, 1)
    assert volume(mesh) == pytest.approx(12.0)
    after = mesh.positions + np.array(placement.position)
    assert sorted(map(tuple, after.round(9))) == sorted(map(tuple, before.round(9)))


def test_an_array_and_a_group_become_one_with_all_that_they_show(yard: Sheet) -> None:
    (row,) = yard.do("line_array", "placement-1", count=5, axis="x", spacing_by="metres", spacing=2.0).select or ()
    yard.do("place_piece", "piece-1", position=(0, 1, 0))
    (group,) = yard.do("make_group", row, "placement-2").select or ()
    mesh, _ = fuse(yard, group)
    # five in a row, and one on the first: five pairs of sides less
    assert mesh.face_count == 36 - 8 - 2
    assert volume(mesh) == pytest.approx(12.0)
    assert topology(mesh).is_closed
    assert not [t for t in yard.snapshot.of("level-1").values() if t.kind in ("array", "group")]


def test_materials_that_look_alike_are_one(yard: Sheet) -> None:
    yard.do("duplicate_piece", "piece-1")
    yard.do("place_piece", "piece-2", position=(6, 0, 0))
    _, placement = fuse(yard, "placement-1", "placement-2")
    assert len(yard.row(placement.piece).materials) == len(yard.row("piece-1").materials)


def test_things_on_one_spot_are_one(yard: Sheet) -> None:
    yard.do("place_piece", "piece-1", position=(0, 0, 0))
    mesh, _ = fuse(yard, "placement-1", "placement-2")
    assert (mesh.face_count, mesh.vertex_count) == (6, 8)
    assert not duplicate_faces(mesh).any()


def test_vertices_within_a_distance_meet_where_the_first_of_them_is(yard: Sheet) -> None:
    yard.do("place_piece", "piece-1", position=(2.004, 0, 0))
    slab, other = (yard.vertices()[f"placement-{k}"][0] for k in (1, 2))
    own = yard.meshes[yard.row("piece-1").mesh]
    two = [own.replaced(positions=slab), own.replaced(positions=other)]
    assert fused(two, within=0.001).mesh.face_count == 12
    met = fused(two, within=0.01).mesh
    assert (met.face_count, met.vertex_count) == (10, 12)
    assert {tuple(p) for p in met.positions} <= {tuple(p) for p in np.concatenate([slab, other])}
    assert topology(met).is_closed
    mesh, _ = fuse(yard, "placement-1", "placement-2", within=0.01)
    assert mesh.face_count == 10


def test_the_core_keeps_what_is_not_in_the_way_bit_for_bit() -> None:
    random = np.random.default_rng(4)
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "sphere"})
    ball = sheet.meshes[sheet.row("piece-1").mesh]
    one = ball.replaced(positions=ball.positions + random.normal(size=3))
    two = ball.replaced(positions=ball.positions + 40)
    out = fused([one, two])
    assert out.gone == 0 and out.welded == 0
    assert out.mesh.positions.tobytes() == np.concatenate([one.positions, two.positions]).tobytes()
    assert out.mesh.face_count == 2 * ball.face_count
    same = fused([one, one])
    assert same.mesh.face_count == ball.face_count
    assert same.mesh.positions.tobytes() == one.positions.tobytes()
    assert fused([one, one], within=None).mesh.face_count == 2 * ball.face_count
    with pytest.raises(GeometryError):
        fused([])


def test_what_shows_nothing_is_refused(yard: Sheet) -> None:
    with pytest.raises(SelectionError):
        yard.do("fuse")
    yard.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (4, 0, 0)}])
    with pytest.raises(SelectionError):
        yard.do("fuse", "path-1")
    yard.do("set_marks", "placement-1", lock=True)
    with pytest.raises(SelectionError, match="locked"):
        yard.do("fuse", "placement-1")


@pytest.mark.parametrize("way", ["array", "mirror"])
def test_a_group_that_is_shown_more_than_once_is_fused_with_all_its_copies(yard: Sheet, way: str) -> None:
    yard.do("place_piece", "piece-1", position=(3, 0, 4))
    (group,) = yard.do("make_group", "placement-1", "placement-2").select or ()
    if way == "array":
        yard.do("line_array", group, count=3, axis="x", spacing_by="metres", spacing=9.0)
    else:
        yard.do("set_pose", group, position=(-4, 0, 0))
        yard.do("live_mirror", group, across="x")
    before = shown(yard)
    mesh, placement = fuse(yard, group)
    assert mesh.face_count == (36 if way == "array" else 24)
    assert shown(yard) == pytest.approx(before)
    assert placement.group is None


@pytest.mark.parametrize("both", [False, True])
def test_what_is_in_a_repeated_group_stays_in_it_and_is_repeated(yard: Sheet, both: bool) -> None:
    yard.do("place_piece", "piece-1", position=(3, 0, 4))
    yard.do("place_piece", "piece-1", position=(0, 0, 30))
    (group,) = yard.do("make_group", "placement-1", "placement-2").select or ()
    yard.do("line_array", group, count=3, axis="x", spacing_by="metres", spacing=9.0)
    before = shown(yard)
    if both:  # with one that is outside: all that the group shows of it
        _, placement = fuse(yard, "placement-1", "placement-3")
        assert placement.group is None
    else:
        _, placement = fuse(yard, "placement-1")
        assert placement.group == group
    assert shown(yard) == pytest.approx(before)


def test_parts_stay_repeated_as_well_and_a_bent_course_is_fused_as_it_is_seen(yard: Sheet) -> None:
    (group,) = yard.do("make_group", "placement-1").select or ()
    yard.do("line_array", group, count=3, axis="z", spacing_by="metres", spacing=5.0)
    before = shown(yard)
    elements = {"mesh": yard.row("piece-1").mesh, "kind": "face", "ids": [[2, 3]]}
    yard.do("detach", "placement-1", elements=elements)
    assert shown(yard) == pytest.approx(before)
    yard.do("separate", "placement-1", by="facets")
    assert shown(yard) == pytest.approx(before)
    points = [{"position": p} for p in ((20.0, 0.0, 0.0), (26.0, 0.0, 2.0), (30.0, 0.0, 9.0))]
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 0.3})
    (course,) = sheet.do("draw_course", "piece-1", points=points, bend=True).select or ()
    sheet.do("delete", "placement-1")
    seen = shown(sheet)
    fuse(sheet, course, weld=False)
    assert shown(sheet) == pytest.approx(seen, abs=1e-6)


def test_more_faces_than_one_piece_may_have_are_refused_as_soon_as_they_are_too_many(
    yard: Sheet, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("able_brick.steps.world_meshes.MOST_FACES", 11)
    yard.do("place_piece", "piece-1", position=(8, 0, 0))
    with pytest.raises(GeometryError, match="over 11 faces; select less"):
        yard.do("fuse", "placement-1", "placement-2")
    fuse(yard, "placement-1")
