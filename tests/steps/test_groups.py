"""Groups, sizes by factors, independence: what is moved as one and what stays as it was."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.distance import cdist
from scipy.spatial.transform import Rotation

from able_brick.core.errors import InputError, SelectionError, UnknownIdError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.core.place.pose import from_degrees, rotation
from able_brick.level.boxes import box_of
from able_brick.level.export import level_file
from able_brick.level.snapshot import Snapshot
from able_brick.steps.draft import Names
from tests.steps.test_steps import Sheet, boxes

angle = st.floats(-180, 180)
turns = st.tuples(angle, angle, angle)
place = st.tuples(*[st.floats(-50, 50)] * 3)


@pytest.fixture
def nest() -> Sheet:
    return nested()


def nested() -> Sheet:
    """group-2 holds group-1 (two boxes askew, one sized), an array, and a path with its course; one box outside."""
    made = boxes()
    made.do("place_piece", "piece-1", position=(9, 0, 9))
    made.do("make_group", "placement-1", "placement-2", name="Inner")
    made.do("make_group", "group-1", "array-1", "course-1")
    return made


def inside(sheet: Sheet, group: str) -> list[str]:
    return sorted(t.id for t in sheet.snapshot.things["level-1"].values() if t.group == group)


def test_a_group_takes_a_path_along_with_its_courses_and_nests(nest: Sheet) -> None:
    assert inside(nest, "group-2") == ["array-1", "course-1", "group-1", "path-1"]
    assert inside(nest, "group-1") == ["placement-1", "placement-2"]
    low, high = box_of(
        nest.snapshot, nest.snapshot.things["level-1"].under(nest.row("group-1")), nest.meshes.__getitem__
    ) or (0, 0)
    points = np.concatenate([nest.vertices()[k].reshape(-1, 3) for k in ("placement-1", "placement-2")])
    assert np.allclose([low, high], [points.min(axis=0), points.max(axis=0)])
    pivot = nest.row("group-1").position
    assert np.allclose(pivot, [(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])  # type: ignore[index]


@given(turns)
@settings(max_examples=40, deadline=None)
def test_the_base_of_a_group_is_that_of_its_vertices(turn: Any) -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "cone", "radius": 1.0, "height": 2.0})
    sheet.do("set_pose", "placement-1", turn=turn)
    sheet.do("make_group", "placement-1")
    points = sheet.vertices()["placement-1"].reshape(-1, 3)
    low, high = points.min(axis=0), points.max(axis=0)
    assert np.allclose(
        sheet.row("group-1").position, [(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2], atol=1e-9
    )


@given(turns, place, st.floats(-360, 360), st.sampled_from("xyz"))
@settings(max_examples=40, deadline=None)
def test_everything_in_a_group_follows_it_as_one(turn: Any, at: Any, angle: float, axis: Any) -> None:
    sheet = nested()
    before, pivot = sheet.vertices(), sheet.row("group-2")
    sheet.do("set_pose", "group-2", position=at, turn=turn)
    assert sheet.row("group-2").position == at
    by = from_degrees(turn) * rotation(pivot.turn).inv()
    for key in ("placement-1", "placement-2", "array-1", "course-1"):
        wanted = by.apply(before[key].reshape(-1, 3) - pivot.position) + at
        if key == "course-1":
            # a course finds its stands anew along the turned path: as it would along one that was drawn there
            drawn = Sheet()
            drawn.snapshot, drawn.meshes = sheet.snapshot, sheet.meshes
            path = [p.model_dump() for p in sheet.row("path-1").points]
            (copy,) = drawn.do("draw_path", points=path).select or ()
            (laid,) = drawn.do("lay_course", copy, piece="piece-1", sideways=0.7).select or ()
            wanted = drawn.vertices()[laid].reshape(-1, 3)
        assert np.abs(sheet.vertices()[key].reshape(-1, 3) - wanted).max() < 1e-9, key
    assert np.array_equal(before["placement-4"], sheet.vertices()["placement-4"]), "outside nothing moves"
    # forth and back again
    now = sheet.vertices()
    sheet.do("turn", "group-2", angle=angle, axis=axis)
    sheet.do("turn", "group-2", angle=-angle, axis=axis)
    for key in ("placement-1", "placement-2", "array-1"):
        assert np.abs(sheet.vertices()[key] - now[key]).max() < 1e-9


def test_a_group_turns_on_its_pivot_and_what_is_in_it_on_its_own(nest: Sheet) -> None:
    nest.do("group_pivot", "group-1", place="typed", point=(1, 0, 1))
    at = nest.row("placement-1").position
    nest.do("turn", "placement-1", angle=35)
    assert nest.row("placement-1").position == at
    turned = rotation(nest.row("placement-1").turn)
    nest.do("turn", "group-1", angle=90)
    there = Rotation.from_euler("y", 90, degrees=True)
    assert np.allclose(nest.row("placement-1").position, np.add(there.apply(np.subtract(at, (1, 0, 1))), (1, 0, 1)))
    assert (rotation(nest.row("placement-1").turn).inv() * there * turned).magnitude() < 1e-12
    assert nest.row("group-1").position == (1, 0, 1)
    # orbit round a point: the child keeps its own pivot within the group
    nest.do("turn", "group-1", angle=180, about_what="point", point=(0, 0, 0))
    assert np.allclose(nest.row("group-1").position, (-1, 0, -1))
    # and back to the centre in one step
    nest.do("group_pivot", "group-1")
    low, high = box_of(
        nest.snapshot, nest.snapshot.things["level-1"].under(nest.row("group-1")), nest.meshes.__getitem__
    ) or (0, 0)
    assert np.allclose(nest.row("group-1").position[0], (low[0] + high[0]) / 2)  # type: ignore[index]


@pytest.mark.parametrize(
    "params",
    [
        {"place": "base"},
        {"place": "centre"},
        {"place": "middle of pivots"},
        {"place": "grid point"},
        {"place": "world origin"},
        {"place": "picked", "picked": {"thing": "placement-4", "kind": "vertex", "index": 3}},
        {"place": "typed", "point": (3, 2, 1), "axes": "turned", "turn": (0, 30, 0)},
        {
            "place": "as it is",
            "axes": "up along the normal",
            "picked": {"thing": "placement-2", "kind": "face", "index": 1, "face": 1},
        },
    ],
)
def test_what_is_in_a_group_stays_wherever_its_pivot_goes(nest: Sheet, params: dict[str, Any]) -> None:
    before = nest.vertices()
    nest.do("group_pivot", "group-2", **params)
    for key, points in nest.vertices().items():
        assert np.array_equal(points, before[key])


def test_putting_in_and_taking_out_moves_nothing_and_leaves_no_empty_groups(nest: Sheet) -> None:
    before = nest.vertices()
    nest.do("put_into_group", "placement-4", into="group-1")
    nest.do("put_into_group", "group-1", into=None)
    assert nest.row("group-1").group is None
    nest.do("put_into_group", "course-1", into=None)
    assert (nest.row("course-1").group, nest.row("path-1").group) == (None, None)
    nest.do("put_into_group", "array-1", into="group-1")
    assert "group-2" not in nest.snapshot.things["level-1"], "nothing is left in it"
    nest.do("dissolve_group", "group-1")
    assert all(t.group is None for t in nest.snapshot.things["level-1"].values())
    for key, points in nest.vertices().items():
        assert np.array_equal(points, before[key])


def test_groups_are_not_put_into_themselves(nest: Sheet) -> None:
    for group in ("group-1", "group-2"):
        with pytest.raises(SelectionError, match="cannot be put into itself"):
            nest.do("put_into_group", "group-2", into=group)
    with pytest.raises(SelectionError, match="in Inner already"):
        nest.do("put_into_group", "placement-1", into="group-1")
    with pytest.raises(UnknownIdError, match="no group 'group-9'"):
        nest.do("put_into_group", "placement-1", into="group-9")
    with pytest.raises(InputError, match="no size of its own"):
        nest.do("set_pose", "group-1", size=(1, 2, 1))


def test_what_is_selected_twice_moves_once(nest: Sheet) -> None:
    before = nest.vertices()["placement-1"]
    nest.do("move", "placement-1", "group-2", "group-1", by=(1, 0, 0))
    assert np.allclose(nest.vertices()["placement-1"], np.add(before, (1, 0, 0)))


def test_locks_hold_for_what_is_in_a_group_and_for_the_group_of_what_is_locked(nest: Sheet) -> None:
    nest.do("set_marks", "group-1", lock=True)
    for chosen in ("placement-1", "group-1", "group-2"):
        with pytest.raises(SelectionError, match="Inner is locked"):
            nest.do("move", chosen, by=(1, 0, 0))
    nest.do("set_marks", "group-1", lock=False)
    nest.do("set_marks", "placement-2", lock=True)
    with pytest.raises(SelectionError, match="Box 2 is locked"):
        nest.do("delete", "group-2")
    nest.do("move", "placement-1", by=(1, 0, 0))


def test_a_copied_group_is_whole_and_stands_on_its_own(nest: Sheet) -> None:
    count = len(nest.snapshot.things["level-1"])
    made = nest.do("duplicate", "group-2", distance=20.0, axis="z", count=2).select or ()
    assert len(made) == 2
    assert len(nest.snapshot.things["level-1"]) == count + 2 * 7
    for k, key in enumerate(made, start=1):
        copy = nest.row(key)
        assert np.allclose(np.subtract(copy.position, nest.row("group-2").position), (0, 0, 20 * k))
        kinds = sorted(t.kind for t in nest.snapshot.things["level-1"].under(copy))
        assert kinds == ["array", "course", "group", "group", "path", "placement", "placement"]
        course = next(t for t in nest.snapshot.things["level-1"].inside(key) if t.kind == "course")
        assert nest.row(course.path).group == key  # type: ignore[union-attr]
    (own,) = nest.do("duplicate", "group-1", distance=-20.0, axis="z", linked=False).select or ()
    pieces = {nest.row(k).piece for k in inside(nest, own)}
    assert pieces == {"piece-2"}, "the copy shares one piece of its own"


def test_deleting_a_group_takes_all_in_it(nest: Sheet) -> None:
    nest.do("delete", "group-2")
    assert list(nest.snapshot.things["level-1"]) == ["placement-4"]


def test_deleting_the_last_thing_takes_its_groups(nest: Sheet) -> None:
    nest.do("delete", "placement-1", "placement-2")
    assert "group-1" not in nest.snapshot.things["level-1"]
    assert "group-2" in nest.snapshot.things["level-1"]


def test_groups_dock_by_a_feature_of_what_is_in_them(nest: Sheet) -> None:
    before = nest.vertices()
    grip = {"thing": "placement-1", "kind": "vertex", "index": 0}
    landing = {"thing": "placement-4", "kind": "vertex", "index": 6}
    nest.do("dock", "group-1", grip=grip, landing=landing)
    after = nest.vertices()
    shift = after["placement-1"][0] - before["placement-1"][0]
    assert np.allclose(after["placement-1"][0][0], before["placement-4"][0][6], atol=1e-12)
    assert np.allclose(after["placement-2"][0] - before["placement-2"][0], shift)
    with pytest.raises(SelectionError, match="landing is on what is moved"):
        nest.do("dock", "group-2", grip=grip, landing={**landing, "thing": "placement-2"})


def test_a_move_along_a_turned_pieces_axis_is_one_step(nest: Sheet) -> None:
    axis = rotation(nest.row("placement-2").turn).apply([1, 0, 0])
    was = [np.array(nest.row(k).position) for k in ("placement-2", "placement-4")]
    nest.do("move", "placement-2", "placement-4", by=(2, 0, 0), axes="first")
    for k, at in zip(("placement-2", "placement-4"), was, strict=True):
        assert np.allclose(nest.row(k).position, at + 2 * axis, atol=1e-12)
    nest.do("group_pivot", "group-1", axes="turned", turn=(0, 90, 0), place="as it is")
    at = np.array(nest.row("placement-1").position)
    nest.do("move", "placement-1", by=(2, 0, 0), axes="group")
    assert np.allclose(nest.row("placement-1").position, np.add(at, (0, 0, -2)), atol=1e-12)
    frame = (0.0, 0.0, float(np.sin(np.pi / 8)), float(np.cos(np.pi / 8)))
    nest.do("move", "placement-4", by=(np.sqrt(2), 0, 0), axes="given", frame=frame)
    assert np.allclose(np.subtract(nest.row("placement-4").position, was[1]) - 2 * axis, [1, 1, 0], atol=1e-12)
    with pytest.raises(SelectionError, match="in no group"):
        nest.do("move", "placement-4", by=(2, 0, 0), axes="group")
    with pytest.raises(InputError, match="not a rotation"):
        nest.do("move", "placement-4", by=(2, 0, 0), axes="given", frame=(0.0, 0.0, 0.0, 0.0))


def test_sizes_grow_about_a_point_and_keep_their_shape(nest: Sheet) -> None:
    before = nest.vertices()
    nest.do("size", "group-2", factors=(2, 2, 2), about_what="point", point=(1, 2, 3))
    after = nest.vertices()
    for key in ("placement-1", "placement-2", "array-1"):
        assert np.abs(after[key] - (2 * (before[key] - [1, 2, 3]) + [1, 2, 3])).max() < 1e-9
    # different factors along the own axes, about the opposite side
    nest.do("size", "placement-4", factors=(3, 1, 1), about_what="point", point=(7.5, 0, 9))
    assert (nest.row("placement-4").size, nest.row("placement-4").position) == ((3, 1, 1), (12, 0, 9))
    with pytest.raises(SelectionError, match="would skew it"):
        nest.do("size", "group-1", factors=(1, 2, 1), axes="world")
    with pytest.raises(SelectionError, match="would flatten"):
        nest.do("size", "placement-4", factors=(0, 1, 1))
    with pytest.raises(SelectionError, match="would flatten"):
        nest.do("size", "placement-4", factors=(-1, 1, 1))


def test_a_thing_turned_by_quarters_is_sized_along_the_worlds_axes() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 3.0, "height": 1.0, "depth": 0.6})
    sheet.do("set_pose", "placement-1", turn=(0, 90, 0))
    sheet.do("line_array", "placement-1", axis="x", spacing_by="metres", spacing=4.0, count=3)
    before = sheet.vertices()["array-1"]
    sheet.do("size", "array-1", factors=(1, 1, 1.5), axes="world")
    assert np.abs(sheet.vertices()["array-1"] - before * [1, 1, 1.5]).max() < 1e-12


def test_one_thing_is_made_independent_of_the_others(nest: Sheet) -> None:
    before = nest.vertices()
    nest.do("make_independent", "group-1")
    assert {nest.row(k).piece for k in ("placement-1", "placement-2")} == {"piece-2"}
    assert nest.row("placement-4").piece == "piece-1"
    for key, points in nest.vertices().items():
        assert np.array_equal(points, before[key])
    nest.do("set_dimensions", "piece-2", shape={"kind": "box", "width": 1.0, "height": 1.0, "depth": 0.6})
    assert np.array_equal(nest.vertices()["placement-4"], before["placement-4"])
    with pytest.raises(SelectionError, match="independent already"):
        nest.do("make_independent", "group-1")


def test_new_things_are_put_where_one_works(nest: Sheet) -> None:
    (made,) = nest.do("place_piece", "piece-1", position=(0, 0, 0), group="group-1").select or ()
    assert nest.row(made).group == "group-1"
    with pytest.raises(UnknownIdError, match="no group"):
        nest.do("place_piece", "piece-1", group="placement-1")


def test_an_exported_level_keeps_its_groups_and_stands_as_it_stood(nest: Sheet) -> None:
    nest.do("group_pivot", "group-2", place="typed", point=(3, 2, 1), axes="turned", turn=(10, 30, 20))
    made = level_file(nest.snapshot, "level-1", nest.meshes.__getitem__, lambda _: None)  # type: ignore[arg-type,return-value]
    outer = next(n for n in made.nodes if n.name == "Group")
    assert sorted(c.name for c in outer.children) == ["Box 3 row", "Box course", "Inner"]
    scene = read_file("level.glb", write_glb(made.parts, made.nodes, name="Trial"))
    found = {i.name: scene.parts[i.part].mesh.positions @ i.matrix[:3, :3].T + i.matrix[:3, 3] for i in scene.instances}
    stood = nest.vertices()
    for key in ("placement-1", "placement-2", "placement-4"):
        away = cdist(found[nest.row(key).name], stood[key][0])
        assert away.min(axis=0).max() < 1e-4, key


def test_a_level_index_follows_the_edits(nest: Sheet) -> None:
    things = nest.snapshot.of("level-1")
    assert [t.id for t in things.inside("group-1")] == ["placement-1", "placement-2"]
    assert [t.id for t in things.users("piece-1")] == [
        "array-1",
        "course-1",
        "placement-1",
        "placement-2",
        "placement-4",
    ]
    assert [g.id for g in things.over(nest.row("placement-1"))] == ["group-1", "group-2"]
    nest.do("delete", "placement-1")
    assert [t.id for t in nest.snapshot.of("level-1").inside("group-1")] == ["placement-2"]
    assert [t.id for t in things.inside("group-1")] == ["placement-1", "placement-2"], "the old one is as it was"
    assert not Snapshot().of("level-7")


@pytest.mark.parametrize(
    ("names", "copied", "made"),
    [
        (["Tower 12"], "Tower 12", "Tower 13"),
        (["Tower"], "Tower", "Tower 2"),
        (["Tower", "Tower 2"], "Tower", "Tower 3"),
        (["Bay 007"], "Bay 007", "Bay 008"),
        (["Pier 9", "Pier 10"], "Pier 9", "Pier 11"),
        (["12"], "12", "12 2"),
    ],
)
def test_copies_are_named_on(names: list[str], copied: str, made: str) -> None:
    taken = Names(names)
    assert taken.following(copied) == made
    taken.take(made)
    assert taken.free(made) not in {*names, made}
