"""What stands in the scene of a glTF file, in which groups, and as which thing of a level."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.extras import others_extras, own_extra
from able_brick.core.files.gltf.ladders import LadderReader
from able_brick.core.files.gltf.models import NONE
from able_brick.core.files.gltf.own_level import LevelReader
from able_brick.core.files.gltf.tree import FARTHEST, MOST_NODES, NO_TURN, tree_of
from able_brick.core.files.scene import GroupAt
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.text import counted

#: Nodes of these kinds, as Able Brick writes them, come back as groups.
_GROUPING: Final = ("group", "array", "course")
#: Groups in groups; what is deeper stands in the last of them.
_MOST_NESTED: Final = 60


@dataclass(frozen=True, eq=False)
class Stand:
    """A mesh that stands in the scene: its number, its name, the matrix to the world, its group, its thing, and what
    others tell of it."""

    mesh: int
    name: str
    matrix: Floats
    group: int | None
    thing: str
    extras: str


class NodeReader:
    """Reads the nodes of the scene, where `held` has of each mesh that Able Brick wrote the checksum of its primitives
    and its piece.

    `groups` are there when all that is `standing` has been asked for; `extras_kept` are then the nodes whose extras of
    other tools are all kept. `reached` are the nodes of the scene, and those that are rungs of them.
    """

    def __init__(self, document: Document, held: dict[int, tuple[str, str]]) -> None:
        self._document = document
        self._tree = tree_of(document)
        rungs = LadderReader(document, self._tree)
        self._rungs, self._bare, self.ladders = rungs.nodes, rungs.names, rungs.ladders
        self.reached = {*self._tree.nodes, *self._rungs}
        self._worlds = self._tree.worlds()
        level = LevelReader(document, self._tree, held)
        self.kept, self._things = level.kept, level.things
        self.groups: list[GroupAt] = []
        self.extras_kept: set[int] = set()

    def standing(self) -> Iterator[Stand]:
        """Every mesh that stands in the scene."""
        worlds, rungs, above = self._worlds, set(self._rungs), self._tree.above
        within: dict[int, int | None] = {NONE: None}
        total, below = self._document.count(models.Node), 0
        grouping = self._grouping()
        for index, node in self._tree.nodes.items():
            shows = node.mesh != NONE
            if index in rungs or above[index] in rungs:
                below += shows and above[index] in rungs
                rungs.add(index)
                continue
            group, thing = within[above[index]], self._things.get(index, "")
            extras = self._extras_of(node, index) if shows or index in grouping else ""
            if index in grouping:
                name = node.name or "Group"
                self.groups.append(GroupAt(name, group, worlds[index], "" if shows else thing, extras))
                group, extras = len(self.groups) - 1, ""
            within[index] = group
            if not shows:
                continue
            self._document.check_index(models.Mesh, node.mesh, f"nodes[{index}].mesh")
            name = node.name or f"Node {index}"
            if node.extensions.instancing is None:
                yield Stand(node.mesh, self._bare.get(index, name), worlds[index], group, thing, extras)
                continue
            instances = self._instances(node.extensions.instancing.attributes, index)
            total += len(instances)
            if total > MOST_NODES:
                raise FileError(f"More than {MOST_NODES} things stand in the file; split it.", place="nodes")
            for k, matrix in enumerate(instances, 1):
                yield Stand(node.mesh, f"{name} {k}", worlds[index] @ matrix, group, "", extras)
        if below:
            these = counted(below, "mesh that stands", "meshes that stand")
            self._document.notes.append(f"{these} in a rung of another {'was' if below == 1 else 'were'} left out.")

    def _extras_of(self, node: models.Node, index: int) -> str:
        text, left = others_extras(node.extras)
        if not left:
            self.extras_kept.add(index)
        return text

    def _grouping(self) -> set[int]:
        """The nodes that are groups: those of ours that say so, and of others those that hold more than one thing, or
        one beside a mesh of their own. Nodes that hold a single node, as many tools write round all, are none."""
        nodes, above = self._tree.nodes, self._tree.above
        holds: dict[int, int] = {}
        named: set[int] = set()
        for index in reversed(self._tree.order):
            node, inside = nodes[index], holds.get(index, 0)
            mesh = node.mesh != NONE
            kind = own_extra(node.extras, "kind")
            single = own_extra(node.extras, "piece") is not None and kind not in _GROUPING
            if kind in _GROUPING or (not single and inside + mesh > 1):
                named.add(index)
            if (inside or mesh) and index not in self._rungs:
                holds[above[index]] = holds.get(above[index], 0) + 1
        deep: dict[int, int] = {NONE: 0}
        for index in nodes:
            named -= {index} if deep[above[index]] >= _MOST_NESTED else set()
            deep[index] = deep[above[index]] + (index in named)
        return named

    def _instances(self, attributes: models.InstanceAttributes, index: int) -> Floats:
        """The matrices (n,4,4), in the node, at which its mesh stands."""
        place = f"nodes[{index}].extensions.EXT_mesh_gpu_instancing"
        columns = {
            name: np.asarray(self._document.accessor(at, f"{place}.{name}", (accessor_type,)), np.float64)
            for name, at, accessor_type in (
                ("TRANSLATION", attributes.translation, "VEC3"),
                ("ROTATION", attributes.rotation, "VEC4"),
                ("SCALE", attributes.scale, "VEC3"),
            )
            if at != NONE
        }
        counts = {len(c) for c in columns.values()}
        if len(counts) != 1:
            raise FileError(f"{place} has no places, or as many of one kind as not of another.", place=place)
        (count,) = counts
        if count > MOST_NODES:
            raise FileError(f"{place} has {count} places; at most {MOST_NODES} are read.", place=place)
        if not all(bool(np.isfinite(c).all()) for c in columns.values()):
            raise FileError(f"{place} holds a value that is not a finite number.", place=place)
        turns = columns.get("ROTATION", np.tile(NO_TURN, (count, 1)))
        if not bool((np.linalg.norm(turns, axis=1) > 0.5).all()):
            raise FileError(f"{place}.ROTATION holds what is no unit quaternion.", place=place)
        out = np.tile(np.eye(4), (count, 1, 1))
        out[:, :3, :3] = Rotation.from_quat(turns).as_matrix()
        out[:, :3, :3] *= columns.get("SCALE", np.ones((count, 3)))[:, None, :]
        out[:, :3, 3] = columns.get("TRANSLATION", np.zeros((count, 3)))
        if not float(np.abs(out).max()) <= FARTHEST:
            raise FileError(f"{place} has places farther away, or larger, than can be held.", place=place)
        return out
