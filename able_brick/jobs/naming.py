"""Names of files that are written, by a pattern."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import PurePosixPath
from string import Formatter
from typing import Final, Self

from able_brick.core.errors import InputError
from able_brick.core.files.write import WRITTEN

VARIABLES: Final = ("name", "rung", "tris", "folder", "ext")
_MOST: Final = 240


@dataclass(frozen=True)
class NamePattern:
    """A pattern such as `{name}_{rung}{ext}`, with / between folders."""

    text: str

    @classmethod
    def parse(cls, text: str, *, rungs: int) -> Self:
        """The pattern, checked: InputError for variables that there are not, and for one that would give two rungs of
        a file the same name."""
        if not text.strip() or len(text) > _MOST:
            raise InputError(f"The naming pattern is empty or longer than {_MOST} letters.", field="pattern")
        try:
            found = [(name, spec, how) for _, name, spec, how in Formatter().parse(text) if name is not None]
        except ValueError as error:
            raise InputError(f"The naming pattern cannot be read: {error}.", field="pattern") from error
        for name, spec, how in found:
            if name not in VARIABLES or spec or how:
                raise InputError(
                    f"The naming pattern names {{{name}}}; it can name {', '.join(f'{{{v}}}' for v in VARIABLES)}.",
                    field="pattern",
                    allowed=list(VARIABLES),
                )
        names = {n for n, _, _ in found}
        if rungs > 1 and not names & {"rung", "tris"}:
            raise InputError(
                "All rungs of a file would have one name; put {rung} into the naming pattern.", field="pattern"
            )
        made = cls(text)
        made.of("piece", 1, 1000, "folder", ".glb")
        return made

    def of(self, name: str, rung: int, triangles: int, folder: str, ext: str) -> PurePosixPath:
        """The path of a file below the folder that is written to. InputError where it would lead out of it, or is
        none that can be written."""
        values = {"name": name, "rung": str(rung), "tris": str(triangles), "folder": folder or ".", "ext": ext}
        path = PurePosixPath(self.text.format(**values))
        if path.is_absolute() or ".." in path.parts or "\\" in str(path) or "\0" in str(path):
            raise InputError(f"{path} would lead out of the folder that is written to.", field="pattern")
        if path.suffix.lower() not in WRITTEN:
            raise InputError(
                f"{path.name} cannot be written; let the pattern end in {{ext}}, or in one of {', '.join(WRITTEN)}.",
                field="pattern",
                allowed=list(WRITTEN),
            )
        return path
