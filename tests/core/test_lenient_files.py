"""What other programs write a little differently is read as it is meant."""

from __future__ import annotations

import struct

import numpy as np
import pytest

from able_brick.core.errors import FileError
from able_brick.core.files.colours import to_linear
from able_brick.core.files.read import read_file
from able_brick.core.mesh.triangulate import triangulate
from tests.core.test_formats import PNG

SQUARE = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nvt 0 0\nusemtl tile\nf 1/1 4/1 3/1 2/1\n"
MARK = b"\xef\xbb\xbf"


def test_obj_and_mtl_may_begin_with_a_byte_order_mark() -> None:
    mtl = MARK + b"newmtl tile\nKd 0.25 0.5 0.75\n"
    scene = read_file("a.obj", MARK + SQUARE, {"a.mtl": mtl}.get)
    assert scene.parts[0].materials[0].colour[:3] == (0.25, 0.5, 0.75)
    assert read_file("a.obj", MARK + SQUARE[13:], lambda _: None).parts[0].mesh.face_count == 1
    with pytest.raises(FileError, match="Line 9"):
        read_file("a.obj", MARK + SQUARE + b"f 1/1 x 2/1\n", {"a.mtl": mtl}.get)


@pytest.mark.parametrize(
    ("line", "placed"),
    [
        ("map_Kd oak plank.png", False),
        ("map_Kd -clamp on oak plank.png", False),
        ("map_Kd -blendu off -blendv on -mm 0 1 oak plank.png", False),
        ("map_Kd -s 2 oak plank.png", True),
        ("map_Kd -o 0.5 0.25 0 -s 2 2 1 -t 0 0 0 oak plank.png", True),
        ("map_Kd -imfchan r -bm 1.5 oak plank.png", False),
    ],
)
def test_options_of_a_map_are_no_part_of_the_pictures_name(line: str, placed: bool) -> None:
    files = {"a.mtl": f"newmtl tile\n{line}\n".encode(), "oak plank.png": PNG}
    scene = read_file("a.obj", SQUARE, files.get)
    found = scene.parts[0].materials[0].texture
    assert found is not None
    assert found.name == "oak plank.png"
    assert any("moved or scaled" in note for note in scene.notes) == placed


def test_a_picture_whose_name_looks_like_options_is_found() -> None:
    files = {"a.mtl": b"newmtl tile\nmap_Kd -s 2 oak.png\n", "-s 2 oak.png": PNG}
    scene = read_file("a.obj", SQUARE, files.get)
    assert scene.parts[0].materials[0].texture is not None
    assert not scene.notes


def stl(claimed: int, triangles: int, more: bytes = b"") -> bytes:
    out = b"made up".ljust(80) + struct.pack("<I", claimed)
    for k in range(triangles):
        corners = [(k, 0, 0), (k + 1, 0, 0), (k, 1, 0)]
        out += struct.pack("<12fH", 0, 0, 1, *np.array(corners, np.float32).ravel(), 0)
    return out + more


def test_stl_whose_count_is_too_small_is_read_whole_and_says_so() -> None:
    scene = read_file("a.stl", stl(2, 7), lambda _: None)
    assert scene.parts[0].mesh.triangle_count == 7
    assert any("claims 2 triangles; all 7" in note for note in scene.notes)
    assert read_file("a.stl", stl(0, 3), lambda _: None).parts[0].mesh.triangle_count == 3
    plain = read_file("a.stl", stl(7, 7), lambda _: None)
    assert plain.parts[0].mesh.triangle_count == 7
    assert not plain.notes
    assert read_file("a.stl", stl(3, 3, b"a word at the end"), lambda _: None).parts[0].mesh.triangle_count == 3
    with pytest.raises(FileError, match="claims 9 triangles"):
        read_file("a.stl", stl(9, 7), lambda _: None)


POINTS = "0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 2 0\n1 2 0\n5 0 0\n6 0 0\n5 1 0\n"


def ply(elements: str, body: str) -> bytes:
    head = "ply\nformat ascii 1.0\nelement vertex 9\nproperty float x\nproperty float y\nproperty float z\n"
    return f"{head}{elements}end_header\n{POINTS}{body}".encode()


def test_strips_of_ply_are_triangles_that_face_the_same_way() -> None:
    strips = "element tristrips 2\nproperty list int int vertex_indices\n"
    data = ply(strips, "10 0 1 2 3 4 5 -1 6 7 8\n3 6 8 7\n")
    mesh = read_file("a.ply", data, lambda _: None, weld=False).parts[0].mesh
    assert mesh.triangle_count == 6
    corners = mesh.positions[mesh.corners[triangulate(mesh)[0]]]
    up = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2]
    assert (up > 0).sum() == 5, "the last one was written the other way"
    assert np.abs(up).sum() / 2 == pytest.approx(2.0 + 0.5 + 0.5)
    # a corner that is said twice joins strips and makes no triangle
    joined = ply(strips.replace("2\n", "1\n", 1), "9 0 1 2 2 2 3 4 4 4\n")
    assert read_file("a.ply", joined, lambda _: None, weld=False).parts[0].mesh.triangle_count == 2
    with pytest.raises(FileError, match="names vertex 12"):
        read_file("a.ply", ply(strips.replace("2\n", "1\n", 1), "3 0 1 12\n"), lambda _: None)


def test_colours_of_the_faces_of_ply_are_those_of_their_corners() -> None:
    faces = (
        "element face 3\nproperty list uchar int vertex_indices\n"
        "property uchar red\nproperty uchar green\nproperty uchar blue\n"
    )
    data = ply(faces, "3 0 1 2 255 0 0\n2 0 1 9 9 9\n4 2 3 5 4 0 128 255\n")
    mesh = read_file("a.ply", data, lambda _: None).parts[0].mesh
    assert mesh.colour is not None
    told = np.array([[255, 0, 0], [0, 128, 255]]) / 255
    wanted = np.repeat(to_linear(told), [3, 4], axis=0)
    order = np.lexsort(mesh.colour.T)
    assert np.allclose(mesh.colour[order][:, :3], wanted[np.lexsort(np.hstack([wanted, np.ones((7, 1))]).T)], atol=1e-6)
    assert (mesh.colour[:, 3] == 1.0).all()
