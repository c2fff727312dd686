"""The tools that mirror and smooth a piece: which plane they take, and what they say."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import GeometryError, InputError
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.level.elements import Elements
from tests.steps.test_steps import Sheet

BOX: dict[str, Any] = {"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}


def drawn() -> Sheet:
    """A box of 2 × 1 × 1 m, its pivot in the middle of its base, as placement-1."""
    sheet = Sheet()
    sheet.do("add_shape", shape=BOX)
    return sheet


def mesh_of(sheet: Sheet, piece: str = "piece-1") -> PolyMesh:
    found: PolyMesh = sheet.meshes[sheet.row(piece).mesh]
    return found


def faces_to(mesh: PolyMesh, way: tuple[float, float, float]) -> list[int]:
    found: list[int] = np.flatnonzero(unit(area_vectors(mesh)) @ np.array(way) > 0.99).tolist()
    return found


def everything(sheet: Sheet) -> dict[str, Any]:
    return Elements.of(sheet.row("piece-1").mesh, []).model_dump()


def picked(sheet: Sheet, way: tuple[float, float, float]) -> dict[str, Any]:
    return Elements.of(sheet.row("piece-1").mesh, faces_to(mesh_of(sheet), way)).model_dump()


@pytest.mark.parametrize(
    ("params", "low", "high"),
    [
        ({}, -1.0, 1.0),
        ({"at": 0.5, "half": "low"}, -1.0, 2.0),
        ({"at": 0.5}, 0.0, 1.0),
        ({"through": "high side", "result": "copy"}, -1.0, 3.0),
        ({"through": "low side", "result": "copy", "at": -0.25}, -3.5, 1.0),
        ({"through": "high side", "result": "in place"}, 1.0, 3.0),
        ({"through": "middle", "at": 0.25, "half": "high"}, -0.5, 1.0),
    ],
)
def test_the_plane_and_the_result_are_those_asked_for(params: dict[str, Any], low: float, high: float) -> None:
    sheet = drawn()
    sheet.do("mirror_elements", "placement-1", elements=everything(sheet), **params)
    mesh = mesh_of(sheet)
    assert (mesh.bounds[0][0], mesh.bounds[1][0]) == (pytest.approx(low), pytest.approx(high))
    whole = topology(mesh).is_closed
    assert whole
    parts = 2.0 if params.get("at") == -0.25 else 1.0
    assert volume(mesh) == pytest.approx((high - low) if parts == 1.0 else 4.0)


def test_a_picked_face_and_two_points_make_the_plane_where_the_piece_stands_turned_and_resized() -> None:
    sheet = drawn()
    sheet.do("move", "placement-1", by=(3.0, 0.5, -2.0))
    sheet.do("turn", "placement-1", axis="x", angle=35.0)
    sheet.do("size", "placement-1", factors=(2.0, 1.0, 0.5))
    mesh = mesh_of(sheet)
    (top,) = faces_to(mesh, (0.0, 1.0, 0.0))
    face = {"thing": "placement-1", "kind": "face", "index": top, "face": top}
    sheet.do("mirror_elements", "placement-1", elements=everything(sheet), plane="face", face=face, result="copy")
    high = mesh_of(sheet)
    assert high.bounds[1] == pytest.approx((1.0, 2.0, 0.5))
    assert volume(high) == pytest.approx(4.0)
    sheet.do("place_piece", "piece-1", position=(20.0, 3.0, 5.0))
    one, two, face = 2, 5, 1
    ends = [{"thing": f"placement-{k + 1}", "kind": "vertex", "index": v} for k, v in enumerate((one, two))]
    world = {name: items[0] for name, items in sheet.vertices().items()}
    sheet.do(
        "mirror_elements",
        "placement-1",
        elements=Elements.of(sheet.row("piece-1").mesh, [face]).model_dump(),
        plane="points",
        one=ends[0],
        two=ends[1],
        result="copy",
    )
    # where the second point is in the mesh, by the way that its vertices go into the world
    there = np.column_stack([high.positions, np.ones(len(high.positions))])
    way = np.linalg.lstsq(there, world["placement-1"], rcond=None)[0]
    goal = np.linalg.solve(way[:3].T, world["placement-2"][two] - way[3])
    along, middle = goal - high.positions[one], (goal + high.positions[one]) / 2
    normal = along / np.linalg.norm(along)
    own = high.positions[high.corners[high.face_starts[face] : high.face_starts[face + 1]]]
    image = own - 2 * np.multiply.outer((own - middle) @ normal, normal)
    made = mesh_of(sheet)
    new = made.positions[made.corners[made.face_starts[-2] :]]
    assert np.allclose(sorted(new.tolist()), sorted(image.tolist()), atol=1e-9)


def test_what_is_missing_is_asked_for_and_nothing_changes() -> None:
    sheet = drawn()
    before = sheet.row("piece-1")
    for params, words in (
        ({"plane": "face"}, "No face is picked"),
        ({"plane": "points"}, "Pick two points"),
    ):
        with pytest.raises(InputError, match=words):
            sheet.do("mirror_elements", "placement-1", elements=everything(sheet), **params)
    with pytest.raises(GeometryError, match="keep the other side"):
        sheet.do("mirror_elements", "placement-1", elements=everything(sheet), at=7.0)
    assert sheet.row("piece-1") == before


def test_only_what_is_picked_is_mirrored() -> None:
    sheet = drawn()
    change = sheet.do(
        "mirror_elements", "placement-1", elements=picked(sheet, (0.0, 1.0, 0.0)), across="y", at=2.0, result="copy"
    )
    mesh = mesh_of(sheet)
    assert mesh.face_count == 7
    assert mesh.bounds[1][1] == pytest.approx(3.0)
    assert change.elements is not None
    assert change.elements.numbers(mesh).tolist() == [6]
    # turned over, so that it looks at the one that it is the image of
    assert unit(area_vectors(mesh))[6] == pytest.approx((0.0, -1.0, 0.0))


def test_smoothing_freezes_the_dimensions_and_tells_what_it_costs() -> None:
    sheet = drawn()
    change = sheet.do("smooth", "placement-1", elements=everything(sheet), levels=2)
    mesh = mesh_of(sheet)
    assert mesh.face_count == 96
    assert not sheet.row("piece-1").live
    assert "+180 tris" in change.note
    kept = drawn()
    kept.do("smooth", "placement-1", elements=everything(kept), levels=2, creases="by angle", angle=45.0)
    assert volume(mesh_of(kept)) == pytest.approx(2.0)


def test_where_a_form_folds_when_it_is_smoothed_that_is_told() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "lettering"})
    mesh = mesh_of(sheet)
    elements = Elements.of(sheet.row("piece-1").mesh, []).model_dump()
    change = sheet.do("smooth", "placement-1", elements=elements)
    assert "fold over or cross themselves" in change.note
    assert mesh_of(sheet).face_count == len(mesh.corners)
