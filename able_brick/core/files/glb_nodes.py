"""The nodes of a GLB: what stands where, and the rungs of what stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, Literal, NamedTuple

import numpy as np

from able_brick.core.files.gltf.extras import extras_with
from able_brick.core.files.own_level import node_sum
from able_brick.core.files.scene import Node, ScenePart

Json = dict[str, object]
#: How rungs are written: by the extension MSFT_lod, or as nodes beside one another, called `{name}_LOD{n}`.
Rungs = Literal["lod", "names"]
LOD: Final = "MSFT_lod"
COVERAGE: Final = "MSFT_screencoverage"
#: Where a node stands that does not say so.
STILL: Final[dict[str, tuple[float, ...]]] = {
    "translation": (0.0, 0.0, 0.0),
    "rotation": (0.0, 0.0, 0.0, 1.0),
    "scale": (1.0, 1.0, 1.0),
}


class MeshAt(NamedTuple):
    """A mesh of the file: its number, the checksum of what its primitives hold, the piece that it is."""

    number: int
    held: str
    piece: str


class Laid(NamedTuple):
    """A node of the file: its number, and the sum of what it shows."""

    number: int
    total: str


class Tree:
    """Nodes as they are laid. `at` are the meshes of each part, those of its rungs behind its own; none of a part
    without faces. `sums` are those of things by their names."""

    def __init__(
        self, parts: Sequence[ScenePart], at: Sequence[tuple[MeshAt | None, ...]], rungs: Rungs | None, *, lean: bool
    ) -> None:
        self._parts, self._at, self._rungs, self._lean = parts, at, rungs, lean
        self.flat: list[Json] = []
        self.sums: dict[str, str] = {}
        self.extensions: list[str] = []

    def lay(self, node: Node) -> Laid:
        """Put a node, and all that is in it, into the file."""
        out: Json = {"name": node.name}
        index = len(self.flat)
        self.flat.append(out)
        stand = self._stand(node)
        out.update(stand)
        extras: Json = {}
        if not self._lean:
            declared = {**node.extras, "thing": node.thing} if node.thing else dict(node.extras)
            extras = extras_with(declared, node.others)
        held = self._at[node.part] if node.part is not None else ()
        inside: list[Laid] = []
        shows = ""
        if held and held[0] is not None:
            first = held[0]
            levels = [m for m in held if m is not None]
            if len(levels) > 1 and self._rungs == "names":
                inside = [self._rung(f"{node.name}_LOD{k}", m) for k, m in enumerate(levels)]
            else:
                out["mesh"] = first.number
                shows = first.piece if node.thing and first.piece else first.held
            if len(levels) > 1 and self._rungs == "lod":
                extras[COVERAGE] = self._coverages(node.part or 0)
                others = [self._rung(f"{node.name}_LOD{k}", m, stand) for k, m in enumerate(levels[1:], 1)]
                out["extensions"] = {LOD: {"ids": [o.number for o in others]}}
                if not self.extensions:
                    self.extensions.append(LOD)
        children = [self.lay(child) for child in node.children]
        if extras:
            out["extras"] = extras
        if inside or children:
            out["children"] = [c.number for c in (*inside, *children)]
        own = [c.total for c, child in zip(children, node.children, strict=True) if not child.thing]
        total = node_sum(_numbers(stand), shows, (*(c.total for c in inside), *own))
        if node.thing:
            self.sums[node.thing] = total
        return Laid(index, total)

    def _rung(self, name: str, mesh: MeshAt, stand: Json | None = None) -> Laid:
        self.flat.append({"name": name, **(stand or {}), "mesh": mesh.number})
        return Laid(len(self.flat) - 1, node_sum(_numbers({}), mesh.held, ()))

    def _coverages(self, part: int) -> list[float]:
        """For each rung, the part itself first, down to which share of the picture it is meant; the last one always."""
        declared = [r.coverage for r in self._parts[part].rungs]
        shares = [0.5**k if c is None else c for k, c in enumerate(declared, 1)]
        return [*np.minimum.accumulate(shares).tolist(), 0.0]

    @staticmethod
    def _stand(node: Node) -> Json:
        out: Json = {}
        if any(node.translation):
            out["translation"] = list(node.translation)
        if node.rotation != STILL["rotation"]:
            q = np.asarray(node.rotation)
            out["rotation"] = [float(v) for v in np.clip(q / np.linalg.norm(q), -1.0, 1.0)]
        if node.scale != STILL["scale"]:
            out["scale"] = list(node.scale)
        return out


def _numbers(stand: Json) -> list[float]:
    """The ten numbers of where a node stands."""
    return [v for key, usual in STILL.items() for v in stand.get(key, usual)]  # type: ignore[attr-defined]
