"""An entry of the journal, and the rows that it changed, which are read when they are wanted."""

from __future__ import annotations

import json
import zlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

from pydantic import TypeAdapter

from able_brick.core.errors import StorageError
from able_brick.level.formats import ROWS, row_format, upgraded_row
from able_brick.level.rows import AnyRow
from able_brick.level.snapshot import Edit
from able_brick.level.texts import Texts

_EDITS: TypeAdapter[list[tuple[Any, Any]]] = TypeAdapter(list[tuple[AnyRow | None, AnyRow | None]])
#: Before the edits stands a line with the formats of their kinds; the first version had none, and all of format 1.
FORMAT: Final = 2
READ: Final = (1, FORMAT)
#: Bytes of packed edits up to which an entry is looked through as soon as it is found.
_SHORT: Final = 2**14


class UnreadableEntryError(StorageError):
    """A journal entry that is damaged, or of another version."""


@dataclass(frozen=True)
class Entry:
    """A journal entry: its database id, place in the level's journal, the step, and the rows it changed.

    `users` are all that showed the pieces whose place it changed under them; None where it changed none. `edits_read`
    are the edits where they are at hand, else they are in `packed`, as the file keeps them."""

    id: int
    level: str
    place: int
    tool: str
    params: dict[str, Any]
    selection: tuple[str, ...]
    note: str
    adjustable: bool
    users: tuple[str, ...] | None = None
    edits_read: tuple[Edit, ...] | None = None
    packed: bytes = b""
    format: int = FORMAT

    @cached_property
    def edits(self) -> tuple[Edit, ...]:
        """What it changed. Raises UnreadableEntryError."""
        return unpacked(self) if self.edits_read is None else self.edits_read

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
        return replace(self, edits_read=tuple(edits))


def packed(edits: Sequence[Edit], texts: Texts) -> bytes:
    """Edits as the file keeps them."""
    of = texts.of
    kinds = sorted({row.kind for edit in edits for row in edit if row is not None})
    parts = (
        f"[{'null' if e.before is None else of(e.before)},{'null' if e.after is None else of(e.after)}]" for e in edits
    )
    formats = json.dumps({kind: row_format(kind) for kind in kinds})
    return zlib.compress(f"{formats}\n[{','.join(parts)}]".encode(), 1)


def unpacked(entry: Entry) -> tuple[Edit, ...]:
    """The edits that an entry packs, as rows of the version now. Raises UnreadableEntryError."""
    try:
        text = zlib.decompress(entry.packed)
        formats = {}
        if entry.format > 1:
            head, _, text = text.partition(b"\n")
            formats = dict(json.loads(head))
        edits_read = formats.items() if entry.format > 1 else ((kind, 1) for kind in ROWS)
        if all(form == row_format(kind) for kind, form in edits_read):
            return tuple(Edit(b, a) for b, a in _EDITS.validate_json(text))
        pairs = [[upgraded_row(row, formats) for row in pair] for pair in json.loads(text)]
        return tuple(Edit(b, a) for b, a in _EDITS.validate_python(pairs))
    except (zlib.error, ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
        raise UnreadableEntryError(
            f"Step {entry.place} of the history of {entry.level} cannot be read.", level=entry.level
        ) from error
