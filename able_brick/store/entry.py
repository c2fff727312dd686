"""An entry of the journal, and the rows that it changed, which are read when they are wanted."""

from __future__ import annotations

import zlib
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

from pydantic import TypeAdapter

from able_brick.core.errors import StorageError
from able_brick.level.rows import AnyRow
from able_brick.level.snapshot import Edit
from able_brick.level.texts import Texts

_EDITS: TypeAdapter[list[tuple[Any, Any]]] = TypeAdapter(list[tuple[AnyRow | None, AnyRow | None]])
#: Bytes of packed edits up to which an entry is looked through as soon as it is found.
_SHORT: Final = 2**14


class UnreadableEntryError(StorageError):
    """A journal entry that is damaged, or of another version."""


@dataclass(frozen=True)
class Entry:
    """A journal entry: its database id, place in the level's journal, the step, and the rows it changed.

    `users` are all that showed the pieces whose place it changed under them; None where it changed none. `known` are
    the edits where they are at hand, else they are in `packed`, as the file keeps them.
    """

    id: int
    level: str
    place: int
    tool: str
    params: dict[str, Any]
    selection: tuple[str, ...]
    note: str
    adjustable: bool
    users: tuple[str, ...] | None = None
    known: tuple[Edit, ...] | None = None
    packed: bytes = b""

    @cached_property
    def edits(self) -> tuple[Edit, ...]:
        """What it changed. Raises UnreadableEntryError."""
        return unpacked(self) if self.known is None else self.known

    @property
    def made(self) -> tuple[str, ...]:
        """The ids of the rows that it made."""
        return tuple(e.id for e in self.edits if e.before is None)

    @property
    def short(self) -> bool:
        """Whether what it changed is read at no cost."""
        return len(self.packed) <= _SHORT

    def with_edits(self, edits: Iterable[Edit]) -> Entry:
        """It with other edits."""
        return replace(self, known=tuple(edits))


def packed(edits: Iterable[Edit], texts: Texts) -> bytes:
    """Edits as the file keeps them."""
    of = texts.of
    told = (
        f"[{'null' if e.before is None else of(e.before)},{'null' if e.after is None else of(e.after)}]" for e in edits
    )
    return zlib.compress(f"[{','.join(told)}]".encode(), 1)


def unpacked(entry: Entry) -> tuple[Edit, ...]:
    """The edits that an entry packs. Raises UnreadableEntryError."""
    try:
        return tuple(Edit(b, a) for b, a in _EDITS.validate_json(zlib.decompress(entry.packed)))
    except (zlib.error, ValueError, TypeError) as error:
        raise UnreadableEntryError(
            f"Step {entry.place} of the history of {entry.level} cannot be read.", level=entry.level
        ) from error
