"""A level as parts and nodes, ready to be written to a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from able_brick.core.files.scene import Node, ScenePart, ScenePartRung, Texture
from able_brick.core.mesh.hardware import HardwareVertices
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pivots import seen_from_pivot
from able_brick.core.place.pose import (
    IDENTITY,
    Quaternion,
    Vector,
    about_pivot,
    after_turn,
    rotated,
    turned,
    vector,
)
from able_brick.core.slim.viewing import coverage
from able_brick.level.carried import carried_rows, fits
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import AShown, AThing, Drawable, Group, Piece, Placement, Standing
from able_brick.level.rows.bent import BendDeformer
from able_brick.level.rows.instances import Deformer, MirroredDeformer
from able_brick.level.snapshot import Snapshot

#: Things between two reports of progress.
_BREATH = 500
Load = Callable[[str], PolyMesh]
Pictures = Callable[[str], Texture]
#: Where a group's pivot is, and the turn from the world's axes to its own.
_Frame = tuple[Vector, Quaternion]


@dataclass(frozen=True)
class LevelFile:
    """What the file of a level holds: parts, each once; nodes; the rows that nodes would lose, none in a lean one."""

    parts: list[ScenePart]
    nodes: list[Node]
    rows: dict[str, object] | None


def piece_part(piece: Piece, mesh: PolyMesh, pictures: Pictures, load: Load | None = None) -> ScenePart:
    """A piece with its pivot at the origin, along its pivot's axes, as an engine expects it; with its rungs where
    meshes can be loaded."""
    return drawable_part(
        Drawable(piece), lambda key: mesh if load is None or key == piece.mesh else load(key), pictures, load
    )


def drawable_part(drawable: Drawable, own: Load, pictures: Pictures, load: Load | None = None) -> ScenePart:
    """A piece as it is drawn; with rungs that are mirrored and bent alike where these can be loaded."""
    piece = drawable.piece
    surfaces = tuple(s.material(pictures) for s in piece.materials)
    mesh, shaded = _drawn(drawable, own)
    rungs: list[ScenePartRung] = []
    if load is not None and piece.ladder is not None and fits(piece.ladder, piece):
        shares = coverages(piece)
        least = mesh.triangle_count
        for rung, share in zip(piece.ladder.rungs, shares, strict=True):
            slim, shading = _drawn(rung_drawable(drawable, rung.mesh), load)
            # what has to be divided to be bent may come to no fewer triangles: then it is of no use
            if drawable.deformer is None or slim.triangle_count < least:
                rungs.append(ScenePartRung(slim, share, shading))
                least = slim.triangle_count
    return ScenePart(piece.name, mesh, surfaces, shaded, tuple(rungs), piece.id if drawable.deformer is None else "")


def _drawn(drawable: Drawable, load: Load) -> tuple[PolyMesh, HardwareVertices | None]:
    if drawable.deformer is not None:
        return drawable.mesh(load), drawable.shaded(load)
    piece, mesh = drawable.piece, load(drawable.piece.mesh)
    plain = not any(piece.pivot) and piece.axes == IDENTITY
    return (mesh if plain else seen_from_pivot(mesh, piece.pivot, piece.axes)), None


def rung_drawable(drawable: Drawable, mesh: str) -> Drawable:
    """A look of a piece with the mesh of a rung of it."""
    piece = drawable.piece.changed(mesh=mesh, ladder=None)

    def of(deformer: Deformer | None) -> Deformer | None:
        if isinstance(deformer, MirroredDeformer):
            inner = of(deformer.deformer)
            return None if inner is None else MirroredDeformer(inner)
        return replace(deformer, piece=piece) if isinstance(deformer, BendDeformer) else deformer

    return Drawable(piece, of(drawable.deformer))


def coverages(piece: Piece) -> list[float]:
    """For each rung of a piece the share of the picture below which it is good, falling."""
    if piece.ladder is None:
        return []
    low, high = piece.box_about_pivot()
    reach = float(np.linalg.norm((high - low) * piece.ladder.size)) / 2
    # what is good from a distance has to be that far from the eye with all of it
    found = [coverage(reach, rung.good_from + reach) for rung in piece.ladder.rungs]
    return [float(v) for v in np.minimum.accumulate(found)]


def as_it_was(piece: Piece, points: Floats) -> Floats:
    """Points (N,3) of a piece's mesh from those of its part as a file holds it, in float32; written again they are the
    same file."""
    if not any(piece.pivot) and piece.axes == IDENTITY:
        return points
    own, found = points, points
    for _ in range(8):
        found = rotated(piece.axes, own) + piece.pivot
        again = about_pivot(found, piece.pivot, piece.axes).astype(np.float32).astype(np.float64)
        if np.array_equal(again, own):
            break
        own = again
    return found


def level_file(
    snapshot: Snapshot,
    level: str,
    load: Load,
    pictures: Pictures,
    tell: Callable[[float], None] | None = None,
    *,
    rungs: bool = False,
    lean: bool = False,
) -> LevelFile:
    """Parts used in the level, each once, and nodes: one for each placement, one parent for each array, course and
    group, nested as the groups are; and, unless it is to be `lean`, the rows of all that. With `rungs` parts have those
    of their pieces. `tell` hears how far it is, 0…1, and may raise to stop it."""
    parts: list[ScenePart] = []
    part_of: dict[tuple[str, str], int] = {}
    finer = load if rungs else None

    def part(drawable: Drawable) -> int:
        key = (drawable.piece.id, "" if drawable.deformer is None else drawable.deformer.key)
        if key not in part_of:
            part_of[key] = len(parts)
            parts.append(drawable_part(drawable, load, pictures, finer))
        return part_of[key]

    things = snapshot.of(snapshot.level(level).id)

    def node(thing: AThing, frame: _Frame | None) -> Node | None:
        """The thing as a node, in the frame of the group that it is in."""
        if isinstance(thing, Group):
            x, y, z, w = thing.turn
            here = (thing.position, (-x, -y, -z, w))
            inside = [node(t, here) for t in things.inside(thing.id) if things.parent(t) is thing]
            position, turn = _seen_from(frame, thing.position, thing.turn)
            children = tuple(n for n in inside if n is not None)
            if not children:
                return None
            kind: dict[str, object] = {"kind": thing.kind}
            return Node(
                thing.name, None, position, turn, children=children, extras=kind, thing=thing.id, others=thing.extras
            )
        shown = shown_items(snapshot, thing)
        if shown is None or not isinstance(thing, AShown):
            return None
        extras: dict[str, object] = {"piece": snapshot.pieces[thing.piece].name, "kind": thing.kind}
        others = thing.extras if isinstance(thing, Standing) else None
        if isinstance(thing, Placement) and shown.count == 1:
            position, turn = _seen_from(frame, thing.position, thing.turn)
            index = part(shown.batches[0].drawable)
            return Node(thing.name, index, position, turn, thing.size, extras=extras, thing=thing.id, others=others)
        items: list[tuple[int, Node]] = []
        for batch in shown.batches:
            index = part(batch.drawable)
            for number, row in zip(batch.numbers.tolist(), batch.poses.rows(), strict=True):
                x, y, z, w = (float(v) for v in row[3:7])
                turn = (x, y, z, w) if abs(w) < 1.0 else IDENTITY
                position, turn = _seen_from(frame, vector(row[:3]), turn)
                items.append((number, Node(f"{thing.name} {number + 1}", index, position, turn, vector(row[7:]))))
        if not items:
            return None
        items.sort(key=lambda item: item[0])
        children = tuple(n for _, n in items)
        return Node(thing.name, children=children, extras=extras, thing=thing.id, others=others)

    found = []
    roots = things.roots()
    for k, thing in enumerate(roots):
        if tell is not None and k % _BREATH == 0:
            tell(k / len(roots))
        found.append(node(thing, None))
    nodes = [n for n in found if n is not None]
    if lean:
        return LevelFile(parts, nodes, None)
    named = dict.fromkeys(p for t in things.values() for p in t.pieces if p in snapshot.pieces)
    for key in named:  # also those of which nothing stands as it is, but mirrored or bent, or left out
        part(Drawable(snapshot.pieces[key]))
    return LevelFile(parts, nodes, carried_rows(snapshot, level, named, load, rungs=rungs))


def _seen_from(frame: _Frame | None, position: Vector, turn: Quaternion) -> tuple[Vector, Quaternion]:
    """A stand in the world, given in a frame in it."""
    if frame is None:
        return position, turn
    (a, b, c), back = frame
    x, y, z = position
    return vector(turned(back, (x - a, y - b, z - c))), after_turn(turn, back)
