"""Mirror images of pieces that are their own mirror images: they stay images when the piece becomes another form."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.place.items import item_to_world
from able_brick.level.elements import Elements
from able_brick.level.evaluate import items_of
from able_brick.level.rows import Array, Piece, Placement
from tests.steps.test_steps import Sheet, item_vertices

#: The box has its pivot in the middle, so that it is its own mirror image along every axis.
BOX = {"kind": "box", "width": 2.0, "height": 1.0, "depth": 0.6}
MIDDLE = {"x": "middle", "y": "middle", "z": "middle"}
WAYS = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1)}


def piece_of(sheet: Sheet, thing: str) -> Piece:
    return sheet.snapshot.pieces[sheet.row(thing).piece]


def points_of(sheet: Sheet, thing: str) -> np.ndarray:
    """World vertices of all items of a thing, in order."""
    shown = items_of(sheet.snapshot, sheet.row(thing))
    assert shown is not None
    found = [f for f in (shown.item(k) for k in range(shown.count)) if f is not None]
    load = sheet.meshes.__getitem__
    out = np.concatenate([item_to_world(k.mesh(load).positions, p, k.pivot, k.axes) for k, p in found])
    return out[np.lexsort(np.round(out, 6).T)]


def over(points: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """Points across the plane through the origin, in order."""
    out = points - 2.0 * np.outer(points @ normal, normal)
    return out[np.lexsort(np.round(out, 6).T)]


def pull(sheet: Sheet, thing: str, way: tuple[int, int, int], **params: object) -> None:
    """Draw out the side of a piece that looks one way in its own axes, through one of the things that show it."""
    mesh = sheet.meshes[piece_of(sheet, thing).mesh]
    found = np.flatnonzero(unit(area_vectors(mesh)) @ np.asarray(way, np.float64) > 0.99)
    elements = Elements.of(mesh.content_hash, found[:1].tolist())
    change = sheet.do("extrude", thing, elements=elements.model_dump(), **{"depth": 0.3, **params})
    assert change.elements is not None
    now = sheet.meshes[piece_of(sheet, thing).mesh]
    assert change.elements.mesh == now.content_hash, "what is picked is picked of what the thing shows"
    assert len(change.elements.numbers(now)) == 1


def fresh(*pulled: str) -> Sheet:
    """A box with its pivot in its middle, drawn out along some axes: along the others it is its own mirror image."""
    sheet = Sheet()
    sheet.do("add_shape", shape=BOX, name="Crate", position=(3.0, 0.5, 1.0))
    for axis in pulled:
        pull(sheet, "placement-1", WAYS[axis])
    sheet.do("set_pivot", "piece-1", place="box", anchor=MIDDLE)
    return sheet


@pytest.mark.parametrize("kept", ["x", "z", "y"])
@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (20.0, 35.0, -50.0)])
@pytest.mark.parametrize("through", ["the original", "the image"])
def test_images_become_those_of_a_twin_when_a_piece_is_no_longer_its_own(
    kept: str, turn: tuple[float, float, float], through: str
) -> None:
    sheet = fresh(*(a for a in "xyz" if a != kept))
    sheet.do("set_pose", "placement-1", turn=turn, size=(1.0, 1.5, 0.5))
    (image,) = sheet.do("mirror", "placement-1", across=["x"], about_what="point").select or ()
    assert sheet.row(image).piece == "piece-1"
    assert sheet.row(image).image == kept
    normal = np.array([1.0, 0.0, 0.0])
    assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, "placement-1"), normal), abs=1e-9)
    at = image if through == "the image" else "placement-1"
    before = points_of(sheet, at)
    pull(sheet, at, WAYS[kept])
    assert sheet.row(image).piece != "piece-1"
    assert sheet.row(image).image is None
    assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, "placement-1"), normal), abs=1e-9)
    # it goes out where it was picked: all other corners stay
    stay = {tuple(p) for p in np.round(before, 6) + 0.0}
    assert len({tuple(p) for p in np.round(points_of(sheet, at), 6) + 0.0} - stay) == 4
    assert points_of(sheet, at).shape == (len(before) + 4, 3)


def test_what_is_pulled_at_an_image_goes_out_there() -> None:
    sheet = fresh()
    (image,) = sheet.do("mirror", "placement-1", across=["x"], about_what="point").select or ()
    before = sheet.row(image)
    way = np.array([1.0, 0.0, 0.0])
    side = points_of(sheet, image)[:, 0].max()
    pull(sheet, image, WAYS["x"])
    assert before.turn == (0.0, 0.0, 0.0, 1.0)
    assert points_of(sheet, image)[:, 0].max() == pytest.approx(side + 0.3, abs=1e-12)
    assert points_of(sheet, "placement-1") == pytest.approx(over(points_of(sheet, image), way), abs=1e-12)
    # and one that is its own image no more is followed by its twin from then on
    pull(sheet, "placement-1", WAYS["z"])
    assert points_of(sheet, "placement-1") == pytest.approx(over(points_of(sheet, image), way), abs=1e-12)


def test_what_stays_its_own_image_stays_shared() -> None:
    sheet = fresh()
    (image,) = sheet.do("mirror", "placement-1", across=["x"], about_what="point").select or ()
    pull(sheet, "placement-1", WAYS["z"])
    assert sheet.row(image).piece == "piece-1"
    assert len(sheet.snapshot.pieces) == 1
    # an image of an image is none
    (again,) = sheet.do("mirror", image, across=["x"], about_what="point").select or ()
    assert sheet.row(again).image is None
    assert (sheet.row(again).position, sheet.row(again).turn) == ((3.0, 1.0, 1.0), (0.0, 0.0, 0.0, 1.0))
    pull(sheet, "placement-1", WAYS["x"])
    assert (sheet.row(again).piece, sheet.row(image).piece) == ("piece-1", "piece-2")


@pytest.mark.parametrize("place", ["pieces stay", "numbers stay"])
def test_a_pivot_that_leaves_the_middle_leaves_images_where_they_are(place: str) -> None:
    sheet = fresh("x")
    sheet.do("mirror", "placement-1", across=["x"], about_what="point")
    sheet.do("place_piece", "piece-1", position=(5.0, 1.0, -4.0), turn=(0.0, 30.0, 0.0))
    sheet.do("line_array", "placement-3", axis="x", count=3, spacing=1.5)
    sheet.do("mirror", "array-1", across=["x"], about_what="point")
    normal = np.array([1.0, 0.0, 0.0])
    sheet.do("set_pivot", "piece-1", place="typed", point=(0.3, 0.1, 0.2), outcome=place)
    images = [
        t.id
        for t in sheet.snapshot.of("level-1").values()
        if isinstance(t, (Placement, Array)) and t.piece == "piece-2"
    ]
    assert len(images) == 2
    own = np.concatenate(
        [points_of(sheet, t.id) for t in sheet.snapshot.of("level-1").values() if t.piece == "piece-1"]
    )
    other = np.concatenate([points_of(sheet, t) for t in images])
    assert other[np.lexsort(np.round(other, 6).T)] == pytest.approx(over(own, normal), abs=1e-9)


@pytest.mark.parametrize("kept", ["x", "z", "y"])
@pytest.mark.parametrize("form", ["line", "grid", "ring"])
def test_rows_are_parted_with_their_items(kept: str, form: str) -> None:
    sheet = fresh(*(a for a in "xyz" if a != kept))
    match form:
        case "line":
            sheet.do("line_array", "placement-1", axis=kept, count=3, spacing=1.5)
        case "grid":
            sheet.do("line_array", "placement-1", form="grid", axis="x", count=2, rows=3, layers=2, row_spacing=1.2)
        case "ring":
            sheet.do("line_array", "placement-1", form="ring", count=5, radius=4.0, sweep=200.0, heading=30.0)
    (row,) = [t.id for t in sheet.snapshot.of("level-1").values() if isinstance(t, Array)]
    sheet.do("turn", row, angle=25.0)
    (image,) = sheet.do("mirror", row, across=["z"], about_what="point").select or ()
    normal = np.array([0.0, 0.0, 1.0])
    assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, row), normal), abs=1e-9)
    pull(sheet, row, WAYS[kept])
    assert sheet.row(image).image is None
    assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, row), normal), abs=1e-9)


def test_a_row_with_another_piece_in_it_is_mirrored_with_it() -> None:
    sheet = fresh("x")
    sheet.do("add_shape", shape={"kind": "wedge", "width": 1.0, "height": 2.0, "depth": 0.4}, name="Ramp")
    pull(sheet, "placement-2", (0, -1, 0))
    sheet.do("line_array", "placement-1", axis="x", count=3, spacing=1.5)
    (row,) = [t.id for t in sheet.snapshot.of("level-1").values() if isinstance(t, Array)]
    sheet.do("swap_items", row, items=[1], becomes="another piece", piece="piece-2")
    for plane in (["x"], ["z"]):
        (image,) = sheet.do("mirror", row, across=plane, about_what="point").select or ()
        normal = np.array(WAYS[plane[0]], np.float64)
        assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, row), normal), abs=1e-9)


def test_another_piece_in_its_place_is_no_image() -> None:
    sheet = fresh()
    sheet.do("add_shape", shape={"kind": "wedge", "width": 1.0, "height": 2.0, "depth": 0.4}, name="Ramp")
    (image,) = sheet.do("mirror", "placement-1", across=["x"], about_what="point").select or ()
    sheet.do("replace_piece", "piece-1", by="piece-2")
    assert (sheet.row(image).piece, sheet.row(image).image) == ("piece-2", None)


@pytest.mark.parametrize("axis", ["x", "z"])
def test_an_item_that_is_swapped_in_an_image_shows_the_piece_as_it_is(axis: str) -> None:
    sheet = fresh("z" if axis == "x" else "x")
    sheet.do("add_shape", shape={"kind": "lettering", "text": "F", "height": 1.0, "depth": 0.4}, name="Letter")
    sheet.do("line_array", "placement-1", axis="x", count=3, spacing_by="metres", spacing=4.0)
    (image,) = sheet.do("mirror", "array-1", across=["x"], about_what="point").select or ()
    sheet.do("swap_items", image, items=[1], becomes="another piece", piece="piece-2")
    assert [o.piece for o in sheet.row(image).others] == ["piece-2"], "not its twin"
    letter = item_vertices(sheet.snapshot, sheet.row(image), sheet.meshes.__getitem__)[1]
    pull(sheet, "array-1", WAYS[axis])
    assert sheet.row(image).piece != "piece-1"
    still = item_vertices(sheet.snapshot, sheet.row(image), sheet.meshes.__getitem__)[1]
    assert sorted(map(tuple, np.round(still, 9) + 0.0)) == sorted(map(tuple, np.round(letter, 9) + 0.0))
    sheet.do("swap_items", image, items=[1], becomes="as usual")
    normal = np.array([1.0, 0.0, 0.0])
    assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, "array-1"), normal), abs=1e-9)


@pytest.mark.parametrize("axis", ["x", "z"])
@pytest.mark.parametrize("live", [False, True])
def test_what_is_made_real_of_images_stays_true(axis: str, live: bool) -> None:
    sheet = fresh("z" if axis == "x" else "x")
    sheet.do("line_array", "placement-1", axis="z", count=2, spacing_by="metres", spacing=4.0)
    (image,) = sheet.do("mirror", "array-1", across=["x"], about_what="point").select or ()
    if live:
        (group,) = sheet.do("live_mirror", image, across="z", through="point", point=(0, 0, -9)).select or ()
        sheet.do("make_real", group)
    else:
        sheet.do("make_real", image)
    pull(sheet, "array-1", WAYS[axis])
    normal = np.array([1.0, 0.0, 0.0])
    own = points_of(sheet, "array-1")
    made = [t.id for t in sheet.snapshot.of("level-1").values() if isinstance(t, Placement)]
    every = np.concatenate([points_of(sheet, t) for t in made])
    if live:
        assert points_of(sheet, image) == pytest.approx(over(own, normal), abs=1e-9)
        middle = np.array([0.0, 0.0, -9.0])
        own = np.add(over(own - middle, np.array([0.0, 0.0, 1.0])), middle)
    assert every[np.lexsort(np.round(every, 6).T)] == pytest.approx(over(own, normal), abs=1e-9)


def test_images_of_a_twin_part_with_it() -> None:
    sheet = fresh()
    sheet.do("set_pivot", "piece-1", place="typed", point=(0.3, 0.2, 0.1))
    (twin,) = sheet.do("mirror", "placement-1", across=["x"], about_what="point").select or ()
    sheet.do("set_pivot", "piece-1", place="box", anchor=MIDDLE)
    assert sheet.row(twin).piece == "piece-2"
    (image,) = sheet.do("mirror", twin, across=["z"], about_what="point").select or ()
    assert (sheet.row(image).piece, sheet.row(image).image) == ("piece-2", "x")
    pull(sheet, "placement-1", WAYS["x"])
    normal = np.array([0.0, 0.0, 1.0])
    assert sheet.row(image).piece == "piece-1"
    assert points_of(sheet, image) == pytest.approx(over(points_of(sheet, twin), normal), abs=1e-9)
