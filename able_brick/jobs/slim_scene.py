"""Rungs of everything that a file holds."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files.scene import Scene, ScenePart, ScenePartRung
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.measure import area
from able_brick.core.mesh.polymesh import Bools, Floats
from able_brick.core.slim.budget import BudgetShare as Share
from able_brick.core.slim.budget import shared
from able_brick.core.slim.ladder import Made, Target, ladder
from able_brick.core.slim.metric import largest_metric, mean_size, stretch_of
from able_brick.core.slim.reduce import Reducing
from able_brick.core.slim.seams import open_borders
from able_brick.core.slim.viewing import coverage, good_from

ProgressCallback = Callable[[float, str], None]


@dataclass(frozen=True, eq=False)
class SceneRung:
    """A rung of a scene: the scene with slimmed parts, and what it costs; metres of the world and seconds. `triangles`
    are those of its meshes, and `drawn` those of all that stands, each mesh as often as it does. `deviations` are those
    of the parts; `gone` are pieces of them that were let go as a whole. `size` is the most by which a part stands
    larger than it is."""

    scene: Scene
    target: Target
    triangles: int
    drawn: int
    hardware_vertices: int
    deviations: tuple[float, ...]
    max_deviation_m: float
    met_deviation_m: float
    rms_deviation_m: float
    good_from_m: float
    size: float
    reached: bool
    gone: int
    seconds: float

    def report(self) -> dict[str, Any]:
        """What there is to tell of it."""
        return {
            "target": {"kind": self.target.kind, "value": self.target.value, "distance_m": self.target.distance},
            "triangles": self.triangles,
            "drawn_triangles": self.drawn,
            "hardware_vertices": self.hardware_vertices,
            "max_deviation_m": self.max_deviation_m,
            "met_deviation_m": self.met_deviation_m,
            "rms_deviation_m": self.rms_deviation_m,
            "good_from_m": self.good_from_m,
            "largest_size": self.size,
            "reached": self.reached,
            "parts_let_go": self.gone,
            "seconds": round(self.seconds, 4),
        }


@dataclass(frozen=True, eq=False)
class _Standing:
    """A part, how often it stands, the metric of the world for it, and the vertices that stay."""

    part: ScenePart
    uses: int
    metric: Floats | None
    kept: Bools | None

    @property
    def area(self) -> float:
        """In the world, of one."""
        mesh = self.part.mesh
        return area(mesh if self.metric is None else mesh.replaced(positions=mesh.positions @ self.metric.T))


def slim_scene(
    scene: Scene,
    targets: Sequence[Target],
    *,
    keep_seams: bool = True,
    outline: bool = False,
    progress: ProgressCallback | None = None,
) -> list[SceneRung]:
    """The rungs of a scene, in the order of the targets: each part by itself, with its name and materials.

    Deviations and pixels are those of the world: the largest size in which a part stands decides. A number of triangles
    is for all that stands together, each part as often as it does: what costs least is taken first. `keep_seams` keeps
    open borders exactly; with `outline` outlines count first. Raises FileError for a scene without faces, and what a
    ladder raises.
    """
    if not any(p.mesh.triangle_count for p in scene.parts):
        raise FileError("There are no faces in it.", place="file")
    for target in targets:
        target.check()
    begun = time.perf_counter()
    standing = _standing(scene, keep_seams)
    filled = [s for s in standing if s.part.mesh.triangle_count]
    tell = progress or (lambda _share, _words: None)
    counts = _counts(
        filled, [t for t in targets if t.kind == "count"], lambda s: tell(0.3 * s, "Sharing triangles"), outline
    )
    first = 0.3 if counts else 0.0
    made: dict[int, list[Made]] = {}
    for k, one in enumerate(filled):

        def telling(share: float, words: str, k: int = k) -> None:
            tell(first + (1.0 - first) * (k + share) / len(filled), words)

        own_counts = iter(counts[k] if counts else [])
        own = [Target("count", next(own_counts), t.distance, t.go_on) if t.kind == "count" else t for t in targets]
        made[id(one)] = ladder(
            one.part.mesh, own, locked=one.kept, progress=telling, metric=one.metric, outline=outline
        )
    spent = (time.perf_counter() - begun) / len(targets)
    return [_rung(scene, standing, made, r, target, spent) for r, target in enumerate(targets)]


def with_rungs(scene: Scene, rungs: Sequence[SceneRung]) -> Scene:
    """The scene with what was made of it as rungs of its parts, those that have fewer triangles than the one before."""
    parts = []
    for k, one in enumerate(_standing(scene, keep_seams=False)):
        points = one.part.mesh.positions if one.metric is None else one.part.mesh.positions @ one.metric.T
        reach = float(np.linalg.norm(np.ptp(points, axis=0))) / 2 if len(points) else 0.0
        levels: list[ScenePartRung] = []
        last = one.part.mesh.triangle_count
        for rung in sorted(rungs, key=lambda r: -r.triangles):
            mesh = rung.scene.parts[k].mesh
            if mesh.triangle_count < last:
                levels.append(ScenePartRung(mesh, coverage(reach, good_from(rung.deviations[k]) + reach)))
                last = mesh.triangle_count
        parts.append(replace(one.part, shaded=None, rungs=tuple(levels)))
    return replace(scene, parts=tuple(parts))


def _standing(scene: Scene, keep_seams: bool) -> list[_Standing]:
    maps: list[list[Floats]] = [[] for _ in scene.parts]
    for instance in scene.instances:
        maps[instance.part].append(instance.matrix[:3, :3])
    return [
        _Standing(
            part,
            max(1, len(own)),
            largest_metric(np.array(own)) if own else None,
            open_borders(part.mesh) if keep_seams else None,
        )
        for part, own in zip(scene.parts, maps, strict=True)
    ]


def _counts(
    filled: list[_Standing], targets: list[Target], tell: Callable[[float], None], outline: bool
) -> list[list[float]]:
    """For each part the triangles that it may keep for each of the targets."""
    if not targets:
        return []
    if len(filled) == 1:
        return [[max(1.0, math.floor(math.floor(t.value) / filled[0].uses)) for t in targets]]
    shares = []
    for k, one in enumerate(filled):
        run = Reducing(one.part.mesh, locked=one.kept, outline=outline)
        run.to(1, progress=lambda share, k=k: tell((k + share) / len(filled)))  # type: ignore[misc]
        weight = mean_size(one.metric) ** 4  # costs are areas times squared distances
        shares.append(Share(one.part.mesh.triangle_count, one.uses, weight, *run.trace()))
    out: list[list[float]] = [[] for _ in filled]
    for target in targets:
        try:
            found = shared(shares, math.floor(target.value))
        except GeometryError:  # as few as can be
            found = [int(s.left[-1]) if len(s.left) else s.triangles for s in shares]
        for own, count in zip(out, found, strict=True):
            own.append(float(max(1, count)))
    return out


def _rung(
    scene: Scene, standing: list[_Standing], made: dict[int, list[Made]], r: int, target: Target, seconds: float
) -> SceneRung:
    found = [made[id(s)][r] if id(s) in made else None for s in standing]
    meshes = [s.part.mesh if m is None else m.slimmed.mesh for s, m in zip(standing, found, strict=True)]
    drawn = sum(s.uses * m.triangle_count for s, m in zip(standing, meshes, strict=True))
    parts = tuple(ScenePart(p.name, m, p.materials) for p, m in zip(scene.parts, meshes, strict=True))
    weights = np.array([s.area for s in standing])
    squares = np.array([0.0 if m is None else m.deviation.rms**2 for m in found])
    far = tuple(0.0 if m is None else m.deviation.largest for m in found)
    largest = max(far, default=0.0)
    reached = all(m.slimmed.reached for m in found if m is not None)
    return SceneRung(
        Scene(parts, scene.instances, scene.notes, scene.groups),
        target,
        sum(m.triangle_count for m in meshes),
        drawn,
        sum(len(hardware_vertices(m)) for m in meshes),
        far,
        largest,
        max((m.deviation.met for m in found if m is not None), default=0.0),
        float(np.sqrt((squares * weights).sum() / weights.sum())) if weights.sum() > 0 else 0.0,
        good_from(largest),
        max((stretch_of(s.metric) for s in standing if id(s) in made), default=1.0),
        reached and (target.kind != "count" or drawn <= target.value),
        sum(m.slimmed.gone for m in found if m is not None),
        seconds,
    )
