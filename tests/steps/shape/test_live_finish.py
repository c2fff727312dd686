"""Pieces that are mirrored and smoothed live: what is shown is what the mesh that is edited makes, after every step."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError, GeometryError, SelectionError, StaleElementsError
from able_brick.core.finish.smooth import smoothed
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.sizes import sized
from able_brick.level.check import check_finished
from able_brick.level.elements import Elements
from able_brick.level.finish import finished
from able_brick.level.rows import Piece
from tests.steps.shape.chains import is_closed, pierced, wish
from tests.steps.test_steps import Sheet
from tests.thorough import by_day

BOX: dict[str, Any] = {"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}


def drawn(**more: Any) -> Sheet:
    sheet = Sheet()
    sheet.do("add_shape", shape={**BOX, **more})
    return sheet


def piece_of(sheet: Sheet, key: str = "piece-1") -> Piece:
    row = sheet.row(key)
    assert isinstance(row, Piece)
    return row


def shown(sheet: Sheet, key: str = "piece-1") -> PolyMesh:
    return sheet.meshes[piece_of(sheet, key).mesh]


def source(sheet: Sheet, key: str = "piece-1") -> PolyMesh:
    return sheet.meshes[piece_of(sheet, key).source]


def picks(sheet: Sheet, way: tuple[float, float, float], key: str = "piece-1") -> dict[str, Any]:
    mesh = source(sheet, key)
    faces = np.flatnonzero(unit(area_vectors(mesh)) @ np.array(way) > 0.99)
    return Elements.of(piece_of(sheet, key).source, faces.tolist()).model_dump()


def symmetric(mesh: PolyMesh, digits: int | None = None) -> bool:
    """Whether every vertex has its image across x = 0, bit for bit, or to so many digits."""
    own = mesh.positions if digits is None else np.round(mesh.positions, digits)
    places = {tuple(p) for p in (own + 0.0).tolist()}
    return all(tuple(p) in places for p in (own * (-1.0, 1.0, 1.0) + 0.0).tolist())


def holds(sheet: Sheet, key: str = "piece-1") -> None:
    """What is shown is what the finish makes of the source, and the row says so."""
    piece = piece_of(sheet, key)
    finish = piece.live_finish
    assert finish is not None
    made = finished(source(sheet, key), finish)
    assert made.content_hash == piece.mesh
    assert piece.facts.faces == made.face_count
    assert {piece.mesh, piece.source} <= piece.refs.meshes


def test_the_other_half_follows_an_edit_and_the_seam_stays_on_the_plane() -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1")
    assert source(sheet).bounds[0][0] == 0.0
    assert not topology(source(sheet)).is_closed
    assert volume(shown(sheet)) == pytest.approx(2.0)
    sheet.do("extrude", "placement-1", elements=picks(sheet, (0.0, 1.0, 0.0)), depth=0.5)
    holds(sheet)
    mesh = shown(sheet)
    assert topology(mesh).is_closed
    assert volume(mesh) == pytest.approx(3.0)
    assert symmetric(mesh)
    # what is picked next is of the source, and the wall that grew in the plane is gone
    elements = sheet.last.elements
    assert elements is not None
    assert elements.mesh == piece_of(sheet).source
    on = np.abs(source(sheet).positions[:, 0]) == 0.0
    assert not np.logical_and.reduceat(on[source(sheet).corners], source(sheet).face_starts[:-1]).any()
    top = Elements.model_validate(elements).numbers(source(sheet))
    assert unit(area_vectors(source(sheet)))[top] == pytest.approx(np.array([[0.0, 1.0, 0.0]]))


def test_what_stands_on_the_plane_slides_in_it_and_what_is_pushed_through_it_is_cut_off() -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1")
    every = Elements.of(piece_of(sheet).source, range(source(sheet).face_count)).model_dump()
    sheet.do("move_elements", "placement-1", elements=every, by=(0.25, 0.5, 0.0))
    mesh = shown(sheet)
    assert (mesh.bounds[0][0], mesh.bounds[1][0]) == (-1.25, 1.25)
    assert mesh.bounds[0][1] == 0.5
    assert topology(mesh).is_closed
    assert symmetric(mesh)
    # a bar set out beyond the plane is cut off there
    sheet = drawn()
    sheet.do("add_loops", "placement-1", elements=_edges(sheet), count=3)
    sheet.do("live_half", "placement-1")
    half = source(sheet)
    inner = [v for v in range(half.vertex_count) if half.positions[v, 0] == pytest.approx(0.5)]
    sheet.do(
        "move_elements",
        "placement-1",
        elements=Elements.of(piece_of(sheet).source, inner, "vertex").model_dump(),
        by=(0.4, 0.0, 0.0),
    )
    holds(sheet)
    assert volume(shown(sheet)) == pytest.approx(2.0)
    assert float(source(sheet).positions[:, 0].min()) == 0.0


def test_an_open_sheet_stays_on_the_plane_and_open() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "plane", "width": 2.0, "depth": 1.0, "along_x": 4, "along_z": 2})
    sheet.do("live_half", "placement-1")
    every = Elements.of(piece_of(sheet).source, range(source(sheet).face_count)).model_dump()
    sheet.do("move_elements", "placement-1", elements=every, by=(0.25, 0.0, 0.0))
    mesh = shown(sheet)
    assert (mesh.bounds[0][0], mesh.bounds[1][0]) == (-1.25, 1.25)
    border = topology(mesh).edges[topology(mesh).border]
    assert (np.abs(mesh.positions[border][:, :, 0]) > 0).any(axis=1).all(), "the seam is no border"
    assert len(border) == 12
    assert symmetric(mesh)


@pytest.mark.parametrize("half", ["high", "low"])
@pytest.mark.parametrize("which", range(4))
def test_what_is_made_one_with_the_seam_stays_on_it(which: int, half: str) -> None:
    sheet = drawn(along_x=4)
    sheet.do("live_half", "placement-1", half=half)
    mesh = source(sheet)
    ends = np.abs(mesh.positions[topology(mesh).edges])
    off = (ends[:, :, 0].min(axis=1) == 0.0) & (ends[:, :, 0].max(axis=1) == 0.5)
    one = Elements.of(piece_of(sheet).source, [int(np.flatnonzero(off)[which])], "edge").model_dump()
    sheet.do("collapse", "placement-1", elements=one)
    holds(sheet)
    assert topology(shown(sheet)).is_closed
    assert symmetric(shown(sheet))


def test_what_goes_through_its_image_is_refused() -> None:
    sheet = drawn(along_x=4)
    sheet.do("live_half", "placement-1")
    before = piece_of(sheet)
    # the far end turned round about the pivot would come to lie in the other half
    with pytest.raises(GeometryError):
        sheet.do("turn_elements", "placement-1", elements=picks(sheet, (1.0, 0.0, 0.0)), axis="y", angle=175.0)
    assert piece_of(sheet) == before


def _edges(sheet: Sheet) -> dict[str, Any]:
    """The edges along X."""
    mesh = source(sheet)
    ends = mesh.positions[topology(mesh).edges]
    along = np.abs(ends[:, 0, 0] - ends[:, 1, 0]) > 1.0
    return Elements.of(piece_of(sheet).source, np.flatnonzero(along).tolist(), "edge").model_dump()


def test_a_smooth_piece_keeps_its_cage_its_dimensions_and_its_way_back() -> None:
    sheet = drawn()
    sheet.do("live_smooth", "placement-1", levels=2)
    holds(sheet)
    assert shown(sheet).content_hash == smoothed(source(sheet), 2).content_hash
    assert source(sheet).face_count == 6
    assert piece_of(sheet).live
    sheet.do("set_dimensions", "placement-1", shape={**BOX, "width": 3.0})
    holds(sheet)
    assert source(sheet).bounds[1][0] - source(sheet).bounds[0][0] == 3.0
    sheet.do("extrude", "placement-1", elements=picks(sheet, (0.0, 1.0, 0.0)), depth=0.5)
    holds(sheet)
    assert not piece_of(sheet).live
    sheet.do("back_to_dimensions", "placement-1")
    holds(sheet)
    assert source(sheet).face_count == 6
    sheet.do("live_smooth", "placement-1", levels=0)
    assert piece_of(sheet).finish is None
    assert shown(sheet).face_count == 6
    with pytest.raises(SelectionError, match="already"):
        sheet.do("live_smooth", "placement-1", levels=0)


@pytest.mark.parametrize("levels", [0, 1])
def test_dimensions_that_come_back_end_the_half_and_say_so(levels: int) -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1", at=0.25)
    if levels:
        sheet.do("live_smooth", "placement-1", levels=levels)
    sheet.do("back_to_dimensions", "placement-1")
    assert "no longer mirrored live" in sheet.last.note
    assert topology(source(sheet)).is_closed
    assert piece_of(sheet).live
    assert (piece_of(sheet).finish is None) == (levels == 0)
    if levels:
        holds(sheet)


def test_both_at_once_and_made_real_one_after_the_other() -> None:
    sheet = drawn()
    sheet.do("live_smooth", "placement-1", levels=1)
    sheet.do("live_half", "placement-1")
    holds(sheet)
    seen = piece_of(sheet).mesh
    assert symmetric(shown(sheet))
    assert topology(shown(sheet)).is_closed
    sheet.do("finish_real", "placement-1", what="half")
    holds(sheet)
    assert piece_of(sheet).mesh == seen
    assert topology(source(sheet)).is_closed
    sheet.do("finish_real", "placement-1")
    assert piece_of(sheet).finish is None
    assert piece_of(sheet).mesh == seen
    with pytest.raises(SelectionError, match="neither"):
        sheet.do("finish_real", "placement-1")


def test_another_plane_begins_from_both_halves() -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1")
    sheet.do("live_half", "placement-1", across="z")
    assert source(sheet).bounds[0][2] == 0.0
    assert source(sheet).bounds[0][0] == -1.0
    sheet.do("live_half", "placement-1", at=0.5, half="low")
    assert shown(sheet).bounds[1][0] == 2.0
    with pytest.raises(GeometryError, match="that side"):
        sheet.do("live_half", "placement-1", at=5.0)


def test_picks_of_what_is_shown_are_stale() -> None:
    sheet = drawn()
    sheet.do("live_smooth", "placement-1", levels=1)
    wrong = Elements.of(piece_of(sheet).mesh, [0]).model_dump()
    with pytest.raises(StaleElementsError):
        sheet.do("extrude", "placement-1", elements=wrong, depth=0.5)


@pytest.mark.parametrize(
    ("tool", "params"),
    [("slim", {"target": "share", "share": 50.0, "result": "same piece"}), ("subtract", {"cutters": "kept"})],
)
def test_another_mesh_ends_it_and_that_is_said(tool: str, params: dict[str, Any]) -> None:
    sheet = drawn()
    sheet.do("live_smooth", "placement-1", levels=2)
    selection = ["placement-1"]
    if tool == "subtract":
        sheet.do("add_shape", shape=BOX, position=(1.0, 0.5, 0.0))
        selection.append("placement-2")
    sheet.do(tool, *selection, **params)
    assert piece_of(sheet).finish is None
    assert "no longer mirrored or smoothed live" in sheet.last.note


def test_copies_and_parts_are_finished_as_well() -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1")
    sheet.do("duplicate_piece", "piece-1")
    holds(sheet, "piece-2")
    sheet.do("extrude", "placement-1", elements=picks(sheet, (0.0, 1.0, 0.0)), depth=0.5)
    assert volume(shown(sheet, "piece-2")) == pytest.approx(2.0)
    sheet.do("detach", "placement-1", elements=picks(sheet, (0.0, 1.0, 0.0)))
    holds(sheet)
    holds(sheet, "piece-3")
    assert symmetric(shown(sheet, "piece-3"))
    assert area_vectors(shown(sheet, "piece-3"))[:, 1].sum() == pytest.approx(2.0)


def test_a_twin_and_an_image_follow_and_may_be_edited() -> None:
    sheet = drawn()
    sheet.do("move_elements", "placement-1", elements=picks(sheet, (1.0, 0.0, 0.0)), by=(0.5, 0.0, 0.0))
    sheet.do("live_half", "placement-1", at=0.25)
    sheet.do("extrude", "placement-1", elements=picks(sheet, (0.0, 0.0, 1.0)), depth=0.25)
    sheet.do("mirror", "placement-1", across=["x"])
    other = sheet.row("placement-2")
    key = str(other.piece)
    assert key == "piece-2"
    holds(sheet, key)
    sheet.do("extrude", other.id, elements=picks(sheet, (0.0, 1.0, 0.0), key), depth=0.5)
    holds(sheet)
    assert shown(sheet).bounds[1][1] == pytest.approx(1.5)


@pytest.mark.parametrize("size", [(2.0, 2.0, 2.0), (3.0, 1.0, 0.5), (-1.0, 1.0, 1.0)])
def test_a_size_baked_in_keeps_it(size: tuple[float, float, float]) -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1", at=0.25)
    sheet.do("live_smooth", "placement-1", levels=1)
    wanted = sized(shown(sheet), size, piece_of(sheet).pivot)
    sheet.do("set_pose", "placement-1", size=size)
    sheet.do("bake_size", "placement-1", result="same piece")
    holds(sheet)
    assert shown(sheet).positions == pytest.approx(wanted.positions)
    assert np.sort(area_vectors(shown(sheet)), axis=0) == pytest.approx(np.sort(area_vectors(wanted), axis=0))


def test_check_counts_both_halves_and_mends_them() -> None:
    sheet = drawn()
    sheet.do("live_half", "placement-1")
    piece = piece_of(sheet)
    assert piece.finish is not None

    def counts() -> dict[str, int]:
        now = piece_of(sheet)
        assert now.finish is not None
        found = check_finished(source(sheet), shown(sheet), now.finish)
        assert found.mesh == now.source
        return {k.code: k.count for k in found.kinds}

    assert counts()["border"] == 0
    sheet.do("delete_elements", "placement-1", elements=picks(sheet, (0.0, 1.0, 0.0)))
    assert counts()["border"] == 3
    sheet.do("mend", "placement-1", elements=Elements.of(piece_of(sheet).source, []).model_dump(), faults=("border",))
    holds(sheet)
    assert counts()["border"] == 0
    assert volume(shown(sheet)) == pytest.approx(2.0)


@pytest.mark.parametrize("seed", range(by_day(4, 60)))
def test_after_any_edits_what_is_shown_is_what_is_made_of_the_source_and_as_sound(seed: int) -> None:
    random = np.random.default_rng(seed)
    sheet = drawn(along_x=4, along_y=2, along_z=2)
    sheet.do("live_half", "placement-1")
    if seed % 2:
        sheet.do("live_smooth", "placement-1", levels=1, creases="by angle", angle=50.0)
    taken = 0
    for _ in range(by_day(14, 40)):
        before = shown(sheet)
        name, params, elements = wish(random, source(sheet))
        try:
            sheet.do(name, "placement-1", elements=elements.model_dump(), **params)
        except AbleBrickError:
            continue
        taken += 1
        holds(sheet)
        mesh = shown(sheet)
        assert symmetric(mesh, 9 if seed % 2 else None)
        # nothing of the seam is a grain off the plane
        assert (np.abs(mesh.positions[mesh.positions[:, 0] != 0.0, 0]) > 1e-9).all()
        assert float(source(sheet).positions[:, 0].min()) >= 0.0
        if seed % 2 == 0:
            assert name == "delete_elements" or is_closed(mesh) or not is_closed(before), name
            assert pierced(before) or not pierced(mesh), name
        kept = sheet.last.elements
        assert kept is not None and kept.mesh == piece_of(sheet).source
        kept.numbers(source(sheet))
    assert taken > 2
