"""Steps that change nothing: they say so and leave none behind."""

from __future__ import annotations

import pytest

from able_brick.core.mesh.topology import topology
from able_brick.level.elements import Elements
from able_brick.steps.parse import parse_tool
from tests.session.bench import Bench


def test_a_step_that_changes_nothing_is_told_and_leaves_none(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"}, name="Crate")
    bench.do("rename", "placement-1", name="Chest")
    before, state = bench.project.revision(bench.level), bench.state()
    told = bench.do("rename", "placement-1", name="Chest")
    assert (told.idle, told.revision, told.changed) == (True, before, [])
    assert told.note == "Rename: nothing changed, so no step was made"
    assert told.history.last is not None
    assert told.history.last.tool == "rename"
    assert bench.state() == state
    # what was done before is what undo takes back, and what was undone can be had again
    bench.undo()
    bench.do("move", "placement-1", by=(0, 0, 0))
    assert bench.project.view(bench.level).history.redo is not None
    bench.redo()
    assert bench.rows()["placement-1"].name == "Chest"
    # a step that is there may come to nothing when its settings change: it stays, and may change again
    bench.do("move", "placement-1", by=(1, 0, 0))
    assert not bench.adjust("move", by=(0, 0, 0)).idle
    bench.adjust("move", by=(2, 0, 0))
    assert bench.rows()["placement-1"].position[0] == 2
    bench.whole()


@pytest.mark.parametrize(
    ("tool", "kind", "params"),
    [
        ("move_elements", "face", {"by": (0.0, 0.0, 0.0)}),
        ("even_out", "edge", {}),
        ("flatten", "face", {}),
        ("size_elements", "vertex", {"shares": (100.0, 100.0, 100.0)}),
    ],
)
def test_shaping_that_changes_nothing_leaves_no_step(
    bench: Bench, tool: str, kind: str, params: dict[str, object]
) -> None:
    bench.do("add_shape", shape={"kind": "box"}, name="Crate")
    mesh = bench.project.meshes.get(bench.rows()["piece-1"].mesh)
    ids = topology(mesh).corner_edge[:4].tolist() if kind == "edge" else [0]
    picked = Elements.of(mesh.content_hash, ids, kind).model_dump()  # type: ignore[arg-type]
    before = bench.project.revision(bench.level)
    told = bench.project.step(bench.level, parse_tool(tool, {"elements": picked, **params}), ("placement-1",), before)
    assert told.idle
    assert told.elements is not None, "what is picked stays picked"
    assert told.elements.mesh == mesh.content_hash
    assert bench.project.revision(bench.level) == before
