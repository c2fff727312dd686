"""Columns say the same as JSON; the page's reader is tested with the example that is made here."""

from __future__ import annotations

import base64
import json
from pathlib import Path
from typing import Any

from able_brick.session.columns import columns_of
from able_brick.session.delta import Delta
from tests.columns import read_columns, with_placements_last
from tests.session.bench import Bench

EXAMPLE = Path(__file__).parents[2] / "web" / "src" / "testing" / "columns.json"


def made(bench: Bench) -> Delta:
    """A level with placements of all sorts, an array, and a course round a bend."""
    bench.do("add_shape", shape={"kind": "box"}, position=(0.1, -0.2, 1e-7))
    bench.do("add_shape", shape={"kind": "wedge"}, position=(5.0, 0.0, 0.0))
    bench.do("duplicate", "placement-1", distance=1.7, count=4)
    bench.do("turn", "placement-3", angle=30.0)
    bench.do("size", "placement-4", factors=(2.0, 2.0, 2.0))
    bench.do("make_group", "placement-3", "placement-4", name="Röhre „1“")
    bench.do("set_marks", "placement-5", hide=True)
    bench.do("set_marks", "placement-6", lock=True)
    bench.do("mirror", "placement-1", across=["z"], about_what="point")
    bench.do("line_array", "placement-2", count=5, spacing_by="metres", spacing=3.0)
    points = [{"position": (0, 0, 9)}, {"position": (9, 0, 9)}, {"position": (9, 0, 20)}]
    bench.do("draw_path", points=points)
    bench.do("lay_course", "path-1", piece="piece-1", bend=True)
    return bench.project.view(bench.level)


def test_columns_and_json_say_the_same(bench: Bench) -> None:
    view = made(bench)
    assert any(run.faces.size for runs in view.items.values() for run in runs), "several items in one mesh"
    told = json.loads(view.text())
    assert read_columns(columns_of(view, None)) == with_placements_last(told)
    assert any(r["kind"] == "placement" and r["group"] and r["turn"][3] < 1 for r in told["changed"])


def test_what_is_alike_is_told_once(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    delta = bench.do("duplicate", "placement-1", distance=1.0, count=1000)
    assert len(delta.columns()) < len(delta.text()) / 4
    assert read_columns(delta.columns()) == with_placements_last(json.loads(delta.text()))


def test_rows_that_columns_cannot_hold_are_told_as_json(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    view = bench.project.view(bench.level)
    row = next(r for r in view.changed if r.kind == "placement")
    odd = [row.changed(id=i) for i in ("placement-01", "placement-x", "placement-12345678901", "stone-3")]
    view.changed += [*odd, row.changed(level="level-7")]
    assert len(read_columns(view.columns())["changed"]) == len(view.changed)
    assert read_columns(view.columns())["changed"][-1]["id"] == row.id


def test_images_hidden_and_locked_rows_are_told_apart(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    view = bench.project.view(bench.level)
    row = next(r for r in view.changed if r.kind == "placement")
    wanted = [(image, hidden, locked) for image in (None, "x", "y", "z") for hidden in (0, 1) for locked in (0, 1)]
    view.changed += [
        row.changed(id=f"placement-{k}", image=image, hidden=bool(hidden), locked=bool(locked))
        for k, (image, hidden, locked) in enumerate(wanted, 2)
    ]
    told = [r for r in read_columns(view.columns())["changed"] if r["kind"] == "placement"][1:]
    assert [(r["image"], r["hidden"], r["locked"]) for r in told] == wanted


def head_of(data: bytes) -> Any:
    return json.loads(data[8 : 8 + int.from_bytes(data[4:8], "little")])


def shape_of(value: Any) -> Any:
    """What a value is made of, without its numbers and words."""
    if isinstance(value, dict):
        return {k: shape_of(v) for k, v in value.items()}
    return [shape_of(v) for v in value] if isinstance(value, list) else type(value).__name__


def test_the_example_of_the_page_is_up_to_date(bench: Bench) -> None:
    """Written anew where it is not there. Its numbers may differ in their last places from machine to machine."""
    view = made(bench)
    if not EXAMPLE.exists():
        told = with_placements_last(json.loads(view.text()))
        known = {"columns": base64.b64encode(view.columns()).decode(), "delta": told}
        EXAMPLE.write_text(json.dumps(known, indent=1) + "\n")
    example = json.loads(EXAMPLE.read_text())
    data = base64.b64decode(example["columns"])
    assert read_columns(data) == example["delta"]
    assert shape_of(head_of(data)) == shape_of(head_of(view.columns())), f"delete {EXAMPLE.name}, and have it made anew"
