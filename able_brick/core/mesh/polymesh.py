"""The polygon mesh: frozen, flat arrays, faces with any number of corners."""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from able_brick.core import tolerances
from able_brick.core.errors import GeometryError
from able_brick.core.mesh.hashing import RULE, content_hash

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int32]
Bools = npt.NDArray[np.bool_]
#: Numbers of vertices, corners, edges or faces, of any width.
Indices = npt.NDArray[np.integer[Any]]

#: What the shading of a surface comes from.
_SHADED_BY: Final = frozenset(("positions", "face_starts", "corners", "sharp", "smooth_angle"))
#: More elements than this are refused: no array in the program may overflow or exhaust memory.
MAX_ELEMENTS: Final = 40_000_000


def following(face_starts: Ints) -> Ints:
    """(C) the corner after each corner, round its face, from the starts (F+1) of the faces."""
    out = np.arange(1, int(face_starts[-1]) + 1, dtype=np.int32)
    out[face_starts[1:] - 1] = face_starts[:-1]
    return out


@dataclass(frozen=True, eq=False)
class PolyMesh:
    """Polygon mesh, right-handed, Y up, metres; faces counter-clockwise seen from outside.

    positions (V,3) float64; face_starts (F+1) int32, rising from 0 to C; corners (C) int32, the vertex of each
    corner; material (F) int32, index into the piece's materials; facet (F) int32; sharp (C) bool, the edge from
    this corner to the next is sharp; uv (C,2) float64 or None; colour (C,4) float64 in 0…1 or None; normal (C,3)
    float64, unit, where a file says how the surface is shaded, or None: the surface itself does; smooth_angle, radians:
    edges bent more than this are shaded sharp. All arrays are read-only.
    Build one with `PolyMesh.checked` unless the arrays are known to be sound.
    """

    positions: Floats
    face_starts: Ints
    corners: Ints
    material: Ints
    facet: Ints
    sharp: Bools
    uv: Floats | None = None
    colour: Floats | None = None
    smooth_angle: float = tolerances.SMOOTH_ANGLE
    normal: Floats | None = None

    @classmethod
    def checked(
        cls,
        positions: npt.ArrayLike,
        face_sizes: npt.ArrayLike,
        corners: npt.ArrayLike,
        *,
        material: npt.ArrayLike | None = None,
        facet: npt.ArrayLike | None = None,
        sharp: npt.ArrayLike | None = None,
        uv: npt.ArrayLike | None = None,
        colour: npt.ArrayLike | None = None,
        smooth_angle: float = tolerances.SMOOTH_ANGLE,
    ) -> PolyMesh:
        """Build a mesh from arrays of unknown quality; shapes as in the class, face_sizes (F) corners per face.

        Raises GeometryError when shapes do not fit, an index points nowhere, a number is not finite, a face has
        fewer than three corners or names a vertex twice.
        """
        p = np.array(positions, dtype=np.float64).reshape(-1, 3)
        sizes = np.array(face_sizes, dtype=np.int64).reshape(-1)
        c = np.array(corners, dtype=np.int64).reshape(-1)
        if max(len(p), len(c)) > MAX_ELEMENTS:
            raise GeometryError(
                f"The mesh has {max(len(p), len(c))} elements; at most {MAX_ELEMENTS} can be held.",
                received=max(len(p), len(c)),
                allowed=MAX_ELEMENTS,
            )
        if not np.isfinite(p).all():
            bad = int(np.flatnonzero(~np.isfinite(p).all(axis=1))[0])
            raise GeometryError(f"Vertex {bad} has a coordinate that is not a finite number.", vertex=bad)
        if len(sizes) and sizes.min() < 3:
            bad = int(np.argmin(sizes))
            raise GeometryError(f"Face {bad} has {sizes[bad]} corners; a face needs at least 3.", face=bad)
        if int(sizes.sum()) != len(c):
            raise GeometryError(f"The faces claim {int(sizes.sum())} corners but {len(c)} are given.")
        if len(c) and (c.min() < 0 or c.max() >= len(p)):
            bad = int(np.flatnonzero((c < 0) | (c >= len(p)))[0])
            raise GeometryError(
                f"Corner {bad} names vertex {c[bad]}; the mesh has vertices 0 to {len(p) - 1}.", corner=bad
            )
        starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
        faces = np.repeat(np.arange(len(sizes)), sizes)
        order = np.lexsort((c, faces))
        twice = (faces[order][1:] == faces[order][:-1]) & (c[order][1:] == c[order][:-1])
        if twice.any():
            bad = int(faces[order][1:][twice][0])
            raise GeometryError(f"Face {bad} names one vertex twice; drop the repeated corner.", face=bad)

        def per(
            name: str, value: npt.ArrayLike | None, shape: tuple[int, ...], kind: npt.DTypeLike
        ) -> npt.NDArray[np.generic]:
            a = np.zeros(shape, kind) if value is None else np.array(value, dtype=kind)
            if a.shape != shape:
                raise GeometryError(f"{name} has shape {a.shape}; {shape} is needed.")
            return a

        if uv is not None and not np.isfinite(np.asarray(uv, dtype=np.float64)).all():
            raise GeometryError("A texture coordinate is not a finite number.")
        f, n = len(sizes), len(c)
        return cls.trusted(
            p,
            starts,
            c.astype(np.int32),
            material=per("material", material, (f,), np.int32),
            facet=per("facet", facet, (f,), np.int32),
            sharp=per("sharp", sharp, (n,), np.bool_),
            uv=None if uv is None else per("uv", uv, (n, 2), np.float64),
            colour=None if colour is None else per("colour", colour, (n, 4), np.float64),
            smooth_angle=smooth_angle,
        )

    @classmethod
    def trusted(
        cls,
        positions: npt.NDArray[np.generic],
        face_starts: npt.NDArray[np.generic],
        corners: npt.NDArray[np.generic],
        *,
        material: npt.NDArray[np.generic] | None = None,
        facet: npt.NDArray[np.generic] | None = None,
        sharp: npt.NDArray[np.generic] | None = None,
        uv: npt.NDArray[np.generic] | None = None,
        colour: npt.NDArray[np.generic] | None = None,
        smooth_angle: float = tolerances.SMOOTH_ANGLE,
        normal: npt.NDArray[np.generic] | None = None,
    ) -> PolyMesh:
        """Freeze arrays that are known to be sound, without checks; missing attributes become zeros."""
        f, n = len(face_starts) - 1, len(corners)

        def frozen(a: npt.NDArray[np.generic], kind: npt.DTypeLike) -> npt.NDArray[Any]:
            out: npt.NDArray[Any] = np.ascontiguousarray(a, dtype=kind)
            if out is a or out.base is not None:
                out = out.copy() if out.flags.writeable else out
            out.flags.writeable = False
            return out

        return cls(
            frozen(positions, np.float64),
            frozen(face_starts, np.int32),
            frozen(corners, np.int32),
            frozen(np.zeros(f, np.int32) if material is None else material, np.int32),
            frozen(np.zeros(f, np.int32) if facet is None else facet, np.int32),
            frozen(np.zeros(n, np.bool_) if sharp is None else sharp, np.bool_),
            None if uv is None else frozen(uv, np.float64),
            None if colour is None else frozen(colour, np.float64),
            float(smooth_angle),
            None if normal is None else frozen(normal, np.float64),
        )

    def replaced(self, **arrays: Any) -> PolyMesh:
        """The mesh with other arrays, by their names in the class; the rest stays. They must be sound together.

        The normals of a file go where the surface becomes another, unless they are given.
        """
        kept = {f.name: getattr(self, f.name) for f in fields(self)}
        if self.normal is not None and not _SHADED_BY.isdisjoint(arrays):
            kept["normal"] = None
        return PolyMesh.trusted(**(kept | arrays))

    def with_corners(self, order: npt.NDArray[np.integer[Any]], **arrays: Any) -> PolyMesh:
        """The mesh with its corners and what lies on them taken in another order (C'), and other arrays by name.

        Flags of edges do not follow by themselves: give `sharp`, and faces where they are others.
        """
        kept = {"uv": self.uv, "colour": self.colour, "normal": self.normal}
        taken = {k: None if a is None else a[order] for k, a in kept.items()}
        return self.replaced(**({"corners": self.corners[order]} | taken | arrays))

    @property
    def vertex_count(self) -> int:
        return len(self.positions)

    @property
    def face_count(self) -> int:
        return len(self.face_starts) - 1

    @cached_property
    def face_sizes(self) -> Ints:
        """(F) corners of each face."""
        return np.diff(self.face_starts)

    @cached_property
    def corner_face(self) -> Ints:
        """(C) face of each corner."""
        return np.repeat(np.arange(self.face_count, dtype=np.int32), self.face_sizes)

    @cached_property
    def next_corner(self) -> Ints:
        """(C) the corner after each corner, round its face."""
        return following(self.face_starts)

    @cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner (3,), (3,) of the box round all vertices; zeros for an empty mesh."""
        if not len(self.positions):
            return np.zeros(3), np.zeros(3)
        rows = np.ascontiguousarray(self.positions.T)  # quicker than along an axis of many
        return rows.min(axis=1), rows.max(axis=1)

    def keep_name(self, content_hash: str, rule: int) -> None:
        """Be called as the very same mesh was by an earlier rule: that name stays valid."""
        self.__dict__["content_hash"], self.__dict__["hash_rule"] = content_hash, rule

    @cached_property
    def hash_rule(self) -> int:
        """The rule by which it is called as it is."""
        return RULE

    def know(self, content_hash: str, bounds: tuple[Floats, Floats]) -> None:
        """Take over what has been computed of the very same mesh in another process; the arrays stay as they are."""
        self.__dict__["content_hash"], self.__dict__["bounds"] = content_hash, bounds

    @property
    def triangle_count(self) -> int:
        """Triangles that the engine gets: an n-gon counts n − 2."""
        return int(len(self.corners) - 2 * self.face_count)

    @cached_property
    def content_hash(self) -> str:
        """Hex hash over every array, by `hash_rule`: equal meshes have equal hashes by one rule, on every machine."""
        return content_hash(self)
