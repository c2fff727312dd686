"""Files of a batch that are done again: whatever they depend on has changed."""

from __future__ import annotations

import json
import struct
import zlib
from pathlib import Path

import numpy as np
import pytest

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart, Texture
from able_brick.core.files.write import write_file
from able_brick.jobs.slim_file import slim_file
from tests.jobs.test_batch import fill, job
from tests.zoo import waves


def png(level: int) -> bytes:
    """A grey picture of one pixel."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", 1, 1, 8, 0, 0, 0, 0)
    body = zlib.compress(bytes([0, level]))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def beside(folder: Path, kind: str) -> list[Path]:
    """A model that names other files: what it is, and those, one of which is not there yet."""
    folder.mkdir(parents=True)
    picture = Texture("stone", "image/png", png(90))
    parts = (ScenePart("Waves", waves(12), (Material("stone", texture=picture), Material("moss"))),)
    if kind == "obj":
        for name, data in write_file("waves.obj", Scene(parts, (Instance(0, "Waves", np.eye(4)),))).items():
            (folder / name).write_bytes(data)
        text = (folder / "waves.mtl").read_text()
        (folder / "waves.mtl").write_text(text + "\nnewmtl late\nmap_Kd late.png\n")
        return [*sorted(folder.iterdir()), folder / "late.png"]
    glb = write_glb(list(parts))
    size = int.from_bytes(glb[12:16], "little")
    document = json.loads(glb[20 : 20 + size])
    binary = glb[28 + size :]
    document["buffers"][0]["uri"] = "waves.bin"
    image = document["images"][0]
    view = document["bufferViews"][image.pop("bufferView")]
    at = view.get("byteOffset", 0)
    image["uri"] = "stone.png"
    (folder / "stone.png").write_bytes(binary[at : at + view["byteLength"]])
    (folder / "waves.bin").write_bytes(binary)
    (folder / "waves.gltf").write_text(json.dumps(document))
    return sorted(folder.iterdir())


@pytest.mark.parametrize("kind", ["gltf", "obj"])
def test_a_file_is_done_again_where_any_file_that_it_names_is_another(tmp_path: Path, kind: str) -> None:
    files = beside(tmp_path / "in", kind)
    assert len(files) >= 3
    one = job(tmp_path / "in", f"waves.{kind}", tmp_path / "out")
    first = slim_file(one)
    assert first["ok"], first
    assert slim_file(one).get("again"), "nothing has changed"
    for path in files:
        before = path.read_bytes() if path.exists() else None
        if path.suffix == ".png":
            path.write_bytes(png(200))
        elif path.suffix == ".bin":
            points = np.frombuffer(before or b"", np.uint8).copy()
            points[3] ^= 1
            path.write_bytes(points.tobytes())
        else:
            path.write_bytes((before or b"") + b"\n")
        found = slim_file(one)
        assert found["ok"], (path.name, found)
        assert "again" not in found, path.name
        assert slim_file(one).get("again"), path.name


def test_a_file_is_done_again_by_another_version_of_the_program(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    fill(tmp_path / "in", 1)
    one = job(tmp_path / "in", "shelf 0/piece 0.glb", tmp_path / "out")
    slim_file(one)
    assert slim_file(one)["again"]
    monkeypatch.setattr("able_brick.jobs.slim_file.program", lambda: "another")
    assert "again" not in slim_file(one)
