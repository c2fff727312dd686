"""A server under everything at once for a while: `python -m tests.session.soak --minutes 20`.

Four clients take and undo steps, preview, bring files in, export, slim folders and switch projects. Memory, threads,
handles and temporary bytes are told as they go, and must stay flat.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import shutil
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.scene import ScenePart
from tests.session.switching import Served, make_projects
from tests.zoo import ZOO, bumpy_ball

BOUNDARY = "soak"


class Soak:
    """The server, and what its clients have done."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        make_projects(folder, 40)
        os.environ["TMPDIR"] = str(folder / "temporary")
        (folder / "temporary").mkdir()
        self.served = Served(folder)
        self.done: Counter[str] = Counter()
        self.wrong: list[str] = []
        self.end = threading.Event()
        self.models = folder / "models"
        self.models.mkdir()
        for k in range(6):
            (self.models / f"ball {k}.glb").write_bytes(write_glb([ScenePart("Ball", bumpy_ball(10 + k))]))
        self.glb = write_glb([ScenePart("Drum", ZOO["drum"]())])

    def ask(self, path: str, body: Any = None, method: str | None = None) -> tuple[int, Any]:
        try:
            status, reply = self.served.inside(path, body, method=method)
        except (OSError, ValueError):
            return 0, {}
        if status >= 500:
            self.wrong.append(f"{path}: {status} {reply}")
        return status, reply

    def fetch(self, path: str) -> None:
        with suppress(OSError), urllib.request.urlopen(self.url(path), timeout=60) as reply:
            while reply.read(2**20):
                pass

    def url(self, path: str) -> str:
        return f"http://127.0.0.1:{self.served.port}/api/projects/{self.served.key}/{path}"

    # -- what clients do -

    def steps(self, chance: random.Random) -> None:
        status, level = self.ask("levels/level-1")
        if status != 200:
            return
        params = {"shape": {"kind": "box", "width": round(chance.uniform(0.5, 9), 3)}}
        step = {"tool": "add_shape", "params": params, "selection": [], "revision": level["revision"]}
        for _ in range(4):
            self.ask("levels/level-1/preview", step)
        status, reply = self.ask("levels/level-1/steps", step)
        if status == 200:
            self.ask("levels/level-1/undo", {"revision": reply["revision"]})
            self.done["steps"] += 1

    def imports(self, chance: random.Random) -> None:
        head = f'--{BOUNDARY}\r\nContent-Disposition: form-data; name="files"; filename="drum.glb"\r\n\r\n'
        body = head.encode() + self.glb + f"\r\n--{BOUNDARY}--\r\n".encode()
        kind = {"Content-Type": f"multipart/form-data; boundary={BOUNDARY}"}
        try:
            with urllib.request.urlopen(urllib.request.Request(self.url("imports"), body, kind), timeout=60) as reply:
                incoming = json.load(reply)
        except (OSError, ValueError):
            return
        status = 200
        while incoming.get("state") == "reading" and status == 200:
            status, incoming = self.ask(f"imports/{incoming['id']}?seen={incoming['share']}")
        if status != 200:
            return
        if chance.random() < 0.5:
            with suppress(OSError, ValueError, urllib.error.HTTPError):
                self.served.inside(f"imports/{incoming['id']}", method="DELETE")
        else:
            _, level = self.ask("levels/level-1")
            how = {"level": "level-1", "revision": level.get("revision", 0), "place": True}
            status, made = self.ask(f"imports/{incoming['id']}/accept", how)
            if status == 200:
                self.ask("levels/level-1/undo", {"revision": made["revision"]})
        self.done["imports"] += 1

    def exports(self, _chance: random.Random) -> None:
        self.fetch("levels/level-1/export.glb")
        status, job = self.ask("levels/level-1/export", {})
        while status in (200, 202) and job["state"] in ("waiting", "working"):
            status, job = self.ask(f"work/{job['id']}?seen={job['share']}")
        if status == 200 and job["has_file"]:
            self.fetch(f"work/{job['id']}/file")
        self.fetch("copy")
        self.done["exports"] += 1

    def batches(self, chance: random.Random) -> None:
        target = self.folder / "out"
        shutil.rmtree(target, ignore_errors=True)
        recipe = {"name": "Half", "rungs": [{"kind": "share", "value": 50}]}
        status, batch = self.ask("batches", {"source": str(self.models), "target": str(target), "recipe": recipe})
        while status in (200, 202) and batch["state"] == "working":
            if chance.random() < 0.1:
                with suppress(OSError, ValueError):
                    self.served.inside(f"batches/{batch['id']}", method="DELETE")
            status, batch = self.ask(f"batches/{batch['id']}?seen={batch['done'] + batch['failed']}")
        self.done["batches"] += 1
        if chance.random() < 0.4:
            with suppress(OSError, ValueError, AssertionError):
                self.served.open(chance.choice(("a.db", "b.db")), "stop")
                self.done["switches"] += 1

    def client(self, act: Callable[[random.Random], None], seed: int) -> None:
        chance = random.Random(seed)  # noqa: S311
        while not self.end.is_set():
            try:
                act(chance)
            except Exception as error:  # noqa: BLE001
                self.wrong.append(f"{act.__name__}: {type(error).__name__} {error}")
            time.sleep(chance.uniform(0.0, 0.3))

    def told(self, minutes: float) -> dict[str, Any]:
        """How the server is."""
        pid = self.served.process.pid
        _, health = self.served.ask("health")
        files, room = bytes_in(self.folder / "temporary")
        return {
            "minute": round(minutes, 1),
            "memory MB": health["memory"] // 2**20,
            "kept MB": health["kept"] // 2**20,
            "threads": health["threads"],
            "handles": len(list(Path(f"/proc/{pid}/fd").iterdir())),
            "temporary files": files,
            "temporary MB": round(room / 2**20, 1),
            "done": dict(self.done),
            "wrong": len(self.wrong),
        }


def bytes_in(folder: Path) -> tuple[int, int]:
    """How many files there are in a folder and those below, and their bytes; some go meanwhile."""
    count = total = 0
    for root, _, files in os.walk(folder):
        for name in files:
            with suppress(OSError):
                total += (Path(root) / name).stat().st_size
                count += 1
    return count, total


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--minutes", type=float, default=20.0)
    asked = words.parse_args()
    folder = Path(tempfile.mkdtemp())
    soak = Soak(folder)
    acts = (soak.steps, soak.imports, soak.exports, soak.batches)
    threads = [threading.Thread(target=soak.client, args=(a, k), daemon=True) for k, a in enumerate(acts)]
    began = time.monotonic()
    for thread in threads:
        thread.start()
    try:
        while (minutes := (time.monotonic() - began) / 60) < asked.minutes:
            time.sleep(min(60.0, 60 * (asked.minutes - minutes) + 1))
            print(json.dumps(soak.told((time.monotonic() - began) / 60)), flush=True)
    finally:
        soak.end.set()
        for thread in threads:
            thread.join(30)
        print(json.dumps(soak.told((time.monotonic() - began) / 60)))
        soak.served.kill()
        print("\n".join(dict.fromkeys(soak.wrong[:20])))
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
