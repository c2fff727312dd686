"""Reduction beside two libraries, in one run, one deviation measure for all. `make bench-slim` prints the tables.

Deviations are in 1e-4 of the bounding diagonal, max / RMS, measured both ways with 20 000 area samples on each surface
and all vertices. Terrain and scan are shaded smoothly: the libraries know no creases to keep. Times are the least of
several warm runs, seconds. What the libraries return is measured as it comes.
"""

from __future__ import annotations

import math
import re
import sys
import time
from collections.abc import Callable
from pathlib import Path

import fast_simplification
import meshoptimizer
import numpy as np

from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.shapes.plane import plane
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.fit import fitted
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.demo import pieces as demo
from able_brick.demo.heron import heron
from tests.zoo import bumpy_ball, waves

SHARES = (0.5, 0.25, 0.125, 0.03)
LADDER = (0.5, 0.25, 0.125)
BUNNY = Path(__file__).parents[2] / "web/node_modules/bunny/index.js"


def terrain(n: int) -> PolyMesh:
    """A sheet of 2 n² triangles over hills, ridges and small stones, by formula."""
    sheet = plane(400.0, 400.0, divisions=(n, n))
    p = np.array(sheet.positions)
    x, z = p[:, 0], p[:, 2]
    p[:, 1] = (
        18 * np.sin(x / 60) * np.cos(z / 45) + 6 * np.abs(np.sin(x / 17 + z / 23)) + 0.4 * np.sin(x) * np.sin(1.3 * z)
    )
    return PolyMesh.checked(p, sheet.face_sizes, sheet.corners, smooth_angle=math.pi)


def bunny() -> PolyMesh | None:
    """The small scanned form of an npm package; None where that is not installed."""
    if not BUNNY.exists():
        return None
    text = BUNNY.read_text()
    found = [re.search(rf"exports\.{name}\s*=\s*(\[\[.*?\]\])", text, re.S) for name in ("positions", "cells")]
    if found[0] is None or found[1] is None:
        return None
    positions = np.array([[float(v) for v in row.split(",")] for row in re.findall(r"\[([^\[\]]+)\]", found[0][1])])
    cells = np.array([[int(v) for v in row.split(",")] for row in re.findall(r"\[([^\[\]]+)\]", found[1][1])])
    return PolyMesh.checked(positions, np.full(len(cells), 3), cells.ravel(), smooth_angle=math.pi)


def meshes(quick: bool) -> list[tuple[str, PolyMesh]]:
    """What is reduced, by name."""
    kit = demo.footbridge().mesh
    dense = kit
    while dense.triangle_count < 20_000:
        dense = divided(dense)
    out = [
        ("heron, closed, organic", heron()),
        ("bumpy ball, closed", bumpy_ball(400 if quick else 410)),
        ("terrain, open", terrain(300 if quick else 724)),
        ("footbridge, hard-surface, divided", dense),
        ("pump house, hard-surface, small", demo.pump_house().mesh),
        ("waves, open, uv, two materials", waves(150)),
    ]
    small = bunny()
    if small is not None:
        out.append(("bunny, under 4 000", small))
    return out


def divided(mesh: PolyMesh) -> PolyMesh:
    """Every triangle in four, in its plane."""
    tris = mesh.corners[triangulate(mesh)[0]]
    p = mesh.positions
    edges = np.sort(np.concatenate([tris[:, [0, 1]], tris[:, [1, 2]], tris[:, [2, 0]]]), axis=1)
    unique, inverse = np.unique(edges, axis=0, return_inverse=True)
    middle = (len(p) + inverse.reshape(3, -1)).T
    a, b, c = tris.T
    ab, bc, ca = middle.T
    parts = [np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
    every = np.concatenate(parts)
    points = np.concatenate([p, p[unique].mean(axis=1)])
    return PolyMesh.checked(points, np.full(len(every), 3), every.ravel())


def soup(positions: np.ndarray, triangles: np.ndarray) -> PolyMesh:
    """Triangles as a mesh, without the vertices that none of them uses."""
    used, corners = np.unique(triangles, return_inverse=True)
    return PolyMesh.trusted(
        np.asarray(positions, np.float64)[used], np.arange(len(triangles) + 1) * 3, corners.ravel().astype(np.int32)
    )


def least(work: Callable[[], object], rounds: int) -> tuple[float, object]:
    """The least time of several runs, seconds, and what came of the last."""
    out = work()
    best = float("inf")
    for _ in range(rounds):
        start = time.perf_counter()
        out = work()
        best = min(best, time.perf_counter() - start)
    return best, out


def table(name: str, mesh: PolyMesh) -> None:
    """Every share, by each of the three, and a ladder of three in one run."""
    tris = mesh.corners[triangulate(mesh)[0]]
    points = mesh.positions.astype(np.float32)
    index = np.ascontiguousarray(tris, np.int32)
    flat = np.ascontiguousarray(tris.ravel(), np.uint32)
    diagonal = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    measure = Measure(mesh)
    rounds = 3 if len(tris) < 300_000 else 1

    def fast(goal: int) -> PolyMesh:
        p, f = fast_simplification.simplify(points, index, target_reduction=max(0.0, 1 - goal / len(tris)))
        return soup(np.asarray(p), np.asarray(f))

    def optimised(goal: int) -> PolyMesh:
        out = np.zeros_like(flat)
        count = meshoptimizer.simplify(out, flat, points, target_index_count=3 * goal, target_error=1.0)
        return soup(points, out[:count].reshape(-1, 3))

    def climbed(fit: bool) -> None:
        run = Reducing(mesh)
        for share in LADDER:
            run.to(max(4, round(len(tris) * share)))
            out = run.result()
            if fit:
                fitted(mesh, out)

    print(f"\n{name}: {len(tris)} triangles")
    print(f"  {'share':>6}" + "".join(f"{n:>40}" for n in ("able_brick", "fast-simplification", "meshoptimizer")))
    print(
        f"  {'':>6}" + "".join(f"{'tris':>12}{'s':>8}{'max':>10}{'RMS':>10}" for _ in range(3)) + f"{'RMS ratio':>12}"
    )
    spent = {"fast": 0.0, "optimised": 0.0}
    for share in SHARES:
        goal = max(4, round(len(tris) * share))
        cells, rms = [], []
        for kind, work in (
            ("own", lambda g=goal: reduce_to(mesh, g).mesh),
            ("fast", lambda g=goal: fast(g)),
            ("optimised", lambda g=goal: optimised(g)),
        ):
            seconds, out = least(work, rounds)
            assert isinstance(out, PolyMesh)
            if kind in spent and share in LADDER:
                spent[kind] += seconds
            away = measure.of(out)
            rms.append(away.rms if out.triangle_count <= goal * 1.02 + 2 else float("inf"))
            far = f"{1e4 * away.largest / diagonal:10.2f}{1e4 * away.rms / diagonal:10.3f}"
            cells.append(f"{out.triangle_count:12d}{seconds:8.3f}{far}")
        better = min(rms[1:])
        both = rms[0] < float("inf") and 0 < better < float("inf")
        ratio = f"{rms[0] / better:12.2f}" if both else f"{'–':>12}"
        print(f"  {100 * share:5.3g}%" + "".join(cells) + ratio)
    for fit in (False, True):
        seconds, _ = least(lambda fit=fit: climbed(fit), rounds)
        print(
            f"  ladder 50/25/12.5 % in one run, {'fitted' if fit else 'not fitted'}, {seconds:.3f} s: "
            f"{seconds / spent['fast']:.2f} × three fast-simplification, "
            f"{seconds / spent['optimised']:.2f} × three meshoptimizer"
        )


def main() -> None:
    print("Where more triangles are left than asked, there is no ratio: form, seams or creases allow no fewer.")
    only = [a for a in sys.argv[1:] if not a.startswith("-")]
    for name, mesh in meshes("--quick" in sys.argv):
        if not only or any(name.startswith(o) for o in only):
            table(name, mesh)


if __name__ == "__main__":
    main()
