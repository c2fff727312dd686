"""What of a mesh is worth a look before it goes to an engine."""

from __future__ import annotations

from typing import Final

import numpy as np
from pydantic import BaseModel, Field

from able_brick.core.edit.compose import carried_back, unchanged
from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.mend.faults import FAULTS, FaultCode
from able_brick.core.mend.skins import faces_on_the_same
from able_brick.core.mend.unsound import unsound
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.normals import sharp_edges
from able_brick.core.mesh.numbering import joined_numbers
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.level.elements import Elements
from able_brick.level.finish import with_other_half
from able_brick.level.rows import Finish


class Counted(BaseModel):
    """One kind of thing that is counted, in words, and which of the mesh's elements it is."""

    code: str
    words: str
    about: str
    fault: bool = Field(description="Whether it should not be there")
    count: int
    elements: Elements
    places: list[Elements] = Field(description="Those that hang together, the first hundred of what may be mended")
    mend: FaultCode | None = Field(description="What the tool `mend` calls it; null for what it does not mend")
    does: str = Field(description="What mending it does")
    safe: bool = Field(description="Whether mending it changes nothing else that is seen")


class Check(BaseModel):
    """Counts of a mesh, and what they count."""

    mesh: str
    vertices: int
    faces: int
    triangles: int
    hardware_vertices: int
    kinds: list[Counted]


def _at(mask: Bools) -> Indices:
    return np.flatnonzero(mask)


#: What mending does, by fault.
DOES: Final[dict[FaultCode, str]] = {
    "keyholes": "Cuts them into faces that go to each place once",
    "loose": "Lets go of them",
    "doubled": "Lets go of all but one, and of walls that look away from each other inside of a body",
    "seams": "Makes their vertices one, where the first of each is",
    "flat": "Closes the surface over them",
    "against": "Turns the smaller side over",
    "crowded": "Gives each body there vertices of its own",
    "touching": "Gives each part there a vertex of its own",
    "inside_out": "Turns them over",
    "slivers": "Closes the surface over them, which moves it by their width",
    "bent": "Cuts them into triangles along their flattest folds",
    "border": "Closes flat borders with one face, others with triangles to a middle",
    "no_volume": "Lets go of them",
    "hidden": "Lets go of them",
    "crossing": "Makes parts that go through each other one body",
}
_SAFE: Final = {f.code: f.safe for f in FAULTS}
_MOST_PLACES: Final = 100


def _places(mesh: PolyMesh, kind: ElementType, ids: Indices) -> list[Elements]:
    """Elements that share vertices, together, by their first ones."""
    if not len(ids):
        return []
    vertex: Indices
    if kind == "face":
        chosen = np.zeros(mesh.face_count, np.bool_)
        chosen[ids] = True
        corner = np.flatnonzero(chosen[mesh.corner_face])
        element, vertex = np.searchsorted(ids, mesh.corner_face[corner]), mesh.corners[corner]
    else:
        ends: Indices = topology(mesh).edges[ids] if kind == "edge" else np.asarray(ids)[:, None]
        element, vertex = np.repeat(np.arange(len(ids)), ends.shape[1]), ends.ravel()
    n = len(ids)
    label, _ = joined_numbers(n + mesh.vertex_count, element.astype(np.int32), (n + vertex).astype(np.int32))
    _, first, number = np.unique(label[:n], return_index=True, return_inverse=True)
    rank = np.empty(len(first), np.int64)
    rank[np.argsort(first)] = np.arange(len(first))
    place = rank[number.ravel()]
    key = mesh.content_hash
    return [Elements.of(key, ids[place == k].tolist(), kind) for k in range(min(len(first), _MOST_PLACES))]


def check(mesh: PolyMesh) -> Check:
    """Everything that is counted of a mesh."""
    return _check(mesh, mesh, unchanged(mesh))


def check_finished(source: PolyMesh, shown: PolyMesh, finish: Finish) -> Check:
    """Everything that is counted of a mesh that is finished live, as elements of the one that is edited: of both
    halves, before they are smoothed. The sums are those of the mesh that is shown."""
    return _check(source, shown, with_other_half(source, finish))


def _check(source: PolyMesh, shown: PolyMesh, whole: Edited) -> Check:
    mesh = whole.mesh
    t = topology(mesh)
    hardware = hardware_vertices(mesh)
    splits = np.bincount(hardware.vertex, minlength=mesh.vertex_count)
    sharp = sharp_edges(mesh) & (t.edge_uses == 2)
    faults = unsound(mesh)
    found = {f.code: f.find(mesh) for f in FAULTS}
    # those that lie on others corner on corner are doubled
    overlapping = faults.twice.copy()
    overlapping[[face for group in faces_on_the_same(mesh) for face in group]] = False
    rows: list[tuple[str, str, str, bool, ElementType, Indices, FaultCode | None]] = [
        ("n_gons", "N-gons", "Faces of more than four corners, which engines cut their own way", False, "face",
         _at(mesh.face_sizes > 4), None),
        ("bent", "Bent faces", "Faces that are not flat: they shade as they are cut", False, "face",
         found["bent"], "bent"),
        ("triangles", "Triangles", "Where loops end", False, "face", _at(mesh.face_sizes == 3), None),
        ("slivers", "Slivers", "Triangles with an angle below half a degree, which shade badly", False, "face",
         found["slivers"], "slivers"),
        ("border", "Borders", "Edges with one face: the piece is open there", False, "edge", found["border"], "border"),
        ("hidden", "Hidden", "Faces of closed parts that lie within others: nobody sees them", False, "face",
         found["hidden"], "hidden"),
        ("sharp", "Sharp edges", "Where shading breaks", False, "edge", _at(sharp), None),
        ("split", "Split vertices", "Held more than once by the graphics hardware", False, "vertex",
         _at(splits > 1), None),
        ("seams", "Open seams", "Borders that lie on one another: vertices are there twice", True, "edge",
         found["seams"], "seams"),
        ("crowded", "Crowded edges", "Edges with more than two faces", True, "edge", found["crowded"], "crowded"),
        ("touching", "Touching", "Vertices where parts meet that hang together nowhere else", True, "vertex",
         found["touching"], "touching"),
        ("loose", "Loose vertices", "Vertices of no face", True, "vertex", found["loose"], "loose"),
        ("against", "Against each other", "Edges whose faces look opposite ways", True, "edge",
         found["against"], "against"),
        ("flat", "No area", "Faces without area", True, "face", found["flat"], "flat"),
        ("keyholes", "Keyholes", "Faces that run to a hole and back along one way", True, "face",
         found["keyholes"], "keyholes"),
        ("doubled", "Doubled faces", "Faces that lie on others, corner on corner", True, "face",
         found["doubled"], "doubled"),
        ("folded", "Folded", "Faces that fold over or cross themselves", True, "face", _at(faults.folded), None),
        ("crossing", "Crossing", "Faces that go through others", True, "face", _at(faults.crossing), "crossing"),
        ("overlapping", "Overlapping", "Faces that lie on others in one plane and look the same way", True, "face",
         _at(overlapping), "crossing"),
        ("back_to_back", "Back to back", "Faces on others that look away from them: walls without thickness", True,
         "face", _at(faults.back_to_back), None),
        ("inside_out", "Inside out", "Faces of closed parts that look inward", True, "face",
         found["inside_out"], "inside_out"),
        ("no_volume", "No volume", "Faces of closed parts that hold nothing", True, "face",
         found["no_volume"], "no_volume"),
    ]  # fmt: skip
    key = source.content_hash
    if source is not mesh:
        rows = [(*row[:5], carried_back(source, whole, row[4], row[5]), row[6]) for row in rows]
    return Check(
        mesh=key,
        vertices=shown.vertex_count,
        faces=shown.face_count,
        triangles=shown.triangle_count,
        hardware_vertices=len(hardware_vertices(shown)),
        kinds=[
            Counted(
                code=code,
                words=words,
                about=about,
                fault=fault,
                count=len(ids),
                elements=Elements.of(key, ids.tolist(), kind),
                places=_places(source, kind, ids) if fault or mend else [],
                mend=mend,
                does=DOES[mend] if mend else "",
                safe=mend is not None and _SAFE[mend],
            )
            for code, words, about, fault, kind, ids, mend in rows
        ],
    )
