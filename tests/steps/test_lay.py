"""Courses, arrays, copies, mirrors, scatter and paths by steps: what they make, what follows, what is refused."""

from __future__ import annotations

import contextlib

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from able_brick.core.errors import AbleBrickError
from able_brick.core.place.items import item_to_world
from able_brick.core.place.mirror import Reflection, mirrored, symmetries
from able_brick.core.place.scatter import Ranges, scattered, spread_over
from able_brick.core.shapes.box import box
from able_brick.core.text import millimetres
from able_brick.level.drawn import drawn, glb_of
from able_brick.level.evaluate import items_of, shown_items
from able_brick.level.rows import Array, Course, Group, Path, Placement, Strewn
from able_brick.session.delta import derived_items, level_delta
from able_brick.session.history import history_view
from tests.steps.test_steps import Sheet
from tests.zoo import ZOO

CORNERED = [{"position": p} for p in ((0, 0, 0), (20, 0, 0), (20, 0, 20))]
SMOOTH = [{"position": p} for p in ((0, 0, 0), (14, 0, 6), (30, 0, -4))]
number = st.floats(-20, 20)
vec = st.tuples(number, number, number)


@pytest.fixture
def sheet() -> Sheet:
    """A wall (piece-1), a post (piece-2) and a letter, no mirror image of itself (piece-3), each placed once."""
    made = Sheet()
    made.do("add_shape", shape={"kind": "box", "width": 4.0, "height": 3.0, "depth": 0.6}, name="Wall")
    made.do("add_shape", shape={"kind": "box", "width": 0.4, "height": 4.0, "depth": 0.4}, name="Post")
    made.do("add_shape", shape={"kind": "lettering", "text": "F", "height": 1.0, "depth": 0.4}, name="Letter")
    return made


def placements(sheet: Sheet) -> int:
    return sheet.summary().placements


# -- courses -


def test_a_wall_round_a_corner_has_posts_a_gate_and_a_gap_and_follows(sheet: Sheet) -> None:
    sheet.do("draw_path", points=CORNERED, smooth=False)
    laid = sheet.do(
        "lay_course", "path-1", piece="piece-1", first="piece-2", last="piece-2", corner="piece-2", bend=True
    )
    assert "ends closed exactly" in laid.note
    (course,) = laid.select or ()
    before = items_of(sheet.snapshot, sheet.row(course))
    assert before is not None
    sheet.do("swap_items", course, piece="piece-3", items=[2])
    sheet.do("swap_items", course, becomes="nothing", items=[4])
    row = sheet.row(course)
    assert row.pieces == ("piece-1", "piece-2", "piece-3")
    shown = items_of(sheet.snapshot, row)
    assert shown is not None
    assert shown.item(4) is None
    look, _ = shown.item(2) or pytest.fail("the gate is not there")
    assert look.piece.id == "piece-3"
    sheet.do("path_points", "path-1", does="put in", at=1.5)
    points = [p.model_dump() for p in sheet.row("path-1").points]
    points[2]["position"] = (26.0, 0.0, 10.0)
    sheet.do("edit_path", "path-1", points=points, smooth=False)
    now = items_of(sheet.snapshot, sheet.row(course))
    assert now is not None
    assert now.count != shown.count
    assert (now.item(2) or pytest.fail("the gate went"))[0].piece.id == "piece-3"
    sheet.do("swap_items", course, becomes="as usual", items=[2])
    assert sheet.row(course).pieces == ("piece-1", "piece-2")


def test_courses_follow_their_piece_and_count_truly(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=True).select or ()
    shown = items_of(sheet.snapshot, sheet.row(course))
    assert shown is not None
    meshes = [b.look.mesh(sheet.meshes.__getitem__).triangle_count * len(b.numbers) for b in shown.batches]
    lone = sheet.summary().triangles - 12 * 2 - sheet.snapshot.pieces["piece-3"].facts.triangles
    assert lone == sum(meshes)
    sheet.do("set_dimensions", "piece-1", shape={"kind": "box", "width": 2.0, "height": 3.0, "depth": 0.6})
    after = items_of(sheet.snapshot, sheet.row(course))
    assert after is not None
    assert after.count == pytest.approx(2 * shown.count, abs=1)


def test_what_is_drawn_stands_where_the_items_are(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=True).select or ()
    shown = shown_items(sheet.snapshot, sheet.row(course))
    assert shown is not None
    views = drawn(shown, sheet.meshes.__getitem__)
    numbers = sorted(int(n) for v in views for n in v.numbers)
    assert numbers == list(range(shown.count))
    for view in views:
        if view.mesh is not None:
            assert glb_of(view.mesh, sheet.meshes.__getitem__)
        if view.box is not None:
            assert (view.box[0] <= view.box[1]).all()
    again = drawn(shown, sheet.meshes.__getitem__)
    assert [v.mesh for v in again] == [v.mesh for v in views], "the same is called the same"


@pytest.mark.parametrize("bend", [False, True])
def test_made_real_stands_where_it_was_seen(sheet: Sheet, bend: bool) -> None:
    sheet.do("draw_path", points=SMOOTH)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=bend).select or ()
    before = sheet.vertices() if not bend else None
    seen = placements(sheet)
    change = sheet.do("make_real", course)
    (made,) = change.select or ()
    assert course not in sheet.snapshot.of("level-1")
    if bend:
        assert "closed" in change.note
        piece = sheet.snapshot.pieces[sheet.row(made).piece]
        assert piece.facts.closed
    else:
        assert isinstance(sheet.row(made), Group)
        assert placements(sheet) == seen
        assert before is not None
        now = sheet.vertices()
        each = np.concatenate([v for k, v in now.items() if sheet.row(k).group == made])
        assert np.sort(each.reshape(-1, 3), axis=0) == pytest.approx(np.sort(before[course].reshape(-1, 3), axis=0))
    pieces = sheet.do("lay_course", "path-1", piece="piece-1", bend=True)
    real = sheet.do("make_real", (pieces.select or ())[0], result="placements")
    assert isinstance(sheet.row((real.select or ())[0]), Group)


def test_joints_are_shared_and_given_back(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("lay_course", "path-1", piece="piece-1", bend=True)
    sheet.do("lay_course", "path-1", piece="piece-2", bend=True, up=3.0, stations="course-1")
    one, two = (items_of(sheet.snapshot, sheet.row(f"course-{k}")) for k in (1, 2))
    assert one is not None
    assert two is not None
    assert one.count == two.count
    with pytest.raises(AbleBrickError, match="its own"):
        sheet.do("adjust_course", "course-1", piece="piece-1", stations="course-2")
    sheet.do("delete", "course-1")
    assert sheet.row("course-2").stations is None


def test_findings_say_where_and_the_remedy_mends(sheet: Sheet) -> None:
    sheet.do("add_shape", shape={"kind": "box", "width": 2.0, "height": 1.0, "depth": 12.0}, name="Deep")
    points = [{"position": p} for p in ((0, 0, 0), (12, 0, 0), (14, 0, 12))]
    sheet.do("draw_path", points=points)
    sheet.do("lay_course", "path-1", piece="piece-4", bend=True, running="x", corner_angle=180)
    tight = [f for f in sheet.summary().findings if f.code == "tight"]
    assert tight
    assert tight[0].place is not None
    remedy = tight[0].remedy
    assert remedy is not None
    assert "Ease the corner to" in remedy.title
    sheet.do(remedy.tool, *remedy.selection, **remedy.params)
    assert not [f for f in sheet.summary().findings if f.code == "tight"]
    sheet.do("draw_path", points=[{"position": (0, 0, 30)}, {"position": (5.3, 0, 30)}])
    sheet.do("lay_course", "path-2", piece="piece-1")
    (stretch,) = [f for f in sheet.summary().findings if f.code == "stretch"]
    remedy = stretch.remedy
    assert remedy is not None
    sheet.do(remedy.tool, *remedy.selection, **remedy.params)
    assert not [f for f in sheet.summary().findings if f.code == "stretch"]


# -- arrays, groups, live mirrors -


def test_rings_go_round_and_grids_fill(sheet: Sheet) -> None:
    (ring,) = sheet.do("line_array", "placement-2", form="ring", count=6, radius=5.0).select or ()
    row = sheet.row(ring)
    assert isinstance(row, Array)
    poses = row.poses(sheet.snapshot.pieces["piece-2"])
    centre = np.array([5.0, 0.0, 0.0])
    assert np.linalg.norm(poses.positions - centre, axis=1) == pytest.approx(np.full(6, 5.0))
    gaps = np.linalg.norm(poses.positions - np.roll(poses.positions, 1, axis=0), axis=1)
    assert gaps == pytest.approx(np.full(6, 5.0))
    sheet.do("adjust_array", ring, form="ring", count=4, radius=5.0, sweep=90.0, turned=False)
    part = sheet.row(ring).poses(sheet.snapshot.pieces["piece-2"])
    assert (part.turns == part.turns[0]).all()
    sheet.do("adjust_array", ring, form="grid", count=3, rows=2, layers=4)
    grid = sheet.row(ring).poses(sheet.snapshot.pieces["piece-2"])
    assert len(np.unique(np.round(grid.positions, 9), axis=0)) == 24
    assert np.ptp(grid.positions, axis=0) == pytest.approx([0.8, 12.0, 0.4])
    sheet.do("adjust_array", ring, form="line", count=5, spacing_by="fitted", spacing=10.0)
    line = sheet.row(ring).poses(sheet.snapshot.pieces["piece-2"])
    assert np.ptp(line.positions[:, 0]) + 0.4 == pytest.approx(10.0)


def test_groups_repeat_nested_and_what_is_in_them_follows(sheet: Sheet) -> None:
    sheet.do("line_array", "placement-2", count=3, spacing=2.0)
    two = ("array-1", "placement-3")
    (group,) = sheet.do("line_array", *two, form="line", axis="z", count=4, spacing=2.0).select or ()
    assert isinstance(sheet.row(group), Group)
    assert placements(sheet) == 1 + 4 * (3 + 1)
    (outer,) = sheet.do("make_group", group).select or ()
    sheet.do("line_array", outer, count=2, spacing_by="metres", spacing=40.0)
    assert placements(sheet) == 1 + 2 * 4 * (3 + 1)
    before = items_of(sheet.snapshot, sheet.row("placement-3"))
    sheet.do("move", "placement-3", by=(0.0, 1.0, 0.0))
    after = items_of(sheet.snapshot, sheet.row("placement-3"))
    assert before is not None
    assert after is not None
    up = after.batches[0].poses.positions - before.batches[0].poses.positions
    assert up == pytest.approx(np.tile([0.0, 1.0, 0.0], (8, 1)), abs=1e-9)
    sheet.do("swap_items", outer, becomes="nothing", items=[1])
    assert placements(sheet) == 1 + 4 * (3 + 1)
    with pytest.raises(AbleBrickError, match="possible"):
        sheet.do("adjust_array", group, form="grid", count=300, rows=300)
    sheet.do("swap_items", outer, becomes="as usual", items=[1])
    with pytest.raises(AbleBrickError, match="Ask for fewer"):
        sheet.do("adjust_array", group, form="grid", axis="z", count=200, rows=200)
    made = sheet.do("make_real", outer)
    assert "made" in made.note
    sheet.do("end_array", group)
    assert placements(sheet) == 1 + 4 * 4 + 4


def test_what_stays_is_told_when_something_leaves_a_group_that_is_repeated(sheet: Sheet) -> None:
    sheet.do("move", "placement-2", by=(9.0, 0.0, 0.0))
    sheet.do("line_array", "placement-1", "placement-2", count=3)
    load = sheet.meshes.__getitem__
    gone = sheet.do("delete", "placement-2")
    now = derived_items(sheet.snapshot, "level-1", None, load)["placement-1"]
    told = level_delta(
        sheet.snapshot,
        "level-1",
        gone.edits,
        revision=1,
        history=history_view(None),
        select=None,
        note="",
        load=load,
    )
    assert [r.model_dump_json() for r in told.items["placement-1"]] == [r.model_dump_json() for r in now]


def test_a_live_mirror_shows_the_other_half(sheet: Sheet) -> None:
    sheet.do("move", "placement-3", by=(3.0, 0.0, 0.0))
    (half,) = sheet.do("live_mirror", "placement-3", through="point", point=(0.0, 0.0, 0.0)).select or ()
    shown = items_of(sheet.snapshot, sheet.row("placement-3"))
    assert shown is not None
    assert shown.count == 2
    world = sheet.vertices()["placement-3"]
    image = world[0] * (-1, 1, 1)
    assert {tuple(p) for p in np.round(image, 9)} == {tuple(p) for p in np.round(world[1], 9)}
    for batch in shown.batches:
        assert (batch.poses.sizes > 0).all()
    sheet.do("end_array", half)
    assert len(sheet.vertices()["placement-3"]) == 1


def test_single_items_of_arrays_are_swapped(sheet: Sheet) -> None:
    (row,) = sheet.do("line_array", "placement-1", count=5).select or ()
    sheet.do("swap_items", row, piece="piece-2", items=[1])
    sheet.do("swap_items", row, becomes="nothing", items=[3])
    shown = items_of(sheet.snapshot, sheet.row(row))
    assert shown is not None
    found = [shown.item(k) for k in range(5)]
    assert [f and f[0].piece.name for f in found] == ["Wall", "Post", "Wall", None, "Wall"]
    sheet.do("swap_items", row, becomes="as usual", items=[1, 3])
    one = sheet.do("make_real", row, result="one mesh")
    assert "One mesh" in one.note
    facts = sheet.snapshot.pieces[sheet.row((one.select or ())[0]).piece].facts
    assert facts.closed
    assert facts.faces == 5 * 6 - 4 * 2


def test_what_bends_does_not_reach_beyond_its_path(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": p} for p in ((0, 0, 0), (2.5, 0, 0), (2.5, 0, 2.5))], smooth=False)
    for params in ({"fit": "spacing", "spacing": 3.0}, {"fit": "number", "number": 1}):
        sheet.do("lay_course", "path-1", piece="piece-1", corner_angle=45.0, **params)
        with pytest.raises(AbleBrickError, match=r"4\.00 m long, and what it is to bend along 2\.50 m\. Fill"):
            sheet.do("lay_course", "path-1", piece="piece-1", corner_angle=45.0, bend=True, **params)
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (10, 0, 0)}])
    params = {"piece": "piece-2", "pattern": ["piece-1"], "fit": "spacing", "spacing": 3.0}
    sheet.do("lay_course", "path-2", **params)
    with pytest.raises(AbleBrickError, match=r"reach 1\.20 m beyond"):
        sheet.do("lay_course", "path-2", bend=True, **params)
    # nor does a path become too short for what bends along it
    sheet.do("lay_course", "path-2", piece="piece-1", fit="spacing", spacing=3.0, bend=True)
    with pytest.raises(AbleBrickError, match=r"bend along 3\.00 m"):
        sheet.do("set_path_length", "path-2", length=3.0)


def test_a_path_that_turns_back_is_told_of_what_stands_on_it(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": p} for p in ((0, 0, 0), (20, 0, 0), (0, 0, 0.5))], smooth=False)
    for bend in (False, True):
        (laid,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=bend, corner_angle=180.0).select or ()
        (told,) = [f for f in sheet.summary().findings if f.thing == laid and f.label.startswith("turns")]
        assert told.label == "turns 179°"
        assert told.place == pytest.approx((20, 0, 0))


def test_next_to_nothing_is_told_as_people_write_it(sheet: Sheet) -> None:
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (0.0034, 0, 0)}])
    note = sheet.do("lay_course", "path-1", piece="piece-1").note
    assert "stretch to 0.085 % of the length" in note
    (told,) = sheet.summary().findings
    assert "stretched to 0.085 % of the length on 3.4 mm; 4.00 m or 8.00 m would fit" in told.text
    assert [millimetres(v) for v in (0.22, 0.0083, 0.00000123, 12.5, 0.0)] == [
        "220 mm",
        "8.3 mm",
        "0.0012 mm",
        "12.50 m",
        "0 mm",
    ]


# -- copies -


@given(vec, st.tuples(*[st.floats(-90, 90)] * 3), st.floats(0.8, 1.2), vec)
@settings(max_examples=30, deadline=None)
def test_stepped_copies_agree_with_their_formula(offset, degrees, factor, about) -> None:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box"}, position=(1.0, 2.0, 3.0), heading=30.0)
    x0, r0 = np.array(sheet.row("placement-1").position), Rotation.from_quat(sheet.row("placement-1").turn)
    made = sheet.do(
        "stepped_copies",
        "placement-1",
        count=4,
        offset=offset,
        turn=degrees,
        size=(factor, factor, factor),
        about_what="point",
        point=about,
    ).select
    c, t, r = np.array(about), np.array(offset), np.radians(degrees)
    for k, key in enumerate(made or (), 1):
        row = sheet.row(key)
        turn = Rotation.from_rotvec(k * r)
        assert row.position == pytest.approx(c + turn.apply(x0 - c) + k * t, abs=1e-9)
        assert (Rotation.from_quat(row.turn) * (turn * r0).inv()).magnitude() < 1e-9
        assert row.size == pytest.approx(np.full(3, factor**k))


@given(
    vec,
    st.tuples(*[st.floats(-60, 60)] * 3),
    st.sampled_from([(1.0, 1.0, 1.0), (1.1, 1.1, 1.1), (1.2, 1.0, 0.9)]),
    st.sampled_from(["own pivot", "point", "middle"]),
    st.booleans(),
    st.integers(1, 3),
)
@settings(max_examples=15, deadline=None)
def test_one_more_goes_on_as_the_copies_went(offset, degrees, size, about_what, grouped, more) -> None:
    """Two copies, and some more one by one or together, stand where all in one go do."""
    assume(any(offset))

    def stood(count: int, steps: list[int]) -> dict[str, np.ndarray]:
        sheet = Sheet()
        sheet.do("add_shape", shape={"kind": "wedge"}, position=(1.0, 2.0, 3.0), heading=30.0)
        what = "placement-1"
        if grouped:
            sheet.do("add_shape", shape={"kind": "box"}, position=(2.5, 2.0, 3.5), heading=30.0)
            sheet.do("make_group", "placement-1", "placement-2")
            what = "group-1"
        params = {"offset": offset, "turn": degrees, "size": size, "about_what": about_what, "point": (3.0, -1.0, 2.0)}
        if grouped and len(set(size)) > 1:  # along its own axes the things in it stand askew
            params["size"] = (1.1, 1.1, 1.1)
        (*_, last) = sheet.do("stepped_copies", what, count=count, **params).select or ()
        for count in steps:
            (last,) = sheet.do("one_more", last, count=count).select or ()
        return sheet.vertices()

    wanted = stood(2 + more, [])
    for steps in ([more], [1] * more):
        found = stood(2, steps)
        assert found.keys() == wanted.keys()
        for key, points in wanted.items():
            assert found[key] == pytest.approx(points, abs=1e-6)


def test_one_more_goes_on_from_the_last_copy_as_it_is_now(sheet: Sheet) -> None:
    with pytest.raises(AbleBrickError, match="no last copy"):
        sheet.do("one_more", "placement-1")
    (copy,) = sheet.do("duplicate", "placement-1", distance=5.0).select or ()
    sheet.do("turn", copy, angle=90.0)
    chosen = copy
    for _ in range(4):
        (chosen,) = sheet.do("one_more", chosen).select or ()
    last = sheet.row(chosen)
    assert last.position == pytest.approx((0, 0, 0), abs=1e-9) or len(sheet.snapshot.of("level-1")) == 8
    # a quarter turn each time about where the copies lead: after four the place comes again
    assert (Rotation.from_quat(last.turn) * Rotation.from_euler("y", -450, degrees=True)).magnitude() < 1e-9
    (other,) = sheet.do("one_more", "placement-2").select or ()
    assert sheet.row(other).piece == "piece-2"


def test_paths_are_copied_with_their_courses_wherever_they_are(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("lay_course", "path-1", piece="piece-1", bend=True)
    (group,) = sheet.do("make_group", "path-1").select or ()
    made = sheet.do("stepped_copies", group, count=2, offset=(0.0, 0.0, 20.0)).select
    assert len(made or ()) == 2
    courses = [t for t in sheet.snapshot.of("level-1").values() if isinstance(t, Course)]
    assert len({c.path for c in courses}) == 3
    own = sheet.do("duplicate", group, distance=-20.0, axis="z", linked=False)
    fresh = [e.after for e in own.edits if e.before is None and isinstance(e.after, Course)]
    assert len(fresh) == 1
    assert fresh[0] is not None
    assert fresh[0].pieces != ("piece-1",)


# -- mirrors -


@pytest.mark.parametrize("name", ZOO)
def test_a_mesh_mirrored_twice_is_itself_to_the_bit(name: str) -> None:
    mesh = ZOO[name]()
    assert mirrored(mirrored(mesh)).content_hash == mesh.content_hash
    once = mirrored(mesh)
    assert (once.positions[:, 0] == -mesh.positions[:, 0]).all()
    assert (once.corners[once.face_starts[:-1]] == mesh.corners[mesh.face_starts[:-1]]).all()


@given(vec, st.sampled_from([(1.0, 0, 0), (0, 1.0, 0), (0, 0, 1.0)]), st.integers(0, 2))
@settings(max_examples=50, deadline=None)
def test_a_stand_mirrored_twice_in_a_plane_through_the_origin_is_itself_to_the_bit(position, normal, axis) -> None:
    over = Reflection(np.zeros(3), np.array(normal))
    there = over.point(position)
    assert over.point(there) == tuple(v + 0.0 for v in position)
    turn = (0.1, 0.2, 0.3, float(np.sqrt(1 - 0.14)))
    assert over.turn(over.turn(turn, axis), axis) == turn


def test_symmetric_forms_are_known() -> None:
    assert symmetries(box(1, 2, 3)) == (True, True, True)
    assert symmetries(ZOO["wedge"]() if "wedge" in ZOO else box(1, 1, 1))[1] in (True, False)


def test_mirrored_things_show_a_twin_that_is_kept_up(sheet: Sheet) -> None:
    coil = {"kind": "helix", "turns": 1.3, "section_sides": 5}
    sheet.do("add_shape", shape=coil, name="Coil", position=(4.0, 0.0, 0.0))
    (image,) = sheet.do("mirror", "placement-4", across=["x"], about_what="point").select or ()
    row = sheet.row(image)
    assert isinstance(row, Placement)
    assert min(row.size) > 0
    twin = sheet.snapshot.pieces[row.piece]
    assert twin.twin == "piece-4"
    assert twin.name == "Coil mirrored"
    world = sheet.vertices()
    assert {tuple(p) for p in np.round(world["placement-4"][0] * (-1, 1, 1), 9) + 0.0} == {
        tuple(p) for p in np.round(world[image][0], 9) + 0.0
    }
    sheet.do("mirror", image, across=["x"], about_what="point", copy_it=False)
    assert sheet.row(image).piece == "piece-4"
    assert sheet.row(image).position == sheet.row("placement-4").position
    sheet.do("mirror", image, across=["z"], about_what="middle", copy_it=False)
    assert sheet.row(image).piece == twin.id, "the twin is made once"
    sheet.do("set_dimensions", "piece-4", shape={**coil, "turns": 2.5})
    now = sheet.snapshot.pieces[twin.id]
    assert now.mesh != twin.mesh
    assert now.facts.triangles == sheet.snapshot.pieces["piece-4"].facts.triangles
    before = sheet.vertices()
    sheet.do("set_pivot", "piece-4", place="typed", point=(0.3, 0.1, 0.2))
    for key, points in sheet.vertices().items():
        assert points == pytest.approx(before[key], abs=1e-9), "the twin's placements stay as well"
    # a wall is its own mirror image: no twin is made
    kit = len(sheet.snapshot.pieces)
    sheet.do("mirror", "placement-1", across=["x", "z"], about_what="point", point=(9.0, 0.0, 9.0))
    assert len(sheet.snapshot.pieces) == kit


def test_paths_courses_and_groups_are_mirrored_whole(sheet: Sheet) -> None:
    # all its faces are convex: concave ones are cut into triangles, which their image need not be alike
    wedge = {"kind": "wedge", "width": 2.0, "height": 1.0, "depth": 0.7}
    sheet.do("add_shape", shape=wedge, name="Wedge")
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("lay_course", "path-1", piece="piece-4", bend=True, sideways=1.5)
    (group,) = sheet.do("make_group", "path-1").select or ()
    sheet.do("mirror", group, across=["z"], about_what="point")
    (other,) = [t.id for t in sheet.snapshot.of("level-1").values() if isinstance(t, Course) and t.id != "course-1"]
    before, after = _points(sheet, "course-1") * (1, 1, -1), _points(sheet, other)
    assert {tuple(p) for p in np.round(before, 6) + 0.0} == {tuple(p) for p in np.round(after, 6) + 0.0}


def _points(sheet: Sheet, thing: str) -> np.ndarray:
    """World vertices (n,3) of all items of a thing."""
    shown = items_of(sheet.snapshot, sheet.row(thing))
    assert shown is not None
    found = [f for f in (shown.item(k) for k in range(shown.count)) if f is not None]
    load = sheet.meshes.__getitem__
    return np.concatenate([item_to_world(lk.mesh(load).positions, p, lk.pivot, lk.axes) for lk, p in found])


# -- scatter -


def test_scatter_is_stable_when_a_thing_is_added(sheet: Sheet) -> None:
    ranges = Ranges((1.0, 0.0, 1.0), (0.0, 180.0, 0.0), (0.8, 1.2))
    first = scattered(7, "placement-1", ranges)
    assert np.array_equal(first[0], scattered(7, "placement-1", ranges)[0])
    assert not np.array_equal(first[0], scattered(8, "placement-1", ranges)[0])
    one = sheet.do("scatter", "placement-1", "placement-2", seed=3, offset=(1.0, 0.0, 1.0))
    two = Sheet.do(
        _again(sheet), "scatter", "placement-1", "placement-2", "placement-3", seed=3, offset=(1.0, 0.0, 1.0)
    )
    for key in ("placement-1", "placement-2"):
        assert {e.id: e.after for e in one.edits}[key] == {e.id: e.after for e in two.edits}[key]
    assert sheet.row("placement-1").size == (1.0, 1.0, 1.0), "nothing changes size unless asked"


def _again(like: Sheet) -> Sheet:
    out = Sheet()
    for name, w, h, d in (("Wall", 4.0, 3.0, 0.6), ("Post", 0.4, 4.0, 0.4)):
        out.do("add_shape", shape={"kind": "box", "width": w, "height": h, "depth": d}, name=name)
    out.do("add_shape", shape={"kind": "lettering", "text": "F", "height": 1.0, "depth": 0.4}, name="Letter")
    assert out.snapshot.pieces.keys() == like.snapshot.pieces.keys()
    return out


@given(st.floats(0.2, 1.5), st.floats(0.5, 6.0), st.integers(0, 1000))
@settings(max_examples=25, deadline=None)
def test_strewn_points_keep_their_smallest_distance(apart: float, density: float, seed: int) -> None:
    triangles = np.array([[(0, 0, 0), (8, 0, 0), (8, 1, 8)], [(0, 0, 0), (8, 1, 8), (0, 1, 8)]], np.float64)
    points, _ = spread_over(triangles, density=density, apart=apart, seed=seed, most=10_000)
    away = np.linalg.norm(points[:, None] - points[None], axis=2) + np.eye(len(points)) * 99
    assert away.min() >= apart * (1 - 1e-9)
    assert len(points) <= round(density * 64.6) + 1


def _settings(strewn: Strewn) -> dict[str, object]:
    return {k: v for k, v in dict(strewn).items() if k not in ("pieces", "thing", "item", "face")}


def test_things_are_strewn_over_a_face_and_dropped(sheet: Sheet) -> None:
    made = sheet.do(
        "strew", "piece-2", on={"thing": "placement-1", "kind": "face", "face": 1}, density=4.0, apart=0.3, seed=2
    )
    (group,) = made.select or ()
    inside = sheet.snapshot.of("level-1").inside(group)
    assert len(inside) > 3
    sheet.do("scatter", *(t.id for t in inside[:2]), offset=(0.1, 0.0, 0.1), drop="along the normal")
    # it is strewn otherwise later on, over the face as it is then; what else was put into the group stays
    sheet.do("put_into_group", "placement-3", into=group)
    sheet.do("move", "placement-1", by=(0, 2, 0))
    row = sheet.row(group)
    assert isinstance(row, Group) and row.strewn is not None
    sheet.do("strew_again", group, **_settings(row.strewn))
    again = [t for t in sheet.snapshot.of("level-1").inside(group) if t.id != "placement-3"]
    assert [t.anchor for t in again[2:]] == [pytest.approx(np.add(t.anchor, (0, 2, 0))) for t in inside[2:]]
    assert {t.id for t in inside}.isdisjoint({t.id for t in again})
    sheet.do("strew_again", group, **{**_settings(row.strewn), "density": 8.0})
    again = sheet.snapshot.of("level-1").inside(group)
    assert len(again) > len(inside) + 1
    assert "placement-3" in {t.id for t in again}
    sheet.do("set_marks", again[-1].id, lock=True)
    with pytest.raises(AbleBrickError, match="lock"):
        sheet.do("strew_again", group, **_settings(row.strewn))
    with pytest.raises(AbleBrickError, match="not strewn"):
        sheet.do("strew_again", (sheet.do("make_group", "placement-1").select or ("",))[0])
    field = np.array([[(0, 0, 0), (90, 0, 0), (0, 0, 90)]], np.float64)
    with pytest.raises(AbleBrickError, match="Ask for fewer"):
        spread_over(field, density=99.0, apart=0.0, seed=1, most=20_000)


# -- paths -


@pytest.mark.parametrize(
    ("form", "length", "closed"),
    [
        ("line", 20.0, False),
        ("rectangle", 60.0, True),
        ("circle", 2 * np.pi * 8, True),
        ("arc", np.pi * 4, False),
        ("S", None, False),
    ],
)
def test_starters_have_their_measures(sheet: Sheet, form: str, length: float | None, closed: bool) -> None:
    (made,) = sheet.do("path_starter", form=form, length=20.0, width=10.0, position=(3.0, 1.0, 2.0)).select or ()
    row = sheet.row(made)
    assert isinstance(row, Path)
    assert row.closed == closed
    if length is not None:
        assert row.curve().length == pytest.approx(length, rel=1e-5)
    else:
        ends = np.subtract(row.points[-1].position, row.points[0].position)
        assert ends == pytest.approx([20.0, 0.0, 10.0])
        assert not (row.guide(upright=False).corner_turns > 1e-4).any()


def test_points_are_put_in_without_changing_the_curve(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    before = sheet.row("path-1").curve()
    sheet.do("path_points", "path-1", does="put in", at=0.37)
    after = sheet.row("path-1").curve()
    assert after.length == pytest.approx(before.length, rel=1e-9)
    assert after.span_count == before.span_count + 1
    sheet.do("path_points", "path-1", does="take out", points=[1])
    assert len(sheet.row("path-1").points) == 3
    sheet.do("path_points", "path-1", does="make sharp", points=[1])
    assert (sheet.row("path-1").guide(upright=False).corner_turns > 0.1).any()
    sheet.do("path_points", "path-1", does="make smooth", points=[1])
    assert not (sheet.row("path-1").guide(upright=False).corner_turns > 1e-3).any()
    sheet.do("path_points", "path-1", does="lean", points=[1], roll=20.0)
    assert sheet.row("path-1").points[1].roll == 20.0
    with pytest.raises(AbleBrickError, match="needs 2"):
        sheet.do("path_points", "path-1", does="take out", points=[0, 1])


def test_corners_are_rounded_to_an_exact_radius(sheet: Sheet) -> None:
    sheet.do("draw_path", points=CORNERED, smooth=False)
    sheet.do("fillet", "path-1", radius=3.0)
    row = sheet.row("path-1")
    assert row.curve().smallest_radius == pytest.approx(3.0, rel=1e-2)
    assert row.curve().length == pytest.approx(40 - 6 + np.pi * 1.5, rel=1e-5)
    sheet.do("draw_path", points=CORNERED, smooth=False)
    with pytest.raises(AbleBrickError, match=r"up to 20\.00 m"):
        sheet.do("fillet", "path-2", radius=21.0)


def test_paths_are_reversed_split_joined_and_lengthened(sheet: Sheet) -> None:
    sheet.do("draw_path", points=SMOOTH)
    whole = sheet.row("path-1").curve().length
    sheet.do("reverse_path", "path-1")
    assert sheet.row("path-1").points[0].position == (30, 0, -4)
    assert sheet.row("path-1").curve().length == pytest.approx(whole)
    first, second = sheet.do("split_path", "path-1", point=2).select or ()
    parts = sum(sheet.row(k).curve().length for k in (first, second))
    assert parts == pytest.approx(whole)
    sheet.do("join_paths", first, second)
    assert sheet.row(first).curve().length == pytest.approx(whole)
    for length in (12.5, 40.0):
        sheet.do("set_path_length", first, length=length)
        assert sheet.row(first).curve().length == pytest.approx(length, rel=1e-9)
    made = sheet.do("path_from_edges", edge={"thing": "placement-1", "kind": "face", "index": 0, "face": 0})
    assert sheet.row((made.select or ())[0]).closed


def _places(sheet: Sheet) -> list[np.ndarray]:
    sheet.summary()
    found = [items_of(sheet.snapshot, t) for t in sheet.snapshot.of("level-1").values() if t.pieces]
    return [b.poses.rows() for s in found if s is not None for b in s.batches]


BAD = [
    ("draw_path", (), {"points": [{"position": (0, 0, 0)}]}, "at least 2"),
    ("draw_path", (), {"points": [{"position": (0, 0, 0)}] * 2}, "same spot"),
    ("lay_course", ("path-1",), {"piece": "piece-9"}, "no piece"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "fit": "spacing", "spacing": 0.0}, "more than 0"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "pattern": ["piece-9"]}, "no piece"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "between": "path-1"}, "another path"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "stations": "course-9"}, "same path"),
    ("line_array", ("placement-1",), {"form": "grid", "count": 400, "rows": 400}, "possible"),
    ("line_array", ("placement-1",), {"form": "ring", "sweep": 0.0}, "sweep"),
    ("stepped_copies", ("placement-1",), {}, "one spot"),
    ("stepped_copies", ("placement-1",), {"offset": (1, 0, 0), "size": (0, 1, 1)}, "flatten"),
    ("mirror", ("placement-1",), {"across": []}, "Choose one axis"),
    ("mirror", ("placement-1",), {"plane": "face"}, "No face"),
    ("mirror", ("placement-1",), {"plane": "points"}, "two points"),
    ("scatter", ("placement-1",), {"smallest": 2.0, "largest": 1.0}, "swap them"),
    ("swap_items", ("array-1",), {}, "No item"),
    ("swap_items", ("array-1",), {"items": [99], "becomes": "nothing"}, "no item 100"),
    ("make_real", ("group-1",), {}, "no array"),
    ("end_array", ("group-1",), {}, "shown once already"),
    ("path_points", ("path-1",), {"points": [77]}, "no point 78"),
    ("set_path_length", ("path-1",), {"length": -1.0}, "more than"),
    ("path_from_edges", (), {}, "No edge"),
    ("strew", ("piece-1",), {}, "No face"),
    ("split_path", ("path-1",), {"point": 1}, "between its ends"),
    ("join_paths", ("path-1", "path-2"), {}, "Courses are laid"),
]


@pytest.mark.parametrize(("tool", "selection", "params", "text"), BAD)
def test_what_cannot_be_is_refused_in_words_and_changes_nothing(
    sheet: Sheet, tool: str, selection: tuple[str, ...], params: dict[str, object], text: str
) -> None:
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("draw_path", points=[{"position": (0, 0, 50)}, {"position": (9, 0, 50)}])
    sheet.do("lay_course", "path-2", piece="piece-2")
    sheet.do("line_array", "placement-2", count=3)
    sheet.do("make_group", "placement-3")
    before = sheet.snapshot
    with pytest.raises(AbleBrickError, match=text):
        sheet.do(tool, *selection, **params)
    assert sheet.snapshot is before


@pytest.mark.parametrize("length", [0.001, 1.0, 1e5])
@pytest.mark.parametrize("bend", [False, True])
def test_paths_of_any_length_are_laid_or_refused(sheet: Sheet, length: float, bend: bool) -> None:
    for points in (
        [(0, 0, 0), (length, 0, 0)],
        [(0, 0, 0), (length, 0, 0), (length, 0, length), (0, 0, length / 2)],
        [(0, 0, 0), (length, 0, 0), (length / 2, 0, 0)],
    ):
        for smooth in (False, True):
            path = sheet.do("draw_path", points=[{"position": p} for p in points], smooth=smooth)
            with contextlib.suppress(AbleBrickError):
                sheet.do("lay_course", (path.select or ())[0], piece="piece-1", bend=bend)
            assert all(np.isfinite(v).all() for v in _places(sheet)), "what was laid can be shown"
