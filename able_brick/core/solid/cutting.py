"""One form cut by another: the polygons that are left, with all that lay on them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from able_brick.core.edit.assemble import Faces, assemble, weights_of
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.measure import area, volume
from able_brick.core.mesh.mesh_cache import kept_with_mesh
from able_brick.core.mesh.normals import area_vectors, dots, unit
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh, following
from able_brick.core.mesh.spans import spans
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.mesh.validity import degenerate_faces
from able_brick.core.solid.body import require_closed
from able_brick.core.solid.cut import Soup, cut_apart, whole_faces
from able_brick.core.solid.flush import Way
from able_brick.core.solid.outlines import Outline, outlines
from able_brick.core.solid.own_parts import parts_united
from able_brick.core.solid.restore import as_they_are, one_place, without_strips
from able_brick.core.solid.touching import parted_edges
from able_brick.core.solid.zip import zipped

#: By so much, as a share, the volume of what is built may differ from what the library says.
_ALIKE: Final = 1e-6
#: Planes whose normals differ by less than this, radians, do not make a sharp edge.
_ONE_PLANE: Final = 1e-5
#: A vertex lies straight between two others when it is no farther off than this share of their distance.
_STRAIGHT: Final = 1e-9
#: Vertices of edges without a partner that are no farther apart than this share of the extent are one.
_MET: Final = 1e-10


@dataclass(frozen=True, eq=False)
class Cut:
    """What is left of a form; how many of its faces came back as they were; and whether faces had to stay as the
    triangles that they were cut into."""

    mesh: PolyMesh
    whole: int
    in_triangles: bool


def cut(form: PolyMesh, cutter: PolyMesh, way: Way) -> Cut:
    """A form that a cutter cuts, both closed and in the same axes, metres; no face at all where nothing is left.

    Faces that the cut does not touch keep their corners, with all that lies on them, bit for bit, and their order,
    first the form's. The others become one face for each part of them that hangs together, in few pieces where it has
    holes; edges along the cut are sharp. Planes of both that lie within 1 µm of each other count as one: the cutter's
    faces are put onto the form's. `imprint` takes nothing away: it parts faces along the cutter's outline. Raises
    GeometryError where one of them bounds no volume.
    """
    require_closed(form, "What is cut cannot be")
    require_closed(cutter, "The cutter cannot be used")
    return _cut(one_body(form), one_body(cutter), way)


def _cut(form: PolyMesh, cutter: PolyMesh, way: Way) -> Cut:
    soup = cut_apart(form, cutter, way)
    nothing = Cut(soup.whole.with_corners(np.zeros(0, np.int64), **_NOTHING), 0, in_triangles=False)
    if not len(soup.triangles):
        return nothing
    whole = whole_faces(soup)
    if way == "imprint":
        whole[form.face_count :] = False
    number = one_place(soup) if soup.grain > 0 else soup.stands
    out, kept = _polygons(soup, whole, number)
    if not out.face_count and _is_nothing(soup):
        return nothing
    if _as_it_should_be(soup, out, way):
        return Cut(out, int(kept[: form.face_count].sum()), in_triangles=False)
    none = np.zeros(len(whole), np.bool_)
    pieces = [Outline(int(k), t.tolist()) for k, t in zip(soup.key, soup.triangles, strict=True)]
    out = _built(soup, none, soup.stands, pieces)
    if not _as_it_should_be(soup, out, way):
        raise GeometryError("The forms meet in a way that leaves no clean body; move one of them a little.")
    return Cut(out, 0, in_triangles=True)


def _is_nothing(soup: Soup) -> bool:
    """Whether what is left of a cut is no thicker than a grain."""
    extent = float(np.ptp(soup.positions[soup.triangles.ravel()], axis=0).max())
    return abs(soup.volume) <= 4 * soup.grain * extent * extent


@kept_with_mesh
def one_body(mesh: PolyMesh) -> PolyMesh:
    """A closed mesh, those of its parts that run through each other united."""
    return parts_united(mesh, lambda a, b: _cut(a, b, "unite").mesh)


_NOTHING: Final = {
    "positions": np.zeros((0, 3)),
    "face_starts": np.zeros(1, np.int32),
    "material": np.zeros(0, np.int32),
    "facet": np.zeros(0, np.int32),
    "sharp": np.zeros(0, np.bool_),
}


def _as_it_should_be(soup: Soup, out: PolyMesh, way: Way) -> bool:
    """Whether a mesh is closed, without faces that have no area, and as large as the library says."""
    if not out.face_count or not topology(out).is_closed or degenerate_faces(out).any():
        return False
    off = abs(volume(out) - soup.volume)
    return way == "imprint" or off <= _ALIKE * abs(soup.volume) + 4 * soup.grain * area(out)


def _polygons(soup: Soup, whole: Bools, number: Ints) -> tuple[PolyMesh, Bools]:
    """The mesh of a soup, with the vertices that stand for others (V'), and which faces (F) stayed whole."""
    if soup.grain > 0:
        loops, torn = without_strips(soup, number, whole)
        whole = whole.copy()
        whole[torn] = False
    else:
        loops = as_they_are(soup, np.flatnonzero(~whole[soup.face]).astype(np.int32))
    pieces = outlines(loops, soup.key[loops.of], soup.positions)
    pieces = _without_skins(pieces)
    out = _built(soup, whole, number, _without_needless(soup, whole, number, pieces))
    if topology(out).border.any():
        near = max(8 * soup.grain, _MET * float(np.abs(soup.positions).max()))
        whole, number, pieces = zipped(soup, whole, number, pieces, near)
        pieces = _without_skins(pieces)
        out = _built(soup, whole, number, _without_needless(soup, whole, number, pieces))
    return out, whole


def _without_skins(pieces: list[Outline]) -> list[Outline]:
    """The faces without pairs on the same vertices that look at each other."""
    there: dict[tuple[int, ...], int] = {}
    gone: set[int] = set()
    for k, piece in enumerate(pieces):
        at = piece.loop.index(min(piece.loop))
        ahead = tuple(piece.loop[at:] + piece.loop[:at])
        back = (ahead[0], *ahead[:0:-1])
        if back in there:
            gone |= {k, there.pop(back)}
        else:
            there[ahead] = k
    return [p for k, p in enumerate(pieces) if k not in gone]


def _without_needless(soup: Soup, whole: Bools, number: Ints, pieces: list[Outline]) -> list[Outline]:
    """The faces without new vertices that lie straight between others and are corners of two faces only."""
    base = soup.whole.vertex_count
    pieces = [Outline(p.key, list(p.loop)) for p in pieces]
    where: dict[int, list[int]] = {}
    for k, piece in enumerate(pieces):
        for v in piece.loop:
            if v >= base:
                where.setdefault(v, []).append(k)
    kept = number[soup.whole.corners[whole[soup.whole.corner_face]]]
    for v in kept[kept >= base].tolist():
        where.pop(v, None)
    p = soup.positions
    for v, of in where.items():
        if len(of) != 2 or of[0] == of[1]:
            continue
        one, two = (pieces[k].loop for k in of)
        i, j = one.index(v), two.index(v)
        before, after = one[i - 1], one[(i + 1) % len(one)]
        if len(one) < 4 or len(two) < 4 or two[(j + 1) % len(two)] != before or two[j - 1] != after:
            continue
        way = p[after] - p[before]
        length = float(np.sqrt(way @ way))
        if length > 0 and float(np.linalg.norm(np.cross(way, p[v] - p[before]))) <= _STRAIGHT * length * length:
            one.pop(i)
            two.pop(j)
    return pieces


def _built(soup: Soup, whole: Bools, number: Ints, pieces: list[Outline]) -> PolyMesh:
    """The mesh of the faces that stayed whole (F) and of pieces of others."""
    mesh = soup.whole
    numbers = _face_of(soup)
    first: dict[int, Outline] = {}
    rest: list[Outline] = []
    for piece in pieces:
        face = int(numbers[piece.key])
        if face in first:
            rest.append(piece)
        else:
            first[face] = piece
    order = sorted(first)
    changed = _faces(soup, [first[f] for f in order], np.array(order, np.int32), number)
    added = _faces(soup, rest, np.array([numbers[p.key] for p in rest], np.int32), number)
    keep = whole.copy()
    keep[order] = True
    out = assemble(
        mesh,
        positions=soup.positions,
        keep=keep,
        corners=number[mesh.corners],
        changed=changed,
        added=added,
        normals=True,
    )
    of = np.concatenate([np.flatnonzero(keep), np.zeros(0, np.int32) if added is None else added.like])
    return parted_edges(_sharp_along(soup, out.mesh, of))


def _sharp_along(soup: Soup, mesh: PolyMesh, of: Ints) -> PolyMesh:
    """The mesh with edges between faces of both forms sharp, but for those between faces in one plane; `of` (F) is the
    face of the soup that each face is of."""
    t = topology(mesh)
    mine = (of < soup.form_faces)[mesh.corner_face]
    corner = np.flatnonzero(t.twin >= 0)
    corner = corner[mine[corner] != mine[t.twin[corner]]]
    if not len(corner):
        return mesh
    normal = area_vectors(mesh)
    one, two = (unit(normal[mesh.corner_face[c]]) for c in (corner, t.twin[corner]))
    sharp = mesh.sharp.copy()
    sharp[corner] = np.linalg.norm(one - two, axis=1) > _ONE_PLANE
    return mesh.replaced(sharp=sharp, normal=mesh.normal)


def _faces(soup: Soup, pieces: list[Outline], like: Ints, number: Ints) -> Faces | None:
    """Pieces of faces (n), as the builder takes them; None for none."""
    if not pieces:
        return None
    mesh = soup.whole
    sizes = np.array([len(p.loop) for p in pieces])
    loops = [_from_own_corner(p.loop, mesh, int(f), number) for p, f in zip(pieces, like, strict=True)]
    vertices = np.array([v for loop in loops for v in loop], np.int32)
    face = np.repeat(like, sizes)
    corners, weights = _sources(soup, vertices, face, number)
    ahead = following(np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32))
    return Faces(
        sizes,
        vertices,
        weights_of(mesh, corners, weights),
        like,
        _edge_flags(soup, soup.positions[vertices], soup.positions[vertices[ahead]], face),
    )


def _from_own_corner(loop: list[int], mesh: PolyMesh, face: int, number: Ints) -> list[int]:
    """A loop from the first of its face's own corners on that it has, else from its first vertex."""
    there = set(loop)
    own = number[mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]].tolist()
    at = loop.index(next((v for v in own if v in there), min(loop)))
    return loop[at:] + loop[:at]


def _sources(soup: Soup, vertices: Ints, face: Ints, number: Ints) -> tuple[Ints, Floats]:
    """Of corners at vertices (k) of faces (k), the three corners (k,3) of these of which they are blends, and their
    weights (k,3): one of them whole where it is the face's own."""
    mesh = soup.whole
    base = len(soup.positions)
    codes = mesh.corner_face.astype(np.int64) * base + number[mesh.corners]
    order = np.argsort(codes, kind="stable")
    wanted = face.astype(np.int64) * base + vertices
    at = order[np.minimum(np.searchsorted(codes[order], wanted), len(order) - 1)]
    corners = np.repeat(at[:, None], 3, axis=1).astype(np.int32)
    weights = np.tile([1.0, 0.0, 0.0], (len(vertices), 1))
    inner = np.flatnonzero(codes[at] != wanted)
    if len(inner):
        corners[inner], weights[inner] = _within(mesh, soup.positions[vertices[inner]], face[inner])
    return corners, weights


def _within(mesh: PolyMesh, points: Floats, face: Ints) -> tuple[Ints, Floats]:
    """The corners (n,3) of the triangle of its face (n) that each point (n,3) lies in, and its weights (n,3) there."""
    faces, number = np.unique(face, return_inverse=True)
    own = spans(mesh.face_starts[faces], mesh.face_sizes[faces])
    starts = np.concatenate([[0], np.cumsum(mesh.face_sizes[faces])])
    tris = own[triangulate(PolyMesh.trusted(mesh.positions, starts, mesh.corners[own]))[0]]
    count = mesh.face_sizes[face] - 2
    which = np.repeat(np.arange(len(points)), count)
    tri = spans(np.concatenate([[0], np.cumsum(mesh.face_sizes[faces] - 2)])[number.ravel()], count)
    p = mesh.positions[mesh.corners[tris[tri]]]
    e, g, h = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0], points[which] - p[:, 0]
    ee, eg, gg, eh, gh = dots(e, e), dots(e, g), dots(g, g), dots(e, h), dots(g, h)
    whole = np.maximum(ee * gg - eg * eg, 1e-300)
    one, two = (gg * eh - eg * gh) / whole, (ee * gh - eg * eh) / whole
    weights = np.stack([1.0 - one - two, one, two], axis=1)
    least = weights.min(axis=1)
    order = np.lexsort((-least, which))
    best = order[np.concatenate([[0], np.cumsum(count)[:-1]])]
    found = np.clip(weights[best], 0.0, None)
    return tris[tri[best]].astype(np.int32), found / found.sum(axis=1, keepdims=True)


def _edge_flags(soup: Soup, ends: Floats, others: Floats, face: Ints) -> Bools:
    """(k) whether edges from points (k,3) to others (k,3) of faces (k) lie along edges of these that are sharp."""
    mesh = soup.whole
    size = mesh.face_sizes[face]
    which = np.repeat(np.arange(len(face)), size)
    corner = spans(mesh.face_starts[face], size)
    start = mesh.positions[mesh.corners[corner]]
    way = mesh.positions[mesh.corners[mesh.next_corner[corner]]] - start
    square = np.maximum(dots(way, way), 1e-300)
    near = np.ones(len(corner), np.bool_)
    grain = max(soup.grain, 1e-10 * float(np.abs(soup.positions).max(initial=0.0)))
    for points in (ends, others):
        off = points[which] - start
        along = np.clip(dots(off, way) / square, 0.0, 1.0)
        away = off - along[:, None] * way
        near &= dots(away, away) <= (4 * grain) ** 2
    out = np.zeros(len(face), np.bool_)
    out[which[near & mesh.sharp[corner]]] = True
    return out


def _face_of(soup: Soup) -> Ints:
    """The face (n) of each key."""
    out = np.zeros(int(soup.key.max()) + 1, np.int32)
    out[soup.key] = soup.face
    return out
