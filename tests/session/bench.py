"""A project to try things on."""

from __future__ import annotations

import json
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.level.export import level_file
from able_brick.session.delta import Delta, RunView
from able_brick.session.project import Project
from able_brick.steps.parse import parse_tool
from tests.steps.test_steps import item_vertices


def told(items: dict[str, list[RunView]]) -> dict[str, list[SimpleNamespace]]:
    """What is drawn, with lists in the place of arrays, so that it can be compared."""
    return {k: [SimpleNamespace(**r.model_dump(mode="json")) for r in runs] for k, runs in items.items()}


def file_counts(glb: bytes) -> dict[str, list[tuple[int, int]]]:
    """Triangles and vertices of a level's file, by the names of the things in it: read from its JSON alone."""
    size = int.from_bytes(glb[12:16], "little")
    file = json.loads(glb[20 : 20 + size])
    accessors, nodes = file.get("accessors", []), file["nodes"]
    of_mesh = [
        (
            sum(accessors[p["indices"]]["count"] // 3 for p in mesh["primitives"]),
            sum(accessors[p["attributes"]["POSITION"]]["count"] for p in mesh["primitives"]),
        )
        for mesh in file.get("meshes", [])
    ]
    out: dict[str, list[tuple[int, int]]] = {}

    def whole(node: dict[str, Any]) -> tuple[int, int]:
        mine = [of_mesh[node["mesh"]]] if "mesh" in node else []
        t, v = np.sum([(0, 0), *mine, *(whole(nodes[k]) for k in node.get("children", []))], axis=0).tolist()
        return t, v

    def look(k: int) -> None:
        node = nodes[k]
        if node.get("extras", {}).get("kind") == "group":
            for child in node.get("children", []):
                look(child)
            return
        out.setdefault(node["name"], []).append(whole(node))

    for k in file["scenes"][0].get("nodes", []):
        look(k)
    return out


class Bench:
    """A project with one level, and short words for what one does to it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.project = Project(path)
        self.level = self.project.create_level("Trial").id

    def do(self, tool: str, *selection: str, level: str | None = None, **params: Any) -> Delta:
        where = level or self.level
        return self.project.step(where, parse_tool(tool, params), selection, self.project.revision(where))

    def undo(self, level: str | None = None) -> Delta:
        where = level or self.level
        return self.project.undo(where, self.project.revision(where))

    def redo(self, level: str | None = None) -> Delta:
        where = level or self.level
        return self.project.redo(where, self.project.revision(where))

    def adjust(self, tool: str, level: str | None = None, **params: Any) -> Delta:
        where = level or self.level
        return self.project.adjust_last(where, parse_tool(tool, params), self.project.revision(where))

    def other(self, name: str = "Other") -> str:
        """Another level of the project."""
        return self.project.create_level(name).id

    def state(self, level: str | None = None) -> Any:
        view = self.project.view(level or self.level)
        return {r.id: r for r in view.changed}, told(view.items), view.summary

    def rows(self, level: str | None = None) -> dict[str, Any]:
        return {r.id: r for r in self.project.view(level or self.level).changed}

    def vertices(self, level: str | None = None) -> dict[str, np.ndarray]:
        """World vertices (m,3) of all items of every thing of a level."""
        snapshot = self.project.snapshot
        return {
            thing.id: np.concatenate([np.zeros((0, 3)), *item_vertices(snapshot, thing, self.project.meshes.get)])
            for thing in snapshot.of(level or self.level).values()
            if hasattr(thing, "piece")
        }

    def whole(self) -> None:
        """Every level opens, is exported, and says the same after a restart."""
        self.check()
        before = {key: self.state(key) for key in self.project.snapshot.levels}
        order = {key: list(self.project.snapshot.of(key)) for key in self.project.snapshot.levels}
        self.reopen()
        assert {key: self.state(key) for key in self.project.snapshot.levels} == before
        assert {key: list(self.project.snapshot.of(key)) for key in self.project.snapshot.levels} == order

    def check(self) -> None:
        """Every level opens and is exported, with an instance for each item that stands in it."""
        project = self.project
        for key in project.snapshot.levels:
            view = project.view(key)
            json.loads(view.model_dump_json())
            if view.summary.placements:
                made = level_file(project.snapshot, key, project.meshes.get, project.pictures.get)
                written = write_glb(made.parts, made.nodes, name="Trial", rows=made.rows)
                scene = read_file("level.glb", written)
                assert len(scene.instances) == view.summary.placements
                self.counts_are_those_of(written, key)

    def counts_are_those_of(self, glb: bytes, level: str) -> None:
        """Triangles and hardware vertices that are told, of all and of each thing, are those of the exported file."""
        view = self.project.view(level)
        of = file_counts(glb)
        whole = np.sum([(0, 0), *(n for counts in of.values() for n in counts)], axis=0).tolist()
        assert [view.summary.triangles, view.summary.hardware_vertices] == whole
        assert sum(u.triangles for u in view.summary.uses) == whole[0]
        by_name: dict[str, list[tuple[int, int]]] = {}
        for row in view.changed:
            if row.id in view.items:
                runs = view.items[row.id]
                counts = (sum(r.triangles for r in runs), sum(r.hardware_vertices for r in runs))
                by_name.setdefault(row.name, []).append(counts)
        for name, told_of in by_name.items():
            # things may share a name
            assert sorted(told_of) == sorted(of.get(name, [])) or (not any(map(any, told_of)) and name not in of)

    def reopen(self) -> None:
        self.project.close()
        self.project = Project(self.path)
