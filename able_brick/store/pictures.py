"""Textures by hash, and the shelf's thumbnails."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from typing import Final

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.exc import DatabaseError

from able_brick.core.cache import ByteCache
from able_brick.core.errors import InputError, StorageError, UnknownIdError
from able_brick.core.files.scene import SUFFIXES, Texture
from able_brick.store.blobs import present
from able_brick.store.database import ProjectFile
from able_brick.store.tables import MESH, TEXTURE, THUMBNAIL

_MOST_THUMBNAIL: Final = 256 * 1024
#: Bytes of all thumbnails, and the share of them that is left when some have to go.
_MOST_THUMBNAILS: Final = 64 * 2**20
_LEFT: Final = 0.8
_LOOK_DIGITS: Final = 8
_PNG: Final = b"\x89PNG\r\n\x1a\n"
_MEDIA: Final = tuple(SUFFIXES)
_MOST_TEXTURES: Final = 128 * 2**20


class PictureShelf:
    """Textures used last, and thumbnails."""

    def __init__(self, file: ProjectFile, transaction: Callable[[], AbstractContextManager[Connection]]) -> None:
        self._file = file
        self._transaction = transaction
        self._guard = threading.Lock()
        self._used: dict[str, int] = {}
        self.most_bytes = _MOST_THUMBNAILS
        self._kept: ByteCache[Texture] = ByteCache(_MOST_TEXTURES, lambda t: len(t.data))

    def get(self, key: str) -> Texture:
        """The texture of a hash. Raises UnknownIdError where there is none, StorageError where it cannot be read."""
        return self._kept.get(key, lambda: self._read(key))

    def has(self, key: str) -> bool:
        """Whether the texture of a hash can be had."""
        try:
            self.get(key)
        except (UnknownIdError, StorageError):
            return False
        return True

    def _read(self, key: str) -> Texture:
        try:
            with self._file.reading() as connection:
                row = connection.execute(select(TEXTURE).where(TEXTURE.c.hash == key)).first()
        except DatabaseError as error:
            raise _damaged(key) from error
        if row is None:
            raise UnknownIdError(f"There is no texture {key[:12]!r}. Load the level again.", id=key[:80])
        found = Texture(row.name, row.media, row.data)
        if not isinstance(row.data, bytes) or found.content_hash != key or row.media not in _MEDIA:
            raise _damaged(key)
        return found

    def thumbnail(self, key: str) -> bytes | None:
        """The PNG of a piece, or None where no browser has drawn it yet."""
        with self._file.reading() as connection:
            found = connection.execute(select(THUMBNAIL.c.data).where(THUMBNAIL.c.key == key)).scalar()
        if not isinstance(found, bytes) or not found.startswith(_PNG):
            return None
        with self._guard:
            self._used[key] = int(time.time())
        return found

    def keep_thumbnail(self, key: str, data: bytes) -> None:
        """Keep the PNG of a piece, under its mesh's hash and eight digits for its look. What has not been asked for
        for longest goes when all take too many bytes. Raises InputError for what is no PNG of that size, and
        UnknownIdError where there is no such mesh."""
        if data[:8] != _PNG or len(data) > _MOST_THUMBNAIL:
            raise InputError(f"A thumbnail is a PNG of at most {_MOST_THUMBNAIL} bytes.", field="data")
        mesh = key[:-_LOOK_DIGITS]
        with self._transaction() as connection:
            if not present(connection, MESH, [mesh]):
                raise UnknownIdError(f"There is no mesh {mesh[:12]!r} to have a picture of.", id=key[:80])
            with self._guard:
                used, self._used = self._used, {}
            for old, when in used.items():
                connection.execute(update(THUMBNAIL).where(THUMBNAIL.c.key == old).values(used=when))
            statement = upsert(THUMBNAIL)
            connection.execute(
                statement.on_conflict_do_update(
                    index_elements=["key"],
                    set_={"data": statement.excluded.data, "used": statement.excluded.used},
                ),
                [{"key": key, "data": data, "used": int(time.time())}],
            )
            self._make_room(connection)

    def _make_room(self, connection: Connection) -> None:
        """Let the pictures go that have not been asked for for longest, until few enough bytes are left."""
        size = func.length(THUMBNAIL.c.data)
        held = int(connection.execute(select(func.total(size))).scalar() or 0)
        if held <= self.most_bytes:
            return
        gone = []
        for key, bytes_of in connection.execute(select(THUMBNAIL.c.key, size).order_by(THUMBNAIL.c.used)):
            gone.append(key)
            held -= bytes_of
            if held <= _LEFT * self.most_bytes:
                break
        for at in range(0, len(gone), 500):
            connection.execute(delete(THUMBNAIL).where(THUMBNAIL.c.key.in_(gone[at : at + 500])))


def _damaged(key: str) -> StorageError:
    return StorageError(f"The picture {key[:12]} cannot be read: the project file is damaged.", id=key[:80])


def write_textures(connection: Connection, textures: Mapping[str, Texture]) -> None:
    """Store textures that are not in the file yet."""
    there = present(connection, TEXTURE, textures)
    for key, t in textures.items():
        if key not in there:
            row = {"hash": key, "name": t.name, "media": t.media, "data": t.data}
            connection.execute(insert(TEXTURE), [row])
