"""Projects of every version open, rows, parameters and recipes of earlier versions are upgraded, hashes stay valid, and
what a row refers to is kept, of whatever kind it is."""

from __future__ import annotations

import gzip
import json
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pytest

from able_brick.core.errors import InputError, StorageError
from able_brick.core.formats import Chain
from able_brick.core.mesh import hashing
from able_brick.core.mesh.hashing import content_hash, rule_of
from able_brick.core.shapes.box import box
from able_brick.level import formats
from able_brick.level.recipe import Recipe
from able_brick.level.rows import Measure, Thing
from able_brick.level.rows.base import Refs
from able_brick.level.snapshot import Edit
from able_brick.session.project import Project
from able_brick.steps.formats import PARAMS
from able_brick.steps.parse import parse_tool
from able_brick.store import journal
from able_brick.store.backups import backups_of
from able_brick.store.blobs import check_blobs, drop_unused, refs_of_edits, rows_of, write_meshes
from able_brick.store.migrations import HEAD, VERSIONS
from able_brick.store.tables import MESH
from tests.session.bench import Bench
from tests.zoo import ZOO

OLD = Path(__file__).parent / "old"


def old_file(version: str, to: Path) -> Path:
    """A small project as a version of the program left it."""
    to.write_bytes(gzip.decompress((OLD / f"{version}.db.gz").read_bytes()))
    return to


@pytest.mark.parametrize("version", [v for v in VERSIONS if v != HEAD])
def test_a_project_of_every_version_opens_and_its_steps_are_undone_and_made_again(version: str, tmp_path: Path) -> None:
    path = old_file(version, tmp_path / "old.db")
    with closing(Project(path)) as project:
        assert (project.read_only, project.notes) == (None, [])
        level = next(iter(project.snapshot.levels))
        stood = project.snapshot.of(level)
        assert {r.kind for r in stood.values()} >= {"placement", "path", "course"}
        for piece in project.snapshot.pieces.values():
            assert project.meshes.view_glb(piece.mesh)[:4] == b"glTF"
        seen = project.view(level).text()
        back = 0
        while project.view(level).history.last is not None:
            project.undo(level, project.revision(level))
            back += 1
        assert back >= 6
        assert not project.snapshot.of(level)
        for _ in range(back):
            project.redo(level, project.revision(level))
        assert json.loads(project.view(level).text())["changed"] == json.loads(seen)["changed"]
        assert project.snapshot.of(level).keys() == stood.keys()
        kept = [b.name for b in backups_of(project.id)]
        assert len(kept) == 1 and kept[0].endswith("before an upgrade.db")
    with closing(sqlite3.connect(path)) as db:
        assert db.execute("select count(*) from mesh where crc is null or rule is null").fetchone() == (0,)


# -- chains: an invented change of a kind of row, of a tool's parameters, and of recipes -


def louder(row: dict[str, Any]) -> dict[str, Any]:
    return {**row, "name": f"{row['name']}!"}


def test_rows_in_the_file_and_in_the_history_are_upgraded(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.do("add_shape", shape={"kind": "box"}, name="Crate")
    bench.do("rename", "placement-1", name="Chest")
    bench.project.close()
    now = formats.ROWS["placement"]
    later = Chain((*now.upgrades, louder))
    monkeypatch.setitem(formats.ROWS, "placement", later)
    bench.project = Project(bench.path)
    assert bench.rows()["placement-1"].name == "Chest!"
    assert bench.rows()["piece-1"].name == "Crate", "other kinds are as they were"
    bench.undo()
    assert bench.rows()["placement-1"].name == "Crate!", "undo across an upgrade"
    bench.redo()
    bench.do("rename", "placement-1", name="Box")
    bench.reopen()
    assert bench.rows()["placement-1"].name == "Box", "what is written now is read as it is"
    bench.undo()
    assert bench.rows()["placement-1"].name == "Chest!"
    with closing(sqlite3.connect(bench.path)) as db:
        assert dict(db.execute("select kind, max(format) from row group by kind")) == {
            "level": formats.row_format("level"),
            "piece": formats.row_format("piece"),
            "placement": later.version,
        }
    bench.project.close()
    monkeypatch.setitem(formats.ROWS, "placement", now)
    with pytest.raises(StorageError, match=f"format {later.version}"):
        Project(bench.path)
    monkeypatch.setitem(formats.ROWS, "placement", later)
    bench.project = Project(bench.path)


def test_parameters_in_the_history_and_in_requests_are_upgraded(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("duplicate", "placement-1", distance=4.0, count=3)
    bench.project.close()

    def to_centimetres(params: dict[str, Any]) -> dict[str, Any]:
        return {**params, "distance": params["distance"] / 2}

    monkeypatch.setitem(PARAMS, "duplicate", Chain((to_centimetres,)))
    bench.project = Project(bench.path)
    last = bench.project.view(bench.level).history.last
    assert last is not None and last.params["distance"] == 2.0
    assert parse_tool("duplicate", {"distance": 4.0}, 1).distance == 2.0  # type: ignore[attr-defined]
    assert parse_tool("duplicate", {"distance": 4.0}).distance == 4.0  # type: ignore[attr-defined]
    for form in (0, 3):
        with pytest.raises(InputError, match="give 1 to 2"):
            parse_tool("duplicate", {"distance": 4.0}, form)
    with pytest.raises(InputError, match="cannot be read"):
        parse_tool("duplicate", {}, 1)


def test_recipes_in_projects_files_and_requests_are_upgraded(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    half = {"name": "Half", "rungs": [{"kind": "share", "value": 50}]}
    bench.project.recipes.keep(Recipe.model_validate(half))
    bench.project.close()
    later = Chain((*formats.RECIPES.upgrades, louder))
    monkeypatch.setattr(formats, "RECIPES", later)
    bench.project = Project(bench.path)
    assert bench.project.recipes.all()[-1].name == "Half!"
    saved = Recipe.model_validate({**half, "format": 1})
    assert (saved.name, saved.format) == ("Half!", later.version)
    again = Recipe.model_validate_json(saved.model_dump_json())
    assert again == saved, "a file of this version is read as it is"
    assert Recipe.model_validate(half).name == "Half"
    with pytest.raises(ValueError, match="format 7"):
        Recipe.model_validate({**half, "format": 7})


# -- hashes -


def test_a_hash_is_valid_for_ever_and_an_absent_attribute_never_enters(monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = box(1.0, 2.0, 3.0)
    assert content_hash(mesh, 3) == mesh.content_hash == "79b5eea3935d9344f47b02e2be066086f49f311c"
    assert content_hash(mesh, 2) == "fda32fa3d0520603765a9986744ab5ce8170249e"
    first = content_hash(mesh, 1)
    assert len(first) == len(mesh.content_hash) and first != mesh.content_hash
    assert (rule_of(mesh, first, None), rule_of(mesh, first, 1)) == (1, 1)
    assert rule_of(mesh, first, 2) is None and rule_of(mesh, "00" * 20, None) is None
    before = {name: make().content_hash for name, make in ZOO.items()}
    type(mesh).tangents = None  # type: ignore[attr-defined]
    try:
        monkeypatch.setattr(hashing, "_LATER", ("tangents",))
        assert {name: make().content_hash for name, make in ZOO.items()} == before
        dressed = mesh.replaced()
        object.__setattr__(dressed, "tangents", np.zeros((3, 3)))
        assert dressed.content_hash != mesh.content_hash
    finally:
        del type(mesh).tangents  # type: ignore[attr-defined]


# -- what refers to what: an invented kind that has a mesh of its own -


class Collider(Measure):
    """A kind that there is not yet."""

    kind: Literal["collider"] = "collider"  # type: ignore[assignment]
    form: str = ""

    @property
    def refs(self) -> Refs:
        return Refs(frozenset((self.form,)))


def test_meshes_of_any_kind_are_kept_looked_for_and_told_to_the_history(bench: Bench) -> None:
    assert issubclass(Collider, Thing)
    mesh = box(1.0, 1.0, 1.0)
    key = mesh.content_hash
    row = Collider.model_construct(id="collider-1", level=bench.level, name="Form", kind="collider", form=key)
    edits: tuple[Any, ...] = (Edit(None, row),)
    assert refs_of_edits(edits) == {key}
    ledger = bench.project._ledger

    def stored() -> set[str]:
        with bench.project._file.reading() as connection:
            return {str(h) for (h,) in connection.execute(MESH.select().with_only_columns(MESH.c.hash))}

    with ledger.locked_transaction() as connection, pytest.raises(InputError, match="mesh of Form"):
        check_blobs(connection, edits, {})
    with ledger.locked_transaction() as connection:
        write_meshes(connection, {key: mesh}, {})
        check_blobs(connection, edits, {})
        held = ledger.now.snapshot.with_edits(edits)
        drop_unused(connection, rows_of(held))
    assert key in stored(), "the row has it"
    bench.do("add_shape", shape={"kind": "box"})
    with ledger.locked_transaction() as connection:
        tool = parse_tool("move", {"by": (1, 0, 0)})
        journal.write_entry(connection, bench.level, 2, tool, (), "", edits)
        drop_unused(connection, rows_of(ledger.now.snapshot))
    assert key in stored(), "the history has it"
    with ledger.locked_transaction() as connection:
        connection.exec_driver_sql("delete from journal where place = 2")
        drop_unused(connection, rows_of(ledger.now.snapshot))
    assert key not in stored(), "nobody has it"


def test_pictures_and_meshes_without_an_owner_go_when_a_step_is_adjusted_or_replaced(bench: Bench) -> None:
    def owned() -> bool:
        with bench.project._file.reading() as connection:
            loose = "select count(*) from mesh where hash not in (select mesh from journal_mesh)"
            return connection.exec_driver_sql(loose).scalar() == 0

    bench.do("add_shape", shape={"kind": "box", "width": 1.0})
    for width in (2.0, 3.0):
        bench.adjust("add_shape", shape={"kind": "box", "width": width})
        assert owned(), "the mesh of what was adjusted is gone"
    bench.undo()
    bench.do("add_shape", shape={"kind": "wedge"})
    assert owned(), "so is that of the step that cannot be made again"
    bench.whole()
