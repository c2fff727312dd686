"""Which nodes of a glTF file are rungs of others: by MSFT_lod, or by the names `{name}_LOD{n}`."""

from __future__ import annotations

import re
from typing import Final

from able_brick.core.files.glb_nodes import COVERAGE
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.extras import own_extra
from able_brick.core.files.gltf.models import NONE
from able_brick.core.files.gltf.tree import NodeTree

_MOST_RUNGS: Final = 12
_LOD_NAME: Final = re.compile(r"(.+)[_ -]LOD[ _]?(\d{1,2})", re.IGNORECASE)


class LadderReader:
    """Finds ladders. `nodes` are those that are rungs, which do not stand by themselves; `names` those of nodes that
    have rungs by their names; `ladders` are, by the number of a mesh, the numbers of those that are its rungs, each
    with the share of the picture in which it is good, where that is given."""

    def __init__(self, document: Document, tree: NodeTree) -> None:
        self._document, self._tree = document, tree
        self.nodes: set[int] = set()
        self.names: dict[int, str] = {}
        self.ladders: dict[int, list[tuple[int, float | None]]] = {}
        self._find()

    def _find(self) -> None:
        beside: dict[tuple[int, str], dict[int, int]] = {}
        nodes = self._tree.nodes
        for index, node in nodes.items():
            if node.mesh == NONE:
                continue
            if node.extensions.lod is not None:
                self._declared(node, index, node.extensions.lod.ids)
            found = _LOD_NAME.fullmatch(node.name)
            if found is not None and own_extra(node.extras, "thing") is None:  # a thing of ours is none of others
                beside.setdefault((self._tree.above[index], found[1]), {}).setdefault(int(found[2]), index)
        for (_, name), levels in beside.items():
            finest, *others = [levels[k] for k in sorted(levels)]
            same = [k for k in others if _place(nodes[k]) == _place(nodes[finest])]
            if same and finest not in self.nodes:
                self.names[finest] = name
                self.nodes.update(same)
                self._put(nodes[finest].mesh, [(nodes[k].mesh, None) for k in same])

    def _declared(self, node: models.Node, index: int, ids: tuple[int, ...]) -> None:
        place = f"nodes[{index}].extensions.MSFT_lod.ids"
        shares = own_extra(node.extras, COVERAGE)
        good = (
            [float(s) if isinstance(s, (int, float)) and 0 <= s <= 1 else None for s in shares]
            if isinstance(shares, list)
            else []
        )
        found = [self._document.item(models.Node, k, place) for k in ids]
        levels = zip(ids, found, [*good, *[None] * len(ids)], strict=False)
        within = self._lineage(index)  # what holds a node is none of its rungs
        self._put(node.mesh, [(n.mesh, c) for k, n, c in levels if n.mesh != NONE and k not in within])
        self.nodes |= set(ids) - within

    def _lineage(self, index: int) -> set[int]:
        """A node, and all that it is in."""
        out: set[int] = set()
        while index != NONE:
            out.add(index)
            index = self._tree.above[index]
        return out

    def _put(self, mesh: int, levels: list[tuple[int, float | None]]) -> None:
        for k in (mesh, *(k for k, _ in levels)):
            self._document.check_index(models.Mesh, k, "nodes.mesh")
        self.ladders.setdefault(mesh, [r for r in levels if r[0] != mesh][:_MOST_RUNGS])


def _place(node: models.Node) -> tuple[object, ...]:
    return node.translation, node.rotation, node.scale, node.matrix
