"""Picks of faces, edges and vertices of a piece, as they travel."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from able_brick.core.edit.element_types import WORDS, ElementType, count_of
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Ints, PolyMesh

Range = Annotated[tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=0)]], "first and last"]


class Elements(BaseModel):
    """Vertices, edges or faces of a mesh by its hash: rising, closed ranges of their numbers; edges as the topology
    numbers them."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    mesh: Annotated[str, Field(max_length=80)] = ""
    kind: ElementType = "face"
    ids: Annotated[tuple[Range, ...], Field(max_length=1_000_000)] = ()

    @classmethod
    def of(cls, mesh: str, numbers: Iterable[int], kind: ElementType = "face") -> Elements:
        """The picks of some numbers."""
        found = np.unique(np.fromiter(numbers, np.int64))
        if not len(found):
            return cls(mesh=mesh, kind=kind)
        cuts = np.flatnonzero(np.diff(found) != 1)
        first, last = found[np.concatenate([[0], cuts + 1])], found[np.concatenate([cuts, [-1]])]
        return cls(mesh=mesh, kind=kind, ids=tuple(zip(first.tolist(), last.tolist(), strict=True)))

    def numbers(self, mesh: PolyMesh) -> Ints:
        """What is picked, rising. Raises GeometryError for ranges that fall or reach beyond the mesh."""
        before = -1
        count = count_of(mesh, self.kind)
        for first, last in self.ids:
            if first <= before or last < first or last >= count:
                raise GeometryError(
                    f"The mesh has {WORDS[self.kind][1]} 0 to {count - 1}, picked by rising ranges; pick again."
                )
            before = last
        parts = [np.arange(a, b + 1, dtype=np.int32) for a, b in self.ids]
        return np.concatenate(parts) if parts else np.zeros(0, np.int32)
