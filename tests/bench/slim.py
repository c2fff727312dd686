"""Reduction of the heron to a quarter, beside two libraries, in one run. `make bench` prints the table.

Deviations are in 1e-4 of the bounding diagonal, max / RMS, measured both ways with 50 000 area samples on each surface
and all vertices.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import fast_simplification
import meshoptimizer
import numpy as np

from able_brick.core.mesh import triangulate
from able_brick.core.mesh.kept import forget_derived
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.slim.deviation import deviation
from able_brick.core.slim.reduce import reduce_to
from able_brick.demo.heron import heron

ROUNDS = 7


def soup(positions: np.ndarray, triangles: np.ndarray) -> PolyMesh:
    """Triangles as a mesh, without the vertices that none of them uses."""
    used, corners = np.unique(triangles, return_inverse=True)
    return PolyMesh.checked(positions[used], np.full(len(triangles), 3), corners.ravel())


def timed(work: Callable[[], object]) -> tuple[float, float]:
    """Median and least of several warm runs, seconds."""
    work()
    spent = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        work()
        spent.append(time.perf_counter() - start)
    return float(np.median(spent)), min(spent)


def main() -> None:
    mesh = heron()
    tris = mesh.corners[triangulate.triangulate(mesh)[0]]
    goal = mesh.triangle_count // 4
    points = mesh.positions.astype(np.float32)
    index = np.ascontiguousarray(tris, np.int32)
    flat = np.ascontiguousarray(tris.ravel(), np.uint32)

    def cold() -> PolyMesh:
        forget_derived(mesh)
        return reduce_to(mesh, goal).mesh

    def warm() -> PolyMesh:
        return reduce_to(mesh, goal).mesh

    def fast() -> PolyMesh:
        p, f = fast_simplification.simplify(points, index, target_reduction=1 - goal / len(tris))
        return soup(np.asarray(p, np.float64), np.asarray(f))

    def fast_alone() -> object:
        return fast_simplification.simplify(points, index, target_reduction=1 - goal / len(tris))

    def optimised_alone() -> np.ndarray:
        out = np.zeros_like(flat)
        count = meshoptimizer.simplify(out, flat, points, target_index_count=3 * goal, target_error=1.0)
        return out[:count]

    def optimised() -> PolyMesh:
        return soup(mesh.positions, optimised_alone().reshape(-1, 3))

    diagonal = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    print(f"Heron, {mesh.triangle_count} triangles to {goal}; {ROUNDS} runs each")
    print(f"{'':34}{'median s':>10}{'least s':>10}{'triangles':>11}{'max':>8}{'RMS':>8}")
    for name, run, result in (
        ("able_brick, nothing known", cold, warm),
        ("able_brick, mesh shown before", warm, warm),
        ("fast-simplification", fast_alone, fast),
        ("meshoptimizer", optimised_alone, optimised),
    ):
        median, least = timed(run)
        out = result()
        far = deviation(mesh, out, samples=50_000)
        print(
            f"{name:34}{median:10.3f}{least:10.3f}{out.triangle_count:11d}"
            f"{1e4 * far.largest / diagonal:8.2f}{1e4 * far.rms / diagonal:8.3f}"
        )


if __name__ == "__main__":
    main()
