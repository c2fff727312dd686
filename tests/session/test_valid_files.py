"""Files of levels are valid glTF, whichever way they are written, and two other readers see what stands in them."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import trimesh

from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.part import Part
from able_brick.session.shipping import level_glb
from tests.core.test_gltf_of_others import MATERIALS
from tests.session.bench import Bench
from tests.session.test_round_trips import with_everything
from tests.zoo import ZOO

WEB = Path(__file__).parents[2] / "web"
VALIDATE = """
const v = require("gltf-validator"), fs = require("fs");
v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1])), { maxIssues: 0 })
  .then((r) => console.log(JSON.stringify(r.issues)));
"""
#: Our own extras, and what lies on forms whose materials have no picture yet.
ALLOWED = {"UNUSED_OBJECT", "UNSUPPORTED_EXTENSION"}


@pytest.fixture(scope="module")
def level(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Bench]:
    made = with_everything(tmp_path_factory.mktemp("valid") / "level.db")
    yield made
    made.project.close()


def codes(data: bytes, folder: Path) -> set[str]:
    """What the validator of the standard tells of a file; that there are no errors and warnings is seen at once."""
    file = folder / "file.glb"
    file.write_bytes(data)
    done = subprocess.run(["node", "-e", VALIDATE, str(file)], cwd=WEB, capture_output=True, text=True, check=True)
    issues = json.loads(done.stdout)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:5]
    return {m["code"] for m in issues["messages"]}


@pytest.mark.parametrize("rungs", [None, "lod", "names"])
@pytest.mark.parametrize("lean", [False, True])
def test_files_of_levels_are_valid(level: Bench, tmp_path: Path, rungs: Rungs | None, lean: bool) -> None:
    _, data = level_glb(level.project, level.level, rungs=rungs, lean=lean)
    found = codes(data, tmp_path)
    assert found <= ALLOWED
    assert ("UNSUPPORTED_EXTENSION" in found) == (rungs == "lod")


def test_materials_of_all_kinds_are_valid(tmp_path: Path) -> None:
    parts = [Part(m.name, ZOO["box"](), (m,)) for m in MATERIALS]
    assert codes(write_glb(parts), tmp_path) <= {*ALLOWED, "IMAGE_NPOT_DIMENSIONS"}


def test_another_reader_sees_every_item_where_it_stands(level: Bench, tmp_path: Path) -> None:
    _, data = level_glb(level.project, level.level, rungs="lod")
    file = tmp_path / "level.glb"
    file.write_bytes(data)
    scene = trimesh.load(file)
    points = np.concatenate([np.asarray(m.vertices) for m in scene.dump()])
    own = np.concatenate(list(level.vertices().values()))
    np.testing.assert_allclose(points.min(axis=0), own.min(axis=0), atol=1e-4)
    np.testing.assert_allclose(points.max(axis=0), own.max(axis=0), atol=1e-4)
    triangles = sum(len(m.faces) for m in scene.dump())
    assert triangles == level.project.view(level.level).summary.triangles
