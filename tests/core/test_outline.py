"""What shows against the background counts first, where that is asked for."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from able_brick.cli import app
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.ladder import Target, ladder
from able_brick.core.slim.outline import outline_weights
from tests.thorough import by_day
from tests.zoo import bumpy_ball, rock, waves


def covered(mesh: PolyMesh, side: np.ndarray, low: np.ndarray, size: float) -> np.ndarray:
    """Whether each of 400 × 400 places of a picture from a side is covered, by half planes of its triangles."""
    flat = (mesh.positions @ side.T[:, :2] - low[:2]) / size * 400
    out = np.zeros((400, 400), np.bool_)
    for a, b, c in flat[mesh.corners.reshape(-1, 3)]:
        x0, y0 = np.floor(np.minimum(np.minimum(a, b), c)).astype(int).clip(0, 399)
        x1, y1 = np.ceil(np.maximum(np.maximum(a, b), c)).astype(int).clip(0, 399)
        x, y = np.meshgrid(np.arange(x0, x1 + 1) + 0.5, np.arange(y0, y1 + 1) + 0.5, indexing="ij")
        one = (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])
        two = (c[0] - b[0]) * (y - b[1]) - (c[1] - b[1]) * (x - b[0])
        three = (a[0] - c[0]) * (y - c[1]) - (a[1] - c[1]) * (x - c[0])
        out[x0 : x1 + 1, y0 : y1 + 1] |= ((one >= 0) & (two >= 0) & (three >= 0)) | (
            (one <= 0) & (two <= 0) & (three <= 0)
        )
    return out


def off_in_outline(source: PolyMesh, *outs: PolyMesh) -> list[int]:
    """The places that differ for each of some meshes, from several sides."""
    total = [0] * len(outs)
    for side in np.linalg.qr(np.random.default_rng(5).normal(size=(5, 3, 3)))[0][: by_day(3, 5)]:
        points = source.positions @ side.T
        low, size = points.min(axis=0), float(np.ptp(points, axis=0).max())
        wanted = covered(source, side, low, size)
        for k, out in enumerate(outs):
            total[k] += int((wanted ^ covered(out, side, low, size)).sum())
    return total


def test_a_rock_s_outline_is_nearer_at_the_same_count() -> None:
    mesh = rock(4)
    goal = [Target("count", mesh.triangle_count // 8)]
    (plain,), (held,) = ladder(mesh, goal), ladder(mesh, goal, outline=True)
    assert held.slimmed.mesh.triangle_count <= goal[0].value
    before, after = off_in_outline(mesh, plain.slimmed.mesh, held.slimmed.mesh)
    assert after < 0.85 * before


def test_weights_are_by_how_often_an_edge_shows() -> None:
    corners = outline_weights(box(1.0, 1.0, 1.0))
    assert np.allclose(corners, corners[0]), "all corners of a cube are alike"
    hills = waves(30)
    weights, height = outline_weights(hills), hills.positions[:, 1]
    inside = np.ones(hills.vertex_count, np.bool_)
    for axis in (0, 2):
        along = hills.positions[:, axis]
        inside &= (along > along.min() + 0.1) & (along < along.max() - 0.1)
    top, bottom = inside & (height > np.quantile(height, 0.9)), inside & (height < np.quantile(height, 0.1))
    assert weights[top].mean() > 2 * weights[bottom].mean() and weights[bottom].min() >= 1.0
    flat = outline_weights(plane(4.0, 4.0, divisions=(6, 6)))
    assert sorted(set(flat.round(9).tolist()))[0] == 1.0, "inside of a plane nothing shows"
    assert (flat > 1.0).sum() == 24, "its border does"


@pytest.mark.parametrize("form", [bumpy_ball(40), waves(40)])
def test_limits_and_locks_hold_all_the_same(form: PolyMesh) -> None:
    low, high = form.bounds
    limit = 0.01 * float(np.linalg.norm(high - low))
    kept = np.zeros(form.vertex_count, np.bool_)
    kept[::97] = True
    (made,) = ladder(form, [Target("deviation", limit)], outline=True, locked=kept)
    assert Measure(form, samples=50_000).of(made.slimmed.mesh).met <= limit
    assert made.slimmed.mesh.triangle_count < form.triangle_count / 2
    there = {tuple(p) for p in made.slimmed.mesh.positions.tolist()}
    assert {tuple(p) for p in form.positions[kept].tolist()} <= there


def test_the_command_holds_it_too(tmp_path: Path) -> None:
    file = tmp_path / "rock.glb"
    file.write_bytes(write_glb([ScenePart("Rock", rock(by_day(2, 3)))]))
    told = {}
    for more in ([], ["--silhouette"]):
        out = tmp_path / f"out{len(more)}.glb"
        done = CliRunner().invoke(app, ["reduce", str(file), str(out), "--share", "0.2", "--json", *more])
        assert done.exit_code == 0, done.output
        (told[len(more)],) = json.loads(done.stdout)
    assert math.isclose(told[0]["triangles"], told[1]["triangles"], rel_tol=0.1)
    assert (tmp_path / "out0.glb").read_bytes() != (tmp_path / "out1.glb").read_bytes()
