"""Reading OBJ with its MTL."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files import obj_kernels as kernels
from able_brick.core.files.beside import Beside, nothing_beside
from able_brick.core.files.from_faces import RawFaces, mesh_from
from able_brick.core.files.pictures import texture
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart, Texture
from able_brick.core.mesh.spans import spans

_MOST_ELEMENTS: Final = 40_000_000
_MOST_LINES: Final = 1_000_000
_MOST_PARTS: Final = 20_000
_MOST_MATERIALS: Final = 10_000
#: Of text in UTF-8.
BYTE_ORDER_MARK: Final = b"\xef\xbb\xbf"
#: Options of a map in an MTL file, and how many words follow each at most.
_MAP_OPTIONS: Final = {
    **dict.fromkeys(("-blendu", "-blendv", "-cc", "-clamp", "-boost", "-texres", "-bm", "-imfchan", "-type"), 1),
    "-mm": 2,
    **dict.fromkeys(("-o", "-s", "-t"), 3),
}
_PLACED: Final = frozenset({"-o", "-s", "-t"})
_WRONG: Final = {
    kernels.NO_NUMBER: "a word that is not a number",
    kernels.FEW_NUMBERS: "too few numbers",
    kernels.NO_INDEX: "a corner that is no index",
    kernels.FEW_CORNERS: "a face with fewer than three corners",
    kernels.BEYOND: "an index that points before the first element",
}


@dataclass
class _Lines:
    """What the lines between the faces say, run by run: each run's first face, its part, material, smoothing."""

    faces: list[int] = field(default_factory=lambda: [0])
    objects: list[int] = field(default_factory=lambda: [0])
    groups: list[int] = field(default_factory=lambda: [0])
    materials: list[int] = field(default_factory=lambda: [0])
    smoothing: list[int] = field(default_factory=lambda: [0])
    object_names: dict[str, int] = field(default_factory=lambda: {"": 0})
    group_names: dict[str, int] = field(default_factory=lambda: {"": 0})
    material_names: dict[str, int] = field(default_factory=lambda: {"": 0})
    libraries: list[str] = field(default_factory=list)
    smooth: bool = False
    left_out: int = 0


def read_obj(data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """Parts from the bytes of an OBJ file: one for each object, or for each group where there are no objects.

    Polygons are kept; negative indices, groups, smoothing groups, line continuations, colours behind the positions,
    materials and base colour textures are understood. Raises FileError naming the line.
    """
    data = data.removeprefix(BYTE_ORDER_MARK)
    if data[:4] == b"glTF" or b"\0" in data[:4096]:
        raise FileError("This is not an OBJ file: it holds bytes that no text has.", place="byte 0")
    joined = data.replace(b"\\\r\n", b"   ").replace(b"\\\n", b"  ")
    if b"\n" not in joined and b"\r" in joined:
        joined = joined.replace(b"\r", b"\n")
    text = np.frombuffer(joined, np.uint8)
    v, vt, vn, f, corners, other = kernels.obj_counts(text)
    if max(v, vt, vn, corners) > _MOST_ELEMENTS:
        raise FileError(f"The file has more than {_MOST_ELEMENTS} elements; split it.", place="file")
    if f == 0:
        raise FileError("The file has no faces. Is it an OBJ file?", place="file")
    if other > _MOST_LINES:
        raise FileError(f"The file has more than {_MOST_LINES} lines that change group or material.", place="file")
    points, colours, uvs, normals = np.empty((v, 3)), np.ones((v, 4)), np.empty((vt, 2)), np.empty((vn, 3))
    sizes = np.empty(f, np.int64)
    at = (np.empty(corners, np.int64), np.empty(corners, np.int64), np.empty(corners, np.int64))
    line_at, line_face = np.empty(other, np.int64), np.empty(other, np.int64)
    code, offset, coloured = kernels.obj_fill(
        text, points, colours, uvs, normals, sizes, at[0], at[1], at[2], line_at, line_face
    )
    if code != kernels.FINE:
        line = data.count(b"\n", 0, int(offset)) + 1
        raise FileError(f"Line {line} has {_WRONG[int(code)]}; export the file again.", place=f"line {line}")
    for what, index, count in (("vertex", at[0], v), ("texture coordinate", at[1], vt), ("normal", at[2], vn)):
        if len(index) and int(index.max()) >= count:
            corner = int(np.argmax(index >= count))
            face = int(np.searchsorted(np.cumsum(sizes), corner, side="right")) + 1
            raise FileError(
                f"Face {face} of the file names {what} {int(index[corner]) + 1}; there are {count}.",
                place=f"face {face}",
            )
    lines = _directives(joined, line_at, line_face)
    materials, notes = _materials(lines, beside)
    if lines.left_out:
        notes.append(f"{lines.left_out} lines of points, curves or other things that are not faces were left out.")
    raw = RawFaces(
        points,
        sizes,
        at[0],
        normal=normals if vn and bool((at[2] >= 0).all()) else None,
        normal_at=at[2],
        uv=(uvs[at[1]] * [1.0, -1.0] + [0.0, 1.0]) if vt and bool((at[1] >= 0).all()) else None,
        colour=colours[at[0]] if coloured == v else None,
    )
    if vt and raw.uv is None and bool((at[1] >= 0).any()):
        notes.append("Some corners have no texture coordinates, so all were left out.")
    return _scene(raw, lines, materials, notes, weld=weld)


def _directives(text: bytes, line_at: npt.NDArray[np.int64], line_face: npt.NDArray[np.int64]) -> _Lines:
    lines = _Lines()
    now = {"object": 0, "group": 0, "material": 0, "smoothing": 0}
    for start, face in zip(line_at.tolist(), line_face.tolist(), strict=True):
        end = text.find(b"\n", start)
        words = text[start : end if end >= 0 else len(text)].decode("utf-8", "replace").split("#")[0].strip()
        head, _, rest = words.partition(" ")
        rest = "".join(c for c in rest.strip() if c.isprintable())[:200]
        match head.strip():
            case "o":
                now["object"] = lines.object_names.setdefault(rest, len(lines.object_names))
            case "g":
                now["group"] = lines.group_names.setdefault(rest, len(lines.group_names))
            case "usemtl":
                now["material"] = lines.material_names.setdefault(rest, len(lines.material_names))
            case "s":
                lines.smooth = True
                now["smoothing"] = int(rest) if rest.isascii() and rest.isdigit() and len(rest) < 10 else 0
            case "mtllib":
                lines.libraries.append(rest)
                continue
            case _:
                lines.left_out += 1
                continue
        if lines.faces[-1] != face:
            lines.faces.append(face)
            for values in (lines.objects, lines.groups, lines.materials, lines.smoothing):
                values.append(0)
        lines.objects[-1], lines.groups[-1] = now["object"], now["group"]
        lines.materials[-1], lines.smoothing[-1] = now["material"], now["smoothing"]
    return lines


def _materials(lines: _Lines, beside: Beside) -> tuple[list[Material], list[str]]:
    """A material for each name in the order of their numbers, and notes."""
    notes: list[str] = []
    defined: dict[str, Material] = {}
    for library in dict.fromkeys(lines.libraries):
        data = beside(library)
        if data is None:
            notes.append(f"The materials' file {library[:80]} is not among those given; bring it in together.")
            continue
        defined |= read_mtl(data, beside, notes)
    out = []
    for name in lines.material_names:
        if name and lines.libraries and name not in defined:
            notes.append(f"The material {name[:80]} is not defined; it is plain.")
        out.append(defined.get(name, Material(name[:120] or "Plain")))
    return out, notes[:50]


def read_mtl(data: bytes, beside: Beside, notes: list[str]) -> dict[str, Material]:
    """Materials by name from the bytes of an MTL file; numbers out of range are brought into it."""
    out: dict[str, Material] = {}
    name = ""
    beside = _each_once(beside)
    pictures: dict[str, Texture | None] = {}
    if len(data) > 16 * 2**20:
        raise FileError("The materials' file has more than 16 MB.", place="MTL")
    for line in data.removeprefix(BYTE_ORDER_MARK).decode("utf-8", "replace").replace("\\\n", " ").splitlines():
        head, _, rest = line.strip().partition(" ")
        rest = "".join(c for c in rest.strip() if c.isprintable())[:400]
        if head == "newmtl":
            if len(out) >= _MOST_MATERIALS:
                notes.append(f"The materials' file has more than {_MOST_MATERIALS} materials; the others are plain.")
                break
            name = rest[:200]
            out[name] = Material(name[:120] or "Plain")
        elif name in out:
            out[name] = _with(out[name], head, rest, beside, notes, pictures)
    return out


def _each_once(beside: Beside) -> Beside:
    """The same, where no file is fetched twice in a row."""
    last: list[tuple[str, bytes | None]] = [("", None)]

    def fetch(name: str) -> bytes | None:
        if last[0][0] != name:
            last[0] = (name, beside(name))
        return last[0][1]

    return fetch


def _with(
    m: Material, head: str, rest: str, beside: Beside, notes: list[str], pictures: dict[str, Texture | None]
) -> Material:
    def share(word: str) -> float | None:
        try:
            value = float(word)
        except ValueError:
            return None
        return min(max(value, 0.0), 1.0) if value == value else None

    words = rest.split()
    values = [share(w) for w in words[:3]]
    r, g, b, a = m.colour
    match head:
        case "Kd" if len(values) >= 3 and None not in values:
            return replace(m, colour=(values[0], values[1], values[2], a))  # type: ignore[arg-type]
        case "d" if values and values[0] is not None:
            return replace(m, colour=(r, g, b, values[0]))
        case "Tr" if values and values[0] is not None:
            return replace(m, colour=(r, g, b, 1.0 - values[0]))
        case "Pr" if values and values[0] is not None:
            return replace(m, roughness=values[0])
        case "Pm" if values and values[0] is not None:
            return replace(m, metallic=values[0])
        case "map_Kd" if rest:
            if rest not in pictures:
                name, placed = _map_of(rest)
                if beside(rest) is not None:  # a name that looks like options
                    name, placed = rest, False
                pictures[rest] = _picture(name if beside(name) is not None else words[-1], beside, notes)
                if placed:
                    notes.append(f"The texture {name[:80]} is moved or scaled by its material, which is left out.")
            return replace(m, texture=pictures[rest])
    return m


def _map_of(rest: str) -> tuple[str, bool]:
    """The name of the picture in what follows a map, behind its options, and whether these move or scale it."""
    left, placed = rest, False
    while (head := left.partition(" "))[0] in _MAP_OPTIONS and head[2]:
        option = head[0]
        left = head[2].strip()
        for k in range(_MAP_OPTIONS[option]):
            word, _, more = left.partition(" ")
            # places and sizes have one to three numbers
            if not more or (option in _PLACED and k and not _is_number(word)):
                break
            left = more.strip()
        placed = placed or option in _PLACED
    return left, placed


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def _picture(name: str, beside: Beside, notes: list[str]) -> Texture | None:
    """A picture that is there and can be shown; else a note."""
    data = beside(name)
    if data is None:
        notes.append(f"The texture {name[:80]} is not among the files given; bring it in together.")
        return None
    try:
        return texture(name.replace("\\", "/").rsplit("/", 1)[-1], data, name[:80])
    except FileError as error:
        notes.append(f"A texture was left out: {error}")
        return None


def _scene(raw: RawFaces, lines: _Lines, materials: list[Material], notes: list[str], *, weld: bool) -> Scene:
    run = np.repeat(np.arange(len(lines.faces)), np.diff([*lines.faces, len(raw.sizes)]))
    objects, groups = np.array(lines.objects)[run], np.array(lines.groups)[run]
    by_object = len(np.unique(objects)) > 1 or len(lines.object_names) > 1
    part_of, names = (objects, list(lines.object_names)) if by_object else (groups, list(lines.group_names))
    used = np.unique(part_of)
    if len(used) > _MOST_PARTS:
        used, part_of, names = np.array([0]), np.zeros(len(run), np.int64), ["All parts"]
        notes.append(f"The file has more than {_MOST_PARTS} parts; they were joined into one.")
    material, smoothing = np.array(lines.materials)[run], np.array(lines.smoothing)[run]
    parts: list[ScenePart] = []
    # faces, and corners, by their parts, in their order in each
    by_part = np.argsort(part_of, kind="stable")
    bounds = np.searchsorted(part_of[by_part], [*used.tolist(), np.iinfo(np.int64).max])
    starts = np.concatenate([[0], np.cumsum(raw.sizes)])
    for k, number in enumerate(used.tolist()):
        whole = len(used) == 1
        faces = slice(None) if whole else by_part[bounds[k] : bounds[k + 1]]
        corner = slice(None) if whole else spans(starts[faces], raw.sizes[faces])
        slots, slot = np.unique(material[faces], return_inverse=True)
        name = names[number] or f"Part {number + 1}"

        def cut(a: npt.NDArray[Any] | None, corner: Any = corner) -> npt.NDArray[Any] | None:
            return None if a is None else a[corner]

        points, corners = raw.points, raw.corners[corner]
        if not whole:
            mine, corners = np.unique(corners, return_inverse=True)
            points = points[mine]
        one = RawFaces(
            points,
            raw.sizes[faces],
            corners,
            normal=raw.normal,
            normal_at=cut(raw.normal_at),
            uv=cut(raw.uv),
            colour=cut(raw.colour),
            material=slot,
            smoothing=smoothing[faces] if lines.smooth else None,
        )
        try:
            mesh, mesh_notes = mesh_from(one, weld=weld)
        except GeometryError as error:
            raise FileError(f"{name}: {error}", place=name) from error
        notes += [f"{name}: {note}" for note in mesh_notes]
        if mesh.face_count:
            parts.append(ScenePart(name[:120], mesh, tuple(materials[s] for s in slots)))
    if not parts:
        raise FileError("No face of the file has an area.", place="file")
    return Scene(tuple(parts), tuple(Instance(i, p.name, np.eye(4)) for i, p in enumerate(parts)), tuple(notes))
