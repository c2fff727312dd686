"""Places on faces: on the grid, within the face, and the same place for whoever takes them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from able_brick.core.errors import UnknownIdError
from able_brick.core.place.on_face import face_place
from able_brick.core.place.pose import rotation
from able_brick.level.grips import FeatureAt, spot_of
from able_brick.level.measures import measure
from able_brick.level.surface import FaceAt, Feature, nearest_feature
from tests.steps.test_steps import Sheet

UP = np.array([0.0, 1.0, 0.0])
#: An L seen from above, wound to look up.
ELL = np.array([(0, 0, 0), (0, 0, 5), (2, 0, 5), (2, 0, 2), (6, 0, 2), (6, 0, 0)], np.float64)


def outside(outline: np.ndarray, spot: np.ndarray) -> float:
    """How far a spot is out of an L of two rectangles, seen from above."""
    x, z = spot
    one = max(-x, x - 2, -z, z - 5)
    two = max(-x, x - 6, -z, z - 2)
    return float(min(one, two))


@given(st.floats(0, 6), st.floats(0, 5), st.sampled_from([0.0, 0.25, 0.5, 1.0, 3.0]))
def test_a_place_is_on_the_grid_and_on_the_face(x: float, z: float, unit: float) -> None:
    if outside(ELL, np.array([x, z])) > 0:
        return
    found = face_place(ELL, UP, np.array([x, 0.0, z]), unit)
    assert found is not None
    assert found[1] == 0
    assert outside(ELL, found[[0, 2]]) <= 1e-9
    assert np.linalg.norm(found[[0, 2]] - [x, z]) <= unit * np.sqrt(0.5) + 1e-12
    if unit:
        steps = found[[0, 2]] / (unit / 8)
        assert steps == pytest.approx(np.round(steps), abs=1e-9)


@given(st.tuples(*[st.floats(-1, 1)] * 4), st.tuples(*[st.floats(-40, 40)] * 3), st.floats(0.1, 5.9))
def test_a_place_on_a_turned_face_is_on_its_plane_whole_steps_from_where_that_is_nearest_to_the_origin(
    turn: tuple[float, float, float, float], shift: tuple[float, float, float], x: float
) -> None:
    q = np.array(turn)
    if np.linalg.norm(q) < 1e-3:
        return
    turned = rotation(tuple(q / np.linalg.norm(q)))
    loop = turned.apply(ELL) + shift
    normal = turned.apply(UP)
    target = turned.apply([x, 0.0, 1.0]) + shift
    found = face_place(loop, normal, target, 0.5)
    assert found is not None
    assert (found - loop[0]) @ normal == pytest.approx(0, abs=1e-10)
    away = found - normal * (normal @ loop[0])
    level = np.array([normal[2], 0.0, -normal[0]])
    if np.linalg.norm(level) > 1e-3:
        u = level / np.linalg.norm(level)
        v = np.cross(u, normal)
        coordinates = np.array([away @ u, away @ v]) / (0.5 / 8)
        assert coordinates == pytest.approx(np.round(coordinates), abs=1e-6)


def test_a_bent_or_needle_thin_face_has_none_on_a_coarse_grid() -> None:
    bent = ELL.copy()
    bent[3, 1] = 0.3
    assert face_place(bent, UP, np.array([1.0, 0, 1.0]), 0.5) is None
    needle = np.array([(0.11, 0, 0.11), (0.11, 0, 0.13), (0.13, 0, 0.13), (0.13, 0, 0.11)])
    assert face_place(needle, UP, np.array([0.12, 0, 0.12]), 4.0) is None
    assert face_place(needle, UP, np.array([0.12, 0, 0.12]), 0.0) == pytest.approx([0.12, 0, 0.12])


@pytest.fixture
def deck() -> Sheet:
    """A deck of 12 by 8 m, and a crate on its grid beside it."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 12.0, "height": 1.0, "depth": 8.0}, name="Deck")
    sheet.do("add_shape", shape={"kind": "box"}, name="Crate", position=(20, 0, 0))
    return sheet


def looking(sheet: Sheet, thing: str, way: np.ndarray) -> int:
    """The face of a box that looks in a direction."""
    mesh = sheet.meshes[sheet.row(sheet.row(thing).piece).mesh]
    centres = [
        mesh.positions[mesh.corners[a:b]].mean(axis=0)
        for a, b in zip(mesh.face_starts, mesh.face_starts[1:], strict=False)
    ]
    return int(np.argmax(np.array(centres) @ way))


def pointed(
    sheet: Sheet, thing: str, point: tuple[float, float, float], way: np.ndarray = UP, *, reach: float = 0.2, **how: Any
) -> Feature:
    at = FaceAt(thing=thing, face=looking(sheet, thing, way))
    return nearest_feature(sheet.snapshot, "level-1", sheet.meshes.__getitem__, at, point, reach, unit=0.05, **how)


def taken(found: Feature) -> dict[str, Any]:
    return {
        "thing": found.thing,
        "item": found.item,
        "kind": found.kind,
        "index": found.index,
        "face": found.face,
        "share": found.share,
        "at": found.at,
    }


def test_a_place_of_a_large_face_is_meant_away_from_its_centre_only_where_asked_for(deck: Sheet) -> None:
    spot = (3.1, 1.0, -2.2)
    assert pointed(deck, "placement-1", spot).kind == "face"
    found = pointed(deck, "placement-1", spot, grid=0.5)
    assert (found.kind, found.point) == ("on face", (3.0, 1.0, -2.0))
    assert pointed(deck, "placement-1", spot, grid=0.0).point == pytest.approx(spot)
    assert pointed(deck, "placement-1", (0.2, 1.0, 0.1), grid=0.5).kind == "face"
    assert pointed(deck, "placement-1", (6.0, 1.0, 4.0), grid=0.5).kind == "vertex"
    # a face that is small on the screen is its centre
    on_crate = (20.3, 1.0, 0.25)
    assert pointed(deck, "placement-2", on_crate, reach=0.1, grid=0.5).kind == "on face"
    assert pointed(deck, "placement-2", on_crate, reach=0.29, grid=0.5).kind == "face"
    east = pointed(deck, "placement-1", (6.0, 0.52, 2.2), np.array([1.0, 0, 0]), grid=0.5)
    assert (east.kind, east.point) == ("on face", (6.0, 0.5, 2.0))


def test_the_place_is_the_same_for_steps_and_measures(deck: Sheet) -> None:
    deck.do("set_pose", "placement-1", turn=(0, 45, 0), position=(2, 3, 1))
    deck.do("set_pose", "placement-1", size=(1.5, 2.0, -0.75))
    top = deck.vertices()["placement-1"][0][:, 1].max()
    found = pointed(deck, "placement-1", (3.4, float(top), 2.1), grid=0.5)
    assert found.kind == "on face"
    spot = spot_of(deck.snapshot, "level-1", deck.meshes.__getitem__, FeatureAt(**taken(found)))
    assert tuple(spot.point) == found.point
    two = [FeatureAt(**taken(found)), FeatureAt(thing="placement-2", kind="pivot")]
    measured = measure(deck.snapshot, "level-1", deck.meshes.__getitem__, two)
    assert measured.distance == pytest.approx(float(np.linalg.norm(np.subtract(found.point, (20, 0, 0)))))


def test_a_grip_lands_exactly_on_a_place_of_the_grid_and_a_face_lies_flat_on_it(deck: Sheet) -> None:
    landing = pointed(deck, "placement-1", (3.1, 1.0, -2.2), grid=0.5)
    base = pointed(deck, "placement-2", (20.0, 0.0, 0.0), -UP)
    assert base.kind == "face"
    deck.do("dock", "placement-2", grip=taken(base), landing=taken(landing), contact=True)
    assert deck.row("placement-2").position == (3.0, 1.0, -2.0)
    # the place goes along with what it is on
    deck.do("set_pose", "placement-1", position=(10, 0, 0))
    moved = spot_of(deck.snapshot, "level-1", deck.meshes.__getitem__, FeatureAt(**taken(landing)))
    assert tuple(moved.point) == (13.0, 1.0, -2.0)
    # and stays on the plane of its face where that is made anew
    deck.do("set_dimensions", "placement-1", shape={"kind": "box", "width": 12.0, "height": 2.5, "depth": 8.0})
    raised = spot_of(deck.snapshot, "level-1", deck.meshes.__getitem__, FeatureAt(**taken(landing)))
    assert tuple(raised.point) == pytest.approx((13.0, 2.5, -2.0))


def test_what_is_no_place_is_refused(deck: Sheet) -> None:
    with pytest.raises(ValidationError, match="needs `at`"):
        FeatureAt(thing="placement-1", kind="on face", index=0)
    for wrong in (float("nan"), float("inf")):
        with pytest.raises(ValidationError):
            FeatureAt(thing="placement-1", kind="on face", index=0, at=(0, wrong, 0))
    gone = FeatureAt(thing="placement-1", kind="on face", index=6, at=(0, 0, 0))
    with pytest.raises(UnknownIdError, match="has no face 6"):
        spot_of(deck.snapshot, "level-1", deck.meshes.__getitem__, gone)
