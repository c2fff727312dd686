"""What the reading process has computed of small meshes, so that taking them over need not do it again.

`stored` holds their bytes as the project keeps them, one after the other; `boxes.npy` their boxes (n,2,3);
`known.npy` whole numbers (n,9): the number of the mesh in the scene, how many bytes it takes, and its counts;
`hashes` their hashes, a line each.
"""

from __future__ import annotations

import mmap
from collections.abc import Sequence
from dataclasses import fields
from pathlib import Path
from typing import Final

import numpy as np

from able_brick.core.mesh.hashing import HASH_BYTES
from able_brick.core.mesh.measure import Counts, counts, counts_of_all
from able_brick.core.mesh.mesh_cache import keep_with
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.store.mesh_codec import encode

#: The number of a mesh, its bytes and its counts.
_WIDE: Final = 2 + len(fields(Counts))


def write_mesh_facts(folder: Path, meshes: Sequence[PolyMesh], most: int) -> None:
    """Compute and write what is known of the meshes with fewer faces than so many."""
    numbers = [k for k, mesh in enumerate(meshes) if mesh.face_count < most]
    small = [meshes[k] for k in numbers]
    stored = folder / "stored"
    # a new file: whoever takes over what was read before still looks into the old one
    stored.unlink(missing_ok=True)
    with stored.open("wb") as out:
        sizes = [out.write(encode(mesh)) for mesh in small]
    rows = [(k, size, *vars(c).values()) for k, size, c in zip(numbers, sizes, counts_of_all(small), strict=True)]
    np.save(folder / "boxes.npy", np.array([mesh.bounds for mesh in small]).reshape(-1, 2, 3))
    np.save(folder / "known.npy", np.array(rows, np.int64).reshape(-1, _WIDE))
    (folder / "hashes").write_text("\n".join(mesh.content_hash for mesh in small))


def attach_mesh_facts(folder: Path, meshes: Sequence[PolyMesh]) -> dict[str, memoryview]:
    """Tell the meshes what is known of them; the bytes of those that are written, by hash. Raises OSError,
    ValueError, EOFError or LookupError where that is not there or not whole."""
    boxes, rows = (np.load(folder / name, allow_pickle=False) for name in ("boxes.npy", "known.npy"))
    boxes.flags.writeable = False
    hashes = (folder / "hashes").read_text().split()
    with (folder / "stored").open("rb") as file:
        size = file.seek(0, 2)
        whole = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) if size else b"")
    count = len(hashes)
    whole_hashes = sum(map(len, hashes)) == count * 2 * HASH_BYTES
    if not whole_hashes or (boxes.shape, rows.shape) != ((count, 2, 3), (count, _WIDE)) or rows[:, 1].sum() != size:
        raise ValueError("What was written is not whole.")
    out: dict[str, memoryview] = {}
    at = 0
    columns = (hashes, boxes[:, 0], boxes[:, 1], rows.tolist())
    for key, low, high, (k, size, *found) in zip(*columns, strict=True):
        mesh = meshes[k]
        v, f, triangles, quads, ngons, hardware, closed, own = found
        keep_with(mesh, counts, Counts(v, f, triangles, quads, ngons, hardware, bool(closed), bool(own)))
        mesh.know(key, (low, high))
        out[key] = whole[at : at + size]
        at += size
    return out
