"""Concave faces: what is drawn inward, poked and divided stays within them, or is refused with what would go."""

from __future__ import annotations

import re

import numpy as np
import pytest

from able_brick.core.edit.divide import divide, poke
from able_brick.core.edit.inset import inset
from able_brick.core.edit.sound import check_sound, faults_of
from able_brick.core.errors import GeometryError, UnsoundError
from able_brick.core.mesh.measure import area
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.prism import prism
from able_brick.level.elements import Elements
from tests.steps.shape.chains import opened_with

U = [(0, 0), (5, 0), (5, 4), (3, 4), (3, 1), (2, 1), (2, 4), (0, 4)]
ARROW = [(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)]
L = [(0, 0), (4, 0), (4, 1), (1, 1), (1, 4), (0, 4)]


def front(mesh: PolyMesh) -> int:
    """The concave face that looks on."""
    return int(np.flatnonzero((mesh.face_sizes > 4) & (unit(area_vectors(mesh))[:, 2] > 0.5))[0])


def face_area(mesh: PolyMesh, faces: np.ndarray) -> float:
    return float(np.linalg.norm(area_vectors(mesh)[faces], axis=1).sum() / 2)


@pytest.mark.parametrize("outline", [ARROW, L])
@pytest.mark.parametrize("act", [poke, divide])
def test_a_middle_sees_all_corners(outline: list[tuple[float, float]], act) -> None:
    mesh = prism(outline, 1.0)
    face = front(mesh)
    out = act(mesh, np.array([face]))
    assert check_sound(mesh, out)[0] == ""
    fresh = np.flatnonzero(out.face_from < 0)
    assert face_area(out.mesh, fresh) == pytest.approx(face_area(mesh, np.array([face])), rel=1e-12)
    assert (unit(area_vectors(out.mesh)[fresh])[:, 2] > 0.999).all()
    assert area(out.mesh) == pytest.approx(area(mesh), rel=1e-12)
    if mesh.uv is not None and out.mesh.uv is not None:
        # uv of what is new lie where those of the face say: they change evenly over it
        c = np.flatnonzero(mesh.corner_face == face)
        lead = np.column_stack([mesh.positions[mesh.corners[c]][:, [0, 1]], np.ones(len(c))])
        slope = np.linalg.lstsq(lead, mesh.uv[c], rcond=None)[0]
        for f in fresh:
            k = np.flatnonzero(out.mesh.corner_face == f)
            there = np.column_stack([out.mesh.positions[out.mesh.corners[k]][:, [0, 1]], np.ones(len(k))])
            assert out.mesh.uv[k] == pytest.approx(there @ slope, abs=1e-9)


@pytest.mark.parametrize("act", [poke, divide])
def test_a_face_without_such_a_middle_is_refused(act) -> None:
    mesh = prism(U, 1.0)
    with pytest.raises(GeometryError, match="no middle from which all of its corners are seen"):
        act(mesh, np.array([front(mesh)]))


@pytest.mark.parametrize(("outline", "most"), [(U, 0.5), (L, 0.5)])
def test_an_inset_goes_up_to_where_a_corner_meets_an_edge(outline: list[tuple[float, float]], most: float) -> None:
    """Where arms are one metre wide, half of it: told to a fraction, done below, refused beyond."""
    mesh = prism(outline, 1.0)
    face = front(mesh)
    out = inset(mesh, np.array([face]), most * 0.99)
    assert check_sound(mesh, out)[0] == ""
    assert face_area(out.mesh, np.flatnonzero(out.face_from < 0)) + face_area(out.mesh, out.picked) == pytest.approx(
        face_area(mesh, np.array([face]))
    )
    sheet = opened_with(mesh)
    with pytest.raises(GeometryError) as refused:
        sheet.do("inset", "placement-1", elements=Elements.of(mesh.content_hash, [face]).model_dump(), width=most * 1.6)
    assert refused.value.data["allowed"] == pytest.approx(most, rel=0.02)
    if isinstance(refused.value, UnsoundError):
        assert "goes." in str(refused.value)


def test_a_bevel_takes_what_fits_and_says_how_much() -> None:
    """The rim of an arrow: beyond where its corner meets the other side it is as wide as it can be, or refused."""
    mesh = prism(ARROW, 1.0)
    face = front(mesh)
    rim = topology(mesh).corner_edge[mesh.corner_face == face]
    picked = Elements.of(mesh.content_hash, np.sort(rim).tolist(), "edge").model_dump()
    for width in (0.05, 0.3, 0.7, 3.0):
        sheet = opened_with(mesh)
        note = sheet.do("bevel", "placement-1", elements=picked, width=width).note
        after = sheet.meshes[sheet.row("piece-1").mesh]
        clean = faults_of(after)
        assert not any(f.any() for f in vars(clean).values())
        told = re.search(r"; ([0-9.]+) m fits", note)
        if width < 0.3:
            assert told is None
        if width > 0.6:
            assert told is not None
            assert 0.1 < float(told[1]) < 0.6
            with pytest.raises(GeometryError, match=r"at most|Up to"):
                opened_with(mesh).do("bevel", "placement-1", elements=picked, width=width, beyond="refuse")
