"""A mesh taken apart: faces as meshes of their own, and parts that are the same but for how they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from hashlib import blake2b
from typing import Final

import numpy as np

from able_brick.core.mesh.combine import turned_over
from able_brick.core.mesh.polymesh import Bools, Floats, Ints, PolyMesh
from able_brick.core.mesh.spans import spans


def only(mesh: PolyMesh, faces: Bools) -> PolyMesh:
    """The mesh of some faces (F) alone, with all that they have, in their order; vertices that they have not are left
    out."""
    corner = np.flatnonzero(faces[mesh.corner_face])
    return _of(mesh, np.flatnonzero(faces), corner)


def apart(mesh: PolyMesh, label: Ints, count: int) -> list[PolyMesh]:
    """The meshes of the faces of each label (F), 0 … count − 1, as `only` gives them."""
    order = np.argsort(label, kind="stable")
    ends = np.cumsum(np.bincount(label, minlength=count))
    out = []
    for faces in np.split(order, ends[:-1]):
        out.append(_of(mesh, faces, spans(mesh.face_starts[faces], mesh.face_sizes[faces])))
    return out


def _of(mesh: PolyMesh, faces: np.ndarray, corner: np.ndarray) -> PolyMesh:
    vertices, at = np.unique(mesh.corners[corner], return_inverse=True)
    return mesh.with_corners(
        corner,
        corners=at.ravel(),
        positions=mesh.positions[vertices],
        face_starts=np.concatenate([[0], np.cumsum(mesh.face_sizes[faces])]),
        material=mesh.material[faces],
        facet=mesh.facet[faces],
        sharp=mesh.sharp[corner],
    )


#: What is thinner than this, in its size, is flat.
_FLAT: Final = 1e-9


@dataclass(frozen=True, eq=False)
class Motion:
    """x → x · turn (3,3) + shift (3,), metres; `turned_over` where it mirrors."""

    turn: Floats
    shift: Floats
    turned_over: bool


def motion_between(one: Floats, other: Floats, *, over: bool = False) -> tuple[Motion, float]:
    """The motion that takes points (n,3) nearest to others (n,3) in the mean, mirrored where that is nearer.

    And how far from them the farthest then is, metres. What is flat is mirrored where it is to be turned `over`.
    K. S. Arun et al., Least-squares fitting of two 3-D point sets, 1987.
    """
    a, b = one.mean(axis=0), other.mean(axis=0)
    u, s, vt = np.linalg.svd((one - a).T @ (other - b))
    turn: Floats = u @ vt
    # what is flat fits both ways
    if (np.linalg.det(turn) < 0) != over and s[2] <= _FLAT * max(float(s[0]), 1e-300):
        u[:, 2] = -u[:, 2]
        turn = u @ vt
    shift = b - a @ turn
    off = float(np.linalg.norm(one @ turn + shift - other, axis=1).max(initial=0.0))
    return Motion(turn, shift, bool(np.linalg.det(turn) < 0)), off


@dataclass(frozen=True, eq=False)
class Copy:
    """A part that is another one, but for how it stands: the number of the first of its form, and the motion from that
    one to it; None for the first one itself."""

    of: int
    motion: Motion | None


#: Places on a picture that are nearer than this are the same.
_SAME_UV: Final = 1e-6
#: A part that is farther off than the tolerance, but not than so many times it, nearly repeats.
_NEARLY: Final = 100.0


def copies(parts: Sequence[PolyMesh], tolerance: float) -> tuple[list[Copy], int, float]:
    """What repeats among parts, mirrored too, within a tolerance in metres.

    And how many more nearly do, and how far off the farthest of these is.
    Parts are compared corner by corner in their own order, as they are where one mesh was put together from others.
    """
    forms: dict[bytes, _Forms] = {}
    out: list[Copy] = []
    nearly, off_by = 0, 0.0
    for number, part in enumerate(parts):
        plain, over = _Ordered.of(part), None
        best: tuple[float, Copy] | None = None
        for mirrored in (False, True):
            if mirrored:
                over = _Ordered.of(turned_over(part))
            mine = over if over is not None else plain
            for first, form in _alike(forms.get(mine.key), mine, _NEARLY * tolerance):
                motion, off = motion_between(form.points, mine.points, over=mirrored)
                if motion.turned_over == mirrored and mine.same_picture(form) and (best is None or off < best[0]):
                    best = (off, Copy(first, motion))
                    if off <= tolerance:
                        break
            if best is not None and best[0] <= tolerance:
                break
        if best is not None and best[0] <= tolerance:
            out.append(best[1])
            continue
        if best is not None and best[0] <= _NEARLY * tolerance:
            nearly, off_by = nearly + 1, max(off_by, best[0])
        out.append(Copy(number, None))
        forms.setdefault(plain.key, _Forms([], [])).add(number, plain)
    return out, nearly, off_by


@dataclass(eq=False)
class _Ordered:
    """A part with its vertices in the order in which its corners name them: what it is made of, its points (n,3), its
    corners' uv and colours, and how far its points are from their middle in all."""

    key: bytes
    points: Floats
    uv: Floats | None
    colour: Floats | None
    size: float

    @classmethod
    def of(cls, mesh: PolyMesh) -> _Ordered:
        _, first, number = np.unique(mesh.corners, return_index=True, return_inverse=True)
        rank = np.empty(len(first), np.int64)
        rank[np.argsort(first)] = np.arange(len(first))
        points = mesh.positions[mesh.corners[np.sort(first)]]
        made = (mesh.face_sizes, rank[number.ravel()], mesh.material, mesh.sharp)
        key = blake2b(b"|".join(np.ascontiguousarray(a).tobytes() for a in made), digest_size=16).digest()
        size = float(np.linalg.norm(points - points.mean(axis=0), axis=1).sum())
        return cls(key, points, mesh.uv, mesh.colour, size)

    def same_picture(self, other: _Ordered) -> bool:
        """Whether both have the same places on their pictures, and the same colours."""
        for mine, theirs in ((self.uv, other.uv), (self.colour, other.colour)):
            if (mine is None) != (theirs is None):
                return False
            if mine is not None and theirs is not None and np.abs(mine - theirs).max(initial=0.0) > _SAME_UV:
                return False
        return True


@dataclass(eq=False)
class _Forms:
    """The first parts of each form that are made of the same faces, and the sizes of these."""

    parts: list[tuple[int, _Ordered]]
    sizes: list[float]

    def add(self, number: int, part: _Ordered) -> None:
        self.parts.append((number, part))
        self.sizes.append(part.size)


def _alike(forms: _Forms | None, part: _Ordered, far: float) -> list[tuple[int, _Ordered]]:
    """Those of the forms that may be the part where no point of it is farther off than `far`."""
    if forms is None:
        return []
    near = np.abs(np.array(forms.sizes) - part.size) <= 2 * len(part.points) * far
    return [forms.parts[k] for k in np.flatnonzero(near)]
