"""A look at what is stored when a project is opened: what is damaged, and what of that can be made again."""

from __future__ import annotations

from binascii import crc32
from typing import Final, NamedTuple

from sqlalchemy import Connection, select, update

from able_brick.core.errors import StorageError
from able_brick.core.files.scene import Texture
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.text import counted
from able_brick.level.rows import Piece
from able_brick.level.shapes.remade import remade
from able_brick.level.snapshot import Snapshot
from able_brick.store.blobs import bearing_rows, rows_of
from able_brick.store.mesh_codec import FORMAT, decode_checked, encode
from able_brick.store.tables import MESH, TEXTURE

#: Meshes that are held at once.
_AT_ONCE: Final = 50


class Damage(NamedTuple):
    """Names of the rows whose meshes or pictures are damaged or gone, and sentences on what could be made again."""

    names: list[str]
    notes: list[str]

    def reason(self, file: str) -> str:
        """Why the file is only looked at."""
        listed = ", ".join(self.names[:3]) + (f" and {len(self.names) - 3} more" if len(self.names) > 3 else "")
        what = counted(len(self.names), "piece cannot be read", "pieces cannot be read")
        return f"{file} is damaged: {what} ({listed}), and boxes stand in their places."


def resume(connection: Connection, snapshot: Snapshot, *, mending: bool) -> Damage:
    """Look whether all meshes and pictures that the rows have are those that were stored. What is not is made again
    where the piece still has its dimensions, or the mesh that it is finished from. With `mending` that is written, and
    so is what was computed of meshes of earlier versions."""
    bad = _damaged(connection, snapshot, mending=mending)
    names: list[str] = []
    notes: list[str] = []
    for row in bearing_rows(rows_of(snapshot)):
        lost = (row.refs.meshes | row.refs.pictures) & bad
        if not lost:
            continue
        made = remade(row, lost, lambda key: _stored(connection, key)) if type(row) is Piece else None
        if made is not None:
            for mesh in made if mending else ():
                _write(connection, mesh)
            notes.append(f"The mesh of {row.name} was damaged in the file, and was made again from what it is made of.")
        else:
            names.append(row.name)
    return Damage(names, notes)


def _stored(connection: Connection, key: str) -> PolyMesh:
    columns = (MESH.c.format, MESH.c.data, MESH.c.crc, MESH.c.rule)
    row = connection.execute(select(*columns).where(MESH.c.hash == key)).one()
    return decode_checked(key, row.data, row.format, row.crc, row.rule)[0]


def _write(connection: Connection, mesh: PolyMesh) -> None:
    data = encode(mesh)
    values = {"format": FORMAT, "data": data, "crc": crc32(data), "rule": mesh.hash_rule}
    key = mesh.content_hash
    if connection.execute(update(MESH).where(MESH.c.hash == key).values(**values)).rowcount == 0:
        connection.execute(MESH.insert().values(hash=key, **values))


def _damaged(connection: Connection, snapshot: Snapshot, *, mending: bool) -> set[str]:
    """Hashes that the rows name and that cannot be had as they were stored."""
    refs = [row.refs for row in bearing_rows(rows_of(snapshot))]
    meshes: set[str] = set().union(*(r.meshes for r in refs))
    pictures: set[str] = set().union(*(r.pictures for r in refs))
    bad = meshes | pictures
    new: list[tuple[str, int, int]] = []
    columns = (MESH.c.hash, MESH.c.format, MESH.c.data, MESH.c.crc, MESH.c.rule)
    found = connection.execute(select(*columns).execution_options(yield_per=_AT_ONCE))
    for key, form, data, crc, rule in found:
        if crc is not None and isinstance(data, bytes) and crc32(data) == crc:
            bad.discard(key)
        elif crc is None and key in meshes:
            try:
                rule = decode_checked(key, data, form, None, rule)[1]
            except (StorageError, TypeError):
                continue
            bad.discard(key)
            new.append((key, crc32(data), rule))
    if mending:
        for key, crc, rule in new:
            connection.execute(update(MESH).where(MESH.c.hash == key).values(crc=crc, rule=rule))
    of_pictures = select(TEXTURE.c.hash, TEXTURE.c.name, TEXTURE.c.media, TEXTURE.c.data)
    some = connection.execute(of_pictures.execution_options(yield_per=_AT_ONCE))
    for key, name, media, data in some:
        if isinstance(data, bytes) and Texture(name, media, data).content_hash == key:
            bad.discard(key)
    return bad
