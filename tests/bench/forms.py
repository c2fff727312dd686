"""Twenty forms of many kinds that are reduced beside libraries, each made by formula or by the demo's own code."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np

from able_brick.core.mesh.combine import joined
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.shapes.plane import plane
from able_brick.demo import pieces as demo
from able_brick.demo.heron import heron
from able_brick.level.shapes.catalogue import SHAPES
from tests.zoo import ZOO, bumpy_ball, rock, waves

BUNNY = Path(__file__).parents[2] / "web/node_modules/bunny/index.js"


def terrain(n: int) -> PolyMesh:
    """A sheet of 2 n² triangles over hills, ridges and small stones, by formula."""
    sheet = plane(400.0, 400.0, divisions=(n, n))
    p = np.array(sheet.positions)
    x, z = p[:, 0], p[:, 2]
    p[:, 1] = (
        18 * np.sin(x / 60) * np.cos(z / 45) + 6 * np.abs(np.sin(x / 17 + z / 23)) + 0.4 * np.sin(x) * np.sin(1.3 * z)
    )
    return PolyMesh.checked(p, sheet.face_sizes, sheet.corners, smooth_angle=math.pi)


def bunny() -> PolyMesh | None:
    """The small scanned form of an npm package; None where that is not installed."""
    if not BUNNY.exists():
        return None
    text = BUNNY.read_text()
    found = [re.search(rf"exports\.{name}\s*=\s*(\[\[.*?\]\])", text, re.S) for name in ("positions", "cells")]
    if found[0] is None or found[1] is None:
        return None
    positions = np.array([[float(v) for v in row.split(",")] for row in re.findall(r"\[([^\[\]]+)\]", found[0][1])])
    cells = np.array([[int(v) for v in row.split(",")] for row in re.findall(r"\[([^\[\]]+)\]", found[1][1])])
    return PolyMesh.checked(positions, np.full(len(cells), 3), cells.ravel(), smooth_angle=math.pi)


def divided(mesh: PolyMesh) -> PolyMesh:
    """Every triangle in four, in its plane."""
    tris = mesh.corners[triangulate(mesh)[0]]
    p = mesh.positions
    edges = np.sort(np.concatenate([tris[:, [0, 1]], tris[:, [1, 2]], tris[:, [2, 0]]]), axis=1)
    unique, inverse = np.unique(edges, axis=0, return_inverse=True)
    middle = (len(p) + inverse.reshape(3, -1)).T
    a, b, c = tris.T
    ab, bc, ca = middle.T
    parts = [np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
    every = np.concatenate(parts)
    points = np.concatenate([p, p[unique].mean(axis=1)])
    return PolyMesh.checked(points, np.full(len(every), 3), every.ravel())


def dense(mesh: PolyMesh, least: int) -> PolyMesh:
    """A mesh, divided until it has so many triangles."""
    while mesh.triangle_count < least:
        mesh = divided(mesh)
    return mesh


def crates(count: int) -> PolyMesh:
    """Boxes of very different sizes."""
    rng = np.random.default_rng(1)
    box = ZOO["box"]().replaced(uv=None)
    sizes, places = rng.lognormal(0, 0.8, (count, 3)), rng.uniform(-20, 20, (count, 3))
    return joined([box.replaced(positions=box.positions * s + p) for s, p in zip(sizes, places, strict=True)])


def cards(count: int) -> PolyMesh:
    """Leaves: quads that stand at random in a crown."""
    rng = np.random.default_rng(2)
    flat = np.array([[-0.5, 0, -0.5], [0.5, 0, -0.5], [0.5, 0, 0.5], [-0.5, 0, 0.5]])
    turns = np.linalg.qr(rng.normal(size=(count, 3, 3)))[0]
    places = rng.normal(size=(count, 3)) * 3
    points = (flat[None] * rng.uniform(0.4, 1.2, (count, 1, 1))) @ turns + places[:, None]
    return PolyMesh.checked(points.reshape(-1, 3), np.full(count, 4), np.arange(4 * count))


def cables(count: int) -> PolyMesh:
    """Thin tubes that wind their way."""
    rng = np.random.default_rng(3)
    points, faces, n = [], [], 0
    for _ in range(count):
        t = np.linspace(0, 1, 160)[:, None]
        a, b, c = rng.uniform(-8, 8, (3, 3))
        line = (1 - t) ** 2 * a + 2 * t * (1 - t) * b + t * t * c + 0.3 * np.sin(9 * t + a)
        way = np.gradient(line, axis=0)
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        side = np.cross(way, [0.31, 0.9, 0.2])
        side /= np.linalg.norm(side, axis=1, keepdims=True)
        up = np.cross(side, way)
        angle = np.arange(12) * math.tau / 12
        ring = line[:, None] + 0.08 * (np.cos(angle)[:, None] * side[:, None] + np.sin(angle)[:, None] * up[:, None])
        points.append(ring.reshape(-1, 3))
        i, j = np.meshgrid(np.arange(159), np.arange(12), indexing="ij")
        k = (j + 1) % 12
        faces.append(np.stack([i * 12 + j, i * 12 + k, (i + 1) * 12 + k, (i + 1) * 12 + j], axis=-1).reshape(-1, 4) + n)
        n += 160 * 12
    every = np.concatenate(faces)
    return PolyMesh.checked(np.concatenate(points), np.full(len(every), 4), every.ravel())


def shape(kind: str, **fields: object) -> PolyMesh:
    return SHAPES[kind].model_validate({"kind": kind, **fields}).mesh()


def painted(mesh: PolyMesh) -> PolyMesh:
    """With colours that wander over it, and no texture."""
    low, high = mesh.bounds
    x, y, z = ((mesh.positions - low) / (high - low)).T
    colour: Floats = np.stack(
        [0.5 + 0.5 * np.sin(9 * x + 4 * y), y, 0.5 + 0.5 * np.cos(14 * z), np.ones(len(x))], axis=1
    )
    return mesh.replaced(uv=None, colour=colour[mesh.corners])


def forms(*, quick: bool = False) -> list[tuple[str, PolyMesh]]:
    """What is reduced, by name."""
    out = [
        ("heron, organic", heron()),
        ("bumpy ball, uv", bumpy_ball(200 if quick else 410)),
        ("terrain, open", terrain(200 if quick else 724)),
        ("footbridge, divided", dense(demo.footbridge().mesh, 20_000)),
        ("pump house, small", demo.pump_house().mesh),
        ("waves, uv, two materials", waves(150)),
        ("rock, faceted", rock(5)),
        ("rock, small", rock(3)),
        ("lettering, divided", dense(shape("lettering", text="Merrow Lock", height=1.0, depth=0.2), 20_000)),
        ("cables, thin", cables(24)),
        ("crates, many parts", crates(300)),
        ("leaves, cards", cards(3000)),
        ("ball, painted", painted(bumpy_ball(120))),
        ("terrain, painted", painted(terrain(160))),
        ("spiral stairs", shape("spiral_stairs")),
        ("arch, divided", dense(shape("arch"), 8_000)),
        ("torus, uv", shape("torus", sides=160, section_sides=64)),
        ("lamp post", demo.lamp_post().mesh),
        ("drum", ZOO["drum"]()),
    ]
    small = bunny()
    return [*out, *([("bunny, under 4 000", small)] if small is not None else [])]
