"""What the library makes of two bodies: triangles, each with the face that it lies on, at vertices of both."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Final

import manifold3d
import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import joined, turned_over
from able_brick.core.mesh.mesh_cache import keep_with
from able_brick.core.mesh.normals import dots
from able_brick.core.mesh.numbering import number_rows
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.solid.body import Body, body_at, body_of
from able_brick.core.solid.flush import Flush, Way, flush, onto
from able_brick.core.solid.planes import face_planes, planes_of_both

#: A new vertex that lies so near a plane along an axis, as a share of the extent, lies in it.
_EXACT: Final = 1e-12


@dataclass(frozen=True, eq=False)
class Soup:
    """Triangles of a cut.

    `whole` holds the faces of both, those of the cutter after the form's and turned over where the cut turns them; the
    first `own` of its vertices and `form_faces` of its faces are the form's.
    positions (V',3): its vertices, then new ones; triangles (T,3) of them; key (T): triangles of one key that hang
    together are one face; face (T) of `whole` that each lies on; volume, m³, by the library; grain, metres: what is
    nearer than this is one place, 0 where nothing was held; stands (V') the vertex that stands for each.
    """

    whole: PolyMesh
    own: int
    form_faces: int
    positions: Floats
    triangles: Ints
    key: Ints
    face: Ints
    volume: float
    grain: float
    stands: Ints


def cut_apart(a: PolyMesh, b: PolyMesh, way: Way) -> Soup:
    """What is left of a form a that a cutter b cuts, both closed and in the same axes, metres.

    For `imprint` of a's faces only, with keys of their own for what is in and out of the cutter.
    """
    how = flush(a, b, way)
    first = body_of(a)
    # a body of its own, also where a form is cut by itself
    second = body_of(b) if how.held is b.positions and b is not a else body_at(b, how.held)
    other = b if how.positions is b.positions else b.replaced(positions=how.positions)
    if way == "unite":
        return _soup(a, other, first, second, how, [first.manifold + second.manifold])
    if way == "intersect":
        return _soup(a, other, first, second, how, [first.manifold ^ second.manifold])
    if way == "subtract":
        return _soup(a, other, first, second, how, [first.manifold - second.manifold], turned=True)
    inside, outside = first.manifold.split(second.manifold)
    return _soup(a, other, first, second, how, [inside, outside])


def _soup(
    a: PolyMesh,
    b: PolyMesh,
    first: Body,
    second: Body,
    how: Flush,
    results: list[manifold3d.Manifold],
    *,
    turned: bool = False,
) -> Soup:
    """The triangles of one result; of two only those of the form's faces, with keys of their own for each."""
    whole = joined(alike([a, turned_over(b) if turned else b]))
    keep_with(whole, face_planes, planes_of_both(a, b, turned=turned))
    keys, face = [], np.concatenate([first.face, second.face + a.face_count])
    points, triangles, vertices = [], [], 0
    for number, result in enumerate(results):
        if result.status() != manifold3d.Error.NoError:
            raise GeometryError("The forms meet in a way that cannot be cut; move the cutter a little.")
        mesh = result.to_mesh64()
        tris = np.asarray(mesh.tri_verts, np.int64)
        runs = np.diff(np.array(mesh.run_index, np.int64)).astype(np.int64) // 3
        of_second = np.repeat(np.asarray(mesh.run_original_id) == second.number, runs)
        key = np.asarray(mesh.face_id, np.int64) + np.where(of_second, len(first.face), 0)
        points.append(np.asarray(mesh.vert_properties)[:, :3])
        triangles.append(tris + vertices)
        keys.append(key + number * len(face))
        vertices += len(points[-1])
    key = np.concatenate(keys)
    faces = np.tile(face, len(results))[key].astype(np.int32)
    soup = _at_vertices(
        whole, a.vertex_count, how, np.concatenate(points), np.concatenate(triangles), key, faces, results
    )
    if len(results) == 1:
        return soup
    own = soup.face < a.face_count
    return replace(soup, triangles=soup.triangles[own], key=soup.key[own], face=soup.face[own])


def _at_vertices(
    whole: PolyMesh,
    count: int,
    how: Flush,
    points: Floats,
    triangles: Any,
    key: Any,
    face: Ints,
    results: list[manifold3d.Manifold],
) -> Soup:
    """The triangles at vertices of both meshes, and new ones where they are meant to be."""
    at, stands = _at_old(whole, count, how, points, triangles, face)
    fresh = np.flatnonzero(at < 0)
    base = whole.vertex_count
    if len(results) > 1:  # each of them has the new ones for itself
        _, first, number = np.unique(points[fresh] + 0.0, axis=0, return_index=True, return_inverse=True)
        at[fresh] = base + number.ravel()
        places = points[fresh[first]]
    else:
        at[fresh] = base + np.arange(len(fresh))
        places = points[fresh]
    corners = at[triangles]
    places = _meant(whole, count, how, places, corners, face)
    return Soup(
        whole,
        count,
        whole.face_count - len(how.faces),
        np.concatenate([whole.positions, places]),
        corners.astype(np.int32),
        key,
        face,
        sum(float(r.volume()) for r in results),
        how.grain,
        np.concatenate([stands, np.arange(base, base + len(places), dtype=np.int32)]),
    )


def _at_old(whole: PolyMesh, count: int, how: Flush, points: Floats, triangles: Any, face: Ints) -> tuple[Any, Ints]:
    """Which vertex of `whole` each point (n,3) is, −1 where it is a new one, and the vertex (V) that stands for each of
    the cutter's: one of the form's where the cut made them one. What only touches stays apart."""
    own = np.zeros(len(points), np.bool_)
    own[triangles[face < whole.face_count - len(how.faces)]] = True
    form, cutter = same_places(points, whole.positions[:count]), same_places(points, how.held)
    there = cutter >= 0
    at = np.where(own, form, -1)
    at = np.where((at < 0) & there, cutter + count, at)
    stands = np.arange(whole.vertex_count, dtype=np.int32)
    both = own & there & (form >= 0)
    stands[cutter[both] + count] = form[both]
    # two points on one place: the cut left them apart
    order = np.argsort(at, kind="stable")
    again = order[1:][(at[order][1:] == at[order][:-1]) & (at[order][1:] >= 0)]
    if triangles.max(initial=0) < len(points) and len(again):
        at[again] = -1
    return at, stands


def _meant(whole: PolyMesh, count: int, how: Flush, places: Floats, corners: Any, face: Ints) -> Floats:
    """Places (n,3) of new vertices, in the planes of the faces (T) that meet there."""
    if not len(places):
        return places
    base = whole.vertex_count
    tri, side = np.nonzero(corners >= base)
    which, of = corners[tri, side] - base, face[tri]
    planes = face_planes(whole)
    own = whole.face_count - len(how.faces)
    held = np.zeros(whole.face_count, np.bool_)
    held[own:] = how.faces
    normal = planes.normal[of]
    extent = float(np.abs(places).max(initial=1e-300))
    out = places.copy()
    # where a face was held off its plane
    moved = np.zeros(len(places), np.bool_)
    moved[which[held[of]]] = True
    k = np.flatnonzero(moved[which])
    if len(k):
        offset = dots(normal[k], places[which[k]])
        back = np.flatnonzero(held[of[k]])
        shared = of[k[back]] - own
        sign = dots(normal[k[back]], how.normal[shared])  # the cutter may be turned over here
        offset[back] = how.offset[shared] * np.sign(sign)
        number = np.cumsum(moved) - 1
        out[moved] = onto(places[moved], number[which[k]], normal[k], offset, held[of[k]])
    axis = np.abs(normal).argmax(axis=1)
    value = planes.offset[of] * normal[np.arange(len(of)), axis]
    if len(k) and len(back):
        value[k[back]] = (how.offset[shared][:, None] * how.normal[shared])[np.arange(len(back)), axis[k[back]]]
    exact = (np.abs(normal[np.arange(len(of)), axis]) == 1.0) & (np.abs(out[which, axis] - value) <= _EXACT * extent)
    out[which[exact], axis[exact]] = value[exact]
    return out


def same_places(points: Floats, places: Floats) -> Any:
    """(n) of points (n,3) the first of places (k,3) that is the very same, −1 where none is."""
    rows = np.ascontiguousarray(np.concatenate([places, points]) + 0.0).view(np.uint32)
    number, first = number_rows(rows)
    out = first[number[len(places) :]]
    return np.where(out < len(places), out, -1)


def whole_faces(soup: Soup) -> Bools:
    """(F) faces that came back whole: with all of their triangles, and no vertices but their own."""
    mesh = soup.whole
    base = mesh.vertex_count
    old = (soup.triangles < base).all(axis=1)
    found = np.bincount(soup.face[old], minlength=mesh.face_count)
    every = np.bincount(soup.face, minlength=mesh.face_count)
    out: Bools = (found == mesh.face_sizes - 2) & (every == found)
    # vertices that are others' by their place
    rows = np.flatnonzero(out[soup.face])
    mine = _has(mesh, soup.stands[mesh.corners], soup.face[rows], soup.triangles[rows])
    out[soup.face[rows[~mine]]] = False
    return out


def _has(mesh: PolyMesh, corners: Ints, face: Ints, triangles: Ints) -> Bools:
    """(n) whether all three vertices of triangles (n,3) are those of a face (n) with corners at vertices (C)."""
    codes = np.sort(mesh.corner_face.astype(np.int64) * mesh.vertex_count + corners)
    wanted = face.astype(np.int64)[:, None] * mesh.vertex_count + triangles
    at = np.minimum(np.searchsorted(codes, wanted), len(codes) - 1)
    out: Bools = (codes[at] == wanted).all(axis=1)
    return out


def alike(meshes: list[PolyMesh]) -> list[PolyMesh]:
    """The meshes, all with uv and colours where one has them: uv by the mean density of those that have any, from
    above, from the side or from the front; white."""
    own = [m for m in meshes if m.uv is not None]
    if own and len(own) < len(meshes):
        per_metre = max(_density(m) for m in own)
        meshes = [
            m if m.uv is not None else m.replaced(uv=_from_the_axes(m) * per_metre, normal=m.normal) for m in meshes
        ]
    if any(m.colour is not None for m in meshes):
        meshes = [
            m if m.colour is not None else m.replaced(colour=np.ones((len(m.corners), 4)), normal=m.normal)
            for m in meshes
        ]
    return meshes


def _density(mesh: PolyMesh) -> float:
    """Units of uv to a metre, over all edges; 1 where these have no length."""
    if mesh.uv is None:
        return 1.0
    following = mesh.next_corner
    points, uv = mesh.positions[mesh.corners], mesh.uv
    long = float(np.linalg.norm(points[following] - points, axis=1).sum())
    return float(np.linalg.norm(uv[following] - uv, axis=1).sum()) / long if long > 0 else 1.0


def _from_the_axes(mesh: PolyMesh) -> Floats:
    """(C,2) metres along two axes, of each corner, across the axis that its face looks along most."""
    axis = np.abs(face_planes(mesh).normal).argmax(axis=1)[mesh.corner_face]
    points = mesh.positions[mesh.corners]
    table = np.array([[2, 1], [0, 2], [0, 1]])
    out: Floats = np.take_along_axis(points, table[axis], axis=1)
    return out
