"""Round trips of steps on the demo level and on 10 000 placements, measured at the server's door over loopback."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from able_brick.demo.build import build_demo
from able_brick.steps.parse import parse_tool
from able_brick.store.project import Project

PORT = 8499
ROUNDS = 60


class Door:
    """The served project, over one kept-alive connection."""

    def __init__(self, db: Path) -> None:
        import http.client

        command = [sys.executable, "-m", "able_brick.cli", "serve", "--db", str(db), "--port", str(PORT)]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        start = time.perf_counter()
        while True:
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/levels", timeout=1).close()
                break
            except OSError:
                time.sleep(0.05)
        self.started = time.perf_counter() - start
        self.connection = http.client.HTTPConnection("127.0.0.1", PORT)

    def call(self, method: str, path: str, body: Any = None) -> tuple[Any, float]:
        """The reply and the milliseconds it took."""
        start = time.perf_counter()
        text = None if body is None else json.dumps(body)
        self.connection.request(method, path, text, {"Content-Type": "application/json"})
        raw = self.connection.getresponse().read()
        spent = 1000 * (time.perf_counter() - start)
        return json.loads(raw), spent


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
        finally:
            door.process.terminate()
            door.process.wait()


if __name__ == "__main__":
    main()
