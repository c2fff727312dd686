"""Every fault of a mesh that can be mended: how it is found, and what is done about it."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from able_brick.core.edit.assemble import assemble
from able_brick.core.edit.compose import carried, composed, unchanged
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import WORDS, ElementType
from able_brick.core.edit.fill import border_loops, fill
from able_brick.core.edit.remove import delete, flip
from able_brick.core.edit.sound import check_sound
from able_brick.core.edit.triangles import triangulated_faces
from able_brick.core.errors import GeometryError
from able_brick.core.mend.bent import bent_faces
from able_brick.core.mend.keyholes import cut_keyholes, keyhole_faces
from able_brick.core.mend.seams import open_seams, weld_seams
from able_brick.core.mend.skins import doubled_faces, without_doubles
from able_brick.core.mend.thin import flat_faces, sliver_faces, without_width
from able_brick.core.mend.touching import part_edges, part_vertices, touching_vertices
from able_brick.core.mend.unsound import unsound
from able_brick.core.mend.winding import hidden_faces, inside_out_faces, turn_to_neighbours
from able_brick.core.mesh.polymesh import Indices, Ints, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import against_edges, crowded_edges, unused_vertices
from able_brick.core.solid.cutting import one_body
from able_brick.core.text import counted

FaultCode = Literal[
    "keyholes",
    "loose",
    "doubled",
    "seams",
    "flat",
    "against",
    "crowded",
    "touching",
    "inside_out",
    "slivers",
    "bent",
    "border",
    "crossing",
    "no_volume",
    "hidden",
]


@dataclass(frozen=True)
class Fault:
    """A kind of fault: which elements have it; what is done about it; whether that is safe, so that all that is seen of
    the mesh stays where and as it is; and what that is called, before a count of them."""

    code: FaultCode
    kind: ElementType
    find: Callable[[PolyMesh], Indices]
    mend: Callable[[PolyMesh, Indices], Edited]
    safe: bool
    done: str


def border_edges(mesh: PolyMesh) -> Ints:
    """Edges, rising, of one face."""
    return np.flatnonzero(topology(mesh).border).astype(np.int32)


def _without_loose(mesh: PolyMesh, vertices: Indices) -> Edited:
    return assemble(mesh, positions=mesh.positions, normals=True)


def _filled(mesh: PolyMesh, edges: Indices) -> Edited:
    """Close flat borders with a face each, and others with a fan."""
    t = topology(mesh)
    flat: list[int] = []
    for loop in border_loops(mesh):
        p = mesh.positions[mesh.corners[loop]]
        thin = np.linalg.svd(p - p.mean(axis=0), compute_uv=False)
        if len(loop) < 4 or thin[-1] <= 1e-6 * thin[0]:
            flat += t.corner_edge[loop].tolist()
    out = unchanged(mesh)
    if flat:
        out = composed(out, fill(mesh, np.array(flat), "one face"))
    left = border_edges(out.mesh)
    return composed(out, fill(out.mesh, left, "fan")) if len(left) else out


def _united(mesh: PolyMesh, faces: Indices) -> Edited:
    """Parts that go through each other made one body."""
    made = one_body(mesh)
    if made is mesh:
        raise GeometryError("They are of one part, or of a hollow one; move them apart by hand.")
    new = np.full(made.vertex_count, -1, np.int32), np.full(made.face_count, -1, np.int32)
    return Edited(made, *new, np.zeros(0, np.int32))


def _crossing(mesh: PolyMesh) -> Indices:
    faults = unsound(mesh)
    return np.flatnonzero(faults.crossing | faults.twice)


def _without_volume(mesh: PolyMesh) -> Indices:
    return np.flatnonzero(unsound(mesh).no_volume)


def _flattest(mesh: PolyMesh, faces: Indices) -> Edited:
    return triangulated_faces(mesh, faces, "flattest fold")


#: In the order in which they are mended: what is there twice before what this leaves open, and that before the ways in
#: which faces look.
FAULTS: Final[tuple[Fault, ...]] = (
    Fault("keyholes", "face", keyhole_faces, cut_keyholes, True, "cut"),
    Fault("loose", "vertex", unused_vertices, _without_loose, True, "let go"),
    Fault("doubled", "face", doubled_faces, without_doubles, True, "that lay on others let go"),
    Fault("seams", "edge", open_seams, weld_seams, True, "welded"),
    Fault("flat", "face", flat_faces, without_width, True, "without area closed"),
    Fault("against", "edge", against_edges, turn_to_neighbours, True, "between faces turned alike"),
    Fault("crowded", "edge", crowded_edges, part_edges, True, "parted"),
    Fault("touching", "vertex", touching_vertices, part_vertices, True, "parted"),
    Fault("inside_out", "face", inside_out_faces, flip, True, "turned outward"),
    Fault("slivers", "face", sliver_faces, without_width, False, "that were slivers closed"),
    Fault("bent", "face", bent_faces, _flattest, False, "cut along their folds"),
    Fault("border", "edge", border_edges, _filled, False, "closed"),
    Fault("no_volume", "face", _without_volume, delete, False, "without volume let go"),
    Fault("crossing", "face", _crossing, _united, False, "united"),
    Fault("hidden", "face", hidden_faces, delete, False, "inside of others let go"),
)
#: How often all of them are gone through: what one mends may let another be found.
_ROUNDS: Final = 3
#: Into how many parts what cannot be mended at once is taken.
_TRIES: Final = 24


@dataclass(frozen=True, eq=False)
class Mended:
    """What comes of mending: how many elements of each fault were mended, and why others were not."""

    out: Edited
    done: dict[FaultCode, int]
    refused: dict[FaultCode, str]

    def with_note(self) -> Edited:
        """What comes of it, with a note of what was done and of what was not."""
        by_code = {f.code: f for f in FAULTS}
        parts = [f"{counted(n, *WORDS[by_code[code].kind])} {by_code[code].done}" for code, n in self.done.items()]
        left = [f"left: {why}" for why in dict.fromkeys(self.refused.values())]
        return replace(self.out, note="; ".join(parts + left))


def _mended(fault: Fault, mesh: PolyMesh, found: Indices) -> tuple[Edited | None, str]:
    """The mesh with what was found of a fault mended, or as much of that as goes, by halves; and why not all of it."""
    out, why = unchanged(mesh), ""
    waiting = [found]
    for _ in range(_TRIES):
        if not waiting:
            break
        some = waiting.pop()
        now = carried(mesh, out, fault.kind, some)
        if not len(now):
            continue
        try:
            made = fault.mend(out.mesh, now)
            check_sound(out.mesh, made)
            out = composed(out, made)
        except GeometryError as error:
            why = str(error)
            if len(some) > 1:
                waiting += [some[len(some) // 2 :], some[: len(some) // 2]]
    return (None if out.mesh is mesh else out), why


def mended(mesh: PolyMesh, codes: Collection[FaultCode] = ()) -> Mended:
    """The mesh with some faults mended, or all where that is safe. What would make it worse is left and told."""
    chosen = [f for f in FAULTS if (f.code in codes if codes else f.safe)]
    out = unchanged(mesh)
    done: dict[FaultCode, int] = {}
    refused: dict[FaultCode, str] = {}
    for _ in range(_ROUNDS):
        again = False
        for fault in chosen:
            found = fault.find(out.mesh)
            if not len(found):
                refused.pop(fault.code, None)
                continue
            made, why = _mended(fault, out.mesh, found)
            if why:
                refused[fault.code] = why
            if made is None:
                continue
            left = len(fault.find(made.mesh))
            if left >= len(found) and made.mesh.face_count == out.mesh.face_count:
                refused[fault.code] = "They could not be mended by themselves; see to them by hand."
                continue
            done[fault.code] = done.get(fault.code, 0) + len(found) - min(left, len(found))
            out = composed(out, made)
            again = True
        if not again:
            break
    return Mended(replace(out, kind="face", picked=np.zeros(0, np.int32)), done, refused)
