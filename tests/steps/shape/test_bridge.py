"""The tool that joins borders: what it says where it cannot, and that it is adjusted."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import UnsoundError
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.topology import topology
from able_brick.level.elements import Elements
from tests.steps.test_steps import Sheet


def test_two_tops_side_by_side_are_joined_by_an_arc() -> None:
    sheet = Sheet()
    box: dict[str, Any] = {"kind": "box", "width": 1.0, "height": 1.0, "depth": 1.0}
    sheet.do("add_shape", shape=box)
    sheet.do("place_piece", "piece-1", position=(3, 0, 0))
    (made,) = sheet.do("fuse", "placement-1", "placement-2").select or ()
    piece = sheet.row(sheet.row(made).piece)
    mesh = sheet.meshes[piece.mesh]
    tops = np.flatnonzero(unit(area_vectors(mesh))[:, 1] > 0.9).tolist()
    picked = Elements.of(piece.mesh, tops, "face")
    with pytest.raises(UnsoundError, match="An arc with more segments"):
        sheet.do("bridge", made, elements=picked.model_dump())
    change = sheet.do("bridge", made, elements=picked.model_dump(), way="arc", segments=12)
    arch = sheet.meshes[sheet.row(piece.id).mesh]
    assert topology(arch).is_closed
    assert volume(arch) > 3.0
    assert arch.bounds[1][1] > 1.5
    assert "4 edges to 4" in (change.note or "")
    assert change.elements is not None
    assert len(change.elements.numbers(arch)) == 48
