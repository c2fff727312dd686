"""The rows that a project is made of. Frozen; every number finite; unknown fields refused."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from able_brick.core.errors import GeometryError
from able_brick.core.files.part import Material, Texture
from able_brick.core.path.course import Fit, Running, Stand
from able_brick.core.place.pose import IDENTITY, ONE, ORIGIN
from able_brick.level.shapes.catalogue import AnyShape

Number = Annotated[float, Field(ge=-1e7, le=1e7)]
Vector = tuple[Number, Number, Number]
Quaternion = tuple[float, float, float, float]


class Row(BaseModel):
    """Base of all rows: a readable id such as `placement-12`, unique in the project."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, ser_json_inf_nan="constants")

    id: str

    def changed(self, **values: object) -> Self:
        """The row with other values, validated anew. Raises GeometryError where a number is out of range."""
        try:
            return type(self).model_validate({**dict(self), **values})
        except ValidationError as error:
            raise unsound(str(getattr(self, "name", "")), error) from error


def unsound(name: str, error: ValidationError) -> GeometryError:
    """What a row's own limits refuse, in words."""
    first = error.errors()[0]
    what = str(first["loc"][0]) if first["loc"] else "row"
    got = first.get("input")
    value = f" ({got:.3g})" if isinstance(got, (int, float)) and not isinstance(got, bool) else ""
    if first["type"] in ("greater_than_equal", "less_than_equal", "finite_number"):
        return GeometryError(
            f"{name or 'Something'} would go beyond 10 000 km: its {what} is out of range{value}. "
            "Give smaller numbers.",
            field=what,
        )
    return GeometryError(f"{name or 'Something'} cannot have that {what}; give another.", field=what)


class Surface(BaseModel):
    """A material of a piece: linear base colour and how rough and metallic it is, each 0…1.

    `texture` is the hash of the picture that the colour is multiplied with.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str
    colour: tuple[float, float, float, float]
    roughness: float = 0.8
    metallic: float = 0.0
    texture: str | None = None

    def material(self, pictures: Callable[[str], Texture] | None = None) -> Material:
        """The material; without `pictures` it stays plain."""
        texture = None if self.texture is None or pictures is None else pictures(self.texture)
        return Material(self.name, self.colour, self.roughness, self.metallic, texture)

    @classmethod
    def of(cls, m: Material) -> Surface:
        texture = None if m.texture is None else m.texture.content_hash
        return cls(name=m.name, colour=m.colour, roughness=m.roughness, metallic=m.metallic, texture=texture)


class Facts(BaseModel):
    """What is known of a piece's mesh without loading it: counts, and its box.

    The box lies along the axes of the piece's pivot and is measured from the mesh's origin.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    vertices: int
    faces: int
    triangles: int
    hardware_vertices: int
    closed: bool
    low: Vector
    high: Vector


class SlimOrigin(BaseModel):
    """Where a slimmed piece came from, and what it cost: measured deviation in metres."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    piece: str
    mesh: str
    triangles: int
    rms: float
    largest: float


class Dimensions(BaseModel):
    """The parameters that a piece was drawn with, and the mesh that they made."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    shape: AnyShape
    mesh: str


class Piece(Row):
    """A reusable mesh on the shelf.

    `pivot` is in the mesh's coordinates; `axes` turns the mesh's axes into the pivot's. `dimensions` are live as long
    as the piece has the mesh that they made; afterwards they are the way back.
    """

    kind: Literal["piece"] = "piece"
    name: str
    mesh: str
    pivot: Vector = ORIGIN
    axes: Quaternion = IDENTITY
    materials: tuple[Surface, ...] = ()
    facts: Facts
    slim: SlimOrigin | None = None
    tags: tuple[str, ...] = ()
    dimensions: Dimensions | None = None

    @property
    def live(self) -> bool:
        """Whether the dimensions still make the piece's mesh."""
        return self.dimensions is not None and self.dimensions.mesh == self.mesh


class LevelRow(Row):
    """A level and its settings, metres; `home` is where the view starts: the eye and what it looks at."""

    kind: Literal["level"] = "level"
    name: str
    step: float = 0.5
    module: float = 4.0
    turn_step: float = 15.0
    budget: int = 180_000
    home: tuple[Vector, Vector] | None = None


class Thing(Row):
    """Base of what stands in a level. `hidden` is not drawn, `locked` is not changed; both are exported.

    `group` is the group that it is in; None at the level's root.
    """

    level: str
    name: str
    group: str | None = None
    hidden: bool = False
    locked: bool = False


class Placement(Thing):
    """A piece standing in the level: turn as unit quaternion xyzw, size as factors."""

    kind: Literal["placement"] = "placement"
    piece: str
    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY
    size: Vector = ONE


class LineArray(Thing):
    """Live repetition along one of the first item's own axes; spacing in piece lengths or in metres."""

    kind: Literal["array"] = "array"
    piece: str
    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY
    size: Vector = ONE
    axis: Literal["x", "y", "z", "-x", "-y", "-z"] = "x"
    count: int = 3
    spacing_by: Literal["lengths", "metres"] = "lengths"
    spacing: float = 1.0


class Point(BaseModel):
    """A point of a path; handles are offsets, None where the span is straight or automatic."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    position: Vector
    handle_in: Vector | None = None
    handle_out: Vector | None = None


class Path(Thing):
    """A curve in the level."""

    kind: Literal["path"] = "path"
    points: tuple[Point, ...]
    closed: bool = False
    smooth: bool = True


class Course(Thing):
    """Pieces laid along a path, live; lengths in metres."""

    kind: Literal["course"] = "course"
    piece: str
    path: str
    fit: Fit = Fit.FILL
    number: int = 10
    spacing: float = 4.0
    gap: float = 0.0
    sideways: float = 0.0
    up: float = 0.0
    stand: Stand = Stand.UPRIGHT
    running: Running = Running.AUTO
    flip: bool = False


class Group(Thing):
    """Things moved as one, and the group's own pivot in the world.

    What is in it keeps world coordinates of its own: putting things in and taking them out moves nothing.
    """

    kind: Literal["group"] = "group"
    position: Vector = ORIGIN
    turn: Quaternion = IDENTITY


class Measure(Thing):
    """A distance that is kept in sight: between two points of the world, metres."""

    kind: Literal["measure"] = "measure"
    start: Vector
    end: Vector


AnyThing = Annotated[Placement | LineArray | Path | Course | Group | Measure, Field(discriminator="kind")]
AnyRow = Annotated[
    Piece | LevelRow | Placement | LineArray | Path | Course | Group | Measure, Field(discriminator="kind")
]
