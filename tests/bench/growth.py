"""What things cost as a project grows: the same step in small and in large levels, at the server's door.

Each part prints a line or a few; parts are named on the command line, all where none is. Ratios between sizes in one
run count, not the milliseconds.
"""

from __future__ import annotations

import json
import resource
import statistics
import struct
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from able_brick.demo.build import build_demo
from able_brick.session.project import Project
from able_brick.steps.parse import parse_tool
from tests.bench.door import Door
from tests.bench.imports import upload

ROUNDS = 15
MANY = 100_000


def level_of(project: Project, count: int, copies: int = 20_000) -> str:
    """A level with so many placements of five pieces."""
    level = project.create_level(f"{count} placements").id

    def step(tool: str, *selection: str, **params: Any) -> Any:
        return project.step(level, parse_tool(tool, params), selection, project.revision(level))

    size = min(copies, count)
    for k in range(count // size):
        made = step("add_shape", shape={"kind": "box", "width": 1 + k / 40}, position=(0, 0, 2 * k))
        (placement,) = made.select
        if size > 1:
            step("duplicate", placement, distance=2.0, count=size - 1)
    return level


def stepped(door: Door, level: str, revision: int, tool: str, params: dict[str, Any], selection: list[str]) -> Any:
    body = {"tool": tool, "params": params, "selection": selection, "revision": revision}
    return door.call("POST", f"/api/levels/{level}/steps", body)


def served(make: Callable[[Project], Any], use: Callable[[Door, Any], None]) -> None:
    """Make a project, serve it and use it."""
    with tempfile.TemporaryDirectory() as folder:
        db = Path(folder) / "growth.db"
        project = Project(db)
        known = make(project)
        project.close()
        door = Door(db)
        try:
            use(door, known)
        finally:
            door.close()


def moving() -> None:
    """One move, and its preview and undo, in levels of different sizes."""

    def make(project: Project) -> list[tuple[int, str]]:
        return [(n, level_of(project, n)) for n in (500, 10_000, MANY)]

    def use(door: Door, levels: list[tuple[int, str]]) -> None:
        for count, level in levels:
            view, _ = door.call("GET", f"/api/levels/{level}")
            one = next(r["id"] for r in view["changed"] if r["kind"] == "placement")
            revision, steps, backs, shown = view["revision"], [], [], []
            for _ in range(ROUNDS):
                body = {"tool": "move", "params": {"by": [0.1, 0, 0]}, "selection": [one], "revision": revision}
                shown.append(door.call("POST", f"/api/levels/{level}/preview", body)[1])
                reply, ms = stepped(door, level, revision, "move", {"by": [0.1, 0, 0]}, [one])
                steps.append(ms)
                reply, ms = door.call("POST", f"/api/levels/{level}/undo", {"revision": reply["revision"]})
                backs.append(ms)
                revision = reply["revision"]
            told = ", ".join(
                f"{word} {statistics.median(spent):.1f}"
                for word, spent in (("preview", shown), ("step", steps), ("undo", backs))
            )
            print(f"move one among {count:6}: {told} ms")

    served(make, use)


def copying() -> None:
    """Copies by the hundred thousand; then 10 000 of them moved and moved back."""

    def make(project: Project) -> str:
        return level_of(project, 1)

    def use(door: Door, level: str) -> None:
        view, _ = door.call("GET", f"/api/levels/{level}")
        (one,) = [r["id"] for r in view["changed"] if r["kind"] == "placement"]
        revision = view["revision"]
        for count in (1_000, 10_000, MANY - 1):
            params = {"distance": 2.0, "count": count}
            body = {"tool": "duplicate", "params": params, "selection": [one], "revision": revision}
            _, shown = door.call("POST", f"/api/levels/{level}/preview", body)
            reply, made = stepped(door, level, revision, "duplicate", params, [one])
            print(f"duplicate to {count + 1:6}: preview {shown:.0f}, step {made:.0f} ms")
            if count < MANY - 1:
                reply, _ = door.call("POST", f"/api/levels/{level}/undo", {"revision": reply["revision"]})
            revision = reply["revision"]
        chosen = reply["select"][:10_000]
        reply, moved = stepped(door, level, revision, "move", {"by": [0, 1, 0]}, chosen)
        reply, back = door.call("POST", f"/api/levels/{level}/undo", {"revision": reply["revision"]})
        print(f"move 10 000 among {MANY}: {moved:.0f} ms; undo {back:.0f} ms")

    served(make, use)


def exporting() -> None:
    """A whole level as a file."""

    def make(project: Project) -> list[tuple[int, str]]:
        return [(n, level_of(project, n)) for n in (1_000, MANY)]

    def use(door: Door, levels: list[tuple[int, str]]) -> None:
        for count, level in levels:
            door.fetch(f"/api/levels/{level}/export.glb")
            print(f"export of {count:6}: {door.fetch(f'/api/levels/{level}/export.glb'):.0f} ms")

    served(make, use)


def nodes_glb(nodes: int, meshes: int) -> bytes:
    """A GLB of so many nodes that show so many meshes by turns, each a triangle of its own."""
    places = b"".join(struct.pack("<9f", 0, 0, 0, 1 + k / 1000, 0, 0, 0, 1, 0) for k in range(meshes))
    document = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": list(range(nodes))}],
        "nodes": [{"mesh": k % meshes, "name": f"n{k}", "translation": [k % 300, 0, k // 300]} for k in range(nodes)],
        "meshes": [{"name": f"m{k}", "primitives": [{"attributes": {"POSITION": k}}]} for k in range(meshes)],
        "accessors": [
            {
                "bufferView": 0,
                "byteOffset": 36 * k,
                "componentType": 5126,
                "count": 3,
                "type": "VEC3",
                "min": [0, 0, 0],
                "max": [1 + k / 1000, 1, 0],
            }
            for k in range(meshes)
        ],
        "bufferViews": [{"buffer": 0, "byteLength": len(places)}],
        "buffers": [{"byteLength": len(places)}],
    }
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(places), 0x004E4942) + places
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def accepting() -> None:
    """Files with many nodes, to the sheet and to the shelf."""

    def make(project: Project) -> str:
        return level_of(project, 1)

    def use(door: Door, level: str) -> None:
        revision = door.call("GET", f"/api/levels/{level}")[0]["revision"]
        for nodes, meshes in ((100, 100), (8_000, 8_000), (200_000, 1)):
            data = nodes_glb(nodes, meshes)
            try:
                revision, sheet, shelf = upload(door, level, revision, f"n{nodes}.glb", data, place=True)
                print(f"accept {nodes:6} nodes, {meshes} meshes: sheet {sheet:.0f}, shelf {shelf - sheet:.0f} ms")
            except (AssertionError, KeyError, TimeoutError) as error:
                print(f"accept {nodes:6} nodes, {meshes} meshes: {error}")
                revision = door.call("GET", f"/api/levels/{level}")[0]["revision"]

    served(make, use)


def reading() -> None:
    """Files that are all names and lists, read by the command line's own reader in a process each."""
    import subprocess

    big: dict[str, Callable[[Path], None]] = {
        "20 000 objects.obj": lambda f: f.write_text(
            "v 0 0 0\nv 1 0 0\nv 0 1 0\n" + "".join(f"o o{k}\nf 1 2 3\n" for k in range(20_000))
        ),
        "400 000 maps.obj": _maps,
        "100 000 materials.glb": lambda f: f.write_bytes(_listed(materials=100_000)),
        "300 000 meshes.glb": lambda f: f.write_bytes(nodes_glb(1, 300_000)),
        "200 000 nodes.glb": lambda f: f.write_bytes(nodes_glb(200_000, 1)),
    }
    with tempfile.TemporaryDirectory() as folder:
        for name, write in big.items():
            file = Path(folder) / name
            write(file)
            start = time.perf_counter()
            command = [sys.executable, "-m", "able_brick.cli", "inspect", str(file)]
            try:
                done = subprocess.run(command, capture_output=True, timeout=200, check=False)
                said = done.stderr.decode().strip().splitlines()
                told = f"code {done.returncode} {said[0][:150] if said else ''}"
            except subprocess.TimeoutExpired:
                told = "not done"
            print(f"read {name}: {time.perf_counter() - start:.1f} s {told}")


def _maps(file: Path) -> None:
    file.write_text("mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m1\nf 1 2 3\n")
    file.with_name("m.mtl").write_text("".join(f"newmtl m{k}\nmap_Kd a.png\n" for k in range(400_000)))
    file.with_name("a.png").write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(64))


def _listed(materials: int) -> bytes:
    data = nodes_glb(1, 1)
    size = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + size])
    document["materials"] = [{"name": f"m{k}"} for k in range(materials)]
    document["meshes"][0]["primitives"] = [{"attributes": {"POSITION": 0}, "material": k} for k in range(materials)]
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<II", len(text), 0x4E4F534A) + text + data[20 + size :]
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def starting() -> None:
    """Until a server that is started again answers."""
    for title, make in (
        ("demo", build_demo),
        ("110 000 placements", lambda project: level_of(project, 110_000, 11_000)),
    ):
        with tempfile.TemporaryDirectory() as folder:
            db = Path(folder) / "growth.db"
            project = Project(db)
            make(project)
            project.close()
            spent = []
            for _ in range(3):
                door = Door(db)
                spent.append(door.started)
                door.close()
            print(f"start, {title}: {statistics.median(spent):.2f} s")


def levels() -> None:
    """A step that changes the kit, in projects of few and of many levels."""
    for count in (2, 1_000):

        def make(project: Project, count: int = count) -> str:
            made = level_of(project, 1)
            for _ in range(count - 1):
                project.create_level("Another")
            return made

        def use(door: Door, level: str, count: int = count) -> None:
            view, _ = door.call("GET", f"/api/levels/{level}")
            (piece,) = [r["id"] for r in view["changed"] if r["kind"] == "piece"]
            revision, spent = view["revision"], []
            for k in range(ROUNDS):
                reply, ms = stepped(door, level, revision, "rename", {"name": f"Box {k}"}, [piece])
                revision = reply["revision"]
                spent.append(ms)
            print(f"kit step among {count:4} levels: {statistics.median(spent):.1f} ms")

        served(make, use)


def previewing() -> None:
    """What the server holds after hundreds of previews that all differ."""

    def make(project: Project) -> str:
        return level_of(project, 1)

    def use(door: Door, level: str) -> None:
        view, _ = door.call("GET", f"/api/levels/{level}")
        before = held(door)
        for k in range(400):
            shape = {"kind": "sphere", "sides": 100, "rows": 50, "radius": 1 + k / 1000}
            body = {"tool": "add_shape", "params": {"shape": shape}, "selection": [], "revision": view["revision"]}
            reply, _ = door.call("POST", f"/api/levels/{level}/preview", body)
            mesh = next(r for r in reply["changed"] if r["kind"] == "piece")["mesh"]
            door.fetch(f"/api/meshes/{mesh}.glb")
        print(f"400 previews: {before:.0f} → {held(door):.0f} MB")

    served(make, use)


def held(door: Door) -> float:
    """Megabytes of memory of the server."""
    status = Path(f"/proc/{door.process.pid}/status").read_text()
    return int(next(line for line in status.splitlines() if line.startswith("VmRSS")).split()[1]) / 1024


PARTS: dict[str, Callable[[], None]] = {
    "moving": moving,
    "copying": copying,
    "exporting": exporting,
    "accepting": accepting,
    "reading": reading,
    "starting": starting,
    "levels": levels,
    "previewing": previewing,
}


def pace() -> float:
    """Seconds that ten million additions take just now: how quick the machine is."""
    start = time.perf_counter()
    total = 0
    for k in range(10_000_000):
        total += k
    return time.perf_counter() - start


def main() -> None:
    for name in sys.argv[1:] or PARTS:
        print(f"{name}, while ten million additions take {pace():.2f} s:")
        start = time.perf_counter()
        PARTS[name]()
        peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        print(f"  ({name}: {time.perf_counter() - start:.0f} s, largest server {peak:.0f} MB)", flush=True)


if __name__ == "__main__":
    main()
