"""Measures between features, and room for a player."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError, InputError, UnknownIdError
from able_brick.core.walk.fits import passage
from able_brick.core.walk.rays import first_hits
from able_brick.level.grips import FeatureAt
from able_brick.level.measures import fits, measure
from tests.steps.test_steps import Sheet


def doorway(width: float = 1.0, height: float = 2.1) -> Sheet:
    """A wall of 4 m with an opening in its middle, on a floor."""
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "plane", "width": 40.0, "depth": 40.0})
    shape: dict[str, Any] = {"kind": "doorway", "width": 4.0, "height": 3.0, "thickness": 0.3}
    sheet.do("add_shape", shape=shape | {"opening_width": width, "opening_height": height})
    return sheet


def through(sheet: Sheet, *, x: float = 0.0, **body: float) -> Any:
    size = {"radius": 0.35, "height": 1.8} | body
    return fits(sheet.snapshot, "level-1", sheet.meshes.__getitem__, (x, 0, 3), (x, 0, -3), **size)


def test_a_doorway_is_as_wide_and_as_high_as_it_is_built() -> None:
    found = through(doorway(1.0, 2.1))
    assert found.fits
    assert found.width == pytest.approx(1.0, abs=1e-9)
    assert found.height == pytest.approx(2.1, abs=1e-9)
    assert abs(found.narrowest[2]) <= 0.15 + 1e-9
    assert abs(found.lowest[2]) <= 0.15 + 0.35
    assert found.text == "Fits: 1.00 m wide at the narrowest, 2.10 m high at the lowest"


@pytest.mark.parametrize(
    ("width", "height", "body", "ok"),
    [
        (0.69, 2.1, {}, False),
        (0.71, 2.1, {}, True),
        (1.0, 1.79, {}, False),
        (1.0, 1.81, {}, True),
        (0.69, 1.79, {"radius": 0.3, "height": 1.7}, True),
    ],
)
def test_a_body_fits_or_does_not(width: float, height: float, body: dict[str, float], ok: bool) -> None:
    assert through(doorway(width, height), **body).fits is ok


def test_a_way_into_the_wall_does_not_fit_and_open_ground_is_open() -> None:
    found = through(doorway(), x=1.5)
    assert (found.fits, found.width) == (False, 0.0)
    assert "a wall is in the way" in found.text
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "plane", "width": 40.0, "depth": 40.0})
    found = through(sheet)
    assert (found.fits, found.width, found.height) == (True, None, None)
    assert found.text == "Fits: open to the sides, open above"


def test_the_floor_is_followed_up_stairs() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "stairs", "width": 2.0, "height": 1.8, "depth": 2.8})
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 0.2, "depth": 8.0}, position=(0, 3.9, 0))
    low, high = (np.array(v) for v in (sheet.row("piece-1").facts.low, sheet.row("piece-1").facts.high))
    ends = [(0.0, 0.0, float(low[2]) - 1), (0.0, 1.8, float(high[2]) - 0.05)]
    points = sheet.vertices()["placement-1"].reshape(-1, 3)
    top_at_low_z = points[points[:, 1] > 1.7][:, 2].max() < 0
    if top_at_low_z:
        ends = [(0.0, 0.0, float(high[2]) + 1), (0.0, 1.8, float(low[2]) + 0.05)]
    load = sheet.meshes.__getitem__
    found = fits(sheet.snapshot, "level-1", load, ends[0], ends[1], radius=0.35, height=1.8)
    assert found.height == pytest.approx(3.9 - 1.8, abs=1e-6), "lowest on the top step"


def test_senseless_ways_and_bodies_are_refused_in_words() -> None:
    sheet = doorway()
    with pytest.raises(InputError, match="lower than it is wide"):
        through(sheet, radius=1.0, height=1.5)
    none = np.empty((0, 3, 3))
    with pytest.raises(GeometryError, match="above each other"):
        passage(np.zeros(3), np.array([0, 2.0, 0]), none, radius=0.3, height=1.8)
    with pytest.raises(GeometryError, match="at most 200 m"):
        passage(np.zeros(3), np.array([500.0, 0, 0]), none, radius=0.3, height=1.8)


@given(st.integers(0, 2**32 - 1))
@settings(max_examples=30, deadline=None)
def test_rays_meet_what_a_plain_reckoning_meets(seed: int) -> None:
    random = np.random.default_rng(seed)
    triangles = random.normal(size=(12, 3, 3))
    origins = random.normal(size=(6, 3)) * 2
    directions = random.normal(size=(6, 3))
    directions /= np.linalg.norm(directions, axis=1)[:, None]
    found = first_hits(origins, directions, triangles, 9.0)
    for o, d, away in zip(origins, directions, found, strict=True):
        best = 9.0
        for a, b, c in triangles:
            try:
                t, u, v = np.linalg.solve(np.column_stack([-d, b - a, c - a]), o - a)
            except np.linalg.LinAlgError:
                continue
            if u >= 0 and v >= 0 and u + v <= 1 and 0 <= t < best:
                best = float(t)
        assert away == pytest.approx(best, abs=1e-6)


def test_distances_and_angles_between_features() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 2.0, "depth": 2.0})
    sheet.do("place_piece", "piece-1", position=(10, 0, 0), turn=(0, 30, 0))

    def at(thing: str, kind: Any, index: int, face: int = 0) -> FeatureAt:
        return FeatureAt(thing=thing, kind=kind, index=index, face=face)

    def told(*features: FeatureAt) -> Any:
        return measure(sheet.snapshot, "level-1", sheet.meshes.__getitem__, features)

    found = told(at("placement-1", "pivot", 0), at("placement-2", "pivot", 0))
    assert (found.distance, found.along) == (10.0, (10.0, 0.0, 0.0))
    faces = [told(at("placement-1", "face", f, f), at("placement-2", "face", f, f)).angle for f in range(6)]
    assert sorted(round(a, 9) for a in faces) == [0, 0, 30, 30, 30, 30]
    mesh = sheet.meshes[sheet.row("piece-1").mesh]
    a, b, c = (int(v) for v in mesh.corners[:3])
    assert told(*(at("placement-2", "vertex", v) for v in (a, b, c))).angle == pytest.approx(90, abs=1e-9)
    with pytest.raises(UnknownIdError, match="not in the level"):
        told(at("placement-1", "pivot", 0), at("placement-9", "pivot", 0))


def test_a_measure_is_kept_goes_along_with_its_group_and_is_deleted() -> None:
    sheet = Sheet()
    sheet.do("add_shape")
    note = sheet.do("keep_measure", start=(0, 0, 0), end=(3, 4, 0)).note
    assert note == "5.000 m"
    sheet.do("make_group", "placement-1", "measure-1")
    sheet.do("move", "group-1", by=(1, 0, 0))
    assert (sheet.row("measure-1").start, sheet.row("measure-1").end) == ((1, 0, 0), (4, 4, 0))
    sheet.do("size", "group-1", factors=(2, 2, 2), about_what="point", point=(1, 0, 0))
    assert sheet.row("measure-1").end == (7, 8, 0)
    sheet.do("duplicate", "group-1", distance=5.0)
    assert sheet.row("measure-2").start == (6, 0, 0)
    sheet.do("delete", "measure-1")
    with pytest.raises(InputError, match="one point"):
        sheet.do("keep_measure", start=(1, 1, 1), end=(1, 1, 1))
