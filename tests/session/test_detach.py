"""Faces taken out of a piece that another level shows as well."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from able_brick.core.errors import HistoryError, SelectionError
from able_brick.session.project import Project
from able_brick.steps.parse import parse_tool


class Two:
    """A project with two levels that show one crate."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.one, self.other = (project.create_level(name).id for name in ("Upper", "Lower"))
        self.do(self.one, "add_shape", shape={"kind": "box"}, name="Crate")
        self.do(self.other, "place_piece", "piece-1", position=(5, 0, 0))

    def do(self, level: str, tool: str, *rows: str, **params: Any) -> None:
        self.project.step(level, parse_tool(tool, params), rows, self.project.revision(level))

    def detach(self) -> None:
        elements = {"mesh": self.project.snapshot.pieces["piece-1"].mesh, "kind": "face", "ids": [[0, 0]]}
        self.do(self.one, "detach", "placement-1", elements=elements)

    def pieces(self, level: str) -> list[str]:
        return [r.piece for r in self.project.snapshot.of(level).values()]


@pytest.fixture
def two(tmp_path: Path) -> Iterator[Two]:
    with closing(Project(tmp_path / "two.db")) as project:
        yield Two(project)


def test_what_is_detached_stands_in_the_other_level_too_and_goes_with_undo(two: Two) -> None:
    two.detach()
    assert two.pieces(two.one) == two.pieces(two.other) == ["piece-1", "piece-2"]
    beside = list(two.project.snapshot.of(two.other).values())[-1]
    assert (beside.level, beside.position) == (two.other, (5, 0, 0))
    two.project.undo(two.one, two.project.revision(two.one))
    assert two.pieces(two.one) == two.pieces(two.other) == ["piece-1"]
    two.project.redo(two.one, two.project.revision(two.one))
    two.do(two.other, "move", beside.id, by=(1, 0, 0))
    with pytest.raises(HistoryError, match="changed since, in another level"):
        two.project.undo(two.one, two.project.revision(two.one))
    assert two.pieces(two.other) == ["piece-1", "piece-2"]


def test_nothing_is_taken_out_of_what_is_locked_elsewhere(two: Two) -> None:
    two.do(two.other, "set_marks", "placement-2", lock=True)
    with pytest.raises(SelectionError, match="Crate in Lower is locked"):
        two.detach()
    assert two.pieces(two.one) == two.pieces(two.other) == ["piece-1"]
