"""A level as parts and nodes, ready to be written to a file."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from able_brick.core.files.part import Node, Part, Texture
from able_brick.core.late import Rotation
from able_brick.core.mesh.combine import with_positions
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pose import IDENTITY, Quaternion, Vector, about_pivot, quaternion, rotation, vector
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import Group, Look, Measure, Path, Piece, Placement
from able_brick.level.snapshot import Snapshot
from able_brick.level.things import AThing

#: Things after which it is told how far it is.
_BREATH = 500


def piece_part(piece: Piece, mesh: PolyMesh, pictures: Callable[[str], Texture]) -> Part:
    """A piece with its pivot at the origin, along its pivot's axes, as an engine expects it."""
    plain = not any(piece.pivot) and piece.axes == IDENTITY
    centred = mesh if plain else with_positions(mesh, about_pivot(mesh.positions, piece.pivot, piece.axes))
    return Part(piece.name, centred, tuple(s.material(pictures) for s in piece.materials))


def level_nodes(
    snapshot: Snapshot,
    level: str,
    load: Callable[[str], PolyMesh],
    pictures: Callable[[str], Texture],
    tell: Callable[[float], None] | None = None,
) -> tuple[list[Part], list[Node]]:
    """Parts used in the level, each once, and nodes: one for each placement, one parent for each
    array, course and group, nested as the groups are. `tell` hears how far it is, 0…1, and may raise to stop it."""
    parts: list[Part] = []
    part_of: dict[tuple[str, str], int] = {}

    def part(look: Look) -> int:
        key = (look.piece.id, "" if look.form is None else look.form.key)
        if key not in part_of:
            part_of[key] = len(parts)
            if look.form is None:
                parts.append(piece_part(look.piece, load(look.piece.mesh), pictures))
            else:
                surfaces = tuple(s.material(pictures) for s in look.piece.materials)
                parts.append(Part(look.piece.name, look.mesh(load), surfaces, look.shaded(load)))
        return part_of[key]

    things = snapshot.of(snapshot.level(level).id)

    def node(thing: AThing, frame: tuple[Floats, Rotation] | None) -> Node | None:
        """The thing as a node, told from the frame of the group that it is in."""
        if isinstance(thing, Group):
            here = (np.asarray(thing.position), rotation(thing.turn))
            inside = [node(t, here) for t in things.inside(thing.id) if things.parent(t) is thing]
            position, turn = _seen_from(frame, thing.position, thing.turn)
            children = tuple(n for n in inside if n is not None)
            return Node(thing.name, None, position, turn, children=children, extras={"kind": thing.kind})
        shown = shown_items(snapshot, thing)
        if shown is None or isinstance(thing, (Path, Measure)):
            return None
        extras: dict[str, object] = {"piece": snapshot.pieces[thing.piece].name, "kind": thing.kind}
        if isinstance(thing, Placement) and shown.count == 1:
            position, turn = _seen_from(frame, thing.position, thing.turn)
            index = part(shown.batches[0].look)
            return Node(thing.name, index, position, turn, thing.size, extras=extras)
        items: list[tuple[int, Node]] = []
        for batch in shown.batches:
            index = part(batch.look)
            for number, row in zip(batch.numbers.tolist(), batch.poses.rows(), strict=True):
                x, y, z, w = (float(v) for v in row[3:7])
                turn = (x, y, z, w) if abs(w) < 1.0 else IDENTITY
                position, turn = _seen_from(frame, vector(row[:3]), turn)
                items.append((number, Node(f"{thing.name} {number + 1}", index, position, turn, vector(row[7:]))))
        items.sort(key=lambda item: item[0])
        children = tuple(n for _, n in items)
        return Node(thing.name, children=children, extras=extras)

    found = []
    roots = things.roots()
    for k, thing in enumerate(roots):
        if tell is not None and k % _BREATH == 0:
            tell(k / len(roots))
        found.append(node(thing, None))
    return parts, [n for n in found if n is not None]


def _seen_from(frame: tuple[Floats, Rotation] | None, position: Vector, turn: Quaternion) -> tuple[Vector, Quaternion]:
    """A stand in the world, told from a frame in it."""
    if frame is None:
        return position, turn
    origin, axes = frame
    back = axes.inv()
    return vector(back.apply(np.subtract(position, origin))), quaternion(back * rotation(turn))
