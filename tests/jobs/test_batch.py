"""Batches: names, records, bad files, cut off and gone on with, workers that die."""

from __future__ import annotations

import csv
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from able_brick.core.errors import AbleBrickError, InputError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Material, ScenePart
from able_brick.jobs.batch import Progress, check_names, models_in, run_batch
from able_brick.jobs.naming import NamePattern
from able_brick.jobs.slim_file import FileJob, slim_file
from able_brick.jobs.written import RECORDS, Written
from able_brick.level.recipe import Recipe
from able_brick.level.rows import RungTarget
from tests.thorough import by_day, long
from tests.zoo import bumpy_ball

HALVES = Recipe(name="Halves", rungs=tuple(RungTarget(kind="share", value=v) for v in (50.0, 20.0)))
#: Models of a batch that is disturbed, and those of them that cannot be read.
MODELS, BROKEN = by_day((18, 5), (40, 10))
QUIET: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "start_new_session": True}


def fill(folder: Path, count: int, *, broken: int = 0, size: int = 12) -> None:
    """Models in three folders, some of which are none."""
    for k in range(count):
        inner = folder / f"shelf {k % 3}"
        inner.mkdir(parents=True, exist_ok=True)
        if k < broken:
            (inner / f"piece {k}.glb").write_bytes(b"glTF" + bytes(range(40)) * k)
        else:
            part = ScenePart(f"Piece {k}", bumpy_ball(size + k % 5), (Material("stone"),))
            (inner / f"piece {k}.glb").write_bytes(write_glb([part]))


def job(folder: Path, path: str, target: Path, **how: Any) -> FileJob:
    recipe = how.pop("recipe", HALVES).model_dump_json()
    return FileJob(str(folder), path, str(target), recipe, how.pop("pattern", "{folder}/{name}_{rung}{ext}"))


def recorded(target: Path) -> list[dict[str, Any]]:
    return [json.loads(p.read_text()) for p in (target / RECORDS).rglob("*.json")]


def test_a_file_is_done_once_for_the_same_content_and_recipe(tmp_path: Path) -> None:
    fill(tmp_path / "in", 1)
    out = tmp_path / "out"
    one = job(tmp_path / "in", "shelf 0/piece 0.glb", out)
    report = slim_file(one)
    assert report["ok"], report
    assert [r["file"] for r in report["rungs"]] == ["shelf 0/piece 0_1.glb", "shelf 0/piece 0_2.glb"]
    scene = read_file("x.glb", (out / "shelf 0/piece 0_2.glb").read_bytes())
    assert scene.parts[0].name == "Piece 0"
    assert scene.parts[0].materials[0].name == "stone"
    assert scene.parts[0].mesh.triangle_count == report["rungs"][1]["triangles"]
    again = slim_file(one)
    assert again["again"]
    assert again["rungs"] == report["rungs"]
    (out / "shelf 0/piece 0_1.glb").unlink()
    assert "again" not in slim_file(one)
    other = Recipe(name="One", rungs=HALVES.rungs[:1])
    assert "again" not in slim_file(job(tmp_path / "in", "shelf 0/piece 0.glb", out, recipe=other))
    assert not list(out.rglob("*.part"))


@pytest.mark.parametrize("data", [b"", b"glTF", b"not a model", bytes(1000)])
def test_a_bad_file_is_told_and_leaves_nothing(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in/bad.glb").write_bytes(data)
    report = slim_file(job(tmp_path / "in", "bad.glb", tmp_path / "out"))
    assert not report["ok"]
    assert report["reason"]
    assert not (tmp_path / "out").exists()
    assert not slim_file(job(tmp_path / "in", "none.glb", tmp_path / "out"))["ok"]


def test_a_full_disk_is_told_and_leaves_no_half(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    fill(tmp_path / "in", 1)

    def full(self: Path, _data: bytes) -> int:
        raise OSError(28, "No space left on device", str(self))

    with monkeypatch.context() as patch:
        patch.setattr(Path, "write_bytes", full)
        report = slim_file(job(tmp_path / "in", "shelf 0/piece 0.glb", tmp_path / "out"))
    assert report["reason"] == "No space left on device"
    assert not [p for p in (tmp_path / "out").rglob("*") if p.is_file() and "claims" not in p.parent.name]


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("", "empty"),
        ("{name}{ext}", "rung"),
        ("{name}_{rung}", "ending"),
        ("{nome}_{rung}{ext}", "can name"),
        ("{name.__class__}_{rung}{ext}", "can name"),
        ("{name!r}_{rung}{ext}", "can name"),
        ("{rung:99999999d}{ext}", "can name"),
        ("{name", "cannot be read"),
        ("../{name}_{rung}{ext}", "lead out"),
        ("/{name}_{rung}{ext}", "lead out"),
        ("{name}_{rung}.exe", "cannot be written"),
        ("x" * 300 + "{rung}{ext}", "longer"),
    ],
)
def test_patterns_that_cannot_be_are_refused(text: str, word: str) -> None:
    with pytest.raises(InputError, match=word if word != "ending" else "cannot be written"):
        NamePattern.parse(text, rungs=2)


def test_names_that_collide_are_refused_before_anything_is_begun(tmp_path: Path) -> None:
    fill(tmp_path / "in", 4)
    shutil.copy(tmp_path / "in/shelf 0/piece 0.glb", tmp_path / "in/shelf 1/piece 0.glb")
    written = Written((tmp_path / "out").resolve(), (tmp_path / "in").resolve(), "run")
    flat = NamePattern.parse("{name}_{rung}{ext}", rungs=2)
    with pytest.raises(InputError, match="would both be written as piece 0_1"):
        check_names(written, flat, 2)
    assert check_names(written, NamePattern("{folder}/{name}_{rung}{ext}"), 2) == 5


def test_what_is_written_is_not_read_again(tmp_path: Path) -> None:
    fill(tmp_path, 2)
    (tmp_path / "out").mkdir()
    shutil.copy(tmp_path / "shelf 0/piece 0.glb", tmp_path / "out/piece 0.glb")
    assert list(models_in(tmp_path, without=tmp_path / "out")) == ["shelf 0/piece 0.glb", "shelf 1/piece 1.glb"]


def test_folders_that_cannot_be_are_refused(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "file").write_text("x")
    for source, target in ((tmp_path / "none", tmp_path / "out"), (tmp_path / "in", tmp_path / "in")):
        with pytest.raises(AbleBrickError):
            run_batch(source, target, HALVES)
    with pytest.raises(AbleBrickError, match="cannot be written to"):
        run_batch(tmp_path / "in", tmp_path / "file", HALVES)


def command(source: Path, target: Path, *more: str) -> list[str]:
    recipe = target.with_name("recipe.json")
    recipe.write_text(HALVES.model_dump_json())
    words = ["batch", str(source), str(target), "--recipe", str(recipe), "--json", *more]
    return [sys.executable, "-m", "able_brick.cli", *words]


def wait_for(target: Path, count: int) -> None:
    until = time.monotonic() + 120
    while len(list((target / RECORDS).rglob("*.json"))) < count:
        assert time.monotonic() < until
        time.sleep(0.02)


def check_whole(source: Path, target: Path, total: int) -> None:
    """Every good file is there once, whole, and every broken one is told."""
    report = json.loads((target / "report.json").read_text())
    assert len(report) == total
    assert sum(r["ok"] for r in report) == total - BROKEN
    assert all(r["reason"] for r in report if not r["ok"])
    assert len(recorded(target)) == total - BROKEN
    assert len(list(target.rglob("*_1.glb"))) == len(list(target.rglob("*_2.glb"))) == total - BROKEN
    assert not list(target.rglob("*.part"))
    with (target / "report.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 2 * (total - BROKEN) + BROKEN
    order = [r["file"] for r in report]
    assert order == [str(p.relative_to(source)) for p in sorted(source.rglob("*.glb"))], "the order of their names"
    assert list(dict.fromkeys(r["file"] for r in rows)) == order


def test_a_batch_that_is_killed_goes_on_where_it_stopped(tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    fill(source, MODELS, broken=BROKEN)
    begun = subprocess.Popen(
        command(source, target, "--jobs", "2"),
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    wait_for(target, 4)
    os.killpg(begun.pid, signal.SIGKILL)
    begun.wait()
    time.sleep(1.0)
    before = {p: p.stat().st_mtime_ns for p in (target / RECORDS).rglob("*.json")}
    assert 4 <= len(before) < MODELS - BROKEN
    done = subprocess.run(
        command(source, target, "--jobs", "2"), capture_output=True, text=True, check=False, timeout=300
    )
    assert done.returncode == 1, done.stderr
    told = json.loads(done.stdout)
    assert told == {"total": MODELS, "done": MODELS - BROKEN, "failed": BROKEN, "again": len(before)}
    assert {p: p.stat().st_mtime_ns for p in before} == before, "what was done is done once"
    check_whole(source, target, MODELS)


@contextmanager
def cluster(tmp_path: Path) -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """A scheduler and two workers on loopback, each a process of its own."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    address = f"tcp://127.0.0.1:{port}"
    dask = [sys.executable, "-m", "dask"]
    processes = [
        subprocess.Popen([*dask, "scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"], **QUIET)
    ]
    for k in range(2):
        local = ["--nthreads", "1", "--no-dashboard", "--local-directory", str(tmp_path / f"worker {k}")]
        processes.append(subprocess.Popen([*dask, "worker", address, *local], **QUIET))
    try:
        yield address, processes[1:]
    finally:
        for p in processes:
            if p.poll() is None:
                os.killpg(p.pid, signal.SIGKILL)
                p.wait()


def test_a_worker_of_a_cluster_that_dies_stops_nothing(tmp_path: Path) -> None:
    source, target = tmp_path / "in", tmp_path / "out"
    fill(source, MODELS, broken=BROKEN)
    with cluster(tmp_path) as (address, workers):
        from dask.distributed import Client

        until = time.monotonic() + 60
        while True:
            try:
                with Client(address, timeout=5) as client:
                    client.wait_for_workers(2, timeout=60)
                break
            except OSError:
                assert time.monotonic() < until

        def tell(now: Progress) -> None:
            if now.ended == MODELS // 2 and workers[0].poll() is None:
                os.killpg(workers[0].pid, signal.SIGKILL)

        done = run_batch(source, target, HALVES, scheduler=address, tell=tell)
    assert (done.done, done.failed) == (MODELS - BROKEN, BROKEN)
    check_whole(source, target, MODELS)


@long
def test_two_batches_are_not_in_each_others_way(tmp_path: Path) -> None:
    fill(tmp_path / "in", 2)
    with ThreadPoolExecutor(2) as both:
        begun = [both.submit(run_batch, tmp_path / "in", tmp_path / f"out {k}", HALVES, jobs=1) for k in range(2)]
        assert [(b.result().done, b.result().failed) for b in begun] == [(2, 0)] * 2


def test_no_scheduler_is_told_in_a_sentence(tmp_path: Path) -> None:
    fill(tmp_path / "in", 1)
    with pytest.raises(OSError, match="Timed out"):
        run_batch(tmp_path / "in", tmp_path / "out", HALVES, scheduler="tcp://127.0.0.1:9")


def test_one_file_of_each_model_may_have_all_rungs(tmp_path: Path, shared_workers: str) -> None:
    fill(tmp_path / "in", 2)
    done = run_batch(tmp_path / "in", tmp_path / "out", HALVES, rungs="lod", scheduler=shared_workers)
    assert (done.done, done.failed) == (2, 0)
    made = sorted(str(p.relative_to(tmp_path / "out")) for p in (tmp_path / "out").rglob("*.glb"))
    assert made == ["shelf 0/piece 0.glb", "shelf 1/piece 1.glb"]
    (part,) = read_file("x.glb", (tmp_path / "out" / made[0]).read_bytes()).parts
    report = json.loads((tmp_path / "out" / "report.json").read_text())[0]
    assert [r.mesh.triangle_count for r in part.rungs] == [r["triangles"] for r in report["rungs"]]
    assert part.mesh.triangle_count == report["triangles"]
    again = run_batch(tmp_path / "in", tmp_path / "out", HALVES, rungs="lod", scheduler=shared_workers)
    assert again.again == 2
    names = run_batch(tmp_path / "in", tmp_path / "out", HALVES, rungs="names", scheduler=shared_workers)
    assert names.again == 0, "another way to write is another result"
