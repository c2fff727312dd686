"""What the reading process has reckoned of small meshes, so that taking them over need not do it again.

`stored` holds their bytes as the project keeps them, one after the other; `known.json` a row for each mesh of the
scene: its hash, its counts, its box, and where its bytes begin and how many they are; null for larger meshes.
"""

from __future__ import annotations

import json
import mmap
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from able_brick.core.mesh.kept import keep_with
from able_brick.core.mesh.measure import Counts, counts, counts_of_all
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.store.mesh_codec import encode


def write_known(folder: Path, meshes: Sequence[PolyMesh], most: int) -> None:
    """Reckon and write what is known of the meshes with fewer faces than so many."""
    small = [k for k, mesh in enumerate(meshes) if mesh.face_count < most]
    rows: list[object] = [None] * len(meshes)
    at = 0
    stored = folder / "stored"
    # a new file: whoever takes over what was read before still looks into the old one
    stored.unlink(missing_ok=True)
    with stored.open("wb") as out:
        for k, counted in zip(small, counts_of_all([meshes[k] for k in small]), strict=True):
            mesh = meshes[k]
            size = out.write(encode(mesh))
            box = [b.tolist() for b in mesh.bounds]
            rows[k] = [mesh.content_hash, vars(counted), box, at, size]
            at += size
    (folder / "known.json").write_text(json.dumps(rows, allow_nan=False))


def tell_known(folder: Path, meshes: Sequence[PolyMesh]) -> dict[str, memoryview]:
    """Tell the meshes what is known of them; the bytes of those that are written, by hash. Raises OSError and
    ValueError where that is not there."""
    rows = json.loads((folder / "known.json").read_text())
    with (folder / "stored").open("rb") as file:
        size = file.seek(0, 2)
        whole = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) if size else b"")
    out: dict[str, memoryview] = {}
    for mesh, row in zip(meshes, rows, strict=True):
        if row is None:
            continue
        key, counted, (low, high), at, length = row
        keep_with(mesh, counts, Counts(**counted))
        mesh.know(key, (np.array(low), np.array(high)))
        out[key] = whole[at : at + length]
    return out
