"""The kit's tools: drawing, live dimensions, pivots picked and turned, the shelf."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError, InputError, SelectionError, UnknownIdError
from able_brick.core.mesh.combine import with_positions
from able_brick.core.mesh.faces import feature_place
from able_brick.core.mesh.topology import topology
from able_brick.core.place.pivots import permutation, up_along
from able_brick.core.place.pose import from_degrees, rotation
from able_brick.core.place.snapping import edge_point, edge_share
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.rows import LevelRow
from able_brick.level.snapshot import Edit
from able_brick.level.surface import FaceAt, ground_of, nearest_feature
from able_brick.steps.draft import facts
from able_brick.steps.import_pieces import Imported, ImportPieces
from able_brick.steps.registry import apply
from tests.steps.test_steps import BEND, Sheet
from tests.zoo import ZOO

angle = st.floats(-180, 180)
number = st.floats(-5, 5)


def with_roof(turn: tuple[float, float, float] = (0, 0, 0)) -> Sheet:
    """A wedge whose slope can be stood on, turned and sized."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "wedge", "width": 4.0, "height": 2.0, "depth": 3.0})
    sheet.do("set_pose", "placement-1", position=(3, 1, -2), turn=turn, size=(1.0, 1.5, 0.5))
    return sheet


@given(st.tuples(angle, angle, angle), st.integers(0, 4), number, number)
@settings(max_examples=60)
def test_what_is_drawn_on_a_face_stands_on_it(turn: Any, face: int, x: float, z: float) -> None:
    sheet = with_roof(turn)
    ground = ground_of(sheet.snapshot, "level-1", sheet.meshes.__getitem__, FaceAt(thing="placement-1", face=face))
    made = sheet.do(
        "add_shape",
        shape={"kind": "cylinder", "radius": 0.3, "height": 1.0},
        position=(x, 0, z),
        on={"thing": "placement-1", "face": face},
    )
    place = sheet.row((made.select or ("",))[0])
    axis = rotation(place.turn).apply([0.0, 1.0, 0.0])
    mesh = sheet.meshes[sheet.row("piece-1").mesh]
    corners = sheet.vertices()["placement-1"][0][mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]]
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normal /= np.linalg.norm(normal)
    assert np.abs(axis - normal).max() < 1e-9, "the axis is the face's normal"
    assert abs((np.asarray(place.position) - corners[0]) @ normal) < 1e-9, "the base lies in the face's plane"
    base = sheet.vertices()[place.id][0]
    assert np.abs((base - corners[0]) @ normal).min() < 1e-9
    assert np.allclose(rotation(ground.turn).apply([0, 1, 0]), normal)


@given(st.tuples(number, number, number).filter(lambda v: np.linalg.norm(v) > 1e-3))
def test_standing_up_keeps_x_level(normal: tuple[float, float, float]) -> None:
    turn = rotation(up_along(np.asarray(normal)))
    assert np.abs(turn.apply([0, 1, 0]) - np.asarray(normal) / np.linalg.norm(normal)).max() < 1e-12
    assert abs(turn.apply([1, 0, 0])[1]) < 1e-9


def test_on_level_ground_nothing_is_turned() -> None:
    assert up_along(np.array([0.0, 3.0, 0.0])) == (0.0, 0.0, 0.0, 1.0)


def test_faces_that_are_gone_are_told() -> None:
    sheet = with_roof()
    for at, text in (
        ({"thing": "placement-9", "face": 0}, "not in the level"),
        ({"thing": "placement-1", "face": 99}, "has no face 99"),
        ({"thing": "placement-1", "item": 3, "face": 0}, "has no item 4"),
        ({"thing": "piece-1", "face": 0}, "not in the level"),
    ):
        with pytest.raises(UnknownIdError, match=text):
            sheet.do("add_shape", on=at)


def test_dimensions_stay_live_until_the_mesh_is_edited() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "cylinder", "sides": 24, "rows": 4})
    sheet.do("duplicate", "placement-1", distance=3.0, count=2)
    change = sheet.do("set_dimensions", "placement-2", shape={"kind": "cylinder", "sides": 6, "rows": 4, "height": 5.0})
    piece = sheet.row("piece-1")
    assert piece.live
    assert piece.facts.high[1] == 5.0
    assert "→" in change.note
    assert {len(v[0]) for v in sheet.vertices().values()} == {6 * 5}
    sheet.do("slim", "piece-1", result="same piece", share=50.0)
    assert not sheet.row("piece-1").live
    with pytest.raises(SelectionError, match=r"was edited, so its dimensions are frozen\. Go back to dimensions first"):
        sheet.do("set_dimensions", "piece-1", shape={"kind": "cylinder"})
    sheet.do("back_to_dimensions", "piece-1")
    assert sheet.row("piece-1").live
    assert sheet.row("piece-1").mesh == piece.mesh
    assert sheet.row("piece-1").slim is None
    with pytest.raises(SelectionError, match="are live already"):
        sheet.do("back_to_dimensions", "piece-1")


def test_dimensions_of_another_shape_or_of_no_shape_are_refused() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"})
    with pytest.raises(SelectionError, match="is a box, not a cone"):
        sheet.do("set_dimensions", "piece-1", shape={"kind": "cone"})
    sheet.do("add_shape", shape={"kind": "tube"})
    with pytest.raises(GeometryError, match=r"Thickness is 0\.6 m; give"):
        sheet.do("set_dimensions", "piece-2", shape={"kind": "tube", "thickness": 0.6})
    with pytest.raises(InputError, match="Shape is not a kind of shape; give one of arch, box"):
        sheet.do("add_shape", shape={"kind": "teapot"})
    with pytest.raises(InputError, match="Along is 0; give 1 or more"):
        sheet.do("add_shape", shape={"kind": "cylinder", "rows": 0})
    mesh = ZOO["ball"]()
    sheet.meshes[mesh.content_hash] = mesh
    imports = (Imported(name="Ball", mesh=mesh.content_hash, materials=()),)
    change = apply(sheet.snapshot, "level-1", ImportPieces(file="b.ply", pieces=imports), (), sheet.meshes.__getitem__)
    sheet.snapshot = sheet.snapshot.with_edits(change.edits, change.counters)
    with pytest.raises(SelectionError, match="was not drawn from a shape"):
        sheet.do("set_dimensions", "piece-3", shape={"kind": "box"})


def crowded(sizes: bool = True) -> Sheet:
    """Placements, an array and a course of one piece."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "wedge", "width": 2.0, "height": 1.0, "depth": 3.0})
    sheet.do("place_piece", "piece-1", position=(4, 1, 2), turn=(10, 40, 5))
    if sizes:
        sheet.do("set_pose", "placement-2", size=(2.0, 2.0, 2.0))
    sheet.do("place_piece", "piece-1", position=(-4, 0, 2), turn=(0, 20, 0))
    sheet.do("line_array", "placement-3", count=4, axis="z", spacing_by="metres", spacing=1.5)
    return sheet


def stands(before: dict[str, np.ndarray], sheet: Sheet) -> None:
    after = sheet.vertices()
    for key, points in before.items():
        assert np.abs(points - after[key]).max() < 1e-9, key


@given(st.tuples(number, number, number), st.sampled_from([0, 90, 180, 270]), st.sampled_from([0, 90, 180, 270]))
@settings(max_examples=30)
def test_pieces_stay_when_their_pivot_is_moved_and_turned_by_quarters(point: Any, x: float, y: float) -> None:
    sheet = crowded()
    sheet.do("set_pose", "placement-1", size=(1.0, 2.0, 0.5))
    before = sheet.vertices()
    sheet.do("set_pivot", "piece-1", place="typed", point=point, axes="turned", turn=(x, y, 0))
    stands(before, sheet)
    assert permutation(rotation(sheet.row("piece-1").axes)) is not None
    sheet.do("set_pivot", "piece-1", place="mesh origin", axes="of the mesh")
    stands(before, sheet)
    assert sheet.row("placement-2").position == pytest.approx((4, 1, 2))


@given(st.tuples(angle, angle, angle), st.tuples(number, number, number))
@settings(max_examples=30)
def test_pieces_stay_under_any_turn_where_their_sizes_are_even(turn: Any, point: Any) -> None:
    sheet = crowded()
    sheet.do("delete", "array-1")
    before = sheet.vertices()
    sheet.do("set_pivot", "piece-1", place="typed", point=point, axes="turned", turn=turn)
    stands(before, sheet)


def test_turned_axes_are_refused_where_they_would_skew() -> None:
    sheet = crowded(sizes=False)
    sheet.do("delete", "array-1")
    sheet.do("set_pose", "placement-1", size=(1.0, 2.0, 1.0))
    with pytest.raises(SelectionError, match=r"would skew it\. Bake its size first"):
        sheet.do("set_pivot", "piece-1", place="as it is", axes="turned", turn=(0, 0, 30))
    sheet = crowded(sizes=False)
    with pytest.raises(SelectionError, match="can only be turned by quarters"):
        sheet.do("set_pivot", "piece-1", place="as it is", axes="turned", turn=(0, 30, 0))
    sheet.do("draw_path", points=BEND)
    sheet.do("lay_course", "path-1", piece="piece-1")
    with pytest.raises(SelectionError, match="lays Wedge by its axes"):
        sheet.do("set_pivot", "piece-1", place="as it is", axes="turned", turn=(0, 90, 0))
    moved = sheet.do("set_pivot", "piece-1", place="as it is", axes="turned", turn=(0, 90, 0), outcome="numbers stay")
    assert "move" in moved.note


def test_picked_features_become_pivots_with_their_normals() -> None:
    sheet = crowded()
    mesh = sheet.meshes[sheet.row("piece-1").mesh]
    slope = int(np.argmax([abs(feature_place(mesh, "face", f)[1][1] - 3 / np.sqrt(10)) < 1e-9 for f in range(5)]))
    before = sheet.vertices()
    sheet.do("delete", "array-1")
    before.pop("array-1")
    pick = {"mesh": sheet.row("piece-1").mesh, "kind": "face", "index": slope}
    sheet.do("set_pivot", "piece-1", place="picked", picked=pick, axes="up along the normal")
    stands(before, sheet)
    piece = sheet.row("piece-1")
    assert piece.pivot == pytest.approx((0.0, 0.5, 0.0))
    assert rotation(piece.axes).apply([0, 1, 0]) == pytest.approx([0, 3 / np.sqrt(10), 1 / np.sqrt(10)])
    # its box lies along the new axes: the slope is its top
    assert piece.facts.high[1] - rotation(piece.axes).inv().apply(piece.pivot)[1] == pytest.approx(0.0, abs=1e-12)
    edge = int(topology(mesh).corner_edge[0])
    ends = mesh.positions[topology(mesh).edges[edge]]
    sheet.do("set_pivot", "piece-1", place="picked", picked={**pick, "kind": "edge", "index": edge})
    assert sheet.row("piece-1").pivot == pytest.approx(tuple(ends.mean(axis=0)))
    sheet.do("set_pivot", "piece-1", place="picked", picked={**pick, "kind": "vertex", "index": 2})
    assert sheet.row("piece-1").pivot == tuple(float(v) + 0.0 for v in mesh.positions[2])
    stands(before, sheet)


def test_picks_that_do_not_fit_are_refused() -> None:
    sheet = crowded()
    with pytest.raises(InputError, match="Nothing is picked yet"):
        sheet.do("set_pivot", "piece-1", place="picked")
    with pytest.raises(SelectionError, match="not one of Wedge as it is now; pick again"):
        sheet.do("set_pivot", "piece-1", place="picked", picked={"mesh": "0" * 40, "kind": "vertex", "index": 0})
    with pytest.raises(SelectionError, match="has no vertex 77; pick again"):
        sheet.do(
            "set_pivot", "piece-1", place="picked",
            picked={"mesh": sheet.row("piece-1").mesh, "kind": "vertex", "index": 77},
        )  # fmt: skip


def test_the_world_origin_as_pivot() -> None:
    sheet = crowded()
    before = sheet.vertices()
    sheet.do("set_pivot", "placement-2", place="world origin")
    stands(before, sheet)
    assert sheet.row("placement-2").position == pytest.approx((0, 0, 0), abs=1e-12)
    with pytest.raises(SelectionError, match="lies differently for each placement"):
        sheet.do("set_pivot", "piece-1", place="world origin")


def test_the_nearest_feature_of_a_face() -> None:
    sheet = crowded()
    load = sheet.meshes.__getitem__
    mesh = load(sheet.row("piece-1").mesh)
    world = sheet.vertices()["placement-2"][0]
    loop = mesh.corners[mesh.face_starts[1] : mesh.face_starts[2]]
    at = FaceAt(thing="placement-2", face=1)

    def near(point: np.ndarray, reach: float) -> Any:
        return nearest_feature(sheet.snapshot, "level-1", load, at, tuple(point), reach)

    found = near(world[loop[0]] + 0.01, 0.2)
    assert (found.kind, found.index) == ("vertex", int(loop[0]))
    assert found.point == pytest.approx(tuple(world[loop[0]]), abs=1e-12)
    middle = (world[loop[0]] + world[loop[1]]) / 2
    assert near(middle + 0.01, 0.2).kind == "edge"
    assert near(middle + 0.01, 0.2).point == pytest.approx(tuple(middle))
    centre = near(world[loop].mean(axis=0), 0.2)
    assert (centre.kind, centre.index) == ("face", 1)
    assert np.linalg.norm(centre.normal) == pytest.approx(1.0)
    pivot = nearest_feature(sheet.snapshot, "level-1", load, at, tuple(middle), 0.2, pivot=True)
    assert (pivot.kind, pivot.point) == ("pivot", sheet.row("placement-2").position)
    assert pivot.normal == centre.normal


corner = st.tuples(*[st.floats(-50, 50)] * 3).map(np.array)


@given(corner, corner, corner, st.sampled_from([0.0, 0.05, 0.3]))
def test_a_place_on_an_edge_is_so_many_units_from_its_nearer_end(
    a: np.ndarray, b: np.ndarray, target: np.ndarray, unit: float
) -> None:
    ends = np.stack([a, b])
    length = float(np.linalg.norm(b - a))
    assume(length > 1e-3)
    share, away = edge_share(ends, target, unit)
    point = edge_point(ends, share)
    assert 0 <= share <= 1
    assert min(np.linalg.norm(point - a), np.linalg.norm(point - b)) == pytest.approx(away, abs=1e-9)
    rounded = unit if unit <= length / 2 else 0.0
    if rounded:
        assert away == pytest.approx(length / 2) or away / unit == pytest.approx(round(away / unit), abs=1e-9)
    nearest = min(float(np.linalg.norm(edge_point(ends, s) - target)) for s in np.linspace(0, 1, 101))
    assert np.linalg.norm(point - target) <= nearest + rounded / 2 + length / 100


def test_a_place_on_an_edge_is_meant_only_where_asked_for_and_close() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 4.0, "height": 1.0, "depth": 3.0})
    load = sheet.meshes.__getitem__
    mesh = load(sheet.row("piece-1").mesh)
    top = int(np.argmax([mesh.positions[mesh.corners[f * 4 : f * 4 + 4]][:, 1].min() for f in range(6)]))
    at = FaceAt(thing="placement-1", face=top)
    spot = (1.23, 1.0, 1.46)  # four centimetres from the front edge

    def near(**how: Any) -> Any:
        return nearest_feature(sheet.snapshot, "level-1", load, at, spot, 0.2, **how)

    assert near().kind == "face"
    found = near(unit=0.05)
    assert (found.kind, found.point) == ("on edge", pytest.approx((1.25, 1.0, 1.5)))
    assert found.away == pytest.approx(0.75)
    assert near(unit=0.0).point == pytest.approx((1.23, 1.0, 1.5))
    assert near(unit=0.05, pivot=True).kind == "pivot"
    place = FeatureAt(thing="placement-1", kind="on edge", index=found.index, face=top, share=found.share)
    assert tuple(spot_of(sheet.snapshot, "level-1", load, place).point) == found.point
    with pytest.raises(UnknownIdError, match="has no edge 12"):
        spot_of(sheet.snapshot, "level-1", load, place.model_copy(update={"index": 12}))


def test_pieces_are_duplicated_tagged_and_replaced() -> None:
    sheet = crowded()
    sheet.do("draw_path", points=BEND)
    sheet.do("lay_course", "path-1", piece="piece-1")
    (twin,) = sheet.do("duplicate_piece", "piece-1").select or ()
    assert sheet.row(twin).name == "Wedge 2"
    assert sheet.row(twin).dimensions == sheet.row("piece-1").dimensions
    sheet.do("tag_pieces", "piece-1", twin, tags=["ramp", " wet  stone ", "ramp", ""])
    assert sheet.row(twin).tags == ("ramp", "wet stone")
    with pytest.raises(InputError, match="has 50 letters; give at most 40"):
        sheet.do("tag_pieces", twin, tags=["x" * 50])
    sheet.do("replace_piece", "placement-1", by=twin, where="selected")
    assert sheet.row("placement-1").piece == twin
    assert sheet.row("placement-2").piece == "piece-1"
    change = sheet.do("replace_piece", "piece-1", by=twin)
    assert {sheet.row(k).piece for k in ("placement-1", "placement-2", "array-1", "course-1")} == {twin}
    assert change.note == "3 things show Wedge 2 now"
    with pytest.raises(SelectionError, match="Wedge stands nowhere"):
        sheet.do("replace_piece", "piece-1", by=twin)
    with pytest.raises(SelectionError, match="That is Wedge 2 already"):
        sheet.do("replace_piece", twin, by=twin)
    with pytest.raises(
        SelectionError, match=r"is used 4 times \(Wedge 3 row, Wedge course, Wedge, Wedge 2\); delete those first"
    ):
        sheet.do("delete", twin)
    sheet.do("delete", "piece-1")


def test_replacing_reaches_other_levels() -> None:
    sheet = crowded()
    sheet.snapshot = sheet.snapshot.with_edits([Edit(None, LevelRow(id="level-2", name="Other"))])
    other = sheet.row("placement-1").changed(id="placement-9", level="level-2")
    sheet.snapshot = sheet.snapshot.with_edits([Edit(None, other)])
    (twin,) = sheet.do("duplicate_piece", "piece-1").select or ()
    assert "also in 1 other level" in sheet.do("replace_piece", "piece-1", by=twin).note
    assert sheet.snapshot.things["level-2"]["placement-9"].piece == twin  # type: ignore[union-attr]


def test_facts_follow_the_axes_of_the_pivot() -> None:
    mesh = ZOO["divided box"]()
    low, high = facts(mesh).low, facts(mesh).high
    axes = tuple(float(v) for v in from_degrees((0, 90, 0)).as_quat())
    turned = facts(mesh, axes)  # type: ignore[arg-type]
    assert [b - a for a, b in zip(turned.low, turned.high, strict=True)] == pytest.approx(
        [high[2] - low[2], high[1] - low[1], high[0] - low[0]]
    )
    assert facts(with_positions(mesh, mesh.positions * 2)).high[0] == 2 * high[0]
