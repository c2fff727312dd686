"""Tables of a project file."""

from __future__ import annotations

from typing import Final

from sqlalchemy import Boolean, Column, ForeignKey, Integer, LargeBinary, MetaData, String, Table, UniqueConstraint

TABLES: Final = MetaData()

#: Facts about the project file itself, as JSON by key.
META: Final = Table(
    "meta",
    TABLES,
    Column("key", String, primary_key=True),
    Column("value", String, nullable=False),
)
#: Where a level's journal stands: its revision, and the place of the last step that is done.
LEVEL_STATE: Final = Table(
    "level_state",
    TABLES,
    Column("level", String, primary_key=True),
    Column("revision", Integer, nullable=False),
    Column("done", Integer, nullable=False),
)
#: One row of the document as JSON, `format` its version; `mesh` names the blob that a piece needs. `crc` is the CRC-32
#: of the payload, null in rows of earlier versions.
ROW: Final = Table(
    "row",
    TABLES,
    Column("id", String, primary_key=True),
    Column("level", String, index=True),
    Column("kind", String, nullable=False),
    Column("mesh", String, index=True),
    Column("format", Integer, nullable=False),
    Column("payload", String, nullable=False),
    Column("crc", Integer),
)
#: One undoable step of a level; `edits` are the rows before and after, compressed.
#:
#: `users` is a JSON list of all that showed the pieces whose place the step changed under them, null where it changed
#: none. `params_format` is the version of the tool's parameters.
JOURNAL: Final = Table(
    "journal",
    TABLES,
    Column("id", Integer, primary_key=True, autoincrement=True),
    Column("level", String, ForeignKey("level_state.level"), nullable=False),
    Column("place", Integer, nullable=False),
    Column("tool", String, nullable=False),
    Column("params", String, nullable=False),
    Column("selection", String, nullable=False),
    Column("note", String, nullable=False),
    Column("adjustable", Boolean, nullable=False),
    Column("format", Integer, nullable=False),
    Column("edits", LargeBinary, nullable=False),
    Column("users", String),
    Column("params_format", Integer, nullable=False, server_default="1"),
    UniqueConstraint("level", "place"),
)
#: Meshes that a journal entry needs for undo or redo.
JOURNAL_MESH: Final = Table(
    "journal_mesh",
    TABLES,
    Column("entry", Integer, ForeignKey("journal.id", ondelete="CASCADE"), primary_key=True),
    Column("mesh", String, primary_key=True, index=True),
)
#: A mesh under the hash of its content; never changed. `rule` is that by which it was hashed, `crc` the CRC-32 of the
#: bytes; both are null for meshes of earlier versions that have not been looked at since.
MESH: Final = Table(
    "mesh",
    TABLES,
    Column("hash", String, primary_key=True),
    Column("format", Integer, nullable=False),
    Column("data", LargeBinary, nullable=False),
    Column("crc", Integer),
    Column("rule", Integer),
)
#: A picture on a material, as it came, under the hash of its bytes.
TEXTURE: Final = Table(
    "texture",
    TABLES,
    Column("hash", String, primary_key=True),
    Column("name", String, nullable=False),
    Column("media", String, nullable=False),
    Column("data", LargeBinary, nullable=False),
)
#: A picture of a piece for the shelf, drawn by a browser, under a key made of its mesh and materials; `used` is when it
#: was asked for last, seconds since 1970.
THUMBNAIL: Final = Table(
    "thumbnail",
    TABLES,
    Column("key", String, primary_key=True),
    Column("data", LargeBinary, nullable=False),
    Column("used", Integer, nullable=False, server_default="0"),
)
#: Settings for slimming under a name, as JSON, `format` their version.
RECIPE: Final = Table(
    "recipe",
    TABLES,
    Column("name", String, primary_key=True),
    Column("settings", String, nullable=False),
    Column("format", Integer, nullable=False, server_default="1"),
)
#: Long work that has begun and not ended: what is left here was cut off.
WORK: Final = Table(
    "work",
    TABLES,
    Column("id", String, primary_key=True),
    Column("title", String, nullable=False),
)
