"""Letters on faces: volumes and areas by the letters' own, turned anyhow; what does not fit is told by how much."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from able_brick.core.errors import GeometryError
from able_brick.core.mend.faults import FAULTS
from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.shapes.box import box
from able_brick.core.shapes.lettering import lettering
from able_brick.core.shapes.plane import plane
from able_brick.core.solid.letters import LetterWay, frame_of, lettered
from tests.steps.test_steps import Sheet
from tests.thorough import by_day

UP = np.array([0.0, 1.0, 0.0])
LETTERS = lettering("Bo8", 0.3, 0.02)
SHARE = {"raised": 1.0, "sunk": -1.0, "drawn": 0.0}


def facing(mesh: PolyMesh, way: np.ndarray) -> int:
    return int(np.argmax(unit(area_vectors(mesh)) @ way))


@pytest.mark.parametrize("seed", by_day([None, 1], [None, 0, 1, 2]))
@pytest.mark.parametrize("way", SHARE)
def test_letters_add_or_take_their_volume_and_what_is_seen_of_them_is_picked(way: LetterWay, seed: int | None) -> None:
    turn = np.eye(3) if seed is None else Rotation.random(random_state=seed).as_matrix()
    plain = box(3, 1, 0.4)
    mesh = mapped(plain, plain.positions @ turn.T + (0.0 if seed is None else 7.3))
    mesh = mesh.replaced(material=np.array([0, 0, 0, 0, 1, 1]))
    face = facing(mesh, turn[:, 2])
    at = frame_of(mesh, face, turn[:, 1], 0.1)
    out = lettered(mesh, face, LETTERS, at, way, (0.3, -0.1))
    made = out.mesh
    assert topology(made).is_closed
    assert volume(made) == pytest.approx(volume(mesh) + SHARE[way] * volume(LETTERS), rel=1e-9)
    ways = area_vectors(made)[out.picked]
    area = volume(LETTERS) / 0.02
    assert np.linalg.norm(ways.sum(axis=0)) == pytest.approx(area, rel=1e-6)
    assert np.linalg.norm(ways, axis=1).sum() == pytest.approx(area, rel=1e-6)
    assert (unit(ways) @ turn[:, 2] > 0.999).all()
    assert set(made.material[out.picked].tolist()) == {int(mesh.material[face])}
    faults = {f.code for f in FAULTS if f.safe and len(f.find(made))}
    assert faults == set()
    # where they were asked for: their box in the frame is about the shift
    flat = at.flat(made.positions[np.unique(np.concatenate([made.corners[made.corner_face == f] for f in out.picked]))])
    assert (flat.min(axis=0) + flat.max(axis=0))[:2] / 2 == pytest.approx((0.3, -0.1), abs=1e-6)
    assert flat[:, 2] == pytest.approx(SHARE[way] * 0.02, abs=1e-9)


@pytest.mark.parametrize(
    ("normal", "right", "up"),
    [
        ((0, 0, 1), (1, 0, 0), (0, 1, 0)),
        ((0, 0, -1), (-1, 0, 0), (0, 1, 0)),
        ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
        ((0, 1, 0), (1, 0, 0), (0, 0, -1)),
        ((0, -1, 0), (1, 0, 0), (0, 0, 1)),
    ],
)
def test_letters_stand_upright_and_on_a_level_face_along_its_longest_edge(
    normal: tuple[int, ...], right: tuple[int, ...], up: tuple[int, ...]
) -> None:
    mesh = box(3, 1, 0.4)
    at = frame_of(mesh, facing(mesh, np.array(normal)), UP)
    assert at.ways == pytest.approx(np.array([right, up, normal]), abs=1e-12)
    assert at.flat(at.middle[None]) == pytest.approx(np.zeros((1, 3)))


def test_letters_that_do_not_fit_are_refused_with_what_would() -> None:
    mesh = box(1, 1, 1)
    face = facing(mesh, np.array([0, 0, 1]))
    at = frame_of(mesh, face, UP)
    large = lettering("Bo8", 2.0, 0.02)
    with pytest.raises(GeometryError, match="reach beyond the face") as refused:
        lettered(mesh, face, large, at, "sunk", (0.0, 0.0))
    share = float(refused.value.data["allowed"])  # type: ignore[arg-type]
    lettered(mesh, face, lettering("Bo8", 2.0 * share * 0.999, 0.02), at, "sunk", (0.0, 0.0))
    with pytest.raises(GeometryError, match="reach beyond"):
        lettered(mesh, face, lettering("Bo8", 2.0 * share * 1.01, 0.02), at, "sunk", (0.0, 0.0))
    with pytest.raises(GeometryError, match="move them onto it"):
        lettered(mesh, face, LETTERS, at, "sunk", (50.0, 0.0))
    with pytest.raises(GeometryError, match="it is open"):
        lettered(plane(2, 2), 0, LETTERS, frame_of(plane(2, 2), 0, UP), "raised", (0.0, 0.0))
    points = np.array(mesh.positions)
    points[int(np.argmax(points.sum(axis=1)))] += 0.1
    with pytest.raises(GeometryError, match="The face is bent"):
        lettered(mesh.replaced(positions=points), face, LETTERS, at, "sunk", (0.0, 0.0))


def test_a_sign_of_sunk_letters_as_a_step() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 0.6, "depth": 0.1})
    mesh = sheet.meshes[sheet.row("piece-1").mesh]
    face = facing(mesh, np.array([0, 0, 1]))
    picked = {"mesh": mesh.content_hash, "kind": "face", "ids": [[face, face]]}
    change = sheet.do("letter_face", "placement-1", elements=picked, text="Lock 7", height=0.25)
    out = sheet.meshes[sheet.row("piece-1").mesh]
    assert volume(out) < volume(mesh)
    assert topology(out).is_closed
    assert change.elements is not None
    assert len(change.elements.numbers(out)) > 5
    both = {**picked, "ids": [[0, 1]], "mesh": out.content_hash}
    with pytest.raises(Exception, match="letters go onto one"):
        sheet.do("letter_face", "placement-1", elements=both, text="Lock 7", height=0.25)


def test_letters_read_backwards_where_the_piece_stands_mirrored_and_that_is_told() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 0.5})
    (image,) = sheet.do("mirror", "placement-1", across=["x"], about_what="point", point=(2, 0, 0)).select or ()
    told = ("mirrored from now on", "backwards on 1 mirrored one")
    for way, words in zip(((0, -1, 0), (0, 0, 1)), told, strict=True):
        piece = sheet.row(sheet.row("placement-1").piece)
        mesh = sheet.meshes[piece.mesh]
        face = facing(mesh, np.array(way))
        picked = {"mesh": mesh.content_hash, "kind": "face", "ids": [[face, face]]}
        change = sheet.do("letter_face", "placement-1", elements=picked, text="Lo", height=0.1, depth=0.01)
        assert words in (change.note or "")
        both = [sheet.meshes[sheet.row(sheet.row(p).piece).mesh] for p in ("placement-1", image)]
        assert volume(both[0]) == pytest.approx(volume(both[1]))
        assert both[0].content_hash != both[1].content_hash
