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
from able_brick.core.files.scene import ScenePart
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
DRAWN = """
import { readFileSync } from "node:fs";
import { Box3, Vector3 } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
globalThis.self = globalThis;
const bytes = readFileSync(process.argv[1]);
const whole = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length);
const { scene } = await new GLTFLoader().parseAsync(whole, "");
scene.updateMatrixWorld(true);
let triangles = 0, facing = 1;
const box = new Box3(), [a, b, c, n] = [1, 2, 3, 4].map(() => new Vector3());
scene.traverse((o) => {
  if (!o.isMesh) return;
  const { position, normal } = o.geometry.attributes, index = o.geometry.index;
  triangles += index.count / 3;
  for (let i = 0; i < index.count; i += 3) {
    a.fromBufferAttribute(position, index.getX(i)).applyMatrix4(o.matrixWorld);
    b.fromBufferAttribute(position, index.getX(i + 1)).applyMatrix4(o.matrixWorld);
    c.fromBufferAttribute(position, index.getX(i + 2)).applyMatrix4(o.matrixWorld);
    for (const p of [a, b, c]) box.expandByPoint(p);
    n.fromBufferAttribute(normal, index.getX(i)).transformDirection(o.matrixWorld);
    facing = Math.min(facing, b.sub(a).cross(c.sub(a)).normalize().dot(n));
  }
});
console.log(JSON.stringify({ triangles, facing, low: box.min.toArray(), high: box.max.toArray() }));
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
    parts = [ScenePart(m.name, ZOO["box"](), (m,)) for m in MATERIALS]
    assert codes(write_glb(parts), tmp_path) <= {*ALLOWED, "IMAGE_NPOT_DIMENSIONS"}


def test_two_other_readers_see_every_item_where_it_stands(level: Bench, tmp_path: Path) -> None:
    _, data = level_glb(level.project, level.level, rungs="lod")
    file = tmp_path / "level.glb"
    file.write_bytes(data)
    scene = trimesh.load(file)
    points = np.concatenate([np.asarray(m.vertices) for m in scene.dump()])
    one = {"triangles": sum(len(m.faces) for m in scene.dump()), "low": points.min(axis=0), "high": points.max(axis=0)}
    command = ["node", "--input-type=module", "-e", DRAWN, str(file)]
    other = json.loads(subprocess.run(command, cwd=WEB, capture_output=True, text=True, check=True).stdout)
    own = np.concatenate(list(level.vertices().values()))
    for seen in (one, other):
        np.testing.assert_allclose(seen["low"], own.min(axis=0), atol=1e-4)
        np.testing.assert_allclose(seen["high"], own.max(axis=0), atol=1e-4)
        assert seen["triangles"] == level.project.view(level.level).summary.triangles
    # nothing is inside out: shaded normals look the way that faces do
    assert other["facing"] > 0.0
