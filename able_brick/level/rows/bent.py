"""Pieces bent along a path: the forms that they take, and where those stand."""

from __future__ import annotations

import hashlib
from collections.abc import Hashable
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise

import numpy as np

from able_brick.core.cache import ByteCache
from able_brick.core.mesh.hardware import HardwareVertices, hardware_vertices
from able_brick.core.mesh.mesh_cache import mesh_bytes
from able_brick.core.mesh.polymesh import Floats, Ints, PolyMesh
from able_brick.core.path.bend import Bent, Division, Rows, bent_normals, bent_points
from able_brick.core.path.course import Course
from able_brick.core.path.dividing import Divided, divided_for
from able_brick.core.path.uv import continued_uv, uv_slopes
from able_brick.core.place.pose import Poses, about_pivot
from able_brick.level.rows.instances import Drawable, InstanceBatch, Mirrored
from able_brick.level.rows.piece import Piece


@dataclass(frozen=True, eq=False)
class _Divided:
    """A piece's mesh as it is bent."""

    found: Divided

    @cached_property
    def outer(self) -> tuple[Floats, Floats, Rows]:
        """Points and normals (H,3) of the hardware vertices, as they run, and the rows of these."""
        hardware, rows = hardware_vertices(self.found.mesh), self.found.rows
        return (
            self.found.points[hardware.vertex],
            hardware.normals,
            Rows(rows.lengths, rows.number[hardware.vertex], rows.inside),
        )


_DIVIDED: ByteCache[_Divided] = ByteCache(192 * 2**20, lambda d: mesh_bytes(d.found.mesh) + 4 * d.found.points.nbytes)

#: By the mesh's identity, which is held with them.
_SLOPES: ByteCache[tuple[PolyMesh, Floats]] = ByteCache(32 * 2**20, lambda s: s[1].nbytes)


@dataclass(frozen=True, eq=False)
class BendDeformer:
    """One item of a bent course, as its own frame sees it: along the path, up, to the right."""

    piece: Piece
    bent: Bent
    item: int

    @cached_property
    def key(self) -> str:
        run = self.bent.run
        own = f"{self.piece.mesh} {self.piece.pivot} {self.piece.axes} {run.axis} {run.mirrored}"
        return hashlib.blake2b(f"bent {self.bent.digests[self.item]} {own}".encode(), digest_size=20).hexdigest()

    @cached_property
    def division(self) -> Division:
        """How the piece is divided for it."""
        return self.bent.division(self.item)

    @property
    def alone(self) -> int:
        """The item, where its mesh is divided for it alone; else −1."""
        return self.item if self.item in self.bent.legs else -1

    @property
    def drawn_with(self) -> str:
        return self.bent.name

    @property
    def cost(self) -> Hashable:
        return self.key if self.alone >= 0 else (self.piece.pivot, self.piece.axes, self.bent.run, self.division)

    @property
    def turn(self) -> Floats:
        """The matrix (3,3) of its frame."""
        out: Floats = matrices(self.bent.turns[self.item][None])[0]
        return out

    def divided(self, own: PolyMesh) -> Divided:
        """The piece's mesh as it is bent."""
        return self._divided(own).found

    def _divided(self, own: PolyMesh) -> _Divided:
        run = self.bent.run

        def made() -> _Divided:
            points = run.points(about_pivot(own.positions, self.piece.pivot, self.piece.axes))
            placed = run.placed(own, points, self.piece.axes)
            return _Divided(divided_for(self.bent, self.item, placed, points))

        return _DIVIDED.get((self.piece.mesh, self.cost), made)

    def slopes(self, mesh: PolyMesh, points: Floats) -> Floats:
        """(C,2) how the uv of its divided mesh change along the path."""

        def made() -> Floats:
            found = uv_slopes(mesh, points)
            return np.zeros((len(mesh.corners), 2)) if found is None else found

        return _SLOPES.get(id(mesh), lambda: (mesh, made()))[1]

    def standing(self, own: PolyMesh, items: Ints) -> tuple[PolyMesh, Floats, Floats]:
        """The divided mesh, and for m items that are divided like it the points (m,V,3) and the normals (m,H,3) of its
        hardware vertices in the world."""
        made = self._divided(own)
        points, normals, rows = made.outer
        world = bent_points(self.bent, made.found.points, items, made.found.rows)
        return made.found.mesh, world, bent_normals(self.bent, points, normals, items, rows)

    def counts(self, own: PolyMesh) -> tuple[int, int]:
        mesh = self.divided(own).mesh
        return mesh.triangle_count, len(hardware_vertices(mesh))

    def shaded(self, own: PolyMesh) -> HardwareVertices:
        """Those of the divided mesh, with normals that lean with the path: neighbours shade as one."""
        made = self._divided(own)
        points, normals, rows = made.outer
        world = bent_normals(self.bent, points, normals, [self.item], rows)[0]
        return replace(hardware_vertices(made.found.mesh), normals=world @ self.turn)

    def mesh(self, own: PolyMesh) -> PolyMesh:
        found = self.divided(own)
        world = bent_points(self.bent, found.points, [self.item], found.rows)[0]
        local = (world - self.bent.positions[self.item]) @ self.turn
        stretch = float(self.bent.stretch[self.item])
        out = continued_uv(found.mesh, found.points, stretch, 0.0).replaced(positions=local)
        if found.mesh.normal is None:
            return out
        shaded = self.shaded(own)
        return out.replaced(normal=shaded.normals[shaded.of_corner])

    def box(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        return self.bent.low[self.item], self.bent.high[self.item]


def matrices(turns: Floats) -> Floats:
    """The matrices (n,3,3) of unit quaternions (n,4)."""
    x, y, z, w = turns.T
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    ).transpose(2, 0, 1)


def batches_of(piece: Piece, bent: Bent, at: Ints, laid: Course) -> list[InstanceBatch]:
    """The items of one piece: rigid ones by its own mesh, others by forms, each form once."""
    stands = ~laid.slots.left_out[at]
    out: list[InstanceBatch] = []
    rigid = np.flatnonzero(bent.rigid & stands)
    if len(rigid):
        drawable = Drawable(piece, Mirrored(piece.pivot, piece.axes) if bent.run.mirrored else None)
        numbers = at[rigid].astype(np.int32)
        poses = laid.poses
        turns = poses.turns[numbers]
        if bent.run.mirrored and bent.run.k == 0:
            x, y, z, w = turns.T
            turns = np.stack([-z, w, x, -y], axis=1)
        out.append(InstanceBatch(drawable, numbers, Poses.of(poses.positions[numbers], turns, poses.sizes[numbers])))
    bending = np.flatnonzero(~bent.rigid & stands)
    alike = bent.alike[bending]
    order = np.argsort(alike, kind="stable")
    first = np.flatnonzero(np.diff(alike[order], prepend=-1))
    for a, b in pairwise([*first.tolist(), len(order)]):
        same = bending[order[a:b]]
        example = alike[order[a]]
        numbers = at[same].astype(np.int32)
        drawable = Drawable(piece, BendDeformer(piece, bent, int(example)))
        poses = Poses(bent.positions[same], bent.turns[same], np.ones((len(same), 3)))
        out.append(InstanceBatch(drawable, numbers, poses))
    return out
