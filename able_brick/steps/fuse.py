"""Things of the level as one piece."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import moved
from able_brick.core.mesh.fuse import fused
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import ORIGIN, Vector, vector
from able_brick.core.text import counted, grouped
from able_brick.level.field import field
from able_brick.level.rows import AShown, Group, Piece, Placement
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.keep import free_joints
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import common_group, drop_empty, everything, tops
from able_brick.steps.world_meshes import all_world_meshes, merged_materials


class Fuse(Tool):
    """Several things made one piece, in their place."""

    tool: Literal["fuse"] = "fuse"
    title = "Fuse"
    about = (
        "Makes one piece of all that is selected, where it stands: sizes baked, seams closed, equal materials merged"
    )
    verb = "Join and part"
    stages = ("build",)
    need = Need(kinds=("placement", "array", "course", "group"), least=1)
    icon = "merge"
    previews = False
    leads = ("within",)

    weld: bool = field(True, "Weld", "Vertices of different things that meet become one, where faces or edges meet")
    within: float = field(
        0.0,
        "Within",
        "How far apart vertices may lie that meet; 0 for those on the very same place",
        unit="m",
        step=0.001,
        ge=0,
        le=1000,
        when={"weld": ["true"]},
    )
    skins: bool = field(
        True, "Remove skins", "Faces that lie back to back between two things go", when={"weld": ["true"]}
    )
    pivot: Literal["base centre", "first pivot"] = field(
        "base centre", "Pivot", "The centre of its base, or the pivot of what was selected first"
    )
    name: str = field("", "Name", "Name of the piece", max_length=80)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        things = everything(draft, rows)
        shown = [t for t in things if isinstance(t, AShown)]
        # what is shown more than once within the group that the one piece comes into is all of it
        group = common_group(draft, tops(draft, rows))
        pieces, meshes = all_world_meshes(draft, shown, group)
        if not meshes:
            raise GeometryError("Nothing that is selected shows a face; there is nothing to fuse.")
        surfaces, tables = merged_materials(pieces)
        own = [
            m.replaced(material=table[m.material]) if len(table) else m for m, table in zip(meshes, tables, strict=True)
        ]
        out = fused(own, within=self.within if self.weld else None, skins=self.skins)
        if not out.mesh.face_count:
            raise GeometryError("Nothing would be left: every face lies back to back with another one.")
        place = self._place(rows[0], out.mesh)
        key, facts = draft.keep_mesh(moved(out.mesh, -np.asarray(place)))
        name = self.name.strip() or f"{rows[0].name} fused"
        piece = Piece(
            id=draft.new_id("piece"),
            name=draft.unique_name(name, "piece"),
            mesh=key,
            facts=facts,
            materials=surfaces,
            pivot=ORIGIN,
        )
        draft.put(piece)
        placement = Placement(
            id=draft.new_id("placement"),
            level=draft.level_id,
            name=draft.unique_name(piece.name, "placement"),
            group=group,
            piece=piece.id,
            position=place,
        )
        draft.put(placement)
        for thing in shown:
            draft.remove(thing)
        for thing in shown:
            free_joints(draft, thing)
        drop_empty(draft, [t.group for t in shown])
        draft.select = (placement.id,)
        gone = f", {counted(out.gone, 'face', 'faces')} between them gone" if out.gone else ""
        closed = "closed" if facts.closed else "open"
        draft.note = (
            f"{counted(len(meshes), 'item', 'items')} as one of {grouped(facts.triangles)} tris, {closed}{gone}"
        )

    def _place(self, first: ARow, mesh: PolyMesh) -> Vector:
        if self.pivot == "first pivot" and isinstance(first, (AShown, Group)):
            return vector(np.asarray(first.anchor))
        low, high = mesh.bounds
        return vector(np.round([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2], 3))
