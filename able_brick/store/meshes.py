"""Meshes by hash: in the file, in memory, and as the GLB that the viewport draws."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Final

from sqlalchemy import Engine, select

from able_brick.core.errors import UnknownIdError
from able_brick.core.files.glb_write import write_view_glb
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.store.mesh_codec import decode
from able_brick.store.tables import MeshBlob

_MOST_CORNERS: Final = 12_000_000
_MOST_BYTES: Final = 256 * 2**20


class MeshShelf:
    """Meshes used last, and those of previews that are in no file yet."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._guard = threading.Lock()
        self._meshes: OrderedDict[str, PolyMesh] = OrderedDict()
        self._glbs: OrderedDict[str, bytes] = OrderedDict()
        self._corners = 0
        self._bytes = 0

    def remember(self, meshes: dict[str, PolyMesh]) -> None:
        with self._guard:
            for key, mesh in meshes.items():
                if key not in self._meshes:
                    self._meshes[key] = mesh
                    self._corners += len(mesh.corners)
                self._meshes.move_to_end(key)
            while self._corners > _MOST_CORNERS and len(self._meshes) > 1:
                _, old = self._meshes.popitem(last=False)
                self._corners -= len(old.corners)

    def get(self, key: str) -> PolyMesh:
        """The mesh of a hash, or UnknownIdError."""
        with self._guard:
            found = self._meshes.get(key)
            if found is not None:
                self._meshes.move_to_end(key)
                return found
        with self._engine.connect() as connection:
            row = connection.execute(select(MeshBlob.format, MeshBlob.data).where(MeshBlob.hash == key)).first()
        if row is None:
            raise UnknownIdError(f"There is no mesh {key[:12]!r}. Load the level again.", id=key[:80])
        mesh = decode(row.data, row.format)
        self.remember({key: mesh})
        return mesh

    def view_glb(self, key: str) -> bytes:
        """The GLB that the viewport draws for a hash."""
        with self._guard:
            found = self._glbs.get(key)
            if found is not None:
                self._glbs.move_to_end(key)
                return found
        data = write_view_glb(self.get(key))
        with self._guard:
            if key not in self._glbs:
                self._glbs[key] = data
                self._bytes += len(data)
            while self._bytes > _MOST_BYTES and len(self._glbs) > 1:
                _, old = self._glbs.popitem(last=False)
                self._bytes -= len(old)
        return data
