"""Rungs of everything that a file holds."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.part import Part, Scene
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.measure import area
from able_brick.core.slim.ladder import Made, Target, ladder
from able_brick.core.slim.seams import open_borders
from able_brick.core.slim.viewing import good_from


@dataclass(frozen=True, eq=False)
class SceneRung:
    """A rung of a scene: the scene with slimmed parts, and what it costs; metres and seconds."""

    scene: Scene
    target: Target
    triangles: int
    hardware_vertices: int
    max_deviation_m: float
    rms_deviation_m: float
    good_from_m: float
    reached: bool
    seconds: float

    def report(self) -> dict[str, Any]:
        """What there is to tell of it."""
        return {
            "target": {"kind": self.target.kind, "value": self.target.value, "distance_m": self.target.distance},
            "triangles": self.triangles,
            "hardware_vertices": self.hardware_vertices,
            "max_deviation_m": self.max_deviation_m,
            "rms_deviation_m": self.rms_deviation_m,
            "good_from_m": self.good_from_m,
            "reached": self.reached,
            "seconds": round(self.seconds, 4),
        }


def slim_scene(
    scene: Scene,
    targets: Sequence[Target],
    *,
    keep_seams: bool = True,
    progress: Callable[[float, str], None] | None = None,
) -> list[SceneRung]:
    """The rungs of a scene, in the order of the targets: each part by itself, with its name and materials.

    A number of triangles is for all parts together: each gives the same share. `keep_seams` keeps open borders exactly.
    Raises FileError for a scene without faces, and what a ladder raises.
    """
    total = sum(p.mesh.triangle_count for p in scene.parts)
    if not total:
        raise FileError("There are no faces in it.", place="file")
    begun = time.perf_counter()
    made: list[list[Made]] = []
    for k, part in enumerate(scene.parts):
        if not part.mesh.triangle_count:
            made.append([])
            continue
        own = [
            Target("count", max(1.0, math.floor(part.mesh.triangle_count * min(1.0, t.value / total))), t.distance)
            if t.kind == "count"
            else t
            for t in targets
        ]

        def tell(share: float, words: str, k: int = k) -> None:
            if progress is not None:
                progress((k + share) / len(scene.parts), words)

        kept = open_borders(part.mesh) if keep_seams else None
        made.append(ladder(part.mesh, own, locked=kept, progress=tell))
    spent = (time.perf_counter() - begun) / len(targets)
    weights = np.array([area(p.mesh) for p in scene.parts])
    out = []
    for r, target in enumerate(targets):
        meshes = [p.mesh if not m else m[r].slimmed.mesh for p, m in zip(scene.parts, made, strict=True)]
        parts = tuple(Part(p.name, m, p.materials) for p, m in zip(scene.parts, meshes, strict=True))
        squares = np.array([m[r].deviation.rms ** 2 if m else 0.0 for m in made])
        largest = max((m[r].deviation.largest for m in made if m), default=0.0)
        out.append(
            SceneRung(
                Scene(parts, scene.instances, scene.notes, scene.groups),
                target,
                sum(m.triangle_count for m in meshes),
                sum(len(hardware_vertices(m)) for m in meshes),
                largest,
                float(np.sqrt((squares * weights).sum() / weights.sum())) if weights.sum() > 0 else 0.0,
                good_from(largest),
                all(m[r].slimmed.reached for m in made if m),
                spent,
            )
        )
    return out
