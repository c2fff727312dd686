"""The named meshes that every operation is crossed with."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from able_brick.core.edit.remove import delete
from able_brick.core.mesh.combine import joined, moved
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.cylinder import cylinder
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.prism import prism
from able_brick.core.shapes.sphere import even_sphere
from able_brick.core.shapes.tube import torus
from able_brick.core.shapes.turned import turned
from able_brick.demo.pieces import lamp_post, pump_house, quay_wall


def bumpy_ball(n: int = 48) -> PolyMesh:
    """A closed smooth form with hollows, 2 n (n − 1) triangles or so."""
    angle = np.linspace(0, math.pi, n + 1)
    radius = np.sin(angle) * (1 + 0.12 * np.sin(6 * angle))
    points = list(zip(radius, -np.cos(angle), strict=True))
    points[0], points[-1] = (0.0, -1.0), (0.0, 1.0)
    return turned(points, sides=n)


def waves(n: int = 40) -> PolyMesh:
    """An open sheet with two materials meeting in a wavy line, and uv."""
    sheet = plane(4.0, 4.0, divisions=(n, n))
    p = np.array(sheet.positions)
    p[:, 1] = 0.2 * np.sin(2 * p[:, 0]) * np.cos(3 * p[:, 2])
    centre = p[sheet.corners.reshape(-1, 4)].mean(axis=1)
    material = (centre[:, 0] > 0.3 * np.sin(2 * centre[:, 2])).astype(np.int32)
    return PolyMesh.checked(p, sheet.face_sizes, sheet.corners, material=material, uv=sheet.uv)


def fin() -> PolyMesh:
    """Three sheets on one edge."""
    p = [(0, 0, 0), (0, 1, 0), (1, 0, 0), (-1, 0, 0), (0, 0, 1)]
    return PolyMesh.checked(p, [3, 3, 3], [0, 2, 1, 0, 1, 3, 0, 1, 4])


ZOO: dict[str, Callable[[], PolyMesh]] = {
    "box": lambda: box(1.0, 2.0, 3.0),
    "divided box": lambda: box(4.0, 1.0, 2.0, divisions=(5, 2, 3)),
    "hexagon": lambda: cylinder(1.0, 2.0, sides=6),
    "drum": lambda: cylinder(0.5, 3.0, sides=64, rows=12),
    "cone": lambda: turned([(1.0, 0.0), (0.0, 2.0)], sides=16),
    "arrow": lambda: prism([(0, 0), (4, 0), (4, 3), (2, 1), (0, 3)], 1.0),
    "sheet": lambda: plane(3.0, 2.0, divisions=(6, 4)),
    "ball": bumpy_ball,
    "waves": waves,
    "fin": fin,
    "two parts": lambda: joined([box(1, 1, 1), moved(bumpy_ball(16), (3, 0, 0))], materials=[0, 1]),
}
CLOSED = ("box", "divided box", "hexagon", "drum", "cone", "arrow", "ball", "two parts")


def keyhole() -> PolyMesh:
    """A plate with a hole, cut open along a way that its face runs through twice: names two vertices twice in place."""
    outer = [(-2, 0, -2), (-2, 0, 2), (2, 0, 2), (2, 0, -2)]
    inner = [(-1, 0, -1), (1, 0, -1), (1, 0, 1), (-1, 0, 1)]
    # the way in and the way out have vertices of their own on the same spot: a face names none twice
    points = [*outer, outer[0], inner[0], *inner[1:], inner[0]]
    order = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9]
    return PolyMesh.checked(points, [10], order)


def touching_fans() -> PolyMesh:
    """Two pyramids without bases that share their tip."""
    low = [(-1, -1, -1), (1, -1, -1), (1, -1, 1), (-1, -1, 1)]
    high = [(-1, 1, -1), (-1, 1, 1), (1, 1, 1), (1, 1, -1)]
    faces = [(0, 1 + (k + 1) % 4, 1 + k) for k in range(4)] + [(0, 5 + (k + 1) % 4, 5 + k) for k in range(4)]
    return PolyMesh.checked([(0, 0, 0), *low, *high], [3] * 8, [v for f in faces for v in f])


def slivers() -> PolyMesh:
    """A fan of very thin triangles."""
    angle = np.linspace(0.0, 0.02, 21)
    rim = np.stack([np.cos(angle), np.zeros(21), -np.sin(angle)], axis=1)
    faces = [(0, k + 1, k + 2) for k in range(20)]
    return PolyMesh.checked(np.concatenate([[(0, 0, 0)], rim]), [3] * 20, [v for f in faces for v in f])


def mirrored(mesh: PolyMesh) -> PolyMesh:
    """The mesh on the other side of x = 0, its faces run through the other way round from their own first corners."""
    order = np.concatenate(
        [[a, *range(b - 1, a, -1)] for a, b in zip(mesh.face_starts[:-1], mesh.face_starts[1:], strict=True)]
    )
    # the edge from a corner on is, the other way round, the one to the corner that is there then
    back = np.empty(len(mesh.corners), np.int64)
    back[mesh.next_corner] = np.arange(len(mesh.corners))
    turned_ = mesh.with_corners(order, sharp=mesh.sharp[back[order]])
    return turned_.replaced(positions=mesh.positions * np.array([-1.0, 1.0, 1.0]))


def sized(mesh: PolyMesh, factor: float) -> PolyMesh:
    return mesh.replaced(positions=mesh.positions * factor)


def painted() -> PolyMesh:
    """A box with sharp edges and facets here and there, another colour in every corner, and an angle of its own up to
    which it is smooth."""
    plain = box(3.0, 1.0, 2.0, divisions=(3, 2, 2))
    random, t = np.random.default_rng(3), topology(plain)
    return plain.replaced(
        sharp=(random.random(len(t.edges)) < 0.3)[t.corner_edge],
        colour=random.random((len(plain.corners), 4)),
        facet=random.integers(0, 4, plain.face_count).astype(np.int32),
        material=random.integers(0, 2, plain.face_count).astype(np.int32),
        smooth_angle=0.8,
    )


def _star() -> PolyMesh:
    angle = np.arange(10) * math.pi / 5
    radius = np.where(np.arange(10) % 2 == 0, 2.0, 0.8)
    return prism([(float(r * math.cos(a)), float(r * math.sin(a))) for r, a in zip(radius, angle, strict=True)], 1.0)


#: What shaping is crossed with beside those: each of its operations must do it, or say what is in the way.
SHAPED: dict[str, Callable[[], PolyMesh]] = {
    **ZOO,
    "open box": lambda: _without(box(2.0, 1.0, 2.0), 0),
    "painted": painted,
    "plate": lambda: _without(cylinder(1.0, 1.0, sides=7), *range(1, 9)),
    "keyhole": keyhole,
    "star": _star,
    "torus": lambda: torus(2.0, 0.5, sides=12, section_sides=6),
    "cube sphere": lambda: even_sphere(1.0, divisions=4),
    "touching fans": touching_fans,
    "slivers": slivers,
    "mirrored": lambda: mirrored(waves(12)),
    "small": lambda: sized(box(1.0, 2.0, 3.0, divisions=(2, 2, 2)), 1e-3),
    "large": lambda: sized(box(1.0, 2.0, 3.0, divisions=(2, 2, 2)), 1e4),
    "pump house": lambda: pump_house().mesh,
    "quay wall": lambda: quay_wall().mesh,
    "lamp post": lambda: lamp_post().mesh,
}


def _without(mesh: PolyMesh, *faces: int) -> PolyMesh:
    gone = np.array([f for f in faces if f < mesh.face_count], np.int32)
    return delete(mesh, gone).mesh


def rock(rounds: int = 4) -> PolyMesh:
    """A rock of flat sides with fine grain: an icosahedron whose faces are parted `rounds` times, cut by planes."""
    golden = (1 + 5**0.5) / 2
    ring = [(-1, golden), (1, golden), (-1, -golden), (1, -golden)]
    points = np.array([(a, b, 0) for a, b in ring] + [(0, a, b) for a, b in ring] + [(b, 0, a) for a, b in ring], float)
    apart = np.linalg.norm(points[:, None] - points, axis=2)
    near = apart < 2.1
    tris = np.array(
        [(a, b, c) for a in range(12) for b in range(a) for c in range(b) if near[a, b] and near[b, c] and near[a, c]]
    )
    outward = np.einsum(
        "nk,nk->n",
        np.cross(points[tris[:, 1]] - points[tris[:, 0]], points[tris[:, 2]] - points[tris[:, 0]]),
        points[tris[:, 0]],
    )
    tris[outward < 0] = tris[outward < 0][:, ::-1]
    for _ in range(rounds):
        ends = np.sort(np.concatenate([tris[:, [0, 1]], tris[:, [1, 2]], tris[:, [2, 0]]]), axis=1)
        unique, inverse = np.unique(ends, axis=0, return_inverse=True)
        (a, b, c), (ab, bc, ca) = tris.T, (len(points) + inverse.reshape(3, -1))
        parts = ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))
        tris = np.concatenate([np.stack(t, axis=1) for t in parts])
        points = np.concatenate([points, points[unique].mean(axis=1)])
    points /= np.linalg.norm(points, axis=1)[:, None]
    rng = np.random.default_rng(4)
    reach = np.full(len(points), 1.15)
    for _ in range(26):
        way = rng.normal(size=3)
        across = points @ (way / np.linalg.norm(way))
        off = rng.uniform(0.7, 1.0)
        reach = np.minimum(reach, np.where(across > 0.05, off / np.maximum(across, 0.05), np.inf))
    points *= reach[:, None]
    points += 0.004 * np.sin(points[:, [1, 2, 0]] * 23) * np.sin(points[:, [2, 0, 1]] * 31)
    return PolyMesh.checked(points, np.full(len(tris), 3), tris.ravel())
