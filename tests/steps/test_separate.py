"""Placements taken apart: every part where it was, and what repeats as one piece."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import GeometryError, SelectionError
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.combine import joined, turned_over
from able_brick.core.mesh.parts import apart, copies, only
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.place.items import item_in_world
from able_brick.level.evaluate import shown_items
from able_brick.level.rows import Group, Piece, Placement
from able_brick.level.snapshot import Edit
from able_brick.steps.draft import facts
from tests.steps.test_steps import Sheet
from tests.zoo import ZOO

OVER = np.diag([1.0, -1.0, 1.0])


def shown(sheet: Sheet) -> np.ndarray:
    """The middles of all faces of all placements in the world, in an order of their own."""
    out = []
    for row in sheet.snapshot.of("level-1").values():
        if isinstance(row, Placement):
            piece = sheet.row(row.piece)
            pose = np.array([*row.position, *row.turn, *row.size])
            mesh = item_in_world(sheet.meshes[piece.mesh], pose, piece.pivot, piece.axes)
            sums = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1])
            out.append(sums / mesh.face_sizes[:, None])
    middles = np.concatenate(out).round(7) + 0.0
    return middles[np.lexsort(middles.T)]


def shown_all(sheet: Sheet) -> np.ndarray:
    """The middles of all faces of all that the level shows, repeats with them, in an order of their own."""
    out = []
    for row in sheet.snapshot.of("level-1").values():
        found = shown_items(sheet.snapshot, row)
        for batch in () if found is None else found.batches:
            own = batch.drawable.mesh(sheet.meshes.__getitem__)
            for pose in batch.poses.rows():
                mesh = item_in_world(own, pose, batch.drawable.pivot, batch.drawable.axes)
                sums = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1])
                out.append(sums / mesh.face_sizes[:, None])
    middles = np.concatenate(out).round(7) + 0.0
    return middles[np.lexsort(middles.T)]


def kit() -> list[PolyMesh]:
    """Forms that are not their own mirror images, and a box that is."""
    sheet = Sheet()
    for k, shape in enumerate(({"kind": "box"}, {"kind": "wedge"}, {"kind": "helix"}, {"kind": "stairs"})):
        sheet.do("add_shape", shape=shape)
        mesh = sheet.meshes[sheet.row(f"piece-{k + 1}").mesh]
        yield mesh.replaced(positions=mesh.positions + 0.1 * mesh.positions[:, [1, 2, 0]])


def scattered(forms: list[PolyMesh], count: int, seed: int) -> PolyMesh:
    """Copies of forms as one mesh: turned, every third one mirrored."""
    random = np.random.default_rng(seed)
    out = []
    for k in range(count):
        form = forms[k % len(forms)]
        turn = Rotation.random(random_state=random).as_matrix()
        if k % 3 == 2:
            form = turned_over(form.replaced(positions=form.positions @ OVER))
        out.append(form.replaced(positions=form.positions @ turn + random.uniform(-40, 40, 3)))
    return joined(out, materials=[0] * count)


def change(sheet: Sheet, piece: Piece) -> None:
    sheet.snapshot = sheet.snapshot.with_edits([Edit(sheet.row(piece.id), piece)])


def level_of(mesh: PolyMesh, **pose: Any) -> Sheet:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"}, name="Yard")
    key = mesh.content_hash
    sheet.meshes[key] = mesh
    piece = sheet.row("piece-1")
    change(sheet, piece.changed(mesh=key, facts=facts(mesh), dimensions=None))
    if pose:
        sheet.do("set_pose", "placement-1", **pose)
    return sheet


@pytest.mark.parametrize("name", sorted(ZOO))
def test_a_mesh_taken_apart_holds_all_that_it_had(name: str) -> None:
    mesh = ZOO[name]()
    count, label = topology(mesh).parts
    parts = apart(mesh, label, count)
    assert sum(p.face_count for p in parts) == mesh.face_count
    for k, part in enumerate(parts):
        assert part.content_hash == only(mesh, label == k).content_hash
        corner = np.flatnonzero((label == k)[mesh.corner_face])
        assert part.positions[part.corners].tobytes() == mesh.positions[mesh.corners[corner]].tobytes()
        assert len(np.unique(part.corners)) == part.vertex_count


def test_what_repeats_is_found_turned_and_mirrored() -> None:
    forms = list(kit())
    mesh = scattered(forms, 60, 1)
    count, label = topology(mesh).parts
    parts = apart(mesh, label, count)
    found, nearly, _ = copies(parts, 1e-4)
    assert nearly == 0
    assert sum(c.motion is None for c in found) == sum(topology(f).parts[0] for f in forms)
    for copy, part in zip(found, parts, strict=True):
        if copy.motion is None:
            continue
        assert abs(np.linalg.det(copy.motion.turn)) == pytest.approx(1)
        assert copy.motion.turned_over == (np.linalg.det(copy.motion.turn) < 0)
        moved = parts[copy.of].positions @ copy.motion.turn + copy.motion.shift
        far = np.linalg.norm(np.sort(moved, axis=0) - np.sort(part.positions, axis=0), axis=1).max()
        assert far < 1e-4


def test_five_thousand_parts_of_twelve_pieces_come_apart_in_time() -> None:
    random = np.random.default_rng(7)
    base = next(iter(kit()))
    forms = [
        base.replaced(
            positions=base.positions * random.uniform(0.3, 3, 3) @ (np.eye(3) + random.uniform(-0.2, 0.2, (3, 3)))
        )
        for _ in range(12)
    ]
    mesh = scattered(forms, 5000, 3)
    started = time.process_time()
    count, label = topology(mesh).parts
    found, _, _ = copies(apart(mesh, label, count), 1e-4)
    assert count == 5000
    assert sum(c.motion is None for c in found) == 12
    assert time.process_time() - started < 30


def test_what_only_nearly_repeats_is_a_piece_of_its_own_and_told() -> None:
    (box, *_) = kit()
    off = box.positions.copy()
    off[0] += 0.002
    mesh = joined([box, box.replaced(positions=off + 9), box.replaced(positions=box.positions - 9)])
    count, label = topology(mesh).parts
    found, nearly, far = copies(apart(mesh, label, count), 1e-4)
    assert [c.of for c in found] == [0, 1, 0]
    assert nearly == 1 and 0.0005 < far < 0.004


def test_what_is_inside_out_or_of_another_material_is_no_copy() -> None:
    (box, *_) = kit()
    far = box.positions + 9
    inside_out = box.replaced(positions=box.positions @ OVER - 20)
    other = box.replaced(positions=far + 9, material=box.material + 1)
    found, nearly, _ = copies([box, box.replaced(positions=far), inside_out, other], 1e-4)
    assert [c.of for c in found] == [0, 0, 2, 3]
    assert nearly == 0


@pytest.mark.parametrize("by", ["connected parts", "what repeats"])
@pytest.mark.parametrize(
    "pose", [{}, {"position": (3, 1, -2), "turn": (20, 50, -30), "size": (1.5, 1.5, 1.5)}, {"size": (-2, -2, -2)}]
)
def test_every_part_stands_where_it_was(by: str, pose: dict[str, Any]) -> None:
    sheet = level_of(scattered(list(kit()), 24, 5), **pose)
    sheet.do("set_pivot", "piece-1", place="as it is", axes="turned", turn=(0, 30, 0))
    before = shown(sheet)
    sheet.do("separate", "placement-1", by=by)
    assert shown(sheet) == pytest.approx(before, abs=2e-4)
    (group,) = [r for r in sheet.snapshot.of("level-1").values() if isinstance(r, Group)]
    assert group.name == "Yard"
    placements = [r for r in sheet.snapshot.of("level-1").values() if isinstance(r, Placement)]
    assert all(p.group == group.id for p in placements)
    if by == "what repeats":
        assert len({p.piece for p in placements}) < len(placements) / 2


def test_materials_and_facets_part_as_well_and_pieces_have_only_their_materials() -> None:
    one, two = list(kit())[:2]
    mesh = joined([one, two], materials=[0, 1])
    sheet = level_of(mesh)
    piece = sheet.row("piece-1")
    red = piece.materials[0].model_copy(update={"name": "Red", "colour": (1.0, 0.0, 0.0, 1.0)})
    change(sheet, piece.changed(materials=(piece.materials[0], red)))
    sheet.do("separate", "placement-1", by="materials")
    pieces = [p for k, p in sheet.snapshot.pieces.items() if k != "piece-1"]
    assert [len(p.materials) for p in pieces] == [1, 1]
    assert pieces[1].materials[0].name == "Red"
    assert {int(sheet.meshes[p.mesh].material.max()) for p in pieces} == {0}


def test_what_cannot_come_apart_is_refused() -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"}, name="Crate")
    with pytest.raises(GeometryError, match="is one part that way"):
        sheet.do("separate", "placement-1")
    with pytest.raises(SelectionError):
        sheet.do("separate", "piece-1")
    uneven = level_of(scattered(list(kit()), 12, 2), size=(1, 2, 1))
    with pytest.raises(SelectionError, match="bake its size first"):
        uneven.do("separate", "placement-1", by="what repeats")
    before = shown(uneven)
    uneven.do("separate", "placement-1")
    assert shown(uneven) == pytest.approx(before, abs=1e-6)
