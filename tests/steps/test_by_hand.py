"""What tools do against plain reckoning, written out by hand: rings, turns, gaps, shares, images and shared joints."""

from __future__ import annotations

import math

import numpy as np
import pytest

from able_brick.core.edit.inset import inset
from able_brick.core.mesh.combine import turned_over
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.topology import topology
from able_brick.core.place.mirror import symmetries
from able_brick.core.shapes.box import box
from able_brick.core.shapes.prism import prism
from able_brick.core.slim.slimmed import target_triangles
from tests.steps.test_steps import Sheet, item_vertices


def crate(**more: object) -> Sheet:
    sheet = Sheet()
    sheet.do("add_shape", shape={"kind": "box", "width": 1.0, "height": 1.0, "depth": 1.0}, **more)
    return sheet


@pytest.mark.parametrize(("sweep", "parts"), [(90.0, 3), (-120.0, 3), (360.0, 4), (270.0, 3)])
def test_items_of_a_ring_stand_at_even_angles_from_its_first_to_its_last(sweep: float, parts: int) -> None:
    sheet = crate()
    sheet.do("line_array", "placement-1", form="ring", count=4, radius=3.0, sweep=sweep, ring_about="y", heading=0.0)
    points = sheet.vertices()["array-1"]
    for k in range(4):
        angle = math.radians(sweep) * k / parts
        # the centre is 3 m along X; a turn about Y takes X toward −Z
        centre = (3.0 - 3.0 * math.cos(angle), 0.0, 3.0 * math.sin(angle))
        middle = (points[k].min(axis=0) + points[k].max(axis=0)) / 2
        assert middle[[0, 2]] == pytest.approx((centre[0], centre[2]), abs=1e-9)


def test_turns_are_heading_then_pitch_then_roll() -> None:
    x, y, z = (math.radians(v) for v in (20.0, 50.0, -35.0))
    sheet = crate()
    sheet.do("set_pose", "placement-1", turn=(20.0, 50.0, -35.0))
    about_x = np.array([[1, 0, 0], [0, math.cos(x), -math.sin(x)], [0, math.sin(x), math.cos(x)]])
    about_y = np.array([[math.cos(y), 0, math.sin(y)], [0, 1, 0], [-math.sin(y), 0, math.cos(y)]])
    about_z = np.array([[math.cos(z), -math.sin(z), 0], [math.sin(z), math.cos(z), 0], [0, 0, 1]])
    mesh = sheet.meshes[sheet.row("piece-1").mesh]
    wanted = mesh.positions @ (about_y @ about_x @ about_z).T
    assert sheet.vertices()["placement-1"][0] == pytest.approx(wanted, abs=1e-12)


@pytest.mark.parametrize("gap", [0.0, 0.25, -0.1])
def test_a_gap_is_left_outside_of_the_landing(gap: float) -> None:
    sheet = crate()
    sheet.do("place_piece", "piece-1", position=(5.0, 0.0, 0.0))
    mesh = sheet.meshes[sheet.row("piece-1").mesh]
    up = int(np.argmax(area_vectors(mesh)[:, 1]))
    down = int(np.argmin(area_vectors(mesh)[:, 1]))
    sheet.do(
        "dock",
        "placement-2",
        grip={"thing": "placement-2", "kind": "face", "index": down, "face": down},
        landing={"thing": "placement-1", "kind": "face", "index": up, "face": up},
        contact=True,
        gap=gap,
    )
    one, other = (sheet.vertices()[f"placement-{k}"][0] for k in (1, 2))
    assert other[:, 1].min() - one[:, 1].max() == pytest.approx(gap, abs=1e-12)


def test_shares_are_whole_triangles_and_four_at_least() -> None:
    mesh = box(1.0, 1.0, 1.0)
    assert [target_triangles(mesh, s) for s in (1.0, 0.5, 0.375, 0.37, 0.01)] == [12, 6, 5, 4, 4]


@pytest.mark.parametrize("depth", [0.2, -0.3])
def test_an_inset_with_a_depth_moves_what_is_inside(depth: float) -> None:
    mesh = box(2.0, 1.0, 2.0)
    top = int(np.argmax(area_vectors(mesh)[:, 1]))
    out = inset(mesh, np.array([top]), 0.25, depth=depth)
    inner = out.mesh.corners[out.mesh.corner_face == out.picked[0]]
    assert out.mesh.positions[inner][:, 1] == pytest.approx(np.full(4, mesh.bounds[1][1] + depth))
    assert np.ptp(out.mesh.positions[inner], axis=0) == pytest.approx((1.5, 0.0, 1.5))


def test_colours_sharp_edges_and_materials_are_part_of_a_symmetry() -> None:
    plain = box(2.0, 2.0, 2.0)
    x = plain.positions[plain.corners][:, 0]
    t = topology(plain)
    middle = plain.positions[t.edges].mean(axis=1) - np.mean(plain.bounds, axis=0)
    colour = np.ones((len(plain.corners), 4))
    colour[x > 0, 0] = 0.5
    assert symmetries(plain.replaced(colour=np.ones_like(colour))) == (True, True, True)
    assert symmetries(plain.replaced(colour=colour)) == (False, True, True)
    # the four edges along z on one side, all four on both
    one = (np.abs(middle[:, 1]) > 0.9) & (middle[:, 0] > 0.9)
    both = (np.abs(middle[:, 1]) > 0.9) & (np.abs(middle[:, 0]) > 0.9)
    assert symmetries(plain.replaced(sharp=one[t.corner_edge])) == (False, True, True)
    assert symmetries(plain.replaced(sharp=both[t.corner_edge])) == (True, True, True)
    material = (area_vectors(plain)[:, 1] > 0.5).astype(np.int32)
    assert symmetries(plain.replaced(material=material)) == (True, False, True)


def test_symmetries_are_told_axis_by_axis() -> None:
    # an L is its own image across its flat sides alone
    plain = prism([(0, 0), (3, 0), (3, 1), (1, 1), (1, 2), (0, 2)], 1.0)
    assert symmetries(plain) == (False, False, True)
    for order, wanted in (([0, 2, 1], (False, True, False)), ([2, 1, 0], (True, False, False))):
        assert symmetries(turned_over(plain.replaced(positions=plain.positions[:, order]))) == wanted
    arrow = prism([(0, 0), (4, 0), (2, 1)], 1.0)
    assert symmetries(arrow) == (True, False, True)


@pytest.mark.parametrize("across", ["x", "z"])
@pytest.mark.parametrize("stand", ["upright", "following"])
def test_a_path_in_a_mirror_leans_the_other_way(across: str, stand: str) -> None:
    sheet = crate()
    points = [{"position": p, "roll": r} for p, r in (((0, 0, 0), 0.0), ((6, 1, 0), 25.0), ((11, 1, 4), -10.0))]
    sheet.do("draw_path", points=points)
    (course,) = sheet.do("lay_course", "path-1", piece="piece-1", bend=True, stand=stand).select or ()

    def stood() -> np.ndarray:
        return np.concatenate(item_vertices(sheet.snapshot, sheet.row(course), sheet.meshes.__getitem__))

    before = stood()
    sheet.do("mirror", "path-1", across=(across,), about_what="point", point=(0.0, 0.0, 0.0), copy_it=False)
    image = stood()
    image["xyz".index(across) == np.arange(3)[None].repeat(len(image), 0)] *= -1
    assert [p.roll for p in sheet.row("path-1").points] == [0.0, -25.0, 10.0]

    def ordered(p: np.ndarray) -> np.ndarray:
        return p[np.lexsort(np.round(p, 5).T)]

    assert ordered(image) == pytest.approx(ordered(before), abs=1e-6)


def test_a_course_whose_joints_others_share_goes_and_they_stay() -> None:
    sheet = crate()
    sheet.do("draw_path", points=[{"position": (0, 0, 0)}, {"position": (9.7, 0, 0)}])
    (first,) = sheet.do("lay_course", "path-1", piece="piece-1", fit="number", number=4).select or ()
    (second,) = sheet.do("lay_course", "path-1", piece="piece-1", stations=first, up=2.0).select or ()
    shared = sheet.vertices()[second]
    assert len(shared) == 4
    sheet.do("delete", first)
    row = sheet.row(second)
    assert row.stations is None
    assert not [f for f in sheet.summary().findings if f.code != "stretch"]
    # it fills the path by itself from then on: ten crates of a metre
    assert len(sheet.vertices()[second]) == 10


def test_unit_normals_of_a_box_look_outward() -> None:
    mesh = box(2.0, 1.0, 3.0)
    middle = np.add.reduceat(mesh.positions[mesh.corners], mesh.face_starts[:-1]) / 4
    centre = (mesh.bounds[0] + mesh.bounds[1]) / 2
    assert (unit(area_vectors(mesh)) * (middle - centre)).sum(axis=1).min() > 0
