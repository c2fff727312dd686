"""Faults put into sound meshes are found and mended, and nothing else changes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

import numpy as np
import pytest

from able_brick.core.edit.remove import delete, flip
from able_brick.core.mend.faults import FAULTS, FaultCode, mended
from able_brick.core.mesh.combine import joined, moved, turned_over
from able_brick.core.mesh.measure import volume
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.validity import problems
from able_brick.core.shapes.box import box
from able_brick.core.shapes.plane import plane
from tests.thorough import by_day
from tests.zoo import CLOSED, ZOO, keyhole, painted, sized, slivers, touching_fans

Random = np.random.Generator
MESHES: dict[str, Callable[[], PolyMesh]] = {
    **{name: ZOO[name] for name in CLOSED},
    "painted": painted,
    "small": lambda: sized(painted(), 1e-3),
    "large": lambda: sized(painted(), 1e4),
    "far": lambda: moved(painted(), (300.0, -20.0, 50.0)),
}
SEEDS = range(by_day(1, 20))
BY_CODE = {f.code: f for f in FAULTS}


def found(mesh: PolyMesh) -> dict[FaultCode, int]:
    """What is found of a mesh, but for faces that are bent from the beginning."""
    counts = {f.code: len(f.find(mesh)) for f in FAULTS if f.code != "bent"}
    return {code: n for code, n in counts.items() if n}


def faces_of(mesh: PolyMesh) -> Counter[tuple[object, ...]]:
    """Each face by all that there is to see of it, wherever it stands in the order."""
    out: Counter[tuple[object, ...]] = Counter()
    for face in range(mesh.face_count):
        corners = list(range(mesh.face_starts[face], mesh.face_starts[face + 1]))
        rows = [
            (
                (mesh.positions[mesh.corners[c]] + 0.0).tobytes(),
                bool(mesh.sharp[c]),
                b"" if mesh.uv is None else (mesh.uv[c] + 0.0).tobytes(),
                b"" if mesh.colour is None else (mesh.colour[c] + 0.0).tobytes(),
            )
            for c in corners
        ]
        first = rows.index(min(rows))
        out[(int(mesh.material[face]), int(mesh.facet[face]), *rows[first:], *rows[:first])] += 1
    return out


def with_own_vertices(mesh: PolyMesh, group: np.ndarray) -> PolyMesh:
    """Faces of each group (F) with vertices of their own."""
    key = mesh.corners.astype(np.int64) * (int(group.max()) + 1) + group[mesh.corner_face]
    names, corners = np.unique(key, return_inverse=True)
    return mesh.replaced(positions=mesh.positions[names // (int(group.max()) + 1)], corners=corners.ravel())


def again(mesh: PolyMesh, faces: np.ndarray) -> PolyMesh:
    """The mesh with some faces there twice, on the same vertices."""
    corners = np.flatnonzero(np.isin(mesh.corner_face, faces))
    order = np.concatenate([np.arange(len(mesh.corners)), corners])
    return mesh.with_corners(
        order,
        face_starts=np.concatenate([mesh.face_starts, len(mesh.corners) + np.cumsum(mesh.face_sizes[faces])]),
        material=np.concatenate([mesh.material, mesh.material[faces]]),
        facet=np.concatenate([mesh.facet, mesh.facet[faces]]),
        sharp=mesh.sharp[order],
    )


def some(random: Random, mesh: PolyMesh, most: float = 0.3) -> np.ndarray:
    count = random.integers(1, max(2, int(most * mesh.face_count)))
    return np.sort(random.choice(mesh.face_count, count, replace=False))


def doubled(mesh: PolyMesh, random: Random) -> PolyMesh:
    return again(mesh, some(random, mesh))


def doubled_beside(mesh: PolyMesh, random: Random) -> PolyMesh:
    """Copies of faces on vertices of their own."""
    faces = some(random, mesh)
    out = again(mesh, faces)
    return with_own_vertices(out, (np.arange(out.face_count) >= mesh.face_count).astype(np.int64))


def unwelded(mesh: PolyMesh, random: Random) -> PolyMesh:
    return with_own_vertices(mesh, random.integers(0, 3, mesh.face_count))


def all_apart(mesh: PolyMesh, random: Random) -> PolyMesh:
    return with_own_vertices(mesh, np.arange(mesh.face_count))


def against(mesh: PolyMesh, random: Random) -> PolyMesh:
    part = topology(mesh).parts[1]
    # one face of each part: fewer than half of its area
    faces = [int(random.choice(np.flatnonzero(part == p))) for p in np.unique(part)]
    return flip(mesh, np.array(faces)).mesh


def all_apart_and_against(mesh: PolyMesh, random: Random) -> PolyMesh:
    return all_apart(against(mesh, random), random)


def inside_out(mesh: PolyMesh, random: Random) -> PolyMesh:
    return flip(mesh, np.arange(mesh.face_count)).mesh


def loose(mesh: PolyMesh, random: Random) -> PolyMesh:
    return mesh.replaced(positions=np.concatenate([mesh.positions, random.random((5, 3)) * mesh.positions.max()]))


PUT_IN: dict[str, tuple[Callable[[PolyMesh, Random], PolyMesh], set[FaultCode]]] = {
    "doubled": (doubled, {"doubled"}),
    "doubled beside": (doubled_beside, {"doubled"}),
    "unwelded": (unwelded, {"seams"}),
    "all apart": (all_apart, {"seams"}),
    "against": (against, {"against"}),
    "apart and against": (all_apart_and_against, {"seams"}),
    "inside out": (inside_out, {"inside_out"}),
    "loose": (loose, {"loose"}),
}


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("fault", PUT_IN)
@pytest.mark.parametrize("name", MESHES)
def test_what_is_put_in_is_found_and_mended_and_nothing_else_changes(name: str, fault: str, seed: int) -> None:
    mesh = MESHES[name]()
    assert found(mesh) == {}
    put, codes = PUT_IN[fault]
    spoilt = put(mesh, np.random.default_rng(seed))
    if fault == "unwelded" and not found(spoilt):
        pytest.skip("all faces fell into one group")
    assert codes <= found(spoilt).keys()
    made = mended(spoilt)
    assert found(made.out.mesh) == {}
    assert made.refused == {}
    assert set(made.done) <= {c for c in BY_CODE if BY_CODE[c].safe}
    assert faces_of(made.out.mesh) == faces_of(mesh)
    assert made.out.mesh.vertex_count == mesh.vertex_count
    # the maps lead back to what the faces were
    assert (made.out.face_from >= 0).all() or fault == "keyholes"
    sizes = spoilt.face_sizes[made.out.face_from]
    assert np.array_equal(sizes, made.out.mesh.face_sizes)
    assert np.array_equal(spoilt.positions[made.out.vertex_from], made.out.mesh.positions)


@pytest.mark.parametrize("name", [*MESHES, "sheet", "waves"])
def test_what_is_sound_stays_as_it_is(name: str) -> None:
    mesh = MESHES[name]() if name in MESHES else ZOO[name]()
    made = mended(mesh)
    assert made.out.mesh is mesh
    assert (made.done, made.refused) == ({}, {})


def split_at(mesh: PolyMesh, corner: int, share: float) -> PolyMesh:
    """A vertex on the edge from a corner on, in its face alone, and a face without area that closes the gap."""
    face = int(mesh.corner_face[corner])
    p = mesh.positions
    a, b = mesh.corners[corner], mesh.corners[mesh.next_corner[corner]]
    new = mesh.vertex_count
    order = np.concatenate([np.arange(corner + 1), [corner], np.arange(corner + 1, len(mesh.corners)), [corner] * 3])
    corners = mesh.corners[order].copy()
    corners[corner + 1] = new
    corners[-3:] = [b, new, a]
    sizes = mesh.face_sizes.copy()
    sizes[face] += 1
    return mesh.with_corners(
        order,
        positions=np.concatenate([p, [p[a] + share * (p[b] - p[a])]]),
        corners=corners,
        face_starts=np.concatenate([[0], np.cumsum([*sizes, 3])]),
        material=np.append(mesh.material, mesh.material[face]),
        facet=np.append(mesh.facet, mesh.facet[face]),
        sharp=mesh.sharp[order],
    )


@pytest.mark.parametrize("seed", range(by_day(4, 40)))
@pytest.mark.parametrize("name", [n for n in MESHES if n != "ball"])
def test_a_face_without_area_goes_and_the_one_beyond_has_its_vertex(name: str, seed: int) -> None:
    mesh = MESHES[name]()
    random = np.random.default_rng(seed)
    spoilt = mesh
    for _ in range(3):
        # edges that no face without area is beside yet
        whole = np.flatnonzero(spoilt.corner_face < mesh.face_count)
        spoilt = split_at(spoilt, int(random.choice(whole)), float(random.uniform(0.2, 0.8)))
    assert len(BY_CODE["flat"].find(spoilt)) == 3
    made = mended(spoilt)
    out = made.out.mesh
    assert (made.done, made.refused, found(out)) == ({"flat": 3}, {}, {})
    assert topology(out).is_closed
    assert (out.face_count, out.vertex_count) == (mesh.face_count, spoilt.vertex_count)
    assert volume(out) == pytest.approx(volume(mesh), rel=1e-12)


@pytest.mark.parametrize("name", MESHES)
def test_an_edge_without_length_is_drawn_together(name: str) -> None:
    mesh = MESHES[name]()
    spoilt = split_at(mesh, 0, 0.0)
    made = mended(spoilt)
    assert made.refused == {}
    assert faces_of(made.out.mesh) == faces_of(mesh)
    assert made.out.mesh.vertex_count == mesh.vertex_count


def in_one_place(mesh: PolyMesh, vertices: dict[int, int]) -> PolyMesh:
    """The mesh with some vertices become others."""
    target = np.arange(mesh.vertex_count)
    target[list(vertices)] = list(vertices.values())
    used = np.unique(target)
    return mesh.replaced(positions=mesh.positions[used], corners=np.searchsorted(used, target[mesh.corners]))


def pairs_of(mesh: PolyMesh, split: int) -> dict[int, int]:
    """Of the vertices from `split` on those that are on an earlier one."""
    at = {p.tobytes(): k for k, p in enumerate(mesh.positions[:split] + 0.0)}
    return {k: at[q] for k in range(split, mesh.vertex_count) if (q := (mesh.positions[k] + 0.0).tobytes()) in at}


@pytest.mark.parametrize(
    ("shift", "code"), [((1, 1, 0), "crowded"), ((1, 1, 1), "touching")], ids=["along an edge", "in a vertex"]
)
def test_bodies_that_touch_are_parted(shift: tuple[int, int, int], code: FaultCode) -> None:
    both = joined([box(1, 1, 1), moved(box(1, 1, 1), shift)])
    spoilt = in_one_place(both, pairs_of(both, 8))
    assert found(spoilt) == {code: 1}
    out = mended(spoilt).out.mesh
    assert found(out) == {}
    assert topology(out).is_closed
    assert faces_of(out) == faces_of(both)
    assert topology(out).parts[0] == 2


def test_a_sheet_that_stands_on_a_body_is_let_go_of_it() -> None:
    # a sheet up from the middle of a body's divided top
    body = box(2, 1, 1, divisions=(2, 1, 1))
    sheet = PolyMesh.checked([(0, 1, -0.5), (0, 1, 0.5), (0, 2, 0.5), (0, 2, -0.5)], [4], range(4))
    both = joined([body, sheet])
    made = mended(in_one_place(both, pairs_of(both, body.vertex_count)))
    assert made.done == {"crowded": 1}
    assert problems(made.out.mesh) == []
    assert faces_of(made.out.mesh) == faces_of(both)
    assert topology(made.out.mesh).parts[0] == 2


def test_the_wall_between_two_rooms_that_is_there_twice_goes() -> None:
    both = joined([box(1, 1, 1), moved(box(1, 1, 1), (1, 0, 0))])
    for spoilt in (both, in_one_place(both, pairs_of(both, 8))):
        made = mended(spoilt)
        out = made.out.mesh
        assert found(out) == {}
        assert (out.face_count, out.vertex_count) == (10, 12)
        assert topology(out).is_closed
        assert volume(out) == pytest.approx(2.0)


def test_two_sides_of_a_sheet_stay_and_are_told() -> None:
    sheet = plane(2, 2)
    both = again(sheet, np.array([0]))
    both = flip(both, np.array([1])).mesh
    made = mended(both)
    assert made.out.mesh is both
    assert "two sides of a sheet" in made.refused["doubled"]


def test_a_face_with_a_keyhole_is_cut() -> None:
    made = mended(keyhole())
    out = made.out.mesh
    assert set(found(out)) == {"border"}
    assert out.vertex_count == 8
    assert int(topology(out).border.sum()) == 8
    assert problems(out) == []


def test_fans_that_share_a_tip_are_parted() -> None:
    made = mended(touching_fans())
    assert (made.out.mesh.vertex_count, made.done) == (10, {"touching": 1})


def hollow(outer: float = 3.0, inner: float = 1.0) -> PolyMesh:
    return joined([box(outer, outer, outer), moved(turned_over(box(inner, inner, inner)), (0, 0.7, 0))])


def test_a_hollow_looks_inward_and_is_turned_with_what_it_is_in() -> None:
    mesh = hollow()
    assert found(mesh) == {}
    nut = joined([mesh, moved(box(0.5, 0.5, 0.5), (0, 1.0, 0))])
    assert found(nut) == {}
    for sound in (mesh, nut):
        over = flip(sound, np.arange(sound.face_count)).mesh
        assert found(over) == {"inside_out": sound.face_count}
        assert faces_of(mended(over).out.mesh) == faces_of(sound)


def test_a_part_within_another_is_hidden_and_one_in_a_hollow_is_not() -> None:
    inner = moved(box(0.5, 0.5, 0.5), (0.2, 1.0, 0.3))
    full = joined([box(3, 3, 3), inner, moved(box(1, 1, 1), (5, 0, 0))])
    assert found(full) == {"hidden": 6}
    assert mended(full).done == {}
    out = mended(full, ["hidden"]).out.mesh
    assert faces_of(out) == faces_of(delete(full, np.arange(6, 12)).mesh)
    # one that is in a hollow, one that goes through a wall, and one that is in the way of a hollow's box alone
    assert found(joined([hollow(), moved(box(0.5, 0.5, 0.5), (0, 1.0, 0))])) == {}
    assert set(found(joined([box(3, 3, 3), moved(box(1, 1, 1), (1.2, 1, 0))]))) == {"crossing"}
    ring = joined([box(3, 3, 3), moved(turned_over(box(1, 1, 1)), (0, 1, 0))])
    assert found(joined([ring, moved(box(0.5, 0.5, 0.5), (1.2, 2.2, 1.2))])) == {"hidden": 6}


def test_a_strip_with_a_half_turn_is_told() -> None:
    n = 12
    angle = np.linspace(0, 2 * np.pi, n, endpoint=False)
    middle = np.stack([np.cos(angle), np.zeros(n), np.sin(angle)], axis=1)
    up = np.cos(angle / 2)[:, None] * np.array([0, 1, 0]) + np.sin(angle / 2)[:, None] * middle
    points = np.concatenate([middle + 0.2 * up, middle - 0.2 * up])
    faces = [(k, k + 1, n + k + 1, n + k) for k in range(n - 1)] + [(n - 1, n, 0, 2 * n - 1)]
    strip = PolyMesh.checked(points, [4] * n, np.array(faces).ravel())
    made = mended(strip)
    assert "half turn" in made.refused["against"]
    assert made.out.mesh is strip


def test_what_is_not_safe_is_mended_where_it_is_asked_for() -> None:
    mesh = box(2, 2, 2, divisions=(2, 2, 2))
    holed = delete(mesh, np.array([0, 7, 20])).mesh
    assert mended(holed).done == {}
    made = mended(holed, ["border"])
    assert topology(made.out.mesh).is_closed
    assert volume(made.out.mesh) == pytest.approx(8.0)

    crossing = joined([box(2, 2, 2), moved(box(2, 2, 2), (1, 1, 1))])
    assert {"crossing"} == set(found(crossing))
    made = mended(crossing, ["crossing"])
    assert volume(made.out.mesh) == pytest.approx(15.0)
    assert found(made.out.mesh) == {}

    points = np.array(mesh.positions)
    points[np.argmax(points.sum(axis=1))] *= 1.2
    bent = mesh.replaced(positions=points)
    assert len(BY_CODE["bent"].find(bent)) == 3
    made = mended(bent, ["bent"])
    assert made.out.mesh.face_count == mesh.face_count + 3
    assert len(BY_CODE["bent"].find(made.out.mesh)) == 0


def test_slivers_are_closed_where_it_is_asked_for() -> None:
    fan = slivers()
    made = mended(fan, ["slivers"])
    assert made.done or made.refused
    box_ = split_at(box(1, 1, 1), 0, 0.5)
    points = np.array(box_.positions)
    points[-1] += 2e-3 * np.array([1.0, 1.0, 1.0])
    thin = box_.replaced(positions=points)
    assert len(BY_CODE["slivers"].find(thin)) == 1
    made = mended(thin, ["slivers"])
    assert (made.done, made.out.mesh.face_count) == ({"slivers": 1}, 6)
    assert topology(made.out.mesh).is_closed


@pytest.mark.parametrize("name", MESHES)
def test_everything_at_once(name: str) -> None:
    mesh, random = MESHES[name](), np.random.default_rng(7)
    spoilt = loose(doubled_beside(all_apart(against(mesh, random), random), random), random)
    made = mended(spoilt)
    assert found(made.out.mesh) == {}
    assert faces_of(made.out.mesh) == faces_of(mesh)
    assert made.with_note().note


def test_what_a_file_says_of_its_shading_stays() -> None:
    form = box(1, 1, 1, divisions=(2, 1, 1))
    normals = np.random.default_rng(1).normal(size=(len(form.corners), 3))
    shaded = form.replaced(normal=normals / np.linalg.norm(normals, axis=1)[:, None])
    cracked = with_own_vertices(shaded, np.arange(form.face_count))
    spoilt = again(cracked.replaced(normal=shaded.normal), np.array([2]))
    out = mended(spoilt).out.mesh
    assert out.normal is not None
    assert np.array_equal(out.normal, shaded.normal)


def test_of_a_sheet_the_smaller_side_is_turned() -> None:
    sheet = plane(3, 3, divisions=(3, 3))
    spoilt = flip(sheet, np.array([0, 4, 7])).mesh
    made = mended(spoilt)
    assert faces_of(made.out.mesh) == faces_of(sheet)


def test_of_several_copies_one_stays_whichever_way_they_look() -> None:
    both = joined([box(1, 1, 1), moved(box(1, 1, 1), (1, 0, 0))])
    welded = in_one_place(both, pairs_of(both, 8))
    across = welded.positions[welded.corners, 0].reshape(12, 4)
    wall = np.flatnonzero((across == 0.5).all(axis=1)).tolist()
    assert len(wall) == 2
    for spoilt in (again(welded, np.array(wall[1:])), again(welded, np.array(wall))):
        out = mended(spoilt).out.mesh
        assert (out.face_count, found(out)) == (10, {})


def test_a_vertex_that_comes_into_a_face_has_its_share_of_what_is_beside_it() -> None:
    mesh = box(2, 1, 1)
    for share in (0.25, 0.7):
        spoilt = split_at(mesh, 0, share)
        out = mended(spoilt).out.mesh
        new = int(np.argmin(np.linalg.norm(out.positions - spoilt.positions[-1], axis=1)))
        assert mesh.uv is not None
        assert out.uv is not None
        for c in np.flatnonzero(out.corners == new)[1:]:
            before, after = c - 1, int(out.next_corner[c])
            p, q = (out.positions[out.corners[k]] for k in (before, after))
            part = np.linalg.norm(out.positions[new] - p) / np.linalg.norm(q - p)
            assert out.uv[c] == pytest.approx(out.uv[before] + part * (out.uv[after] - out.uv[before]), abs=1e-9)


@pytest.mark.parametrize("size", [1e-3, 1e-5])
def test_what_is_small_stays_where_a_vertex_is_far_away(size: float) -> None:
    small = sized(ZOO["divided box"](), size)
    far = moved(box(1, 1, 1), (5e5, 0, 0))
    mesh = joined([small, far])
    assert not {code for code in found(mesh) if BY_CODE[code].safe}
    spoilt = loose(mesh, np.random.default_rng(1))
    made = mended(spoilt)
    assert made.done == {"loose": 5}
    assert faces_of(made.out.mesh) == faces_of(mesh)
