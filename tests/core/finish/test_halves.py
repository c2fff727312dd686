"""Halves that follow: both are what mirroring all faces makes, and a half stays the half that it is."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.mirror_faces import mirror_faces
from able_brick.core.errors import GeometryError
from able_brick.core.finish.halves import both_halves, half_of
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import from_degrees
from tests.zoo import ZOO

WAYS = {
    "x": np.array([1.0, 0.0, 0.0]),
    "-y": np.array([0.0, -1.0, 0.0]),
    "leaning": from_degrees((20.0, 35.0, 10.0)).apply((1.0, 0.0, 0.0)),
}


def afresh(mesh: PolyMesh, over: Reflection) -> PolyMesh:
    return mirror_faces(mesh, np.arange(mesh.face_count, dtype=np.int32), over, cut=True).mesh


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("name", ZOO)
def test_a_half_makes_what_mirroring_makes_and_is_the_half_of_itself(name: str, way: str) -> None:
    mesh = ZOO[name]()
    low, high = mesh.bounds
    over = Reflection(low + 0.37 * (high - low), WAYS[way])
    try:
        half = half_of(mesh, over, 1e-4)
    except GeometryError:
        return
    both = both_halves(half.mesh, over, 1e-4).mesh
    anew = afresh(half.mesh, over)
    assert both.positions == pytest.approx(anew.positions, abs=1e-12)
    for field in ("face_starts", "corners", "material", "facet", "sharp", "uv", "colour"):
        assert np.array_equal(getattr(both, field), getattr(anew, field))
    assert way == "leaning" or both.content_hash == anew.content_hash
    assert half_of(half.mesh, over, 1e-4).mesh.content_hash == half.mesh.content_hash
    assert both.face_count == 2 * half.mesh.face_count
    old = half.vertex_from >= 0
    stays = np.abs((half.mesh.positions[old] - over.centre) @ over.normal) > 1e-3
    assert np.array_equal(half.mesh.positions[old][stays], mesh.positions[half.vertex_from[old]][stays])
