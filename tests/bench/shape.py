"""What shaping costs on a piece of 20 000 faces: every operation on a little of it, and on all, best of several.

Run: python -m tests.bench.shape
"""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.bevel_vertices import bevel_vertices
from able_brick.core.edit.bridge import bridge
from able_brick.core.edit.carry import carry
from able_brick.core.edit.cut import Stop, cut, slice_by_plane
from able_brick.core.edit.dissolve import dissolve
from able_brick.core.edit.divide import divide, divide_rows, poke
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.extent import stretched
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.fill import fill
from able_brick.core.edit.flatten import evened, flattened
from able_brick.core.edit.inset import inset
from able_brick.core.edit.loops import add_loops
from able_brick.core.edit.merge import collapse, weld
from able_brick.core.edit.mirror_faces import mirror_faces
from able_brick.core.edit.picks import take_in
from able_brick.core.edit.pull import pull_edges
from able_brick.core.edit.relax import relaxed
from able_brick.core.edit.remove import delete, flip
from able_brick.core.edit.slide import slide
from able_brick.core.edit.smooth import smooth
from able_brick.core.edit.sweep import sweep
from able_brick.core.edit.triangles import as_quads, triangulated_faces, turned_edges
from able_brick.core.edit.twice import copy_faces
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.place.mirror import Reflection
from able_brick.core.shapes.plane import plane

SIDE = 141
SHIFT = np.array([0.0, 0.01, 0.0])


def _inner(mesh: PolyMesh, count: int) -> np.ndarray:
    """A row of so many edges in the middle of the sheet that do not touch its border."""
    table = topology(mesh).edges
    p = mesh.positions[table]
    along = np.abs(p[:, 0, 2] - p[:, 1, 2]) < 1e-9
    middle = np.unique(np.abs(p[along, 0, 2]))[0]
    row = np.flatnonzero(along & (np.abs(np.abs(p[:, 0, 2]) - middle) < 1e-9) & (np.abs(p).max(axis=(1, 2)) < 7.0))
    half = row[p[row, 0, 2] >= 0] if middle > 1e-9 else row
    return half[:count].astype(np.int32)


def bow() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """One section of a bow, turned by a right angle."""
    turns = np.stack([np.eye(3), np.array([[0.0, 1, 0], [-1, 0, 0], [0, 0, 1]])])
    return np.array([[0.0, 0, 0], [0.1, 0.1, 0]]), turns, np.ones(2)


def operations(mesh: PolyMesh) -> dict[str, tuple[Callable[[], Edited], Callable[[], Edited] | None]]:
    """Each on a little of the mesh, and on much of it where that means something."""
    one = np.array([SIDE * 70 + 70], np.int32)
    cut_up = triangulated(mesh)
    twin = topology(cut_up).twin
    inner = np.flatnonzero(cut_up.corner_face[twin] == (cut_up.corner_face ^ 1))
    diagonal = topology(cut_up).corner_edge[inner[len(inner) // 2 :][:1]]
    every = np.arange(mesh.face_count, dtype=np.int32)
    vertices = np.arange(mesh.vertex_count, dtype=np.int32)
    few, row = _inner(mesh, 4), _inner(mesh, 100)
    rim = np.flatnonzero(topology(mesh).border).astype(np.int32)
    at = mesh.corners[mesh.face_starts[one[0]] : mesh.face_starts[one[0] + 1]]
    edges = topology(mesh).corner_edge[mesh.face_starts[one[0]] : mesh.face_starts[one[0] + 1]]
    stops = [Stop(edge=int(edges[0]), share=0.3), Stop(edge=int(edges[2]), share=0.4)]
    still = np.zeros(3)
    return {
        "extrude": (lambda: extrude(mesh, one, 0.01), lambda: extrude(mesh, every, 0.01, each=True)),
        "sweep": (lambda: sweep(mesh, one, *bow()), None),
        "inset": (lambda: inset(mesh, one, 0.01), lambda: inset(mesh, every, 0.01, each=True)),
        "bevel": (lambda: bevel(mesh, few, 0.01, segments=2), lambda: bevel(mesh, row, 0.01, segments=2)),
        "bevel vertices": (lambda: bevel_vertices(mesh, at[:1], 0.01), None),
        "add loops": (lambda: add_loops(mesh, few[:1]), lambda: add_loops(mesh, row)),
        "cut": (lambda: cut(mesh, stops), None),
        "slice": (lambda: slice_by_plane(mesh, np.array([0.013, 0, 0]), np.array([1.0, 0, 0.1])), None),
        "divide": (lambda: divide(mesh, one, 2), lambda: divide(mesh, every, 2)),
        "divide rows": (lambda: divide_rows(mesh, one, 2, 3), lambda: divide_rows(mesh, every, 2, 3)),
        "poke": (lambda: poke(mesh, one, 0.01), lambda: poke(mesh, every, 0.01)),
        "dissolve": (lambda: dissolve(mesh, "edge", few), lambda: dissolve(mesh, "edge", row)),
        "collapse": (lambda: collapse(mesh, few[:1]), None),
        "weld": (lambda: weld(mesh, vertices[:200], 0.11), None),
        "pull edges": (lambda: pull_edges(mesh, rim[:1], 0.1), lambda: pull_edges(mesh, rim, 0.1)),
        "bridge": (
            lambda: bridge(mesh, "face", np.array([SIDE * 70 + 60, SIDE * 70 + 80]), segments=4, way="arc"),
            None,
        ),
        "triangulate": (
            lambda: triangulated_faces(mesh, one, "best angles"),
            lambda: triangulated_faces(mesh, np.arange(mesh.face_count), "best angles"),
        ),
        "turn edges": (lambda: turned_edges(cut_up, diagonal), None),
        "as quads": (
            lambda: as_quads(cut_up, np.arange(200), bend=0.1, skew=0.5),
            lambda: as_quads(cut_up, np.arange(cut_up.face_count), bend=0.1, skew=0.5),
        ),
        "mirror": (
            lambda: mirror_faces(mesh, one, Reflection(np.array([9.0, 0.0, 0.0]), np.eye(3)[0])),
            lambda: mirror_faces(mesh, every, Reflection(np.array([0.013, 0.0, 0.0]), np.eye(3)[0]), cut=True),
        ),
        "smooth": (lambda: smooth(mesh, 1), lambda: smooth(mesh, 2)),
        "fill": (lambda: fill(mesh, rim[:1]), lambda: fill(mesh, rim, "fan")),
        "slide": (lambda: slide(mesh, row, share=0.3), None),
        "even out": (lambda: evened(mesh, row), None),
        "relax": (lambda: relaxed(mesh, "vertex", at), lambda: relaxed(mesh, "face", every)),
        "flatten": (lambda: flattened(mesh, "vertex", at, np.array([0.0, 1.0, 0.0]), still), None),
        "stretch": (
            lambda: stretched(mesh, "face", one, 0.2, "width"),
            lambda: stretched(mesh, "face", every, 20.0, "width"),
        ),
        "copy": (lambda: copy_faces(mesh, one, SHIFT), lambda: copy_faces(mesh, every, SHIFT)),
        "move": (
            lambda: carry(mesh, "face", one, np.eye(3), SHIFT, still),
            lambda: carry(mesh, "face", one, np.eye(3), SHIFT, still, radius=3.0),
        ),
        "delete": (lambda: delete(mesh, one), None),
        "flip": (lambda: flip(mesh, one), lambda: flip(mesh, every)),
    }


def best(work: Callable[[], object], times: int = 5) -> float:
    """Milliseconds."""
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return 1000 * min(found)


def main() -> None:
    mesh = plane(14.1, 14.1, divisions=(SIDE, SIDE))
    topology(mesh)
    print(f"{mesh.face_count} faces; milliseconds")
    print(f"{'operation':16} {'a little':>9} {'much':>9}")
    for name, (little, much) in operations(mesh).items():
        more = f"{best(much, 3):9.1f}" if much else f"{'':>9}"
        print(f"{name:16} {best(little):9.1f} {more}")
    one = np.array([SIDE * 70 + 70], np.int32)
    faces = [("face", how) for how in ("grow", "same plane", "connected")]
    for kind, how in [*faces, ("edge", "loop"), ("edge", "ring")]:
        print(f"take in {how:12} {best(lambda k=kind, h=how: take_in(mesh, k, one, h)):5.1f}")  # type: ignore[misc]


if __name__ == "__main__":
    main()
