"""Editing the faces of a piece by steps: all that shows it follows, and what is stale or locked is refused."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.element_types import converted
from able_brick.core.edit.picks import take_in
from able_brick.core.errors import AbleBrickError, GeometryError, StaleElementsError
from able_brick.core.mesh.facets import facets
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.pose import to_world
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


def test_faces_are_pulled_out_along_two_points_of_the_level(sheet: Sheet) -> None:
    sheet.do("turn", "placement-1", angle=30.0)
    sheet.do("place_piece", "piece-1", position=(5, 0, 9))
    t = topology(sheet.mesh)
    ways = sheet.mesh.positions[t.edges[:, 1]] - sheet.mesh.positions[t.edges[:, 0]]
    one, two = (int(v) for v in t.edges[int(np.argmax(np.abs(ways[:, 1])))])
    way = sheet.mesh.positions[two] - sheet.mesh.positions[one]
    points = {
        "direction": "points",
        "start": {"thing": "placement-1", "kind": "vertex", "index": one},
        "end": {"thing": "placement-1", "kind": "vertex", "index": two},
    }
    up = sheet.facing(0, 1, 0)
    with pytest.raises(AbleBrickError, match="Two points"):
        sheet.shape("extrude", up, depth=0.5, direction="points")
    with pytest.raises(AbleBrickError, match="lie on each other"):
        sheet.shape("extrude", up, depth=0.5, **{**points, "end": points["start"]})
    before = sheet.mesh
    change = sheet.shape("extrude", up, depth=0.5, base="left", **points)
    assert change.elements is not None
    low = before.positions[converted(before, "face", up.numbers(before), "vertex")].mean(axis=0)
    picked = change.elements.numbers(sheet.mesh)
    far = sheet.mesh.positions[converted(sheet.mesh, "face", picked, "vertex")].mean(axis=0)
    assert far - low == pytest.approx(0.5 * way / np.linalg.norm(way), abs=1e-9)


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


def test_faces_are_pulled_out_along_a_path(sheet: Sheet) -> None:
    points = [{"position": p} for p in ((0, 0, 0), (3, 0, 0), (3, 0, 3))]
    sheet.do("draw_path", points=points, smooth=False)
    top = sheet.facing(0, 1, 0)
    before = sheet.row("piece-1").facts.faces
    change = sheet.shape("extrude_along", top, path="path-1", sections=4, taper=50.0)
    assert topology(sheet.mesh).is_closed
    # each of four sections has a wall for every edge of the border of four faces
    assert sheet.row("piece-1").facts.faces == before + 4 * 10
    assert change.elements is not None
    end = change.elements.numbers(sheet.mesh)
    area = np.linalg.norm(area_vectors(sheet.mesh)[end], axis=1).sum()
    assert area == pytest.approx(4.0 * 0.6 * 0.25, rel=1e-9)
    # as far along the first side as the path goes, then as far across
    middle = sheet.mesh.positions[np.unique(sheet.mesh.corners[_corners(sheet.mesh, end)])].mean(axis=0)
    assert np.linalg.norm(middle - (0, 3, 0)) == pytest.approx(np.hypot(3, 3), rel=1e-6)
    with pytest.raises(AbleBrickError, match="Choose a path"):
        sheet.shape("extrude_along", change.elements, path="path-9")


def _corners(mesh: PolyMesh, faces: np.ndarray) -> np.ndarray:
    chosen = np.zeros(mesh.face_count, np.bool_)
    chosen[faces] = True
    return chosen[mesh.corner_face]


def test_elements_are_put_at_places_turned_sized_and_docked(sheet: Sheet) -> None:
    mesh = sheet.mesh
    vertex = int(np.argmax(mesh.positions.sum(axis=1)))
    one = Elements.of(mesh.content_hash, [vertex], "vertex")
    placed = sheet.shape("place_elements", one, at=(2.1, 3.3, 0.7))
    assert placed.elements is not None
    assert sheet.mesh.positions[placed.elements.numbers(sheet.mesh)[0]].tolist() == [2.1, 3.3, 0.7]
    sheet.do("set_pose", "placement-1", position=(0.1, 0.2, 0.3), turn=(0, 37, 0))
    docked = sheet.shape("dock_elements", placed.elements, grip=vertex, landing=(5.3, 1.7, -0.9))
    assert docked.elements is not None
    row = sheet.row("placement-1")
    world = to_world(sheet.mesh.positions[[vertex]], row.position, row.turn, row.size, (0, 0, 0))[0]
    assert world == pytest.approx((5.3, 1.7, -0.9), abs=1e-15)
    turned = sheet.shape(
        "turn_elements", sheet.facing(0, 1, 0), axis="way", way=(0, 2, 0), angle=20, about_what="pivot"
    )
    assert turned.elements is not None
    with pytest.raises(AbleBrickError, match="no area"):
        sheet.shape("size_elements", turned.elements, shares=(0, 0, 0))
    with pytest.raises(AbleBrickError, match="no length"):
        sheet.shape("turn_elements", turned.elements, axis="way", way=(0, 0, 0))


def test_lengths_and_sides_are_typed(sheet: Sheet) -> None:
    def spread(picked: Elements) -> np.ndarray:
        at = converted(sheet.mesh, picked.kind, picked.numbers(sheet.mesh), "vertex")
        return np.ptp(sheet.mesh.positions[at], axis=0)

    front = sheet.facing(0, 0, 1)
    for side, along in (("width", 0), ("height", 1)):
        before = spread(front)
        change = sheet.shape("stretch_elements", front, side=side, length=2.5)
        assert change.elements is not None
        front = change.elements
        before[along] = 2.5
        assert spread(front) == pytest.approx(before, rel=1e-12)
    with pytest.raises(GeometryError, match="two vertices"):
        sheet.shape("stretch_elements", front, side="length", length=2.5)
    edge = Elements.of(sheet.mesh.content_hash, [3], "edge")
    with pytest.raises(GeometryError, match="pick faces"):
        sheet.shape("stretch_elements", edge, side="width", length=2.5)
    change = sheet.shape("stretch_elements", edge, length=0.7)
    assert change.elements is not None
    assert np.linalg.norm(spread(change.elements)) == pytest.approx(0.7, rel=1e-12)


def test_tools_for_edges_do_not_take_faces(sheet: Sheet) -> None:
    with pytest.raises(AbleBrickError, match="Add loops works on edges; faces are picked"):
        sheet.shape("add_loops", sheet.facing(0, 1, 0))
    everything = Elements.of(sheet.mesh.content_hash, range(48), "edge")
    told = sheet.shape("bevel", everything, width=0.01, paint="slot", material=2)
    assert "edges of Wall" in told.note
    sheet.do("slice_plane", "placement-1", elements={"mesh": sheet.mesh.content_hash}, axis="y", at=1.37)
    with pytest.raises(StaleElementsError):
        sheet.do("slice_plane", "placement-1", elements={"mesh": "0" * 40}, axis="y", at=1.2)
    now = {"mesh": sheet.mesh.content_hash}
    with pytest.raises(AbleBrickError, match="two places"):
        sheet.do("cut_across", "placement-1", elements=now, stops=[{"kind": "vertex", "id": 0}])
    stops = [{"kind": "edge", "id": 10**6}, {"kind": "edge", "id": 1}]
    with pytest.raises(AbleBrickError, match="pick again"):
        sheet.do("cut_across", "placement-1", elements=now, stops=stops)


def test_facets_are_made_and_found(sheet: Sheet) -> None:
    some = Elements.of(sheet.mesh.content_hash, [0, 1, 2])
    made = sheet.shape("make_facet", some)
    own = facets(sheet.mesh)
    assert len(np.unique(own[[0, 1, 2]])) == 1
    assert np.count_nonzero(own == own[0]) == 3
    assert made.elements is not None
    sheet.shape("find_facets", Elements.of(sheet.mesh.content_hash, range(sheet.mesh.face_count)), by="flat areas")
    assert len(np.unique(facets(sheet.mesh))) == 6
