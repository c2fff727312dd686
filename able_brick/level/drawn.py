"""How what things show is drawn: few meshes, each with where it stands and whose items are in it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from itertools import groupby
from typing import Final

import numpy as np

from able_brick.core.cache import ByteCache
from able_brick.core.files.view_glb import ViewItems, write_items_glb, write_view_glb
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.path.uv import along
from able_brick.core.place.pose import IDENTITY
from able_brick.level.rows import Drawable, InstanceBatch, Instances, Piece
from able_brick.level.rows.bent import BendDeformer, matrices
from able_brick.level.rows.instances import Load, counts_of

_MOST_RECIPES: Final = 64 * 2**20
_RECIPES: ByteCache[tuple[BendDeformer, ...] | Drawable] = ByteCache(
    _MOST_RECIPES, lambda r: 400 + 60 * (len(r) if isinstance(r, tuple) else 1)
)


@dataclass(frozen=True, eq=False)
class Drawn:
    """A mesh as it is drawn: the piece's own, or one by its `mesh` key; where it stands (n,10); the box
    round it, where it is not the piece's own.

    `numbers` are the items that stand there, one for each row; or, where one mesh holds several items, those of one
    row, with so many `faces` (n) each, and those of each further row are as many on as the thing has items. `counts`
    are the triangles and hardware vertices of all of them.
    """

    piece: Piece
    mesh: str | None
    numbers: Ints
    rows: Floats
    counts: tuple[int, int]
    box: tuple[Floats, Floats] | None = None
    faces: Ints = field(default_factory=lambda: np.zeros(0, np.int32))


def drawn(shown: Instances, load: Load) -> list[Drawn]:
    """What is drawn of a thing's items: items that are alike by one mesh each, all others of a piece together."""
    out: list[Drawn] = []
    single: dict[str, list[InstanceBatch]] = {}
    for batch in shown.batches:
        deformer = batch.drawable.deformer
        if isinstance(deformer, BendDeformer):
            if len(batch.numbers) == 1:
                single.setdefault(batch.drawable.piece.id, []).append(batch)
                continue
            _RECIPES.keep(deformer.key, (deformer,))
        elif deformer is not None:
            _RECIPES.keep(_key(batch.drawable), batch.drawable)
        key = None if deformer is None else deformer.key if isinstance(deformer, BendDeformer) else _key(batch.drawable)
        box = None if deformer is None else batch.drawable.box()
        out.append(Drawn(batch.drawable.piece, key, batch.numbers, batch.poses.rows(), _counts([batch], load), box))
    for batches in single.values():
        lone = batches[0].drawable.deformer
        if len(batches) == 1 and isinstance(lone, BendDeformer):  # by itself, as its own frame sees it
            _RECIPES.keep(lone.key, (lone,))
            (one,) = batches
            counts, box = _counts(batches, load), one.drawable.box()
            out.append(Drawn(one.drawable.piece, lone.key, one.numbers, one.poses.rows(), counts, box))
            continue
        deformers = tuple(
            sorted(
                (b.drawable.deformer for b in batches if isinstance(b.drawable.deformer, BendDeformer)),
                key=lambda f: (f.division, f.alone),
            )
        )
        own = load(batches[0].drawable.piece.mesh)
        number = {id(b.drawable.deformer): int(b.numbers[0]) for b in batches}
        name = hashlib.blake2b(b"together", digest_size=20)
        for deformer in deformers:
            name.update(deformer.key.encode())
            name.update(deformer.bent.positions[deformer.item].tobytes())
            name.update(deformer.bent.turns[deformer.item].tobytes())
        _RECIPES.keep(name.hexdigest(), deformers)
        origin = np.array([[*_origin(deformers), *IDENTITY, 1.0, 1.0, 1.0]])
        numbers = np.array([number[id(f)] for f in deformers], np.int32)
        faces = np.concatenate([_faces(list(alike), own) for _, alike in groupby(deformers, key=lambda f: f.cost)])
        counts = _counts(batches, load)
        out.append(Drawn(batches[0].drawable.piece, name.hexdigest(), numbers, origin, counts, _box(deformers), faces))
    return out


def _counts(batches: list[InstanceBatch], load: Load) -> tuple[int, int]:
    """Triangles and hardware vertices of all items."""
    each = [(len(b.numbers), *counts) for b, counts in zip(batches, counts_of(batches, load), strict=True)]
    return sum(n * t for n, t, _ in each), sum(n * v for n, _, v in each)


def _faces(alike: list[BendDeformer], own: PolyMesh) -> Ints:
    """How many faces each of n forms has that are divided alike, (n)."""
    return np.full(len(alike), alike[0].divided(own).mesh.face_count, np.int32)


def _key(drawable: Drawable) -> str:
    """The name of the mesh of a look that is not bent."""
    name = f"{drawable.piece.mesh} {'' if drawable.deformer is None else drawable.deformer.key}"
    return hashlib.blake2b(name.encode(), digest_size=20).hexdigest()


def _origin(deformers: tuple[BendDeformer, ...]) -> Floats:
    """From where items together are measured: near them, so that float32 is fine enough."""
    out: Floats = np.round(deformers[len(deformers) // 2].bent.positions[deformers[len(deformers) // 2].item])
    return out


def _box(deformers: tuple[BendDeformer, ...]) -> tuple[Floats, Floats]:
    """The box round items together, measured from their origin."""
    lows = np.array([f.bent.low[f.item] for f in deformers])
    highs = np.array([f.bent.high[f.item] for f in deformers])
    turns = matrices(np.array([f.bent.turns[f.item] for f in deformers]))
    middles = np.einsum("nij,nj->ni", turns, (lows + highs) / 2) + [f.bent.positions[f.item] for f in deformers]
    reach = np.einsum("nij,nj->ni", np.abs(turns), (highs - lows) / 2)
    origin = _origin(deformers)
    return (middles - reach).min(axis=0) - origin, (middles + reach).max(axis=0) - origin


def glb_of(key: str, load: Load) -> bytes | None:
    """The GLB of a mesh that is drawn, by its key; None where it is not known (any more)."""
    recipe = _RECIPES.find(key)
    if recipe is None:
        return None
    if isinstance(recipe, Drawable):
        return write_view_glb(recipe.mesh(load))
    origin = None if len(recipe) == 1 else _origin(recipe)
    batches = [
        _items(list(same), origin, load) for _, same in groupby(recipe, key=lambda f: (id(f.bent), f.division, f.alone))
    ]
    return write_items_glb(batches)


def _items(deformers: list[BendDeformer], origin: Floats | None, load: Load) -> ViewItems:
    """Forms of one piece that are divided alike, measured from an origin; a lone one as its own frame sees it."""
    first = deformers[0]
    own = load(first.piece.mesh)
    items = np.array([f.item for f in deformers], np.int32)
    mesh, world, normals = first.standing(own, items)
    if origin is None:
        world = (world - first.bent.positions[first.item]) @ first.turn
        normals = normals @ first.turn
    else:
        world = world - origin
    uv = None
    if mesh.uv is not None:
        hardware, points = hardware_vertices(mesh), first.divided(own).points
        per_stretch = first.slopes(mesh, points)[hardware.corner] * along(points, 2.0, 0.0)[hardware.vertex, None]
        uv = mesh.uv[hardware.corner] + per_stretch * (first.bent.stretch[items] - 1.0)[:, None, None]
    return ViewItems(mesh, world, normals, uv)
