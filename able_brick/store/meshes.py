"""Meshes by hash: in the file, in memory, and as the GLB that the viewport draws."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Final

import numpy as np
from sqlalchemy import select
from sqlalchemy.exc import DatabaseError

from able_brick.core.cache import ByteCache
from able_brick.core.errors import ClosedError, StorageError, UnknownIdError
from able_brick.core.files.view_glb import drawn_vertices, write_view_glb
from able_brick.core.mesh.mesh_cache import mesh_bytes
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import about_pivot
from able_brick.core.shapes.box import box
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.once import reduce_to
from able_brick.level.rows import Piece
from able_brick.level.shapes.remade import remade
from able_brick.level.snapshot import Snapshot
from able_brick.store.database import ProjectFile
from able_brick.store.mesh_codec import DamagedMeshError, decode_checked
from able_brick.store.tables import MESH

_MOST_MESHES: Final = 1536 * 2**20
#: Bytes of meshes of previews, which are soon followed by others.
_MOST_SHOWN: Final = 192 * 2**20
_MOST_GLBS: Final = 256 * 2**20
#: Triangles of what stands in for a dense mesh.
STAND_IN: Final = 3000
#: No edge of a box that stands in for a damaged mesh is shorter, metres.
_LEAST: Final = 1e-3


class MeshShelf:
    """Meshes used last, and those of previews that are in no file yet. What comes from the file is what was put there,
    or that is an error: wrong geometry is never handed out."""

    def __init__(self, file: ProjectFile, snapshot: Callable[[], Snapshot]) -> None:
        self._file = file
        self._snapshot = snapshot
        self._meshes: ByteCache[PolyMesh] = ByteCache(_MOST_MESHES, mesh_bytes, derived=False)
        self._shown: ByteCache[PolyMesh] = ByteCache(_MOST_SHOWN, mesh_bytes, derived=False, latest=True)
        self._glbs: ByteCache[bytes] = ByteCache(_MOST_GLBS, len)

    def remember(self, meshes: Mapping[str, PolyMesh]) -> None:
        for key, mesh in meshes.items():
            if self._meshes.find(key) is None:
                self._meshes.keep(key, mesh)

    def show(self, meshes: Mapping[str, PolyMesh]) -> None:
        """Have the meshes of a preview at hand, in place of those of the previews before."""
        for key, mesh in meshes.items():
            if self._meshes.find(key) is None:
                self._shown.keep(key, mesh)

    def get(self, key: str) -> PolyMesh:
        """The mesh of a hash. Raises UnknownIdError where there is none, StorageError where it cannot be read."""
        shown = self._shown.find(key)
        return self._meshes.get(key, lambda: self._read(key)) if shown is None else shown

    def drawn(self, key: str) -> PolyMesh:
        """The mesh of a hash to be drawn: where it cannot be read, the box of the piece that shows it.

        Raises UnknownIdError where no piece does.
        """
        try:
            return self.get(key)
        except ClosedError:
            raise
        except (StorageError, UnknownIdError):
            piece = next(self._showing(key), None)
            if piece is None:
                raise
            return _box_of(piece)

    def exists(self, key: str) -> bool:
        """Whether there is a mesh of a hash: at hand, or in the file."""
        if self._meshes.find(key) is not None or self._shown.find(key) is not None:
            return True
        with self._file.reading() as connection:
            return connection.execute(select(MESH.c.hash).where(MESH.c.hash == key)).first() is not None

    def _read(self, key: str) -> PolyMesh:
        try:
            with self._file.reading() as connection:
                columns = (MESH.c.format, MESH.c.data, MESH.c.crc, MESH.c.rule)
                row = connection.execute(select(*columns).where(MESH.c.hash == key)).first()
            if row is not None:
                return decode_checked(key, row.data, row.format, row.crc, row.rule)[0]
        except (DatabaseError, DamagedMeshError, TypeError) as error:
            if (made := self._remade(key)) is not None:
                return made
            raise StorageError(f"{self._name(key)} cannot be read: the project file is damaged.", id=key) from error
        if next(self._showing(key), None) is not None:
            if (made := self._remade(key)) is not None:
                return made
            raise StorageError(f"{self._name(key)} is not in the project file, which is damaged.", id=key)
        raise UnknownIdError(f"There is no mesh {key[:12]!r}. Load the level again.", id=key[:80])

    def _remade(self, key: str) -> PolyMesh | None:
        """A mesh that cannot be had from the file, made again where a piece knows how."""
        for piece in self._showing(key):
            made = remade(piece, (key,), self.get)
            if made is not None:
                return made[0]
        return None

    def _showing(self, key: str) -> Iterator[Piece]:
        """The pieces that have a mesh."""
        return (p for p in self._snapshot().pieces.values() if p.mesh == key or key in p.refs.meshes)

    def _name(self, key: str) -> str:
        """What a mesh is called in a sentence that begins with it."""
        names = [p.name for p in self._showing(key)]
        if not names:
            return f"The mesh {key[:12]}"
        more = f" and {len(names) - 1} more" if len(names) > 1 else ""
        return f"The mesh of {names[0]}{more}"

    def view_glb(self, key: str) -> bytes:
        """The GLB that the viewport draws for a hash."""
        return self._glbs.get(key, lambda: write_view_glb(self.drawn(key)))

    def deviations(self, key: str, source: str) -> bytes:
        """(H) float32: how far each vertex of a mesh's view GLB, slot after slot, is from the surface of another."""

        def made() -> bytes:
            mesh = self.get(key)
            found = Measure(self.get(source), samples=1).from_points(mesh.positions)
            return found[drawn_vertices(mesh)].astype("<f4").tobytes()

        return self._glbs.get(f"{key} from {source}", made)

    def stand_in_glb(self, key: str) -> bytes:
        """The GLB of something coarser that stands in for a dense mesh while a view without a graphics card moves."""
        return self._glbs.get(
            f"{key} stand-in", lambda: write_view_glb(reduce_to(self.drawn(key), STAND_IN, fit=False).mesh)
        )


def _box_of(piece: Piece) -> PolyMesh:
    """The box of a piece, in the axes of its mesh."""
    low, high = np.asarray(piece.facts.low), np.asarray(piece.facts.high)
    x, y, z = np.maximum(high - low, _LEAST).tolist()
    made = box(x, y, z)
    corners = made.positions - made.bounds[0] + low
    turned = about_pivot(corners, (0.0, 0.0, 0.0), _inverse(piece.axes))
    return made.replaced(positions=np.asarray(turned, np.float64))


def _inverse(turn: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    x, y, z, w = turn
    return -x, -y, -z, w
