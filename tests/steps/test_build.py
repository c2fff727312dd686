"""Placing exactly: docking, spreading, baking sizes."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError, InputError, SelectionError, UnknownIdError
from able_brick.core.mesh.combine import turned_over
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.validity import problems
from able_brick.core.place.dock import Spot, dock, longest_edge
from able_brick.core.place.sizes import sized
from able_brick.level.evaluate import items_of
from able_brick.level.grips import FeatureAt, spot_of, spot_on
from able_brick.level.snapshot import Edit
from tests.steps.test_steps import Sheet
from tests.zoo import CLOSED, ZOO

angle = st.floats(-180, 180)
turns = st.tuples(angle, angle, angle)
place = st.tuples(*[st.floats(-300, 300)] * 3)
sizes = st.tuples(*[st.floats(0.2, 3)] * 3)


def two(turn: Any = (0, 0, 0), at: Any = (5, 0, 0), size: Any = (1, 1, 1), lean: Any = None) -> Sheet:
    """A box, and a wedge with a slope, posed as wished."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 3.0})
    sheet.do("add_shape", shape={"kind": "wedge", "width": 4.0, "height": 2.0, "depth": 3.0}, position=(10, 0, 0))
    sheet.do("set_pose", "placement-1", position=at, turn=turn, size=size)
    if lean is not None:
        sheet.do("set_pose", "placement-2", turn=lean)
    return sheet


def spot(sheet: Sheet, at: dict[str, Any]) -> Spot:
    return spot_of(sheet.snapshot, "level-1", sheet.meshes.__getitem__, FeatureAt(**at))


def feature(thing: str, kind: str, index: int, face: int = 0, share: float = 0.5) -> dict[str, Any]:
    return {"thing": thing, "kind": kind, "index": index, "face": face, "share": share}


def assert_met(sheet: Sheet, grip: dict[str, Any], there: np.ndarray) -> list[bool]:
    """The grip is on the landing, bit for bit; or else no number of the position would bring it there, and it is within
    one unit in the last place of the largest number in the sum. Which coordinates are equal."""
    found, row = spot(sheet, grip).point, sheet.row("placement-1")
    equal = found == there
    for k in np.flatnonzero(~equal):
        largest = max(abs(row.position[k]), abs(there[k]), abs(there[k] - row.position[k]))
        assert abs(found[k] - there[k]) <= np.spacing(largest)
        at = row.position[k] - 10 * np.spacing(row.position[k])
        for _ in range(20):
            at = np.nextafter(at, np.inf)
            position = tuple(at if i == k else v for i, v in enumerate(row.position))
            moved = spot_on(sheet.snapshot, sheet.meshes.__getitem__, row.changed(position=position), FeatureAt(**grip))
            assert moved.point[k] != there[k]
    return equal.tolist()


def by_hand(sheet: Sheet, key: str, vertex: int) -> list[float]:
    """A vertex in the world, reckoned number by number as the documented formula says: T · R · S · Qᵀ · (p − pivot)."""
    row, piece = sheet.row(key), sheet.row(sheet.row(key).piece)
    p = [float(v) for v in sheet.meshes[piece.mesh].positions[vertex]]
    a, b, c = ((v - o) * s for v, o, s in zip(p, piece.pivot, row.size, strict=True))
    x, y, z, w = row.turn
    s = 2.0 / (x * x + y * y + z * z + w * w)
    return [
        (1.0 - s * (y * y + z * z)) * a + s * (x * y - z * w) * b + s * (x * z + y * w) * c + row.position[0],
        s * (x * y + z * w) * a + (1.0 - s * (x * x + z * z)) * b + s * (y * z - x * w) * c + row.position[1],
        s * (x * z - y * w) * a + s * (y * z + x * w) * b + (1.0 - s * (x * x + y * y)) * c + row.position[2],
    ]


def test_docked_vertices_are_equal_up_to_a_kilometre() -> None:
    chance = np.random.default_rng(5)
    equal, many = 0, 0
    for _ in range(60):
        degrees, other = (tuple(float(v) for v in chance.uniform(-180, 180, 3)) for _ in range(2))
        sheet = two(degrees, (0, 0, 0), tuple(float(v) for v in chance.uniform(0.3, 3, 3)), other)
        sheet.do("set_pose", "placement-2", position=tuple(float(v) for v in chance.uniform(-1000, 1000, 3)))
        v, end = int(chance.integers(8)), int(chance.integers(6))
        sheet.do(
            "dock",
            "placement-1",
            grip=feature("placement-1", "vertex", v),
            landing=feature("placement-2", "vertex", end),
        )
        found, wanted = by_hand(sheet, "placement-1", v), by_hand(sheet, "placement-2", end)
        assert found == spot(sheet, feature("placement-1", "vertex", v)).point.tolist(), "the formula is the one told"
        many += 3
        equal += sum(a == b for a, b in zip(found, wanted, strict=True))
        assert_met(sheet, feature("placement-1", "vertex", v), np.array(wanted))
    assert (equal > 170, many) == (True, 180), "the others lack places, as was shown one by one"


@given(
    turns, place, sizes, turns, st.sampled_from([("vertex", 8), ("edge", 12), ("on edge", 12), ("face", 6)]), st.data()
)
@settings(max_examples=120)
def test_a_docked_grip_is_equal_to_its_landing(turn: Any, at: Any, size: Any, lean: Any, kind: Any, data: Any) -> None:
    sheet = two(turn, at, size, lean)
    share = data.draw(st.floats(0, 1))
    grip = feature("placement-1", kind[0], data.draw(st.integers(0, kind[1] - 1)), share=share)
    end, count = data.draw(st.sampled_from([("vertex", 6), ("on edge", 9)]))
    landing = feature("placement-2", end, data.draw(st.integers(0, count - 1)), share=share)
    there = spot(sheet, landing).point
    before = sheet.row("placement-1")
    sheet.do("dock", "placement-1", grip=grip, landing=landing)
    assert_met(sheet, grip, there)
    assert (sheet.row("placement-1").turn, sheet.row("placement-1").size) == (before.turn, before.size)


@given(turns, place, st.integers(0, 5), st.integers(0, 4), st.integers(0, 3), st.floats(-0.5, 0.5))
@settings(max_examples=120)
def test_faces_in_contact_look_at_each_other_across_the_gap(
    turn: Any, at: Any, face: int, other: int, quarters: int, gap: float
) -> None:
    sheet = two(turn, at)
    grip, landing = feature("placement-1", "face", face, face), feature("placement-2", "face", other, other)
    down = spot(sheet, landing)
    sheet.do("dock", "placement-1", grip=grip, landing=landing, contact=True, quarters=quarters, gap=gap)
    up = spot(sheet, grip)
    assert np.abs(up.normal + down.normal).max() < 1e-9
    assert np.abs(up.point - down.point - gap * down.normal).max() < 1e-9
    assert np.abs((up.loop - down.point) @ down.normal - gap).max() < 1e-9, "the whole face keeps the gap"
    edge = longest_edge(up.loop)
    edges = np.roll(down.loop, -1, axis=0) - down.loop
    edges /= np.linalg.norm(edges, axis=1)[:, None]
    along = np.abs(edges @ edge) if quarters % 2 == 0 else np.abs(np.cross(edges, down.normal) @ edge)
    assert along.max() > 1 - 1e-9, "its longest edge is parallel, or square, to one of the landing's"


def test_the_turn_into_contact_is_the_smallest_and_about_the_longest_edge_where_faces_agree() -> None:
    loop = np.array([[0.0, 0, 0], [0, 0, 3], [2, 0, 3], [2, 0, 0]])
    up = np.array([0.0, 1.0, 0.0])
    same = dock(Spot(np.zeros(3), up, loop), Spot(np.ones(3), up, loop), contact=True, align=False)
    assert same.turn.magnitude() == pytest.approx(np.pi)
    assert np.abs(same.turn.apply([0, 0, 1]) - [0, 0, 1]).max() < 1e-12, "the longest edge is the hinge"
    lean = np.array([0.0, -np.cos(0.3), np.sin(0.3)])
    near = dock(Spot(np.zeros(3), lean, loop), Spot(np.ones(3), up, loop), contact=True, align=False)
    assert near.turn.magnitude() == pytest.approx(0.3)
    with pytest.raises(GeometryError, match="need face contact"):
        dock(Spot(np.zeros(3), up, loop), Spot(np.ones(3), up, loop), quarters=1)


def test_the_whole_selection_docks_as_one_and_paths_go_along() -> None:
    sheet = two((0, 30, 0))
    sheet.do("place_piece", "piece-1", position=(1, 4, 2), turn=(5, 6, 7))
    sheet.do("line_array", "placement-3", count=3, axis="z", spacing=2.0)
    sheet.do("draw_path", points=[{"position": (0, 0, 0), "handle_out": (1, 0, 0)}, {"position": (4, 0, 0)}])
    before = sheet.vertices()
    moving = ("placement-1", "array-1", "path-1")
    grip = feature("placement-1", "vertex", 3, 2)
    away = spot(sheet, grip).point
    sheet.do("dock", *moving, grip=grip, landing=feature("placement-2", "face", 1, 1), contact=True)
    after = sheet.vertices()
    apart = np.linalg.norm(before["placement-1"][0][0] - before["array-1"][2], axis=1)
    assert np.allclose(np.linalg.norm(after["placement-1"][0][0] - after["array-1"][2], axis=1), apart, atol=1e-9)
    path = sheet.row("path-1").points
    assert np.linalg.norm(np.subtract(path[0].position, path[1].position)) == pytest.approx(4)
    assert np.linalg.norm(path[0].handle_out) == pytest.approx(1)
    landed = spot(sheet, grip).point
    assert np.linalg.norm(landed - path[0].position) == pytest.approx(np.linalg.norm(away))


def test_what_is_laid_along_a_selected_path_goes_along() -> None:
    sheet = two()
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (9, 0, 0)}])
    sheet.do("lay_course", "path-1", piece="piece-1")
    sheet.do("keep_measure", start=(0, 0, 0), end=(3, 4, 0))
    before = sheet.vertices()
    everything = ("course-1", "measure-1", "placement-1", "placement-2", "path-1")
    sheet.do("move", *everything, by=(1, 2, 3))
    assert (sheet.row("measure-1").start, sheet.row("measure-1").end) == ((1, 2, 3), (4, 6, 3))
    for key, points in sheet.vertices().items():
        assert np.abs(points - before[key] - (1, 2, 3)).max() < 1e-9, key
    with pytest.raises(SelectionError, match="cannot work on course-1"):
        sheet.do("move", "course-1", by=(1, 2, 3))


def test_docking_on_a_free_point_and_what_cannot_be_docked() -> None:
    sheet = two((0, 45, 0))
    grip = feature("placement-1", "vertex", 0)
    sheet.do("dock", "placement-1", grip=grip, point=(2.5, 0, -1.5))
    assert tuple(spot(sheet, grip).point) == (2.5, 0.0, -1.5)
    pivot = {"thing": "placement-1", "kind": "pivot"}
    sheet.do("dock", "placement-1", grip=pivot, point=(1, 2, 3))
    assert sheet.row("placement-1").position == (1, 2, 3)
    for params, kind, words in (
        ({}, InputError, "Nothing is gripped yet"),
        ({"grip": grip}, InputError, "Nothing is picked to land on"),
        ({"grip": feature("placement-2", "vertex", 0), "point": (0, 0, 0)}, SelectionError, "not on what is selected"),
        ({"grip": grip, "landing": feature("placement-1", "vertex", 1)}, SelectionError, "on what is moved"),
        ({"grip": feature("placement-1", "vertex", 99), "point": (0, 0, 0)}, UnknownIdError, "has no vertex 99"),
        ({"grip": grip, "landing": feature("placement-9", "vertex", 1)}, UnknownIdError, "not in the level"),
    ):
        with pytest.raises(kind, match=words):
            sheet.do("dock", "placement-1", **params)


@given(st.lists(place, min_size=2, max_size=5), st.floats(-3, 3), st.sampled_from(["middle", "first", "point"]))
@settings(max_examples=60)
def test_spreading_scales_distances_and_nothing_else(spots: Any, factor: float, about: str) -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"}, position=spots[0])
    for at in spots[1:]:
        sheet.do("place_piece", "piece-1", position=at, turn=(10, 20, 30))
    ids = tuple(sheet.snapshot.things["level-1"])
    before = np.array([sheet.row(k).position for k in ids])
    sheet.do("spread", *ids, factor=factor, about_what=about, point=(1, 2, 3))
    after = np.array([sheet.row(k).position for k in ids])
    assert np.allclose(after[:, None] - after[None], factor * (before[:, None] - before[None]), atol=1e-9)
    still = {"middle": before.mean(axis=0), "first": before[0], "point": np.array([1.0, 2, 3])}[about]
    assert np.allclose(after, still + factor * (before - still), atol=1e-9)
    assert {sheet.row(k).size for k in ids} == {(1.0, 1.0, 1.0)}


def test_a_boom_shortened_in_its_mesh_meets_fittings_that_are_spread_alike() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 5.0, "height": 0.2, "depth": 0.2}, position=(3, 2, 1))
    sheet.do("add_shape", shape={"kind": "cylinder", "radius": 0.3, "height": 0.2}, position=(0.5, 2, 1))
    sheet.do("place_piece", "piece-2", position=(5.5, 2, 1))
    sheet.do("set_pose", "placement-1", size=(0.6, 1, 1))
    sheet.do("bake_size", "placement-1", result="same piece")
    sheet.do(
        "spread", "placement-2", "placement-3", by="axes", factors=(0.6, 1, 1), about_what="point", point=(3, 2, 1)
    )
    ends = sheet.vertices()["placement-1"][0][:, 0]
    assert sheet.row("placement-1").size == (1, 1, 1)
    assert sheet.row("placement-2").position[0] == pytest.approx(ends.min(), abs=1e-12)
    assert sheet.row("placement-3").position[0] == pytest.approx(ends.max(), abs=1e-12)


@given(
    turns, st.tuples(*[st.sampled_from([-2.0, -0.5, 0.4, 1.0, 3.0])] * 3), st.sampled_from(["new piece", "same piece"])
)
@settings(max_examples=60)
def test_baking_a_size_changes_nothing_that_is_seen(turn: Any, size: Any, result: str) -> None:
    if size == (1, 1, 1):
        return
    sheet = two(turn)
    sheet.do("place_piece", "piece-1", position=(1, 1, 1), turn=(3, 4, 5))
    sheet.do("set_pivot", "piece-1", place="typed", point=(0.3, 0.4, 0.5), axes="turned", turn=(20, 30, 40))
    sheet.do("set_pose", "placement-1", size=size)
    before = sheet.vertices()
    sheet.do("bake_size", "placement-1", result=result)
    assert sheet.row("placement-1").size == (1, 1, 1)
    for key, points in sheet.vertices().items():
        assert np.abs(points - before[key]).max() < 1e-9, key
    mesh = sheet.meshes[sheet.row(sheet.row("placement-1").piece).mesh]
    assert volume(mesh) == pytest.approx(6.0 * abs(np.prod(size))), "still looking outward"
    assert (sheet.row("placement-1").piece == "piece-1") == (result == "same piece")


#: Shapes, sizes that they can follow, and sizes that make another shape of them.
FOLLOWS: list[tuple[dict[str, Any], Any, Any]] = [
    ({"kind": "box", "width": 5.0, "along_x": 3}, (0.6, 2, 1.5), None),
    ({"kind": "plane"}, (0.3, 1, 2), None),
    ({"kind": "wedge", "rows": 3}, (0.7, 1.1, 3), None),
    ({"kind": "pyramid", "top": 25.0}, (0.7, 1.1, 3), None),
    ({"kind": "cylinder", "cap_rings": 2}, (0.3, 4, 0.3), (0.3, 4, 0.5)),
    ({"kind": "cylinder", "rounding": 0.05}, (3, 3, 3), (0.3, 4, 0.3)),
    ({"kind": "cone", "top_radius": 0.4}, (0.7, 1.1, 0.7), (0.7, 1, 1)),
    ({"kind": "tube"}, (0.7, 1.1, 0.7), (0.7, 1, 1)),
    ({"kind": "sphere"}, (2, 2, 2), (2, 2, 1)),
    ({"kind": "capsule"}, (2, 2, 2), (1, 2, 1)),
    ({"kind": "torus"}, (0.4, 0.4, 0.4), (1, 2, 1)),
    ({"kind": "helix", "turns": 2.0}, (0.4, 0.4, 0.4), (1, 2, 1)),
    ({"kind": "arch"}, (1.7, 1.7, 0.5), None),
    ({"kind": "doorway", "offset": 0.4, "sill": 0.9, "opening_height": 1.1}, (0.7, 1.1, 2), None),
    ({"kind": "stairs"}, (0.7, 1.1, 2), None),
    ({"kind": "spiral_stairs"}, (0.7, 1.1, 0.7), (0.7, 1, 1)),
    ({"kind": "lettering", "text": "LOCK"}, (1, 1, 3), (1, 2, 1)),
]


@pytest.mark.parametrize(
    ("shape", "size", "other"), FOLLOWS, ids=[f"{s['kind']} {k}" for k, (s, *_) in enumerate(FOLLOWS)]
)
@pytest.mark.parametrize("result", ["new piece", "same piece"])
def test_a_drawn_shape_stays_live_when_it_is_the_same_shape_in_another_size(
    shape: dict[str, Any], size: Any, other: Any, result: str
) -> None:
    for baked, live in ((size, True), (other, False)):
        if baked is None:
            continue
        sheet = Sheet()
        sheet.do("add_shape", shape=shape)
        sheet.do("place_piece", "piece-1", position=(9, 0, 0), turn=(10, 20, 30))
        sheet.do("set_pivot", "piece-1", place="typed", point=(0.3, 0.4, 0.5))
        sheet.do("set_pose", "placement-1", size=baked, turn=(5, 50, 5))
        before = sheet.vertices()
        sheet.do("bake_size", "placement-1", result=result)
        for key, points in sheet.vertices().items():
            assert np.abs(points - before[key]).max() < 1e-9, key
        piece = sheet.row(sheet.row("placement-1").piece)
        assert piece.live == live
        assert sheet.row("placement-1").size == (1, 1, 1)
        if live:
            grown = piece.dimensions.shape.model_copy(update={"faces": "triangles"})
            sheet.do("set_dimensions", piece.id, shape=grown.model_dump())
            assert sheet.row(piece.id).facts.triangles == sheet.row(piece.id).facts.faces


def test_a_baked_texture_stays_as_it_is_seen() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"})
    piece = sheet.row("piece-1")
    textured = piece.materials[0].model_copy(update={"texture": "0" * 40})
    sheet.snapshot = sheet.snapshot.with_edits([Edit(piece, piece.changed(materials=(textured,)))])
    sheet.do("set_pose", "placement-1", size=(2, 1, 1))
    uv = sheet.meshes[piece.mesh].uv
    sheet.do("bake_size", "placement-1", result="same piece")
    assert not sheet.row("piece-1").live
    assert np.array_equal(sheet.meshes[sheet.row("piece-1").mesh].uv, uv)


def test_sizes_that_cannot_be_baked() -> None:
    sheet = two()
    with pytest.raises(InputError, match="nothing to bake"):
        sheet.do("bake_size", "placement-1")
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (9, 0, 0)}])
    sheet.do("lay_course", "path-1", piece="piece-1")
    sheet.do("set_pose", "placement-1", size=(2, 1, 1))
    with pytest.raises(SelectionError, match="without a size"):
        sheet.do("bake_size", "placement-1", result="same piece")
    sheet.do("place_piece", "piece-1", position=(0, 0, 9))
    sheet.do("set_pose", "placement-3", size=(1, 1, 3))
    with pytest.raises(SelectionError, match="several sizes"):
        sheet.do("bake_size", "placement-1", "placement-3", result="same piece")
    sheet.do("bake_size", "placement-1", "placement-3")
    assert len(sheet.snapshot.pieces) == 4


@pytest.mark.parametrize("spacing_by", ["lengths", "metres"])
@pytest.mark.parametrize("result", ["new piece", "same piece"])
@pytest.mark.parametrize("axis", ["x", "-x", "z"])
def test_mirroring_sizes_are_baked_and_arrays_stay_where_they_stand(spacing_by: str, result: str, axis: str) -> None:
    sheet = two()
    sheet.do("set_pose", "placement-2", size=(-1.5, 1, 0.5), turn=(10, 50, 5))
    sheet.do("place_piece", "piece-1", position=(3, 0, 9))
    sheet.do("line_array", "placement-3", count=4, axis=axis, spacing_by=spacing_by, spacing=2.5)
    sheet.do("place_piece", "piece-1", position=(-3, 0, 9))
    sheet.do("line_array", "placement-4", count=3, axis=axis, spacing_by=spacing_by, spacing=2.5)
    sheet.do("set_pose", "array-2", size=(-1, 1, 2))
    pick = {"new piece": ("array-2", "placement-2"), "same piece": ("placement-2",)}[result]
    before = sheet.vertices()
    sheet.do("bake_size", *pick, result=result)
    after = sheet.vertices()
    for key in before:
        assert np.abs(np.sort(after[key], axis=1) - np.sort(before[key], axis=1)).max() < 1e-9, key


def test_an_array_goes_along_its_axis_whatever_its_size_and_its_measure() -> None:
    sheet = two()
    for k, by in enumerate(("lengths", "metres")):
        sheet.do("place_piece", "piece-1", position=(0, 0, 5 * k))
        sheet.do("line_array", f"placement-{3 + k}", count=3, axis="x", spacing_by=by, spacing=2.0)
        for size in ((-1, 1, 1), (1, 1, 1)):
            sheet.do("set_pose", f"array-{k + 1}", size=size)
            shown = items_of(sheet.snapshot, sheet.row(f"array-{k + 1}"))
            assert shown is not None
            assert (np.diff(shown.batches[0].poses.positions[:, 0]) > 0).all(), (by, size)


@pytest.mark.parametrize("name", ZOO)
def test_faces_turned_over_look_the_other_way(name: str) -> None:
    mesh = ZOO[name]()
    over = turned_over(mesh)
    assert np.allclose(area_vectors(over), -area_vectors(mesh))
    again = turned_over(over)
    assert again.content_hash == mesh.content_hash
    if name in CLOSED:
        assert problems(over) == problems(mesh)
        assert volume(sized(mesh, (-1.0, 1.0, 1.0), (0.1, 0.2, 0.3))) == pytest.approx(volume(mesh))


def test_hidden_and_locked_things_are_marked_and_the_locked_refused() -> None:
    sheet = two()
    made = sheet.do("set_marks", "placement-1", hide=True)
    assert made.select == ()
    assert (sheet.row("placement-1").hidden, sheet.row("placement-1").locked) == (True, False)
    sheet.do("set_marks", "placement-1", "placement-2", lock=True)
    assert sheet.row("placement-1").hidden
    with pytest.raises(SelectionError, match="Box is locked"):
        sheet.do("move", "placement-1", by=(1, 0, 0))
    with pytest.raises(SelectionError, match="Box, Wedge are locked"):
        sheet.do("delete", "placement-1", "placement-2")
    sheet.do("set_marks", "placement-1", hide=False, lock=False)
    sheet.do("move", "placement-1", by=(1, 0, 0))
    assert sheet.row("placement-1").position == (6, 0, 0)


@given(turns, place, angle, st.sampled_from(["x", "y", "z"]))
@settings(max_examples=60)
def test_what_turns_about_a_picked_feature_leaves_it_where_it_is(turn: Any, at: Any, by: float, axis: str) -> None:
    sheet = two(turn, at)
    hinge = feature("placement-1", "edge", 4)
    before = spot(sheet, hinge).point
    corners = sheet.vertices()["placement-1"][0]
    sheet.do("turn", "placement-1", angle=by, axis=axis, about_what="picked", picked=hinge)
    assert np.abs(spot(sheet, hinge).point - before).max() < 1e-9
    k = "xyz".index(axis)
    assert np.abs(sheet.vertices()["placement-1"][0][:, k] - corners[:, k]).max() < 1e-9, "nothing moves along the axis"
    with pytest.raises(InputError, match="Nothing is picked yet"):
        sheet.do("turn", "placement-1", about_what="picked")
    sheet.do("spread", "placement-1", "placement-2", factor=0.5, about_what="picked", picked=hinge)
    assert np.allclose(sheet.row("placement-2").position, (before + np.array([10.0, 0, 0])) / 2)
