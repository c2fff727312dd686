"""Meshes that are called by an earlier rule: they keep their names, and what comes out the same is the same."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing, contextmanager
from sqlite3 import connect

import pytest

from able_brick.core.mesh import hashing, polymesh
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.level.elements import Elements
from able_brick.steps.parse import parse_tool
from tests.session.bench import Bench

OLD = 2


@contextmanager
def before(rule: int) -> Iterator[None]:
    """As it was when meshes were called by an earlier rule."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(polymesh, "content_hash", lambda mesh: hashing.content_hash(mesh, rule))
        patch.setattr(polymesh, "RULE", rule)
        yield


@pytest.fixture(params=[1, OLD])
def old(bench: Bench, request: pytest.FixtureRequest) -> Bench:
    """A project of a time before, opened anew: a wedge that is mirrored, and a crate that was shaped."""
    with before(request.param):
        bench.do("add_shape", shape={"kind": "wedge"}, name="Wedge")
        bench.do("set_pivot", "piece-1", place="typed", point=(0.3, 0.1, 0.2))  # so it is not its own mirror image
        bench.do("mirror", "placement-1", across=["x"], about_what="point")
        bench.do("add_shape", shape={"kind": "box"}, name="Crate")
        crate = next(r for r in bench.rows().values() if r.name == "Crate" and r.kind == "piece")
        picked = Elements.of(crate.mesh, [0], "face").model_dump()
        bench.do("extrude", crate.id, depth=0.5, elements=picked)
        bench.reopen()
    with closing(connect(bench.path)) as db:
        assert db.execute("select distinct rule from mesh").fetchall() == [(request.param,)]
    bench.reopen()
    return bench


def named(bench: Bench, name: str, kind: str = "piece") -> object:
    return next(r for r in bench.rows().values() if r.name == name and r.kind == kind)


def mesh_of(bench: Bench, name: str) -> PolyMesh:
    return bench.project.meshes.get(named(bench, name).mesh)  # type: ignore[attr-defined]


def test_they_are_read_by_their_names_and_undone_to_them(old: Bench) -> None:
    crate = named(old, "Crate")
    picked = Elements.of(crate.mesh, [0], "face").model_dump()  # type: ignore[attr-defined]
    old.do("inset", crate.id, width=0.1, elements=picked)  # type: ignore[attr-defined]
    assert mesh_of(old, "Crate").hash_rule == hashing.RULE
    old.whole()
    old.undo()
    assert named(old, "Crate").mesh == crate.mesh  # type: ignore[attr-defined]
    old.undo()
    old.redo()
    assert named(old, "Crate") == crate
    old.whole()


def test_what_comes_out_the_same_is_no_step(old: Bench) -> None:
    crate = named(old, "Crate")
    picked = Elements.of(crate.mesh, [0], "face").model_dump()  # type: ignore[attr-defined]
    where = old.project.revision(old.level)
    tool = parse_tool("move_elements", {"elements": picked, "by": (0.0, 0.0, 0.0)})
    told = old.project.step(old.level, tool, (crate.id,), where)  # type: ignore[attr-defined]
    assert told.idle and told.elements is not None
    assert told.elements.mesh == crate.mesh  # type: ignore[attr-defined]
    assert old.project.revision(old.level) == where


def test_a_lost_mesh_is_made_again_under_its_name(old: Bench) -> None:
    wedge = named(old, "Wedge")
    old.project.close()
    with closing(connect(old.path)) as db, db:
        db.execute("update mesh set data = x'00' where hash = ?", (wedge.mesh,))  # type: ignore[attr-defined]
    old.reopen()
    mesh = mesh_of(old, "Wedge")
    assert mesh.content_hash == wedge.mesh  # type: ignore[attr-defined]
    old.whole()
    with closing(connect(old.path)) as db:
        ((rule, data),) = db.execute("select rule, data from mesh where hash = ?", (wedge.mesh,))  # type: ignore[attr-defined]
    assert rule == mesh.hash_rule
    assert len(data) > 1, "it is in the file again"
