"""Work that takes long: other steps go on meanwhile, and it can be stopped, refused and cut off."""

from __future__ import annotations

import io
import threading
import time
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import insert

from able_brick.core.errors import AbleBrickError, HistoryError, InputError, StaleRevisionError, UnknownIdError
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Instance, Scene, ScenePart
from able_brick.jobs.imports import Imports
from able_brick.level.recipe import SHIPPED, Recipe
from able_brick.level.rows import RungTarget
from able_brick.session.importing import Taking, pieces_of, take_in
from able_brick.session.project import Project
from able_brick.session.saving import save_copy
from able_brick.session.shipping import export
from able_brick.session.work import Job, Outcome, Work
from able_brick.steps.import_pieces import ImportPieces
from able_brick.steps.parse import parse_tool
from able_brick.store.tables import WORK
from tests.bench.growth import nodes_glb
from tests.session.bench import Bench
from tests.thorough import by_day
from tests.zoo import bumpy_ball

RUNGS = [{"kind": "share", "value": 50.0}, {"kind": "share", "value": 20.0}]


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    """Two levels, and a ball of many triangles on the shelf."""
    made = Bench(tmp_path / "trial.db")
    made.other()
    made.do("add_shape", shape={"kind": "box"})
    put(made, 60)
    return made


def put(bench: Bench, n: int) -> None:
    scene = Scene((ScenePart("Ball", bumpy_ball(n), ()),), (Instance(0, "Ball", np.eye(4)),))
    pieces, meshes, textures = pieces_of(scene)
    tool = ImportPieces(file="ball.glb", pieces=pieces, groups=(), place=False)
    revision = bench.project.revision(bench.level)
    bench.project.step(bench.level, tool, (), revision, meshes=meshes, textures=textures)


def done(work: Work, job: Job) -> Job:
    until = time.monotonic() + 60
    while not work.wait(job.id, 1.0, 1.0).ended:
        assert time.monotonic() < until
    return job


def tool() -> Any:
    return parse_tool("make_ladder", {"rungs": RUNGS})


def test_other_steps_go_on_while_it_works_and_it_is_put_onto_them(bench: Bench) -> None:
    other = next(k for k in bench.project.snapshot.levels if k != bench.level)
    told: list[float] = []

    def tell(share: float, words: str) -> None:
        if not told:
            bench.do("place_piece", "piece-1", level=other)
            bench.do("place_piece", "piece-2", position=(5, 0, 0))
            bench.do("rename", "piece-2", name="Sphere")
        told.append(share)
        assert words

    delta = bench.project.work(bench.level, tool(), ("piece-2",), tell)
    piece = bench.project.snapshot.pieces["piece-2"]
    assert piece.name == "Sphere"
    assert piece.ladder is not None
    assert len(piece.ladder.rungs) == 2
    assert delta.revision == bench.project.revision(bench.level)
    bench.whole()
    bench.undo()
    assert bench.project.snapshot.pieces["piece-2"].ladder is None
    bench.redo()
    assert bench.project.snapshot.pieces["piece-2"].ladder == piece.ladder


def test_it_is_refused_where_what_it_works_on_has_changed(bench: Bench) -> None:
    told: list[float] = []

    def tell(share: float, _words: str) -> None:
        if not told:
            bench.do("slim", "piece-2", result="same piece", share=70.0)
        told.append(share)

    with pytest.raises(HistoryError, match="was changed while it was worked on"):
        bench.project.work(bench.level, tool(), ("piece-2",), tell)
    assert bench.project.snapshot.pieces["piece-2"].ladder is None

    def delete(_share: float, _words: str) -> None:
        if "piece-2" in bench.project.snapshot.pieces:
            bench.do("delete", "piece-2")

    with pytest.raises(AbleBrickError, match="not there any more"):
        bench.project.work(bench.level, tool(), ("piece-2",), delete)
    bench.whole()


def test_a_job_tells_how_far_it_is_and_what_came_of_it(bench: Bench) -> None:
    work = Work()
    try:
        job = done(work, work.start(bench.project, bench.level, tool(), ("piece-2",)))
        assert (job.state, job.share) == ("done", 1.0)
        assert job.title == "Make ladder: Ball"
        assert job.note.startswith("Ball: ")
        assert job.revision == bench.project.revision(bench.level)
        failed = done(work, work.start(bench.project, bench.level, tool(), ("piece-77",)))
        assert failed.state == "failed"
        assert "piece-77" in failed.reason
        with pytest.raises(InputError, match="done at once"):
            work.start(bench.project, bench.level, parse_tool("move", {"by": (1, 0, 0)}), ())
        with pytest.raises(UnknownIdError):
            work.start(bench.project, "level-9", tool(), ())
        with pytest.raises(UnknownIdError):
            work.get("job-99")
        assert [j.id for j in work.all()] == ["job-1", "job-2"]
    finally:
        work.close()


def test_a_job_is_stopped_within_half_a_second_and_leaves_nothing(bench: Bench) -> None:
    put(bench, 260)
    before = bench.state()
    work = Work()
    try:
        deep = parse_tool("make_ladder", {"rungs": [{"kind": "deviation", "value": 0.01 * k} for k in range(1, 9)]})
        job = work.start(bench.project, bench.level, deep, ("piece-3",))
        behind = work.start(bench.project, bench.level, tool(), ("piece-2",))
        while work.wait(job.id, 0.1, 0.0).share <= 0.0:
            pass
        assert work.stop(behind.id).state == "stopped"
        asked = time.monotonic()
        work.stop(job.id)
        done(work, job)
        assert job.state == "stopped"
        assert time.monotonic() - asked < 2.0, "half a second when nothing else runs"
        assert bench.state() == before
    finally:
        work.close()


def test_steps_are_quick_while_a_job_works(bench: Bench) -> None:
    put(bench, 200)
    work = Work()
    try:
        job = work.start(bench.project, bench.level, tool(), ("piece-3",))
        taken = 0
        while not job.ended and taken < 50:
            try:
                bench.do("move", "placement-1", by=(1, 0, 0))
            except StaleRevisionError:
                continue  # what the job made was put in between the look and the step
            taken += 1
        done(work, job)
        assert job.state == "done", job.reason
        assert taken > 2
        assert bench.rows()["placement-1"].position[0] == taken
    finally:
        work.close()


def test_what_was_cut_off_is_told_once_when_the_file_is_opened(bench: Bench) -> None:
    with bench.project.begun("job-1", "Make ladder: Ball"):
        pass
    bench.reopen()
    assert bench.project.notes == []
    with bench.project._ledger.transaction() as connection:
        connection.execute(insert(WORK).values(id="job-1", title="Make ladder: Ball"))
    bench.reopen()
    assert bench.project.notes == [
        "Make ladder: Ball was cut off before it was done; nothing of it was kept. Start it again."
    ]
    bench.reopen()
    assert bench.project.notes == []


def test_rungs_stay_in_the_file_as_long_as_a_piece_has_them(bench: Bench) -> None:
    bench.do("make_ladder", "piece-2", rungs=RUNGS)
    ladder = bench.project.snapshot.pieces["piece-2"].ladder
    assert ladder is not None
    with bench.project._ledger.transaction() as connection:
        connection.exec_driver_sql("DELETE FROM journal_mesh")
    bench.reopen()
    for rung in ladder.rungs:
        assert bench.project.meshes.get(rung.mesh).triangle_count == rung.triangles
    copy = bench.path.with_name("copy.db")
    bench.project.save_copy(copy)
    other = Project(copy)
    assert other.meshes.get(ladder.rungs[0].mesh).triangle_count == ladder.rungs[0].triangles
    other.close()


def test_recipes_are_kept_and_those_that_ship_come_first(bench: Bench) -> None:
    shelf = bench.project.recipes
    assert shelf.all() == list(SHIPPED)
    mine = Recipe(name="Halves", rungs=(RungTarget(kind="share", value=50.0),))
    shelf.keep(mine)
    shelf.keep(Recipe(name="Halves", rungs=(RungTarget(kind="share", value=40.0),), keep_seams=False))
    bench.reopen()
    shelf = bench.project.recipes
    assert [r.name for r in shelf.all()] == [*(r.name for r in SHIPPED), "Halves"]
    assert not shelf.all()[-1].keep_seams
    copy = bench.path.with_name("copy.db")
    save_copy(
        bench.project._file,
        bench.project.snapshot,
        bench.project._ledger.now.states,
        bench.project.meshes,
        bench.project.pictures,
        copy,
        rows_only=True,
    )
    other = Project(copy)
    assert [r.name for r in other.recipes.all()][-1] == "Halves", "what is saved of a damaged file has them too"
    other.close()
    assert shelf.drop("Halves")
    assert not shelf.drop("Halves")


def test_two_jobs_at_once_are_done_one_after_the_other(bench: Bench) -> None:
    work = Work()
    try:
        started = threading.Barrier(2)
        jobs: list[Job] = []
        shares = count()

        def begin() -> None:
            started.wait()
            rungs = [{"kind": "share", "value": 50.0 + next(shares)}]
            jobs.append(
                work.start(bench.project, bench.level, parse_tool("make_ladder", {"rungs": rungs}), ("piece-2",))
            )

        threads = [threading.Thread(target=begin) for _ in range(2)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        for job in jobs:
            assert done(work, job).state == "done"
        assert len({j.revision for j in jobs}) == 2
    finally:
        work.close()


def test_a_level_is_exported_beside_other_work_and_a_cancelled_one_leaves_no_file(bench: Bench) -> None:
    bench.do("duplicate", "placement-1", distance=1.0, count=1500)
    work = Work()
    begun = threading.Event()

    def slowly(tell: Any, room: Any) -> Outcome:
        def hear(share: float, words: str) -> None:
            begun.set()
            time.sleep(0.1)
            tell(share, words)

        return export(bench.project, bench.level, room, hear)

    try:
        job = done(
            work,
            work.begin(
                bench.project, bench.level, "Export", "export", lambda t, r: export(bench.project, bench.level, r, t)
            ),
        )
        assert job.state == "done" and job.file is not None and "items" in job.note
        assert len(read_file(job.file.name, job.file.read_bytes()).instances) > 1500
        stopped = work.begin(bench.project, bench.level, "Export", "export", slowly)
        assert begun.wait(10)
        start = time.monotonic()
        work.stop(stopped.id)
        assert done(work, stopped).state == "stopped"
        assert time.monotonic() - start < 2
        assert stopped.file is None
    finally:
        work.close()
    assert job.file is not None and not job.file.exists()


class _EnoughError(Exception):
    """It has been heard enough."""


def test_a_file_of_much_is_taken_in_beside_other_work_or_not_at_all(bench: Bench) -> None:
    imports = Imports()
    try:
        incoming = imports.take({"posts.glb": io.BytesIO(nodes_glb(2500, 3))})
        while imports.wait(incoming.id, 1.0, 1.0).state == "reading":
            pass
        before = bench.state()

        def enough(share: float, _words: str) -> None:
            if share > 0.5:
                raise _EnoughError

        with pytest.raises(_EnoughError):
            take_in(bench.project, imports, incoming.id, bench.level, None, Taking(), place=True, tell=enough)
        assert bench.state() == before
        heard: list[float] = []

        def tell(share: float, _words: str) -> None:
            if not heard:
                bench.do("move", "placement-1", by=(1, 0, 0))
            heard.append(share)

        told = take_in(bench.project, imports, incoming.id, bench.level, None, Taking(), place=True, tell=tell)
        assert heard == sorted(heard) and len(heard) > 4
        assert told.note == "3 pieces from posts.glb"
        assert len([r for r in told.changed if r.kind == "placement"]) == 2500
        bench.whole()
        bench.undo()
        bench.undo()
        assert bench.state()[0] == before[0]
    finally:
        imports.close()


def test_a_last_step_that_takes_long_is_adjusted_beside_other_work(bench: Bench) -> None:
    slim = {"target": "share", "result": "new piece"}
    bench.do("slim", "piece-2", **slim, share=50.0)
    other = next(k for k in bench.project.snapshot.levels if k != bench.level)
    step = bench.project.last_step(bench.level)
    assert step is not None
    told: list[float] = []

    def tell(share: float, words: str) -> None:
        if not told:
            bench.do("rename", "piece-1", name="Crate", level=other)
        told.append(share)

    delta = bench.project.adjust_beside(bench.level, parse_tool("slim", {**slim, "share": 10.0}), step, tell)
    assert told and bench.rows()["piece-1"].name == "Crate"
    assert [r.id for r in delta.changed] == ["piece-3"], "the same piece, made again"
    assert bench.rows()["piece-3"].facts.triangles <= 0.1 * bench.rows()["piece-2"].facts.triangles + 1
    bench.undo()
    assert "piece-3" not in bench.rows(), "one step for both"
    bench.redo()

    work = Work()
    try:
        again = parse_tool("slim", {**slim, "share": 20.0})
        first = work.start(bench.project, bench.level, again, (), adjust_last=True)
        assert done(work, first).state == "done" and first.title == "Slim: Ball"
        with pytest.raises(HistoryError, match="not Make ladder"):
            work.start(bench.project, bench.level, tool(), (), adjust_last=True)

        def moved_on(share: float, words: str) -> None:
            if bench.project.last_step(bench.level) == step:
                bench.do("place_piece", "piece-1")

        with pytest.raises(HistoryError, match="Another step was made"):
            bench.project.adjust_beside(bench.level, parse_tool("slim", {**slim, "share": 5.0}), step, moved_on)
        assert bench.rows()["piece-3"].facts.triangles > 0.15 * bench.rows()["piece-2"].facts.triangles
    finally:
        work.close()


@pytest.mark.parametrize("name", by_day(["make_ladder", "share_budget"], ["make_ladder", "slim_level", "share_budget"]))
def test_what_makes_many_rungs_is_adjusted_as_one_step(bench: Bench, name: str) -> None:
    settings: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
        "make_ladder": (
            {"rungs": [{"kind": "share", "value": 50.0}]},
            {"rungs": [{"kind": "share", "value": v} for v in (25.0, 10.0)]},
        ),
        "slim_level": ({"budget": 100_000, "pixels": 2.0}, {"budget": 100_000, "pixels": 40.0}),
        "share_budget": ({"share": 60.0}, {"share": 20.0}),
    }
    first, second = settings[name]
    before = bench.state()[0]
    chosen = () if name == "slim_level" else ("piece-2",)
    if name == "slim_level":
        bench.do("place_piece", "piece-2", position=(8, 0, 0))
        before = bench.state()[0]
    work = Work()
    try:
        made = work.start(bench.project, bench.level, parse_tool(name, first), chosen)
        assert done(work, made).state == "done"
        once = bench.rows()
        again = work.start(bench.project, bench.level, parse_tool(name, second), chosen, adjust_last=True)
        assert done(work, again).state == "done"
    finally:
        work.close()
    ball = bench.rows()["piece-2"]
    if name == "share_budget":
        assert ball.facts.triangles < 0.5 * once["piece-2"].facts.triangles
    else:
        assert ball.ladder is not None and once["piece-2"].ladder is not None
        assert ball.ladder.rungs[0].triangles < once["piece-2"].ladder.rungs[0].triangles
        assert ball.ladder.source == ball.mesh
    if name == "make_ladder":
        assert len(ball.ladder.rungs) == 2
    bench.undo()
    assert bench.state()[0] == before, "one step for both"
    bench.redo()
    assert bench.rows()["piece-2"] == ball
