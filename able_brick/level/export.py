"""A level as parts and nodes, ready to be written to a file."""

from __future__ import annotations

from collections.abc import Callable

from able_brick.core.files.part import Node, Part, Texture
from able_brick.core.mesh.combine import with_positions
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import IDENTITY, about_pivot, vector
from able_brick.level.evaluate import item_poses
from able_brick.level.rows import Path, Piece, Placement
from able_brick.level.snapshot import Snapshot


def piece_part(piece: Piece, mesh: PolyMesh, pictures: Callable[[str], Texture]) -> Part:
    """A piece with its pivot at the origin, along its pivot's axes, as an engine expects it."""
    plain = not any(piece.pivot) and piece.axes == IDENTITY
    centred = mesh if plain else with_positions(mesh, about_pivot(mesh.positions, piece.pivot, piece.axes))
    return Part(piece.name, centred, tuple(s.material(pictures) for s in piece.materials))


def level_nodes(
    snapshot: Snapshot, level: str, load: Callable[[str], PolyMesh], pictures: Callable[[str], Texture]
) -> tuple[list[Part], list[Node]]:
    """Parts used in the level, each once, and nodes: one for each placement, one group for each array and course."""
    parts: list[Part] = []
    part_of: dict[str, int] = {}

    def part(piece: str) -> int:
        if piece not in part_of:
            row = snapshot.pieces[piece]
            part_of[piece] = len(parts)
            parts.append(piece_part(row, load(row.mesh), pictures))
        return part_of[piece]

    nodes: list[Node] = []
    for thing in snapshot.things.get(snapshot.level(level).id, {}).values():
        poses = item_poses(snapshot, thing)
        if poses is None or isinstance(thing, Path):
            continue
        index = part(thing.piece)
        extras: dict[str, object] = {"piece": snapshot.pieces[thing.piece].name, "kind": thing.kind}
        if isinstance(thing, Placement):
            nodes.append(Node(thing.name, index, thing.position, thing.turn, thing.size, extras=extras))
            continue
        items = []
        for k, row in enumerate(poses.rows()):
            x, y, z, w = (float(v) for v in row[3:7])
            turn = (x, y, z, w) if abs(w) < 1.0 else IDENTITY
            items.append(Node(f"{thing.name} {k + 1}", index, vector(row[:3]), turn, vector(row[7:])))
        nodes.append(Node(thing.name, children=tuple(items), extras=extras))
    return parts, nodes
