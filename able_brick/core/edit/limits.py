"""How much one operation may make: a slip of the hand must not exhaust memory or hold everybody up."""

from __future__ import annotations

from typing import Final

from able_brick.core.errors import GeometryError
from able_brick.core.text import grouped

#: Faces that one operation makes at most.
MOST_FACES: Final = 2_000_000
#: Faces of a bevel, which are found one by one, and pairs of vertices that are looked at to be welded.
MOST_BEVELLED: Final = 100_000
MOST_PAIRS: Final = 5_000_000


def check_limit(count: int, most: int = MOST_FACES, what: str = "faces") -> None:
    """GeometryError where an operation would make more than may be."""
    if count > most:
        raise GeometryError(
            f"That would make about {grouped(count)} {what}; at most {grouped(most)} are made at once. Pick fewer, or "
            "give a smaller number.",
            received=count,
            allowed=most,
        )
