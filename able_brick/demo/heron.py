"""The bronze heron: a standing bird on a rock, made by formula, dense as a sculpt."""

from __future__ import annotations

from itertools import pairwise
from typing import Final

import numpy as np

from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.demo.surface_nets import onto, surface_net

_CHUNK: Final = 8192  # points at a time, so that they stay in the cache
Stroke = tuple[tuple[float, float, float], float, tuple[float, float, float], float]


def _chain(points: list[tuple[float, float, float, float]]) -> list[Stroke]:
    return [(a[:3], a[3], b[:3], b[3]) for a, b in pairwise(points)]


_NECK: Final = _chain(
    [
        (0.17, 1.03, 0.0, 0.105),
        (0.29, 1.09, 0.0, 0.072),
        (0.355, 1.19, 0.0, 0.056),
        (0.345, 1.29, 0.0, 0.047),
        (0.285, 1.38, 0.0, 0.042),
        (0.245, 1.47, 0.0, 0.039),
        (0.265, 1.56, 0.0, 0.039),
        (0.32, 1.62, 0.0, 0.042),
    ]
)
_TRUNK: Final = _chain(
    [
        (0.19, 1.02, 0.0, 0.125),
        (0.04, 0.99, 0.0, 0.165),
        (-0.18, 0.90, 0.0, 0.125),
        (-0.36, 0.80, 0.0, 0.06),
        (-0.50, 0.71, 0.0, 0.028),
    ]
)
_HEAD: Final = _chain(
    [(0.31, 1.625, 0.0, 0.045), (0.40, 1.63, 0.0, 0.034), (0.47, 1.625, 0.0, 0.019), (0.72, 1.60, 0.0, 0.008)]
)
_CREST: Final = [
    *_chain([(0.31, 1.655, 0.0, 0.022), (0.20, 1.645, 0.012, 0.012), (0.08, 1.59, 0.02, 0.008)]),
    *_chain([(0.31, 1.655, 0.0, 0.022), (0.20, 1.63, -0.012, 0.011), (0.11, 1.56, -0.02, 0.008)]),
]
_PLUMES: Final = [
    *_chain([(0.27, 1.03, 0.03, 0.03), (0.27, 0.90, 0.04, 0.014), (0.24, 0.78, 0.045, 0.008)]),
    *_chain([(0.27, 1.03, -0.03, 0.03), (0.265, 0.88, -0.035, 0.014), (0.225, 0.75, -0.04, 0.008)]),
]


def _leg(z: float, x: float) -> list[Stroke]:
    foot = (x + 0.03, 0.225, z)
    toes = [
        ((foot[0], 0.222, z), 0.013, (foot[0] + dx, 0.212 - 0.1 * abs(dz), z + dz), 0.009)
        for dx, dz in ((0.13, 0.0), (0.10, 0.07), (0.10, -0.07), (-0.09, 0.0))
    ]
    bones = _chain([(*foot, 0.015), (x - 0.045, 0.52, z, 0.017), (x - 0.005, 0.70, z, 0.028), (x, 0.86, z * 0.8, 0.06)])
    knee: Stroke = ((x - 0.045, 0.515, z), 0.024, (x - 0.045, 0.53, z), 0.024)
    return [*bones, knee, *toes]


_LEGS: Final = [*_leg(0.075, 0.05), *_leg(-0.075, -0.02)]


def _cone(p: Floats, stroke: Stroke) -> Floats:
    """Distance to a line thickened from one radius to another."""
    a, ra, b, rb = stroke
    start, axis = np.array(a), np.array(b) - np.array(a)
    t = np.clip(((p - start) @ axis) / (axis @ axis), 0.0, 1.0)
    q = p - start - t[:, None] * axis
    out: Floats = np.sqrt(np.einsum("ij,ij->i", q, q)) - (ra + (rb - ra) * t)
    return out


def _blend(a: Floats, b: Floats, k: float) -> Floats:
    """Smooth union with a fillet of about k metres."""
    h = np.maximum(k - np.abs(a - b), 0.0) / k
    return np.minimum(a, b) - h * h * k * 0.25


def _strokes(p: Floats, strokes: list[Stroke], k: float) -> Floats:
    out = _cone(p, strokes[0])
    for stroke in strokes[1:]:
        out = _blend(out, _cone(p, stroke), k)
    return out


def _wing(p: Floats, side: float) -> Floats:
    """A folded wing: a long lens lying along the flank."""
    q = p - np.array([-0.10, 0.965, side * 0.125])
    slope = np.radians(24)
    along = q[:, 0] * np.cos(slope) + q[:, 1] * np.sin(slope)
    across = -q[:, 0] * np.sin(slope) + q[:, 1] * np.cos(slope)
    out = q[:, 2] - side * 0.03 * along
    taper = 1.0 - 0.45 * np.clip(-along / 0.36, 0.0, 1.0)
    r = np.sqrt((along / 0.36) ** 2 + (across / (0.145 * taper)) ** 2 + (out / 0.052) ** 2)
    lens: Floats = (r - 1.0) * 0.052 * 0.8
    return lens


def _feathers(p: Floats) -> Floats:
    """Relief of rows of feathers on back, wings and tail, metres."""
    slope = np.radians(24)
    along = p[:, 0] * np.cos(slope) + p[:, 1] * np.sin(slope)
    round_ = np.arctan2(p[:, 2], p[:, 1] - 0.92)
    row = along * 17.0
    shift = np.floor(row) % 2 * np.pi
    scale = (row - np.floor(row)) * (0.6 + 0.4 * np.cos(round_ * 12.0 + shift))
    on = np.clip((p[:, 1] - 0.68) / 0.08, 0, 1) * np.clip((0.16 - p[:, 0]) / 0.1, 0, 1)
    out: Floats = 0.0045 * scale * on
    return out


def _rock(p: Floats) -> Floats:
    q = p - np.array([0.02, 0.06, 0.0])
    bumps = 0.012 * np.sin(13 * p[:, 0] + 2) * np.cos(15 * p[:, 2]) + 0.008 * np.sin(29 * p[:, 2] + 9 * p[:, 1])
    r = np.sqrt((q[:, 0] / 0.44) ** 2 + (q[:, 1] / 0.15) ** 2 + (q[:, 2] / 0.33) ** 2)
    out: Floats = np.maximum((r - 1.0) * 0.15 - bumps, 0.012 - p[:, 1])
    return out


def _bird(p: Floats) -> Floats:
    flat = p * np.array([1.0, 1.0, 1.15])
    body = _blend(_strokes(flat, _TRUNK, 0.05), _strokes(p, _NECK, 0.03), 0.06)
    body = _blend(body, np.minimum(_wing(p, 1.0), _wing(p, -1.0)), 0.015)
    body = _blend(body, _strokes(p, _HEAD, 0.02), 0.02)
    body = _blend(body, np.minimum(_strokes(p, _CREST, 0.01), _strokes(p, _PLUMES, 0.012)), 0.012)
    return _blend(body, _strokes(p, _LEGS, 0.012), 0.02)


def heron_distance(p: Floats) -> Floats:
    """Signed distance (n) of points (n,3) from the smooth form."""
    chunks = [p[k : k + _CHUNK] for k in range(0, len(p), _CHUNK)]
    return np.concatenate([_blend(_bird(c), _rock(c), 0.012) for c in chunks])


def heron() -> PolyMesh:
    """The heron on its rock, 1.7 m tall, closed, about 130 000 triangles; materials: 0 bronze, 1 stone."""
    low, high = np.array([-0.60, -0.02, -0.42]), np.array([0.78, 1.74, 0.42])
    net = surface_net(heron_distance, low, high, 0.0073)

    def relief(p: Floats) -> Floats:
        return heron_distance(p) - _feathers(p)

    positions = onto(relief, net)
    centres = positions[net.corners.reshape(-1, 4)].mean(axis=1)
    stone = (_rock(centres) < _bird(centres)).astype(np.int32)
    return PolyMesh.trusted(positions, net.face_starts, net.corners, material=stone)
