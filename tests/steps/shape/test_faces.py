"""Editing the faces of a piece by steps: all that shows it follows, and what is stale or locked is refused."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.picks import take_in
from able_brick.core.errors import AbleBrickError, GeometryError, StaleElementsError
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.level.elements import Elements
from able_brick.steps.draft import Change
from tests.steps.test_steps import Sheet as Plain


class Sheet(Plain):
    """A level in which a piece is open."""

    @property
    def mesh(self) -> PolyMesh:
        return self.meshes[self.row("piece-1").mesh]

    def facing(self, *way: float) -> Elements:
        """The faces that look one way."""
        found = np.flatnonzero(unit(area_vectors(self.mesh)) @ np.asarray(way, np.float64) > 0.99)
        return Elements.of(self.mesh.content_hash, found.tolist())

    def shape(self, tool: str, elements: Elements, **params: object) -> Change:
        return self.do(tool, "placement-1", elements=elements.model_dump(), **params)


@pytest.fixture
def sheet() -> Sheet:
    """A wall of 4 × 3 × 0.6 m that stands twice and in a row."""
    made = Sheet()
    shape = {"kind": "box", "width": 4.0, "height": 3.0, "depth": 0.6, "along_x": 4, "along_y": 3}
    made.do("add_shape", shape=shape, name="Wall")
    made.do("place_piece", "piece-1", position=(0, 0, 9))
    made.do("line_array", "placement-2", count=3, spacing=2.0)
    return made


def test_a_door_is_drawn_inward_and_pushed_in_by_two_steps_that_hand_on_what_is_picked(sheet: Sheet) -> None:
    before = volume(sheet.mesh)
    front = sheet.facing(0, 0, 1)
    one = Elements.of(front.mesh, [front.ids[0][0]])
    drawn = sheet.shape("inset", one, width=0.2)
    assert drawn.elements is not None and drawn.elements.mesh == sheet.row("piece-1").mesh
    pushed = sheet.shape("extrude", drawn.elements, depth=-0.3)
    assert volume(sheet.mesh) == pytest.approx(before - 0.6 * 0.6 * 0.3, rel=1e-9)
    assert topology(sheet.mesh).is_closed
    assert pushed.elements is not None and len(pushed.elements.numbers(sheet.mesh)) == 1
    # placements and rows show the piece as it is now; its dimensions are the way back
    row = sheet.row("piece-1")
    assert not row.live and row.dimensions is not None
    assert sheet.summary().triangles == 4 * row.facts.triangles


def test_taper_and_extrude_by_turns_make_a_tower(sheet: Sheet) -> None:
    picked = sheet.facing(0, 1, 0)
    for _ in range(3):
        change = sheet.shape("extrude", picked, depth=0.5)
        assert change.elements is not None
        change = sheet.shape("taper", change.elements, share=75.0)
        assert change.elements is not None
        picked = change.elements
    assert topology(sheet.mesh).is_closed
    top = picked.numbers(sheet.mesh)
    area = np.linalg.norm(area_vectors(sheet.mesh)[top], axis=1).sum()
    assert area == pytest.approx(4.0 * 0.6 * 0.75**6, rel=1e-9)
    assert sheet.mesh.bounds[1][1] == pytest.approx(4.5, abs=1e-9)


def test_faces_are_moved_in_the_axes_of_the_pivot(sheet: Sheet) -> None:
    sheet.do("set_pivot", "placement-1", place="as it is", axes="turned", turn=(0, 90, 0), outcome="pieces stay")
    row = sheet.row("piece-1")
    low, high = sheet.mesh.bounds
    sheet.shape("move_elements", sheet.facing(0, 1, 0), by=(0, 0.25, 0), out=0.25)
    assert sheet.mesh.bounds[1][1] == pytest.approx(high[1] + 0.5, abs=1e-9)
    assert sheet.row("piece-1").axes == row.axes
    # X of the pivot, turned a quarter about Y, leads against Z of the mesh
    sheet.shape("move_elements", sheet.facing(0, 0, -1), by=(0.25, 0, 0))
    assert sheet.mesh.bounds[0][2] == pytest.approx(low[2] - 0.25, abs=1e-9)
    sheet.shape("turn_elements", sheet.facing(0, 1, 0), axis="y", angle=10)
    assert sheet.mesh.bounds[0][1] == low[1]


def test_what_is_stale_or_not_there_changes_nothing(sheet: Sheet) -> None:
    front = sheet.facing(0, 0, 1)
    sheet.shape("extrude", front, depth=0.1)
    now = sheet.row("piece-1").mesh
    with pytest.raises(StaleElementsError, match="pick them again"):
        sheet.shape("extrude", front, depth=0.1)
    with pytest.raises(AbleBrickError, match="No face is picked"):
        sheet.do("extrude", "placement-1", depth=0.1)
    for ids in ([[0, 10**9]], [[5, 2]], [[3, 4], [2, 6]]):
        with pytest.raises(GeometryError):
            sheet.do("extrude", "placement-1", elements={"mesh": now, "kind": "face", "ids": ids}, depth=0.1)
    with pytest.raises(GeometryError, match="at most"):
        sheet.shape("inset", sheet.facing(0, 1, 0), width=0.31)
    assert sheet.row("piece-1").mesh == now


def test_a_piece_is_not_edited_behind_a_lock(sheet: Sheet) -> None:
    sheet.do("set_marks", "array-1", lock=True)
    with pytest.raises(AbleBrickError, match="lock"):
        sheet.shape("extrude", sheet.facing(0, 0, 1), depth=0.1)


def test_deleting_opens_and_flipping_turns_over(sheet: Sheet) -> None:
    change = sheet.shape("delete_elements", sheet.facing(0, -1, 0))
    assert change.elements is not None and not change.elements.ids
    assert not sheet.row("piece-1").facts.closed
    everything = Elements.of(sheet.row("piece-1").mesh, range(sheet.mesh.face_count))
    inside = area_vectors(sheet.mesh).sum(axis=0)
    sheet.shape("flip_faces", everything)
    assert area_vectors(sheet.mesh).sum(axis=0) == pytest.approx(-inside)


def test_ranges_say_the_same_as_numbers() -> None:
    numbers = [0, 1, 2, 7, 9, 10]
    found = Elements.of("m", numbers)
    assert found.ids == ((0, 2), (7, 7), (9, 10))
    mesh = PolyMesh.checked(np.eye(3), [3] * 11, np.tile([0, 1, 2], 11))
    assert found.numbers(mesh).tolist() == numbers
    assert take_in(mesh, "face", found.numbers(mesh), "invert").tolist() == [3, 4, 5, 6, 8]
