"""Rows of quads divided one way otherwise than the other, wherever their faces begin."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.divide import divide_rows
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.plane import plane


def begun_elsewhere(mesh: PolyMesh, turns: list[int]) -> PolyMesh:
    """The same quads, each told from another of its corners on."""
    at = np.concatenate([4 * f + (np.arange(4) + k) % 4 for f, k in enumerate(turns)])
    assert mesh.uv is not None
    return mesh.replaced(corners=mesh.corners[at], sharp=mesh.sharp[at], uv=mesh.uv[at])


@pytest.mark.parametrize(("along", "across"), [(1, 3), (3, 1), (2, 5), (5, 2)])
def test_faces_are_divided_alike_wherever_they_begin(along: int, across: int) -> None:
    mesh = plane(2.0, 3.0, divisions=(2, 3))
    every = np.arange(6, dtype=np.int32)
    wanted = divide_rows(mesh, every, along, across).mesh
    assert wanted.face_count == 6 * along * across
    assert wanted.vertex_count in ((2 * along + 1) * (3 * across + 1), (2 * across + 1) * (3 * along + 1))
    places = np.unique(np.round(wanted.positions, 9), axis=0)
    rng = np.random.default_rng(2)
    for _ in range(8):
        # the lowest face says which way is along
        turned = begun_elsewhere(mesh, [0, *rng.integers(0, 4, 5).tolist()])
        made = divide_rows(turned, every, along, across).mesh
        assert made.face_count == wanted.face_count
        assert np.unique(np.round(made.positions, 9), axis=0) == pytest.approx(places)
