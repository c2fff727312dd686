"""Polygons come back from the files that hold them, and never in place of what other programs have made of those."""

from __future__ import annotations

import struct
import zlib
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from able_brick.core.errors import FileError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.files.own_faces import OtherTrianglesError, packed, unpacked
from able_brick.core.files.scene import Material, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.demo import pieces as demo
from tests.glb import document_of, edited
from tests.zoo import CLOSED, ZOO, bumpy_ball, waves

STONE, OAK = Material("stone", (0.5, 0.5, 0.5, 1.0)), Material("oak", (0.4, 0.2, 0.1, 1.0))
DRUM = ZOO["drum"]()
GOOD = write_glb([ScenePart("Drum", DRUM, (STONE, OAK))])


def share_of_extras(meshes: list[PolyMesh]) -> float:
    parts = [ScenePart(f"Part {k}", m, (STONE, OAK)) for k, m in enumerate(meshes)]
    whole, lean = len(write_glb(parts)), len(write_glb(parts, lean=True))
    return (whole - lean) / whole


@pytest.mark.parametrize("name", ZOO)
def test_faces_come_back_as_they_were(name: str) -> None:
    mesh = ZOO[name]()
    (part,) = read_glb(write_glb([ScenePart(name, mesh, (STONE, OAK))])).parts
    back = part.mesh
    assert np.array_equal(back.face_sizes, mesh.face_sizes)
    assert np.array_equal(back.material, mesh.material)
    assert np.array_equal(back.sharp, mesh.sharp)
    assert np.array_equal(back.positions[back.corners], mesh.positions[mesh.corners].astype(np.float32))
    again = read_glb(write_glb([part])).parts[0].mesh
    assert again.content_hash == back.content_hash, "from the first time on nothing changes"


def test_what_comes_back_takes_little_of_a_file() -> None:
    kit = [demo.footbridge().mesh, demo.pump_house().mesh, bumpy_ball(40), waves(40), *(ZOO[n]() for n in CLOSED)]
    assert share_of_extras(kit) < 0.15
    for mesh in (bumpy_ball(60), waves(60), demo.footbridge().mesh):
        assert share_of_extras([mesh]) < 0.1


def test_a_lean_file_has_no_extras_and_the_same_triangles() -> None:
    scene = read_glb(GOOD)
    lean = write_file("drum.glb", scene, lean=True)["drum.glb"]
    assert b"extras" not in lean
    assert b"able_brick" not in lean
    back = read_glb(lean)
    assert not back.notes
    assert back.parts[0].mesh.triangle_count == scene.parts[0].mesh.triangle_count
    assert (back.parts[0].mesh.face_sizes == 3).all()
    assert [m.name for m in back.parts[0].materials] == ["stone"]


def test_triangles_that_were_taken_away_stay_away() -> None:
    def cut(d: Any) -> None:
        primitive = d["meshes"][0]["primitives"][0]
        d["accessors"][primitive["indices"]]["count"] -= 6

    scene = read_glb(edited(GOOD, cut))
    assert scene.parts[0].mesh.triangle_count == DRUM.triangle_count - 2
    assert any("belongs to other triangles" in note for note in scene.notes)


def test_a_vertex_that_was_moved_stays_where_it_is() -> None:
    at = document_of(GOOD)
    accessor = at["accessors"][at["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]
    view = at["bufferViews"][accessor["bufferView"]]
    begin = len(GOOD) - at["buffers"][0]["byteLength"] + view["byteOffset"]
    moved = bytearray(GOOD)
    moved[begin : begin + 4] = struct.pack("<f", 9.0)

    def wider(d: Any) -> None:
        d["accessors"][d["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]["max"][0] = 9.0

    scene = read_glb(edited(bytes(moved), wider))
    assert scene.parts[0].mesh.bounds[1][0] == 9.0
    assert any("belongs to other triangles" in note for note in scene.notes)


def test_materials_that_were_numbered_anew_are_not_mixed_up() -> None:
    mesh = ZOO["two parts"]()
    data = write_glb([ScenePart("Both", mesh, (STONE, OAK))])

    def turned(d: Any) -> None:
        d["materials"].reverse()
        for p in d["meshes"][0]["primitives"]:
            p["material"] = 1 - p["material"]

    def looks(raw: bytes) -> list[tuple[str, int]]:
        part = read_glb(raw).parts[0]
        tris = np.repeat(part.mesh.material, part.mesh.face_sizes - 2)
        return sorted((m.name, int((tris == k).sum())) for k, m in enumerate(part.materials))

    assert looks(edited(data, turned)) == looks(data)


def test_another_way_to_write_the_same_is_the_same() -> None:
    """Another order of accessors, wider indices, other names of what is not looked at."""

    def otherwise(d: Any) -> None:
        last = len(d["accessors"]) - 1
        order = list(range(last, -1, -1))
        d["accessors"] = [d["accessors"][k] for k in order]
        for p in d["meshes"][0]["primitives"]:
            p["indices"] = last - p["indices"]
            p["attributes"] = {k: last - v for k, v in p["attributes"].items()}
        d["asset"]["generator"] = "a pass"

    scene = read_glb(edited(GOOD, otherwise))
    assert not scene.notes
    assert np.array_equal(scene.parts[0].mesh.face_sizes, DRUM.face_sizes)


@given(st.integers(0, 10**6), st.integers(1, 255))
def test_damaged_bytes_are_left_out_or_read_as_something_sound(at: int, by: int) -> None:
    document = document_of(GOOD)
    view = document["bufferViews"][document["meshes"][0]["extras"]["able_brick"]["faces"]]
    begin = len(GOOD) - document["buffers"][0]["byteLength"] + view["byteOffset"]
    damaged = bytearray(GOOD)
    damaged[begin + at % view["byteLength"]] ^= by
    scene = read_glb(bytes(damaged))
    assert scene.parts[0].mesh.triangle_count > 0
    if scene.notes:
        assert scene.parts[0].mesh.triangle_count == DRUM.triangle_count


@pytest.mark.parametrize(
    "change",
    [
        {"faces": 10**6},
        {"faces": None},
        {"faces": 0},
        {"sum": "0"},
        {"sum": None},
        {"smooth_angle": "wide"},
        {"format": 1},
    ],
)
def test_extras_that_lie_are_left_out_with_a_note(change: dict[str, object]) -> None:
    scene = read_glb(edited(GOOD, lambda d: d["meshes"][0]["extras"]["able_brick"].update(change)))
    assert scene.parts[0].mesh.triangle_count == DRUM.triangle_count
    assert any("was left out" in note for note in scene.notes)


def test_no_more_is_unpacked_than_belongs_to_a_mesh() -> None:
    bomb = zlib.compress(struct.pack("<3I", 1, 3, 4) + bytes(2**26))
    with pytest.raises(OtherTrianglesError):
        unpacked(bomb, 4)
    corners = np.array([0, 1, 2])
    mesh = PolyMesh.trusted(np.eye(3), np.array([0, 3], np.int32), corners.astype(np.int32))
    good = packed(mesh, corners, corners)
    assert unpacked(good, 3).sizes.tolist() == [3]
    for wrong in (b"", good[:-3], zlib.compress(b"abc"), good[4:]):
        with pytest.raises(OtherTrianglesError):
            unpacked(wrong, 3)
    with pytest.raises(OtherTrianglesError):
        unpacked(good, 4)


def earlier(part: ScenePart) -> bytes:
    """A file as the first version wrote it: accessors of whole numbers in extras, no checksum."""
    mesh, hardware = part.mesh, part.hardware
    data = write_glb([part])
    (size,) = struct.unpack_from("<I", data, 12)
    binary = data[28 + size :]

    def older(d: Any) -> None:
        own = d["meshes"][0]["extras"]["able_brick"]
        found = unpacked(
            binary[(v := d["bufferViews"][own.pop("faces")])["byteOffset"] : v["byteOffset"] + v["byteLength"]],
            len(hardware),
        )
        own.pop("sum")
        own["format"] = 1
        at = len(binary)
        for key, values in (
            ("face_sizes", mesh.face_sizes),
            ("corners", found.corners),
            ("vertex", found.vertex),
            ("material", mesh.material),
            ("facet", mesh.facet),
            ("sharp", mesh.sharp),
        ):
            raw = np.asarray(values).astype("<u4").tobytes()
            d["bufferViews"].append({"buffer": 0, "byteOffset": at, "byteLength": len(raw)})
            view = len(d["bufferViews"]) - 1
            d["accessors"].append({"bufferView": view, "componentType": 5125, "count": len(raw) // 4, "type": "SCALAR"})
            own[key] = len(d["accessors"]) - 1
            more.append(raw)
            at += len(raw)
        d["buffers"][0]["byteLength"] = at

    more: list[bytes] = []
    out = edited(data, older)
    whole = out + b"".join(more)
    (size,) = struct.unpack_from("<I", whole, 12)
    grown = struct.pack("<I", len(whole) - 28 - size)
    return whole[:8] + struct.pack("<I", len(whole)) + whole[12 : 20 + size] + grown + whole[24 + size :]


def test_files_of_the_first_version_are_read_and_their_cut_triangles_too() -> None:
    data = earlier(ScenePart("Drum", DRUM, (STONE, OAK)))
    scene = read_glb(data)
    assert not scene.notes
    assert np.array_equal(scene.parts[0].mesh.face_sizes, DRUM.face_sizes)

    def cut(d: Any) -> None:
        d["accessors"][d["meshes"][0]["primitives"][0]["indices"]]["count"] -= 6

    found = read_glb(edited(data, cut))
    assert found.parts[0].mesh.triangle_count == DRUM.triangle_count - 2
    assert any("was left out" in note for note in found.notes)


def test_what_is_wrong_with_the_triangles_themselves_is_still_refused() -> None:
    def beyond(d: Any) -> None:
        d["accessors"][d["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]["count"] = 5

    with pytest.raises(FileError):
        read_glb(edited(GOOD, beyond))
