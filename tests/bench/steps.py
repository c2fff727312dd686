"""Round trips of steps on the demo level and on 10 000 placements, measured at the server's door over loopback."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path
from typing import Any

from able_brick.demo.build import build_demo
from able_brick.session.project import Project
from able_brick.steps.parse import parse_tool
from tests.bench.door import Door

ROUNDS = 60


def measure(door: Door, level: str, placement: str, path: str | None) -> None:
    view, first = door.call("GET", f"/api/levels/{level}")
    print(f"  whole level, {view['summary']['placements']} items: {first:.1f} ms")
    revision = view["revision"]
    plan: list[tuple[str, str, dict[str, Any], list[str]]] = [
        ("move one", "move", {"by": [0.1, 0, 0]}, [placement]),
        ("set pivot", "set_pivot", {"place": "typed", "point": [0.1, 0, 0]}, [placement]),
        ("duplicate × 3", "duplicate", {"distance": 2, "count": 3}, [placement]),
    ]
    if path:
        plan.append(("lay course", "lay_course", {"piece": "piece-8"}, [path]))
    for name, tool, params, selection in plan:
        for what in ("preview", "steps"):
            spent = []
            for _ in range(ROUNDS):
                body = {"tool": tool, "params": params, "selection": selection, "revision": revision}
                reply, ms = door.call("POST", f"/api/levels/{level}/{what}", body)
                revision = reply["revision"]
                spent.append(ms)
                if what == "steps":
                    revision = door.call("POST", f"/api/levels/{level}/undo", {"revision": revision})[0]["revision"]
            spent.sort()
            label = f"{name}, {'preview' if what == 'preview' else 'step'}"
            print(f"  {label:26} median {statistics.median(spent):6.1f} ms, 95 % {spent[int(0.95 * ROUNDS)]:6.1f} ms")


def snapping(door: Door, level: str, placement: str) -> None:
    """What a placement dragged through the crowd snaps to."""
    spent = []
    for k in range(ROUNDS):
        body = {"selection": [placement], "by": [2.0 * k + 0.07, 0.03, 2.04], "reach": 0.2, "along": []}
        found, ms = door.call("POST", f"/api/levels/{level}/snap", body)
        assert found["kind"] == "vertex"
        spent.append(ms)
    first, *rest = spent
    rest.sort()
    print(
        f"  snap query: first {first:.1f} ms, then median {statistics.median(rest):.1f} ms, "
        f"95 % {rest[int(0.95 * len(rest))]:.1f} ms"
    )


def drag_dimensions(door: Door) -> None:
    """A live dimension of a shape of 5 000 faces dragged: each preview with its new mesh as the browser fetches it."""
    level = door.call("POST", "/api/levels", {"name": "Shapes"})[0]["id"]
    revision = 0
    for kind, params in (
        ("cylinder", {"sides": 100, "rows": 48, "cap_rings": 1}),
        ("sphere", {"sides": 100, "rows": 50}),
        ("torus", {"sides": 100, "section_sides": 50}),
    ):
        shape: dict[str, Any] = {"kind": kind, **params}
        made, _ = door.call(
            "POST",
            f"/api/levels/{level}/steps",
            {"tool": "add_shape", "params": {"shape": shape}, "selection": [], "revision": revision},
        )
        revision = made["revision"]
        piece = next(r for r in made["changed"] if r["kind"] == "piece")
        spent, fetched = [], []
        for k in range(ROUNDS):
            body = {
                "tool": "set_dimensions",
                "params": {"shape": shape | {"radius": 1.01 + k / 100}},
                "selection": [piece["id"]],
                "revision": revision,
            }
            reply, ms = door.call("POST", f"/api/levels/{level}/preview", body)
            spent.append(ms)
            mesh = next(r for r in reply["changed"] if r["kind"] == "piece")["mesh"]
            fetched.append(door.fetch(f"/api/meshes/{mesh}.glb"))
        faces = piece["facts"]["faces"]
        print(
            f"  {kind}, {faces} faces: preview median {statistics.median(spent):.1f} ms, 95 % "
            f"{sorted(spent)[int(0.95 * ROUNDS)]:.1f} ms; its mesh median {statistics.median(fetched):.1f} ms more"
        )


def crowd(project: Project) -> str:
    """A level of 10 000 placements of 40 pieces."""
    level = project.create_level("Crowd").id

    def step(tool: str, *selection: str, **params: Any) -> Any:
        return project.step(level, parse_tool(tool, params), selection, project.revision(level))

    for k in range(40):
        made = step("add_shape", shape={"kind": "box", "width": 1 + k / 40}, position=(0, 0, 2 * k))
        (placement,) = made.select
        step("duplicate", placement, distance=2.0, count=249)
    return level


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        db = Path(folder) / "bench.db"
        project = Project(db)
        demo = build_demo(project)
        crowded = crowd(project)
        things = project.snapshot.things[crowded]
        one = next(iter(things))
        project.close()
        door = Door(db)
        try:
            print(f"Server ready after {door.started:.2f} s")
            print("Demo level")
            measure(door, demo, "placement-14", "path-1")
            print("10 000 placements")
            measure(door, crowded, one, None)
            snapping(door, crowded, one)
            print("A dimension dragged")
            drag_dimensions(door)
        finally:
            door.close()


if __name__ == "__main__":
    main()
