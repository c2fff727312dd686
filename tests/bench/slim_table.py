"""Reduction beside two libraries, in one run, one measure for all: twenty forms at three shares. `make bench-slim`.

Deviations are in 1e-4 of the bounding diagonal, measured both ways with 20 000 area samples on each surface and all
vertices. The silhouette is the share of its pixels, in ‰, that differ as seen from six sides. Drift is the root mean
square by which texture coordinates or colours are elsewhere than on the source; the one library that knows such is
given them for it, the other has none. Times are the least of several warm runs, seconds. What the libraries return is
measured as it comes; where one did not reach the count, or did not keep the form, its row has no part in a ratio.
"""

from __future__ import annotations

import ctypes
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass

import fast_simplification
import meshoptimizer
import numpy as np
import numpy.typing as npt
from meshoptimizer._loader import lib
from numba import njit

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.fit import fitted
from able_brick.core.slim.once import reduce_to
from able_brick.core.slim.reduce import Reducing
from able_brick.core.slim.tree import build_tree, nearest_one, nearest_place
from tests.bench.forms import forms

SHARES = (0.5, 0.125, 0.03)
LADDER = (0.5, 0.25, 0.125)
_PIXELS = 512
_SIDES = np.linalg.qr(np.random.default_rng(7).normal(size=(6, 3, 3)))[0]
_WEIGHT = 0.1


@dataclass(frozen=True)
class Row:
    """What came of a form at a share."""

    triangles: int
    seconds: float
    largest: float
    rms: float
    outline: float
    drift: float
    reached: bool


def soup(positions: Floats, triangles: npt.NDArray[np.integer]) -> PolyMesh:
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


# -- what is seen -


def silhouettes(mesh: PolyMesh, middle: Floats, size: float) -> list[npt.NDArray[np.bool_]]:
    """The pixels that a mesh covers from each side."""
    out = []
    tris = mesh.corners[triangulate(mesh)[0]]
    for side in _SIDES:
        flat = ((mesh.positions - middle) @ side.T)[:, :2] / size * _PIXELS * 0.95 + _PIXELS / 2
        picture = np.zeros((_PIXELS, _PIXELS), np.bool_)
        _covered(np.ascontiguousarray(flat[tris]), picture)
        out.append(picture)
    return out


@njit(cache=True)
def _covered(triangles, picture):  # type: ignore[no-untyped-def]
    """Mark the pixels whose middles lie in triangles (T,3,2), on their edges too."""
    n = len(picture)
    for f in range(len(triangles)):
        a, b, c = triangles[f, 0], triangles[f, 1], triangles[f, 2]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        turn = 1.0 if area >= 0 else -1.0
        first, last = int(min(a[1], b[1], c[1]) - 0.5), int(max(a[1], b[1], c[1]) + 0.5)
        left, right = int(min(a[0], b[0], c[0]) - 0.5), int(max(a[0], b[0], c[0]) + 0.5)
        for i in range(max(first, 0), min(last + 1, n)):
            for j in range(max(left, 0), min(right + 1, n)):
                x, y = j + 0.5, i + 0.5
                p = turn * ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]))
                q = turn * ((c[0] - b[0]) * (y - b[1]) - (c[1] - b[1]) * (x - b[0]))
                r = turn * ((a[0] - c[0]) * (y - c[1]) - (a[1] - c[1]) * (x - c[0]))
                if p >= -1e-9 and q >= -1e-9 and r >= -1e-9:
                    picture[i, j] = True


def outline(one: list[npt.NDArray[np.bool_]], other: list[npt.NDArray[np.bool_]]) -> float:
    """The share of pixels that differ, ‰."""
    return 1000 * sum(int((a ^ b).sum()) for a, b in zip(one, other, strict=True)) / sum(int(a.sum()) for a in one)


# -- what lies on it -


def on_surface(mesh: PolyMesh) -> Floats | None:
    """(C,k) what is looked at of its corners: colours, or texture coordinates."""
    return None if mesh.colour is None and mesh.uv is None else mesh.uv if mesh.colour is None else mesh.colour[:, :3]


def drift(source: PolyMesh, out: PolyMesh, values: Floats, there: Floats) -> float:
    """Root mean square of how much what lies on a surface (C,k) is not what is `there` (C',k), at samples of the
    source; the farthest tenth is left out: across a seam the nearest place tells nothing."""
    rng = np.random.default_rng(1)
    corners = triangulate(source)[0]
    places = source.positions[source.corners[corners]]
    area = np.linalg.norm(np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]), axis=1)
    f = rng.choice(len(corners), 4000, p=area / area.sum())
    mix = rng.dirichlet([1, 1, 1], len(f))[:, :, None]
    points, meant = (places[f] * mix).sum(axis=1), (values[corners[f]] * mix).sum(axis=1)
    own = triangulate(out)[0]
    triangles = out.positions[out.corners[own]]
    order, low, high, child = build_tree(triangles)
    sorted_soup, stack = triangles[order], np.empty(128, np.int64)
    found = np.empty_like(meant)
    for i, p in enumerate(points):
        t = order[nearest_one(p, sorted_soup, low, high, child, np.inf, 0, stack)[1]]
        a, b, c = triangles[t]
        s, r, _ = nearest_place(*(p - a), *(b - a), *(c - a))
        found[i] = (1 - s - r) * there[own[t, 0]] + s * there[own[t, 1]] + r * there[own[t, 2]]
    away = np.sort(((found - meant) ** 2).sum(axis=1))
    return float(np.sqrt(away[: int(0.9 * len(away))].mean()))


def with_values(positions: Floats, triangles: npt.NDArray[np.integer], values: Floats, goal: int) -> PolyMesh:
    """What the library makes that knows of values (V,k), carried as colours."""
    kept = lib.meshopt_simplifyWithAttributes
    pointer, size = ctypes.c_void_p, ctypes.c_size_t
    kept.restype = size
    kept.argtypes = [
        *(pointer, pointer, size, pointer, size, size, pointer, size),
        *(pointer, size, pointer, size, ctypes.c_float, ctypes.c_uint, pointer),
    ]
    flat = np.ascontiguousarray(triangles.ravel(), np.uint32)
    p, v = np.ascontiguousarray(positions, np.float32), np.ascontiguousarray(values, np.float32)
    weights, out = np.full(v.shape[1], _WEIGHT, np.float32), np.zeros_like(flat)
    count = kept(
        *(out.ctypes.data, flat.ctypes.data, len(flat), p.ctypes.data, len(p), 12, v.ctypes.data, 4 * v.shape[1]),
        *(weights.ctypes.data, v.shape[1], None, 3 * goal, 1.0, 0, None),
    )
    mesh = soup(positions, out[:count].reshape(-1, 3))
    padded = np.ones((count, 4))
    padded[:, : v.shape[1]] = values[out[:count]]
    return mesh.replaced(colour=padded)


# -- the table -


def table(name: str, mesh: PolyMesh) -> list[tuple[float, float]]:
    """Every share, by each of the three, and a ladder of three in one run; ratios of RMS and time to the better one."""
    tris = mesh.corners[triangulate(mesh)[0]]
    points = mesh.positions.astype(np.float32)
    index = np.ascontiguousarray(tris, np.int32)
    flat = np.ascontiguousarray(tris.ravel(), np.uint32)
    diagonal = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    middle = (mesh.bounds[0] + mesh.bounds[1]) / 2
    measure, seen = Measure(mesh), silhouettes(mesh, middle, diagonal)
    rounds = 3 if len(tris) < 300_000 else 1
    values = on_surface(mesh)

    def fast(goal: int) -> PolyMesh:
        p, f = fast_simplification.simplify(points, index, target_reduction=max(0.0, 1 - goal / len(tris)))
        return soup(np.asarray(p), np.asarray(f))

    def optimised(goal: int) -> PolyMesh:
        out = np.zeros_like(flat)
        count = meshoptimizer.simplify(out, flat, points, target_index_count=3 * goal, target_error=1.0)
        return soup(points, out[:count].reshape(-1, 3))

    def drifted(kind: str, out: PolyMesh, goal: int) -> float:
        if values is None or kind == "fast" or not out.triangle_count:
            return float("nan")
        if kind == "own":
            there = on_surface(out)
            return float("nan") if there is None else drift(mesh, out, values, there)
        one = np.zeros((mesh.vertex_count, values.shape[1]))
        one[mesh.corners] = values
        if (np.abs(one[mesh.corners] - values) > 1e-9).any():
            return float("nan")  # values that differ at a vertex: it would need another mesh
        known = with_values(mesh.positions, tris, one, goal)
        return drift(mesh, known, values, np.asarray(known.colour)[:, : values.shape[1]])

    def one(kind: str, goal: int) -> Row:
        how = {"own": lambda: reduce_to(mesh, goal).mesh, "fast": lambda: fast(goal), "other": lambda: optimised(goal)}
        seconds, out = least(how[kind], rounds)
        assert isinstance(out, PolyMesh)
        away = measure.of(out) if out.triangle_count else None
        return Row(
            out.triangle_count,
            seconds,
            np.inf if away is None else 1e4 * away.met / diagonal,
            np.inf if away is None else 1e4 * away.rms / diagonal,
            outline(seen, silhouettes(out, middle, diagonal)),
            drifted(kind, out, goal),
            out.triangle_count <= goal * 1.02 + 2,
        )

    def climbed(fit: bool) -> None:
        run = Reducing(mesh)
        for share in LADDER:
            run.to(max(4, round(len(tris) * share)))
            out = run.result()
            if fit:
                fitted(mesh, out)

    print(f"\n{name}: {len(tris)} triangles")
    head = f"{'tris':>8}{'s':>8}{'max':>9}{'RMS':>9}{'seen':>7}{'drift':>7}"
    print(f"  {'':>6}" + "".join(f"{n:>48}" for n in ("able_brick", "fast-simplification", "meshoptimizer")))
    print(f"  {'share':>6}" + head * 3 + f"{'RMS':>8}{'seen':>6}")
    ratios = []
    for share in SHARES:
        goal = max(4, round(len(tris) * share))
        rows = {kind: one(kind, goal) for kind in ("own", "fast", "other")}
        cells = "".join(
            f"{r.triangles:8d}{r.seconds:8.3f}{r.largest:9.2f}{r.rms:9.3f}{r.outline:7.2f}{r.drift:7.4f}"
            for r in rows.values()
        )
        own = rows["own"]
        rivals = [r for k, r in rows.items() if k != "own" and r.reached]
        # what is nowhere off to a ten-millionth is as good as what is nowhere off at all
        better = max(min((r.rms for r in rivals), default=np.inf), 1e-3)
        ratio = max(own.rms, 1e-3) / better if own.reached and rivals else float("nan")
        sight = min((r.outline for r in rivals), default=np.inf)
        look = own.outline / sight if own.reached and 0 < sight < np.inf else float("nan")
        ratios.append((ratio, own.seconds / max(rows["other"].seconds, 1e-9)))
        print(f"  {100 * share:5.3g}%" + cells + f"{ratio:8.2f}{look:6.2f}" + ("" if own.reached else "  not reached"))
    times = dict.fromkeys(("fast", "other"), 0.0)
    for share in LADDER:
        goal = max(4, round(len(tris) * share))
        times["fast"] += least(lambda g=goal: fast(g), rounds)[0]
        times["other"] += least(lambda g=goal: optimised(g), rounds)[0]
    for fit in (False, True):
        seconds, _ = least(lambda fit=fit: climbed(fit), rounds)
        print(
            f"  ladder 50/25/12.5 % in one run, {'fitted' if fit else 'not fitted'}, {seconds:.3f} s: "
            f"{seconds / times['fast']:.2f} × three fast-simplification, "
            f"{seconds / times['other']:.2f} × three meshoptimizer"
        )
    return ratios


def main() -> None:
    only = [a for a in sys.argv[1:] if not a.startswith("-")]
    every: list[tuple[float, float]] = []
    for name, mesh in forms(quick="--quick" in sys.argv):
        if not only or any(name.startswith(o) for o in only):
            every += table(name, mesh)
    rms = np.array([r for r, _ in every])
    known = rms[np.isfinite(rms)]
    times = np.median([t for _, t in every])
    print(
        f"\n{len(rms)} rows: RMS to that of the better library {np.median(known):.2f} in the median, "
        f"{int((known <= 1.0).sum())} at most 1.0, {int((known > 1.1).sum())} above 1.1, "
        f"{len(rms) - len(known)} not reached; time to meshoptimizer's {times:.1f} in the median"
    )


if __name__ == "__main__":
    main()
