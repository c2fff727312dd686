"""Faces taken out as a piece of their own: nothing vanishes, nothing is there twice."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import GeometryError, InputError, StaleElementsError
from able_brick.level.rows import Placement
from tests.steps.test_separate import shown
from tests.steps.test_steps import Sheet


@pytest.fixture
def crate() -> Sheet:
    """A crate that stands three times: sized, turned, and as it is."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 1.0}, name="Crate")
    sheet.do("place_piece", "piece-1", position=(5, 0, 0))
    sheet.do("place_piece", "piece-1", position=(9, 0, 0))
    sheet.do("set_pose", "placement-2", turn=(0, 40, 10), size=(1, -2, 3))
    return sheet


def picked(sheet: Sheet, *faces: int) -> dict[str, Any]:
    return {"mesh": sheet.row("piece-1").mesh, "kind": "face", "ids": [[f, f] for f in faces]}


def test_what_is_detached_stands_wherever_it_was(crate: Sheet) -> None:
    before = shown(crate)
    change = crate.do("detach", "placement-1", elements=picked(crate, 1, 4))
    assert shown(crate) == pytest.approx(before)
    rest, part = (crate.meshes[crate.row(k).mesh] for k in ("piece-1", "piece-2"))
    assert (rest.face_count, part.face_count) == (4, 2)
    assert crate.row("piece-2").name == "Crate part"
    beside = [r for r in crate.snapshot.of("level-1").values() if isinstance(r, Placement) and r.piece == "piece-2"]
    assert [(r.position, r.turn, r.size) for r in beside] == [
        (crate.row(f"placement-{k}").position, crate.row(f"placement-{k}").turn, crate.row(f"placement-{k}").size)
        for k in (1, 2, 3)
    ]
    assert change.note.startswith("Crate part of 2 faces; ")


def test_the_corners_of_what_is_detached_are_those_that_it_had(crate: Sheet) -> None:
    mesh = crate.meshes[crate.row("piece-1").mesh]
    crate.do("detach", "placement-1", elements=picked(crate, 0))
    part = crate.meshes[crate.row("piece-2").mesh]
    loop = mesh.corners[mesh.face_starts[0] : mesh.face_starts[1]]
    assert part.positions[part.corners].tobytes() == mesh.positions[loop].tobytes()
    if mesh.uv is not None:
        assert part.uv is not None
        assert part.uv.tobytes() == mesh.uv[: len(loop)].tobytes()


def test_a_copy_is_left_where_that_is_asked_for(crate: Sheet) -> None:
    key = crate.row("piece-1").mesh
    crate.do("detach", "placement-1", elements=picked(crate, 2), leave_copy=True)
    assert crate.row("piece-1").mesh == key
    assert crate.meshes[crate.row("piece-2").mesh].face_count == 1


def test_what_only_an_array_shows_is_told(crate: Sheet) -> None:
    (row,) = crate.do("line_array", "placement-3", count=3, axis="x", spacing=2.0).select or ()
    change = crate.do("detach", row, elements=picked(crate, 2))
    assert "which 1 array or course cannot show" in change.note


def test_impossible_wishes_are_refused(crate: Sheet) -> None:
    with pytest.raises(InputError, match="No face is picked"):
        crate.do("detach", "placement-1", elements=picked(crate))
    with pytest.raises(GeometryError, match="nothing would stay"):
        crate.do("detach", "placement-1", elements=picked(crate, *range(6)))
    stale = picked(crate, 0)
    crate.do("detach", "placement-1", elements=stale)
    with pytest.raises(StaleElementsError):
        crate.do("detach", "placement-1", elements=stale)
    assert np.isfinite(shown(crate)).all()


@pytest.mark.parametrize("kind", ["box", "wedge"])
@pytest.mark.parametrize("through", [1, 2])
@pytest.mark.parametrize("plane", ["x", "z"])
def test_mirror_images_and_twins_lose_nothing(kind: str, through: int, plane: str) -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": kind}, name="Block")
    sheet.do("set_pose", "placement-1", position=(4, 0, 3), turn=(0, 25, 0))
    sheet.do("mirror", "placement-1", plane="axes", across=[plane], about_what="point", point=(0, 0, 0))
    before = shown(sheet)
    piece = sheet.row(sheet.row(f"placement-{through}").piece)
    for face in (0, 3):
        elements = {"mesh": sheet.row(piece.id).mesh, "kind": "face", "ids": [[face, face]]}
        row = sheet.row(f"placement-{through}")
        elements["mesh"] = sheet.row(row.piece).mesh
        sheet.do("detach", f"placement-{through}", elements=elements)
        assert shown(sheet) == pytest.approx(before, abs=1e-6), face
