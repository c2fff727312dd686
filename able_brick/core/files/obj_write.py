"""Writing OBJ with its MTL."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from able_brick.core.files.scene import Material, ScenePart
from able_brick.core.mesh.normals import shading


def write_obj(parts: Sequence[ScenePart], name: str) -> dict[str, bytes]:
    """The files of an OBJ by name: `name`.obj, `name`.mtl, and the textures.

    Polygons, normals, texture coordinates, colours behind the positions, one object for each part. Numbers are written
    so that they read back exactly.
    """
    materials = list(dict.fromkeys(m for p in parts for m in p.materials))
    names = _unique([m.name for m in materials])
    lines = [f"mtllib {name}.mtl"]
    vertex = uv = normal = 1
    titles = _unique([p.name for p in parts])
    for part, title in zip(parts, titles, strict=True):
        mesh = part.mesh
        lines.append(f"o {title}")
        colour = None
        if mesh.colour is not None:  # the format has one colour for each vertex: that of its first corner
            colour = np.ones((mesh.vertex_count, 4))
            colour[mesh.corners[::-1]] = mesh.colour[::-1]
        for k, p in enumerate(mesh.positions.tolist()):
            tail = "" if colour is None else " " + " ".join(f"{c:.6g}" for c in colour[k, :3].tolist())
            lines.append(f"v {p[0]!r} {p[1]!r} {p[2]!r}{tail}")
        uv_of = None
        if mesh.uv is not None:
            # as one number each they are sorted far quicker than as rows, and into the same order
            values, uv_of = np.unique(np.ascontiguousarray(mesh.uv).view(np.complex128)[:, 0], return_inverse=True)
            lines += [f"vt {u!r} {1.0 - v!r}" for u, v in zip(values.real.tolist(), values.imag.tolist(), strict=True)]
            uv_of = uv_of + uv
            uv += len(values)
        shaded = shading(mesh)
        directions, normal_of = shaded.normals, shaded.group
        digits = 7 if mesh.normal is None else 17
        lines += [f"vn {x:.{digits}g} {y:.{digits}g} {z:.{digits}g}" for x, y, z in directions.tolist()]
        corner = (mesh.corners + vertex).tolist()
        n = (normal_of + normal).tolist()
        t = None if uv_of is None else uv_of.tolist()
        words = [
            f"{c}//{m}" if t is None else f"{c}/{t[k]}/{m}" for k, (c, m) in enumerate(zip(corner, n, strict=True))
        ]
        now = None
        for slot, (a, b) in zip(mesh.material.tolist(), pairwise(mesh.face_starts.tolist()), strict=True):
            if slot != now:
                now = slot
                if slot < len(part.materials):
                    lines.append(f"usemtl {names[materials.index(part.materials[slot])]}")
            lines.append("f " + " ".join(words[a:b]))
        vertex += mesh.vertex_count
        normal += len(directions)
    files = {f"{name}.obj": ("\n".join(lines) + "\n").encode()}
    text: list[str] = []
    for m, title in zip(materials, names, strict=True):
        text += _mtl(m, title, files)
    files[f"{name}.mtl"] = ("\n".join(text) + "\n").encode()
    return files


def _mtl(m: Material, name: str, files: dict[str, bytes]) -> list[str]:
    r, g, b, a = m.colour
    out = [f"newmtl {name}", f"Kd {r!r} {g!r} {b!r}", f"d {a!r}", f"Pr {m.roughness!r}", f"Pm {m.metallic!r}"]
    if m.texture is not None:
        stem = m.texture.name.rsplit(".", 1)[0].replace(" ", "_") or "texture"
        title = next(
            (
                t
                for t in (f"{stem}{'-' + str(k) if k else ''}{m.texture.suffix}" for k in range(1000))
                if files.get(t, m.texture.data) == m.texture.data
            ),
            f"{stem}{m.texture.suffix}",
        )
        files[title] = m.texture.data
        out.append(f"map_Kd {title}")
    return out


def _unique(names: Sequence[str]) -> list[str]:
    """Names that can stand on a line, each once."""
    out: list[str] = []
    for name in names:
        plain = " ".join(name.replace("#", " ").split()) or "Piece"
        title, k = plain, 2
        while title in out:
            title, k = f"{plain} {k}", k + 1
        out.append(title)
    return out
