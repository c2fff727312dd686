"""What a batch writes, and what it must not: originals, links, files of others, names that two would have; what it
reads; how it ends; and who else can reach its workers."""

from __future__ import annotations

import json
import os
import shutil
import socket
import ssl
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import psutil
import pytest

from able_brick.core.errors import FileError, InputError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.obj_write import write_obj
from able_brick.core.files.regular import read_beside, read_regular
from able_brick.core.files.scene import Material, ScenePart, Texture
from able_brick.jobs import slim_file as one_file
from able_brick.jobs.batch import Progress, run_batch
from able_brick.jobs.batches import Batches
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.slim_file import FileJob, slim_file
from able_brick.jobs.written import RECORDS, Written
from able_brick.level.recipe import Recipe
from able_brick.level.rows import RungTarget
from tests.core.test_formats import BRICKS
from tests.thorough import by_day
from tests.zoo import ZOO, bumpy_ball

HALF = Recipe(name="Half", rungs=(RungTarget(kind="share", value=50.0),))
GLB = write_glb([ScenePart("Ball", ZOO["ball"](), (Material("stone"),))])


def put(folder: Path, *names: str, data: bytes = GLB) -> None:
    for name in names:
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)


@pytest.fixture
def begin(shared_workers: str) -> Callable[..., Progress]:
    def made(source: Path, target: Path, **how: Any) -> Progress:
        return run_batch(source, target, HALF, scheduler=shared_workers, **how)

    return made


Begin = Callable[..., Progress]


def contents(folder: Path) -> dict[str, bytes]:
    return {
        str(p.relative_to(folder)): p.read_bytes()
        for p in folder.rglob("*")
        if p.is_file() and not p.is_symlink() and RECORDS not in p.parts
    }


# -- originals -


def above(source: Path) -> tuple[Path, str]:
    return source.parent, "models/{name}{ext}"


def linked_folder(source: Path) -> tuple[Path, str]:
    target = source.parent / "out"
    target.mkdir()
    (target / "inner").symlink_to(source)
    return target, "inner/{name}{ext}"


def linked_file(source: Path) -> tuple[Path, str]:
    target = source.parent / "out"
    target.mkdir()
    (target / "a.glb").symlink_to(source / "a.glb")
    return target, "{name}{ext}"


def same_by_link(source: Path) -> tuple[Path, str]:
    target = source.parent / "out"
    target.symlink_to(source)
    return target, "{name}{ext}"


def outside(source: Path) -> tuple[Path, str]:
    target, other = source.parent / "out", source.parent / "other"
    target.mkdir()
    other.mkdir()
    (target / "inner").symlink_to(other)
    return target, "inner/{name}{ext}"


@pytest.mark.parametrize("how", [above, linked_folder, linked_file, same_by_link, outside])
@pytest.mark.parametrize("replace", [False, True])
def test_originals_are_never_overwritten(
    begin: Begin, tmp_path: Path, how: Callable[[Path], tuple[Path, str]], replace: bool
) -> None:
    source = tmp_path / "models"
    put(source, "a.glb", "deep/b.glb")
    target, pattern = how(source)
    before = contents(tmp_path)
    with pytest.raises(InputError, match=r"into the folder that is read|over those that are read|through a link"):
        begin(source, target, pattern=pattern, replace=replace)
    assert contents(tmp_path) == before


def test_originals_whose_names_are_known_late_are_not_overwritten_either(tmp_path: Path) -> None:
    source = tmp_path / "models"
    put(source, "a.glb")
    before = contents(source)
    job = FileJob(str(source), "a.glb", str(tmp_path), HALF.model_dump_json(), "models/{name}_{tris}{ext}", "r", True)
    report = slim_file(job)
    assert not report["ok"] and "into the folder that is read" in report["reason"]
    assert contents(source) == before


# -- files of others -


def test_files_that_it_did_not_write_are_told_before_and_replaced_where_asked(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, "a.glb", "b.glb", "c.glb")
    put(target, "a_1.glb", "b_1.glb", data=b"mine")
    put(target, "report.json", data=b"my notes")
    with pytest.raises(InputError, match="3 files are there already that this batch did not write") as refused:
        begin(source, target)
    assert refused.value.data["field"] == "replace" and refused.value.data["count"] == 3
    assert sorted(refused.value.data["files"]) == ["a_1.glb", "b_1.glb", "report.json"]
    assert contents(target) == {"a_1.glb": b"mine", "b_1.glb": b"mine", "report.json": b"my notes"}
    assert begin(source, target, replace=True).done == 3
    assert (target / "a_1.glb").read_bytes()[:4] == b"glTF"
    again = begin(source, target)
    assert (again.done, again.again) == (3, 3), "what it wrote itself it may write again"
    (target / "report.csv").write_text("I looked at it")
    with pytest.raises(InputError, match=r"1 file is there already .*report\.csv"):
        begin(source, target)


def test_a_file_that_is_put_there_meanwhile_is_not_replaced(tmp_path: Path) -> None:
    put(tmp_path / "in", "a.glb")
    put(tmp_path / "out", "a_1.glb", data=b"mine")
    job = FileJob(str(tmp_path / "in"), "a.glb", str(tmp_path / "out"), HALF.model_dump_json(), "{name}_{rung}{ext}")
    report = slim_file(job)
    assert not report["ok"] and "was not written by this batch" in report["reason"]
    assert (tmp_path / "out/a_1.glb").read_bytes() == b"mine"


def test_what_was_cut_off_while_it_was_written_is_known_as_its_own(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    put(tmp_path / "in", "a.glb")
    job = FileJob(str(tmp_path / "in"), "a.glb", str(tmp_path / "out"), HALF.model_dump_json(), "{name}_{rung}{ext}")
    really = Path.replace

    def cut(self: Path, to: Path) -> Path:
        if Path(to).suffix == ".json":
            raise OSError(28, "No space left on device")
        return really(self, to)

    with monkeypatch.context() as patch:
        patch.setattr(Path, "replace", cut)
        assert not slim_file(job)["ok"]
    assert (tmp_path / "out/a_1.glb").exists()
    assert slim_file(job)["ok"], "it goes on where it was cut off"
    assert not list((tmp_path / "out").rglob("*.plan"))


def test_reports_are_swapped_and_never_written_through_a_link(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, "a.glb")
    put(tmp_path, "diary.txt", data=b"dear diary")
    target.mkdir()
    (target / "report.json").symlink_to(tmp_path / "diary.txt")
    with pytest.raises(InputError, match=r"report\.json"):
        begin(source, target)
    assert begin(source, target, replace=True).done == 1
    assert (tmp_path / "diary.txt").read_bytes() == b"dear diary"
    assert not (target / "report.json").is_symlink()
    assert json.loads((target / "report.json").read_text())[0]["ok"]


# -- names -


def test_two_files_that_come_to_one_name_by_their_triangles(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, "a.glb", "b.glb")
    done = begin(source, target, pattern="{tris}{ext}")
    assert (done.done, done.failed) == (1, 1)
    report = json.loads((target / "report.json").read_text())
    failed = next(r for r in report if not r["ok"])
    assert "was written for" in failed["reason"] and {"a.glb", "b.glb"} > {failed["file"]}
    assert begin(source, target, pattern="{tris}{ext}").failed == 1, "nor is it overwritten the next time"


def test_a_picture_may_belong_to_several_and_another_of_its_name_is_told(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    other = Texture("bricks.png", "image/png", BRICKS.data + b"\0")
    for name, picture in (("a", BRICKS), ("b", BRICKS), ("c", other)):
        (source / name).mkdir(parents=True)
        part = ScenePart("Ball", ZOO["waves"](), (Material("stone", texture=picture),))
        for file, data in write_obj([part], name).items():
            (source / name / file).write_bytes(data)
    done = begin(source, target, pattern="{name}_{rung}{ext}")
    assert (done.done, done.failed) == (2, 1), (target / "report.json").read_text()
    assert (target / "bricks.png").exists()


def test_one_bad_name_stops_nothing(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, "a.glb", "b\\c.glb", "x" * 250 + ".glb")
    done = begin(source, target)
    assert (done.done, done.failed) == (1, 2)
    reasons = {r["file"][:3]: r.get("reason", "") for r in json.loads((target / "report.json").read_text())}
    assert "lead out" in reasons["b\\c"]
    assert reasons["xxx"]


# -- what is read -


def test_only_ordinary_files_are_read(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, "a.glb", "z.glb")
    os.mkfifo(source / "pipe.glb")
    (source / "zero.obj").symlink_to("/dev/zero")
    (source / "folder.ply").mkdir()
    (source / "loop.stl").symlink_to(source / "loop.stl")
    began = time.monotonic()
    done = begin(source, target)
    assert (done.done, done.failed) == (2, 3)
    assert time.monotonic() - began < 60
    reasons = {r["file"]: r.get("reason", "") for r in json.loads((target / "report.json").read_text())}
    assert "no ordinary file" in reasons["pipe.glb"] and "no ordinary file" in reasons["zero.obj"]


def test_reading_is_bounded_and_stays_in_its_folder(tmp_path: Path) -> None:
    put(tmp_path, "a.bin", data=b"12345")
    assert read_regular(tmp_path / "a.bin", 5) == b"12345"
    with pytest.raises(FileError, match="at most"):
        read_regular(tmp_path / "a.bin", 4)
    with pytest.raises(FileError, match="more than"):
        read_regular(Path("/proc/self/status"), 3)
    (tmp_path / "in").mkdir()
    os.mkfifo(tmp_path / "in/pipe")
    (tmp_path / "in/out").symlink_to(tmp_path / "a.bin")
    for name in ("../a.bin", "..\\a.bin", "pipe", "out", "none"):
        assert read_beside((tmp_path / "in").resolve(), name, 99) is None, name


def test_a_file_that_wants_too_much_memory_fails_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    put(tmp_path / "in", "a.glb")
    job = FileJob(str(tmp_path / "in"), "a.glb", str(tmp_path / "out"), HALF.model_dump_json(), "{name}_{rung}{ext}")

    def greedy(*_: Any, **__: Any) -> Any:
        import numpy as np

        return np.ones(2**30)

    with monkeypatch.context() as patch:
        patch.setattr(one_file, "read_file", greedy)
        assert "MemoryError" in slim_file(job)["reason"]
    assert slim_file(job)["ok"], "the limit holds for that file only"


# -- ending -


def test_cancelling_ends_within_three_seconds_whatever_a_file_takes(begin: Begin, tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, "a.glb", data=write_glb([ScenePart("Ball", bumpy_ball(400))]))
    me = psutil.Process()
    others = set(me.children(recursive=True))
    batches = Batches()
    batch = batches.start(source, target, Recipe.model_validate({**HALF.model_dump(), "rungs": [
        {"kind": "deviation", "value": 0.001 * k} for k in range(1, 9)]}), "{name}_{rung}{ext}")  # fmt: skip
    until = time.monotonic() + 60
    while not any(c.cpu_times().user > by_day(1.5, 3) for c in set(me.children(recursive=True)) - others):
        assert time.monotonic() < until and not batch.ended, batch.reason
        time.sleep(0.1)
    asked = time.monotonic()
    batches.stop(batch.id)
    while not batch.ended:
        assert time.monotonic() - asked < 3
        time.sleep(0.02)
    assert batch.state == "stopped"
    assert not list(target.glob("*.glb"))
    left = [c for c in set(me.children(recursive=True)) - others if "spawn_main" in " ".join(c.cmdline())]
    psutil.wait_procs(left, timeout=3)
    assert not [c for c in left if c.is_running()], "nobody goes on working"
    again = begin(source, target)
    assert again.done == 1
    assert not list((target / RECORDS).glob("halves-*")) and not list((target / RECORDS).glob("claims-*"))


# -- who else can reach the workers -


def test_nobody_without_the_key_of_this_run_is_listened_to(tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    put(source, *(f"{k}.glb" for k in range(3)))
    looked: list[int] = []
    before = listening()

    def tell(_now: Progress) -> None:
        if looked:
            return
        ports = listening() - before
        for port in ports:
            for speak in (in_clear, over_tls):
                assert not speak(port), f"port {port} answers {speak.__name__}"
        looked.extend(ports)

    assert run_batch(source, target, HALF, jobs=1, tell=tell).done == 3
    assert len(looked) >= 2, "scheduler and worker listen"


def listening() -> set[int]:
    """The ports at which this process and those that it began listen."""
    me = psutil.Process()
    processes = [me, *me.children(recursive=True)]
    return {c.laddr.port for p in processes for c in p.net_connections("tcp") if c.status == psutil.CONN_LISTEN}


def in_clear(port: int) -> bool:
    """Whether a port tells anything to who speaks its language without a key."""
    with socket.create_connection(("127.0.0.1", port), timeout=3) as talk:
        talk.settimeout(0.7)
        try:
            talk.sendall(b"GET /info/main/workers.html HTTP/1.0\r\n\r\n")
            heard = talk.recv(4096)
        except OSError:
            return False
    return heard.startswith(b"HTTP/1.1 200") or b"scheduler" in heard


def over_tls(port: int) -> bool:
    """The same with a key of one's own."""
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    try:
        with (
            socket.create_connection(("127.0.0.1", port), timeout=3) as raw,
            context.wrap_socket(raw) as talk,
        ):
            talk.settimeout(0.7)
            talk.sendall(b"\0" * 64)
            return bool(talk.recv(4096))
    except OSError:
        return False


def test_two_threads_do_not_take_each_others_names(tmp_path: Path) -> None:
    put(tmp_path / "in", *(f"{k}.glb" for k in range(8)))
    pattern, found = "{tris}{ext}", []
    NamePattern.parse(pattern, rungs=1)

    def one(k: int) -> None:
        job = FileJob(str(tmp_path / "in"), f"{k}.glb", str(tmp_path / "out"), HALF.model_dump_json(), pattern)
        found.append(slim_file(job)["ok"])

    threads = [threading.Thread(target=one, args=(k,)) for k in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(found) == [False] * 7 + [True]
    shutil.rmtree(tmp_path / "out")


def test_of_all_who_claim_a_name_at_once_one_has_it(tmp_path: Path) -> None:
    folder = Written(tmp_path / "out", tmp_path / "in", "run")
    names = [f"{k}.glb" for k in range(150)]
    have: dict[str, list[int]] = {name: [] for name in names}
    ready = threading.Barrier(6)

    def claim(k: int) -> None:
        for name in names:
            ready.wait()
            with suppress(FileError):
                folder.claim(f"model {k}", {name: None})
                have[name].append(k)

    threads = [threading.Thread(target=claim, args=(k,)) for k in range(6)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert [len(have[name]) for name in names] == [1] * len(names)
    for name, (owner,) in have.items():
        folder.claim(f"model {owner}", {name: None})
    left = [f.name for f in (tmp_path / "out").rglob("*") if f.is_file()]
    assert len(left) == len(names), "nothing is left beside the claims"
