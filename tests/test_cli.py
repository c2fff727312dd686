"""The command line: inspect and reduce."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from typer.testing import CliRunner

from able_brick import cli
from able_brick.cli import app
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.files.scene import Material, Node, ScenePart
from able_brick.session.project import Project
from able_brick.store.migrations import HEAD
from tests.zoo import ZOO

run = CliRunner()


@pytest.fixture
def ball(tmp_path: Path) -> Path:
    file = tmp_path / "ball.glb"
    parts = [ScenePart("Ball", ZOO["ball"](), (Material("stone"),)), ScenePart("Box", ZOO["box"]())]
    file.write_bytes(write_glb(parts, [Node("one", 0), Node("two", 0, (5, 0, 0)), Node("box", 1, (0, 3, 0))]))
    return file


def test_inspect_tells_what_is_in_files(ball: Path, tmp_path: Path) -> None:
    done = run.invoke(app, ["inspect", str(ball), "--json"])
    assert done.exit_code == 0
    (report,) = json.loads(done.stdout)
    mesh = ZOO["ball"]()
    assert report["ok"] is True
    assert report["triangles"] == mesh.triangle_count + 12
    assert report["quads"] == int((mesh.face_sizes == 4).sum()) + 6
    assert report["materials"] == ["Plain", "stone"]
    assert report["closed"] is True and report["own_normals"] is False
    assert report["problems"] == []
    assert report["size_m"][0] == pytest.approx(7.2, abs=0.3)
    assert set(report) == {
        *("file", "ok", "vertices", "faces", "triangles", "quads", "ngons", "hardware_vertices"),
        *("materials", "size_m", "closed", "own_normals", "problems"),
    }
    assert "triangles" in run.invoke(app, ["inspect", str(ball)]).stdout


def test_inspect_gives_a_one_line_reason_and_goes_on(ball: Path, tmp_path: Path) -> None:
    bad = tmp_path / "bad.glb"
    bad.write_bytes(b"glTF nonsense that is long enough")
    done = run.invoke(app, ["inspect", str(bad), str(tmp_path / "none.glb"), str(ball)])
    assert done.exit_code == 2
    lines = done.stderr.strip().splitlines()
    assert len(lines) == 2
    assert lines[0].startswith(f"{bad}: GLB version")
    assert "No such file" in lines[1]
    assert str(ball) in done.stdout


def test_a_pipe_is_no_model_and_is_not_waited_for(ball: Path, tmp_path: Path) -> None:
    pipe = tmp_path / "pipe.glb"
    os.mkfifo(pipe)
    done = run.invoke(app, ["inspect", str(pipe), str(ball)])
    assert done.exit_code == 2
    assert "is no ordinary file" in done.output


def test_reduce_by_share_and_by_count(ball: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.glb"
    total = ZOO["ball"]().triangle_count + 12
    done = run.invoke(app, ["reduce", str(ball), str(out), "--share", "0.25"])
    assert done.exit_code == 0, done.output
    scene = read_glb(out.read_bytes())
    assert scene.parts[0].mesh.triangle_count == round(ZOO["ball"]().triangle_count * 0.25)
    assert [i.name for i in scene.instances] == ["one", "two", "box"]
    assert scene.instances[1].matrix[0, 3] == 5
    done = run.invoke(app, ["reduce", str(ball), str(out), "--triangles", "500"])
    assert done.exit_code == 0
    assert f"{total} →" in done.stdout


def test_reduce_makes_a_ladder_and_tells_what_it_measured(ball: Path, tmp_path: Path) -> None:
    out = tmp_path / "rung.glb"
    done = run.invoke(app, ["reduce", str(ball), str(out), "--ladder", "1,0.5,0.25", "--keep-seams", "--json"])
    assert done.exit_code == 0, done.output
    told = json.loads(done.stdout)
    assert [Path(t["file"]).name for t in told] == ["rung_1.glb", "rung_2.glb", "rung_3.glb"]
    for one in told:
        scene = read_glb(Path(one["file"]).read_bytes())
        assert sum(p.mesh.triangle_count for p in scene.parts) == one["triangles"]
        assert [i.name for i in scene.instances] == ["one", "two", "box"]
        assert 0 <= one["rms_deviation_m"] <= one["max_deviation_m"]
        assert one["seconds"] >= 0
    assert told[0]["max_deviation_m"] == 0.0
    assert told[2]["good_from_m"] >= told[1]["good_from_m"] > 0
    named = tmp_path / "{name} {tris}.obj"
    done = run.invoke(app, ["reduce", str(ball), str(named), "--deviation", "20", "--json"])
    (one,) = json.loads(done.stdout)
    assert one["max_deviation_m"] <= 0.020
    assert Path(one["file"]).name == f"ball {one['triangles']}.obj"


@pytest.mark.parametrize(
    ("extra", "text"),
    [
        ([], "No target is given: give one of --share, --triangles"),
        (["--share", "2"], "above 0 and up to 1"),
        (["--share", "1", "--triangles", "5"], "More than one target"),
        (["--ladder", "1,half"], "no list of shares"),
        (["--ladder", "0.5,0"], "above 0 and up to 1"),
        (["--deviation", "0"], "above 0"),
        (["--pixels", "1", "--distance", "0"], "above 0"),
    ],
)
def test_reduce_refuses_nonsense_and_writes_nothing(ball: Path, tmp_path: Path, extra: list[str], text: str) -> None:
    out = tmp_path / "out.glb"
    done = run.invoke(app, ["reduce", str(ball), str(out), *extra])
    assert done.exit_code == 2
    assert text in done.stderr
    assert not out.exists()


def served(*words: str) -> tuple[int, str]:
    done = run.invoke(app, ["serve", *words])
    return done.exit_code, done.output


@pytest.mark.parametrize("what", ["folder", "nothing", "pipe", "letter", "other", "newer", "no folder", "in use"])
def test_serving_what_is_no_project_ends_with_a_sentence(tmp_path: Path, what: str) -> None:
    path = tmp_path / "it.db"
    match what:
        case "folder":
            path.mkdir()
        case "pipe":
            os.mkfifo(path)
        case "letter":
            path.write_text("Dear artist, " * 1000)
        case "no folder":
            (tmp_path / "file").touch()
            path = tmp_path / "file" / "it.db"
        case "other" | "newer" | "in use":
            Project(path).close()
            with closing(sqlite3.connect(path)) as db:
                if what == "other":
                    for (name,) in db.execute("select name from sqlite_master where type = 'table'").fetchall():
                        db.execute(f"alter table {name} rename to other_{name}")
                else:
                    db.execute("update alembic_version set version_num = 'z999'")
                db.commit()
    owner = None
    if what == "in use":
        with closing(sqlite3.connect(path)) as db:
            db.execute("update alembic_version set version_num = ?", (HEAD,))
            db.commit()
        owner = Project(path)
    code, told = served("--db", "" if what == "nothing" else str(path))
    if owner is not None:
        owner.close()
    assert code == 2
    assert "Traceback" not in told
    assert len(told.strip().splitlines()) == 1
    assert told.strip().endswith(".")


def test_the_demo_is_not_mixed_with_what_another_project_left(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The file was removed, and its changes still lie there."""
    old = Project(tmp_path / "old.db")
    old.create_level("Old level")
    log = tmp_path / "merrow.db-wal"
    shutil.copyfile(tmp_path / "old.db-wal", log)
    old.close()
    monkeypatch.setattr("able_brick.demo.build.build_demo", lambda project: project.create_level("Merrow Lock").id)
    cli._lay_demo(tmp_path / "merrow.db")
    with closing(Project(tmp_path / "merrow.db")) as project:
        assert [level.name for level in project.snapshot.levels.values()] == ["Merrow Lock"]
        assert project.notes == []
    assert not list(tmp_path.glob("*.building*"))
    assert (tmp_path / "merrow.db-wal.aside-1").exists()


def test_all_rungs_in_one_file(ball: Path, tmp_path: Path) -> None:
    for how in ("lod", "names"):
        to = tmp_path / f"{how}.glb"
        done = run.invoke(app, ["reduce", str(ball), str(to), "--ladder", "1,0.5,0.1", "--rungs", how, "--json"])
        assert done.exit_code == 0, done.stderr
        told = json.loads(done.stdout)
        assert [r["file"] for r in told] == [str(to)] * 3
        scene = read_glb(to.read_bytes())
        assert [i.name for i in scene.instances] == ["one", "two", "box"]
        slim = scene.parts[0].rungs
        assert [r.mesh.triangle_count for r in slim][-1] < scene.parts[0].mesh.triangle_count / 8
        assert len(slim) == 2, "what has as many triangles as the piece is no rung of it"
    whole, without = tmp_path / "whole.glb", tmp_path / "without.glb"
    done = run.invoke(app, ["convert", str(tmp_path / "names.glb"), str(without)])
    assert "rungs of Ball" in done.stdout
    assert not read_glb(without.read_bytes()).parts[0].rungs
    assert run.invoke(app, ["convert", str(tmp_path / "names.glb"), str(whole), "--rungs", "lod"]).exit_code == 0
    assert len(read_glb(whole.read_bytes()).parts[0].rungs) == 2
    done = run.invoke(app, ["reduce", str(ball), str(tmp_path / "x.obj"), "--ladder", "1,0.5", "--rungs", "lod"])
    assert done.exit_code == 2
    assert "cannot hold rungs" in done.stderr
