"""The versions of the tables, oldest first, and how to come from one to the next."""

from typing import Final

VERSIONS: Final = ("a001", "a002", "a003", "a004", "a005")
HEAD: Final = VERSIONS[-1]
