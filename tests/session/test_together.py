"""Several at once: who looks does not wait for who writes, and nobody is kept from ending by those who go on."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

from able_brick.session.project import Project
from able_brick.steps import registry
from able_brick.steps.draft import no_progress
from able_brick.steps.parse import parse_tool
from tests.session.bench import Bench

#: Seconds after which something waits for ever.
LONG = 20.0


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    """Two levels with a box each."""
    made = Bench(tmp_path / "trial.db")
    made.do("add_shape", shape={"kind": "box"})
    made.do("place_piece", "piece-1", level=made.other())
    return made


def other_of(bench: Bench) -> str:
    return next(k for k in bench.project.snapshot.levels if k != bench.level)


def test_who_looks_does_not_wait_for_who_writes(bench: Bench) -> None:
    project = bench.project
    move = parse_tool("move", {"by": (1, 0, 0)})
    asked: list[Callable[[], Any]] = [
        lambda: project.view(bench.level),
        lambda: project.view_bytes(bench.level),
        lambda: project.preview(bench.level, move, ("placement-1",), project.revision(bench.level)),
        lambda: project.last_step(bench.level),
        lambda: project.earlier(bench.level, "placement-1"),
        lambda: project.snapshot.levels,
    ]
    with ThreadPoolExecutor(1) as others:
        # as while a large change is being written
        with project._ledger.guard, project._ledger.transaction():
            told = [others.submit(ask).result(LONG) for ask in asked]
        assert all(told)


class Busy:
    """Somebody who makes a step in a level whenever somebody else has got on a little."""

    def __init__(self, project: Project, level: str, placement: str) -> None:
        self._project, self._level, self._placement = project, level, placement
        self._others = ThreadPoolExecutor(1)
        self.made = 0

    def go_on(self, *_: object) -> None:
        """Make a step, unless one has to wait for that."""
        done = threading.Event()

        def step() -> None:
            revision = self._project.revision(self._level)
            tool = parse_tool("move", {"by": (1, 0, 0)})
            self._project.step(self._level, tool, (self._placement,), revision)
            self.made += 1
            done.set()

        self._others.submit(step)
        done.wait(0.3)

    def end(self) -> None:
        self._others.shutdown()


@pytest.mark.parametrize("how", ["step", "adjust", "work", "adjust beside"])
def test_a_change_ends_though_others_make_theirs_all_the_time(
    bench: Bench, monkeypatch: pytest.MonkeyPatch, how: str
) -> None:
    busy = Busy(bench.project, other_of(bench), "placement-2")
    bench.do("duplicate", "placement-1", distance=2.0, count=2)
    apply, tries = registry.apply, 0

    def slowly(snapshot: Any, level: str, *args: Any, **kwargs: Any) -> Any:
        nonlocal tries
        if level == bench.level:
            tries += 1
            assert tries < 20, "it begins again for ever"
            busy.go_on()
        return apply(snapshot, level, *args, **kwargs)

    monkeypatch.setattr(registry, "apply", slowly)
    tool = parse_tool("duplicate", {"distance": 3.0, "count": 5})
    project, level = bench.project, bench.level
    if how == "step":
        project.step(level, tool, ("placement-1",), project.revision(level))
    elif how == "adjust":
        project.adjust_last(level, tool, project.revision(level))
    elif how == "work":
        project.work(level, tool, ("placement-1",), no_progress)
    else:
        last = project.last_step(level)
        assert last is not None
        project.adjust_beside(level, tool, last, no_progress)
    busy.end()
    assert 1 < tries < 5
    assert bench.rows(other_of(bench))["placement-2"].position[0] == busy.made
    bench.whole()
