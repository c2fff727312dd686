"""A level that was written comes back as it was."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from able_brick.core.errors import AbleBrickError, InputError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.read import read_file
from able_brick.core.shapes.box import box
from able_brick.level.carried import fits
from able_brick.level.carried_meshes import mesh_as_rows, mesh_from_rows
from able_brick.session.importing import Taking, step_of
from able_brick.session.shipping import level_glb
from able_brick.steps.registry import TOOLS as TOOLS_OF
from tests.glb import edited
from tests.session.bench import Bench
from tests.session.test_machine import TOOLS, TwoLevels
from tests.thorough import by_day

CORNERED = [{"position": p} for p in ((0, 0, 0), (20.1, 0, 0.3), (20, 0, 20))]
SMOOTH = [{"position": p} for p in ((0, 0, 30), (14, 0, 36.7), (30, 2, 26))]
BESIDE = [{"position": p} for p in ((0, 0, 34), (14, 0, 42), (30, 2, 33))]
TURNED = {"place": "typed", "axes": "turned", "turn": (10, 30, 20)}
SLAB = box(1.0, 0.1, 3.0)
#: What a level is made of that has one of everything.
EVERYTHING: list[tuple[str, tuple[str, ...], dict[str, Any]]] = [
    ("line_array", ("placement-1",), {"count": 4, "spacing": 1.5}),
    ("swap_items", ("array-1",), {"becomes": "nothing", "items": (1,)}),
    ("swap_items", ("array-1",), {"becomes": "another piece", "piece": "piece-2", "items": (2,)}),
    ("place_piece", ("piece-1",), {"position": (0, 1, 44)}),
    ("line_array", ("placement-4",), {"form": "ring", "count": 5, "radius": 3.3}),
    ("lay_course", ("path-1",), {"piece": "piece-1", "corner": "piece-2", "corner_angle": 30, "gap": 0.01}),
    ("lay_course", ("path-2",), {"piece": "piece-1", "bend": True}),
    ("lay_course", ("path-2",), {"piece": "piece-3", "bend": True, "stations": "course-2"}),
    ("lay_course", ("path-2",), {"piece": "piece-1", "between": "path-3"}),
    ("place_piece", ("piece-3",), {"position": (3, 0, -3)}),
    ("set_pose", ("placement-2",), {"size": (1.3, 0.7, 2.1), "position": (0.1, 0.2, 0.3), "turn": (11, 22, 33)}),
    ("make_group", ("placement-2", "placement-3"), {}),
    ("make_group", ("group-1", "placement-5"), {}),
    ("group_pivot", ("group-2",), {**TURNED, "point": (1.1, 2, 3.3)}),
    ("live_mirror", ("group-1",), {"across": "x"}),
    ("line_array", ("group-2",), {"count": 3, "spacing": 1.1}),
    ("mirror", ("placement-5",), {"across": ("x",)}),
    ("set_pivot", ("piece-1",), {"anchor": {"x": "low", "y": "low", "z": "high"}, "outcome": "numbers stay"}),
    ("set_pivot", ("piece-2",), {**TURNED, "point": (0.1, 0.2, 0.3), "outcome": "numbers stay"}),
    ("make_ladder", ("piece-3",), {"rungs": [{"kind": "share", "value": 50}, {"kind": "share", "value": 25}]}),
    ("place_piece", ("piece-2",), {"position": (9.1, 0, 9)}),
    ("place_piece", ("piece-2",), {"position": (-9.1, 0, 9)}),
    ("tag_pieces", ("piece-1",), {"tags": ("quay",)}),
    ("live_half", ("piece-2",), {"across": "z", "through": "middle"}),
    ("live_smooth", ("piece-2",), {"levels": 1}),
    ("live_smooth", ("piece-1",), {"levels": 1, "creases": "by angle", "angle": 30.0}),
    ("keep_measure", (), {"start": (0.1, 0, 0), "end": (3, 0.7, 9)}),
    ("rename", ("placement-2",), {"name": "Kai–Mauer ✓"}),
    ("set_marks", ("array-1",), {"hide": True}),
    ("set_marks", ("group-2",), {"lock": True}),
]


def furnished(path: Path) -> Bench:
    bench = Bench(path)
    bench.do("add_shape", shape={"kind": "box", "width": 4.1, "height": 3.0, "depth": 0.6}, name="Wall")
    bench.do("add_shape", shape={"kind": "cylinder", "radius": 0.31, "height": 4.0}, name="Post", position=(7, 0, 1.7))
    letter = {"kind": "lettering", "text": "F", "height": 1.1, "depth": 0.4}
    bench.do("add_shape", shape=letter, name="Letter", position=(-3.3, 0, 2))
    for points in (CORNERED, SMOOTH, BESIDE):
        bench.do("draw_path", points=points, smooth=points is not CORNERED)
    return bench


def again(bench: Bench, to: Path, rungs: Rungs | None = "lod", edit: Callable[[Any], None] | None = None) -> Bench:
    """A new project with what comes of the file of a level."""
    name, data = level_glb(bench.project, bench.level, rungs=rungs)
    scene = read_file(name, data if edit is None else edited(data, edit))
    made = Bench(to)
    if not scene.parts and not scene.kept.rows["things"]:
        return made
    tool, meshes, textures = step_of(scene, name, Taking(), place=True)
    revision = made.project.revision(made.level)
    made.project.step(made.level, tool, (), revision, meshes=meshes, textures=textures)
    return made


#: What follows from coordinates, which files hold as float32.
_ROUNDED = ("low", "high", "kept", "hardware_vertices")


def rows_of(bench: Bench, *, meshes: bool) -> list[Any]:
    """The pieces and things of a level, with ids that say only the order of their kind; of meshes what is seen."""
    project = bench.project
    things = project.snapshot.of(bench.level)
    used = {p for t in things.values() for p in t.pieces}
    rows = [*(p for p in project.snapshot.pieces.values() if p.id in used), *things.values()]
    numbers: dict[str, count[int]] = {}
    ids = {bench.level: "level"}
    for row in rows:
        ids[row.id] = f"{row.kind} {next(numbers.setdefault(row.kind, count()))}"

    def plain(value: Any, key: str = "") -> Any:
        if isinstance(value, dict):
            return {k: plain(v, k) for k, v in value.items() if meshes or k not in _ROUNDED}
        if isinstance(value, (list, tuple)):
            return [plain(v, key) for v in value]
        if isinstance(value, str):
            hashed = len(value) == 40 and key in ("mesh", "source", "texture")
            return ids.get(value, "mesh" if hashed and not meshes else value)
        return value

    return [plain(_told(row, ids)) for row in rows]


def _told(row: Any, ids: dict[str, str]) -> dict[str, Any]:
    """A row without what tells of pieces that are in no file: rungs of another mesh, pieces that stand nowhere."""
    out: dict[str, Any] = row.model_dump()
    if row.kind == "piece":
        out["ladder"] = out["ladder"] if fits(row.ladder, row) else None
        out["slim"] = None if row.slim is None or row.slim.piece not in ids else out["slim"]
        out["twin"] = None if row.twin not in ids else row.twin
    elif row.kind == "group" and row.strewn is not None:
        whole = row.strewn.thing in ids and all(p in ids for p in row.strewn.pieces)
        out["strewn"] = out["strewn"] if whole else None
    return out


def same_rows(before: Bench, after: Bench, *, meshes: bool) -> None:
    for a, b in zip(rows_of(before, meshes=meshes), rows_of(after, meshes=meshes), strict=True):
        assert a.keys() == b.keys()
        assert {k: v for k, v in a.items() if v != b[k]} == {k: v for k, v in b.items() if v != a[k]}


def comes_back(bench: Bench, folder: Path, rungs: Rungs | None = "lod") -> None:
    first = again(bench, folder / "first.db", rungs)
    second = again(first, folder / "second.db", rungs)
    third = again(second, folder / "third.db", rungs)
    try:
        same_rows(bench, first, meshes=False)
        same_rows(first, second, meshes=True)
        same_rows(first, third, meshes=True)
        before, after, later = (list(b.vertices().values()) for b in (bench, first, second))
        for a, b, c in zip(before, after, later, strict=True):
            assert np.abs(a - b).max(initial=0.0) <= 1e-6 * max(1.0, np.abs(a).max(initial=0.0))
            np.testing.assert_array_equal(b, c)
        for made in (first, third):
            made.whole()
    finally:
        for made in (first, second, third):
            made.project.close()


def with_everything(path: Path) -> Bench:
    """A level with one of everything."""
    made = furnished(path)
    for tool, selection, params in EVERYTHING:
        made.do(tool, *selection, **params)
    return made


@pytest.fixture(scope="module")
def quay(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Bench]:
    made = with_everything(tmp_path_factory.mktemp("quay") / "quay.db")
    yield made
    made.project.close()


@pytest.mark.parametrize(
    "damage",
    [
        {"corners": [0, 1, 99]},
        {"positions": [[0.0, 0.0, 0.0]]},
        {"positions": "many"},
        {"sharp": [-5, 10**9]},
        {"material": [10**12]},
        {"smooth_angle": None},
        {"uv": [[1.0]]},
    ],
)
def test_a_mesh_that_is_edited_and_is_none_in_the_file_is_left_out(damage: dict[str, Any]) -> None:
    rows = mesh_as_rows(SLAB)
    assert rows is not None
    again = mesh_from_rows(rows)
    assert again is not None and again.content_hash == SLAB.content_hash
    assert mesh_from_rows({**rows, **damage}) is None
    assert mesh_from_rows(None) is mesh_from_rows([]) is mesh_from_rows({}) is None


@pytest.mark.parametrize("rungs", ["lod", "names"])
def test_a_level_with_one_of_everything_comes_back_over_three_passes(quay: Bench, tmp_path: Path, rungs: Rungs) -> None:
    rows = quay.rows()
    kinds = [r.kind for r in rows.values()]
    expected = {"piece": 3, "placement": 6, "array": 2, "path": 3, "course": 4, "group": 2, "measure": 1, "level": 1}
    assert {k: kinds.count(k) for k in set(kinds)} == expected
    assert rows["piece-3"].ladder is not None
    comes_back(quay, tmp_path, rungs)


@settings(
    max_examples=by_day(8, 20),
    deadline=None,
    suppress_health_check=list(HealthCheck),
    phases=(Phase.explicit, Phase.generate),
)
@given(st.data())
def test_whatever_a_level_is_made_of_comes_back(data: st.DataObject) -> None:
    world = TwoLevels()
    world.begin()
    try:
        bench = world.bench
        for _ in range(data.draw(st.integers(4, 25))):
            name = data.draw(st.sampled_from(sorted(TOOLS)))
            pick = data.draw(st.integers(0, 60))
            params = world.filled(bench.level, {k: data.draw(v) for k, v in TOOLS[name].items()}, pick)
            select = world.chosen(bench.level, name, pick)
            if "elements" in params:
                params["elements"] = world.picked(bench.level, select, pick, TOOLS_OF[name].takes)
            with suppress(AbleBrickError):
                bench.do(name, *select, **params)
        comes_back(bench, world.folder)
    finally:
        world.bench.project.close()
        shutil.rmtree(world.folder, ignore_errors=True)


def node(document: Any, name: str) -> Any:
    return next(n for n in document["nodes"] if n["name"] == name)


def kinds(bench: Bench) -> dict[str, str]:
    """The kinds of things by their names."""
    return {t.name: t.kind for t in bench.project.snapshot.of(bench.level).values()}


def in_float32(value: Any) -> Any:
    """The same JSON with its numbers as a tool that holds float32 writes them."""
    if isinstance(value, dict):
        return {k: in_float32(v) for k, v in value.items()}
    if isinstance(value, list):
        return [in_float32(v) for v in value]
    return float(np.float32(value)) if isinstance(value, float) else value


def test_a_pass_that_keeps_numbers_as_float32_and_orders_anew_changes_nothing(quay: Bench, tmp_path: Path) -> None:
    def edit(document: Any) -> None:
        document["nodes"] = in_float32(document["nodes"])
        for n in document["nodes"]:  # what is usual may be written as well
            n.setdefault("scale", [1.0, 1.0, 1.0])

    made = again(quay, tmp_path / "back.db", edit=edit)
    same_rows(quay, made, meshes=False)
    made.project.close()


def test_what_was_moved_elsewhere_stands_there_and_all_else_comes_back(quay: Bench, tmp_path: Path) -> None:
    def edit(document: Any) -> None:
        node(document, "Post 2").update(translation=[5.0, 6.0, 7.0], name="Elsewhere")
        node(document, "Post 3")["name"] = "Pile"
        node(document, "Group 2")["translation"] = [0.0, 0.0, 1.0]
        row = node(document, "Wall row")
        document["nodes"][row["children"][0]]["translation"] = [1.0, 0.0, 0.0]

    before, made = kinds(quay), again(quay, tmp_path / "back.db", edit=edit)
    things = {t.name: t for t in made.project.snapshot.of(made.level).values()}
    assert things["Elsewhere"].position == (5.0, 6.0, 7.0)
    assert things["Pile"].position == (-9.1, 0.0, 9.0)
    assert things["Wall row"].kind == "group", "an array of which an item was moved is what stands there"
    assert things["Group 2"].position == (0.0, 0.0, 1.0)
    assert things["Group 2"].repeat is None, "what a group shows in a place where it was not is what stands there"
    alike = {k for k, kind in before.items() if kind in ("array", "course", "path", "measure")} - {"Wall row"}
    assert len(alike) == 9
    assert all(things[name].kind == before[name] for name in alike)
    assert made.project.view(made.level).summary.placements == quay.project.view(quay.level).summary.placements
    made.project.close()


def test_things_without_what_they_need_are_refused_in_words(tmp_path: Path) -> None:
    bench = furnished(tmp_path / "trial.db")
    bench.do("line_array", "placement-1", count=3)
    row = bench.rows()["array-1"].model_dump(mode="json")
    before = bench.state()
    with pytest.raises(InputError, match=r"Wall row needs piece-1, which does not come with it"):
        bench.do("import_pieces", file="x.glb", things=[row], place=True)
    assert bench.state() == before
    bench.project.close()


def test_a_level_is_brought_in_twice_beside_itself_and_taken_back(quay: Bench, tmp_path: Path) -> None:
    """Pieces and levels that are there already stay as they are, and so do the levels that share them."""
    bench = with_everything(tmp_path / "trial.db")
    other = bench.other()
    bench.do("place_piece", "piece-1", level=other, position=(5, 0, 0))
    before, elsewhere = bench.state(), bench.state(other)
    points = bench.vertices()
    name, data = level_glb(bench.project, bench.level, rungs="names")
    for times in (2, 3):
        tool, meshes, textures = step_of(read_file(name, data), name, Taking(), place=True)
        revision = bench.project.revision(bench.level)
        bench.project.step(bench.level, tool, (), revision, meshes=meshes, textures=textures)
        assert len(bench.vertices()) == times * len(points)
    assert bench.state(other)[1] == elsewhere[1]
    bench.whole()
    for _ in range(2):
        bench.undo()
    assert bench.state() == before
    bench.redo()
    bench.whole()
    bench.project.close()


def test_what_is_called_like_a_rung_is_none_where_it_is_a_thing_of_its_own(tmp_path: Path) -> None:
    bench = Bench(tmp_path / "trial.db")
    for k, kind in enumerate(("box", "sphere", "cone")):
        bench.do("add_shape", shape={"kind": kind}, name=f"Lamp_LOD{k}")
    made = again(bench, tmp_path / "back.db")
    same_rows(bench, made, meshes=False)
    made.project.close()
    bench.project.close()
