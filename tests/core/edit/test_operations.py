"""Every operation on the whole zoo, with picks at random: it keeps its promises, or says what is in the way."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from collections.abc import Callable
from pathlib import Path
from typing import Any, get_type_hints

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core import edit
from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.bevel_vertices import bevel_vertices
from able_brick.core.edit.bridge import bridge
from able_brick.core.edit.carry import carry
from able_brick.core.edit.cut import Stop, cut, slice_by_plane
from able_brick.core.edit.dissolve import dissolve
from able_brick.core.edit.divide import divide, divide_rows, poke
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType, count_of
from able_brick.core.edit.extent import stretched
from able_brick.core.edit.extrude import extrude
from able_brick.core.edit.fill import FillWith, fill
from able_brick.core.edit.flatten import evened, flattened
from able_brick.core.edit.inset import inset
from able_brick.core.edit.loops import add_loops
from able_brick.core.edit.merge import collapse, weld
from able_brick.core.edit.mirror_faces import mirror_faces
from able_brick.core.edit.picks import take_in
from able_brick.core.edit.pull import pull_edges
from able_brick.core.edit.relax import relaxed
from able_brick.core.edit.remove import delete
from able_brick.core.edit.slide import slide
from able_brick.core.edit.smooth import smooth
from able_brick.core.edit.sweep import sweep
from able_brick.core.edit.triangles import as_quads, triangulated_faces, turned_edges
from able_brick.core.edit.twice import copy_faces
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.mirror import Reflection
from able_brick.core.shapes.plane import plane
from tests.core.edit.promises import no_worse, sound, untouched, uv_stay
from tests.thorough import by_day
from tests.zoo import SHAPED, ZOO, mirrored

Picks = np.ndarray[Any, Any]


def some(mesh: PolyMesh, kind: ElementType, seed: int, share: float) -> Picks:
    """Elements at random, one at least."""
    count = count_of(mesh, kind)
    chosen = np.random.default_rng(seed).random(count) < share
    chosen[seed % count] = True
    return np.flatnonzero(chosen).astype(np.int32)


def way_across(mesh: PolyMesh, seed: int) -> list[Stop]:
    """Places on edges, each across a face from the one before."""
    random, t = np.random.default_rng(seed), topology(mesh)
    corner = int(random.integers(len(mesh.corners)))
    out = []
    for _ in range(4):
        out.append(Stop(edge=int(t.corner_edge[corner]), share=float(random.choice([0.2, 0.5, 1.0]))))
        face = mesh.corner_face[corner]
        start, size = int(mesh.face_starts[face]), int(mesh.face_sizes[face])
        other = start + (corner - start + 1 + int(random.integers(size - 1))) % size
        if t.twin[other] < 0:
            return [*out, Stop(edge=int(t.corner_edge[other]), share=0.4)]
        corner = int(t.twin[other])
    return out


def quarter(radius: float, sections: int = 3) -> tuple[Picks, Picks, Picks]:
    """Sections of a quarter circle that begins upward."""
    angle = np.linspace(0.0, np.pi / 2, sections + 1)
    zero = np.zeros(len(angle))
    places = radius * np.stack([1 - np.cos(angle), np.sin(angle), zero], axis=1)
    turns = np.stack([np.array([[np.cos(a), np.sin(a), 0], [-np.sin(a), np.cos(a), 0], [0, 0, 1]]) for a in angle])
    return places, turns, np.linspace(1.0, 0.5, sections + 1)


def loop_of(mesh: PolyMesh, seed: int) -> Picks:
    return take_in(mesh, "edge", some(mesh, "edge", seed, 0.0), "loop")


def apart(mesh: PolyMesh, seed: int) -> Picks:
    """A face, and the one that is farthest from it."""
    first = some(mesh, "face", seed, 0.0)[0]
    middles = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1]) / mesh.face_sizes[:, None]
    far = np.linalg.norm(middles - middles[first], axis=1).argmax()
    return np.array(sorted({int(first), int(far)}), np.int32)


#: Whether old vertices stay where they are.
FILLS: tuple[FillWith, ...] = ("one face", "fan", "least area", "grid")
OPERATIONS: dict[str, tuple[bool, Callable[[PolyMesh, int, float], Edited]]] = {
    "extrude": (False, lambda m, s, q: extrude(m, some(m, "face", s, q), 0.01)),
    "extrude from a base": (
        True,
        lambda m, s, q: extrude(m, some(m, "face", s, q), 0.01 - 0.02 * (s % 2), each=s % 3 == 0, leave=True),
    ),
    "sweep": (False, lambda m, s, q: sweep(m, some(m, "face", s, 0.0), *quarter(0.2 + 0.1 * (s % 3)))),
    "inset": (True, lambda m, s, q: inset(m, some(m, "face", s, q), 1e-3)),
    "bevel": (True, lambda m, s, q: bevel(m, some(m, "edge", s, min(q, 0.2)), 0.004, segments=1 + s % 4)),
    "bevel vertices": (True, lambda m, s, q: bevel_vertices(m, some(m, "vertex", s, min(q, 0.2)), 0.004)),
    "add loops": (True, lambda m, s, q: add_loops(m, some(m, "edge", s, q / 4), 1 + s % 3)),
    "cut": (True, lambda m, s, q: cut(m, way_across(m, s))),
    "slice": (True, lambda m, s, q: slice_by_plane(m, m.positions.mean(axis=0), np.array([1.0, s % 3, 0.4]))),
    "divide": (True, lambda m, s, q: divide(m, some(m, "face", s, q), 2 + s % 2)),
    "divide rows": (True, lambda m, s, q: divide_rows(m, some(m, "face", s, q), 1 + s % 3, 2 + s % 4)),
    "poke": (True, lambda m, s, q: poke(m, some(m, "face", s, q), 0.01 * (s % 2))),
    "dissolve faces": (True, lambda m, s, q: dissolve(m, "face", some(m, "face", s, q))),
    "dissolve edges": (True, lambda m, s, q: dissolve(m, "edge", some(m, "edge", s, q / 4))),
    "dissolve vertices": (True, lambda m, s, q: dissolve(m, "vertex", some(m, "vertex", s, q / 4))),
    "collapse": (False, lambda m, s, q: collapse(m, some(m, "edge", s, q / 8))),
    "weld": (False, lambda m, s, q: weld(m, np.arange(m.vertex_count), (0.02, 0.1, 0.5)[s % 3])),
    "pull edges": (True, lambda m, s, q: pull_edges(m, np.flatnonzero(topology(m).border), 0.05)),
    "fill": (True, lambda m, s, q: fill(m, np.flatnonzero(topology(m).border), FILLS[s % 4])),
    "bridge": (
        True,
        lambda m, s, q: bridge(m, "face", apart(m, s), segments=1 + s % 3, way=("straight", "arc")[s % 2]),
    ),
    "triangulate": (
        True,
        lambda m, s, q: triangulated_faces(
            m, some(m, "face", s, q), ("shortest diagonal", "best angles", "flattest fold")[s % 3]
        ),
    ),
    "turn edges": (True, lambda m, s, q: turned_edges(m, some(m, "edge", s, 0.0))),
    "as quads": (True, lambda m, s, q: as_quads(m, np.arange(m.face_count), bend=0.3, skew=0.9)),
    "slide": (False, lambda m, s, q: slide(m, loop_of(m, s), share=0.3 - 0.6 * (s % 2))),
    "even out": (False, lambda m, s, q: evened(m, loop_of(m, s))),
    "relax": (
        False,
        lambda m, s, q: relaxed(
            m, "vertex", some(m, "vertex", s, q), keep=("surface", "volume", "nothing")[s % 3], hold_sharp=s % 2 == 0
        ),
    ),
    "flatten": (False, lambda m, s, q: flattened(m, "vertex", some(m, "vertex", s, 0.0), np.array([0.0, 1, 0]), None)),
    "stretched": (
        False,
        lambda m, s, q: stretched(m, "face", some(m, "face", s, 0.0), 0.3, ("width", "height")[s % 2]),
    ),
    "copy": (True, lambda m, s, q: copy_faces(m, some(m, "face", s, q), np.array([9.0, 0, 0]))),
    "delete": (True, lambda m, s, q: delete(m, some(m, "face", s, q / 2))),
    # vertices that rounding put beside the plane are put onto it
    "mirror": (
        False,
        lambda m, s, q: mirror_faces(
            m, np.arange(m.face_count), Reflection(m.positions.mean(axis=0), np.eye(3)[s % 3]), cut=True, weld=0.0
        ),
    ),
    "mirror some": (
        True,
        lambda m, s, q: mirror_faces(m, some(m, "face", s, q), Reflection(np.array([9.0, 0, 0]), np.eye(3)[0])),
    ),
    "smooth": (False, lambda m, s, q: smooth(m, 1, crease_angle=(None, 0.5)[s % 2])),
}
#: Operations after which a closed mesh may be open.
OPENING = ("delete", "copy", "mirror some")


@pytest.mark.parametrize("operation", sorted(OPERATIONS))
@pytest.mark.parametrize("name", sorted(SHAPED))
@given(st.integers(0, 10**6), st.sampled_from([0.0, 0.1, 0.5]))
@settings(max_examples=by_day(1, 3), deadline=None)
def test_what_every_operation_promises(operation: str, name: str, seed: int, share: float) -> None:
    mesh = SHAPED[name]()
    stays, work = OPERATIONS[operation]
    try:
        out = work(mesh, seed, share)
    except GeometryError:
        return
    sound(mesh, out)
    uv_stay(mesh, out)
    if stays:
        untouched(mesh, out, np.zeros(mesh.vertex_count, np.bool_))
    if operation not in OPENING:
        no_worse(mesh, out)
    assert work(mesh, seed, share).mesh.content_hash == out.mesh.content_hash


@pytest.mark.parametrize("operation", sorted(set(OPERATIONS) - {"weld", "slice"}))
@pytest.mark.parametrize("name", ["divided box", "arrow", "sheet"])
def test_a_mirrored_mesh_gives_what_is_mirrored(operation: str, name: str) -> None:
    mesh = ZOO[name]()
    flip = np.array([-1.0, 1.0, 1.0])
    other = mirrored(mesh)
    _, work = OPERATIONS[operation]
    try:
        one = work(mesh, 4, 0.3)
    except GeometryError:
        return
    if operation in ("cut", "copy", "slide", "sweep", "mirror", "mirror some"):
        return  # these ask by the numbers of corners, or in a direction
    two = work(other, 4, 0.3)
    key = lambda p: sorted(np.round(p, 9).tolist())  # noqa: E731
    assert np.allclose(key(one.mesh.positions * flip), key(two.mesh.positions), atol=1e-9)
    assert one.mesh.face_count == two.mesh.face_count


@pytest.mark.parametrize("operation", sorted(OPERATIONS))
def test_nothing_and_what_is_not_there_are_refused(operation: str) -> None:
    mesh = ZOO["box"]()
    bad: list[Callable[[Picks], Edited]] = {
        "extrude": [lambda f: extrude(mesh, f, 1.0)],
        "extrude from a base": [lambda f: extrude(mesh, f, 1.0, leave=True)],
        "inset": [lambda f: inset(mesh, f, 0.1)],
        "bevel": [lambda f: bevel(mesh, f, 0.1)],
        "bevel vertices": [lambda f: bevel_vertices(mesh, f, 0.1)],
        "add loops": [lambda f: add_loops(mesh, f)],
        "cut": [lambda f: cut(mesh, [Stop(edge=int(k)) for k in f])],
        "divide": [lambda f: divide(mesh, f)],
        "poke": [lambda f: poke(mesh, f)],
        "dissolve faces": [lambda f: dissolve(mesh, "face", f)],
        "dissolve edges": [lambda f: dissolve(mesh, "edge", f)],
        "dissolve vertices": [lambda f: dissolve(mesh, "vertex", f)],
        "collapse": [lambda f: collapse(mesh, f)],
        "weld": [lambda f: weld(mesh, f, 1.0)],
        "pull edges": [lambda f: pull_edges(mesh, f, 1.0)],
        "stretched": [lambda f: stretched(mesh, "face", f, 1.0, "width")],
        "slide": [lambda f: slide(mesh, f, share=0.5)],
        "copy": [lambda f: copy_faces(mesh, f, np.zeros(3))],
        "delete": [lambda f: delete(mesh, f)],
        "mirror": [lambda f: mirror_faces(mesh, f, Reflection(np.zeros(3), np.eye(3)[1]))],
    }.get(operation, [])
    for work in bad:
        for ids in ([], [99], [-5, 2]):
            with pytest.raises(GeometryError):
                work(np.array(ids, np.int32))


@pytest.mark.parametrize("scale", [1e-3, 1e4])
@pytest.mark.parametrize("keep_to", ["free", "edges", "surface", "normal"])
def test_vertices_are_moved_at_all_sizes(scale: float, keep_to: Any) -> None:
    mesh = ZOO["divided box"]()
    large = mesh.replaced(positions=mesh.positions * scale)
    shift = np.array([0.05, 0.1, 0.02])
    ids = np.array([3, 17], np.int32)
    one = carry(mesh, "vertex", ids, np.eye(3), shift, np.zeros(3), keep_to=keep_to, radius=0.7)
    two = carry(large, "vertex", ids, np.eye(3), shift * scale, np.zeros(3), keep_to=keep_to, radius=0.7 * scale)
    assert two.mesh.positions == pytest.approx(one.mesh.positions * scale, rel=1e-9, abs=1e-12 * scale)


def test_every_operation_of_shaping_is_here_and_in_the_bench() -> None:
    """An operation is a function of core/edit that gives an edited mesh; it has a place in both tables."""
    named = {n for n in _operations() if n not in HELPERS}
    here = Path(__file__).read_text() + (Path(__file__).parent / "test_faces.py").read_text()
    bench = (Path(__file__).parents[2] / "bench" / "shape.py").read_text()
    for name in named:
        assert f"{name}(" in here, f"{name} is not crossed with the zoo"
        assert f"{name}(" in bench, f"{name} has no speed"


#: What gives edited meshes to operations.
HELPERS = (
    "assemble",
    "what_fits",
    "refuse_flat",
    "refuse_folded",
    "refuse_worse",
    "placed",
    "shifted",
    "joined_at",
    "unchanged",
    "composed",
)


def _operations() -> set[str]:
    out = set()
    for module in pkgutil.iter_modules(edit.__path__):
        found = importlib.import_module(f"{edit.__name__}.{module.name}")
        out |= {
            name
            for name, f in inspect.getmembers(found, inspect.isfunction)
            if not name.startswith("_") and get_type_hints(f).get("return") is Edited
        }
    return out


def test_a_slip_of_the_hand_does_not_exhaust_memory() -> None:
    mesh = plane(10.0, 10.0, divisions=(100, 100))
    edges = np.arange(len(topology(mesh).edges), dtype=np.int32)
    inner = np.flatnonzero(~topology(mesh).border).astype(np.int32)
    faces = np.arange(mesh.face_count, dtype=np.int32)
    for work in (
        lambda: add_loops(mesh, edges, 64),
        lambda: divide(mesh, faces, 32),
        lambda: divide_rows(mesh, faces, 32, 31),
        lambda: bevel(mesh, inner, 0.001, segments=32),
        lambda: weld(mesh, np.arange(mesh.vertex_count), 1e3),
    ):
        with pytest.raises(GeometryError, match="at most"):
            work()


def test_a_wall_on_an_edge_of_no_length_is_refused_without_a_warning() -> None:
    box = ZOO["divided box"]()
    face = int(np.argmax(box.positions[box.corners[box.face_starts[:-1]]][:, 1]))
    a, b = box.corners[box.face_starts[face] : box.face_starts[face] + 2]
    places = box.positions.copy()
    places[b] = places[a]
    with pytest.raises(GeometryError, match="would have no area"):
        extrude(box.replaced(positions=places), np.array([face], np.int32), 0.2)
