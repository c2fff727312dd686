"""Reading PLY: text, and binary in both byte orders."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from able_brick.core.errors import FileError, GeometryError
from able_brick.core.files.beside import Beside, nothing_beside
from able_brick.core.files.colours import to_linear
from able_brick.core.files.from_faces import RawFaces, floats, mesh_from
from able_brick.core.files.pictures import texture
from able_brick.core.files.ply_kernels import walk_binary, walk_words
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart
from able_brick.core.files.text_kernels import all_numbers

_KINDS: Final = {
    **dict(zip(("char", "uchar", "short", "ushort", "int", "uint", "float", "double"), range(8), strict=True)),
    **dict(zip(("int8", "uint8", "int16", "uint16", "int32", "uint32", "float32", "float64"), range(8), strict=True)),
}
_DTYPES: Final = ("i1", "u1", "i2", "u2", "i4", "u4", "f4", "f8")
Whole = npt.NDArray[np.int64]
#: Where a walk ended, how many values there were, and the element that runs beyond the data, or −1.
Walked = tuple[int, int, int]
_MOST_ELEMENTS: Final = 20_000_000
_MOST_HEADER: Final = 256 * 1024


@dataclass(frozen=True)
class _Property:
    name: str
    kind: int
    count_kind: int = -1


@dataclass(frozen=True)
class _Element:
    name: str
    count: int
    properties: tuple[_Property, ...]

    def index(self, *names: str) -> int:
        return next((i for i, p in enumerate(self.properties) if p.name in names), -1)


@dataclass(frozen=True)
class _Header:
    form: str
    elements: tuple[_Element, ...]
    materials: dict[int, Material]
    picture: str | None
    size: int


def read_ply(data: bytes, beside: Beside = nothing_beside, *, weld: bool = True) -> Scene:
    """One part from the bytes of a PLY file, with its polygons, normals, texture coordinates and colours.

    Colours of whole numbers are taken as sRGB. Raises FileError naming the element.
    """
    header = _header(data)
    columns: dict[str, npt.NDArray[np.float64]] = {}
    faces: tuple[Whole, Whole, Whole | None] | None = None
    shades: list[npt.NDArray[np.int64] | None] = []
    whole_colours = False
    body = _Text(data, header) if header.form == "ascii" else _Binary(data, header)
    for element in header.elements:
        if element.name == "vertex":
            columns = body.columns(element)
            at = element.index("red", "r", "diffuse_red")
            whole_colours = at >= 0 and element.properties[at].kind < 6
        elif element.name == "face" and faces is None:
            wanted = element.index("vertex_indices", "vertex_index")
            if wanted < 0 or element.properties[wanted].count_kind < 0 or element.properties[wanted].kind >= 6:
                raise FileError("The element face has no list of whole numbers vertex_indices.", place="header")
            number = element.index("material_index")
            if number >= 0 and element.properties[number].count_kind >= 0:
                number = -1  # a list of them for each face says nothing that could be kept
            start = body.at
            faces = body.lists(element, wanted, number)
            for names in (("red", "r"), ("green", "g"), ("blue", "b"), ("alpha", "a")):
                at = element.index(*names)
                if at >= 0 and element.properties[at].count_kind < 0 and element.properties[at].kind < 6:
                    body.at = start
                    shades.append(body.lists(element, wanted, at)[2])
        elif element.name == "tristrips" and faces is None:
            wanted = element.index("vertex_indices", "vertex_index")
            if wanted < 0 or element.properties[wanted].count_kind < 0 or element.properties[wanted].kind >= 6:
                raise FileError("The element tristrips has no list of whole numbers vertex_indices.", place="header")
            faces = (*_of_strips(*body.lists(element, wanted, -1)[:2]), None)
        else:
            body.lists(element, -1, -1)
    if not {"x", "y", "z"} <= columns.keys():
        raise FileError("The vertices have no x, y and z.", place="header")
    if faces is None or not len(faces[0]):
        raise FileError("The file has no faces; clouds of points are not read.", place="header")
    # what is not a number is reported by mesh_from; on the way there it may be computed with
    with np.errstate(invalid="ignore", over="ignore"):
        return _scene(header, columns, whole_colours, faces, _shades(shades), beside, weld=weld)


def _shades(found: list[npt.NDArray[np.int64] | None]) -> npt.NDArray[np.float64] | None:
    """(F,3) or (F,4) colours of faces in 0…1, linear, from whole numbers in sRGB; None where there are none."""
    columns = [c for c in found if c is not None]
    if len(columns) < 3:
        return None
    out = np.clip(np.stack(columns, axis=1) / 255, 0, 1)
    out[:, :3] = to_linear(out[:, :3])
    return out


def _of_strips(sizes: npt.NDArray[np.int64], values: npt.NDArray[np.int64]) -> tuple[Whole, Whole]:
    """Sizes and corners of the triangles of strips: every three that follow one another, each second one turned round;
    −1 begins a strip anew."""
    row = np.repeat(np.arange(len(sizes)), sizes)
    n = len(values)
    breaks = np.flatnonzero(values < 0)
    begins = np.zeros(n, np.bool_)
    begins[np.cumsum(sizes)[:-1][np.cumsum(sizes)[:-1] < n]] = True
    begins[breaks[breaks + 1 < n] + 1] = True
    if n:
        begins[0] = True
    first = np.maximum.accumulate(np.where(begins, np.arange(n), 0))
    a = np.arange(max(n - 2, 0))
    whole = (first[a] == first[a + 2]) & (row[a] == row[a + 2]) & (values[a] >= 0)
    whole &= (values[a + 1] >= 0) & (values[a + 2] >= 0)
    a = a[whole]
    odd = (a - first[a]) % 2 == 1
    tris = np.stack([values[a], values[a + 1], values[a + 2]], axis=1)
    tris[odd] = tris[odd][:, [1, 0, 2]]
    # joints of strips say a corner twice
    tris = tris[(tris[:, 0] != tris[:, 1]) & (tris[:, 1] != tris[:, 2]) & (tris[:, 2] != tris[:, 0])]
    return np.full(len(tris), 3, np.int64), tris.ravel()


def _header(data: bytes) -> _Header:
    if data[:3] != b"ply" or data[3:4] not in (b"\n", b"\r"):
        raise FileError("This is not a PLY file: it does not begin with “ply”.", place="byte 0")
    end = data.find(b"end_header", 0, _MOST_HEADER)
    if end < 0:
        raise FileError("The header has no end_header; the file is cut off.", place="header")
    after = data.find(b"\n", end)
    lone = data.find(b"\r", end, end + 12)
    if after < 0 or (lone >= 0 and data[lone : lone + 2] != b"\r\n"):
        after = lone if lone >= 0 else len(data) - 1
    form, elements, materials, picture = "", [], {}, None
    for n, line in enumerate(data[:end].decode("latin-1").replace("\r\n", "\n").replace("\r", "\n").split("\n"), 1):
        words = line.split()
        place = f"line {n}"
        match words:
            case ["format", name, _version] if name in ("ascii", "binary_little_endian", "binary_big_endian"):
                form = name
            case ["format", *_]:
                raise FileError(f"The format of {place} is not known: {line[:60]!r}.", place=place)
            case ["element", name, count]:
                if not (count.isascii() and count.isdigit() and len(count) < 12) or int(count) > _MOST_ELEMENTS:
                    raise FileError(
                        f"The number of {name[:40]} in {place} should be from 0 to {_MOST_ELEMENTS}.",
                        place=place,
                        received=count[:40],
                    )
                elements.append(_Element(name, int(count), ()))
            case ["property", "list", count_kind, kind, name] if elements and count_kind in _KINDS and kind in _KINDS:
                if _KINDS[count_kind] >= 6:
                    raise FileError(f"The list of {place} is counted with {count_kind}.", place=place)
                elements[-1] = _with(elements[-1], _Property(name, _KINDS[kind], _KINDS[count_kind]))
            case ["property", kind, name] if elements and kind in _KINDS:
                elements[-1] = _with(elements[-1], _Property(name, _KINDS[kind]))
            case ["property", *_]:
                raise FileError(f"The property of {place} is not understood: {line[:60]!r}.", place=place)
            case ["comment", "material", number, *rest] if number.isascii() and number.isdigit() and len(number) < 6:
                found = _material(rest)
                if found is not None:
                    materials[int(number)] = found
            case ["comment", "TextureFile", *name]:
                picture = " ".join(name)[:200]
    if not form:
        raise FileError("The header names no format.", place="header")
    return _Header(form, tuple(elements), materials, picture, after + 1)


def _with(element: _Element, new: _Property) -> _Element:
    if len(element.properties) >= 200:
        raise FileError(f"The element {element.name[:40]} has more than 200 properties.", place="header")
    return _Element(element.name, element.count, (*element.properties, new))


def _material(words: list[str]) -> Material | None:
    try:
        r, g, b, a, rough, metal = (min(max(float(w), 0.0), 1.0) for w in words[:6])
    except ValueError:
        return None
    name = "".join(c for c in " ".join(words[6:]).encode("latin-1").decode("utf-8", "replace") if c.isprintable())
    return Material(name[:120] or "Plain", (r, g, b, a), rough, metal)


class _Binary:
    def __init__(self, data: bytes, header: _Header) -> None:
        self.data = data
        self.big = header.form == "binary_big_endian"
        self.bytes = np.frombuffer(data, np.uint8)
        self.at = header.size

    def columns(self, element: _Element) -> dict[str, npt.NDArray[np.float64]]:
        if any(p.count_kind >= 0 for p in element.properties):
            raise FileError("The vertices hold lists, which are not read.", place="header")
        order = ">" if self.big else "<"
        names = [f"{i}" for i in range(len(element.properties))]
        dtype = np.dtype([(n, order + _DTYPES[p.kind]) for n, p in zip(names, element.properties, strict=True)])
        if element.count * dtype.itemsize > len(self.data) - self.at:
            raise FileError(
                f"The header claims {element.count} vertices of {dtype.itemsize} bytes; "
                f"{max(0, len(self.data) - self.at)} bytes are left.",
                place="element vertex",
                received=element.count,
            )
        rows = np.frombuffer(self.data, dtype, element.count, self.at) if dtype.itemsize else np.empty(0, dtype)
        self.at += element.count * dtype.itemsize
        return {p.name: floats(rows[n]) for n, p in zip(names, element.properties, strict=True)}

    def lists(self, element: _Element, wanted: int, number: int) -> tuple[Whole, Whole, Whole | None]:
        _fits(element, len(self.data) - self.at)
        start = self.at

        def walk(counts: Whole, kinds: Whole, sizes: Whole, values: Whole, numbers: Whole, fill: bool) -> Walked:
            return walk_binary(
                self.bytes, start, element.count, counts, kinds, wanted, number, self.big, sizes, values, numbers, fill
            )

        sizes, values, numbers, self.at, wrong = _two_walks(element, walk, filled=wanted >= 0)
        _whole_element(element, wrong)
        return sizes, values, numbers if number >= 0 else None


class _Text:
    def __init__(self, data: bytes, header: _Header) -> None:
        text = np.frombuffer(data, np.uint8)
        words = np.empty((len(data) - header.size) // 2 + 1)
        n, _, wrong = all_numbers(text, header.size, words)
        self.words = words[:n]
        self.wrong = int(wrong)
        self.at = 0
        self.data = data

    def _short(self, element: _Element, place: str) -> FileError:
        if self.wrong >= 0:
            line = self.data.count(b"\n", 0, self.wrong) + 1
            return FileError(f"Line {line} has a word that is not a number.", place=f"line {line}")
        return FileError(
            f"The header claims {element.count} of the element {element.name[:40]}; the file ends before.", place=place
        )

    def columns(self, element: _Element) -> dict[str, npt.NDArray[np.float64]]:
        if any(p.count_kind >= 0 for p in element.properties):
            raise FileError("The vertices hold lists, which are not read.", place="header")
        width = len(element.properties)
        if element.count * width > len(self.words) - self.at:
            raise self._short(element, "element vertex")
        rows = self.words[self.at : self.at + element.count * width].reshape(element.count, width)
        self.at += element.count * width
        return {p.name: rows[:, i] for i, p in enumerate(element.properties)}

    def lists(self, element: _Element, wanted: int, number: int) -> tuple[Whole, Whole, Whole | None]:
        _fits(element, len(self.words) - self.at)
        start = self.at

        def walk(counts: Whole, kinds: Whole, sizes: Whole, values: Whole, numbers: Whole, fill: bool) -> Walked:
            return walk_words(
                self.words, start, element.count, counts, kinds, wanted, number, sizes, values, numbers, fill
            )

        sizes, values, numbers, self.at, wrong = _two_walks(element, walk, filled=wanted >= 0)
        if wrong >= 0:
            raise self._short(element, f"{element.name[:40]} {wrong}")
        return sizes, values, numbers if number >= 0 else None


def _two_walks(
    element: _Element, walk: Callable[[Whole, Whole, Whole, Whole, Whole, bool], Walked], *, filled: bool
) -> tuple[Whole, Whole, Whole, int, int]:
    """Walk over an element to see how long its lists are, and once more where they are to be filled: sizes, values,
    numbers, where it ends, and which one is wrong or −1."""
    counts, kinds = _tables(element)
    room = element.count if filled else 0
    sizes, numbers = np.zeros(room, np.int64), np.zeros(room, np.int64)
    end, total, wrong = walk(counts, kinds, sizes, np.empty(0, np.int64), numbers, False)
    values = np.empty(int(total) if wrong < 0 else 0, np.int64)
    if filled and wrong < 0:
        walk(counts, kinds, sizes, values, numbers, True)
    return sizes, values, numbers, int(end), int(wrong)


def _tables(element: _Element) -> tuple[Whole, Whole]:
    counts = np.array([p.count_kind for p in element.properties], np.int64)
    return counts, np.array([p.kind for p in element.properties], np.int64)


def _fits(element: _Element, left: int) -> None:
    """Every element takes at least one byte or word for each property: a claim beyond that is a lie."""
    if element.properties and element.count * len(element.properties) > max(left, 0):
        raise FileError(
            f"The header claims {element.count} of the element {element.name[:40]}, more than the file can hold.",
            place=f"element {element.name[:40]}",
            received=element.count,
        )


def _whole_element(element: _Element, wrong: int) -> None:
    if wrong >= 0:
        raise FileError(
            f"The {element.name[:40]} {wrong} runs beyond the end of the file.", place=f"{element.name[:40]} {wrong}"
        )


def _scene(
    header: _Header,
    columns: dict[str, npt.NDArray[np.float64]],
    whole_colours: bool,
    faces: tuple[Whole, Whole, Whole | None],
    shades: npt.NDArray[np.float64] | None,
    beside: Beside,
    *,
    weld: bool,
) -> Scene:
    notes: list[str] = []

    def some(*sets: tuple[str, ...]) -> npt.NDArray[np.float64] | None:
        names = next((s for s in sets if all(n in columns for n in s)), None)
        return None if names is None else np.stack([columns[n] for n in names], axis=1)

    points = some(("x", "y", "z"))
    normal = some(("nx", "ny", "nz"))
    uv = some(("s", "t"), ("u", "v"), ("texture_u", "texture_v"))
    colour = some(("red", "green", "blue", "alpha"), ("red", "green", "blue"), ("r", "g", "b"))
    sizes, corners, material = faces
    short = int((sizes < 3).sum())
    if short:
        keep = np.repeat(sizes >= 3, sizes)
        material = None if material is None else material[sizes >= 3]
        shades = None if shades is None else shades[sizes >= 3]
        sizes, corners = sizes[sizes >= 3], corners[keep]
        notes.append(f"{short} faces with fewer than three corners were dropped.")
    if points is None or not len(sizes):
        raise FileError("The file has no faces.", place="header")
    if len(corners) and (int(corners.min()) < 0 or int(corners.max()) >= len(points)):
        bad = int(np.flatnonzero((corners < 0) | (corners >= len(points)))[0])
        face = int(np.searchsorted(np.cumsum(sizes), bad, side="right"))
        raise FileError(
            f"Face {face} names vertex {int(corners[bad])}; there are vertices 0 to {len(points) - 1}.",
            place=f"face {face}",
        )
    if colour is not None:
        colour = np.clip(colour / 255, 0, 1) if whole_colours else np.clip(np.nan_to_num(colour), 0, 1)
        if whole_colours:
            colour[:, :3] = to_linear(colour[:, :3])
        if colour.shape[1] == 3:
            colour = np.concatenate([colour, np.ones((len(colour), 1))], axis=1)
    of_corners = None if colour is None else colour[corners]
    if of_corners is None and shades is not None:
        opaque = np.ones((len(shades), 1))
        of_corners = np.repeat(shades if shades.shape[1] == 4 else np.hstack([shades, opaque]), sizes, axis=0)
    picture = None
    if header.picture is not None:
        data = beside(header.picture)
        try:
            picture = None if data is None else texture(header.picture, data, header.picture[:80])
        except FileError as error:
            notes.append(f"A texture was left out: {error}")
        if data is None:
            notes.append(f"The texture {header.picture[:80]} is not among the files given; bring it in together.")
    slots = np.unique(material) if material is not None else np.array([0])
    materials = []
    for s in slots.tolist()[:1000]:
        m = header.materials.get(s, Material("Plain" if len(slots) == 1 else f"Material {s + 1}"))
        materials.append(Material(m.name, m.colour, m.roughness, m.metallic, picture))
    slot = None if material is None else np.minimum(np.searchsorted(slots, material), len(materials) - 1)
    try:
        mesh, mesh_notes = mesh_from(
            RawFaces(
                points,
                sizes,
                corners,
                normal=normal,
                normal_at=corners,
                uv=None if uv is None else (uv * [1.0, -1.0] + [0.0, 1.0])[corners],
                colour=of_corners,
                material=slot,
            ),
            weld=weld,
        )
    except GeometryError as error:
        raise FileError(str(error), place="element vertex") from error
    if not mesh.face_count:
        raise FileError("No face of the file has an area.", place="element face")
    return Scene(
        (ScenePart("Piece", mesh, tuple(materials)),), (Instance(0, "Piece", np.eye(4)),), (*notes, *mesh_notes)
    )
