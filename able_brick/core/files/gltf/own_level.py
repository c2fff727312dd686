"""Which thing of a level that Able Brick wrote each node of a glTF file belongs to, where it still stands so."""

from __future__ import annotations

from able_brick.core.errors import FileError
from able_brick.core.files.glb_nodes import STILL
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.extras import others_extras, own_extra
from able_brick.core.files.gltf.models import NONE, checked
from able_brick.core.files.gltf.tree import NodeTree, scene_of
from able_brick.core.files.own_level import FORMAT, NoLevelError, node_sum, unpacked_level
from able_brick.core.files.scene import KeptLevel


class LevelReader:
    """Reads the level. `held` has of each mesh the checksum of its primitives and its piece; `kept` is the level, None
    where there is none; `things` the thing of each node that belongs to one."""

    def __init__(self, document: Document, tree: NodeTree, held: dict[int, tuple[str, str]]) -> None:
        self._tree, self._held = tree, held
        self.kept: KeptLevel | None = None
        self.things: dict[int, str] = {}
        stored = own_extra(scene_of(document).extras, "able_brick")
        if not isinstance(stored, dict) or stored.get("format") != FORMAT:
            return
        place = "scenes.extras.able_brick"
        try:
            rows, declared = unpacked_level(document.view(checked(models.OwnScene, stored, place).level, place))
        except (NoLevelError, FileError):
            document.notes.append("What was kept of arrays, courses and paths was left out, as it is damaged.")
            return
        self._match(rows, declared)

    def _match(self, rows: dict[str, object], declared: dict[str, str]) -> None:
        nodes, above = self._tree.nodes, self._tree.above
        named = {k: t for k, n in nodes.items() if isinstance(t := own_extra(n.extras, "thing"), str) and t}
        sums = self._sums(named)
        sound: dict[int, bool] = {NONE: True}
        within: dict[int, str] = {NONE: ""}
        standing: dict[str, tuple[str, str, str]] = {}
        for index, node in nodes.items():
            parent = above[index]
            thing = named.get(index)
            if thing is None:
                inside = self.things.get(parent, "")
                compound = bool(inside) and own_extra(nodes[parent].extras, "kind") != "group"
                sound[index] = sound[parent] and (compound or _still(node))
                within[index] = within[parent]
                if compound:
                    self.things[index] = inside
                continue
            sound[index] = sound[parent] and declared.get(thing) == sums[index] and thing not in standing
            within[index] = thing
            if sound[index]:
                standing[thing] = (within[parent], node.name, others_extras(node.extras)[0])
                self.things[index] = thing
        self.kept = KeptLevel(rows, standing, frozenset(declared))

    def _sums(self, named: dict[int, str]) -> dict[int, str]:
        """The sum of each node, as they were when the file was written."""
        inside: dict[int, list[str]] = {}
        out: dict[int, str] = {}
        for index in reversed(self._tree.order):
            node = self._tree.nodes[index]
            held, piece = self._held.get(node.mesh, ("", ""))
            shows = piece if index in named and piece else held
            within = () if own_extra(node.extras, "kind") == "group" else reversed(inside.get(index, []))
            total = node_sum((*node.translation, *node.rotation, *node.scale), shows, within)
            out[index] = "-" if node.matrix else total
            if index not in named:
                inside.setdefault(self._tree.above[index], []).append(out[index])
        return out


def _still(node: models.Node) -> bool:
    stand = {"translation": node.translation, "rotation": node.rotation, "scale": node.scale}
    return not node.matrix and stand == STILL
