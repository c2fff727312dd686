"""Projects are opened one after the other while work runs, steps are taken and the server is killed:
`python -m tests.session.switching --runs 30`.

Three files, one of which is a copy of another by hand, are opened in a random order in a real server. Every step that
was answered by 200 must stand in its own file afterwards, and in no other one; whatever is asked of an opening that is
not open any more must be refused; and what is undone stays undone.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections import Counter
from contextlib import closing
from pathlib import Path
from typing import Any

import numpy as np

from able_brick.core.files.scene import Instance, Scene, ScenePart
from able_brick.session.importing import pieces_of
from able_brick.session.project import Project
from able_brick.steps.import_pieces import ImportPieces
from tests.zoo import bumpy_ball

FILES = ("a.db", "b.db", "c.db")


def make_projects(folder: Path, dense: int) -> None:
    """Three projects with a dense piece: one, a copy that is another project, and a copy by hand, which is the same."""
    with closing(Project(folder / "a.db")) as project:
        level = project.create_level("Lock").id
        scene = Scene((ScenePart("Ball", bumpy_ball(dense), ()),), (Instance(0, "Ball", np.eye(4)),))
        pieces, meshes, textures = pieces_of(scene)
        tool = ImportPieces(file="ball.glb", pieces=pieces, groups=(), place=True)
        project.step(level, tool, (), 0, meshes=meshes, textures=textures)
        project.save_copy(folder / "b.db")
    shutil.copyfile(folder / "a.db", folder / "c.db")
    recent = [{"path": str((folder / f).resolve()), "opened": 9.0} for f in FILES]
    (folder / "home").mkdir()
    (folder / "home" / "recent.json").write_text(json.dumps(recent))


class Served:
    """A server that may be killed, and what it acknowledged, by file."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.stands: dict[str, dict[str, bool]] = {f: {} for f in FILES}
        self.done: Counter[str] = Counter()
        self.number = 0
        self.old_keys: list[tuple[str, str]] = []
        self.start(FILES[0])

    def start(self, file: str) -> None:
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        command = [sys.executable, "-m", "able_brick.cli", "serve", "--db", str(self.folder / file)]
        environment = {**os.environ, "ABLE_BRICK_HOME": str(self.folder / "home")}
        quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        self.process = subprocess.Popen([*command, "--port", str(self.port)], env=environment, **quiet)
        until = time.monotonic() + 60
        while True:
            try:
                self.look()
                return
            except OSError:
                assert time.monotonic() < until and self.process.poll() is None, "the server does not start"
                time.sleep(0.02)

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def ask(self, path: str, body: Any = None, method: str | None = None) -> tuple[int, Any]:
        """Status and answer; 0 where none comes."""
        data = None if body is None else json.dumps(body).encode()
        url = f"http://127.0.0.1:{self.port}/api/{path}"
        request = urllib.request.Request(url, data, {"Content-Type": "application/json"}, method=method)
        try:
            with urllib.request.urlopen(request, timeout=60) as reply:
                return reply.status, json.load(reply)
        except urllib.error.HTTPError as error:
            return error.code, json.load(error)

    def look(self) -> None:
        _, told = self.ask("project")
        self.key, self.file = told["key"], told["name"]

    def inside(self, path: str, body: Any = None, key: str | None = None, method: str | None = None) -> tuple[int, Any]:
        return self.ask(f"projects/{key or self.key}/{path}", body, method)

    # -- what may happen -

    def step(self) -> None:
        """A thing with a name of its own."""
        self.number += 1
        name = f"Crate {self.number}"
        status, level = self.inside("levels/level-1")
        assert status == 200, level
        body = {"tool": "add_shape", "params": {"shape": {"kind": "box"}, "name": name}, "selection": []}
        status, reply = self.inside("levels/level-1/steps", {**body, "revision": level["revision"]})
        if status == 200:
            self.stands[self.file][name] = True
            self.done["steps"] += 1
        else:
            assert reply["code"] == "stale_revision", reply
            self.done["stale"] += 1

    def undo(self) -> None:
        _, level = self.inside("levels/level-1")
        last = level["history"]["last"]
        if last is None or last["tool"] != "add_shape":
            return
        status, reply = self.inside("levels/level-1/undo", {"revision": level["revision"]})
        if status == 200:
            self.stands[self.file][last["params"]["name"]] = False
            self.done["undone"] += 1
        else:
            assert reply["code"] == "stale_revision", reply

    def work(self) -> None:
        """Begin something that takes long."""
        body = {
            "tool": "slim",
            "params": {"share": 40.0, "result": "new piece"},
            "selection": ["piece-1"],
            "revision": 0,
        }
        status, reply = self.inside("levels/level-1/work", body)
        assert status == 202, reply
        self.done["work"] += 1

    def open(self, file: str, running: str | None) -> None:
        if file == self.file:
            return
        before = self.key, self.file
        status, reply = self.ask(
            "project/open", {"path": str((self.folder / file).resolve()), **({"running": running} if running else {})}
        )
        if status == 409:
            assert reply["code"] == "work_running" and reply["data"]["running"], reply
            self.done["asked first"] += 1
            assert self.ask("project")[1]["key"] == self.key, "nothing has changed"
            return
        assert status == 200, reply
        self.done[f"opened {running or 'at once'}"] += 1
        self.old_keys.append(before)
        self.look()
        assert self.file == file

    def stray(self, chance: random.Random) -> None:
        """Ask something of an opening that is not open any more."""
        if not self.old_keys:
            return
        key, _ = chance.choice(self.old_keys)
        made = {"shape": {"kind": "box"}, "name": "Stray"}
        now = {"selection": ["piece-1"], "revision": self.inside("levels/level-1")[1]["revision"]}
        path, sent = chance.choice(
            [
                ("levels/level-1/steps", {**now, "tool": "add_shape", "params": made}),
                ("levels/level-1/undo", {"revision": now["revision"]}),
                ("levels/level-1/work", {**now, "tool": "slim", "params": {}}),
                ("levels/level-1", None),
                ("work", None),
                ("batches", None),
            ]
        )
        status, reply = self.inside(path, sent, key=key)
        assert (status, reply["code"]) == (409, "other_project"), (path, reply)
        assert reply["data"]["open"] == self.key
        self.done["refused"] += 1

    def check(self, file: str) -> None:
        """What stands in a file is what was acknowledged for it."""
        with closing(Project(self.folder / file)) as project:
            assert project.read_only is None, project.read_only
            names = {r.name for r in project.snapshot.of("level-1").values()}
            for name, stands in self.stands[file].items():
                assert (name in names) == stands, f"{name} in {file}: {sorted(names)}"
            for other in FILES:
                if other != file:
                    strange = names & {n for n, s in self.stands[other].items() if s} - self.stands[file].keys()
                    assert not strange, f"{strange} of {other} in {file}"
            assert "Stray" not in names
            for piece in project.snapshot.pieces.values():
                project.meshes.get(piece.mesh)


def one_run(folder: Path, seed: int, actions: int = 24) -> Counter[str]:
    """A random sequence of what may happen; what happened, counted. Raises AssertionError for a loss."""
    chance = random.Random(seed)  # noqa: S311
    served = Served(folder)
    try:
        for _ in range(actions):
            what = chance.random()
            if what < 0.36:
                served.step()
            elif what < 0.42:
                served.undo()
            elif what < 0.56:
                served.work()
            elif what < 0.78:
                served.open(chance.choice(FILES), chance.choice((None, "wait", "stop")))
            elif what < 0.93:
                served.stray(chance)
            else:
                served.kill()
                served.done["kills"] += 1
                served.start(chance.choice(FILES))
                served.old_keys = []
    finally:
        served.kill()
    for file in FILES:
        served.check(file)
    return served.done


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--runs", type=int, default=30)
    words.add_argument("--seed", type=int, default=int(time.time()))
    words.add_argument("--dense", type=int, default=120)
    asked = words.parse_args()
    total: Counter[str] = Counter()
    print(f"seed {asked.seed}")
    began = time.perf_counter()
    for k in range(asked.runs):
        folder = Path(tempfile.mkdtemp())
        make_projects(folder, asked.dense)
        total += one_run(folder, asked.seed + k)
        shutil.rmtree(folder)
    print(f"{asked.runs} runs in {time.perf_counter() - began:.0f} s, nothing lost: {dict(total)}")


if __name__ == "__main__":
    main()
