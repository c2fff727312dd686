"""Smooth subdivision against formulas of its limit, and what it keeps."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.smooth import smooth
from able_brick.core.errors import GeometryError
from able_brick.core.finish.smooth import MOST_SMOOTHED, smoothed
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from tests.zoo import ZOO, mirrored, touching_fans


def euler(mesh: PolyMesh) -> int:
    return mesh.vertex_count - len(topology(mesh).edges) + mesh.face_count


def one_by_one(mesh: PolyMesh) -> dict[tuple[float, ...], None]:
    """The places after one level, each by the rule as it is written down, vertex by vertex."""
    faces = [mesh.corners[a:b].tolist() for a, b in zip(mesh.face_starts[:-1], mesh.face_starts[1:], strict=True)]
    p = mesh.positions
    centre = [p[f].mean(axis=0) for f in faces]
    on_edge: dict[tuple[int, int], list[int]] = {}
    for k, f in enumerate(faces):
        for a, b in zip(f, [*f[1:], f[0]], strict=True):
            on_edge.setdefault((min(a, b), max(a, b)), []).append(k)
    out = list(centre)
    for (a, b), beside in on_edge.items():
        inner = [centre[k] for k in beside] if len(beside) == 2 else []
        out.append(np.mean([p[a], p[b], *inner], axis=0))
    for v in range(mesh.vertex_count):
        mine = [k for k, f in enumerate(faces) if v in f]
        spokes = [e for e in on_edge if v in e]
        rim = [e for e in spokes if len(on_edge[e]) == 1]
        if len(mine) == 1:
            out.append(p[v])
        elif rim:
            ends = [p[a + b - v] for a, b in rim]
            out.append(0.75 * p[v] + sum(ends) / 8)
        else:
            n = len(spokes)
            q = np.mean([centre[k] for k in mine], axis=0)
            r = np.mean([(p[a] + p[b]) / 2 for a, b in spokes], axis=0)
            out.append((q + 2 * r + (n - 3) * p[v]) / n)
    return dict.fromkeys(tuple(np.round(place, 9) + 0.0) for place in out)


@pytest.mark.parametrize("name", ["box", "divided box", "hexagon", "arrow", "sheet", "two parts"])
def test_places_are_those_of_the_rule_written_out(name: str) -> None:
    mesh = ZOO[name]()
    made = smoothed(mesh.replaced(sharp=np.zeros(len(mesh.corners), np.bool_)), 1)
    assert {tuple(np.round(p, 9) + 0.0) for p in made.positions} == set(one_by_one(mesh))


@pytest.mark.parametrize("name", sorted(ZOO))
def test_faces_parts_and_borders_are_as_predicted(name: str) -> None:
    mesh = ZOO[name]()
    for levels in (1, 2):
        made = smoothed(mesh, levels)
        assert made.face_count == len(mesh.corners) * 4 ** (levels - 1)
        assert euler(made) == euler(mesh)
        assert topology(made).is_closed == topology(mesh).is_closed
        assert int(topology(made).border.sum()) == int(topology(mesh).border.sum()) * 2**levels
        back = smoothed(mirrored(mesh), levels)
        key = lambda p: sorted(np.round(p, 9).tolist())  # noqa: E731
        assert np.allclose(key(back.positions), key(made.positions * [-1.0, 1.0, 1.0] + 0.0), atol=1e-9)


def test_a_box_comes_to_its_limit() -> None:
    """The limit of a vertex S with n neighbours E and opposite corners F is (n² S + 4 ΣE + ΣF) / n(n + 5)."""
    cube = box(2.0, 2.0, 2.0)
    cube = cube.replaced(positions=cube.positions - cube.positions.mean(axis=0))
    made = smoothed(cube, 4)
    # of a corner of the cube (1, 1, 1) the sums are 1 and −1 along each axis: (9 + 4 − 1) / 24
    assert made.positions[: cube.vertex_count] == pytest.approx(cube.positions / 2, abs=1e-3)
    assert 0 < volume(made) < volume(cube)


def test_sharp_edges_and_borders_stay_and_corners_too() -> None:
    cube = box(2.0, 2.0, 2.0)
    whole = smoothed(cube, 2, crease_angle=0.5)
    assert volume(whole) == pytest.approx(8.0)
    assert whole.bounds[1] == pytest.approx(cube.bounds[1])
    top = np.isclose(cube.positions[cube.corners][:, 1], cube.bounds[1][1])
    rim = cube.replaced(sharp=top & top[cube.next_corner])
    made = smoothed(rim, 3)
    # a crease all round the top stays in its plane, and turns to a curve within it
    on_top = np.isclose(made.positions[:, 1], cube.bounds[1][1])
    assert on_top.sum() > 8
    assert np.abs(made.positions[on_top][:, [0, 2]]).max() < 1.0
    assert made.sharp.sum() == rim.sharp.sum() * 8
    sheet = plane(2.0, 2.0, divisions=(3, 3))
    assert smoothed(sheet, 2).bounds[1] == pytest.approx(sheet.bounds[1])


def test_what_lies_on_faces_goes_on() -> None:
    sheet = plane(2.0, 4.0, divisions=(2, 3))
    assert sheet.uv is not None
    painted = sheet.replaced(
        material=np.arange(6, dtype=np.int32), facet=np.arange(6, dtype=np.int32) // 2, colour=np.ones((24, 4)) * 0.25
    )
    made = smoothed(painted, 2)
    assert np.bincount(made.material).tolist() == [16] * 6
    assert np.bincount(made.facet).tolist() == [32] * 3
    assert made.colour is not None and (made.colour == 0.25).all()
    assert made.uv is not None
    for k in range(6):
        own = painted.uv[painted.material[painted.corner_face] == k]  # type: ignore[index]
        new = made.uv[made.material[made.corner_face] == k]
        assert new.min(axis=0) == pytest.approx(own.min(axis=0))
        assert new.max(axis=0) == pytest.approx(own.max(axis=0))


def test_fans_that_touch_stay_where_they_touch() -> None:
    mesh = touching_fans()
    at = int(np.bincount(mesh.corners).argmax())
    assert (smoothed(mesh, 2).positions[at] == mesh.positions[at]).all()


def test_too_much_is_refused() -> None:
    with pytest.raises(GeometryError, match="at most 1"):
        smoothed(plane(1.0, 1.0, divisions=(200, 200)), 4)
    assert MOST_SMOOTHED == 1_000_000
    with pytest.raises(GeometryError, match="at least 1"):
        smooth(box(1.0, 1.0, 1.0), 0)
