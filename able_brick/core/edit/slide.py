"""Loops of edges slid along their rails."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from able_brick.core.edit.edited import Edited, refuse_folded
from able_brick.core.edit.element_types import marked
from able_brick.core.edit.fans import before
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats, Indices, PolyMesh
from able_brick.core.mesh.rings import vertex_corners
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.uv_gradients import uv_gradients


@dataclass(frozen=True)
class _Rails:
    """For vertices of loops (n): where their rails end on the one side and on the other (n), −1 where there is none."""

    vertices: Indices
    left: Indices
    right: Indices


def chains(mesh: PolyMesh, edges: Indices) -> list[list[tuple[int, int]]]:
    """The edges as ways from vertex to vertex. Raises GeometryError where one forks."""
    table = topology(mesh).edges
    at: dict[int, list[int]] = {}
    for edge in edges.tolist():
        for v in table[edge].tolist():
            at.setdefault(v, []).append(edge)
    fork = next((v for v, mine in at.items() if len(mine) > 2), None)
    if fork is not None:
        raise GeometryError("The picked edges fork; slide loops that do not cross.", vertex=fork)
    left = set(edges.tolist())
    out = []
    ends = sorted(v for v, mine in at.items() if len(mine) == 1)
    for start in [*ends, *sorted(at)]:
        way: list[tuple[int, int]] = []
        here = start
        while True:
            edge = next((e for e in at[here] if e in left), None)
            if edge is None:
                break
            left.discard(edge)
            a, b = table[edge].tolist()
            there = b if a == here else a
            way.append((here, there))
            here = there
        if way:
            out.append(way)
    return out


def _rails(mesh: PolyMesh, edges: Indices) -> _Rails:
    rounds, back = vertex_corners(mesh), before(mesh)
    left: dict[int, int] = {}
    right: dict[int, int] = {}

    def corner(a: int, b: int) -> int | None:
        """The corner at a whose edge leads to b."""
        return next((c for c in rounds.of(a).tolist() if mesh.corners[mesh.next_corner[c]] == b), None)

    for chain in chains(mesh, edges):
        on = {v for pair in chain for v in pair}
        for a, b in chain:
            for sides, (p, q) in ((left, (a, b)), (right, (b, a))):
                c = corner(p, q)
                if c is None:
                    continue
                ends = {p: int(mesh.corners[back[c]]), q: int(mesh.corners[mesh.next_corner[mesh.next_corner[c]]])}
                for v, end in ends.items():
                    if end not in on:
                        sides.setdefault(v, end)
    vertices = np.unique(topology(mesh).edges[edges])
    return _Rails(
        vertices,
        np.array([left.get(v, -1) for v in vertices.tolist()]),
        np.array([right.get(v, -1) for v in vertices.tolist()]),
    )


def slide(mesh: PolyMesh, edges: Indices, *, share: float | None = None, metres: float | None = None) -> Edited:
    """Slide loops of edges along the edges that cross them: by a share of these, 1 up to their ends, or by metres, the
    same on all; below 0 to the other side. uv follow over the faces. Raises GeometryError beyond the shortest rail,
    with its length, and where there is no rail on that side."""
    marked(mesh, "edge", edges)
    by = share if share is not None else metres
    if by is None or by == 0 or not np.isfinite(by):
        raise GeometryError("Give by how much to slide, above 0 or below it.", received=by)
    rails = _rails(mesh, edges)
    ends = rails.left if by > 0 else rails.right
    if (ends < 0).any():
        raise GeometryError(
            "On that side a vertex has no edge to slide along; slide to the other one.",
            vertex=int(rails.vertices[ends < 0][0]),
        )
    p = mesh.positions
    way = p[ends] - p[rails.vertices]
    long = np.linalg.norm(way, axis=1)
    shortest = float(long.min())
    if share is not None:
        if abs(share) >= 1:
            raise GeometryError("Slide by less than 100 %: there is the next edge.", received=share, allowed=1.0)
        moves = way * abs(share)
    else:
        if abs(by) >= shortest:
            raise GeometryError(
                f"{abs(by):g} m is beyond the next edge: the shortest way there is {shortest:.4g} m.",
                received=by,
                allowed=shortest,
            )
        moves = way * (abs(by) / long)[:, None]
    return shifted(mesh, rails.vertices, moves, edges)


def shifted(mesh: PolyMesh, vertices: Indices, moves: Floats, picked: Indices) -> Edited:
    """The mesh with vertices (n) moved by (n,3) within its surface: uv change as they do over each face."""
    whole = np.zeros((mesh.vertex_count, 3))
    whole[vertices] = moves
    positions = mesh.positions.copy()
    positions[vertices] += moves
    arrays: dict[str, Floats] = {"positions": positions}
    if mesh.uv is not None:
        touched = np.zeros(mesh.vertex_count, np.bool_)
        touched[vertices] = True
        c = np.flatnonzero(touched[mesh.corners])
        chosen = np.zeros(mesh.face_count, np.bool_)
        chosen[mesh.corner_face[c]] = True
        slope = uv_gradients(mesh, mesh.positions, mesh.uv, chosen)[mesh.corner_face[c]]
        uv = mesh.uv.copy()
        uv[c] += np.einsum("ni,nik->nk", whole[mesh.corners[c]], slope)
        arrays["uv"] = uv
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    out = Edited(mesh.replaced(**arrays), every, np.arange(mesh.face_count, dtype=np.int32), np.unique(picked), "edge")
    return refuse_folded(mesh, out)
