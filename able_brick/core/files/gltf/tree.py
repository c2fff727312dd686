"""The nodes of the scene of a glTF file: what is in what, and where it stands."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.models import NONE
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats

MOST_NODES: Final = 200_000
#: A number of a matrix beyond this is no place and no size, in whatever unit.
FARTHEST: Final = 1e11
NO_TURN: Final = (0.0, 0.0, 0.0, 1.0)
_NO_SIZE: Final = (1.0, 1.0, 1.0)


@dataclass(frozen=True, eq=False)
class NodeTree:
    """Nodes by their numbers, in an order in which parents come first; `above` has the parent of each, `NONE` for
    none."""

    nodes: dict[int, models.Node]
    above: dict[int, int]

    @cached_property
    def order(self) -> list[int]:
        """The numbers of the nodes, parents first."""
        return list(self.nodes)

    def worlds(self) -> dict[int, Floats]:
        """The matrix (4,4) to the world of each node. FileError where one stands farther away than can be held."""
        out: dict[int, Floats] = {}
        if not self.nodes:
            return out
        own = _locals(self.nodes)
        with np.errstate(over="ignore", invalid="ignore"):
            for k, index in enumerate(self.order):
                above = self.above[index]
                out[index] = own[k] if above == NONE else out[above] @ own[k]
        far = np.abs(np.array(list(out.values()))).max(axis=(1, 2))
        for k in np.flatnonzero(~(far <= FARTHEST))[:1].tolist():
            place = f"nodes[{self.order[k]}]"
            raise FileError(
                f"{place} ({self.nodes[self.order[k]].name or 'without a name'}) stands farther away, or is larger, "
                "than can be held; export with its transform applied.",
                place=place,
            )
        return out


def scene_of(document: Document) -> models.Scene:
    """The scene that is shown; an empty one where the document has none."""
    if not document.count(models.Scene):
        return models.Scene()
    return document.item(models.Scene, document.root.scene, "scene")


def tree_of(document: Document) -> NodeTree:
    """The nodes of the scene. FileError where they do not form a tree."""
    count = document.count(models.Node)
    if count > MOST_NODES:
        raise FileError(f"The file has {count} nodes; at most {MOST_NODES} are read.", place="nodes")
    nodes: dict[int, models.Node] = {}
    above: dict[int, int] = {}
    stack = [(root, NONE) for root in reversed(scene_of(document).nodes)]
    while stack:
        index, parent = stack.pop()
        node = document.item(models.Node, index, "scenes.nodes" if parent == NONE else f"nodes[{parent}].children")
        if index in nodes:
            place = f"nodes[{index}]"
            raise FileError(f"{place} is reached twice; nodes must form a tree.", place=place)
        nodes[index], above[index] = node, parent
        stack += [(child, index) for child in reversed(node.children)]
    return NodeTree(nodes, above)


def _locals(nodes: dict[int, models.Node]) -> Floats:
    """(n,4,4) the matrix of each node to its parent."""
    out = np.tile(np.eye(4), (len(nodes), 1, 1))
    placed = [(k, index, node) for k, (index, node) in enumerate(nodes.items()) if not node.matrix]
    for k, node in enumerate(nodes.values()):
        if node.matrix:
            out[k] = np.array(node.matrix).reshape(4, 4).T
    turned = [(k, index, node) for k, index, node in placed if node.rotation != NO_TURN]
    if turned:
        turns = np.array([node.rotation for _, _, node in turned])
        long = np.linalg.norm(turns, axis=1)
        for k in np.flatnonzero(~((long > 0.5) & (long < 2.0)))[:1].tolist():
            place = f"nodes[{turned[k][1]}]"
            raise FileError(f"{place}.rotation is not a unit quaternion.", place=place)
        out[[k for k, _, _ in turned], :3, :3] = Rotation.from_quat(turns).as_matrix()
    if placed:
        rows = [k for k, _, _ in placed]
        out[rows, :3, 3] = np.array([node.translation for _, _, node in placed])
        out[rows, :3, :3] *= np.array([node.scale for _, _, node in placed])[:, None, :]
    return out
