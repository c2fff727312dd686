"""The nodes of a glTF file: what stands where, in which groups, with which rungs."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.glb_nodes import COVERAGE, LOD, STILL
from able_brick.core.files.gltf_document import Beside, Document
from able_brick.core.files.node_extras import others_extras, own_extra
from able_brick.core.files.own_level import FORMAT, NoLevelError, node_sum, unpacked_level
from able_brick.core.files.scene import GroupAt, KeptLevel
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats

_MOST_NODES: Final = 200_000
#: A number of a matrix beyond this is no place and no size, in whatever unit.
_FARTHEST: Final = 1e11
#: Nodes of these kinds, as Able Brick writes them, come back as groups.
_GROUPING: Final = ("group", "array", "course")
_MOST_RUNGS: Final = 12
#: Groups in groups; what is deeper stands in the last of them.
_MOST_NESTED: Final = 60
_LOD_NAME: Final = re.compile(r"(.+)[_ -]LOD[ _]?(\d{1,2})", re.IGNORECASE)
_PLACE: Final = (*STILL, "matrix")
_INSTANCING: Final = "EXT_mesh_gpu_instancing"


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


class Nodes(Document):
    """The nodes of the scene of a document. `ladders` are, by the number of a mesh, the numbers of those that are its
    rungs, each with the share of the picture in which it is good, where that is given."""

    def __init__(self, document: dict[str, Any], binary: bytes | None, beside: Beside) -> None:
        super().__init__(document, binary, beside)
        self.notes: list[str] = []
        self.groups: list[GroupAt] = []
        self.ladders: dict[int, list[tuple[int, float | None]]] = {}
        self.kept: KeptLevel | None = None
        #: the nodes of the scene, and those that are rungs of them
        self.reached: set[int] = set()
        #: the nodes whose extras of other tools are all kept
        self.extras_kept: set[int] = set()
        #: of each mesh that Able Brick wrote the checksum of its primitives, and the piece that it is
        self.held: dict[int, tuple[str, str]] = {}

    def standing(self) -> Iterator[Stand]:
        """Every mesh that stands in the scene; groups, ladders and the level are noted on the way."""
        nodes = self.list_of("nodes")
        if len(nodes) > _MOST_NODES:
            raise FileError(f"The file has {len(nodes)} nodes; at most {_MOST_NODES} are read.", place="nodes")
        order, above = self._order(nodes)
        rungs, bare = self._rungs(nodes, order, above)
        self.reached = {*order, *rungs}
        worlds = self.worlds(order, above)
        things = self._things(nodes, order, above)
        within: dict[int, int | None] = {-1: None}
        meshes = len(self.list_of("meshes"))
        total = len(nodes)
        grouping = self._grouping(nodes, order, above, rungs)
        for index in order:
            node, group = nodes[index], within[above[index]]
            thing = things.get(index, "")
            if index in rungs or above[index] in rungs:
                rungs.add(index)
                continue
            extras = self._extras_of(node, index) if "mesh" in node or index in grouping else ""
            if index in grouping:
                name = self.name(node, "Group")
                self.groups.append(GroupAt(name, group, worlds[index], "" if "mesh" in node else thing, extras))
                group, extras = len(self.groups) - 1, ""
            if "mesh" in node:
                mesh = self.whole(node["mesh"], f"nodes[{index}].mesh", 0, meshes - 1)
                name = self.name(node, f"Node {index}")
                instances = self._instances(node, index)
                total += 0 if instances is None else len(instances)
                if total > _MOST_NODES:
                    raise FileError(f"More than {_MOST_NODES} things stand in the file; split it.", place="nodes")
                if instances is None:
                    yield Stand(mesh, bare.get(index, name), worlds[index], group, thing, extras)
                else:
                    for k, matrix in enumerate(instances, 1):
                        yield Stand(mesh, f"{name} {k}", worlds[index] @ matrix, group, "", extras)
            within[index] = group

    def _extras_of(self, node: dict[str, Any], index: int) -> str:
        text, left = others_extras(node)
        if not left:
            self.extras_kept.add(index)
        return text

    def _grouping(self, nodes: list[Any], order: list[int], above: dict[int, int], rungs: set[int]) -> set[int]:
        """The nodes that are groups: those of ours that say so, and of others those that hold more than one thing, or
        one beside a mesh of their own. Nodes that hold a single node, as many tools write round all, are none."""
        shows: set[int] = set()
        holds: dict[int, int] = {}
        named: set[int] = set()
        for index in reversed(order):
            inside = holds.get(index, 0)
            mesh = "mesh" in nodes[index]
            kind = own_extra(nodes[index], "kind")
            single = own_extra(nodes[index], "piece") is not None and kind not in _GROUPING
            if kind in _GROUPING or (not single and inside + mesh > 1):
                named.add(index)
            if (inside or mesh) and index not in rungs:
                shows.add(index)
                holds[above[index]] = holds.get(above[index], 0) + 1
        deep: dict[int, int] = {-1: 0}
        for index in order:
            named -= {index} if deep[above[index]] >= _MOST_NESTED else set()
            deep[index] = deep[above[index]] + (index in named)
        return named

    def _order(self, nodes: list[Any]) -> tuple[list[int], dict[int, int]]:
        """The nodes of the scene, parents before what is in them; the parent of each, −1 for none."""
        scene = self._scene()
        roots = scene.get("nodes", [])
        if not isinstance(roots, list):
            raise FileError("scenes.nodes should be a list.", place="scenes")
        order: list[int] = []
        above: dict[int, int] = {}
        stack: list[tuple[object, int]] = [(r, -1) for r in reversed(roots)]
        while stack:
            index, parent = stack.pop()
            node = self.item("nodes", index, "node index")
            at = self.whole(index, "node index", 0, len(nodes) - 1)
            if at in above:
                place = f"nodes[{index}]"
                raise FileError(f"{place} is reached twice; nodes must form a tree.", place=place)
            above[at] = parent
            order.append(at)
            children = node.get("children", [])
            if not isinstance(children, list):
                raise FileError(f"nodes[{index}].children should be a list.", place=f"nodes[{index}]")
            stack += [(c, at) for c in reversed(children)]
        return order, above

    def _scene(self) -> dict[str, Any]:
        return self.item("scenes", self.document.get("scene", 0), "scene") if self.list_of("scenes") else {}

    # -- rungs -

    def _rungs(self, nodes: list[Any], order: list[int], above: dict[int, int]) -> tuple[set[int], dict[int, str]]:
        """The nodes that are rungs of others, which do not stand by themselves; and the names of those that have some
        by their names."""
        rungs: set[int] = set()
        bare: dict[int, str] = {}
        beside: dict[tuple[int, str], dict[int, int]] = {}
        for index in order:
            node = nodes[index]
            if "mesh" not in node:
                continue
            if "extensions" in node:
                declared = self.inner(
                    self.inner(node, "extensions", f"nodes[{index}]"), LOD, f"nodes[{index}].extensions"
                )
                rungs |= self._declared_rungs(node, index, declared) if declared else set()
            found = _LOD_NAME.fullmatch(self.name(node, ""))
            if found is not None and own_extra(node, "thing") is None:  # a thing of ours is none, whatever its name
                beside.setdefault((above[index], found[1]), {}).setdefault(int(found[2]), index)
        for (_, name), levels in beside.items():
            finest, *others = [levels[k] for k in sorted(levels)]
            place = [nodes[finest].get(p) for p in _PLACE]
            same = [k for k in others if [nodes[k].get(p) for p in _PLACE] == place]
            if same and finest not in rungs:
                bare[finest] = name
                rungs.update(same)
                self._put_ladder(nodes[finest], [(nodes[k], None) for k in same])
        return rungs, bare

    def _declared_rungs(self, node: dict[str, Any], index: int, declared: dict[str, Any]) -> set[int]:
        place = f"nodes[{index}].extensions.{LOD}"
        ids = declared.get("ids")
        every = self.list_of("nodes")
        if not isinstance(ids, list):
            raise FileError(f"{place}.ids should be a list.", place=place)
        found = [self.whole(k, f"{place}.ids", 0, len(every) - 1) for k in ids]
        shares = own_extra(node, COVERAGE)
        good = (
            [s if isinstance(s, (int, float)) and 0 <= s <= 1 else None for s in shares]
            if isinstance(shares, list)
            else []
        )
        levels = []
        for k, at in enumerate(found):
            if isinstance(every[at], dict) and "mesh" in every[at] and at != index:
                levels.append((every[at], good[k] if k < len(good) else None))
        self._put_ladder(node, levels)
        return set(found) - {index}

    def _put_ladder(self, node: dict[str, Any], levels: list[tuple[dict[str, Any], float | None]]) -> None:
        most = len(self.list_of("meshes")) - 1
        mesh = self.whole(node["mesh"], "nodes.mesh", 0, most)
        rungs = [(self.whole(n["mesh"], "nodes.mesh", 0, most), c) for n, c in levels]
        self.ladders.setdefault(mesh, [r for r in rungs if r[0] != mesh][:_MOST_RUNGS])

    # -- one mesh at many places -

    def _instances(self, node: dict[str, Any], index: int) -> Floats | None:
        """The matrices (n,4,4), in the node, at which its mesh stands; None where it stands once."""
        if "extensions" not in node:
            return None
        place = f"nodes[{index}].extensions.{_INSTANCING}"
        declared = self.inner(self.inner(node, "extensions", f"nodes[{index}]"), _INSTANCING, place)
        if not declared:
            return None
        attributes = self.inner(declared, "attributes", place)
        columns: dict[str, Floats] = {}
        for name in ("TRANSLATION", "ROTATION", "SCALE"):
            if name in attributes:
                kind = "VEC4" if name == "ROTATION" else "VEC3"
                columns[name] = np.asarray(self.accessor(attributes[name], f"{place}.{name}", (kind,)), np.float64)
        counts = {len(c) for c in columns.values()}
        if len(counts) != 1:
            raise FileError(f"{place} has no places, or as many of one kind as not of another.", place=place)
        (count,) = counts
        if count > _MOST_NODES:
            raise FileError(f"{place} has {count} places; at most {_MOST_NODES} are read.", place=place)
        if not all(bool(np.isfinite(c).all()) for c in columns.values()):
            raise FileError(f"{place} holds a value that is not a finite number.", place=place)
        turns = columns.get("ROTATION", np.tile(STILL["rotation"], (count, 1)))
        if not bool((np.linalg.norm(turns, axis=1) > 0.5).all()):
            raise FileError(f"{place}.ROTATION holds what is no unit quaternion.", place=place)
        out = np.tile(np.eye(4), (count, 1, 1))
        out[:, :3, :3] = Rotation.from_quat(turns).as_matrix()
        out[:, :3, :3] *= columns.get("SCALE", np.ones((count, 3)))[:, None, :]
        out[:, :3, 3] = columns.get("TRANSLATION", np.zeros((count, 3)))
        if not float(np.abs(out).max()) <= _FARTHEST:
            raise FileError(f"{place} has places farther away, or larger, than can be held.", place=place)
        return out

    # -- the level that the file was written from -

    def _things(self, nodes: list[Any], order: list[int], above: dict[int, int]) -> dict[int, str]:
        """The thing of the level that each node belongs to, where it stands as that says."""
        own = own_extra(self._scene(), "able_brick")
        if not isinstance(own, dict) or own.get("format") != FORMAT:
            return {}
        try:
            data, start, length, _ = self.view(own.get("level"), "scenes.extras.able_brick.level")
            rows, declared = unpacked_level(data[start : start + length])
        except (NoLevelError, FileError):
            self.notes.append("What was kept of arrays, courses and paths was left out, as it is damaged.")
            return {}
        named = {k: t for k in order if isinstance(t := own_extra(nodes[k], "thing"), str) and t}
        sums = self._sums(nodes, order, above, named)
        sound: dict[int, bool] = {-1: True}
        within: dict[int, str] = {-1: ""}
        standing: dict[str, tuple[str, str, str]] = {}
        belongs: dict[int, str] = {}
        for index in order:
            parent = above[index]
            thing = named.get(index)
            if thing is None:
                inside = belongs.get(parent, "")
                compound = bool(inside) and own_extra(nodes[parent], "kind") != "group"
                sound[index] = sound[parent] and (compound or self._still(nodes[index]))
                within[index] = within[parent]
                if compound:
                    belongs[index] = inside
                continue
            sound[index] = sound[parent] and declared.get(thing) == sums[index] and thing not in standing
            within[index] = thing
            if sound[index]:
                standing[thing] = (within[parent], self.name(nodes[index], ""), others_extras(nodes[index])[0])
                belongs[index] = thing
        self.kept = KeptLevel(rows, standing, frozenset(declared))
        return belongs

    def _still(self, node: dict[str, Any]) -> bool:
        return "matrix" not in node and all(list(node.get(k, usual)) == list(usual) for k, usual in STILL.items())

    def _sums(self, nodes: list[Any], order: list[int], above: dict[int, int], named: dict[int, str]) -> dict[int, str]:
        """The sum of each node, as they were when the file was written."""
        inside: dict[int, list[str]] = {}
        out: dict[int, str] = {}
        for index in reversed(order):
            node = nodes[index]
            shows = ""
            if "mesh" in node and isinstance(node["mesh"], int):
                held, piece = self.held.get(node["mesh"], ("", ""))
                shows = piece if index in named and piece else held
            try:
                stand = [v for k, usual in STILL.items() for v in node.get(k, usual)]
                within = () if own_extra(node, "kind") == "group" else reversed(inside.get(index, []))
                total = node_sum(stand, shows, within)
            except (TypeError, ValueError):
                total = "-"
            out[index] = "-" if "matrix" in node else total
            if index not in named:
                inside.setdefault(above[index], []).append(out[index])
        return out

    # -- matrices -

    def worlds(self, order: list[int], above: dict[int, int]) -> dict[int, Floats]:
        """The matrix to the world of each node, in an order in which parents come first."""
        nodes = self.list_of("nodes")
        own = self.locals(order)
        out: dict[int, Floats] = {}
        with np.errstate(over="ignore", invalid="ignore"):
            for k, index in enumerate(order):
                out[index] = own[k] if above[index] < 0 else out[above[index]] @ own[k]
        if order:
            far = np.abs(np.array([out[index] for index in order])).max(axis=(1, 2))
            for k in np.flatnonzero(~(far <= _FARTHEST))[:1].tolist():
                place = f"nodes[{order[k]}]"
                raise FileError(
                    f"{place} ({self.name(nodes[order[k]], 'without a name')}) stands farther away, or is larger, than "
                    "can be held; export with its transform applied.",
                    place=place,
                )
        return out

    def locals(self, order: list[int]) -> Floats:
        """The matrix (4,4) of each of some nodes to its parent."""
        nodes = self.list_of("nodes")
        out = np.tile(np.eye(4), (len(order), 1, 1))
        turned: list[int] = []
        turns: list[Floats] = []
        for k, index in enumerate(order):
            node, place = nodes[index], f"nodes[{index}]"
            if "matrix" in node:
                out[k] = self.numbers(node["matrix"], f"{place}.matrix", 16).reshape(4, 4).T
                continue
            if "rotation" in node:
                turned.append(k)
                turns.append(self.numbers(node["rotation"], f"{place}.rotation", 4))
            if "translation" in node:
                out[k, :3, 3] = self.numbers(node["translation"], f"{place}.translation", 3)
        if turned:
            every = np.array(turns)
            long = np.linalg.norm(every, axis=1)
            for k in np.flatnonzero(~((long > 0.5) & (long < 2.0)))[:1].tolist():
                place = f"nodes[{order[turned[k]]}]"
                raise FileError(f"{place}.rotation is not a unit quaternion.", place=place)
            out[turned, :3, :3] = Rotation.from_quat(every).as_matrix()
        for k, index in enumerate(order):
            if "scale" in nodes[index] and "matrix" not in nodes[index]:
                out[k, :3, :3] *= self.numbers(nodes[index]["scale"], f"nodes[{index}].scale", 3)
        return out
