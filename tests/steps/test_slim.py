"""Ladders, rungs, seams and shared budgets as steps."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.errors import AbleBrickError, GeometryError, SelectionError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.slim.deviation import deviation
from able_brick.core.slim.seams import on_sides
from able_brick.level.rows import Piece, Seams
from able_brick.level.snapshot import Edit
from able_brick.steps.draft import Draft, facts
from able_brick.steps.seams import seam_vertices
from tests.steps.test_steps import Sheet as Plain
from tests.zoo import bumpy_ball, waves


class Sheet(Plain):
    """A level in memory onto whose shelf meshes can be put."""

    def load(self, key: str) -> PolyMesh:
        return self.meshes[key]

    def keep(self, mesh: PolyMesh, name: str) -> str:
        """A piece of a mesh; its id."""
        counters = dict(self.snapshot.counters)
        counters["piece"] = counters.get("piece", 0) + 1
        self.meshes[mesh.content_hash] = mesh
        row = Piece(id=f"piece-{counters['piece']}", name=name, mesh=mesh.content_hash, facts=facts(mesh))
        self.snapshot = self.snapshot.with_edits([Edit(None, row)], counters)
        return row.id


@pytest.fixture
def sheet() -> Sheet:
    """A dense ball on the shelf, and a finely divided wall that stands in a course and a row."""
    made = Sheet()
    made.do("add_shape", shape={"kind": "box", "width": 1.0}, position=(0, 0, -20))
    ball = made.keep(bumpy_ball(32), "Ball")
    made.do("place_piece", ball, position=(0, 0, 5))
    made.do(
        "add_shape",
        shape={"kind": "box", "width": 4.0, "height": 2.0, "depth": 0.5, "along_x": 8, "along_y": 6, "along_z": 4},
    )
    return made


def ball(sheet: Sheet) -> Piece:
    found: Piece = sheet.row("piece-2")
    return found


def seams(sheet: Sheet, piece: str, **how: object) -> np.ndarray:
    row: Piece = sheet.row(piece)
    draft = Draft(sheet.snapshot, "level-1", sheet.load)
    found: np.ndarray = seam_vertices(draft, row, sheet.load(row.mesh), Seams.model_validate(how))
    return found


def test_a_ladder_stays_with_its_piece_and_tells_what_is_measured(sheet: Sheet) -> None:
    targets = [
        {"kind": "share", "value": 50.0},
        {"kind": "deviation", "value": 20.0},
        {"kind": "pixels", "value": 1.0, "distance": 40.0},
        {"kind": "count", "value": 100},
    ]
    change = sheet.do("make_ladder", "piece-2", rungs=targets, recipe="Trial")
    made = ball(sheet).ladder
    assert made is not None
    assert (made.source, made.recipe) == (ball(sheet).mesh, "Trial")
    whole = sheet.load(made.source)
    for rung in made.rungs:
        mesh = sheet.load(rung.mesh)
        away = deviation(whole, mesh)
        # what is proven of a target is known beside what is measured
        target = rung.target.meant().deviation()
        assert (rung.largest, rung.rms) == (min(away.largest, target or away.largest), away.rms)
        assert rung.largest >= away.met == rung.met
        assert rung.triangles == mesh.triangle_count
    assert made.rungs[0].triangles == whole.triangle_count // 2
    assert made.rungs[1].largest <= 0.020
    assert made.rungs[2].good_from <= 40.0
    assert made.rungs[3].triangles == 100
    assert change.note.startswith("Ball: ")


def test_a_ladder_goes_stale_and_is_made_again_in_one_action(sheet: Sheet) -> None:
    sheet.do("make_ladder", "piece-2", rungs=[{"kind": "share", "value": 25.0}])
    before = ball(sheet).ladder
    sheet.do("slim", "piece-2", result="same piece", share=60.0)
    now = ball(sheet)
    assert now.ladder == before
    assert now.ladder is not None
    assert now.ladder.source != now.mesh, "stale, and kept"
    sheet.do("remake_ladder", "placement-2")
    again = ball(sheet).ladder
    assert again is not None
    assert again.source == now.mesh
    assert again.rungs[0].target == before.rungs[0].target
    assert again.rungs[0].triangles < before.rungs[0].triangles
    with pytest.raises(SelectionError, match="make one first"):
        sheet.do("remake_ladder", "piece-1")


def test_a_rung_becomes_a_piece_or_takes_its_place(sheet: Sheet) -> None:
    sheet.do("make_ladder", "piece-2")
    rungs = ball(sheet).ladder.rungs
    sheet.do("take_rung", "placement-2", rung=2)
    new: Piece = sheet.row(sheet.row("placement-2").piece)
    assert (new.id, new.mesh, new.ladder) == ("piece-4", rungs[1].mesh, None)
    assert new.slim is not None
    assert new.slim.largest == rungs[1].largest
    sheet.do("take_rung", "piece-2", rung=3, result="same piece")
    assert ball(sheet).mesh == rungs[2].mesh
    with pytest.raises(SelectionError, match="3 rungs"):
        sheet.do("take_rung", "piece-2", rung=4)


@pytest.mark.parametrize(
    "rungs",
    [
        [],
        [{"kind": "share", "value": 0}],
        [{"kind": "share", "value": -3}],
        [{"kind": "pixels", "value": 1, "distance": 0}],
        [{"kind": "deviation", "value": 1e300}],
        [{"kind": "count", "value": float("nan")}],
        [{"kind": "share", "value": 50.0}] * 13,
    ],
)
def test_rungs_that_cannot_be_meant_change_nothing(sheet: Sheet, rungs: list[object]) -> None:
    before = ball(sheet)
    with pytest.raises(AbleBrickError):
        sheet.do("make_ladder", "piece-2", rungs=rungs)
    assert ball(sheet) == before


def test_neighbours_seams_are_found_and_stay_on_every_rung(sheet: Sheet) -> None:
    assert not seams(sheet, "piece-3").any(), "a closed piece that stands alone"
    sheet.do("line_array", "placement-3", count=3, axis="x", spacing=1.0)
    found = seams(sheet, "piece-3")
    wall: Piece = sheet.row("piece-3")
    points = sheet.load(wall.mesh).positions
    outline = on_sides(points, ["-x", "+x"]) & on_sides(points, ["-y", "+y", "-z", "+z"])
    assert (found == outline).all(), "what is inside of faces that lie on one another is hidden"
    assert not seams(sheet, "piece-3", found=False).any()
    assert (seams(sheet, "piece-3", found=False, sides=("+y",)) == on_sides(points, ["+y"])).all()
    sheet.do("make_ladder", "piece-3", rungs=[{"kind": "share", "value": 40.0}, {"kind": "count", "value": 10}])
    ladder = sheet.row("piece-3").ladder
    assert ladder.kept == int(found.sum())
    wanted = {p.tobytes() for p in points[found]}
    for rung in ladder.rungs:
        assert wanted <= {p.tobytes() for p in sheet.load(rung.mesh).positions}
    assert not ladder.rungs[1].reached


def outlines(sheet: Sheet, piece: str) -> tuple[np.ndarray, np.ndarray]:
    """(V) the seams of a piece in its row, and the vertices of its box's twelve edges that end at its ±x sides."""
    points = sheet.load(sheet.row(piece).mesh).positions
    return seams(sheet, piece), on_sides(points, ["-x", "+x"]) & on_sides(points, ["-y", "+y", "-z", "+z"])


@pytest.mark.parametrize("count", [2, 65, 66, 400])
def test_every_item_of_a_row_is_looked_at(sheet: Sheet, count: int) -> None:
    """The one neighbour of another kind stands at the far end, turned, and touches the last item alone."""
    sheet.do("line_array", "placement-3", count=count, axis="x", spacing_by="metres", spacing=4.0)
    assert np.array_equal(*outlines(sheet, "piece-3"))
    far = sheet.do("place_piece", "piece-1", position=(4.0 * (count - 1), 2.0, 0.0), turn=(0, 30.0, 0)).select[0]
    before = outlines(sheet, "piece-3")[0]
    assert sheet.row(far).position == (4.0 * (count - 1), 2.0, 0.0)
    sheet.do("delete", far)
    sheet.do("place_piece", "piece-3", position=(4.0 * (count - 1), 2.0, 0.0))
    found = outlines(sheet, "piece-3")[0]
    points = sheet.load(sheet.row("piece-3").mesh).positions
    rim = on_sides(points, ["-y", "+y"]) & on_sides(points, ["-x", "+x", "-z", "+z"])
    assert (found == before | rim).all()


def test_a_vertex_on_a_neighbours_edge_stays_and_so_do_the_ends_of_that_edge(sheet: Sheet) -> None:
    """A wall of 4 m in 8 parts beside one of 4 m in 3: none of the inner vertices meet, but all lie on edges."""
    sheet.do(
        "add_shape",
        shape={"kind": "box", "width": 4.0, "height": 2.0, "depth": 0.5, "along_x": 3, "along_y": 5, "along_z": 3},
        position=(0.0, 0.0, 0.5),
    )
    for piece, side in (("piece-3", "+z"), ("piece-4", "-z")):
        points = sheet.load(sheet.row(piece).mesh).positions
        rim = on_sides(points, [side]) & on_sides(points, ["-x", "+x", "-y", "+y"])
        assert seams(sheet, piece)[rim].all()
    sheet.do("make_ladder", "piece-3", rungs=[{"kind": "count", "value": 20}])
    sheet.do("make_ladder", "piece-4", rungs=[{"kind": "count", "value": 20}])
    for piece, side in (("piece-3", "+z"), ("piece-4", "-z")):
        row = sheet.row(piece)
        points = sheet.load(row.mesh).positions
        rim = on_sides(points, [side]) & on_sides(points, ["-x", "+x", "-y", "+y"])
        left = {p.tobytes() for p in sheet.load(row.ladder.rungs[0].mesh).positions}
        assert {p.tobytes() for p in points[rim]} <= left


def test_a_thin_item_between_two_neighbours_keeps_both_its_ends(sheet: Sheet) -> None:
    """All four corners of its faces meet somebody, but nobody has a face there."""
    sheet.do("add_shape", shape={"kind": "box", "width": 4.0, "height": 2.0, "depth": 0.5}, position=(50, 0, 0))
    sheet.do("line_array", "placement-4", count=5, axis="x", spacing_by="metres", spacing=4.0)
    assert seams(sheet, "piece-4").all()


def test_a_course_of_rungs_that_alternate_has_no_crack(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": (0, 0, 20)}, {"position": (16, 0, 20)}])
    sheet.do("lay_course", "path-1", piece="piece-3")
    sheet.do("make_ladder", "piece-3", rungs=[{"kind": "share", "value": 60.0}, {"kind": "share", "value": 30.0}])
    wall: Piece = sheet.row("piece-3")
    meshes = [sheet.load(wall.mesh), *(sheet.load(r.mesh) for r in wall.ladder.rungs)]
    assert len({m.triangle_count for m in meshes}) == 3
    right = [m.positions[on_sides(m.positions, ["+x"])] for m in meshes]
    left = [m.positions[on_sides(m.positions, ["-x"])] for m in meshes]
    for one in right[1:]:
        assert {p.tobytes() for p in one} == {p.tobytes() for p in right[0]}
    for one in left[1:]:
        assert {p[1:].tobytes() for p in one} == {p[1:].tobytes() for p in right[0]}


def test_open_borders_are_seams(sheet: Sheet) -> None:
    key = sheet.keep(waves(20), "Waves")
    found = seams(sheet, key)
    t = topology(sheet.load(sheet.row(key).mesh))
    assert found[t.edges[t.edge_uses == 1]].all()
    assert found.sum() == 80


def test_a_shared_budget_counts_pieces_by_how_often_they_stand(sheet: Sheet) -> None:
    other = sheet.keep(bumpy_ball(24), "Other ball")
    for k in range(3):
        sheet.do("place_piece", other, position=(3 * k, 0, 9))
    pieces = [ball(sheet), sheet.row(other)]
    total = pieces[0].facts.triangles + 3 * pieces[1].facts.triangles
    sheet.do("share_budget", "piece-2", other, share=40.0)
    now = [ball(sheet), sheet.row(other)]
    used = now[0].facts.triangles + 3 * now[1].facts.triangles
    assert 0.4 * total - 2 * 3 <= used <= round(0.4 * total)
    assert all(n.slim is not None for n in now)
    with pytest.raises(GeometryError, match="leave at least"):
        sheet.do("share_budget", "piece-2", other, target="count", triangles=4)


def test_slimming_by_deviation_and_by_pixels(sheet: Sheet) -> None:
    sheet.do("slim", "piece-2", target="deviation", deviation=10.0)
    by_metres: Piece = sheet.row("piece-4")
    assert by_metres.slim is not None
    assert 0 < by_metres.slim.largest <= 0.010
    sheet.do("slim", "piece-2", target="pixels", pixels=2.0, distance=20.0)
    by_pixels: Piece = sheet.row("piece-5")
    assert by_pixels.slim is not None
    assert by_pixels.slim.largest <= 2 * 2 * 20 * np.tan(np.radians(30)) / 1080


def test_another_piece_is_a_rung_and_stays_when_the_others_are_made_again(sheet: Sheet) -> None:
    other = sheet.keep(bumpy_ball(9), "By hand")
    sheet.do("set_pivot", other, place="box")
    sheet.do("set_pivot", "piece-2", place="box")
    sheet.do("make_ladder", "piece-2", rungs=[{"kind": "share", "value": 50.0}, {"kind": "count", "value": 60}])
    change = sheet.do("piece_as_rung", "piece-2", piece=other)
    made = ball(sheet).ladder
    assert made is not None
    assert [r.brought for r in made.rungs] == ["", "By hand", ""]
    assert "rung 2" in change.note
    rung = sheet.load(made.rungs[1].mesh)
    assert rung.bounds[0][1] == pytest.approx(sheet.load(ball(sheet).mesh).bounds[0][1], abs=1e-9)
    assert made.rungs[1].largest == deviation(sheet.load(made.source), rung).largest
    sheet.do("slim", "piece-2", result="same piece", share=80.0)
    sheet.do("remake_ladder", "piece-2")
    again = ball(sheet).ladder
    assert again is not None
    assert [r.brought for r in again.rungs] == ["", "By hand", ""]
    assert again.rungs[1].mesh == made.rungs[1].mesh
    assert again.rungs[1].largest == deviation(sheet.load(again.source), rung).largest
    with pytest.raises(SelectionError, match="rung of itself"):
        sheet.do("piece_as_rung", "piece-2", piece="piece-2")


def test_picked_vertices_stay_on_every_rung_until_they_are_let_go(sheet: Sheet) -> None:
    whole = sheet.load(ball(sheet).mesh)
    sheet.do("keep_vertices", "placement-2", on={"thing": "placement-2", "kind": "vertex", "index": 5, "face": 0})
    sheet.do("keep_vertices", "placement-2", on={"thing": "placement-2", "kind": "face", "index": 40, "face": 40})
    assert len(ball(sheet).kept) == 5
    sheet.do("make_ladder", "piece-2", rungs=[{"kind": "count", "value": 60}])
    made = ball(sheet).ladder
    assert made is not None
    low = {tuple(p) for p in sheet.load(made.rungs[0].mesh).positions}
    assert {
        tuple(p) for p in whole.positions[[5, *whole.corners[whole.face_starts[40] : whole.face_starts[41]]]]
    } <= low
    sheet.do("keep_vertices", "placement-2", on={"thing": "placement-2", "kind": "face", "index": 40, "face": 40})
    assert ball(sheet).kept == (tuple(whole.positions[5]),)
    with pytest.raises(AbleBrickError, match="has no vertex"):
        sheet.do("keep_vertices", "placement-2", on={"thing": "placement-2", "kind": "vertex", "index": 10**6})
