"""Courses recomputed: bent and rigid items by themselves, and the demo's quay as its path is dragged, at the server's
door with its meshes as the browser fetches them."""

from __future__ import annotations

import math
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from able_brick.core.path.bend import bent_points
from able_brick.core.path.course import Course, CoursePart, Fit, lay_course
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.path.dividing import divided
from able_brick.core.path.guide import Guide
from able_brick.core.path.running import Run, Running
from able_brick.core.shapes.box import box
from able_brick.demo.build import build_demo
from able_brick.session.project import Project
from tests.bench.door import Door

ROUNDS = 40
RUN = Run(Running.X)


def winding(length: float) -> Curve:
    """A path that winds evenly, about so long."""
    count = int(length / 12)
    points = [PathPoint((10.4 * k, 0.6 * math.sin(k), 3.2 * (-1) ** k)) for k in range(count)]
    return curve(points, smooth=True)


def timed(make: Callable[[], object]) -> tuple[float, float]:
    """Median and worst of several, ms."""
    spent = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        make()
        spent.append(1000 * (time.perf_counter() - begun))
    return statistics.median(spent), max(spent)


def items() -> None:
    piece = box(0.5, 3.0, 0.4, divisions=(10, 8, 6))
    part = CoursePart(RUN, RUN.box(*piece.bounds))
    points = RUN.points(piece.positions)
    path = winding(500)

    def bent() -> Course:
        fresh = Guide(Curve(path.controls, closed=False, ground=True), True)
        found = lay_course(fresh, [part], fit=Fit.NUMBER, number=1000, bend=True)
        ((_, one),) = found.bent
        for parts in np.unique(one.parts):
            at = np.flatnonzero(one.parts == parts)
            made = divided(piece, points, one.division(int(at[0])))
            bent_points(one, made.points, at, made.rows)
        return found

    bent()
    median, worst = timed(bent)
    print(
        f"  1 000 bent items of {piece.face_count} faces along {path.length:.0f} m: {median:.1f} ms, worst {worst:.1f}"
    )
    post = box(0.04, 1.0, 0.04)
    small = CoursePart(RUN, RUN.box(*post.bounds))

    def rigid() -> Course:
        fresh = Guide(Curve(path.controls, closed=False, ground=True), True)
        return lay_course(fresh, [small], fit=Fit.NUMBER, number=10_000)

    rigid()
    median, worst = timed(rigid)
    print(f"  10 000 rigid items: {median:.1f} ms, worst {worst:.1f}")


def quay(door: Door) -> None:
    """The middle point of the quay line dragged: wall, coping and railing bend with it."""
    view, _ = door.call("GET", "/api/levels/level-1")
    path = next(r for r in view["changed"] if r["kind"] == "path")
    whole, previews = [], []
    known: set[str] = set()
    for k in range(ROUNDS + 5):
        points = [dict(p) for p in path["points"]]
        x, y, z = points[3]["position"]
        points[3]["position"] = [x, y, z + 0.5 * math.sin(k)]
        params = {"points": points, "smooth": True, "closed": False}
        body = {"tool": "edit_path", "params": params, "selection": [path["id"]], "revision": view["revision"]}
        begun = time.perf_counter()
        reply, ms = door.call("POST", "/api/levels/level-1/preview", body)
        for runs in reply["items"].values():
            for mesh in {r["mesh"] for r in runs} - known - {None}:
                door.fetch(f"/api/meshes/{mesh}.glb")
                known.add(mesh)
        if k >= 5:
            previews.append(ms)
            whole.append(1000 * (time.perf_counter() - begun))
    median = statistics.median(whole)
    print(
        f"  quay dragged: preview {statistics.median(previews):.1f} ms, with its meshes {median:.1f} ms, "
        f"{1000 / median:.0f} updates a second"
    )


def main() -> None:
    print("Courses")
    items()
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "demo.db"
        project = Project(file)
        build_demo(project)
        project.close()
        door = Door(file)
        time.sleep(4)  # what the first page asks for is made ready beside
        try:
            quay(door)
        finally:
            door.close()


if __name__ == "__main__":
    main()
