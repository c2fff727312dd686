"""Meshes by hash: in the file, in memory, and as the GLB that the viewport draws."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from typing import Final

import zstandard
from sqlalchemy import Engine, select
from sqlalchemy.exc import DatabaseError

from able_brick.core.cache import ByteCache
from able_brick.core.errors import StorageError, UnknownIdError
from able_brick.core.files.view_glb import drawn_vertices, write_view_glb
from able_brick.core.mesh.kept import mesh_bytes
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.slim.deviation import Measure
from able_brick.core.slim.once import reduce_to
from able_brick.store.mesh_codec import decode
from able_brick.store.tables import MESH

_MOST_MESHES: Final = 1536 * 2**20
#: Bytes of meshes of previews, which are soon followed by others.
_MOST_SHOWN: Final = 192 * 2**20
_MOST_GLBS: Final = 256 * 2**20
#: Triangles of what stands in for a dense mesh.
STAND_IN: Final = 3000


class MeshShelf:
    """Meshes used last, and those of previews that are in no file yet."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
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

    def _read(self, key: str) -> PolyMesh:
        try:
            with self._engine.connect() as connection:
                row = connection.execute(select(MESH.c.format, MESH.c.data).where(MESH.c.hash == key)).first()
            if row is not None:
                return decode(row.data, row.format)
        except (DatabaseError, zstandard.ZstdError, zlib.error, ValueError, KeyError) as error:
            raise StorageError(f"The mesh {key[:12]} cannot be read: the project file is damaged.", id=key) from error
        raise UnknownIdError(f"There is no mesh {key[:12]!r}. Load the level again.", id=key[:80])

    def view_glb(self, key: str) -> bytes:
        """The GLB that the viewport draws for a hash."""
        return self._glbs.get(key, lambda: write_view_glb(self.get(key)))

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
            f"{key} stand-in", lambda: write_view_glb(reduce_to(self.get(key), STAND_IN, fit=False).mesh)
        )
