"""Nothing is committed that cannot be shown: it is refused in words, whatever the tool."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from able_brick.core.errors import AbleBrickError
from able_brick.level.rows import Surface
from able_brick.session import ledger
from able_brick.steps import registry
from able_brick.steps.import_pieces import Imported, ImportPieces
from tests.session.bench import Bench

FAR = 9e6


@pytest.fixture
def full(bench: Bench) -> Bench:
    """Two placements, an array, a path with a course, and a group, far out."""
    bench.do("add_shape", shape={"kind": "box", "width": 0.5}, name="Block", position=(FAR, 0, 0))
    bench.do("place_piece", "piece-1", position=(-FAR, 0, 0))
    bench.do("place_piece", "piece-1", position=(0, 0, 9))
    bench.do("line_array", "placement-3", count=3, spacing_by="metres", spacing=2.0)
    bench.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (5, 0, 0)}], name="Way")
    bench.do("lay_course", "path-1", piece="piece-1")
    bench.do("place_piece", "piece-1", position=(0, 0, 4))
    bench.do("make_group", "placement-4", pivot="first")
    return bench


BEYOND: list[tuple[str, tuple[str, ...], dict[str, Any]]] = [
    ("move", ("placement-1",), {"by": (2e6, 0, 0)}),
    ("move", ("group-1",), {"by": (0, 1e7, 1e7)}),
    ("duplicate", ("placement-1",), {"distance": 1e6, "count": 3}),
    ("spread", ("placement-1", "placement-2"), {"factor": 1000.0}),
    ("size", ("placement-1", "placement-2"), {"factors": (1e3, 1e3, 1e3), "about_what": "point"}),
    ("turn", ("placement-1",), {"about_what": "point", "point": (-FAR, 0, 0), "angle": 180}),
    ("dock", ("placement-1",), {"grip": {"thing": "placement-1", "kind": "vertex", "index": 6}, "point": (-1e7, 0, 0)}),
    ("set_pivot", ("placement-2",), {"place": "typed", "point": (-1e7, 0, 0)}),
    ("line_array", ("placement-1",), {"count": 100_000, "spacing_by": "metres", "spacing": 100_000}),
    ("adjust_array", ("array-1",), {"count": 100_000, "spacing_by": "metres", "spacing": 100_000}),
    ("adjust_course", ("course-1",), {"fit": "number", "number": 3, "up": 1e4, "sideways": 1e5}),
    ("size", ("path-1",), {"factors": (1000, 1, 1), "about_what": "point"}),
    ("size", ("path-1",), {"factors": (1e-4, 1e-4, 1e-4), "about_what": "point"}),
    ("size", ("placement-1",), {"factors": (1e7, 1e7, 1e7)}),
    ("set_dimensions", ("piece-1",), {"shape": {"kind": "box", "width": 1e-5}}),
]


@pytest.mark.parametrize(("tool", "select", "params"), BEYOND)
def test_what_goes_beyond_is_refused_in_words(
    full: Bench, tool: str, select: tuple[str, ...], params: dict[str, Any]
) -> None:
    if tool == "size" and params["factors"][1] == 1:
        full.do("adjust_course", "course-1", piece="piece-1", fit="spacing", spacing=0.04)
    elif select == ("path-1",):
        full.do("edit_path", "path-1", points=[{"position": (0, 0, 0)}, {"position": (0.005, 0, 0)}])
    before = full.state()
    with pytest.raises(AbleBrickError) as refusal:
        full.do(tool, *select, **params)
    assert len(str(refusal.value)) > 20
    assert "pydantic" not in str(refusal.value)
    assert full.state() == before
    full.whole()


@pytest.mark.parametrize("name", ["", "   ", "a\x00b", "line\nbreak", "\u2028", "x" * 81, "\ud800"])
@pytest.mark.parametrize("tool", ["rename", "make_group", "draw_path", "add_shape", "level_settings"])
def test_names_are_words_that_can_be_shown(full: Bench, tool: str, name: str) -> None:
    if tool not in ("rename", "level_settings") and not name.strip():
        return  # an empty name asks for the usual one
    params: dict[str, Any] = {
        "rename": {},
        "make_group": {},
        "level_settings": {},
        "add_shape": {"shape": {"kind": "box"}},
        "draw_path": {"points": [{"position": (0, 0, 0)}, {"position": (5, 0, 0)}]},
    }[tool]
    select = {"rename": ("placement-1",), "make_group": ("placement-1",)}.get(tool, ())
    before = full.state()
    with pytest.raises(AbleBrickError):
        full.do(tool, *select, name=name, **params)
    assert full.state() == before


STONE = Surface(name="Stone", colour=(0.5, 0.5, 0.5, 1.0))
STAND = ("Here", (0.0, 0.0, 0.0), (0.0, 0.0, 0.0, 1.0), (1.0, 1.0, 1.0))


@pytest.mark.parametrize(
    ("changed", "stand"),
    [
        ({"mesh": "preview"}, STAND),
        ({"mesh": "0" * 40}, STAND),
        ({"name": "x" * 5_000_000}, STAND),
        ({"name": "bell\a"}, STAND),
        ({"name": ""}, STAND),
        ({"materials": (STONE.model_copy(update={"texture": "0" * 40}),)}, STAND),
        ({"materials": (STONE.model_copy(update={"colour": (9.0, 0.0, 0.0, 1.0)}),)}, STAND),
        ({"materials": (STONE.model_copy(update={"roughness": -1.0}),)}, STAND),
        ({}, ("Here", STAND[1], (0.0, 0.0, 0.0, 0.0), STAND[3])),
        ({}, ("Here", STAND[1], (0.0, 0.0, 0.0, 2.0), STAND[3])),
        ({}, ("Here", STAND[1], STAND[2], (0.0, 1.0, 1.0))),
        ({}, ("a\x00", STAND[1], STAND[2], STAND[3])),
        ({}, ("", STAND[1], STAND[2], STAND[3])),
    ],
)
def test_pieces_that_no_file_brought_are_refused_like_all_others(full: Bench, changed: Any, stand: Any) -> None:
    shape = registry.TOOLS["add_shape"].model_validate({"shape": {"kind": "box", "width": 3.3}})
    shown = full.project.preview(full.level, shape, (), full.project.revision(full.level))
    preview = next(r for r in shown.changed if r.kind == "piece").mesh
    kept = full.rows()["piece-1"].mesh
    values = {"name": "Block", "mesh": kept, "materials": (STONE,), "stands": (stand,), **changed}
    values["mesh"] = preview if values["mesh"] == "preview" else values["mesh"]
    before = full.state()
    with pytest.raises(AbleBrickError):
        full.do("import_pieces", file="x.glb", place=True, pieces=[_plain(values)])
    assert full.state() == before
    full.whole()


def _plain(values: dict[str, Any]) -> dict[str, Any]:
    return {**values, "materials": [m.model_dump() for m in values["materials"]]}


def test_a_reply_that_cannot_be_made_leaves_nothing_behind(full: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    before, revision = full.state(), full.project.revision(full.level)

    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("no reply")

    with monkeypatch.context() as patch:
        patch.setattr(ledger, "level_delta", broken)
        for act in (lambda: full.do("move", "placement-1", by=(-1, 0, 0)), full.undo):
            with pytest.raises(RuntimeError, match="no reply"):
                act()
    assert full.project.revision(full.level) == revision
    full.reopen()
    assert full.state() == before


def test_a_tab_that_cannot_be_told_spoils_nothing(full: Bench) -> None:
    def deaf(_level: str, _make: object) -> None:
        raise RuntimeError("gone")

    full.project.listen(deaf)
    full.do("move", "placement-2", by=(1, 0, 0))
    assert full.rows()["placement-2"].position[0] == 1 - FAR


def test_brought_in_meshes_may_be_larger_than_what_is_kept_in_memory(full: Bench) -> None:
    mesh = full.project.meshes.get(full.rows()["piece-1"].mesh)
    full.project.meshes._meshes.most = 10
    incoming = Imported(name="Large", mesh=mesh.content_hash, materials=(STONE,))
    tool = ImportPieces(file="x.glb", pieces=(incoming,))
    fresh = type(mesh).trusted(mesh.positions * 3, mesh.face_starts, mesh.corners, facet=mesh.facet)
    tool = ImportPieces(file="x.glb", pieces=(replace(incoming, mesh=fresh.content_hash),))
    revision = full.project.revision(full.level)
    full.project.step(full.level, tool, (), revision, meshes={fresh.content_hash: fresh})
    full.whole()
