"""Writing PLY, binary, in little-endian order."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.files.colours import to_srgb
from able_brick.core.files.scene import ScenePart
from able_brick.core.files.units import as_one
from able_brick.core.mesh.hardware import hardware_vertices


def write_ply(parts: Sequence[ScenePart]) -> bytes:
    """The bytes of a PLY file of all parts in one: polygons, normals, texture coordinates, colours, material indices.

    The format keeps these for each vertex, so a vertex is written once for each of its looks; reading welds it again.
    Materials stand in comments. Positions are float64.
    """
    part = parts[0] if len(parts) == 1 else as_one(parts, "All parts")
    mesh = part.mesh
    hardware = hardware_vertices(mesh)
    corner = hardware.corner
    fields: list[tuple[str, str, str]] = [(n, "double", "<f8") for n in "xyz"]
    columns = list(mesh.positions[hardware.vertex].T)
    fields += [(n, "float", "<f4") for n in ("nx", "ny", "nz")]
    columns += list(hardware.normals.T)
    if mesh.uv is not None:
        fields += [(n, "double", "<f8") for n in "st"]
        columns += [mesh.uv[corner, 0], 1.0 - mesh.uv[corner, 1]]
    if mesh.colour is not None:
        fields += [(n, "uchar", "u1") for n in ("red", "green", "blue", "alpha")]
        rgba = np.concatenate([to_srgb(mesh.colour[corner, :3]), mesh.colour[corner, 3:]], axis=1)
        columns += list(np.round(np.clip(rgba, 0, 1) * 255).T)
    rows = np.empty(len(corner), np.dtype([(n, t) for n, _, t in fields]))
    for (name, _, _), column in zip(fields, columns, strict=True):
        rows[name] = column
    header = ["ply", "format binary_little_endian 1.0", "comment metres, Y up"]
    for i, m in enumerate(part.materials):
        numbers = " ".join(repr(v) for v in (*m.colour, m.roughness, m.metallic))
        header.append(f"comment material {i} {numbers} {' '.join(m.name.split())}")
    header.append(f"element vertex {len(rows)}")
    header += [f"property {kind} {name}" for name, kind, _ in fields]
    header += [
        f"element face {mesh.face_count}",
        "property list uint int vertex_indices",
        "property int material_index",
        "end_header\n",
    ]
    sizes = mesh.face_sizes.astype(np.int64)
    words = np.empty(int(sizes.sum()) + 2 * len(sizes), "<i4")
    first = np.concatenate([[0], np.cumsum(sizes + 2)])[:-1]
    words[first] = sizes
    words[first + sizes + 1] = mesh.material
    inside = np.ones(len(words), np.bool_)
    inside[first] = False
    inside[first + sizes + 1] = False
    words[inside] = hardware.of_corner
    return "\n".join(header).encode() + rows.tobytes() + words.tobytes()
