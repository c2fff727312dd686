"""The command line: inspect and reduce."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from able_brick.cli import app
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf_read import read_glb
from able_brick.core.files.part import Material, Node, Part
from tests.zoo import ZOO

run = CliRunner()


@pytest.fixture
def ball(tmp_path: Path) -> Path:
    file = tmp_path / "ball.glb"
    parts = [Part("Ball", ZOO["ball"](), (Material("stone"),)), Part("Box", ZOO["box"]())]
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
    assert report["closed"] is True
    assert report["problems"] == []
    assert report["size_m"][0] == pytest.approx(7.2, abs=0.3)
    assert set(report) == {
        *("file", "ok", "vertices", "faces", "triangles", "quads", "ngons", "hardware_vertices"),
        *("materials", "size_m", "closed", "problems"),
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


@pytest.mark.parametrize(
    ("extra", "text"),
    [
        ([], "either --share or --triangles"),
        (["--share", "2"], "above 0 and up to 1"),
        (["--share", "1", "--triangles", "5"], "either"),
    ],
)
def test_reduce_refuses_nonsense_and_writes_nothing(ball: Path, tmp_path: Path, extra: list[str], text: str) -> None:
    out = tmp_path / "out.glb"
    done = run.invoke(app, ["reduce", str(ball), str(out), *extra])
    assert done.exit_code == 2
    assert text in done.stderr
    assert not out.exists()
