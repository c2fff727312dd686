"""What each tool does to a level, without a store."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import AbleBrickError, GeometryError, InputError, SelectionError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.path.running import Running
from able_brick.core.place.items import item_to_world
from able_brick.core.place.pose import from_degrees, quaternion, rotation
from able_brick.level.evaluate import Summary, items_of, summary
from able_brick.level.rows import Array, Course, LevelRow, Path, Piece, Placement
from able_brick.level.snapshot import Edit, Snapshot
from able_brick.steps.draft import Change
from able_brick.steps.parse import parse_tool
from able_brick.steps.registry import apply


class Sheet:
    """A level in memory, changed by steps."""

    def __init__(self) -> None:
        self.meshes: dict[str, PolyMesh] = {}
        empty = Snapshot(load=self.meshes.__getitem__)
        self.snapshot = empty.with_edits([Edit(None, LevelRow(id="level-1", name="Trial"))])

    def do(self, tool: str, *selection: str, **params: Any) -> Change:
        change = apply(self.snapshot, "level-1", parse_tool(tool, params), selection, self.meshes.__getitem__)
        self.meshes.update(change.meshes)
        self.snapshot = self.snapshot.with_edits(change.edits, change.counters)
        self.last = change
        return change

    def row(self, key: str) -> Any:
        return self.snapshot.pieces.get(key) or self.snapshot.things["level-1"][key]

    def summary(self) -> Summary:
        return summary(self.snapshot, "level-1", self.meshes.__getitem__)

    def vertices(self) -> dict[str, np.ndarray]:
        """World vertices of every item of every thing."""
        return {
            thing.id: world_vertices(self.snapshot, thing, self.meshes.__getitem__)
            for thing in self.snapshot.things["level-1"].values()
            if hasattr(thing, "piece")
        }


def world_vertices(snapshot: Snapshot, thing: Any, load: Callable[[str], PolyMesh]) -> np.ndarray:
    """World vertices (n,V,3) of every item of a thing; all of them have as many."""
    return np.stack(item_vertices(snapshot, thing, load))


def item_vertices(snapshot: Snapshot, thing: Any, load: Callable[[str], PolyMesh]) -> list[np.ndarray]:
    """World vertices (V,3) of every item of a thing."""
    shown = items_of(snapshot, thing)
    assert shown is not None
    found = [shown.item(k) for k in range(shown.count)]
    return [
        item_to_world(look.mesh(load).positions, pose, look.pivot, look.axes)
        for look, pose in (f for f in found if f is not None)
    ]


BEND = [{"position": (0, 0, 0)}, {"position": (12, 1, 5)}, {"position": (25, 0, -4)}]


def boxes() -> Sheet:
    """Two placements of a box, one of them sized, an array of it, and a path with a course of it."""
    made = Sheet()
    made.do("add_shape", shape={"kind": "box", "width": 3.0, "height": 1.0, "depth": 0.6})
    made.do("place_piece", "piece-1", position=(4, 1, 2), turn=(10, 40, 5))
    made.do("set_pose", "placement-2", size=(1.0, 2.0, 0.5))
    made.do("place_piece", "piece-1", position=(-4, 0, 2), turn=(0, 20, 0))
    made.do("line_array", "placement-3", count=4, axis="z", spacing=1.5)
    made.do("draw_path", points=BEND)
    made.do("lay_course", "path-1", piece="piece-1", sideways=0.7)
    return made


@pytest.fixture
def sheet() -> Sheet:
    """Two placements of a box, an array of it, and courses of it both ways round."""
    made = boxes()
    made.do("lay_course", "path-1", piece="piece-1", flip=True, fit="number", number=3, up=0.2)
    made.do("lay_course", "path-1", piece="piece-1", running="z", stand="following", fit="spacing", spacing=2.5)
    return made


number = st.floats(-4, 4)


@given(st.tuples(number, number, number))
@settings(max_examples=25, deadline=None)
def test_pieces_stay_wherever_their_pivot_goes(point: tuple[float, float, float]) -> None:
    made = Sheet()
    made.do("add_shape", shape={"kind": "box", "width": 3.0, "height": 1.0, "depth": 0.6})
    made.do("place_piece", "piece-1", position=(4, 1, 2), turn=(10, 40, 5))
    made.do("set_pose", "placement-2", size=(1.0, 2.0, 0.5))
    made.do("draw_path", points=BEND)
    for extra in ({}, {"flip": True}, {"running": "z"}, {"running": "-x", "fit": "number", "number": 4}):
        made.do("lay_course", "path-1", piece="piece-1", **extra)
    before = made.vertices()
    made.do("set_pivot", "piece-1", place="typed", point=point)
    after = made.vertices()
    assert made.row("piece-1").pivot == point
    for key, points in before.items():
        assert np.abs(points - after[key]).max() < 1e-9, key


def test_numbers_stay_when_the_pieces_are_to_move(sheet: Sheet) -> None:
    before = sheet.row("placement-2").position
    stood = sheet.vertices()["placement-2"]
    sheet.do("set_pivot", "placement-2", anchor={"x": "low", "y": "low", "z": "low"}, outcome="numbers stay")
    assert sheet.row("placement-2").position == before
    assert np.abs(sheet.vertices()["placement-2"] - stood).max() > 0.5
    corner = sheet.vertices()["placement-2"][0]
    assert np.linalg.norm(corner - before, axis=1).min() < 1e-12


@pytest.mark.parametrize(
    ("place", "pivot"),
    [
        ("centre of mass", (0.0, 0.5, 0.0)),
        ("mesh origin", (0.0, 0.0, 0.0)),
        ("grid point", (0.0, 0.0, 0.0)),
    ],
)
def test_named_places(sheet: Sheet, place: str, pivot: tuple[float, float, float]) -> None:
    sheet.do("set_pivot", "piece-1", place="typed", point=(0.1, 0.2, -0.1))
    sheet.do("set_pivot", "piece-1", place=place)
    assert sheet.row("piece-1").pivot == pytest.approx(pivot, abs=1e-12)


def test_moves_go_along_the_chosen_axes(sheet: Sheet) -> None:
    sheet.do("move", "placement-1", "placement-2", by=(1, 0, 0), axes="piece")
    assert sheet.row("placement-1").position == (1.0, 0.0, 0.0)
    along = from_degrees((10, 40, 5)).apply([1, 0, 0])
    assert sheet.row("placement-2").position == pytest.approx(np.array([4, 1, 2]) + along)
    sheet.do("move", "path-1", by=(0, 2, 0))
    assert [p.position[1] for p in sheet.row("path-1").points] == [2.0, 3.0, 2.0]
    assert sheet.vertices()["course-1"][:, :, 1].min() == pytest.approx(2.0, abs=0.6)


def test_turns_keep_distances_to_what_is_turned_about(sheet: Sheet) -> None:
    sheet.do("turn", "placement-1", "placement-2", angle=90, about_what="point", point=(1, 0, 0))
    assert sheet.row("placement-1").position == pytest.approx((1, 0, 1))
    assert sheet.row("placement-2").position == pytest.approx((3, 1, -3))
    before = sheet.vertices()
    for _ in range(4):
        sheet.do("turn", "placement-1", "placement-2", angle=90, axis="x", about_what="middle")
    after = sheet.vertices()
    assert np.abs(before["placement-2"] - after["placement-2"]).max() < 1e-9
    sheet.do("turn", "placement-1", angle=30)
    turn = sheet.row("placement-1").turn
    assert turn == pytest.approx(quaternion(from_degrees((0, 120, 0))))


def test_snapping_touches_only_the_chosen_axes(sheet: Sheet) -> None:
    sheet.do("move", "placement-1", by=(0.26, 0.74, 0.3))
    sheet.do("snap_to_grid", "placement-1", y=False)
    assert sheet.row("placement-1").position == (0.5, 0.74, 0.5)
    sheet.do("snap_to_grid", "placement-1", step=0.25)
    assert sheet.row("placement-1").position == (0.5, 0.75, 0.5)


def test_duplicates_are_linked_or_have_a_piece_of_their_own(sheet: Sheet) -> None:
    linked = sheet.do("duplicate", "placement-1", distance=-3.2, count=7, axis="z")
    rows = [sheet.row(key) for key in linked.select or ()]
    assert [r.position[2] for r in rows] == pytest.approx([-3.2 * k for k in range(1, 8)])
    assert {r.piece for r in rows} == {"piece-1"}
    assert len({r.name for r in rows}) == 7
    (own,) = sheet.do("duplicate", "placement-1", linked=False).select or ()
    piece = sheet.row(sheet.row(own).piece)
    assert piece.id != "piece-1"
    assert piece.mesh == sheet.row("piece-1").mesh
    turned = sheet.do("duplicate", "placement-2", axes="piece", distance=2.0).select or ()
    offset = np.subtract(sheet.row(turned[0]).position, (4, 1, 2))
    assert offset == pytest.approx(2 * from_degrees((10, 40, 5)).apply([1, 0, 0]))


def test_arrays_touch_at_one_length_and_follow_their_piece(sheet: Sheet) -> None:
    sheet.do("adjust_array", "array-1", axis="x", spacing=1.0, count=3)
    items = sheet.vertices()["array-1"]
    assert len(items) == 3
    across = rotation(sheet.row("array-1").turn).apply([3.0, 0, 0])
    for k in (1, 2):
        assert np.allclose(items[k] - items[0], k * across, atol=1e-12)
    sheet.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 5.0, "height": 1.0, "depth": 0.6})
    wider = sheet.vertices()["array-1"]
    assert np.allclose(wider[2] - wider[0], 2 * across / 3 * 5, atol=1e-12), "they touch at their new length"
    sheet.do("adjust_array", "array-1", axis="-z", spacing_by="metres", spacing=2.5, count=2)
    items = sheet.vertices()["array-1"]
    assert np.linalg.norm(items[1][0] - items[0][0]) == pytest.approx(2.5)


def test_courses_follow_path_and_settings(sheet: Sheet) -> None:
    row: Course = sheet.row("course-1")
    assert row.running is Running.AUTO
    count = len(sheet.vertices()["course-1"])
    longer = [*BEND, {"position": (45, 0, -4)}]
    sheet.do("edit_path", "path-1", points=longer)
    assert len(sheet.vertices()["course-1"]) > count + 4
    sheet.do("add_shape", shape={"kind": "cylinder", "radius": 0.2})
    sheet.do("adjust_course", "course-1", piece="piece-2", fit="spacing", spacing=5.0)
    assert sheet.row("course-1").piece == "piece-2"
    # upright items are spaced on the ground
    gaps = np.linalg.norm(np.diff(sheet.vertices()["course-1"].mean(axis=1)[:, [0, 2]], axis=0), axis=1)
    assert (gaps < 5.0 + 1e-9).all()
    assert (gaps > 4.5).all()


def test_deleting_a_path_takes_its_courses_and_a_used_piece_is_kept(sheet: Sheet) -> None:
    with pytest.raises(SelectionError, match="is used 6 times") as told:
        sheet.do("delete", "piece-1")
    assert len(told.value.data["users"]) == 6  # type: ignore[arg-type]
    sheet.do("delete", "path-1")
    assert not [t for t in sheet.snapshot.things["level-1"].values() if isinstance(t, Course)]
    sheet.do("delete", "placement-1", "placement-2", "array-1")
    sheet.do("delete", "piece-1")
    assert not sheet.snapshot.pieces


def test_slimming_makes_a_piece_for_the_selection_or_changes_it_everywhere(sheet: Sheet) -> None:
    sheet.do("add_shape", shape={"kind": "cylinder", "sides": 64, "rows": 10}, name="Drum")
    (second,) = sheet.do("duplicate", "placement-4", distance=2).select or ()
    source = sheet.row("piece-2")
    sheet.do("slim", second, share=50.0)
    assert sheet.row("placement-4").piece == "piece-2"
    slim: Piece = sheet.row(sheet.row(second).piece)
    assert slim.facts.triangles <= math.ceil(source.facts.triangles / 2)
    assert slim.slim is not None
    assert (slim.slim.piece, slim.slim.mesh) == ("piece-2", source.mesh)
    sheet.do("slim", "placement-4", target="count", triangles=300, result="same piece")
    assert sheet.row("piece-2").facts.triangles <= 300
    assert sheet.row("placement-4").piece == "piece-2"


def test_names_are_kept_apart_and_can_be_changed(sheet: Sheet) -> None:
    sheet.do("add_shape", shape={"kind": "box"})
    sheet.do("add_shape", shape={"kind": "box"})
    names = [p.name for p in sheet.snapshot.pieces.values()]
    assert names == ["Box", "Box 2", "Box 3"]
    sheet.do("rename", "path-1", name="  Quay line ")
    assert sheet.row("path-1").name == "Quay line"
    with pytest.raises(InputError, match="empty"):
        sheet.do("rename", "path-1", name="   ")


def test_the_budget_counts_every_item_and_findings_say_what_to_do(sheet: Sheet) -> None:
    items = sum(len(v) for v in sheet.vertices().values())
    found = sheet.summary()
    assert found.placements == items
    assert found.triangles == 12 * items
    assert found.hardware_vertices == 24 * items
    assert found.draw_calls == 1
    sheet.do("level_settings", budget=100)
    (over,) = [f for f in sheet.summary().findings if f.code == "over_budget"]
    assert "slim Box" in over.text
    sheet.do("edit_path", "path-1", points=[{"position": (0, 0, 0)}, {"position": (3.9, 0, 0)}])
    stretched = [f for f in sheet.summary().findings if f.code == "stretch"]
    assert "3.00 m or 6.00 m would fit" in stretched[0].text


def test_steps_touch_only_what_they_say(sheet: Sheet) -> None:
    before = sheet.snapshot
    sheet.do("move", "placement-1", by=(0, 0, 0))
    assert sheet.snapshot == before
    change = sheet.do("move", "placement-1", by=(1, 0, 0))
    assert [e.id for e in change.edits] == ["placement-1"]
    assert change.edits[0].before == before.things["level-1"]["placement-1"]


@pytest.mark.parametrize(
    ("tool", "selection", "params", "error", "text"),
    [
        ("duplicate", ("placement-1",), {"distance": 0.0}, GeometryError, "distance of 0 m"),
        ("duplicate", ("placement-1", "placement-2"), {"count": 60_000}, GeometryError, "Ask for fewer"),
        (
            "rename",
            ("placement-1", "placement-2"),
            {"name": "A"},
            SelectionError,
            "works on 1 at a time; 2 are selected",
        ),
        ("set_pose", ("placement-1",), {"size": (1, 0, 1)}, InputError, "flatten"),
        ("lay_course", ("path-1",), {}, InputError, "Choose the piece"),
        ("lay_course", ("path-1",), {"piece": "piece-9"}, AbleBrickError, "no piece 'piece-9'"),
        (
            "turn",
            ("course-1",),
            {},
            SelectionError,
            "Turn cannot work on course-1. Select a placement, an array, a path",
        ),
        ("draw_path", (), {"points": [{"position": (0, 0, 0)}]}, InputError, "Points"),
        ("move", ("placement-1",), {"by": (1, 2)}, InputError, "By Z|By"),
    ],
)
def test_impossible_steps_are_refused_in_words(
    sheet: Sheet, tool: str, selection: tuple[str, ...], params: dict[str, Any], error: type[AbleBrickError], text: str
) -> None:
    before = sheet.snapshot
    with pytest.raises(error, match=text):
        sheet.do(tool, *selection, **params)
    assert sheet.snapshot is before


def test_kinds_of_rows(sheet: Sheet) -> None:
    kinds = {type(r) for r in sheet.snapshot.things["level-1"].values()}
    assert kinds == {Placement, Array, Path, Course}
