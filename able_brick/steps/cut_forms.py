"""Forms cut by each other: united, subtracted, intersected, imprinted, split."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import ClassVar, Final, Literal

import numpy as np

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.mesh.combine import joined, mapped, turned_over
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.items import item_from_world
from able_brick.core.solid.body import unclosed
from able_brick.core.solid.cutting import cut, one_body
from able_brick.core.solid.flush import Way
from able_brick.core.solid.own_parts import boxes_meet
from able_brick.core.text import counted, grouped
from able_brick.level.field import field
from able_brick.level.rows import AShown, Piece, Placement, Surface
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.keep import free_joints
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import common_group, drop_empty, everything, tops
from able_brick.steps.world_meshes import all_world_meshes

#: Triangles that a form and what cuts it may have together.
_MOST_TRIANGLES: Final = 1_000_000

#: What a form without a material looks like beside a cutter that has one.
_PLAIN: Final = Surface(name="Plain", colour=(0.8, 0.8, 0.8, 1.0))


@dataclass(frozen=True, eq=False)
class _Cutter:
    """What one selected row cuts with: meshes in the world, and the materials of each."""

    meshes: list[PolyMesh]
    pieces: list[Piece]


def _to_mend(draft: Draft, piece: Piece, cutters: list[_Cutter], why: GeometryError) -> dict[str, str]:
    """The first piece that has the fault for which a cut was refused, where mending it helps."""
    fault = why.data.get("mend")
    every = {p.id: p for p in (piece, *(p for c in cutters for p in c.pieces))}
    found = next((key for key, p in every.items() if fault and unclosed(draft.mesh(p)) == fault), None)
    return {} if found is None else {"piece": found}


class _CutForms(Tool):
    """What is selected, one of it cut by the others."""

    verb = "Join and part"
    stages = ("build",)
    need = Need(kinds=("placement", "array", "course", "group"), least=2)
    instant = True
    previews = False
    leads = ()
    way: ClassVar[Way]
    #: What is said of a form that no cutter touches.
    untouched: ClassVar[str] = "Nothing that is selected reaches into {name}; move the cutter into it."

    cut_one: Literal["first selected", "last selected"] = field(
        "first selected", "What is cut", "Of what is selected, the one that is cut; all others cut it"
    )
    cutters: Literal["removed", "hidden", "kept"] = field("removed", "Cutters afterwards", "What becomes of the others")
    surface: Literal["of the cutter", "of the form"] = field(
        "of the cutter", "Material", "What the new faces look like: as the cutter, or as most of the form"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        hosts, others = self._parted(draft, rows)
        taken = {h.id for h in hosts}
        group = common_group(draft, tops(draft, rows))
        cutters = [c for c in (self._cutter(draft, r, taken, group) for r in others) if c.meshes]
        if not cutters:
            raise GeometryError("What is to cut shows no face; select something else.")
        notes: list[str] = []
        selected: list[str] = []
        changed = 0
        for host in hosts:
            made = self._cut(draft, host, cutters, notes)
            changed += bool(made)
            selected += made or [host.id]
        if not changed:
            raise GeometryError(self.untouched.format(name=hosts[0].name if len(hosts) == 1 else "any of them"))
        self._after(draft, [t for r in others for t in everything(draft, [r]) if t.id not in taken])
        draft.select = tuple(selected)
        draft.note = "; ".join(dict.fromkeys(notes))

    def _parted(self, draft: Draft, rows: list[ARow]) -> tuple[list[Placement], list[ARow]]:
        """The placements that are cut, and the rows that cut them."""
        first = self.cut_one == "first selected"
        host, others = (rows[0], rows[1:]) if first else (rows[-1], rows[:-1])
        under = everything(draft, [host])
        hosts = [t for t in under if isinstance(t, Placement)]
        if not hosts or len(hosts) < sum(isinstance(t, AShown) for t in under):
            raise SelectionError(
                f"{host.name} is not made of placements alone: make it real first, or select what is cut "
                f"{'first' if first else 'last'}.",
                received=[host.id],
            )
        return hosts, others

    def _cutter(self, draft: Draft, row: ARow, taken: set[str], group: str | None) -> _Cutter:
        things = [t for t in everything(draft, [row]) if isinstance(t, AShown) and t.id not in taken]
        pieces, meshes = all_world_meshes(draft, things, group)
        return _Cutter(meshes, pieces)

    def _cut(self, draft: Draft, host: Placement, cutters: list[_Cutter], notes: list[str]) -> list[str]:
        """Cut one placement; the rows to select, none where nothing reaches it."""
        piece = draft.piece(host.piece)
        mesh = draft.mesh(piece)
        surfaces = list(piece.materials)
        bodies = [self._bodies(host, piece, mesh, c, surfaces) for c in cutters]
        total = mesh.triangle_count + sum(b.triangle_count for some in bodies for b in some)
        if total > _MOST_TRIANGLES:
            raise GeometryError(
                f"{host.name} and what cuts it have {grouped(total)} triangles; at most {grouped(_MOST_TRIANGLES)} can "
                "be cut. Slim one of them first.",
                received=total,
                allowed=_MOST_TRIANGLES,
            )
        if not any(bodies):
            return []
        try:
            out, parts = self._done(mesh, bodies)
        except GeometryError as e:
            raise GeometryError(f"{host.name}: {e}", **e.data, **_to_mend(draft, piece, cutters, e)) from e
        if out is mesh:
            return []
        made = self._put(draft, host, piece, out, tuple(surfaces), notes)
        count = topology(out).parts[0]
        if self.way == "unite" and count > 1:
            notes.append(f"{counted(count, 'part', 'parts')} that do not touch")
        if one_body(mesh) is not mesh:
            notes.append("parts that ran through each other are one now")
        return [made.id, *(self._beside(draft, made, p, tuple(surfaces)).id for p in parts)]

    def _done(self, mesh: PolyMesh, bodies: list[list[PolyMesh]]) -> tuple[PolyMesh, list[PolyMesh]]:
        """What is left of a form that bodies cut, and what becomes pieces of their own."""
        out = mesh
        for body in (b for some in bodies for b in some):
            made = cut(out, body, self.way)
            if not made.mesh.face_count:
                raise GeometryError("nothing would be left of it.")
            # it came back as it was
            if self.way != "unite" and made.whole == out.face_count == made.mesh.face_count:
                continue
            out = made.mesh
        return out, []

    def _bodies(
        self, host: Placement, piece: Piece, mesh: PolyMesh, cutter: _Cutter, surfaces: list[Surface]
    ) -> list[PolyMesh]:
        """The meshes of a cutter that reach a form, in its axes and with its materials, in as few as they go: those
        whose boxes are apart are one body."""
        pose = np.array([*host.position, *host.turn, *host.size])
        over = float(np.prod(host.size)) < 0
        found = []
        for source, world in zip(cutter.pieces, cutter.meshes, strict=True):
            positions = item_from_world(world.positions, pose, piece.pivot, piece.axes)
            linear = item_from_world(np.eye(3), np.concatenate([np.zeros(3), pose[3:]]), (0, 0, 0), piece.axes).T
            own = mapped(world, positions, linear)
            own = turned_over(own) if over else own
            if self.way == "unite" or boxes_meet(own, mesh):
                found.append(
                    own.replaced(material=self._materials(piece, mesh, source, own, surfaces), normal=own.normal)
                )
        return list(_together(found))

    def _materials(self, piece: Piece, mesh: PolyMesh, source: Piece, own: PolyMesh, surfaces: list[Surface]) -> Ints:
        """(F) the material of each face of a cutter among those of the form, to which its own are added."""
        if self.surface == "of the form" and self.way != "unite":
            size = np.bincount(mesh.material, np.linalg.norm(area_vectors(mesh), axis=1))
            return np.full(own.face_count, int(size.argmax()), np.int32)
        if not surfaces:
            surfaces.append(_PLAIN)
        if not len(source.materials):
            return np.zeros(own.face_count, np.int32)
        number = []
        for surface in source.materials:
            if surface not in surfaces:
                surfaces.append(surface)
            number.append(surfaces.index(surface))
        return np.asarray(np.array(number, np.int32)[np.minimum(own.material, len(number) - 1)])

    def _put(
        self,
        draft: Draft,
        host: Placement,
        piece: Piece,
        mesh: PolyMesh,
        surfaces: tuple[Surface, ...],
        notes: list[str],
    ) -> Placement:
        """Show the new mesh in place of the old one: as the same piece where nothing else shows it."""
        key, facts = draft.keep_mesh(mesh, piece.axes, was=piece.mesh)
        shown = {"mesh": key, "facts": facts, "materials": surfaces}
        more = facts.triangles - piece.facts.triangles
        notes.append(f"{host.name} {'+' if more >= 0 else '−'}{grouped(abs(more))} tris")
        if len(draft.users(piece.id)) == 1 and host.image is None:
            draft.put(piece.changed(**shown))
            return host
        own = piece.changed(
            id=draft.new_id("piece"),
            name=draft.unique_name(f"{piece.name} cut", "piece"),
            twin=None,
            ladder=None,
            **shown,
        )
        draft.put(own)
        out = host.changed(piece=own.id, image=None)
        draft.put(out)
        notes.append(f"{own.name} is a piece of its own")
        return out

    def _beside(self, draft: Draft, host: Placement, mesh: PolyMesh, surfaces: tuple[Surface, ...]) -> Placement:
        """A part of a form as a piece of its own, where it was."""
        source = draft.piece(host.piece)
        key, facts = draft.keep_mesh(mesh, source.axes)
        piece = source.changed(
            id=draft.new_id("piece"),
            name=draft.unique_name(f"{source.name} part", "piece"),
            mesh=key,
            facts=facts,
            materials=surfaces,
            twin=None,
            ladder=None,
            dimensions=None,
        )
        draft.put(piece)
        out = host.changed(
            id=draft.new_id("placement"),
            name=draft.unique_name(piece.name, "placement"),
            piece=piece.id,
            extras=None,
        )
        draft.put(out)
        return out

    def _after(self, draft: Draft, things: Sequence[ARow]) -> None:
        """What becomes of the cutters."""
        shown = [t for t in things if isinstance(t, AShown)]
        if self.cutters == "kept":
            return
        if self.cutters == "hidden":
            for thing in shown:
                draft.put(thing.changed(hidden=True))
            return
        for thing in shown:
            draft.remove(thing)
        for thing in shown:
            free_joints(draft, thing)
        drop_empty(draft, [t.group for t in shown])


def _together(meshes: list[PolyMesh]) -> Iterator[PolyMesh]:
    """The meshes in as few as may be, in each of which no boxes meet."""
    batches: list[list[PolyMesh]] = []
    for mesh in meshes:
        batch = next((b for b in batches if not any(boxes_meet(mesh, other) for other in b)), None)
        if batch is None:
            batches.append([mesh])
        else:
            batch.append(mesh)
    for batch in batches:
        yield batch[0] if len(batch) == 1 else joined(batch)


class Unite(_CutForms):
    """Several forms as one closed mesh."""

    tool: Literal["unite"] = "unite"
    title = "Unite"
    about = "Makes one closed mesh of all that is selected: what lies inside goes, and the skins between them"
    icon = "squares-unite"
    way = "unite"

    cutters: Literal["removed", "hidden", "kept"] = field("removed", "Others afterwards", "What becomes of the others")

    def _parted(self, draft: Draft, rows: list[ARow]) -> tuple[list[Placement], list[ARow]]:
        """One placement, to which all others come, those of its own group as well."""
        hosts, others = super()._parted(draft, rows)
        return hosts[:1], others if len(hosts) == 1 else rows


class Subtract(_CutForms):
    """A form without what others take up."""

    tool: Literal["subtract"] = "subtract"
    title = "Subtract"
    about = "Takes what the others take up out of the one that was selected first: a doorway out of a wall"
    icon = "squares-subtract"
    way = "subtract"


class Intersect(_CutForms):
    """What a form and others share."""

    tool: Literal["intersect"] = "intersect"
    title = "Intersect"
    about = "Leaves of the one that was selected first what lies within the others"
    icon = "squares-intersect"
    way = "intersect"

    def _done(self, mesh: PolyMesh, bodies: list[list[PolyMesh]]) -> tuple[PolyMesh, list[PolyMesh]]:
        if not all(bodies):
            raise GeometryError("nothing would be left of it: not all of the others reach it.")
        return super()._done(mesh, [[_as_one(some)] for some in bodies])


class Imprint(_CutForms):
    """The outline of others as edges on a form."""

    tool: Literal["imprint"] = "imprint"
    title = "Imprint"
    about = "Draws where the others run through the one that was selected first as edges on it; nothing is taken away"
    icon = "stamp"
    way = "imprint"


class SplitForms(_CutForms):
    """A form in what is outside of others and what is within them."""

    tool: Literal["split_forms"] = "split_forms"
    title = "Split by form"
    about = "Parts the one that was selected first along the others: what is within them becomes a piece of its own"
    icon = "squares-exclude"
    way = "subtract"

    def _done(self, mesh: PolyMesh, bodies: list[list[PolyMesh]]) -> tuple[PolyMesh, list[PolyMesh]]:
        out = mesh
        parts: list[PolyMesh] = []
        for body in (b for some in bodies for b in some):
            inside = cut(out, body, "intersect").mesh
            if not inside.face_count:
                continue
            rest = cut(out, body, "subtract").mesh
            if not rest.face_count:
                raise GeometryError("all of it lies within the others; there is nothing to split.")
            out, parts = rest, [*parts, inside]
        return out, parts


def _as_one(bodies: list[PolyMesh]) -> PolyMesh:
    """Bodies united."""
    out = bodies[0]
    for body in bodies[1:]:
        out = cut(out, body, "unite").mesh
    return out
