"""Damaged files: meshes, pictures and rows that are not what was stored, facts that are anything, foreign databases."""

from __future__ import annotations

import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest

from able_brick.core.errors import StorageError
from able_brick.core.files.scene import Instance, Scene, ScenePart, Texture
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.session.importing import pieces_of
from able_brick.session.project import Project
from able_brick.session.shipping import level_glb
from able_brick.steps.import_pieces import ImportPieces
from able_brick.store import wal_recovery
from able_brick.store.identity import APPLICATION
from able_brick.store.mesh_codec import DamagedMeshError, decode, encode, packed
from tests.core.test_formats import BRICKS
from tests.session.bench import Bench
from tests.zoo import ZOO

import numpy as np  # isort: skip


def run(path: Path, *commands: str) -> None:
    with closing(sqlite3.connect(path)) as db:
        for command in commands:
            db.execute(command)
        db.commit()


def brought(bench: Bench, name: str = "ball", picture: Texture | None = None) -> None:
    """A piece that has no dimensions to be made from again, placed."""
    from able_brick.core.files.scene import Material

    looks = (Material("stone", texture=picture),)
    scene = Scene((ScenePart(name, ZOO[name](), looks),), (Instance(0, name, np.eye(4)),))
    pieces, meshes, textures = pieces_of(scene)
    tool = ImportPieces(file=f"{name}.glb", pieces=pieces, groups=(), place=True)
    bench.project.step(bench.level, tool, (), bench.project.revision(bench.level), meshes=meshes, textures=textures)


DAMAGE = {
    "other bytes": "update mesh set data = x'00', crc = null",
    "a wrong sum": "update mesh set crc = crc + 1",
    "another mesh": "update mesh set data = (select data from mesh m where m.hash != mesh.hash), crc = null",
    "gone": "delete from mesh",
    "no blob": "update mesh set data = 'text', crc = null",
    "a wrong rule": "update mesh set rule = 77, crc = null",
}


@pytest.mark.parametrize("how", DAMAGE)
def test_a_damaged_mesh_is_told_by_name_drawn_as_its_box_and_never_handed_out(
    bench: Bench, tmp_path: Path, how: str
) -> None:
    brought(bench)
    brought(bench, "box")
    rows = bench.rows()
    ball, cube = (next(r for r in rows.values() if r.kind == "piece" and r.name == n) for n in ("ball", "box"))
    bench.project.close()
    run(bench.path, f"{DAMAGE[how]} where hash = '{ball.mesh}'")
    bench.project = Project(bench.path)
    assert "1 piece cannot be read (ball), and boxes stand in their places" in str(bench.project.read_only)
    assert bench.project.meshes.get(cube.mesh).face_count == 6, "what is sound is served"
    with pytest.raises(StorageError, match=r"The mesh of ball (cannot be read|is not in)"):
        bench.project.meshes.get(ball.mesh)
    drawn = bench.project.meshes.drawn(ball.mesh)
    assert drawn.face_count == 6
    assert np.allclose(drawn.bounds, (ball.facts.low, ball.facts.high))
    assert bench.project.view_glb(ball.mesh)[:4] == b"glTF"
    assert bench.project.view(bench.level).summary.placements == 2
    with pytest.raises(StorageError, match="ball"):
        level_glb(bench.project, bench.level)
    bench.project.save_copy(tmp_path / "copy.db")
    bench.project.close()
    bench.project = Project(tmp_path / "copy.db")
    assert bench.project.read_only is None
    assert {p.name for p in bench.project.snapshot.pieces.values()} == {"ball (its box)", "box"}
    level_glb(bench.project, bench.level)
    bench.do("rename", cube.id, name="Crate")


def test_a_damaged_mesh_that_was_drawn_is_made_again_from_its_dimensions(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "wedge"})
    mesh = bench.rows()["piece-1"].mesh
    bench.project.close()
    for damage in (DAMAGE["other bytes"], DAMAGE["gone"]):
        run(bench.path, damage)
        bench.project = Project(bench.path)
        assert bench.project.read_only is None
        assert bench.project.notes == [
            "The mesh of Wedge was damaged in the file, and was made again from what it is made of."
        ]
        assert bench.project.meshes.get(mesh).content_hash == mesh
        bench.project.close()
    bench.project = Project(bench.path)
    assert bench.project.notes == [], "the file is mended"


@pytest.mark.parametrize("lost", ["shown", "edited", "both"])
def test_what_is_smoothed_live_is_made_again_from_what_it_is_made_of(bench: Bench, lost: str) -> None:
    bench.do("add_shape", shape={"kind": "wedge"})
    bench.do("live_smooth", "piece-1", levels=1)
    piece = bench.rows()["piece-1"]
    bench.project.close()
    gone = {"shown": (piece.mesh,), "edited": (piece.source,), "both": (piece.mesh, piece.source)}[lost]
    for key in gone:
        run(bench.path, f"delete from mesh where hash = '{key}'")
    bench.project = Project(bench.path)
    assert bench.project.read_only is None
    for key in (piece.mesh, piece.source):
        assert bench.project.meshes.get(key).content_hash == key
    bench.do("finish_real", "piece-1")
    # what was edited is still the way back
    bench.undo()
    bench.do("live_smooth", "piece-1", levels=0)
    assert bench.rows()["piece-1"].mesh == piece.source


def test_a_mesh_that_only_the_history_needs_stops_that_step_alone(bench: Bench) -> None:
    brought(bench)
    ball = next(p for p in bench.project.snapshot.pieces.values())
    bench.do("slim", ball.id, share=50.0, result="same piece")
    bench.project.close()
    run(bench.path, f"update mesh set data = x'00', crc = null where hash = '{ball.mesh}'")
    bench.project = Project(bench.path)
    assert bench.project.read_only is None
    before = bench.state()
    bench.undo()
    drawn = bench.project.meshes.drawn(bench.rows()[ball.id].mesh)
    assert drawn.face_count == 6, "a box is drawn for what cannot be read"
    bench.redo()
    assert bench.state()[0] == before[0]


def test_damage_while_it_is_open_is_told_and_the_rest_goes_on(bench: Bench) -> None:
    brought(bench)
    brought(bench, "box")
    ball = next(p for p in bench.project.snapshot.pieces.values() if p.name == "ball")
    bench.reopen()
    run(bench.path, f"update mesh set data = zeroblob(50) where hash = '{ball.mesh}'")
    with pytest.raises(StorageError, match="The mesh of ball cannot be read"):
        bench.project.meshes.get(ball.mesh)
    assert bench.project.view(bench.level).summary.placements == 2
    bench.do("add_shape", shape={"kind": "box"})


def test_a_damaged_picture_is_told_and_left_out_of_a_copy(bench: Bench, tmp_path: Path) -> None:
    brought(bench, "box", BRICKS)
    bench.project.close()
    run(bench.path, "update texture set data = x'89504e47'")
    bench.project = Project(bench.path)
    assert "cannot be read (box)" in str(bench.project.read_only)
    with pytest.raises(StorageError, match="picture"):
        bench.project.pictures.get(BRICKS.content_hash)
    bench.project.save_copy(tmp_path / "copy.db")
    bench.project.close()
    bench.project = Project(tmp_path / "copy.db")
    assert bench.project.read_only is None
    assert next(iter(bench.project.snapshot.pieces.values())).materials[0].texture is None


def test_a_row_whose_letters_were_changed_is_left_out_and_told(bench: Bench) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.do("place_piece", "piece-1", position=(5, 0, 0))
    bench.project.close()
    run(bench.path, "update row set payload = replace(payload, '5.0', '9.0') where id = 'placement-2'")
    bench.project = Project(bench.path)
    assert "letters are not those that were stored" in str(bench.project.read_only)
    assert "1 row of the file cannot be read and were left out." in bench.project.notes
    assert {r.id for r in bench.project.snapshot.of(bench.level).values()} == {"placement-1"}


# -- arrays that would lead a compiled loop astray -


def broken_meshes() -> dict[str, PolyMesh]:
    cube = ZOO["box"]()
    far = cube.corners.copy()
    far[3] = 10**6
    below = cube.corners.copy()
    below[0] = -1
    starts = cube.face_starts.copy()
    starts[1] = 10**6
    holes = cube.positions.copy()
    holes[0, 0] = np.nan
    return {
        "an index beyond the end": cube.replaced(corners=far),
        "an index before the start": cube.replaced(corners=below),
        "a start beyond the end": cube.replaced(face_starts=starts),
        "starts that fall": cube.replaced(face_starts=cube.face_starts[::-1].copy()),
        "too few corners": cube.replaced(corners=cube.corners[:-1], sharp=cube.sharp[:-1]),
        "too few flags": cube.replaced(sharp=cube.sharp[:-1]),
        "a number that is none": cube.replaced(positions=holes),
        "a material that cannot be": cube.replaced(material=cube.material - 5),
    }


@pytest.mark.parametrize("what", broken_meshes())
def test_arrays_that_do_not_fit_together_are_no_mesh(what: str) -> None:
    with pytest.raises(DamagedMeshError):
        decode(encode(broken_meshes()[what]))


@pytest.mark.parametrize(
    ("old", "new"),
    [
        (b'"<f8"', b'"|O8"'),
        (b'"<i4"', b'">i4"'),
        (b'"corners"', b'"cornets"'),
        (b'"facet", "<i4"', b'"sharp", "<i4"'),
        (b"[8, 3]", b"[-1,3]"),
        (b'{"smooth', b'["smooth'),
    ],
)
def test_a_header_that_says_something_else_is_no_mesh(old: bytes, new: bytes) -> None:
    import zlib

    raw = b"".join(packed(ZOO["box"]()))
    assert old in raw
    with pytest.raises(DamagedMeshError):
        decode(zlib.compress(raw.replace(old, new, 1)), 1)


# -- facts and foreign files -


@pytest.mark.parametrize("key", [wal_recovery.STAMP, "counters", "project"])
@pytest.mark.parametrize(
    "value",
    ["''", "'['", "'7'", "'null'", "'[1, 2]'", "'{\"now\": 7, \"id\": 7}'", "x'00ff'", "3.5", "'" + "[" * 5000 + "'",
     "'{\"piece\": 1e99, \"level\": \"x\", \"now\": {}, \"before\": []}'"],
)  # fmt: skip
def test_facts_of_the_file_may_be_anything(bench: Bench, key: str, value: str) -> None:
    bench.do("add_shape", shape={"kind": "box"})
    bench.project.close()
    run(bench.path, f"update meta set value = {value} where key = '{key}'")
    bench.project = Project(bench.path)
    assert bench.project.read_only is None
    made = bench.do("add_shape", shape={"kind": "box"}).changed
    assert {r.id for r in made} == {"piece-2", "placement-2"}
    bench.reopen()
    bench.whole()


FOREIGN = {
    "a table named meta": ["create table meta (key text, value text)"],
    "all names, other columns": [
        f"create table {t} (id integer)" for t in ("meta", "level_state", "row", "journal", "journal_mesh", "mesh")
    ],
    "other tables beside": ["create table meta (key text, value text)", "create table invoices (id integer)"],
    "our id alone": [f"pragma application_id = {APPLICATION}", "create table songs (id integer)"],
    "another program's id": ["pragma application_id = 77", "create table meta (key text, value text)"],
    "migrations of its own": ["create table alembic_version (version_num text)", "create table songs (id integer)"],
}


@pytest.mark.parametrize("how", FOREIGN)
def test_a_database_of_another_program_is_never_touched(tmp_path: Path, how: str) -> None:
    path = tmp_path / "foreign.db"
    run(path, *FOREIGN[how])
    before = path.read_bytes()
    with pytest.raises(StorageError, match="database of another program"):
        Project(path)
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["foreign.db"]


def test_a_project_says_that_it_is_one_and_a_copy_is_another(bench: Bench, tmp_path: Path) -> None:
    with closing(sqlite3.connect(bench.path)) as db:
        assert db.execute("pragma application_id").fetchone() == (APPLICATION,)
    own, opening = bench.project.key.split(".")
    bench.reopen()
    assert bench.project.key.split(".")[0] == own
    assert bench.project.key.split(".")[1] != opening
    bench.project.save_copy(tmp_path / "copy.db")
    bench.project.close()
    shutil.copyfile(bench.path, tmp_path / "by hand.db")
    for name, same in (("copy.db", False), ("by hand.db", True)):
        with closing(Project(tmp_path / name)) as other:
            assert (other.id == own) is same, name
    bench.project = Project(bench.path)


def test_random_flips_crash_nothing_and_change_nothing_that_is_served() -> None:
    # in a process of its own: it forks, and the tests' process has threads
    command = [sys.executable, "-W", "error", "-m", "tests.session.damage", "--flips", "20", "--seed", "5"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "0 wrong" in done.stdout
