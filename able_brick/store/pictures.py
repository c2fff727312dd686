"""Textures by hash, and the shelf's thumbnails."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from typing import Final

from sqlalchemy import Connection, Engine, delete, func, insert, select
from sqlalchemy.dialects.sqlite import insert as upsert

from able_brick.core.cache import ByteCache
from able_brick.core.errors import InputError, UnknownIdError
from able_brick.core.files.part import Texture
from able_brick.store.journal import present
from able_brick.store.tables import TEXTURE, THUMBNAIL

_MOST_THUMBNAIL: Final = 256 * 1024
_MOST_KEPT: Final = 20_000
_MOST_TEXTURES: Final = 128 * 2**20


class PictureShelf:
    """Textures used last, and thumbnails."""

    def __init__(self, engine: Engine, transaction: Callable[[], AbstractContextManager[Connection]]) -> None:
        self._engine = engine
        self._transaction = transaction
        self._kept: ByteCache[Texture] = ByteCache(_MOST_TEXTURES, lambda t: len(t.data))

    def get(self, key: str) -> Texture:
        """The texture of a hash, or UnknownIdError."""
        return self._kept.get(key, lambda: self._read(key))

    def _read(self, key: str) -> Texture:
        with self._engine.connect() as connection:
            row = connection.execute(select(TEXTURE).where(TEXTURE.c.hash == key)).first()
        if row is None:
            raise UnknownIdError(f"There is no texture {key[:12]!r}. Load the level again.", id=key[:80])
        return Texture(row.name, row.media, row.data)

    def thumbnail(self, key: str) -> bytes | None:
        """The PNG of a piece, or None where no browser has drawn it yet."""
        with self._engine.connect() as connection:
            return connection.execute(select(THUMBNAIL.c.data).where(THUMBNAIL.c.key == key)).scalar()

    def keep_thumbnail(self, key: str, data: bytes) -> None:
        """Keep the PNG of a piece. Raises InputError for what is no PNG of that size."""
        if data[:8] != b"\x89PNG\r\n\x1a\n" or len(data) > _MOST_THUMBNAIL:
            raise InputError(f"A thumbnail is a PNG of at most {_MOST_THUMBNAIL} bytes.", field="data")
        with self._transaction() as connection:
            if (connection.execute(select(func.count()).select_from(THUMBNAIL)).scalar() or 0) >= _MOST_KEPT:
                connection.execute(delete(THUMBNAIL))
            statement = upsert(THUMBNAIL)
            connection.execute(
                statement.on_conflict_do_update(index_elements=["key"], set_={"data": statement.excluded.data}),
                [{"key": key, "data": data}],
            )


def write_textures(connection: Connection, textures: Mapping[str, Texture]) -> None:
    """Store textures that are not in the file yet."""
    there = present(connection, TEXTURE, textures)
    for key, t in textures.items():
        if key not in there:
            row = {"hash": key, "name": t.name, "media": t.media, "data": t.data}
            connection.execute(insert(TEXTURE), [row])
