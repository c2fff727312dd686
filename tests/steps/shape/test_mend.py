"""Mend as a step, and what Check says before and after."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.remove import delete, flip
from able_brick.core.errors import GeometryError
from able_brick.core.mend.faults import FAULTS
from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.level.check import DOES, check
from able_brick.level.elements import Elements
from able_brick.level.snapshot import Edit
from tests.core.mend.test_faults import again, all_apart, split_at
from tests.steps.test_steps import Sheet


def with_mesh(mesh: PolyMesh) -> Sheet:
    """A level with a piece of a mesh that stands once."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"})
    sheet.meshes[mesh.content_hash] = mesh
    piece = sheet.row("piece-1")
    edit = Edit(piece, piece.changed(mesh=mesh.content_hash))
    sheet.snapshot = sheet.snapshot.with_edits([edit])
    return sheet


def mend(sheet: Sheet, *faults: str) -> tuple[PolyMesh, str]:
    picked = Elements(mesh=sheet.row("piece-1").mesh)
    change = sheet.do("mend", "placement-1", elements=picked.model_dump(), faults=faults)
    return sheet.meshes[sheet.row("piece-1").mesh], change.note or ""


def test_everything_is_mended_and_told() -> None:
    random = np.random.default_rng(3)
    spoilt = split_at(all_apart(again(flip(box(2, 2, 2), np.array([1])).mesh, np.array([4])), random), 0, 0.5)
    sheet = with_mesh(spoilt)
    mesh, note = mend(sheet)
    assert topology(mesh).is_closed
    assert (mesh.face_count, mesh.vertex_count) == (6, 9)
    for words in ("lay on", "welded", "without area closed", "turned alike"):
        assert words in note
    assert not [k for k in check(mesh).kinds if k.fault and k.count]


def test_nothing_wrong_is_refused_in_words() -> None:
    with pytest.raises(GeometryError, match="Nothing is wrong that could be mended safely"):
        mend(with_mesh(box(1, 1, 1)))
    holed = delete(box(1, 1, 1), np.array([0])).mesh
    with pytest.raises(GeometryError, match="mended safely"):
        mend(with_mesh(holed))
    mesh, note = mend(with_mesh(holed), "border")
    assert topology(mesh).is_closed
    assert "4 edges closed" in note


def test_check_tells_each_fault_its_places_and_what_mending_does() -> None:
    assert set(DOES) == {f.code for f in FAULTS}
    boxes = [moved(box(1, 1, 1), (3 * k, 0, 0)) for k in range(4)]
    spoilt = joined([flip(b, np.array([2])).mesh for b in boxes[:3]] + boxes[3:])
    rows = {k.code: k for k in check(spoilt).kinds}
    against = rows["against"]
    assert (against.count, len(against.places), against.safe, against.mend) == (12, 3, True, "against")
    every = np.concatenate([p.numbers(spoilt) for p in against.places])
    assert np.array_equal(np.sort(every), against.elements.numbers(spoilt))
    assert rows["border"].count == 0
    assert rows["n_gons"].mend is None
    crossing = check(joined([box(2, 2, 2), moved(box(2, 2, 2), (1, 1, 1))]))
    assert {k.code: k.safe for k in crossing.kinds if k.count and k.fault} == {"crossing": False}
    twice = {k.code: k.count for k in check(again(box(1, 1, 1), np.array([2]))).kinds}
    assert (twice["doubled"], twice["overlapping"]) == (1, 0)
