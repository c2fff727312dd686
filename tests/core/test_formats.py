"""OBJ, PLY, STL and glTF: what survives a round trip, what readers understand, what they refuse."""

from __future__ import annotations

import base64
import json
import struct
import zlib
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import FileError
from able_brick.core.files.ply_kernels import walk_binary, walk_words
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart, Texture
from able_brick.core.files.text_kernels import number_at
from able_brick.core.files.units import Unit, Up, as_one, brought_in, standing_parts, taken_out
from able_brick.core.files.write import write_file
from able_brick.core.mesh.measure import area, counts, volume
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.validity import problems
from able_brick.core.shapes.lettering import lettering
from able_brick.core.shapes.stairs import stairs
from tests.zoo import CLOSED, ZOO

PNG = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAFklEQVR4nGP4z8DAAMIM/4EUAwMDAwMAHgYDAVQyVqgAAAAASUVORK5CYII="
)
BRICKS = Texture("bricks.png", "image/png", PNG)
MESHES = {**ZOO, "stairs": lambda: stairs(1, 2, 3, steps=5), "letters": lambda: lettering("B8", 1.0, 0.1)}


def scene_of(name: str) -> Scene:
    mesh = MESHES[name]()
    looks = tuple(
        Material(f"look {k}", (0.125 * k, 0.5, 0.25, 1.0), 0.75, 0.25, BRICKS if k == 0 else None)
        for k in range(int(mesh.material.max()) + 1)
    )
    return Scene((ScenePart("a piece", mesh, looks),))


def again(scene: Scene, end: str, **how: Any) -> Scene:
    """The scene written and read."""
    files = write_file(f"trial.{end}", scene, **how)
    return read_file(f"trial.{end}", files[f"trial.{end}"], files.get)


@pytest.mark.parametrize("end", ["glb", "obj", "ply", "stl"])
@pytest.mark.parametrize("name", MESHES)
def test_round_trips(name: str, end: str) -> None:
    scene = scene_of(name)
    (part,) = scene.parts
    back = again(scene, end).parts[0]
    one, two = part.mesh, back.mesh
    assert two.vertex_count == one.vertex_count
    assert two.triangle_count == one.triangle_count
    reach = np.abs(one.positions).max()
    ours = one.positions[np.lexsort(np.round(one.positions, 5).T)]
    theirs = two.positions[np.lexsort(np.round(two.positions, 5).T)]
    assert np.abs(ours - theirs).max() <= 1e-6 * reach
    assert area(two) == pytest.approx(area(one), rel=1e-4 if end != "stl" else 1e-2)
    if end == "stl":
        return
    assert (two.face_sizes == one.face_sizes).all()
    assert counts(two) == counts(one)
    assert back.name == ("trial" if end == "ply" else "a piece")
    assert [m.name for m in back.materials] == [m.name for m in part.materials]
    for a, b in zip(part.materials, back.materials, strict=True):
        assert b.colour == pytest.approx(a.colour)
        assert (b.roughness, b.metallic) == pytest.approx((a.roughness, a.metallic))
        if end in ("glb", "obj"):
            assert (b.texture is None) == (a.texture is None)
            assert b.texture is None or b.texture.data == PNG
    assert (two.uv is None) == (one.uv is None)
    if one.uv is not None and two.uv is not None:
        assert np.abs(two.uv - one.uv).max() <= 1e-6 * max(1.0, np.abs(one.uv).max())
    assert (two.material == one.material).all()


def test_colours_survive_in_ply_and_glb() -> None:
    box = ZOO["box"]()
    colour = np.repeat(np.linspace(0, 1, box.vertex_count)[box.corners][:, None], 4, axis=1)
    colour[:, 3] = 1.0
    mesh = PolyMesh.checked(box.positions, box.face_sizes, box.corners, colour=colour)
    for end, near in (("glb", 1e-6), ("ply", 0.01), ("obj", 1e-5)):
        back = again(Scene((ScenePart("c", mesh, (Material("m"),)),)), end).parts[0].mesh
        assert back.colour is not None
        assert np.abs(back.colour - colour).max() < near


@pytest.mark.parametrize("end", ["obj", "ply", "stl"])
@pytest.mark.parametrize(("unit", "up"), [(Unit.CENTIMETRES, Up.Z), (Unit.INCHES, Up.Y), (Unit.MILLIMETRES, Up.Z)])
def test_units_and_up_axes_come_back(end: str, unit: Unit, up: Up) -> None:
    scene = scene_of("stairs")
    written = again(scene, end, unit=unit, up=up)
    back = brought_in(written, unit, up)
    low, high = scene.bounds()
    assert np.allclose(back.bounds(), (low, high), atol=1e-6)
    wide = written.bounds()[1] - written.bounds()[0]
    tall = wide[2] if up is Up.Z else wide[1]
    assert tall == pytest.approx(2.0 / {Unit.CENTIMETRES: 0.01, Unit.INCHES: 0.0254, Unit.MILLIMETRES: 0.001}[unit])


def test_instances_are_laid_out_in_formats_without_them() -> None:
    drum = ScenePart("Drum", ZOO["drum"](), (Material("oak"),))
    mirror = np.diag([-1.0, 1.0, 1.0, 1.0])
    shifted = np.eye(4)
    shifted[:3, 3] = (5, 0, 0)
    scene = Scene((drum,), (Instance(0, "left", shifted), Instance(0, "mirrored", mirror)))
    parts = standing_parts(scene)
    assert [volume(p.mesh) for p in parts] == pytest.approx([volume(drum.mesh)] * 2)
    whole = as_one(parts, "Both")
    assert whole.materials == drum.materials
    assert volume(whole.mesh) == pytest.approx(2 * volume(drum.mesh))
    back = again(scene, "obj")
    assert [p.name for p in back.parts] == ["left", "mirrored"]
    assert np.allclose(taken_out(scene, Unit.METRES, Up.Z).bounds()[1][2], 3.0)


OBJ = b"""# a comment
mtllib trial.mtl
o Wall
v 0 0 0
v 1 0 0
v 1 1 0
v 0.5 1.5 \\
  0
v 0 1 0
vt 0 0
vt 1 0
vn 0 0 1
usemtl red
f -5/1/1 -4/2/1 -3/1/1 -2/1/1 -1/1/1
o Roof
usemtl blue
v 0 0 1
v 1 0 1
v 0 1 1
f 6 7 8
"""


def test_obj_understands_ngons_negative_indices_continuations_objects_and_materials() -> None:
    files = {
        "trial.mtl": b"newmtl red\nKd 1 0 0\nd 0.5\nPr 0.3\nnewmtl blue\nKd 0 0 1\nmap_Kd -s 1 1 1 b.png\n",
        "b.png": PNG,
    }
    scene = read_file("trial.obj", OBJ, files.get)
    wall, roof = scene.parts
    assert (wall.name, roof.name) == ("Wall", "Roof")
    assert wall.mesh.face_sizes.tolist() == [5]
    assert wall.mesh.vertex_count == 5
    assert wall.mesh.positions[3].tolist() == [0.5, 1.5, 0.0]
    assert wall.materials[0].colour == (1.0, 0.0, 0.0, 0.5)
    assert wall.materials[0].roughness == 0.3
    assert roof.materials[0].texture is not None


def test_obj_groups_and_smoothing() -> None:
    roof = b"v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nv 0 1 0\nv 1 1 0\n"
    flat = read_file("a.obj", roof + b"s off\nf 4 3 2 1\nf 1 2 6 5\n").parts[0].mesh
    one = read_file("a.obj", roof + b"s 1\nf 4 3 2 1\nf 1 2 6 5\n").parts[0].mesh
    two = read_file("a.obj", roof + b"s 1\nf 4 3 2 1\ns 2\nf 1 2 6 5\n").parts[0].mesh
    assert [int(m.sharp.sum()) for m in (flat, one, two)] == [2, 0, 2]
    groups = read_file("a.obj", roof + b"g floor\nf 4 3 2 1\ng wall\nf 1 2 6 5\n")
    assert [p.name for p in groups.parts] == ["floor", "wall"]
    assert [p.mesh.vertex_count for p in groups.parts] == [4, 4]


@given(st.floats(allow_nan=False, allow_infinity=False, width=32))
@settings(max_examples=300)
def test_numbers_are_read_to_the_last_place(value: float) -> None:
    for text in (repr(value), f"{value:.9g}", f"{value:.17e}"):
        found, end = number_at(np.frombuffer(text.encode(), np.uint8), 0, len(text))
        assert end == len(text)
        assert found == pytest.approx(float(text), rel=4e-16, abs=5e-324)


def ply_text() -> bytes:
    return (
        b"ply\nformat ascii 1.0\ncomment made by hand\nelement vertex 5\nproperty float x\nproperty float y\n"
        b"property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 2\n"
        b"property list uchar int vertex_indices\nproperty int material_index\nelement note 1\nproperty list "
        b"uchar float words\nend_header\n0 0 0 255 0 0\n1 0 0 255 0 0\n1 1 0 0 255 0\n0 1 0 0 0 255\n0 0 1 0 0 0\n"
        b"4 0 1 2 3 0\n3 1 0 4 1\n2 0.5 0.25\n"
    )


def ply_binary(big: bool) -> bytes:
    order = ">" if big else "<"
    name = b"binary_big_endian" if big else b"binary_little_endian"
    head = (
        b"ply\nformat " + name + b" 1.0\nelement vertex 5\nproperty double x\nproperty double y\nproperty double z\n"
        b"element face 2\nproperty uchar flags\nproperty list ushort uint vertex_index\nend_header\n"
    )
    points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 0, 1)]
    body = b"".join(struct.pack(f"{order}3d", *p) for p in points)
    body += struct.pack(f"{order}BH4I", 7, 4, 0, 1, 2, 3) + struct.pack(f"{order}BH3I", 7, 3, 1, 0, 4)
    return head + body


def test_ply_in_text_and_both_byte_orders() -> None:
    text = read_file("a.ply", ply_text()).parts[0]
    assert text.mesh.face_sizes.tolist() == [4, 3]
    assert [m.name for m in text.materials] == ["Material 1", "Material 2"]
    assert text.mesh.colour is not None
    assert text.mesh.colour[0].tolist() == [1.0, 0.0, 0.0, 1.0]
    for big in (False, True):
        mesh = read_file("a.ply", ply_binary(big)).parts[0].mesh
        assert mesh.face_sizes.tolist() == [4, 3]
        assert mesh.positions[4].tolist() == [0, 0, 1]


@pytest.mark.parametrize("name", [b"ascii", b"binary_little_endian", b"binary_big_endian"])
def test_ply_with_a_list_of_materials_that_is_empty_at_the_end_is_read_within_its_bytes(name: bytes) -> None:
    head = (
        b"ply\nformat " + name + b" 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
        b"element face 1\nproperty list uchar int vertex_indices\nproperty list uchar int material_index\nend_header\n"
    )
    if name == b"ascii":
        body = b"0 0 0\n1 0 0\n0 1 0\n3 0 1 2 0"
    else:
        order = ">" if b"big" in name else "<"
        body = struct.pack(f"{order}9f", 0, 0, 0, 1, 0, 0, 0, 1, 0) + struct.pack(f"{order}B3iB", 3, 0, 1, 2, 0)
    part = read_file("a.ply", head + body).parts[0]
    assert part.mesh.corners.tolist() == [0, 1, 2]
    assert [m.name for m in part.materials] == ["Plain"]


def test_the_walks_over_ply_lists_stay_within_their_data() -> None:
    """The kernels themselves, as Python: an index beyond the data is an error there."""
    data = np.frombuffer(struct.pack("<B3iB", 3, 0, 1, 2, 0), np.uint8)
    counts, kinds = np.array([1, 1]), np.array([4, 4])
    sizes, values, numbers = np.zeros(1, np.int64), np.zeros(3, np.int64), np.zeros(1, np.int64)
    walked = walk_binary.py_func(data, 0, 1, counts, kinds, 0, 1, False, sizes, values, numbers, True)
    assert tuple(int(v) for v in walked) == (14, 3, -1)
    words = np.array([3.0, 0, 1, 2, 0])
    walked = walk_words.py_func(words, 0, 1, counts, kinds, 0, 1, sizes, values, numbers, True)
    assert tuple(int(v) for v in walked) == (5, 3, -1)
    assert values.tolist() == [0, 1, 2]


def stl_text() -> bytes:
    faces = [
        (0, 0, 0, 1, 0, 0, 0, 1, 0),
        (0, 0, 0, 0, 1, 0, 0, 0, 1),
        (0, 0, 0, 0, 0, 1, 1, 0, 0),
        (1, 0, 0, 0, 0, 1, 0, 1, 0),
    ]
    lines = ["solid corner stone"]
    for f in faces:
        lines += ["  facet normal 0 0 0", "    outer loop"]
        lines += [f"      vertex {f[k]} {f[k + 1]} {f[k + 2]:.3e}" for k in (0, 3, 6)]
        lines += ["    endloop", "  endfacet"]
    return "\n".join([*lines, "endsolid corner stone", ""]).encode()


def test_stl_in_text_and_binary() -> None:
    scene = read_file("a.stl", stl_text())
    mesh = scene.parts[0].mesh
    assert scene.parts[0].name == "corner stone"
    assert (mesh.vertex_count, mesh.face_count) == (4, 4)
    loose = read_file("a.stl", stl_text(), weld=False).parts[0].mesh
    assert loose.vertex_count == 12
    again_ = again(scene, "stl").parts[0].mesh
    assert again_.vertex_count == 4
    sly = b"solid but binary".ljust(80) + write_file("a.stl", scene)["a.stl"][80:]
    assert read_file("a.stl", sly).parts[0].mesh.face_count == 4


def gltf(**changes: Any) -> tuple[dict[str, Any], bytes]:
    """A document of one triangle, and its buffer: indices, positions, one replacement for a sparse accessor."""
    binary = struct.pack("<3H2x9f", 0, 1, 2, 0, 0, 0, 1, 0, 0, 0, 1, 0) + struct.pack("<B3x3f", 2, 0, 2, 0)
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [{"mesh": 0, "name": "one"}, {"mesh": 0, "name": "two", "translation": [5, 0, 0]}],
        "meshes": [{"name": "Tri", "primitives": [{"attributes": {"POSITION": 1}, "indices": 0}]}],
        "buffers": [{"uri": "trial.bin", "byteLength": len(binary)}],
        "bufferViews": [
            {"buffer": 0, "byteLength": 6},
            {"buffer": 0, "byteOffset": 8, "byteLength": 36},
            {"buffer": 0, "byteOffset": 44, "byteLength": 1},
            {"buffer": 0, "byteOffset": 48, "byteLength": 12},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5123, "count": 3, "type": "SCALAR"},
            {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC3"},
        ],
    }
    return document | changes, binary


def test_gltf_with_its_buffer_beside_it_or_embedded() -> None:
    document, binary = gltf()
    text = json.dumps(document).encode()
    scene = read_file("trial.gltf", text, {"trial.bin": binary}.get)
    assert [i.name for i in scene.instances] == ["one", "two"]
    assert len(scene.parts) == 1
    document["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64.b64encode(binary).decode()
    assert read_file("trial.gltf", json.dumps(document).encode()).parts[0].mesh.face_count == 1
    with pytest.raises(FileError, match=r"needs the file 'trial\.bin', which is not among those given"):
        read_file("trial.gltf", text)


def test_gltf_sparse_accessors_replace_values() -> None:
    document, binary = gltf()
    document["accessors"][1]["sparse"] = {
        "count": 1,
        "indices": {"bufferView": 2, "componentType": 5121},
        "values": {"bufferView": 3},
    }
    mesh = read_file("trial.gltf", json.dumps(document).encode(), {"trial.bin": binary}.get).parts[0].mesh
    assert mesh.positions[2].tolist() == [0, 2, 0]


def test_gltf_textures_that_would_fill_the_memory_are_left_out_and_told() -> None:
    head = b"IHDR" + struct.pack(">II", 60_000, 60_000) + PNG[24:29]
    bomb = PNG[:12] + head + struct.pack(">I", zlib.crc32(head)) + PNG[33:]
    document, binary = gltf(
        images=[{"uri": "data:image/png;base64," + base64.b64encode(bomb).decode()}],
        textures=[{"source": 0}],
        materials=[{"name": "m", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    )
    document["meshes"][0]["primitives"][0]["material"] = 0
    scene = read_file("trial.gltf", json.dumps(document).encode(), {"trial.bin": binary}.get)
    assert scene.parts[0].materials[0].texture is None
    assert "60000 × 60000 pixels" in scene.notes[0]


def edited(**changes: Any) -> bytes:
    document, binary = gltf()
    uri = "data:application/octet-stream;base64," + base64.b64encode(binary).decode()
    document["buffers"] = [{"uri": uri}]
    return json.dumps(document | changes).encode()


BAD: list[tuple[str, bytes, str]] = [
    ("a.doc", b"x", r"this file type is not supported; give one of \.glb, \.gltf, \.obj, \.ply, \.stl"),
    ("a.obj", b"", r"a\.obj is empty"),
    ("a.obj", b"glTF\x02\0\0\0", r"is called \.obj but holds GLB; give it the right ending"),
    ("a.obj", b"hello\nworld\n", "has no faces"),
    ("a.obj", b"v 0 0\nf 1 1 1\n", "Line 1 has too few numbers"),
    ("a.obj", b"v 0 0 0\nv 0 x 0\nf 1 1 1\n", "Line 2 has a word that is not a number"),
    ("a.obj", b"v 0 0 0\nf 1 2\n", "Line 2 has a face with fewer than three corners"),
    ("a.obj", b"v 0 0 0\nf 1 2 3\n", "Face 1 of the file names vertex 2; there are 1"),
    ("a.obj", b"v 0 0 0\nf 1 -2 1\n", "Line 2 has an index that points before the first element"),
    ("a.obj", b"v 0 0 0\nf 1 a 1\n", "Line 2 has a corner that is no index"),
    ("a.obj", b"v 0 0 0\nv 1e999 0 0\nv 0 1 0\nf 1 2 3\n", "coordinate that is not a finite number"),
    ("a.obj", b"v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n", "No face of the file has an area"),
    ("a.ply", b"plough", "does not begin with “ply”"),
    ("a.ply", b"ply\nformat ascii 1.0\n", "has no end_header; the file is cut off"),
    ("a.ply", b"ply\nformat morse 1.0\nend_header\n", "format of line 2 is not known"),
    ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 99999999999\nend_header\n", "should be from 0 to 20000000"),
    ("a.ply", ply_text().replace(b"vertex 5", b"vertex 5000000"), "The header claims 5000000 of the element vertex"),
    ("a.ply", ply_text().replace(b"3 1 0 4 1", b"3 1 0 9 1"), "Face 1 names vertex 9; there are vertices 0 to 4"),
    ("a.ply", ply_text().replace(b"1 1 0 0 255 0", b"1 nan 0 0 255 0"), "has a word that is not a number"),
    ("a.ply", ply_binary(big=False)[:-3], "The face 1 runs beyond the end of the file"),
    ("a.ply", ply_binary(big=False).replace(b"face 2", b"face 19000000"), "more than the file can hold"),
    ("a.ply", ply_binary(big=True).replace(b"vertex 5", b"vertex 9000000"), "claims 9000000 vertices of 24 bytes"),
    ("a.ply", ply_text().replace(b"property float z\n", b""), "no x, y and z"),
    (
        "a.ply",
        ply_text().replace(b"list uchar int vertex_indices", b"list uchar float vertex_indices"),
        "no list of whole",
    ),
    (
        "a.stl",
        b"\0" * 80 + struct.pack("<I", 4_000_000_000),
        "claims 4000000000 triangles of 50 bytes; 0 bytes are there",
    ),
    ("a.stl", b"short", "not an STL file"),
    ("a.stl", stl_text().replace(b"vertex 1 0", b"vertex one 0"), "should have three numbers after “vertex”"),
    ("a.stl", stl_text()[:120], "not whole triangles; it is cut off"),
    ("a.gltf", b"[1]", "The JSON is not an object"),
    ("a.gltf", b'{"a": ' * 100_000, "The JSON is broken"),
    ("a.gltf", edited(nodes=[{"children": [0]}]), r"nodes\[0\] is reached twice"),
    ("a.gltf", edited(buffers=[{"uri": "https://lock.example/a.bin"}]), "points into the network"),
    ("a.gltf", edited(buffers=[{"uri": "data:x;base64,%%%"}]), "holds broken base64"),
    ("a.gltf", edited(buffers=[{"uri": "../../etc/passwd"}]), "is not among those given"),
    ("a.gltf", edited(buffers=[{}]), r"buffers\[0\] has no uri"),
    ("a.gltf", edited(extensionsRequired=["KHR_draco_mesh_compression"]), "needs KHR_draco_mesh_compression"),
    ("a.gltf", edited(accessors=[{"componentType": 5126, "count": 3, "type": "VEC3"}] * 2), "has no data|has type"),
    ("a.gltf", edited(meshes=[{"primitives": [{"attributes": {"POSITION": 7}}]}]), "from 0 to 1"),
]


@pytest.mark.parametrize(("name", "data", "text"), BAD)
def test_bad_files_are_refused_with_the_place(name: str, data: bytes, text: str) -> None:
    with pytest.raises(FileError, match=text):
        read_file(name, data)


@given(
    st.sampled_from(
        [
            ("a.obj", OBJ),
            ("a.ply", ply_text()),
            ("a.ply", ply_binary(True)),
            ("a.stl", stl_text()),
            ("a.gltf", edited()),
        ]
    ),
    st.data(),
)
@settings(max_examples=400)
def test_broken_bytes_are_a_file_error_or_a_sound_mesh(file: tuple[str, bytes], data: st.DataObject) -> None:
    name, sound = file
    out = bytearray(sound)
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(out) - 1))
        out[at] = data.draw(st.integers(0, 255))
    try:
        parts = read_file(name, bytes(out[: data.draw(st.integers(len(out) // 2, len(out)))])).parts
    except FileError:
        parts = ()
    for part in parts:
        assert not {p.code for p in problems(part.mesh)} & {"unused_vertices", "degenerate_faces"}


def test_writing_refuses_what_a_format_is_not() -> None:
    with pytest.raises(FileError, match="GLB is in metres with Y up by its standard"):
        write_file("a.glb", scene_of("box"), unit=Unit.FEET)
    with pytest.raises(FileError, match="this file type is not supported"):
        write_file("a.gltf", scene_of("box"))


def test_closed_meshes_stay_closed(tmp_path: Path) -> None:
    for name in CLOSED:
        for end in ("obj", "ply", "stl"):
            assert counts(again(scene_of(name), end).parts[0].mesh).closed, (name, end)


@pytest.mark.parametrize("bits", [0x7FF4 << 48, 0x7FF8 << 48, 0x7FF0 << 48])
def test_texture_coordinates_that_are_no_numbers_are_told_and_not_reckoned_with(bits: int) -> None:
    names = "".join(f"property double {n}\n" for n in "xyzst")
    head = f"ply\nformat binary_little_endian 1.0\nelement vertex 3\n{names}element face 1\n"
    head += "property list uchar int vertex_indices\nend_header\n"
    points = struct.pack("<13d", 0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0)
    last = struct.pack("<Qd", bits, 1)
    with pytest.raises(FileError, match="texture coordinate"):
        read_file("a.ply", head.encode() + points + last + struct.pack("<B3i", 3, 0, 1, 2))
