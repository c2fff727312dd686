"""The hand that builds the demo: steps as anybody takes them."""

from __future__ import annotations

from typing import Any

from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.rows import Piece, Placement, Surface
from able_brick.session.delta import Delta
from able_brick.session.project import Project
from able_brick.steps.import_pieces import Imported, ImportPieces
from able_brick.steps.parse import parse_tool


class Builder:
    """Takes the steps of a level, one after the other."""

    def __init__(self, project: Project, level: str) -> None:
        self.project, self.level = project, level

    def step(self, tool: str, selection: tuple[str, ...] = (), **params: Any) -> Delta:
        revision = self.project.revision(self.level)
        return self.project.step(self.level, parse_tool(tool, params), selection, revision)

    def bring_in(self, parts: list[ScenePart]) -> dict[str, str]:
        """Parts onto the shelf; piece ids by name."""
        imports = tuple(
            Imported(name=p.name, mesh=p.mesh.content_hash, materials=tuple(Surface.of(m) for m in p.materials))
            for p in parts
        )
        tool = ImportPieces(file="merrow-lock.glb", pieces=imports)
        meshes = {p.mesh.content_hash: p.mesh for p in parts}
        delta = self.project.step(self.level, tool, (), self.project.revision(self.level), meshes=meshes)
        return {r.name: r.id for r in delta.changed if r.kind == "piece"}

    def place(self, piece: str, position: tuple[float, float, float], heading: float = 0.0, name: str = "") -> str:
        made = (self.step("place_piece", (piece,), position=position, turn=(0.0, heading, 0.0)).select or [""])[0]
        if name:
            self.step("rename", (made,), name=name)
        return made

    def group(self, name: str, *things: str, pivot: str = "base") -> str:
        return (self.step("make_group", things, name=name, pivot=pivot).select or [""])[0]

    def piece_of(self, thing: str) -> tuple[Piece, PolyMesh]:
        """The piece that a placement shows, and its mesh."""
        snapshot = self.project.snapshot
        row = snapshot.of(self.level)[thing]
        if not isinstance(row, Placement):
            raise TypeError(f"{thing} is no placement")
        piece = snapshot.pieces[row.piece]
        return piece, self.project.meshes.get(piece.mesh)
