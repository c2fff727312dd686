"""What files hold, whatever their format: parts, materials, and where the parts stand."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final, Literal

import numpy as np

from able_brick.core.mesh.hardware import HardwareVertices, hardware_vertices
from able_brick.core.mesh.polymesh import Floats, PolyMesh

#: Points that are moved at once.
_AT_ONCE = 1_000_000


Media = Literal["image/png", "image/jpeg", "image/webp"]
SUFFIXES: Final[dict[Media, str]] = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}
#: How alpha counts: not at all, by a threshold, or as a mixture.
Alpha = Literal["opaque", "mask", "blend"]
#: Offset u and v, rotation in radians, scale u and v, as KHR_texture_transform has them.
UvTransform = tuple[float, float, float, float, float]


@dataclass(frozen=True)
class Texture:
    """A picture as it stood in its file: PNG, JPEG or WebP bytes, never decoded here."""

    name: str
    media: Media
    data: bytes = field(repr=False)

    @cached_property
    def content_hash(self) -> str:
        """Hex SHA-256 of the bytes."""
        return hashlib.sha256(self.data).hexdigest()[:40]

    @property
    def suffix(self) -> str:
        return SUFFIXES[self.media]


@dataclass(frozen=True)
class Material:
    """A surface: linear base colour r, g, b, a in 0…1; roughness and metallic in 0…1; the picture on it.

    `alpha` None is a mixture where the colour is not opaque. What of a `mask` is below the `cutoff` is not there.
    """

    name: str
    colour: tuple[float, float, float, float] = (0.6, 0.58, 0.52, 1.0)
    roughness: float = 0.8
    metallic: float = 0.0
    texture: Texture | None = None
    alpha: Alpha | None = None
    cutoff: float = 0.5
    both_sides: bool = False
    uv_transform: UvTransform | None = None


@dataclass(frozen=True, eq=False)
class ScenePartRung:
    """The same form as a part with fewer triangles, its faces' materials those of the part; good where the part takes
    no more than `coverage`, 0…1, of the picture's area; None where that is not given."""

    mesh: PolyMesh
    coverage: float | None = None
    shaded: HardwareVertices | None = field(default=None, repr=False)


@dataclass(frozen=True, eq=False)
class ScenePart:
    """A named mesh with the materials that its faces' indices point into; `shaded` where it has other hardware vertices
    than its form alone says. `rungs` go from many triangles to few; `piece` names the piece of a level that it is."""

    name: str
    mesh: PolyMesh
    materials: tuple[Material, ...] = ()
    shaded: HardwareVertices | None = field(default=None, repr=False)
    rungs: tuple[ScenePartRung, ...] = ()
    piece: str = ""

    @property
    def hardware(self) -> HardwareVertices:
        """Its hardware vertices."""
        return hardware_vertices(self.mesh) if self.shaded is None else self.shaded

    @property
    def every(self) -> list[ScenePart]:
        """It without its rungs, and each of these as a part."""
        bare = ScenePart(self.name, self.mesh, self.materials, self.shaded)
        return [
            bare,
            *(ScenePart(f"{self.name}_LOD{k}", r.mesh, self.materials, r.shaded) for k, r in enumerate(self.rungs, 1)),
        ]


@dataclass(frozen=True)
class Node:
    """Something standing in a scene: a part (index) or None for a bare group, with its own children.

    translation (3,) metres, rotation unit quaternion xyzw, scale (3,). `thing` names what it is in its level; `others`
    is what other tools stored with it, as the text of a JSON object.
    """

    name: str
    part: int | None = None
    translation: tuple[float, float, float] = (0.0, 0.0, 0.0)
    rotation: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0)
    children: tuple[Node, ...] = ()
    extras: dict[str, object] = field(default_factory=dict)
    thing: str = ""
    others: str | None = None


@dataclass(frozen=True, eq=False)
class Instance:
    """A part that stands somewhere: its index, its name there, the 4×4 matrix to the world, the group that it is in;
    the thing of a level that it belongs to, where it stands as that says; and what others tell of it, see
    `others_extras`."""

    part: int
    name: str
    matrix: Floats
    group: int | None = None
    thing: str = ""
    extras: str = ""


@dataclass(frozen=True, eq=False)
class GroupAt:
    """A group of a scene: its name, the group that it is in itself, which comes before it, and the 4×4 matrix of its
    pivot to the world; the thing of a level that it is, where it stands as that says; and what others tell of it."""

    name: str
    parent: int | None
    matrix: Floats
    thing: str = ""
    extras: str = ""


@dataclass(frozen=True, eq=False)
class KeptLevel:
    """What a file that Able Brick wrote tells of its level: rows, which nobody has looked at yet; the things that stand
    where those say, each with the thing that it is in, "" for none, and its name in the file, and what others tell of
    it there; and all things that had nodes when it was written."""

    rows: dict[str, object]
    standing: dict[str, tuple[str, str, str]]
    written: frozenset[str]


@dataclass(frozen=True, eq=False)
class Scene:
    """Parts and where they stand; `notes` tells what was dropped or mended while reading; `kept` is what the file tells
    of a level that it was written from."""

    parts: tuple[ScenePart, ...]
    instances: tuple[Instance, ...] = ()
    notes: tuple[str, ...] = ()
    groups: tuple[GroupAt, ...] = ()
    kept: KeptLevel | None = None

    def bounds(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner (3,) of everything as it stands; the parts alone when nothing stands."""
        standing: dict[int, list[Floats]] = {}
        for i in self.instances:
            standing.setdefault(i.part, []).append(i.matrix)
        every = standing or {k: [np.eye(4)] for k in range(len(self.parts))}
        lows, highs = [], []
        for part, matrices in every.items():
            points = self.parts[part].mesh.positions
            if not len(points):
                continue
            some = max(1, _AT_ONCE // len(points))
            for k in range(0, len(matrices), some):
                m = np.array(matrices[k : k + some])
                cloud = points @ m[:, :3, :3].transpose(0, 2, 1) + m[:, None, :3, 3]
                lows.append(cloud.min(axis=(0, 1)))
                highs.append(cloud.max(axis=(0, 1)))
        if not lows:
            return np.zeros(3), np.zeros(3)
        return np.min(lows, axis=0), np.max(highs, axis=0)
