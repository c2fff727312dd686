"""Borders closed: as many faces as said, the form closed where all of them are, nothing else changed."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.edit.fill import FillWith, border_loops, fill
from able_brick.core.edit.remove import delete
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from tests.core.edit.promises import no_worse, sound, untouched, uv_stay
from tests.zoo import ZOO


def opened(mesh: PolyMesh, face: int) -> PolyMesh:
    return delete(mesh, np.array([face], np.int32)).mesh


def euler(mesh: PolyMesh) -> int:
    return mesh.vertex_count - len(topology(mesh).edges) + mesh.face_count


@pytest.mark.parametrize("how", ["one face", "fan"])
@pytest.mark.parametrize("name", sorted(ZOO))
def test_a_face_that_was_taken_out_of_a_closed_form_is_closed_again(name: str, how: FillWith) -> None:
    mesh = ZOO[name]()
    if not topology(mesh).is_closed:
        return
    for face in {0, mesh.face_count // 2}:
        hole = opened(mesh, face)
        edges = np.flatnonzero(topology(hole).border).astype(np.int32)
        out = fill(hole, edges[:1], how)
        sound(hole, out)
        no_worse(hole, out)
        uv_stay(hole, out)
        untouched(hole, out, np.zeros(hole.vertex_count, np.bool_))
        size = int(mesh.face_sizes[face])
        more = out.mesh.face_count - hole.face_count
        assert more == (1 if how == "one face" else size)
        assert euler(out.mesh) == euler(hole) + 1
        if len(border_loops(hole)) == 1:
            assert topology(out.mesh).is_closed
        assert out.picked.tolist() == list(range(hole.face_count, out.mesh.face_count))


def test_the_new_face_looks_outward_and_has_what_is_beside_it() -> None:
    box = ZOO["box"]()
    hole = opened(box, 2)
    out = fill(hole, np.flatnonzero(topology(hole).border).astype(np.int32))
    new = out.mesh
    loop = new.positions[new.corners[new.face_starts[-2] :]]
    normal = np.cross(loop[1] - loop[0], loop[2] - loop[1])
    assert normal @ (loop.mean(axis=0) - box.positions.mean(axis=0)) > 0
    assert new.material[-1] == hole.material[topology(hole).border[topology(hole).corner_edge].argmax() // 4]
    assert new.facet[-1] == hole.facet.max() + 1


@pytest.mark.parametrize("how", ["one face", "fan"])
def test_edges_of_what_closes_a_border_are_as_sharp_as_they_were(how: FillWith) -> None:
    box = ZOO["box"]()
    hole = opened(box, 2)
    border = topology(hole).border[topology(hole).corner_edge]
    hole = hole.replaced(sharp=border & (np.arange(len(border)) % 2 == 0))
    out = fill(hole, np.flatnonzero(topology(hole).border).astype(np.int32), how).mesh
    t = topology(out)
    by_edge = np.zeros((2, len(t.edges)), np.bool_)
    for new in (0, 1):
        corners = np.flatnonzero((out.corner_face >= hole.face_count) == bool(new))
        by_edge[new, t.corner_edge[corners[out.sharp[corners]]]] = True
    assert by_edge[0].any()
    assert np.array_equal(by_edge[0], by_edge[1])


def test_every_border_that_is_picked_is_closed_by_itself() -> None:
    box = ZOO["box"]()
    hole = delete(box, np.array([0, 1], np.int32)).mesh
    loops = border_loops(hole)
    edges = np.flatnonzero(topology(hole).border).astype(np.int32)
    out = fill(hole, edges)
    assert out.mesh.face_count == hole.face_count + len(loops)
    assert topology(out.mesh).is_closed
    one = fill(hole, edges[:1])
    assert one.mesh.face_count == hole.face_count + 1


def test_edges_inside_and_borders_through_one_vertex_twice_are_refused() -> None:
    box = ZOO["box"]()
    with pytest.raises(GeometryError, match="No edge of a border"):
        fill(box, np.array([0], np.int32))
    places = np.array([(0, 0, 0), (1, 0, 0), (0, 0, 1), (-1, 0, 0), (0, 0, -1)], np.float64)
    plate = PolyMesh.checked(places, np.array([3, 3]), np.array([0, 2, 1, 0, 4, 3]))
    with pytest.raises(GeometryError, match="passes a vertex twice"):
        fill(plate, np.array([0], np.int32))
