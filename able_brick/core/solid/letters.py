"""Letters on a face of a closed form: raised, sunk, or drawn as edges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

import manifold3d
import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.combine import mapped
from able_brick.core.mesh.normals import area_vectors, unit
from able_brick.core.mesh.polymesh import Bools, Floats, PolyMesh
from able_brick.core.mesh.triangulate import triangulate
from able_brick.core.solid.cutting import cut
from able_brick.core.solid.flush import Way
from able_brick.core.solid.planes import face_planes

LetterWay = Literal["raised", "sunk", "drawn"]
_CUTS: Final[dict[LetterWay, Way]] = {"raised": "unite", "sunk": "subtract", "drawn": "imprint"}
#: How near a face must be to upright or level for its letters to stand along the piece's Y.
_LEVEL: Final = 0.99


@dataclass(frozen=True, eq=False)
class Frame:
    """Where letters stand on a face: its middle (3,), and the ways (3,3) right, up and out."""

    middle: Floats
    ways: Floats

    def flat(self, points: Floats) -> Floats:
        """(n,3) points seen from the middle: to the right, up, and out of the face."""
        out: Floats = (points - self.middle) @ self.ways.T
        return out


def frame_of(mesh: PolyMesh, face: int, up: Floats, turn: float = 0.0) -> Frame:
    """The frame of a face: its letters stand along `up` (3,) as far as that lies in it; on a level face along its
    longest edge. `turn` is counter-clockwise, radians."""
    normal = unit(area_vectors(mesh)[face][None])[0]
    points = mesh.positions[mesh.corners[mesh.face_starts[face] : mesh.face_starts[face + 1]]]
    if abs(float(normal @ up)) > _LEVEL:
        edges = np.roll(points, -1, axis=0) - points
        right = edges[int(np.argmax(np.round((edges**2).sum(axis=1), 12)))]
        # the one of both ways that goes towards +X, or +Z
        right = right * (1.0 if float(right.sum()) > 0 else -1.0)
    else:
        right = np.cross(up, normal)
    right = right - (right @ normal) * normal
    right = right / np.linalg.norm(right)
    above = np.cross(normal, right)
    c, s = np.cos(turn), np.sin(turn)
    ways = np.stack([c * right + s * above, c * above - s * right, normal])
    flat = points @ ways.T
    centre = (flat.min(axis=0) + flat.max(axis=0)) / 2
    return Frame(np.array([*centre[:2], float(flat[:, 2].mean())]) @ ways, ways)


def lettered(
    mesh: PolyMesh, face: int, letters: PolyMesh, at: Frame, way: LetterWay, shift: tuple[float, float]
) -> Edited:
    """The form with letters, which are drawn from z = −d/2 to d/2, on one of its faces: their middle is `shift` from
    that of the face, metres to the right and up. What is picked next is what is seen of them from the front.

    Raises GeometryError where the face is bent, the letters reach beyond it, or the form bounds no volume.
    """
    if not face_planes(mesh).flat[face]:
        raise GeometryError("The face is bent; pick a flat one, or triangulate it first.")
    low, high = letters.bounds
    depth = float(high[2] - low[2])
    local = letters.positions - np.array([0.0, (low[1] + high[1]) / 2, 0.0]) + np.array([*shift, 0.0])
    _require_within(mesh, face, at, local[:, :2], letters)
    out_by = {"raised": depth / 2, "sunk": -depth / 2, "drawn": 0.0}[way]
    placed = (local + np.array([0.0, 0.0, out_by])) @ at.ways + at.middle
    material = np.full(letters.face_count, mesh.material[face], np.int32)
    cutter = mapped(letters, placed).replaced(material=material)
    made = cut(mesh, cutter, _CUTS[way]).mesh
    new = np.full(made.vertex_count, -1, np.int32), np.full(made.face_count, -1, np.int32)
    front = {"raised": depth, "sunk": -depth, "drawn": 0.0}[way]
    seen = _on_letters(made, at, front, letters.replaced(positions=local))
    return Edited(made, *new, np.flatnonzero(seen).astype(np.int32))


def _section(mesh: PolyMesh, faces: Bools, flat: Floats) -> manifold3d.CrossSection:
    """What faces (F) cover of the plane of flat points (V,2)."""
    tris, face = triangulate(mesh)
    rings = flat[mesh.corners[tris[faces[face]]]]
    return manifold3d.CrossSection(list(rings), manifold3d.FillRule.NonZero)


def _front(letters: PolyMesh) -> Bools:
    """(F) the faces of letters that look to +z."""
    out: Bools = unit(area_vectors(letters))[:, 2] > 0.5
    return out


def _require_within(mesh: PolyMesh, face: int, at: Frame, flat: Floats, letters: PolyMesh) -> None:
    one = np.zeros(mesh.face_count, np.bool_)
    one[face] = True
    plate = _section(mesh, one, at.flat(mesh.positions)[:, :2])
    form = _section(letters, _front(letters), flat)
    grain = 1e-6 * form.area()

    def beyond(share: float) -> float:
        return float((form.scale((share, share)) - plate).area())

    if beyond(1.0) <= grain:
        return
    low, high = 0.0, 1.0
    for _ in range(20):
        middle = (low + high) / 2
        low, high = (middle, high) if beyond(middle) <= grain else (low, middle)
    if low < 0.01:
        raise GeometryError("The letters reach beyond the face; move them onto it.")
    raise GeometryError(
        f"The letters reach beyond the face; at {100 * low:.3g} % of their size, and of their way from its "
        "middle, they would lie on it.",
        allowed=low,
    )


def _on_letters(mesh: PolyMesh, at: Frame, front: float, letters: PolyMesh) -> Bools:
    """(F) faces that lie on the front of letters."""
    flat = at.flat(mesh.positions)
    grain = 1e-6 * float(np.ptp(letters.positions, axis=0).max())
    level = np.logical_and.reduceat(np.abs(flat[mesh.corners, 2] - front) <= grain, mesh.face_starts[:-1])
    tris, face = triangulate(mesh)
    # of each face a place in it: the middle of its largest triangle
    p = flat[mesh.corners[tris]][:, :, :2]
    size = np.abs(_twice_area(p[:, 0], p[:, 1], p[:, 2]))
    order = np.lexsort((-size, face))
    first = order[np.searchsorted(face[order], np.arange(mesh.face_count))]
    own, of = triangulate(letters)
    t = letters.positions[letters.corners[own[_front(letters)[of]]]][:, :, :2]
    out = np.zeros(mesh.face_count, np.bool_)
    for k in np.flatnonzero(level).tolist():
        q = p[first[k]].mean(axis=0)
        inside = [_twice_area(t[:, j], t[:, (j + 1) % 3], q) >= 0 for j in range(3)]
        out[k] = bool(np.logical_and.reduce(inside).any())
    return out


def _twice_area(a: Floats, b: Floats, c: Floats) -> Floats:
    """Twice the areas of triangles in the plane, above 0 counter-clockwise."""
    out: Floats = (b[..., 0] - a[..., 0]) * (c[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (c[..., 0] - a[..., 0])
    return out
