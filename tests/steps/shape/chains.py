"""Random chains of operations on a piece, each looked at by an independent measure of soundness.

The short form runs with the tests. The long one: `python -m tests.steps.shape.chains --runs 200 --steps 30`, once more
with `--from-file`.
"""

from __future__ import annotations

import argparse
import itertools
from collections import Counter
from typing import Any, Final

import numpy as np

from able_brick.core.errors import AbleBrickError
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Material, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.level.elements import Elements
from able_brick.level.rows import Piece, Placement
from able_brick.level.snapshot import Edit
from able_brick.steps.draft import facts
from able_brick.steps.registry import TOOLS
from tests.steps.test_steps import Sheet
from tests.zoo import SHAPED, ZOO

MESHES: Final = ("box", "divided box", "hexagon", "cone", "arrow", "sheet", "two parts")
#: Those that come out of files: of triangles, of polygons, welded by place alone, with uv and without.
BROUGHT_IN: Final = tuple(
    itertools.product(("pump house", "quay wall", "lamp post", "torus", "star", "plate"), ("glb", "obj", "stl", "ply"))
)


def brought_in(name: str, ending: str) -> PolyMesh:
    """A mesh as it is after it went through a file."""
    mesh = SHAPED[name]()
    # looks are not what is asked about
    part = ScenePart(name, mesh.replaced(material=np.zeros(mesh.face_count, np.int32)), (Material("stone"),))
    files = write_file(f"one.{ending}", Scene((part,)))
    return read_file(f"one.{ending}", files[f"one.{ending}"], files.get).parts[0].mesh


def opened_with(mesh: PolyMesh, name: str = "Trial") -> Sheet:
    """A sheet with one piece, placed once."""
    sheet = Sheet()
    sheet.meshes[mesh.content_hash] = mesh
    piece = Piece(id="piece-1", name=name, mesh=mesh.content_hash, facts=facts(mesh))
    place = Placement(id="placement-1", level="level-1", name=name, piece="piece-1")
    sheet.snapshot = sheet.snapshot.with_edits([Edit(None, piece), Edit(None, place)])
    return sheet


def triangles(mesh: PolyMesh) -> tuple[np.ndarray, np.ndarray]:
    """Corners (T,3,3) and vertices (T,3) of all triangles."""
    tris, _ = triangulate(mesh)
    numbers = mesh.corners[tris]
    return mesh.positions[numbers], numbers


def pierced(mesh: PolyMesh) -> set[frozenset[int]]:
    """Pairs of faces of which one goes through the other: an edge of the one clear through the inside of a triangle of
    the other, by solving for where they meet."""
    points, numbers = triangles(mesh)
    _, face = triangulate(mesh)
    size = float(np.ptp(mesh.positions, axis=0).max())
    out: set[frozenset[int]] = set()
    of_edge: dict[tuple[int, int], list[int]] = {}
    for f in range(mesh.face_count):
        ring = mesh.corners[mesh.face_starts[f] : mesh.face_starts[f + 1]].tolist()
        for i, j in itertools.pairwise([*ring, ring[0]]):
            of_edge.setdefault((min(i, j), max(i, j)), []).append(f)
    ends = np.array(list(of_edge))
    a, b = mesh.positions[ends[:, 0]], mesh.positions[ends[:, 1]]
    for t in range(len(points)):
        p, u, v = points[t, 0], points[t, 1] - points[t, 0], points[t, 2] - points[t, 0]
        if np.linalg.norm(np.cross(u, v)) < 1e-12 * size * size:
            continue
        shared = np.isin(ends, numbers[t]).any(axis=1)
        # p + r u + s v = a + w (b − a)
        system = np.stack([np.broadcast_to(u, a.shape), np.broadcast_to(v, a.shape), a - b], axis=2)
        flat = np.abs(np.linalg.det(system)) < 1e-14 * size**3
        system[flat] = np.eye(3)
        r, s, w = np.linalg.solve(system, (a - p)[..., None])[..., 0].T
        deep = 1e-5
        hit = ~flat & ~shared & (w > deep) & (w < 1 - deep) & (r > deep) & (s > deep) & (r + s < 1 - deep)
        for e in np.flatnonzero(hit):
            out |= {frozenset((int(face[t]), g)) for g in of_edge[tuple(ends[e].tolist())] if g != face[t]}
    return out


def turned_inside(mesh: PolyMesh) -> set[int]:
    """Faces one of whose triangles looks against the face as a whole."""
    tris, face = triangulate(mesh)
    p = mesh.positions[mesh.corners[tris]]
    own = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    out = set()
    for f in range(mesh.face_count):
        mine = own[face == f]
        whole = mine.sum(axis=0)
        if (mine @ whole < -1e-6 * np.linalg.norm(mine, axis=1) * np.linalg.norm(whole)).any():
            out.add(f)
    return out


def volume_of(mesh: PolyMesh) -> float:
    points, _ = triangles(mesh)
    return float(np.einsum("ni,ni->n", points[:, 0], np.cross(points[:, 1], points[:, 2])).sum() / 6)


def is_closed(mesh: PolyMesh) -> bool:
    seen: Counter[tuple[int, int]] = Counter()
    for f in range(mesh.face_count):
        ring = mesh.corners[mesh.face_starts[f] : mesh.face_starts[f + 1]].tolist()
        seen.update(itertools.pairwise([*ring, ring[0]]))
    return all(n == 1 and seen[b, a] == 1 for (a, b), n in seen.items())


def wish(random: np.random.Generator, mesh: PolyMesh) -> tuple[str, dict[str, Any], Elements]:
    """An operation at random, with numbers about as large as the mesh."""
    size = float(np.ptp(mesh.positions, axis=0).max())

    def far(least: float = -0.4, most: float = 0.4) -> float:
        return float(random.uniform(least, most)) * size

    def vector() -> tuple[float, float, float]:
        x, y, z = random.uniform(-0.3, 0.3, 3) * size
        return (float(x), float(y), float(z))

    wishes: list[tuple[str, str, dict[str, Any]]] = [
        ("extrude", "face", {"depth": far(), "faces": str(random.choice(["together", "each"]))}),
        ("inset", "face", {"width": far(0.01, 0.3)}),
        ("taper", "face", {"share": float(random.uniform(20, 180))}),
        ("bevel", "edge", {"width": far(0.01, 0.2), "segments": int(random.integers(1, 4))}),
        ("bevel", "face", {"width": far(0.01, 0.2)}),
        ("move_elements", str(random.choice(["face", "edge", "vertex"])), {"by": vector()}),
        ("turn_elements", "face", {"angle": float(random.uniform(-60, 60)), "axis": str(random.choice(list("xyz")))}),
        ("size_elements", "face", {"shares": tuple(float(v) for v in random.uniform(30, 180, 3))}),
        ("slide_loop", "edge", {"share": float(random.uniform(-80, 80))}),
        ("add_loops", "edge", {"count": int(random.integers(1, 3))}),
        ("slice_plane", "face", {"at": far(0.0, 0.4)}),
        ("divide", "face", {"parts": 2}),
        ("poke", "face", {"height": far(-0.2, 0.2)}),
        ("flatten", "face", {}),
        ("relax", "face", {}),
        ("even_out", "face", {}),
        ("dissolve_elements", str(random.choice(["face", "edge", "vertex"])), {}),
        ("collapse", "edge", {}),
        ("weld", "vertex", {"distance": far(0.01, 0.2)}),
        ("delete_elements", "face", {}),
    ]
    tool, kind, params = wishes[int(random.integers(len(wishes)))]
    if mesh.face_count > 400 and tool in ("divide", "poke", "add_loops", "bevel"):
        tool, kind, params = "collapse", "edge", {}
    count = {"face": mesh.face_count, "vertex": mesh.vertex_count}.get(kind) or mesh.face_count + mesh.vertex_count - 4
    first = int(random.integers(max(count, 1)))
    ids = list(range(first, min(first + int(random.integers(1, 4)), max(count, 1))))
    return tool, params, Elements.of(mesh.content_hash, ids, kind)  # type: ignore[arg-type]


def chain(seed: int, steps: int, told: Counter[str], *, from_file: bool = False) -> None:
    """One chain, on a mesh of the zoo or on one that was brought in. What breaks a sound mesh without being told is
    added to `told`."""
    random = np.random.default_rng(seed)
    mesh = brought_in(*BROUGHT_IN[seed % len(BROUGHT_IN)]) if from_file else ZOO[MESHES[seed % len(MESHES)]]()
    sheet = opened_with(mesh)
    for _ in range(steps):
        piece = sheet.row("piece-1")
        before = sheet.meshes[piece.mesh]
        if before.face_count < 2:
            return
        tool, params, elements = wish(random, before)
        try:
            change = sheet.do(tool, "placement-1", elements=elements.model_dump(), **params)
        except AbleBrickError:
            told["refused"] += 1
            continue
        told["done"] += 1
        after = sheet.meshes[sheet.row("piece-1").mesh]
        note = change.note
        was, now = pierced(before), pierced(after)
        said = any(word in note for word in ("inside out", "no volume", "back to back"))
        if len(now) > len(was) and not was:
            told[f"{tool}: goes through itself"] += 1
            told[f"seed {seed}: {tool} {params} {elements.kind} {elements.ids}"] += 1
        if len(turned_inside(after)) > len(turned_inside(before)):
            told[f"{tool}: folded face"] += 1
            told[f"seed {seed}: {tool} {params} {elements.kind} {elements.ids}"] += 1
        least = 1e-9 * float(np.ptp(before.positions, axis=0).max()) ** 3  # what is flat has no inside
        if not said and is_closed(before) and is_closed(after) and volume_of(before) > least and volume_of(after) <= 0:
            told[f"{tool}: inside out"] += 1
            told[f"seed {seed}: {tool} {params} {elements.kind} {elements.ids}"] += 1


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=200)
    parser.add_argument("--steps", type=int, default=30)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--from-file", action="store_true", help="on meshes that were brought in")
    asked = parser.parse_args()
    told: Counter[str] = Counter()
    for seed in range(asked.first, asked.first + asked.runs):
        chain(seed, asked.steps, told, from_file=asked.from_file)
    for words, count in told.most_common():
        print(count, words)
    assert set(told) <= {"done", "refused"}, "a sound mesh was broken without a word"
    assert "extrude" in TOOLS


if __name__ == "__main__":
    main()
