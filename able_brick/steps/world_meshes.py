"""The meshes of what stands in a level, each as it stands there."""

from __future__ import annotations

from typing import Final

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import turned_over
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.polymesh import Bools, Ints, PolyMesh
from able_brick.core.path.bend import Bent, bent_points
from able_brick.core.path.uv import continued_uv
from able_brick.core.place.items import item_in_world
from able_brick.core.text import grouped
from able_brick.level.repeats import repeated
from able_brick.level.rows import AShown, AThing, Course, Instances, Piece, Surface
from able_brick.level.rows.bent import BendDeformer
from able_brick.steps.draft import Draft

#: Faces that one mesh of several may have.
MOST_FACES: Final = 2_000_000


def world_meshes(draft: Draft, row: AThing, shown: Instances) -> list[tuple[Piece, PolyMesh, Bools]]:
    """The piece, the mesh in the world and the vertices of the seams (V) of each item that a row shows, in their order.

    Raises GeometryError where they have too many faces.
    """
    where: dict[int, tuple[Bent, int]] = {}
    if isinstance(row, Course):
        for numbers, bent in row.laid(draft.seen_with(row)).bent:
            where |= {int(n): (bent, k) for k, n in enumerate(numbers)}
    out: list[tuple[int, Piece, PolyMesh, Bools]] = []
    total = 0
    for batch in shown.batches:
        piece = batch.drawable.piece
        total += batch.drawable.mesh(draft.load).face_count * len(batch.numbers)
        if total > MOST_FACES:
            raise GeometryError(f"One mesh of {row.name} would have over {grouped(MOST_FACES)} faces; lay fewer items.")
        drawable = batch.drawable
        own = drawable.mesh(draft.load)
        for number, pose in zip(batch.numbers.tolist(), batch.poses.rows(), strict=True):
            if number in where:  # by the path itself, so that neighbours have the very same points
                mesh, seam = _bent_mesh(draft, piece, *where[number])
            else:
                mesh = item_in_world(own, pose, drawable.pivot, drawable.axes)
                mesh = turned_over(mesh) if float(np.prod(pose[7:])) < 0 else mesh
                seam = np.ones(mesh.vertex_count, np.bool_)
            out.append((number, piece, mesh, seam))
    out.sort(key=lambda o: o[0])
    return [o[1:] for o in out]


def all_world_meshes(draft: Draft, things: list[AShown], group: str | None) -> tuple[list[Piece], list[PolyMesh]]:
    """The piece and the mesh in the world of each item that things show, with the copies of repeated groups below
    `group`; only those that have faces. Raises GeometryError where they have too many."""
    context = draft.seen_with()
    pieces: list[Piece] = []
    meshes: list[PolyMesh] = []
    total = 0
    for thing in things:
        found = thing.shown(context)
        if found is None:
            continue
        for piece, mesh, _ in world_meshes(draft, thing, repeated(found, thing, context, group)):
            if mesh.face_count:
                pieces.append(piece)
                meshes.append(mesh)
                total += mesh.face_count
        if total > MOST_FACES:
            raise GeometryError(f"One piece of all that would have over {grouped(MOST_FACES)} faces; select less.")
    return pieces, meshes


def _bent_mesh(draft: Draft, piece: Piece, bent: Bent, at: int) -> tuple[PolyMesh, Bools]:
    """One item of a bent course in the world, and the vertices at its ends; its uv go on from the path's start."""
    deformer = BendDeformer(piece, bent, at)
    own = draft.load(piece.mesh)
    found = deformer.divided(own)
    world = bent_points(bent, found.points, [at], found.rows)[0]
    shift = float(bent.starts[at] - bent.starts[0])
    mesh = continued_uv(found.mesh, found.points, float(bent.stretch[at]), shift).replaced(positions=world)
    if found.mesh.normal is not None:
        normals = deformer.standing(own, np.array([at], np.int32))[2][0]
        mesh = mesh.replaced(normal=normals[hardware_vertices(found.mesh).of_corner])
    return mesh, found.seam


def materials_of(pieces: list[Piece]) -> tuple[tuple[Surface, ...], list[int]]:
    """The materials of pieces one after the other, each piece once, and the first number among them of each."""
    surfaces: list[Surface] = []
    begins: dict[str, int] = {}
    for piece in pieces:
        if piece.id not in begins:
            begins[piece.id] = len(surfaces)
            surfaces += piece.materials
    return tuple(surfaces), [begins[piece.id] for piece in pieces]


def merged_materials(pieces: list[Piece]) -> tuple[tuple[Surface, ...], list[Ints]]:
    """The materials of pieces, those that look alike once, and of each piece where its own are among them."""
    found: dict[Surface, int] = {}
    tables: dict[str, Ints] = {}
    for piece in pieces:
        if piece.id not in tables:
            numbers = [found.setdefault(s, len(found)) for s in piece.materials]
            tables[piece.id] = np.array(numbers, np.int32)
    return tuple(found), [tables[piece.id] for piece in pieces]
