"""What other tools tell of nodes goes through a level and out again."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import InputError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.extras import MOST_EXTRAS, checked_extras, others_extras
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Node, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.shapes.box import box
from able_brick.session.importing import Taking, step_of
from able_brick.session.shipping import level_glb
from tests.glb import document_of, edited
from tests.session.bench import Bench
from tests.session.test_round_trips import comes_back

DOOR = {"kind": "door", "hinge": [0.5, 0, "links"], "deep": {"ä": None, "open": True}}
SCENE = write_glb(
    [ScenePart("Gate", box(1.0, 2.0, 0.2))],
    [
        Node("Pair", children=(Node("Left", 0, extras=DOOR), Node("Right", 0, (2.0, 0.0, 0.0))), extras={"team": 7}),
        Node("Alone", 0, (0.0, 0.0, 5.0), extras={"piece": "x", "kind": "crate"}),
    ],
    lean=False,
)


def by_name(data: bytes) -> dict[str, Any]:
    return {n["name"]: n.get("extras", {}) for n in document_of(data)["nodes"]}


@pytest.fixture
def bench(tmp_path: Path) -> Any:
    made = Bench(tmp_path / "trial.db")
    take(made, SCENE)
    yield made
    made.project.close()


def take(bench: Bench, data: bytes) -> None:
    tool, meshes, textures = step_of(read_file("gate.glb", data), "gate.glb", Taking(), place=True)
    revision = bench.project.revision(bench.level)
    bench.project.step(bench.level, tool, (), revision, meshes=meshes, textures=textures)


def test_they_stand_with_placements_and_groups_and_are_written_again(bench: Bench) -> None:
    rows = {r.name: r for r in bench.rows().values() if r.kind in ("placement", "group")}
    assert json.loads(rows["Left"].extras) == DOOR
    assert json.loads(rows["Pair"].extras) == {"team": 7}
    assert rows["Right"].extras is None
    written = by_name(level_glb(bench.project, bench.level)[1])
    assert written["Left"].items() >= DOOR.items()
    assert written["Pair"]["team"] == 7 and written["Pair"]["kind"] == "group"
    assert written["Alone"].items() >= {"piece": "x", "kind": "crate"}.items()
    assert by_name(level_glb(bench.project, bench.level, lean=True)[1])["Left"] == {}
    bench.whole()


def test_they_come_back_and_what_was_changed_elsewhere_counts(bench: Bench, tmp_path: Path) -> None:
    bench.do("duplicate", "placement-1", distance=4.0, count=2)
    bench.do("line_array", "placement-3", count=3, spacing=2)
    comes_back(bench, tmp_path)
    other = Bench(tmp_path / "other.db")
    data = level_glb(bench.project, bench.level)[1]

    def edit(document: Any) -> None:
        left = next(n for n in document["nodes"] if n["name"] == "Left")
        left["extras"]["hinge"] = "none"

    take(other, edited(data, edit))
    left = next(r for r in other.rows().values() if r.kind == "placement" and r.name == "Left")
    assert json.loads(left.extras) == {**DOOR, "hinge": "none"}
    other.project.close()


def test_files_keep_them_without_a_level() -> None:
    scene = read_file("gate.glb", SCENE)
    assert not scene.notes
    again = by_name(write_file("gate.glb", scene)["gate.glb"])
    assert again["Left"] == DOOR and again["Pair"]["team"] == 7


def test_what_is_too_long_or_no_object_is_told(bench: Bench) -> None:
    def edit(document: Any) -> None:
        document["nodes"][1]["extras"] = {"long": "x" * MOST_EXTRAS}
        document["nodes"][2]["extras"] = [1, 2]

    scene: Scene = read_file("gate.glb", edited(SCENE, edit))
    assert "Extras of 2 nodes were left out (Left, Right)." in scene.notes
    assert {i.name: i.extras for i in scene.instances}["Left"] == ""
    assert np.array_equal(scene.instances[0].matrix, np.eye(4))


@pytest.mark.parametrize(
    "text", ["[1]", "{", '{"a": NaN}', '{"a": "\ud800"}', "{" * 3000, '{"a":' * 900 + "1" + "}" * 900, "x"]
)
def test_texts_that_are_no_extras_are_refused(bench: Bench, text: str) -> None:
    with pytest.raises(ValueError):
        checked_extras(text)
    before = bench.state()
    with pytest.raises(InputError):
        bench.do("import_pieces", groups=[{"name": "G", "extras": text}], file="x")
    assert bench.state() == before


def test_our_own_words_are_not_taken_for_theirs() -> None:
    assert others_extras({"kind": "array", "piece": "Wall", "thing": "array-1"}) == ("", False)
    assert others_extras({"kind": "x", "MSFT_screencoverage": [1]}) == ('{"kind":"x"}', False)
    assert others_extras({}) == ("", False)
