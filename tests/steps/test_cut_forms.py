"""What stands in a level, cut by other things of it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.combine import turned_over
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import problems
from able_brick.core.place.items import item_in_world
from able_brick.core.place.pose import from_degrees, quaternion
from able_brick.demo.pieces import pump_house
from able_brick.level.elements import Elements
from able_brick.level.evaluate import shown_items
from able_brick.level.snapshot import Edit
from able_brick.steps.draft import Change, facts
from tests.steps.test_steps import Sheet


def box(width: float, height: float, depth: float) -> dict[str, Any]:
    return {"kind": "box", "width": width, "height": height, "depth": depth}


@pytest.fixture
def wall() -> Sheet:
    """A wall of 4 × 3 × 0.3 m (placement-1) and a block of 1 × 2 × 1 m in its middle (placement-2)."""
    sheet = Sheet()
    sheet.do("add_shape", shape=box(4.0, 3.0, 0.3), name="Wall", surface="brick")
    sheet.do("add_shape", shape=box(1.0, 2.0, 1.0), name="Door", surface="iron")
    return sheet


def mesh_of(sheet: Sheet, placement: str) -> PolyMesh:
    return sheet.meshes[sheet.row(sheet.row(placement).piece).mesh]


def in_world(sheet: Sheet, row: str) -> list[PolyMesh]:
    """The meshes of all items of a thing, wound so that they look outwards."""
    out = []
    found = shown_items(sheet.snapshot, sheet.row(row))
    for batch in () if found is None else found.batches:
        own = batch.drawable.mesh(sheet.meshes.__getitem__)
        for pose in batch.poses.rows():
            mesh = item_in_world(own, pose, batch.drawable.pivot, batch.drawable.axes)
            out.append(turned_over(mesh) if np.prod(pose[7:]) < 0 else mesh)
    return out


def world_volume(sheet: Sheet, row: str) -> float:
    return sum(volume(m) for m in in_world(sheet, row))


def is_there(sheet: Sheet, row: str) -> bool:
    return row in sheet.snapshot.of("level-1")


def test_a_doorway_is_subtracted_in_one_step(wall: Sheet) -> None:
    change = wall.do("subtract", "placement-1", "placement-2")
    mesh = mesh_of(wall, "placement-1")
    assert (mesh.face_count, mesh.vertex_count) == (10, 16)
    assert world_volume(wall, "placement-1") == pytest.approx(3.6 - 0.6)
    assert not is_there(wall, "placement-2")
    assert change.select == ("placement-1",)
    assert "+16 tris" in (change.note or "")
    # the piece is the same one, with the way back to its dimensions, and the new faces look like the cutter
    piece = wall.row("piece-1")
    assert wall.row("placement-1").piece == "piece-1"
    assert not piece.live
    assert [m.name for m in piece.materials] == ["brick", "iron"]
    assert np.bincount(mesh.material).tolist() == [7, 3]


def test_what_else_shows_the_piece_stays_whole(wall: Sheet) -> None:
    wall.do("place_piece", "piece-1", position=(0, 0, 5))
    wall.do("subtract", "placement-1", "placement-2")
    assert wall.row("placement-1").piece != "piece-1"
    assert wall.row("placement-3").piece == "piece-1"
    assert world_volume(wall, "placement-3") == pytest.approx(3.6)
    assert world_volume(wall, "placement-1") == pytest.approx(3.0)


@pytest.mark.parametrize(("afterwards", "there", "hidden"), [("removed", 0, 0), ("hidden", 1, 1), ("kept", 1, 0)])
def test_the_cutter_goes_hides_or_stays(wall: Sheet, afterwards: str, there: bool, hidden: bool) -> None:
    wall.do("subtract", "placement-1", "placement-2", cutters=afterwards)
    assert is_there(wall, "placement-2") == bool(there)
    if there:
        assert wall.row("placement-2").hidden == bool(hidden)


def test_the_last_one_may_be_cut_and_keep_its_own_material(wall: Sheet) -> None:
    wall.do("subtract", "placement-1", "placement-2", cut_one="last selected", surface="of the form")
    assert world_volume(wall, "placement-2") == pytest.approx(2.0 - 0.6)
    assert [m.name for m in wall.row("piece-2").materials] == ["iron"]


def test_one_closed_form_of_several(wall: Sheet) -> None:
    wall.do("place_piece", "piece-1", position=(4, 0, 0))
    change = wall.do("unite", "placement-1", "placement-2", "placement-3")
    (row,) = change.select or ()
    mesh = mesh_of(wall, row)
    assert topology(mesh).is_closed
    assert problems(mesh) == []
    assert topology(mesh).parts[0] == 1
    assert world_volume(wall, row) == pytest.approx(7.2 + 2.0 - 0.6)


def test_what_is_in_common_and_what_is_split(wall: Sheet) -> None:
    change = wall.do("split_forms", "placement-1", "placement-2")
    outside, inside = change.select or ()
    assert world_volume(wall, outside) == pytest.approx(3.0)
    assert world_volume(wall, inside) == pytest.approx(0.6)
    wall.do("place_piece", "piece-2")
    wall.do("add_shape", shape=box(0.5, 9.0, 0.2), name="Slot")
    wall.do("intersect", "placement-4", "placement-5")
    assert world_volume(wall, "placement-4") == pytest.approx(0.5 * 2.0 * 0.2)


def test_an_outline_is_drawn_and_nothing_taken_away(wall: Sheet) -> None:
    wall.do("imprint", "placement-1", "placement-2", cutters="kept")
    mesh = mesh_of(wall, "placement-1")
    assert world_volume(wall, "placement-1") == pytest.approx(3.6)
    # front and back in two, and the bottom, on which the block stands as well, in three
    assert mesh.face_count == 3 + 2 + 2 + 3
    assert topology(mesh).is_closed


@pytest.mark.parametrize(
    "pose",
    [
        {"position": (3, -1, 2), "turn": quaternion(from_degrees((20, 40, -30)))},
        {"size": (2.0, 2.0, 2.0)},
        {"size": (2.0, 0.5, 3.0), "turn": quaternion(from_degrees((0, 90, 0)))},
        {"size": (-1.0, 1.0, 1.0)},
        {"size": (-2.0, 0.7, -1.5), "turn": quaternion(from_degrees((0, 180, 90)))},
    ],
)
def test_it_is_cut_where_it_is_seen_however_it_stands(wall: Sheet, pose: dict[str, Any]) -> None:
    wall.do("set_pivot", "piece-1", place="box", anchor={"x": "low", "y": "middle", "z": "high"})
    placed = wall.row("placement-1").changed(**pose)
    wall.snapshot = wall.snapshot.with_edits([_edit(wall, placed)])
    before = world_volume(wall, "placement-1")
    centre = in_world(wall, "placement-1")[0].positions.mean(axis=0)
    turn = quaternion(Rotation.from_rotvec([0.3, 0.2, -0.4]))
    cutter = wall.row("placement-2").changed(position=tuple(centre), turn=turn, size=(0.2, -0.3, 0.25))
    wall.snapshot = wall.snapshot.with_edits([_edit(wall, cutter)])
    taken = world_volume(wall, "placement-2")
    wall.do("split_forms", "placement-1", "placement-2", cutters="kept")
    rest = world_volume(wall, "placement-1")
    inside = world_volume(wall, "placement-3")
    assert rest + inside == pytest.approx(before)
    assert 0 < inside <= taken + 1e-9
    assert wall.row("placement-1").position == placed.position
    # it is within the cutter, where this stands
    low, high = in_world(wall, "placement-2")[0].bounds
    (part,) = in_world(wall, "placement-3")
    assert (part.positions >= low - 1e-9).all()
    assert (part.positions <= high + 1e-9).all()


def _edit(sheet: Sheet, row: Any) -> Any:
    return Edit(sheet.row(row.id), row)


def test_rows_groups_and_all_of_a_group_are_cut(wall: Sheet) -> None:
    wall.do("place_piece", "piece-1", position=(4, 0, 0))
    wall.do("make_group", "placement-1", "placement-3", name="Quay")
    wall.do("add_shape", shape=box(0.5, 0.5, 2.0), name="Hole", position=(-1.5, 1.0, 0))
    wall.do("line_array", "placement-4", count=4, spacing=1.5)
    row = next(r.id for r in wall.snapshot.of("level-1").values() if r.kind == "array")
    group = wall.row("placement-1").group
    wall.do("subtract", group, row, "placement-2")
    assert world_volume(wall, "placement-1") + world_volume(wall, "placement-3") == pytest.approx(
        7.2 - 0.6 - 4 * 0.25 * 0.3 + _overlap()
    )
    assert not is_there(wall, row)
    assert is_there(wall, group)


def _overlap() -> float:
    """Of the holes at −1.5, 0, 1.5 and 3 m the second one lies within the door."""
    return 0.25 * 0.3


def test_what_cannot_be_is_told_and_changes_nothing(wall: Sheet) -> None:
    def refused(error: type[Exception], words: str, tool: str, *rows: str, **how: Any) -> None:
        before = wall.snapshot
        with pytest.raises(error, match=words):
            wall.do(tool, *rows, **how)
        assert wall.snapshot is before

    wall.do("place_piece", "piece-2", position=(50, 0, 0))
    refused(GeometryError, "reaches into Wall", "subtract", "placement-1", "placement-3")
    refused(GeometryError, "reaches into Wall", "imprint", "placement-1", "placement-3")
    refused(GeometryError, "reaches into Wall", "intersect", "placement-1", "placement-3")
    refused(SelectionError, "needs", "unite")
    wall.do("add_shape", shape={"kind": "plane", "width": 2.0, "depth": 2.0}, name="Sheet", position=(0, 1, 0))
    refused(GeometryError, "cutter.*open: 4 edges", "subtract", "placement-1", "placement-4")
    refused(GeometryError, "Sheet.*open: 4 edges", "subtract", "placement-4", "placement-1")
    wall.do("set_marks", "placement-2", lock=True)
    refused(SelectionError, "locked", "subtract", "placement-1", "placement-2")
    wall.do("add_shape", shape=box(50, 50, 50), name="Huge", position=(0, -5, 0))
    refused(GeometryError, "nothing would be left", "subtract", "placement-1", "placement-5")
    # flush against it from outside
    wall.do("place_piece", "piece-2", position=(2.5, 0, 0))
    refused(GeometryError, "reaches into Wall", "subtract", "placement-1", "placement-6")


def test_a_wall_of_a_house_with_parts_through_each_other_is_cut_clean() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape=box(1.4, 2.0, 1.0), name="Arch", position=(2.0, 0.5, -2.6))
    mesh = pump_house().mesh
    sheet.meshes[mesh.content_hash] = mesh
    piece = sheet.row("piece-1").changed(
        id="piece-9", name="Pump house", mesh=mesh.content_hash, facts=facts(mesh), dimensions=None
    )
    sheet.snapshot = sheet.snapshot.with_edits([Edit(None, piece)])
    sheet.do("place_piece", "piece-9")
    change: Change = sheet.do("subtract", "placement-2", "placement-1")
    out = mesh_of(sheet, "placement-2")
    assert topology(out).is_closed
    assert problems(out) == []
    assert "ran through each other" in (change.note or "")


def test_what_is_in_a_group_is_united_once(wall: Sheet) -> None:
    wall.do("place_piece", "piece-1", position=(4, 0, 0))
    wall.do("make_group", "placement-1", "placement-3", name="Quay")
    group = wall.row("placement-1").group
    change = wall.do("unite", group, "placement-2")
    assert change.select == ("placement-1",)
    assert not is_there(wall, "placement-3")
    assert world_volume(wall, "placement-1") == pytest.approx(7.2 + 2.0 - 0.6)


@pytest.mark.parametrize("which", ["form", "cutter"])
@pytest.mark.parametrize(
    ("spoil", "fault"), [("delete_elements", "border"), ("flip_faces", "against"), ("all", "inside_out")]
)
def test_a_refusal_names_the_piece_and_the_fault_that_mending_takes_away(which: str, spoil: str, fault: str) -> None:
    sheet = Sheet()
    for x in (0.0, 0.6):
        sheet.do("add_shape", shape={"kind": "box"}, position=(x, 0.1 * x, 0.1 * x))
    number = 1 if which == "form" else 2
    mesh = sheet.row(f"piece-{number}").mesh
    faces = range(6) if spoil == "all" else [0]
    elements = Elements.of(mesh, faces).model_dump()
    sheet.do("flip_faces" if spoil == "all" else spoil, f"piece-{number}", elements=elements)
    with pytest.raises(GeometryError) as refused:
        sheet.do("subtract", "placement-1", "placement-2")
    assert refused.value.data["mend"] == fault
    assert refused.value.data["piece"] == f"piece-{number}"
    none = Elements.of(sheet.row(f"piece-{number}").mesh, []).model_dump()
    sheet.do("mend", f"piece-{number}", elements=none, faults=(fault,))
    sheet.do("subtract", "placement-1", "placement-2")
    assert sheet.row("piece-1").facts.closed
