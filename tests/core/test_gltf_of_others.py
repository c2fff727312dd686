"""What files of others hold is taken over, or told by count and by name."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
from PIL import Image

from able_brick.core.errors import FileError
from able_brick.core.files.glb_write import Binary, assembled, write_glb
from able_brick.core.files.pictures import MOST_PIXELS, _webp_size, texture
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Material, Node, Scene, ScenePart, Texture
from tests.glb import document_of, edited
from tests.zoo import ZOO

BOX = ScenePart("Box", ZOO["box"](), (Material("stone"),))
PLAIN = write_glb([BOX], [Node("Crate", 0)], lean=True)


def read(change: Any, data: bytes = PLAIN) -> Scene:
    return read_file("x.glb", edited(data, change))


LOST: list[tuple[dict[str, Any], str]] = [
    ({"animations": [{"name": "Swing"}, {}]}, "2 animations were left out (Swing)."),
    ({"skins": [{"name": "Arm"}]}, "1 skin was left out (Arm)."),
    (
        {"cameras": [{"name": "a"}, {"name": "b"}, {"name": "c"}, {"name": "d"}]},
        "4 cameras were left out (a, b, c and 1",
    ),
    ({"extensions": {"KHR_lights_punctual": {"lights": [{"name": "Sun"}]}}}, "1 light was left out (Sun)."),
    ({"extensionsUsed": ["KHR_materials_ior", "MSFT_lod"]}, "What the extension KHR_materials_ior told was left out."),
    ({"images": [{"mimeType": "image/ktx2", "name": "Bark"}]}, "1 KTX2 picture was left out (Bark)."),
]


@pytest.mark.parametrize(("more", "told"), LOST)
def test_what_of_a_file_is_left_out_is_told(more: dict[str, Any], told: str) -> None:
    (note,) = read(lambda d: d.update(more)).notes
    assert note.startswith(told)


def test_what_of_nodes_meshes_and_materials_is_left_out_is_told() -> None:
    def change(d: Any) -> None:
        d["nodes"][0]["extras"] = {"hardness": 3}
        d["nodes"] += [{"name": "Forgotten", "mesh": 0}]
        d["scenes"] += [{"name": "Night", "nodes": []}]
        p = d["meshes"][0]["primitives"][0]
        for name in ("TANGENT", "TEXCOORD_1", "COLOR_1", "JOINTS_0", "WEIGHTS_0", "_WETNESS"):
            p["attributes"][name] = p["attributes"]["POSITION"]
        p["targets"] = [{"POSITION": 0}]
        d["materials"][0] |= {
            **{"normalTexture": {"index": 0}, "emissiveTexture": {"index": 0}, "emissiveFactor": [0, 0.5, 0]},
            "extensions": {"KHR_materials_ior": {"ior": 1.4}},
        }

    assert set(read(change).notes) == {
        "1 node that is in no scene was left out (Forgotten).",
        "1 further scene was left out (Night).",
        "Morph targets of 1 mesh were left out (Box).",
        "Tangents of 1 mesh were left out (Box).",
        "Further texture coordinates of 1 mesh were left out (Box).",
        "Further vertex colours of 1 mesh were left out (Box).",
        "Bone weights of 1 mesh were left out (Box).",
        "The attribute _WETNESS of 1 mesh was left out (Box).",
        "1 normal picture was left out (stone).",
        "1 emissive picture was left out (stone).",
        "The glow of 1 material was left out (stone).",
        "Extensions of 1 material were left out (stone).",
    }


@pytest.mark.parametrize("junk", [None, 3, "x", {}, [], [3], [None], [[]], {"a": 1}, [{"name": 3}]])
def test_junk_in_places_that_are_only_looked_at_is_no_matter(junk: Any) -> None:
    for key in ("animations", "skins", "cameras", "extensions", "extensionsUsed"):
        assert len(read(lambda d, key=key: d.update({key: junk})).parts) == 1
    for key in ("emissiveFactor", "extensions"):
        change = lambda d, key=key: d["materials"][0].update({key: junk})  # noqa: E731
        assert len(read(change).parts) == 1
    for key in ("targets", "extensions"):
        change = lambda d, key=key: d["meshes"][0]["primitives"][0].update({key: junk})  # noqa: E731
        assert len(read(change).parts) == 1


def picture(kind: str) -> Texture:
    out = io.BytesIO()
    Image.new("RGBA" if kind == "WEBP" else "RGB", (20, 12), "red").save(out, kind)
    return texture("red", out.getvalue(), "here")


MATERIALS = (
    Material("leaf", (1, 1, 1, 1), 0.5, 0.0, picture("WEBP"), "mask", 0.3, both_sides=True),
    Material("glass", (0.1, 0.2, 0.3, 0.4)),
    Material("smoke", (1, 1, 1, 1), 0.5, 0.0, picture("PNG"), "blend"),
    Material("solid", (1, 1, 1, 0.5), alpha="opaque"),
    Material("tiles", (1, 1, 1, 1), 0.5, 0.0, picture("JPEG"), uv_transform=(0.25, -0.5, 0.7, 2.0, 3.0)),
)


@pytest.mark.parametrize("lean", [False, True])
def test_how_alpha_counts_both_sides_and_how_pictures_are_moved_come_back(lean: bool) -> None:
    box = ZOO["box"]()
    parts = [ScenePart(m.name, box, (m,)) for m in MATERIALS]
    data = write_glb(parts, lean=lean)
    scene = read_file("x.glb", data)
    assert [p.materials for p in scene.parts] == [(m,) for m in MATERIALS]
    assert scene.notes == ()
    document = document_of(data)
    assert sorted(document["extensionsUsed"]) == ["EXT_texture_webp", "KHR_texture_transform"]
    assert document["extensionsRequired"] == ["EXT_texture_webp"]
    modes = {m["name"]: m.get("alphaMode") for m in document["materials"]}
    assert modes == {"leaf": "MASK", "glass": "BLEND", "smoke": "BLEND", "solid": None, "tiles": None}


@pytest.mark.parametrize(("lossless", "alpha"), [(True, False), (False, False), (False, True), (True, True)])
def test_the_size_of_a_webp_picture_is_that_of_its_head(lossless: bool, alpha: bool) -> None:
    out = io.BytesIO()
    colour = (255, 0, 0, 100) if alpha else (255, 0, 0)
    Image.new("RGBA" if alpha else "RGB", (301, 77), colour).save(out, "WEBP", lossless=lossless)
    assert texture("x", out.getvalue(), "here").media == "image/webp"
    assert _webp_size(out.getvalue()) == (301, 77)
    for cut in range(12, 25):
        with pytest.raises(FileError, match=r"broken|pixels"):
            texture("x", out.getvalue()[:cut], "here")
    wide = 16383
    assert wide * wide > MOST_PIXELS
    head = b"RIFF\0\0\0\0WEBPVP8X\x0a\0\0\0\0\0\0\0" + 2 * wide.to_bytes(3, "little")
    with pytest.raises(FileError, match="16384 × 16384"):
        texture("x", head, "here")


def test_one_primitive_without_uv_or_colours_does_not_drop_those_of_the_others() -> None:
    def change(d: Any) -> None:
        _, second = d["meshes"][0]["primitives"]
        del second["attributes"]["TEXCOORD_0"]

    box = ZOO["box"]()
    material = np.zeros(box.face_count, np.int32)
    material[:2] = 1
    uv = np.arange(2.0 * len(box.corners)).reshape(-1, 2)
    part = ScenePart("Box", box.replaced(material=material, uv=uv), (Material("a"), Material("b")))
    mesh = read(change, write_glb([part], lean=True)).parts[0].mesh
    assert mesh.uv is not None
    of = mesh.material[mesh.corner_face]
    assert not mesh.uv[of == 1].any()
    assert mesh.uv[of == 0].any(axis=1).mean() > 0.9


def instanced(attributes: dict[str, np.ndarray]) -> bytes:
    binary = Binary()
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4")
    position = binary.add(points, limits=True)
    where = {k: binary.add(v.astype("<f4")) for k, v in attributes.items()}
    node = {"name": "Bollard", "mesh": 0, "translation": [10.0, 0.0, 0.0]}
    return assembled(
        {
            "asset": {"version": "2.0"},
            "scenes": [{"nodes": [0]}],
            "nodes": [{**node, "extensions": {"EXT_mesh_gpu_instancing": {"attributes": where}}}],
            "meshes": [{"name": "Post", "primitives": [{"attributes": {"POSITION": position}}]}],
            "extensionsUsed": ["EXT_mesh_gpu_instancing"],
            "extensionsRequired": ["EXT_mesh_gpu_instancing"],
        },
        binary,
    )


def test_instances_of_one_mesh_stand_each_by_itself() -> None:
    turn = np.array([[0, 0, 0, 1], [0, np.sqrt(0.5), 0, np.sqrt(0.5)]])
    where = {
        "TRANSLATION": np.array([[1.0, 2, 3], [4, 5, 6]]),
        "ROTATION": turn,
        "SCALE": np.array([[1.0, 1, 1], [2, 3, 4]]),
    }
    scene = read_file("x.glb", instanced(where))
    assert [i.name for i in scene.instances] == ["Bollard 1", "Bollard 2"]
    one, two = (i.matrix for i in scene.instances)
    np.testing.assert_allclose(one[:3, 3], [11, 2, 3])
    # a quarter about Y carries X to −Z, Z to X
    np.testing.assert_allclose(two @ [1, 1, 1, 1], [10 + 4 + 4, 5 + 3, 6 - 2, 1], atol=1e-6)
    with pytest.raises(FileError, match="as many of one kind"):
        read_file("x.glb", instanced({**where, "SCALE": np.ones((3, 3))}))
    with pytest.raises(FileError, match="not a finite"):
        read_file("x.glb", instanced({**where, "SCALE": np.full((2, 3), np.nan)}))
    with pytest.raises(FileError, match="quaternion"):
        read_file("x.glb", instanced({**where, "ROTATION": np.zeros((2, 4))}))


def test_a_tree_of_nodes_comes_as_groups() -> None:
    leaf = Node("Lamp", 0, (1, 0, 0))
    yard = Node("Yard", None, (0, 0, 5), children=(leaf, Node("Post", 0, (2, 0, 0), children=(Node("Sign", 0),))))
    data = write_glb(
        [BOX], [Node("Root", None, children=(Node("Way", None, children=(yard,)),)), Node("Far", 0)], lean=True
    )
    scene = read_file("x.glb", data)
    assert [(g.name, g.parent) for g in scene.groups] == [("Yard", None), ("Post", 0)]
    assert {i.name: i.group for i in scene.instances} == {"Lamp": 0, "Post": 1, "Sign": 1, "Far": None}
    assert scene.groups[0].matrix[:3, 3].tolist() == [0, 0, 5]


def test_groups_that_are_nested_very_deep_come_as_far_as_there_may_be() -> None:
    node = Node("Inner", 0, children=(Node("a", 0), Node("b", 0)))
    for k in range(200):
        node = Node(f"Shell {k}", 0, children=(node,))
    scene = read_file("x.glb", write_glb([BOX], [node], lean=True))
    assert len(scene.groups) == 60
    assert len(scene.instances) == 203
