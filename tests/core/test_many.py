"""Files of very many nodes, parts and materials: read right, and no more than can be held."""

from __future__ import annotations

import base64
import json
import struct

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from able_brick.core.errors import FileError
from able_brick.core.files.gltf.read import read_glb, read_gltf
from able_brick.core.files.obj_read import read_mtl, read_obj
from able_brick.core.mesh import combine
from able_brick.core.mesh.combine import together
from able_brick.core.mesh.measure import counts, counts_of_all
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.validity import problems, problems_of_all
from tests.bench.growth import nodes_glb
from tests.zoo import ZOO


def test_more_meshes_than_can_be_held_are_refused_with_the_limit() -> None:
    data = nodes_glb(1, 20_001)
    with pytest.raises(FileError, match="20001 meshes; at most 20000"):
        read_glb(data)


def test_nodes_stand_where_their_parents_carry_them() -> None:
    data = nodes_glb(4, 1)
    size = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + size])
    turn = Rotation.from_euler("xyz", [20, 40, 60], degrees=True)
    first = {"rotation": turn.as_quat().tolist(), "scale": [2, 3, 4], "translation": [1, 2, 3], "children": [2, 1]}
    matrix = np.eye(4)
    matrix[:3, 3] = (5, 0, 0)
    document["nodes"][0] |= first
    document["nodes"][2] |= {"matrix": matrix.T.ravel().tolist(), "children": [3]}
    document["scenes"] = [{"nodes": [0]}]
    for k in (1, 2):
        document["nodes"][k].pop("translation")
    scene = read_gltf(json.dumps(document | {"buffers": [_embedded(data[28 + size :])]}).encode())
    assert [i.name for i in scene.instances] == ["n0", "n2", "n3", "n1"]
    whole = np.eye(4)
    whole[:3, :3] = turn.as_matrix() * (2, 3, 4)
    whole[:3, 3] = (1, 2, 3)
    by_name = {i.name: i.matrix for i in scene.instances}
    assert by_name["n0"] == pytest.approx(whole)
    assert np.array_equal(by_name["n1"], by_name["n0"])
    assert by_name["n2"] == pytest.approx(whole @ matrix)
    assert by_name["n3"][:3, 3] == pytest.approx((whole @ matrix @ [3, 0, 0, 1])[:3])
    low, high = scene.bounds()
    corners = np.array([[0, 0, 0, 1], [1, 0, 0, 1], [0, 1, 0, 1]])
    cloud = np.concatenate([(i.matrix @ corners.T).T[:, :3] for i in scene.instances])
    assert (low, high) == (pytest.approx(cloud.min(axis=0)), pytest.approx(cloud.max(axis=0)))


def _embedded(data: bytes) -> dict[str, object]:
    uri = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
    return {"byteLength": len(data), "uri": uri}


def test_parts_of_a_text_file_keep_their_faces_wherever_they_stand_in_it() -> None:
    points = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nv 2 2 0\n"
    text = f"{points}o a\nf 1 2 3\no b\nf 2 4 3\nf 3 4 5\no a\nf 1 2 4 3\n"
    scene = read_obj(text.encode())
    sizes = {p.name: p.mesh.face_sizes.tolist() for p in scene.parts}
    assert sizes == {"a": [3, 4], "b": [3, 3]}
    assert scene.parts[0].mesh.positions.tolist() == [[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]]


def test_a_picture_that_many_materials_share_is_fetched_once() -> None:
    asked: list[str] = []

    def beside(name: str) -> bytes | None:
        asked.append(name)
        return b"\x89PNG\r\n\x1a\n" + bytes(64) if name == "a.png" else None

    notes: list[str] = []
    text = "".join(f"newmtl m{k}\nmap_Kd a.png\n" for k in range(10_050)).encode()
    found = read_mtl(text, beside, notes)
    assert len(found) == 10_000 and len(asked) <= 2
    assert any("more than 10000 materials" in note for note in notes)


def test_meshes_are_counted_together_as_each_by_itself() -> None:
    meshes = [make() for make in ZOO.values()]
    meshes += [m.replaced(smooth_angle=0.1) for m in meshes[:4]]
    meshes += [m.replaced(colour=np.full((len(m.corners), 4), 0.5)) for m in meshes[2:5]]
    meshes.append(PolyMesh.checked(np.zeros((0, 3)), [], []))
    fresh = [m.replaced() for m in meshes]
    counts(fresh[3])
    assert counts_of_all(fresh) == [counts(m) for m in meshes]
    assert counts_of_all([]) == []


def test_faults_of_many_meshes_are_those_of_each(monkeypatch: pytest.MonkeyPatch) -> None:
    sound = [make() for make in ZOO.values()]
    faulty = PolyMesh.trusted(
        np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 0], [9, 9, 9]]),
        np.array([0, 3, 6, 9]),
        np.array([0, 1, 2, 0, 1, 2, 0, 1, 3]),
    )
    for meshes in ([*sound, faulty, *sound], [], [faulty], sound):
        found = problems_of_all(meshes)
        assert found == [problems(m) for m in meshes]
    assert problems(faulty)
    for most in (1, 40, 10**9):
        monkeypatch.setattr(combine, "_TOGETHER", most)
        assert problems_of_all([faulty, *sound]) == [problems(faulty), *(problems(m) for m in sound)]
        runs = together(sound)
        assert [m for run in runs for m in run] == sound
        assert all(len(run) == 1 or sum(len(m.corners) for m in run) <= most for run in runs)
