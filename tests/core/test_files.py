"""GLB out and in; hostile files."""

from __future__ import annotations

import json
import struct
from contextlib import suppress
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import FileError
from able_brick.core.files.from_faces import RawFaces, mesh_from
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.files.scene import Material, Node, ScenePart
from able_brick.core.files.view_glb import write_view_glb
from able_brick.core.files.write import write_file
from able_brick.core.mesh.measure import counts
from able_brick.core.mesh.triangulate import triangulate
from tests.glb import edited
from tests.zoo import ZOO


@pytest.mark.parametrize("name", ZOO)
def test_what_is_written_comes_back(name: str) -> None:
    mesh = ZOO[name]()
    part = ScenePart(name, mesh, (Material("stone"), Material("oak", (0.2, 0.1, 0.05, 1.0))))
    back = read_glb(write_glb([part])).parts[0]
    assert back.name == name
    assert counts(back.mesh) == counts(mesh)
    assert (back.mesh.corners == mesh.corners).all()
    assert (back.mesh.face_starts == mesh.face_starts).all()
    assert (back.mesh.facet == mesh.facet).all()
    assert np.abs(back.mesh.positions - mesh.positions).max() < 1e-6 * 5
    assert back.materials == part.materials, "also those that no face has"
    assert (back.mesh.material == mesh.material).all()
    if mesh.uv is not None:
        assert back.mesh.uv is not None
        assert np.abs(back.mesh.uv - mesh.uv).max() < 1e-5


def test_materials_of_files_of_earlier_versions_keep_their_places() -> None:
    mesh = ZOO["two parts"]()
    shifted = mesh.trusted(
        mesh.positions, mesh.face_starts, mesh.corners, material=mesh.material * 2, facet=mesh.facet, sharp=mesh.sharp
    )
    part = ScenePart("Both", shifted, tuple(Material(n) for n in ("stone", "unused", "oak")))
    data = edited(write_glb([part]), lambda d: d["meshes"][0]["extras"]["able_brick"].pop("materials"))
    back = read_glb(data).parts[0]
    assert [m.name for m in back.materials] == ["stone", "Plain", "oak"]
    assert (back.mesh.material == shifted.material).all()


def test_groups_come_back_as_they_were() -> None:
    lamp = Node("lamp", 0, (1, 0, 0))
    inner = Node("inner", None, (0, 2, 0), (0, 0.6, 0, 0.8), children=(lamp,), extras={"kind": "group"})
    outer = Node("outer", None, (5, 0, 0), children=(inner, Node("post", 0)), extras={"kind": "array"})
    plain = Node("plain", None, children=(Node("free", 0),))
    scene = read_glb(write_glb([ScenePart("Lamp", ZOO["box"]())], [outer, plain]))
    assert [(g.name, g.parent) for g in scene.groups] == [("outer", None), ("inner", 0)]
    assert {i.name: i.group for i in scene.instances} == {"lamp": 1, "post": 0, "free": None}
    assert np.allclose(scene.groups[1].matrix[:3, 3], (5, 2, 0))
    again = read_glb(write_file("again.glb", scene)["again.glb"])
    assert [(g.name, g.parent) for g in again.groups] == [(g.name, g.parent) for g in scene.groups]
    first = {i.name: i for i in scene.instances}
    for one in again.instances:
        assert one.group == first[one.name].group
        assert np.allclose(one.matrix, first[one.name].matrix, atol=1e-6)


def far(scale: float, count: int) -> bytes:
    """A chain of nodes, each larger than the one before."""
    node = Node("end", 0, scale=(scale,) * 3)
    for k in range(count):
        node = Node(f"n{k}", None, scale=(scale,) * 3, children=(node,))
    return write_glb([ScenePart("Box", ZOO["box"]())], [node])


@pytest.mark.parametrize("data", [far(1e12, 0), far(1e6, 3), far(1e11, 40)], ids=["large", "chain", "overflow"])
def test_nodes_beyond_all_numbers_are_refused_in_words(data: bytes) -> None:
    with pytest.raises(FileError, match="farther away, or is larger, than can be held"):
        read_glb(data)


def without_extras(data: bytes) -> bytes:
    return edited(data, lambda d: [m.pop("extras") for m in d["meshes"]])


@pytest.mark.parametrize("name", ["box", "drum", "cone", "ball", "waves"])
def test_plain_triangles_are_welded_and_keep_their_hard_edges(name: str) -> None:
    mesh = ZOO[name]()
    back = read_glb(without_extras(write_glb([ScenePart(name, mesh, (Material("a"), Material("b")))]))).parts[0].mesh
    assert back.vertex_count == mesh.vertex_count
    assert back.triangle_count == mesh.triangle_count
    assert counts(back).hardware_vertices == counts(mesh).hardware_vertices
    assert counts(back).closed == counts(mesh).closed


def test_the_view_file_holds_triangles_and_lines_in_face_order() -> None:
    mesh = ZOO["divided box"]()
    data = write_view_glb(mesh)
    (size,) = struct.unpack_from("<I", data, 12)
    document = json.loads(data[20 : 20 + size])
    kinds = [(p["mode"], p["extras"].get("lines")) for p in document["meshes"][0]["primitives"]]
    assert kinds == [(4, None), (1, "outline"), (1, "inner")]
    count = {
        p["extras"].get("lines"): document["accessors"][p["indices"]]["count"]
        for p in document["meshes"][0]["primitives"]
    }
    assert count["outline"] == 2 * 4 * (5 + 2 + 3)
    assert count[None] == 3 * mesh.triangle_count


def test_shared_meshes_are_stored_once() -> None:
    ball = ZOO["ball"]()
    one = write_glb([ScenePart("ball", ball)])
    many = write_glb([ScenePart("ball", ball)], [Node(f"n{k}", 0, (k, 0, 0)) for k in range(50)])
    assert len(many) < len(one) + 50 * 120
    assert len(read_glb(many).instances) == 50


def test_degenerate_triangles_and_loose_vertices_are_dropped_and_told() -> None:
    p = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 0), (2, 0, 0), (9, 9, 9)], float)
    tris = np.array([(0, 1, 2), (0, 3, 1), (0, 1, 4)])
    mesh, notes = mesh_from(RawFaces(p, np.full(3, 3), tris.ravel()))
    assert mesh.face_count == 1
    assert mesh.vertex_count == 3
    assert notes == ["2 faces without area were dropped.", "2 unused vertices were dropped."]


def set_at(*path: Any) -> Any:
    *way, key, value = path

    def change(document: Any) -> None:
        at = document
        for k in way:
            at = at[k]
        at[key] = value

    return change


GOOD = write_glb(
    [ScenePart("drum", ZOO["drum"](), (Material("oak"),))], [Node("a", 0), Node("b", None, children=(Node("c", 0),))]
)
HOSTILE: list[tuple[Any, str]] = [
    (set_at("accessors", 0, "count", 2**31 - 1), "count should be at most 60000000"),
    (set_at("accessors", 0, "count", -1), "count should be at least 1"),
    (set_at("accessors", 0, "count", True), "whole number"),
    (set_at("accessors", 0, "type", "MAT2"), "has type 'MAT2'"),
    (set_at("accessors", 0, "componentType", 5125), "|"),
    (set_at("accessors", 0, "componentType", 1), "componentType should be .*, and is 1"),
    (set_at("accessors", 0, "sparse", {}), "sparse.count is missing"),
    (set_at("accessors", 0, "bufferView", 999), "whole number from 0"),
    (set_at("bufferViews", 0, "byteLength", 10**12), "claims 1000000000000 bytes"),
    (set_at("bufferViews", 0, "byteOffset", -4), "byteOffset"),
    (set_at("bufferViews", 0, "byteStride", 10**9), "byteStride"),
    (set_at("nodes", 1, "children", [1]), "reached twice"),
    (set_at("nodes", 1, "children", 7), "should be a list"),
    (set_at("nodes", 0, "mesh", 5), "mesh should be a whole number"),
    (set_at("nodes", 0, "rotation", [0, 0, 0, 0]), "no|not a unit quaternion"),
    (set_at("nodes", 0, "translation", [1, 2]), "list of 3 numbers"),
    (set_at("nodes", 0, "translation", [1, 2, "x"]), "should be a number"),
    (set_at("meshes", 0, "primitives", {}), "should be a list"),
    (set_at("meshes", 0, "primitives", []), "holds no triangles"),
    (set_at("meshes", 0, "primitives", 0, "attributes", {}), "has no POSITION"),
    (set_at("materials", 0, "pbrMetallicRoughness", {"baseColorFactor": [1]}), "list of 4 numbers"),
    (set_at("extensionsRequired", ["EXT_unheard_of"]), "needs EXT_unheard_of"),
    (set_at("meshes", "all"), "should be a list"),
]


@pytest.mark.parametrize(("change", "text"), HOSTILE)
def test_lying_files_are_refused_with_their_place(change: Any, text: str) -> None:
    data = edited(GOOD, change)
    if text == "|":  # the bits read as other numbers: refused, or a sound mesh
        with suppress(FileError):
            read_glb(data)
        return
    with pytest.raises(FileError, match=text):
        read_glb(data)


@given(st.integers(0, len(GOOD) - 1), st.integers(0, 255), st.integers(0, len(GOOD) - 1))
@settings(max_examples=400, deadline=None)
def test_flipped_and_cut_bytes_never_escape_the_file_error(at: int, value: int, cut: int) -> None:
    flipped = bytearray(GOOD)
    flipped[at] = value
    for data in (bytes(flipped), GOOD[:cut], GOOD[:cut] + GOOD[cut + 4 :]):
        with suppress(FileError):
            for part in read_glb(data).parts:
                assert np.isfinite(part.mesh.positions).all()
                triangulate(part.mesh)


def test_vertices_that_are_not_finite_reject_the_file() -> None:
    at = GOOD.index(np.array(ZOO["drum"]().positions[0], "<f4").tobytes())
    broken = GOOD[:at] + struct.pack("<f", float("nan")) + GOOD[at + 4 :]
    with pytest.raises(FileError, match="not a finite number"):
        read_glb(broken)
