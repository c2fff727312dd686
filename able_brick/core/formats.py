"""Versions of what is kept as JSON, and how to come from an older one to the one that is read now.

A kind of thing (of row, of tool's parameters, recipes) begins at version 1. Whoever changes its fields adds a function
to its chain, which takes the JSON object of the version before and gives that of the next; nothing else has to know.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

#: From the JSON object of one version to that of the next; it may change the one that it is given.
Upgrade = Callable[[dict[str, Any]], dict[str, Any]]


class FormatError(ValueError):
    """A version that nothing is known of: that of a newer program, or none at all."""


@dataclass(frozen=True)
class Chain:
    """All upgrades of a kind, the oldest first."""

    upgrades: tuple[Upgrade, ...] = ()

    @property
    def version(self) -> int:
        """The version that is written and read now."""
        return 1 + len(self.upgrades)

    def upgraded(self, value: dict[str, Any], version: int) -> dict[str, Any]:
        """An object of a version as one of the version now. Raises FormatError."""
        if not 1 <= version <= self.version:
            raise FormatError(f"It has format {version}; this version reads up to {self.version}.")
        for upgrade in self.upgrades[version - 1 :]:
            value = upgrade(value)
        return value


def unchanged(value: dict[str, Any]) -> dict[str, Any]:
    """The upgrade to a version that allows more than the one before."""
    return value


#: Nothing has been changed yet.
FIRST: Final = Chain()
