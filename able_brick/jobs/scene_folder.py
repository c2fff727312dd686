"""A scene in a folder: how the reading process hands over what it has read. No pickles."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.part import GroupAt, Instance, Material, Part, Scene, Texture
from able_brick.store.mesh_codec import packed, unpack


def write_scene(folder: Path, scene: Scene) -> None:
    """Write the scene's meshes, textures and a table of contents into the folder."""
    textures = list(dict.fromkeys(m.texture for p in scene.parts for m in p.materials if m.texture is not None))
    for k, t in enumerate(textures):
        (folder / f"texture-{k}").write_bytes(t.data)
    number = {t: k for k, t in enumerate(textures)}
    parts, at = [], 0
    with (folder / "meshes").open("wb") as out:
        for p in scene.parts:
            size = sum(out.write(piece) for piece in packed(p.mesh))
            parts.append({"name": p.name, "at": [at, size], "materials": [_row(m, number) for m in p.materials]})
            at += size
    np.save(folder / "matrices.npy", np.array([i.matrix for i in scene.instances]).reshape(-1, 4, 4))
    table = {
        "parts": parts,
        "textures": [{"name": t.name, "media": t.media} for t in textures],
        "instances": [[i.part, i.name, i.group] for i in scene.instances],
        "groups": [[g.name, g.parent, g.matrix.ravel().tolist()] for g in scene.groups],
        "notes": list(scene.notes),
    }
    (folder / "scene.json").write_text(json.dumps(table, allow_nan=False))


def _row(m: Material, number: dict[Texture, int]) -> list[Any]:
    return [m.name, list(m.colour), m.roughness, m.metallic, None if m.texture is None else number[m.texture]]


def read_scene(folder: Path) -> Scene:
    """The scene that `write_scene` wrote."""
    try:
        table = json.loads((folder / "scene.json").read_text())
        textures = [
            Texture(t["name"], t["media"], (folder / f"texture-{k}").read_bytes())
            for k, t in enumerate(table["textures"])
        ]
        whole = memoryview((folder / "meshes").read_bytes())
        matrices = np.load(folder / "matrices.npy", allow_pickle=False)
        parts = [
            Part(
                p["name"],
                unpack(whole[p["at"][0] : sum(p["at"])]),
                tuple(
                    Material(n, tuple(c), rough, metal, None if t is None else textures[t])
                    for n, c, rough, metal, t in p["materials"]
                ),
            )
            for p in table["parts"]
        ]
    except (OSError, ValueError, KeyError) as error:
        raise FileError("What was read is no longer there; bring the file in again.", place="folder") from error
    instances = [Instance(part, name, m, g) for (part, name, g), m in zip(table["instances"], matrices, strict=True)]
    groups = [GroupAt(name, parent, np.array(m).reshape(4, 4)) for name, parent, m in table["groups"]]
    return Scene(tuple(parts), tuple(instances), tuple(table["notes"]), tuple(groups))
