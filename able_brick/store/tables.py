"""Tables of a project file."""

from __future__ import annotations

from sqlalchemy import Boolean, ForeignKey, Integer, LargeBinary, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    pass


class Meta(Base):
    """Facts about the project file itself, as JSON by key."""

    __tablename__ = "meta"

    key: Mapped[str] = mapped_column(String, primary_key=True)
    value: Mapped[str] = mapped_column(String)


class LevelState(Base):
    """Where a level's journal stands: its revision, and the place of the last step that is done."""

    __tablename__ = "level_state"

    level: Mapped[str] = mapped_column(String, primary_key=True)
    revision: Mapped[int] = mapped_column(Integer)
    done: Mapped[int] = mapped_column(Integer)


class RowRecord(Base):
    """One row of the document as versioned JSON; `mesh` names the blob that a piece needs."""

    __tablename__ = "row"

    id: Mapped[str] = mapped_column(String, primary_key=True)
    level: Mapped[str | None] = mapped_column(String, index=True)
    kind: Mapped[str] = mapped_column(String)
    mesh: Mapped[str | None] = mapped_column(String, index=True)
    format: Mapped[int] = mapped_column(Integer)
    payload: Mapped[str] = mapped_column(String)


class JournalEntry(Base):
    """One undoable step of a level; `edits` are the rows before and after, compressed.

    `users` is a JSON list of all that showed the pieces whose place the step changed under them, null where it changed
    none.
    """

    __tablename__ = "journal"
    __table_args__ = (UniqueConstraint("level", "place"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    level: Mapped[str] = mapped_column(String, ForeignKey("level_state.level"))
    place: Mapped[int] = mapped_column(Integer)
    tool: Mapped[str] = mapped_column(String)
    params: Mapped[str] = mapped_column(String)
    selection: Mapped[str] = mapped_column(String)
    note: Mapped[str] = mapped_column(String)
    adjustable: Mapped[bool] = mapped_column(Boolean)
    format: Mapped[int] = mapped_column(Integer)
    edits: Mapped[bytes] = mapped_column(LargeBinary)
    users: Mapped[str | None] = mapped_column(String)


class JournalMesh(Base):
    """Meshes that a journal entry needs for undo or redo."""

    __tablename__ = "journal_mesh"

    entry: Mapped[int] = mapped_column(Integer, ForeignKey("journal.id", ondelete="CASCADE"), primary_key=True)
    mesh: Mapped[str] = mapped_column(String, primary_key=True, index=True)


class MeshBlob(Base):
    """A mesh under the hash of its content; never changed."""

    __tablename__ = "mesh"

    hash: Mapped[str] = mapped_column(String, primary_key=True)
    format: Mapped[int] = mapped_column(Integer)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class TextureBlob(Base):
    """A picture on a material, as it came, under the hash of its bytes."""

    __tablename__ = "texture"

    hash: Mapped[str] = mapped_column(String, primary_key=True)
    name: Mapped[str] = mapped_column(String)
    media: Mapped[str] = mapped_column(String)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Thumbnail(Base):
    """A picture of a piece for the shelf, drawn by a browser, under a key made of its mesh and materials."""

    __tablename__ = "thumbnail"

    key: Mapped[str] = mapped_column(String, primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class RecipeRecord(Base):
    """Settings for slimming under a name, as JSON."""

    __tablename__ = "recipe"

    name: Mapped[str] = mapped_column(String, primary_key=True)
    settings: Mapped[str] = mapped_column(String)


class WorkRecord(Base):
    """Long work that has begun and not ended: what is left here was cut off."""

    __tablename__ = "work"

    id: Mapped[str] = mapped_column(String, primary_key=True)
    title: Mapped[str] = mapped_column(String)
