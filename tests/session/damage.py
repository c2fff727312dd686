"""Projects whose files are damaged: `python -m tests.session.damage --flips 500` flips that many bits at random.

After each flip the project must open or be refused in words; every mesh, picture and level must be served, or refused
in words; and nothing that is served may differ from what was stored. Each trial runs in a process of its own, which
must not crash and must end in time.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import select
import shutil
import signal
import sys
import tempfile
import time
import traceback
from collections import Counter
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

from able_brick.core.errors import AbleBrickError
from able_brick.level.rows import Piece
from able_brick.session.project import Project
from able_brick.session.shipping import level_glb
from able_brick.steps.parse import parse_tool

SECONDS = 60.0
STEPS: tuple[tuple[str, dict[str, Any], tuple[str, ...]], ...] = (
    ("add_shape", {"shape": {"kind": "box", "width": 2.0}, "name": "Quay wall"}, ()),
    ("add_shape", {"shape": {"kind": "cylinder"}, "name": "Lamp post"}, ()),
    ("slim", {"share": 50.0}, ("piece-2",)),
    ("draw_path", {"points": [{"position": (0, 0, 0)}, {"position": (8, 0, 0)}, {"position": (8, 0, 6)}]}, ()),
    ("lay_course", {"piece": "piece-1", "bend": True}, ("path-1",)),
    ("duplicate", {"distance": 3.0, "count": 20}, ("placement-1",)),
    ("make_ladder", {"rungs": [{"kind": "share", "value": 50.0}]}, ("piece-2",)),
    ("rename", {"name": "Wall"}, ("piece-1",)),
)


def sound_project(path: Path) -> None:
    """A project with something of each kind; its log is taken into the file."""
    with closing(Project(path)) as project:
        level = project.create_level("Merrow Lock").id
        for tool, params, selection in STEPS:
            with suppress(AbleBrickError):
                project.step(level, parse_tool(tool, params), selection, project.revision(level))


def served(path: Path) -> dict[str, Any]:
    """All that a project gives to a page, as far as it does: by what is asked for, a digest, or the words why not."""
    out: dict[str, Any] = {}

    def ask(what: str, give: Any) -> Any:
        try:
            found = give()
        except AbleBrickError as error:
            out[what] = f"! {error}"
            return None
        out[what] = found if isinstance(found, str) else hash_of(found)
        return found

    with closing(Project(path)) as project:
        out["read_only"] = project.read_only
        out["notes"] = list(project.notes)
        for level in list(project.snapshot.levels):
            ask(f"level {level}", lambda level=level: project.view(level).text())
            ask(f"file of {level}", lambda level=level: level_glb(project, level)[1])
            for row in project.snapshot.of(level).values():
                out[f"row {row.id}"] = row.model_dump_json()
        for piece in project.snapshot.pieces.values():
            out[f"row {piece.id}"] = piece.model_dump_json()
            ask(f"mesh of {piece.id}", lambda piece=piece: project.meshes.get(piece.mesh).content_hash)
            ask(f"drawn {piece.id}", lambda piece=piece: project.view_glb(piece.mesh))
            for k, rung in enumerate(rungs_of(piece)):
                ask(f"rung {k} of {piece.id}", lambda rung=rung: project.meshes.get(rung).content_hash)
        for level in list(project.snapshot.levels):
            for _ in range(3):
                ask(f"undo {level}", lambda level=level: str(project.undo(level, project.revision(level)).revision))
        copy = path.with_name("copy.db")
        copy.unlink(missing_ok=True)
        ask("copy", lambda: project.save_copy(copy) or "")
    if copy.exists():
        with closing(Project(copy)) as other:
            out["copy is"] = other.read_only
    return out


def rungs_of(piece: Piece) -> list[str]:
    return [] if piece.ladder is None else [r.mesh for r in piece.ladder.rungs]


def hash_of(data: Any) -> str:
    import hashlib

    return hashlib.sha256(data).hexdigest() if isinstance(data, bytes) else str(data)


def one(path: Path) -> tuple[int, dict[str, Any], str]:
    """What a process of its own makes of a damaged file: how it ended, what it served, what it said."""
    out, into = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(out)
        code = 1
        try:
            with os.fdopen(into, "w") as pipe:
                pipe.write(look(path))
            code = 0
        except BaseException:  # noqa: BLE001
            traceback.print_exc()
        finally:
            os._exit(code)
    os.close(into)
    heard = b""
    until = time.monotonic() + SECONDS
    while select.select([out], [], [], max(0.0, until - time.monotonic()))[0]:
        more = os.read(out, 2**20)
        if not more:
            break
        heard += more
    else:
        os.kill(child, signal.SIGKILL)
    os.close(out)
    code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    return code, json.loads(heard) if code == 0 else {}, heard.decode()


def faults(code: int, found: dict[str, Any], words: str, sound: dict[str, Any]) -> list[str]:
    """What must not be, of one trial."""
    if code != 0:
        return [f"ended with {code}: {words[-600:]}"]
    if "refused" in found:
        return []
    out = []
    for what, was in sound.items():
        now = found.get(what)
        if now is None or not isinstance(now, str) or now == was or now.startswith("! "):
            continue
        if what.startswith("row "):
            out.append(f"{what} is another one: {now[:200]}")
        elif what.startswith(("mesh of", "rung")):
            out.append(f"{what} is another one")
        elif what.startswith(("file of", "drawn")) and found["read_only"] is None and not found["notes"]:
            out.append(f"{what} is another one, and nothing is told")
    return out


def flip_often(folder: Path, flips: int, seed: int) -> tuple[Counter[str], list[str]]:
    """Flip so often; what came of it, counted, and what must not be."""
    source = folder / "sound.db"
    sound_project(source)
    reference = folder / "reference.db"
    shutil.copyfile(source, reference)
    _, sound, said = one(reference)
    assert sound.get("read_only", "?") is None, said
    data = source.read_bytes()
    chance = random.Random(seed)  # noqa: S311
    done: Counter[str] = Counter()
    wrong: list[str] = []
    for k in range(flips):
        trial = folder / "trial.db"
        for left in folder.glob("trial.db*"):
            left.unlink()
        damaged = bytearray(data)
        places = sorted(chance.randrange(len(data)) for _ in range(chance.choice((1, 1, 1, 4, 40))))
        for place in places:
            damaged[place] ^= 1 << chance.randrange(8)
        trial.write_bytes(damaged)
        code, found, words = one(trial)
        bad = faults(code, found, words, sound)
        wrong += [f"flip {k} (seed {seed}, at {places[:5]}): {text}" for text in bad]
        kind = "refused" if "refused" in found else "looked at" if found.get("read_only") else "opened"
        done[kind if code == 0 else "crashed"] += 1
    return done, wrong


def look(path: Path) -> str:
    """What a project serves, as JSON; the refusal where it does not open."""
    try:
        return json.dumps(served(path), default=str)
    except AbleBrickError as error:
        return json.dumps({"refused": str(error)})


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--flips", type=int, default=500)
    words.add_argument("--seed", type=int, default=1)
    asked = words.parse_args()
    folder = Path(tempfile.mkdtemp())
    os.environ["ABLE_BRICK_HOME"] = str(folder / "home")
    began = time.perf_counter()
    done, wrong = flip_often(folder, asked.flips, asked.seed)
    shutil.rmtree(folder)
    print("\n".join(wrong))
    print(f"{asked.flips} flips in {time.perf_counter() - began:.0f} s: {dict(done)}; {len(wrong)} wrong")
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()
