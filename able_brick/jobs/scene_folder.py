"""A scene in a folder: how the reading process hands over what it has read. No pickles.

`meshes` holds the arrays of all parts, field after field and part after part; `matrices.npy` where instances stand;
`scene.json` everything else.
"""

from __future__ import annotations

import json
from dataclasses import fields
from itertools import starmap
from pathlib import Path
from typing import Any, Final

import numpy as np

from able_brick.core.errors import FileError
from able_brick.core.files.scene import GroupAt, Instance, KeptLevel, Material, Scene, ScenePart, ScenePartRung, Texture
from able_brick.core.mesh.little import little_bytes
from able_brick.core.mesh.polymesh import PolyMesh

#: The arrays of a mesh, with the type of their numbers and how many of these a row has, the longest numbers first.
_FIELDS: Final = (
    ("positions", "<f8", 3),
    ("uv", "<f8", 2),
    ("colour", "<f8", 4),
    ("normal", "<f8", 3),
    ("face_starts", "<i4", 1),
    ("corners", "<i4", 1),
    ("material", "<i4", 1),
    ("facet", "<i4", 1),
    ("sharp", "|b1", 1),
)


def write_scene(folder: Path, scene: Scene) -> None:
    """Write the scene's meshes, textures and a table of contents into the folder."""
    textures = list(dict.fromkeys(m.texture for p in scene.parts for m in p.materials if m.texture is not None))
    for k, t in enumerate(textures):
        (folder / f"texture-{k}").write_bytes(t.data)
    number = {t: k for k, t in enumerate(textures)}
    meshes = [*(p.mesh for p in scene.parts), *(r.mesh for p in scene.parts for r in p.rungs)]
    with (folder / "meshes").open("wb") as out:
        for name, _, _ in _FIELDS:
            for mesh in meshes:
                array = getattr(mesh, name)
                if array is not None:
                    out.write(little_bytes(array))
    np.save(folder / "matrices.npy", np.array([i.matrix for i in scene.instances]).reshape(-1, 4, 4))
    looks = {look: k for k, look in enumerate(dict.fromkeys(p.materials for p in scene.parts))}
    table = {
        "meshes": [[_rows(m), m.smooth_angle] for m in meshes],
        "parts": [[p.name, looks[p.materials], p.piece, [r.coverage for r in p.rungs]] for p in scene.parts],
        "looks": [[_row(m, number) for m in look] for look in looks],
        "textures": [{"name": t.name, "media": t.media} for t in textures],
        "instances": [[i.part, i.name, i.group, i.thing, i.extras] for i in scene.instances],
        "groups": [[g.name, g.parent, g.matrix.ravel().tolist(), g.thing, g.extras] for g in scene.groups],
        "kept": None if (own := scene.kept) is None else [own.rows, own.standing, sorted(own.written)],
        "notes": list(scene.notes),
    }
    (folder / "scene.json").write_text(json.dumps(table, allow_nan=False))


def _rows(mesh: PolyMesh) -> list[int | None]:
    """How many rows each of a mesh's arrays has; None where it has none."""
    return [None if (a := getattr(mesh, name)) is None else len(a) for name, _, _ in _FIELDS]


def _row(m: Material, number: dict[Texture, int]) -> list[Any]:
    picture = None if m.texture is None else number[m.texture]
    return [m.name, m.colour, m.roughness, m.metallic, picture, m.alpha, m.cutoff, m.both_sides, m.uv_transform]


def _material(row: list[Any], textures: list[Texture]) -> Material:
    name, colour, rough, metal, texture, alpha, cutoff, both, moved = row
    picture = None if texture is None else textures[texture]
    transform = None if moved is None else tuple(moved)
    return Material(name, tuple(colour), rough, metal, picture, alpha, cutoff, both, transform)


def read_scene(folder: Path) -> Scene:
    """The scene that `write_scene` wrote."""
    try:
        table = json.loads((folder / "scene.json").read_text())
        textures = [
            Texture(t["name"], t["media"], (folder / f"texture-{k}").read_bytes())
            for k, t in enumerate(table["textures"])
        ]
        matrices = np.load(folder / "matrices.npy", allow_pickle=False)
        looks = [tuple(_material(row, textures) for row in look) for look in table["looks"]]
        meshes = _meshes(folder, table["meshes"])
        own, others = meshes[: len(table["parts"])], iter(meshes[len(table["parts"]) :])
        parts = [
            ScenePart(
                name, mesh, looks[look], rungs=tuple([ScenePartRung(next(others), c) for c in rungs]), piece=piece
            )
            for (name, look, piece, rungs), mesh in zip(table["parts"], own, strict=True)
        ]
    except (OSError, ValueError, KeyError) as error:
        raise FileError("What was read is no longer there; bring the file in again.", place="folder") from error
    instances = [Instance(part, name, m, *g) for (part, name, *g), m in zip(table["instances"], matrices, strict=True)]
    groups = [GroupAt(name, parent, np.array(m).reshape(4, 4), *extras) for name, parent, m, *extras in table["groups"]]
    kept = None
    if table["kept"] is not None:
        rows, standing, written = table["kept"]
        kept = KeptLevel(
            rows, {k: (within, name, extras) for k, (within, name, extras) in standing.items()}, frozenset(written)
        )
    return Scene(tuple(parts), tuple(instances), tuple(table["notes"]), tuple(groups), kept)


def large_meshes(folder: Path, least: int) -> list[PolyMesh]:
    """The meshes of a scene in a folder that have at least so many faces. Raises OSError and ValueError."""
    table = json.loads((folder / "scene.json").read_text())["meshes"]
    faces = [name for name, _, _ in _FIELDS].index("material")
    if not any(rows[faces] >= least for rows, _ in table):
        return []
    return [mesh for mesh in _meshes(folder, table) if mesh.face_count >= least]


def _meshes(folder: Path, table: list[list[Any]]) -> list[PolyMesh]:
    """The meshes, whose arrays are stretches of what the file holds."""
    raw = (folder / "meshes").read_bytes()
    columns: dict[str, list[Any]] = {}
    at = 0
    for k, (name, kind, width) in enumerate(_FIELDS):
        lengths = [rows[k] for rows, _ in table]
        total = sum(n for n in lengths if n is not None)
        whole = np.frombuffer(raw, np.dtype(kind), total * width, at).astype(kind[1:], copy=False)
        at += whole.nbytes
        whole = whole.reshape(-1, width) if width > 1 else whole
        whole.flags.writeable = False
        ends = [0, *np.cumsum([n or 0 for n in lengths]).tolist()]
        columns[name] = [
            None if n is None else whole[a:b] for n, a, b in zip(lengths, ends[:-1], ends[1:], strict=True)
        ]
    columns["smooth_angle"] = [angle for _, angle in table]
    return list(starmap(PolyMesh, zip(*(columns[f.name] for f in fields(PolyMesh)), strict=True)))
