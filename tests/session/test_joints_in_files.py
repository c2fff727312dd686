"""In the file of a level neighbours keep the vertices where they meet on all of their rungs, bit for bit."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial import cKDTree

from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Scene
from able_brick.core.mesh.polymesh import Floats
from able_brick.session.shipping import level_glb
from tests.session.bench import Bench

#: Its ends have vertices on their outline alone.
WALL = {"kind": "box", "width": 4.0, "height": 3.0, "depth": 0.6, "along_x": 40, "along_y": 12, "along_z": 1}
RUNGS = [{"kind": "share", "value": 50}, {"kind": "share", "value": 25}]
SMOOTH = [{"position": p} for p in ((0, 0, 30), (14, 0, 36.7), (30, 0, 26), (55, 0, 44))]


def scene_of(bench: Bench) -> Scene:
    name, data = level_glb(bench.project, bench.level, rungs="lod", lean=True)
    return read_file(name, data)


def world(scene: Scene, k: int) -> Floats:
    m = scene.instances[k].matrix
    points: Floats = scene.parts[scene.instances[k].part].mesh.positions @ m[:3, :3].T + m[:3, 3]
    return points


def rows(points: Floats) -> set[bytes]:
    return {p.tobytes() for p in points.astype(np.float32)}


def meet_on_all_rungs(scene: Scene, pairs: list[tuple[int, int]]) -> int:
    """How many vertices are shared; each of them is there on every rung of both, with the very same local numbers."""
    shared = 0
    known: dict[int, list[set[bytes]]] = {}
    for i, j in pairs:
        a, b = world(scene, i), world(scene, j)
        far, at = cKDTree(b).query(a)
        mine = np.flatnonzero(far < 1e-5)
        for item, touching in ((i, mine), (j, at[mine])):
            number = scene.instances[item].part
            part = scene.parts[number]
            counts = [part.mesh.triangle_count, *(r.mesh.triangle_count for r in part.rungs)]
            assert len(counts) == 3
            assert counts == sorted(set(counts), reverse=True)
            levels = known.setdefault(number, [rows(r.mesh.positions) for r in part.rungs])
            for level in levels:
                assert rows(part.mesh.positions[touching]) <= level
        shared += len(mine)
    return shared


def test_ten_thousand_items_of_an_array(tmp_path: Path) -> None:
    bench = Bench(tmp_path / "row.db")
    bench.do("add_shape", shape=WALL, name="Wall")
    bench.do("line_array", "placement-1", count=10_000)
    bench.do("make_ladder", "piece-1", rungs=RUNGS)
    scene = scene_of(bench)
    assert len(scene.instances) == 10_000
    assert meet_on_all_rungs(scene, [(k, k + 1) for k in (0, 63, 64, 65, 5000, 9998)]) == 6 * 26
    bench.project.close()


@pytest.mark.parametrize("mirrored", [False, True])
def test_bent_items_of_a_course(tmp_path: Path, mirrored: bool) -> None:
    bench = Bench(tmp_path / "bent.db")
    bench.do("add_shape", shape=WALL, name="Wall")
    bench.do("delete", "placement-1")
    bench.do("draw_path", points=SMOOTH, smooth=True)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    if mirrored:
        bench.do("make_group", "course-1", "path-1")
        bench.do("live_mirror", "group-1", across="x", through="point", point=(0.0, 0.0, -5.0))
    bench.do("make_ladder", "piece-1", rungs=RUNGS)
    scene = scene_of(bench)
    count = len(scene.instances) // (2 if mirrored else 1)
    assert count > 10
    pairs = [(k, k + 1) for k in range(count - 1)]
    pairs += [(count + a, count + b) for a, b in pairs] if mirrored else []
    assert meet_on_all_rungs(scene, pairs) == 26 * len(pairs)
    bench.project.close()


def test_arrays_in_arrays(tmp_path: Path) -> None:
    bench = Bench(tmp_path / "nested.db")
    bench.do("add_shape", shape=WALL, name="Wall")
    bench.do("line_array", "placement-1", count=3)
    bench.do("make_group", "array-1")
    bench.do("line_array", "group-1", count=4)
    bench.do("make_group", "group-1")
    bench.do("live_mirror", "group-2", across="z", through="point", point=(0.0, 0.0, 0.3))
    bench.do("make_ladder", "piece-1", rungs=RUNGS)
    scene = scene_of(bench)
    assert len(scene.instances) == 24
    places = np.array([i.matrix[:3, 3] for i in scene.instances])
    order = np.lexsort((places[:, 0], places[:, 2]))
    along = [(int(a), int(b)) for a, b in pairwise(order) if places[a, 2] == places[b, 2]]
    assert meet_on_all_rungs(scene, along) == 22 * 26
    bench.project.close()
