"""What of a mesh is worth a look before it goes to an engine."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, Field

from able_brick.core.edit.element_types import ElementType
from able_brick.core.edit.sound import faults_of
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.normals import crossed, dots, sharp_edges, unit
from able_brick.core.mesh.polymesh import Bools, Indices, PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import degenerate_faces, duplicate_faces
from able_brick.level.elements import Elements

#: A quad whose halves meet at more than this angle (radians) is bent: engines cut it one way or the other.
BENT = np.radians(1.0)


class Counted(BaseModel):
    """One kind of thing that is counted, in words, and which of the mesh's elements it is."""

    code: str
    words: str
    about: str
    fault: bool = Field(description="Whether it should not be there")
    count: int
    elements: Elements


class Check(BaseModel):
    """Counts of a mesh, and what they count."""

    mesh: str
    vertices: int
    faces: int
    triangles: int
    hardware_vertices: int
    kinds: list[Counted]


def bent_quads(mesh: PolyMesh) -> Bools:
    """(F) quads whose halves meet at an angle, cut either way."""
    out = np.zeros(mesh.face_count, np.bool_)
    quads = np.flatnonzero(mesh.face_sizes == 4)
    p = mesh.positions[mesh.corners[mesh.face_starts[quads][:, None] + np.arange(4)]]
    for a in (0, 1):
        b, c, d = (a + 1) % 4, (a + 2) % 4, (a + 3) % 4
        one = unit(crossed(p[:, b] - p[:, a], p[:, c] - p[:, a]))
        other = unit(crossed(p[:, c] - p[:, a], p[:, d] - p[:, a]))
        out[quads] |= dots(one, other) < np.cos(BENT)
    return out


def _at(mask: Bools) -> Indices:
    return np.flatnonzero(mask)


def check(mesh: PolyMesh) -> Check:
    """Everything that is counted of a mesh."""
    t = topology(mesh)
    hardware = hardware_vertices(mesh)
    splits = np.bincount(hardware.vertex, minlength=mesh.vertex_count)
    two = t.edge_uses[t.corner_edge] == 2
    against = np.zeros(len(t.edges), np.bool_)
    against[t.corner_edge[two & (t.twin < 0)]] = True
    sharp = sharp_edges(mesh) & (t.edge_uses == 2)
    unsound = faults_of(mesh)
    rows: list[tuple[str, str, str, bool, ElementType, Indices]] = [
        ("n_gons", "N-gons", "Faces of more than four corners, which engines cut their own way", False, "face",
         _at(mesh.face_sizes > 4)),
        ("bent", "Bent quads", "Quads that are not flat: they shade as they are cut", False, "face",
         _at(bent_quads(mesh))),
        ("triangles", "Triangles", "Where loops end", False, "face", _at(mesh.face_sizes == 3)),
        ("border", "Borders", "Edges with one face: the piece is open there", False, "edge", _at(t.border)),
        ("sharp", "Sharp edges", "Where shading breaks", False, "edge", _at(sharp)),
        ("split", "Split vertices", "Held more than once by the graphics hardware", False, "vertex", _at(splits > 1)),
        ("crowded", "Crowded edges", "Edges with more than two faces", True, "edge", _at(t.edge_uses > 2)),
        ("against", "Against each other", "Edges whose faces look opposite ways", True, "edge", _at(against)),
        ("flat", "No area", "Faces without area", True, "face", _at(degenerate_faces(mesh))),
        ("doubled", "Doubled faces", "Faces on the same vertices as others", True, "face", _at(duplicate_faces(mesh))),
        ("folded", "Folded", "Faces that fold over or cross themselves", True, "face", _at(unsound.folded)),
        ("crossing", "Crossing", "Faces that go through others", True, "face", _at(unsound.crossing)),
        ("overlapping", "Overlapping", "Faces that lie on others in one plane and look the same way", True, "face",
         _at(unsound.twice)),
        ("back_to_back", "Back to back", "Faces on others that look away from them: walls without thickness", True,
         "face", _at(unsound.back_to_back)),
        ("inside_out", "Inside out", "Faces of closed parts that look inward", True, "face", _at(unsound.inside_out)),
        ("no_volume", "No volume", "Faces of closed parts that hold nothing", True, "face", _at(unsound.no_volume)),
    ]  # fmt: skip
    key = mesh.content_hash
    return Check(
        mesh=key,
        vertices=mesh.vertex_count,
        faces=mesh.face_count,
        triangles=mesh.triangle_count,
        hardware_vertices=len(hardware),
        kinds=[
            Counted(code=c, words=w, about=a, fault=f, count=len(ids), elements=Elements.of(key, ids.tolist(), k))
            for c, w, a, f, k, ids in rows
        ],
    )
