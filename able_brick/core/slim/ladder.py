"""Several rungs of a mesh from one run, each for a target of its own."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Final, Literal

import numpy as np

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.slim.attributes import fitted_attributes
from able_brick.core.slim.deviation import Deviation, Measure
from able_brick.core.slim.fit import fitted
from able_brick.core.slim.reduce import Reducing
from able_brick.core.slim.slimmed import Slimmed, check_target, target_triangles, unchanged
from able_brick.core.slim.viewing import allowed

#: How many times a search for a deviation halves what it does not know.
_HALVINGS: Final = 5
_LEAST: Final = 4
#: Up to so many triangles it is looked farther where all of the first trials were refused.
_WHOLE: Final = 20_000
#: A search beyond the first refusal: how many trials, what share of the triangles each goes down to, after how many
#: refusals it goes half as far, and what share it must at least come down to.
_ROUNDS: Final = 24
_SHARE: Final = 0.8
_REFUSED: Final = 3
_WORTH_IT: Final = 0.99

ElementType = Literal["share", "count", "deviation", "pixels"]


@dataclass(frozen=True)
class Target:
    """What a rung is for: a share (0…1] or a number of the triangles, a largest deviation in metres, or a number of
    pixels at a distance in metres. `go_on`: made from the rung before it, and not from the mesh itself."""

    kind: ElementType
    value: float
    distance: float = 10.0
    go_on: bool = False

    def deviation(self) -> float | None:
        """The largest deviation that is allowed, metres; None for a share or a number."""
        if self.kind == "deviation":
            return self.value
        return allowed(self.value, self.distance) if self.kind == "pixels" else None

    def triangles(self, mesh: PolyMesh) -> int:
        """The triangles that a share or a number means."""
        return target_triangles(mesh, self.value) if self.kind == "share" else math.floor(self.value)

    def check(self) -> None:
        """GeometryError where it cannot be meant."""
        if not (math.isfinite(self.value) and math.isfinite(self.distance)):
            raise GeometryError("A target is no number.", received=self.kind)
        if self.kind == "share" and not 0 < self.value <= 1:
            raise GeometryError(f"The share is {self.value:g}; give a number above 0 and up to 1.", received=self.value)
        if self.kind == "count":
            check_target(math.floor(self.value))
        if self.kind in ("deviation", "pixels") and not self.value > 0:
            raise GeometryError(f"The target is {self.value:g}; give a number above 0.", received=self.value)
        if self.kind == "pixels" and not self.distance > 0:
            raise GeometryError(f"The distance is {self.distance:g} m; give a number above 0.", received=self.distance)


@dataclass(frozen=True, eq=False)
class Made:
    """A rung as it was made, with what it costs: measured, not promised."""

    target: Target
    slimmed: Slimmed
    deviation: Deviation


ProgressCallback = Callable[[float, str], None]


def ladder(
    mesh: PolyMesh,
    targets: Sequence[Target],
    *,
    locked: Bools | None = None,
    progress: ProgressCallback | None = None,
    measure: Measure | None = None,
    metric: Floats | None = None,
    outline: bool = False,
) -> list[Made]:
    """A rung for each target, in the order of the targets; all from the mesh itself but for those that go on.

    Shares and numbers come from one run, from many triangles to few. Largest deviations are searched for: halving
    until one is too much, then between; what is found is proven to be within the target, or is the mesh itself.
    Distances are reported, and given, after the `metric` (3,3) has been put to all points: where the mesh stands sized.
    With `outline` what shows against the background counts before what lies inside it. `progress` is called with 0…1
    and words, and may raise to cancel. Raises GeometryError for targets that cannot be meant, and for a mesh without
    faces.
    """
    for target in targets:
        target.check()
    if not mesh.triangle_count:
        raise GeometryError("There are no faces to slim.")
    tell = progress or (lambda _share, _words: None)
    tell(0.0, "Looking at the mesh")
    measure = measure or Measure(mesh, metric=metric)
    made: dict[int, Made] = {}
    fresh = [(k, t) for k, t in enumerate(targets) if k == 0 or not t.go_on]
    counted = sorted((k for k, t in fresh if t.deviation() is None), key=lambda k: -targets[k].triangles(mesh))
    far = sorted((k for k, t in fresh if t.deviation() is not None), key=lambda k: targets[k].deviation() or 0.0)
    total = len(targets)

    def telling(words: str) -> Callable[[float], None]:
        return lambda share: tell((len(made) + 0.7 * share) / total, words)

    def finished(k: int, out: Slimmed, away: Deviation | None = None) -> None:
        if away is None:
            away = measure.of(out.mesh, check_cancelled=lambda: tell((len(made) + 0.8) / total, "Measuring"))
        if not any(out is m.slimmed for m in made.values()):  # else it is the rung before, which has its colours
            out = fitted_attributes(mesh, out, locked=locked)
        made[k] = Made(targets[k], out, away)

    run: Reducing | None = None
    for k in counted:
        triangles = targets[k].triangles(mesh)
        if mesh.triangle_count <= triangles:
            finished(k, unchanged(mesh))
            continue
        run = run or Reducing(mesh, locked=locked, outline=outline)
        run.to(triangles, progress=telling("Collapsing edges"))
        check_cancelled = partial(telling("Bringing it closer"), 0.9)
        finished(k, fitted(mesh, run.result(), locked=locked, check_cancelled=check_cancelled))
    state: Reducing | None = None
    least = 1.0 if metric is None else float(np.linalg.svd(metric, compute_uv=False).min())
    for k in far:
        state = state or Reducing(mesh, locked=locked, outline=outline)
        state.allow((targets[k].deviation() or 0.0) / max(least, 1e-12))
        state, out = _within(state, targets[k], measure, telling("Looking how far it can go"))
        finished(k, *_closer(mesh, out, targets[k], locked, measure, telling("Bringing it closer")))
    for k, target in enumerate(targets):
        if k not in made:
            going = telling("Going on from the rung before")
            out, found = _gone_on(mesh, made[k - 1], target, locked, measure, going, outline=outline)
            finished(k, out, found)
    tell(1.0, "Done")
    return [made[k] for k in range(total)]


def _gone_on(
    mesh: PolyMesh,
    before: Made,
    target: Target,
    locked: Bools | None,
    measure: Measure,
    check_cancelled: Callable[[float], None],
    *,
    outline: bool,
) -> tuple[Slimmed, Deviation | None]:
    """A rung from the one before it: shares are still those of the mesh, and deviations from it."""
    base = before.slimmed
    kept = None if locked is None else locked[base.vertex_source]
    if target.deviation() is None:
        triangles = target.triangles(mesh)
        if base.mesh.triangle_count <= triangles:
            return base, before.deviation
        run = Reducing(base.mesh, locked=kept, outline=outline)
        run.to(triangles, progress=check_cancelled)
        out = run.result()
        out = _traced(base, out)
        return fitted(mesh, out, locked=locked, check_cancelled=partial(check_cancelled, 0.9)), None
    if before.deviation.largest > (target.deviation() or 0.0):
        return replace(base, reached=False), before.deviation
    run = Reducing(base.mesh, locked=kept, outline=outline)
    _, out = _within(run, target, measure, check_cancelled, base.collapse_map)
    if out.mesh is base.mesh:
        return base, before.deviation
    return _closer(mesh, _traced(base, out), target, locked, measure, check_cancelled)


def _traced(base: Slimmed, out: Slimmed) -> Slimmed:
    """What was reduced from what was reduced, as reduced from the first source."""
    collapse_map = np.where(base.collapse_map >= 0, out.collapse_map[base.collapse_map], np.int32(-1))
    source = base.vertex_source[out.vertex_source]
    return replace(out, vertex_source=source, collapse_map=collapse_map, gone=base.gone + out.gone)


def _closer(
    mesh: PolyMesh,
    out: Slimmed,
    target: Target,
    locked: Bools | None,
    measure: Measure,
    check_cancelled: Callable[[float], None],
) -> tuple[Slimmed, Deviation]:
    """What was found within a deviation, brought closer where that leaves it within; and how far it is."""
    limit = target.deviation() or 0.0
    away = measure.of(out.mesh, within=limit, check_cancelled=partial(check_cancelled, 0.9))
    closer = fitted(mesh, out, locked=locked, check_cancelled=partial(check_cancelled, 0.9))
    if closer is out:
        return out, away
    found = measure.of(closer.mesh, check_cancelled=partial(check_cancelled, 0.95))
    return (closer, found) if found.rms < away.rms and found.largest <= max(away.largest, limit) else (out, away)


def _within(
    good: Reducing,
    target: Target,
    measure: Measure,
    check_cancelled: Callable[[float], None],
    run_vertex: Ints | None = None,
) -> tuple[Reducing, Slimmed]:
    """The fewest triangles within a deviation that are found from a state that is within it; and a state on the way
    there, from which all may still go on. `run_vertex` says what each vertex of the mesh that is measured against is in
    the run's source, where that is another mesh; −1 where it is gone."""
    limit = target.deviation() or 0.0
    at_start = good.triangles == good.source.triangle_count
    best = unchanged(good.source) if at_start else good.result()
    low = 0
    tried = 0
    while good.triangles > _LEAST and good.reached:
        between = low > 0
        if between and (tried >= _HALVINGS or good.triangles - low <= max(2, 0.005 * low)):
            break
        count = (good.triangles + low) // 2 if between else max(_LEAST, good.triangles // 2)
        trial = good.copied()
        trial.to(count, progress=check_cancelled)
        out = trial.result()
        if measure.keeps(out.mesh, limit, check_cancelled=lambda: check_cancelled(0.5)):
            good, best = trial, out
        else:
            low = trial.triangles
        tried += 1 if between else 0
    whole = good.triangles == good.source.triangle_count
    if good.triangles > _LEAST and not (whole and good.triangles > _WHOLE):
        best = _farther(good.copied(), best, limit, measure, check_cancelled, run_vertex)
    return good, best


def _farther(
    good: Reducing,
    best: Slimmed,
    limit: float,
    measure: Measure,
    check_cancelled: Callable[[float], None],
    run_vertex: Ints | None,
) -> Slimmed:
    """What is left to take where it stays within a limit: each time something is too far, what it came from stays as it
    is from then on, and all else goes on."""
    share, refused = _SHARE, 0
    for _ in range(_ROUNDS):
        trial = good.copied()
        trial.to(max(_LEAST, int(share * good.triangles)), progress=check_cancelled)
        if trial.triangles >= _WORTH_IT * good.triangles:
            break
        out = trial.result()
        beyond = measure.beyond(out.mesh, limit, check_cancelled=lambda: check_cancelled(0.7))
        if beyond is None:
            good, best, refused = trial, out, 0
            continue
        good.lock(beyond if run_vertex is None else run_vertex[beyond][run_vertex[beyond] >= 0])
        refused += 1
        if refused % _REFUSED == 0 or not len(beyond):  # in the latter case it is only not proven
            share = 1 - (1 - share) / 2
    return best
