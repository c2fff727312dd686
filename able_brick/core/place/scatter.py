"""Seeded random offsets, turns and sizes; and points spread over faces with a smallest distance."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.lazy_imports import cKDTree
from able_brick.core.mesh.polymesh import Floats, Ints

#: Points that may be tried in vain for each that is wanted.
_TRIES = 24


def stream(seed: int, key: str) -> np.random.Generator:
    """A random stream of one thing's own: adding others does not change it."""
    own = int.from_bytes(hashlib.blake2b(key.encode(), digest_size=8).digest(), "big")
    return np.random.Generator(np.random.PCG64(np.random.SeedSequence([seed, own])))


@dataclass(frozen=True)
class Ranges:
    """By how much things are scattered: offsets (±, metres), turns (±, degrees), sizes (factors from … to)."""

    offset: tuple[float, float, float]
    turn: tuple[float, float, float]
    size: tuple[float, float]


def scattered(seed: int, key: str, ranges: Ranges) -> tuple[Floats, Floats, float]:
    """Offset (3,) metres, turn (3,) degrees and size factor of one thing."""
    random = stream(seed, key)
    offset = random.uniform(-1.0, 1.0, 3) * ranges.offset
    turn = random.uniform(-1.0, 1.0, 3) * ranges.turn
    low, high = ranges.size
    return offset, turn, float(low + (high - low) * random.random())


def spread_over(triangles: Floats, *, density: float, apart: float, seed: int, most: int) -> tuple[Floats, Ints]:
    """Points (n,3) over triangles (T,3,3), and the triangle (n) of each: about `density` a square metre, no two nearer
    than `apart` metres; as many as there is room for. Poisson disc sampling by dart throwing in a seeded order.

    Raises GeometryError where there is no area or too much is asked for.
    """
    area = np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1) / 2
    total = float(area.sum())
    if not total > 1e-12:
        raise GeometryError("There is no area to scatter over; pick a face.")
    wanted = round(total * density)
    if wanted > most:
        raise GeometryError(
            f"{density:g} a square metre on {total:.1f} m² are {wanted} things; {most} are possible. Ask for fewer.",
            received=wanted,
            allowed=most,
        )
    if wanted < 1:
        return np.zeros((0, 3)), np.zeros(0, np.int32)
    random = np.random.Generator(np.random.PCG64(seed))
    tries = wanted * (_TRIES if apart > 0 else 1)
    face = random.choice(len(triangles), size=tries, p=area / total).astype(np.int32)
    u, v = np.sqrt(random.random(tries)), random.random(tries)
    t = triangles[face]
    points = t[:, 0] * (1 - u)[:, None] + t[:, 1] * (u * (1 - v))[:, None] + t[:, 2] * (u * v)[:, None]
    if not apart > 0:
        return points, face
    kept = _far_enough(points, apart, wanted)
    return points[kept], face[kept]


def _far_enough(points: Floats, apart: float, wanted: int) -> Ints:
    """The first of the points (n,3) of which each is far enough from those before it."""
    near: Any = cKDTree(points).query_ball_point(points, apart * (1 - 1e-12), return_sorted=True)
    out: list[int] = []
    taken = np.zeros(len(points), np.bool_)
    for k, around in enumerate(near):
        if any(taken[j] for j in around if j < k):
            continue
        taken[k] = True
        out.append(k)
        if len(out) >= wanted:
            break
    return np.array(out, np.int32)
