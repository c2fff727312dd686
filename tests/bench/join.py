"""What cutting forms by each other costs beside the library alone, which makes triangles of them and no more.

Run: python -m tests.bench.join
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

import manifold3d
import numpy as np

from able_brick.core.mesh.combine import moved
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.solid.cutting import cut

ROUNDS = 9


def ball(sides: int, shift: float) -> PolyMesh:
    made = manifold3d.Manifold.sphere(1.0, sides).to_mesh64()
    mesh = PolyMesh.checked(
        np.array(made.vert_properties)[:, :3], [3] * len(made.tri_verts), np.array(made.tri_verts).ravel()
    )
    return moved(mesh, (shift, 0.7 * shift, 0.3 * shift))


def by_library(a: PolyMesh, b: PolyMesh) -> None:
    """Both bodies made, united, and the triangles read."""
    one, two = (
        manifold3d.Manifold(manifold3d.Mesh64(m.positions.copy(), m.corners.reshape(-1, 3).astype(np.uint64)))
        for m in (a, b)
    )
    _ = (one + two).to_mesh64().vert_properties


def median(work: Callable[[int], object]) -> float:
    times = []
    for k in range(ROUNDS):
        begun = time.perf_counter()
        work(k)
        times.append(time.perf_counter() - begun)
    return 1000 * statistics.median(times)


def compare(sides: int) -> None:
    form = ball(sides, 0.0)
    cutters = [ball(sides, 0.4 + 0.01 * k) for k in range(ROUNDS)]
    cut(form, ball(sides, 0.35), "unite")
    # the form stays as it is, as where a cut is made again while the cutter moves
    own = median(lambda k: cut(form, cutters[k], "unite"))
    library = median(lambda k: by_library(form, cutters[k]))
    more = f"{own / library:.2f} ×"
    print(f"unite, {form.triangle_count:6} triangles each: {own:6.1f} ms, library {library:6.1f}, {more}")


def main() -> None:
    for sides in (100, 316):
        compare(sides)


if __name__ == "__main__":
    main()
