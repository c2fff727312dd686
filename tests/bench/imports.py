"""Large files from the upload to the shelf at the server's door, beside a library that reads the same bytes.

The library (trimesh) reads in one process that is already warm, cuts faces into triangles and checks nothing; the
server takes the upload, reads in a process of its own, makes the sheet, and keeps the pieces in the project file, all
without anybody looking at the sheet for a moment.
"""

from __future__ import annotations

import io
import json
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import trimesh

from able_brick.core.files.scene import Material, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.shapes.tube import torus
from able_brick.session.columns import MEDIA
from able_brick.session.project import Project
from tests.bench.door import Door

ROUNDS = 5
BOUNDARY = "a-line-that-no-model-has"


def upload(
    door: Door, level: str, revision: int, name: str, data: bytes, *, place: bool = False
) -> tuple[int, float, float]:
    """The new revision, and the milliseconds to the sheet and to the shelf."""
    head = f'--{BOUNDARY}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n\r\n'.encode()
    body = head + data + f"\r\n--{BOUNDARY}--\r\n".encode()
    start = time.perf_counter()
    incoming, _ = door.send("POST", "/api/imports", body, f"multipart/form-data; boundary={BOUNDARY}")
    while incoming["state"] == "reading":
        incoming, _ = door.call("GET", f"/api/imports/{incoming['id']}?seen={incoming['share']}")
    assert incoming["state"] == "ready", incoming["reason"]
    sheet = time.perf_counter()
    how = json.dumps({"level": level, "revision": revision, "place": place}).encode()
    # as the page does: many rows come in columns
    made, spent = door.send("POST", f"/api/imports/{incoming['id']}/accept", how, "application/json", MEDIA)
    return made["revision"], 1000 * (sheet - start), 1000 * (sheet - start) + spent


def library(data: bytes, kind: str) -> float:
    """Milliseconds that the library needs for the same bytes, best of three."""

    def read() -> object:
        return trimesh.load(io.BytesIO(data), file_type=kind, process=False)

    return min(timed(read) for _ in range(3))


def timed(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return 1000 * (time.perf_counter() - start)


def main() -> None:
    fine = triangulated(torus(10.0, 3.0, sides=1000, section_sides=500))
    quads = torus(10.0, 3.0, sides=600, section_sides=500)
    files = {
        "million.glb": write_file("million.glb", Scene((ScenePart("Ring", fine, (Material("bronze"),)),)))[
            "million.glb"
        ],
        "quads.obj": write_file("quads.obj", Scene((ScenePart("Ring", quads, (Material("bronze"),)),)))["quads.obj"],
    }
    with tempfile.TemporaryDirectory() as folder:
        db = Path(folder) / "bench.db"
        Project(db).close()
        door = Door(db)
        try:
            level = door.call("POST", "/api/levels", {"name": "Imports"})[0]["id"]
            revision = 0
            for name, data in files.items():
                sheets, shelves = [], []
                for _ in range(ROUNDS):
                    time.sleep(4)  # a new reading process gets ready meanwhile, as it does while one works
                    revision, to_sheet, to_shelf = upload(door, level, revision, name, data)
                    sheets.append(to_sheet)
                    shelves.append(to_shelf)
                theirs = library(data, name.rsplit(".", 1)[1])
                shelf = statistics.median(shelves)
                print(f"{name}, {len(data) / 1e6:.0f} MB: sheet after {statistics.median(sheets):.0f} ms,")
                print(f"  on the shelf after {shelf:.0f} ms ({min(shelves):.0f} to {max(shelves):.0f});")
                print(f"  the library reads it in {theirs:.0f} ms, × {shelf / theirs:.2f}")
        finally:
            door.close()


if __name__ == "__main__":
    main()
