"""What all rows have in common. Frozen; every number finite; unknown fields refused."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, is_dataclass
from functools import cache, partial
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Final, NamedTuple, Self

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from able_brick.core.errors import GeometryError
from able_brick.core.files.gltf.extras import checked_extras
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.dock import Motion, plain
from able_brick.core.place.mirror import Reflection
from able_brick.core.place.pose import ORIGIN

if TYPE_CHECKING:
    from able_brick.level.rows.instances import Instances, LevelContext

#: No number of a row is larger, metres.
MOST: Final = 1e7
Number = Annotated[float, Field(ge=-MOST, le=MOST)]
Vector = tuple[Number, Number, Number]
Quaternion = tuple[float, float, float, float]


class Refs(NamedTuple):
    """Hashes of what a row has in the project file: meshes and pictures without which it cannot be, and `past` ones,
    which are only kept for as long as the history knows the row."""

    meshes: frozenset[str] = frozenset()
    pictures: frozenset[str] = frozenset()
    past: frozenset[str] = frozenset()

    @property
    def every(self) -> frozenset[str]:
        """All of them."""
        return self.meshes | self.pictures | self.past


NO_REFS: Final = Refs()


class Row(BaseModel):
    """Base of all rows: a readable id such as `placement-12`, unique in the project."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, ser_json_inf_nan="constants")

    id: str

    @property
    def refs(self) -> Refs:
        """What of the project file's meshes and pictures belongs to it: that is kept, copied and looked after."""
        return NO_REFS

    def changed(self, **values: object) -> Self:
        """The row with other values, which are validated. Raises GeometryError where a number is out of range."""
        kind = type(self)
        fields = self.__dict__.copy()
        for name, value in values.items():
            try:
                fields[name] = _field(kind, name)(value)
            except ValidationError as error:
                raise unsound(str(getattr(self, "name", "")), error, name) from error
        return self._of(fields, {*self.model_fields_set, *values})

    def like(self, values: Iterable[dict[str, object]]) -> Iterator[Self]:
        """Many rows with other values, all for the same fields, of which only the first ones are validated."""
        return map(self.maker(), values)

    def maker(self) -> Callable[[dict[str, object]], Self]:
        """Makes rows with other values, all for the same fields, of which only the first ones are validated."""
        return partial(self._alike, [])

    def _alike(self, made: list[Self], some: dict[str, object]) -> Self:
        if made:
            return self._of({**made[0].__dict__, **some}, made[0].model_fields_set)
        made.append(self.changed(**some))
        return made[0]

    def _of(self, fields: dict[str, Any], chosen: set[str]) -> Self:
        row = self.__class__.__new__(self.__class__)
        put = object.__setattr__
        put(row, "__dict__", fields)
        put(row, "__pydantic_fields_set__", chosen)
        put(row, "__pydantic_extra__", None)
        put(row, "__pydantic_private__", None)
        return row


@cache
def _field(kind: type[Row], name: str) -> Callable[[object], Any]:
    """What validates one field of a kind of row."""
    info = kind.model_fields[name]
    of: Any = Annotated[info.annotation, *info.metadata] if info.metadata else info.annotation
    kind_of = info.annotation
    own = isinstance(kind_of, type) and (issubclass(kind_of, BaseModel) or is_dataclass(kind_of))
    adapter = TypeAdapter(of) if own else TypeAdapter(of, config=ConfigDict(allow_inf_nan=False))
    return adapter.validator.validate_python


def unsound(name: str, error: ValidationError, field: str | None = None) -> GeometryError:
    """What a row's own limits refuse, in words."""
    first = error.errors()[0]
    what = field or (str(first["loc"][0]) if first["loc"] else "row")
    got = first.get("input")
    value = f" ({got:.3g})" if isinstance(got, (int, float)) and not isinstance(got, bool) else ""
    if first["type"] in ("greater_than_equal", "less_than_equal", "finite_number"):
        return GeometryError(
            f"{name or 'Something'} would go beyond 10 000 km: its {what} is out of range{value}. "
            "Give smaller numbers.",
            field=what,
        )
    return GeometryError(f"{name or 'Something'} cannot have that {what}; give another.", field=what)


#: What other tools tell of a node in a file, as the text of a JSON object.
Extras = Annotated[str, AfterValidator(checked_extras)]


@dataclass(frozen=True, eq=False)
class Scaling:
    """Factors (3,) along axes, about a point (3,): p' = c + A diag(f) Aᵀ (p − c)."""

    factors: Floats
    axes: Rotation
    about: Floats

    def matrix(self) -> Floats:
        """It as a matrix (3,3)."""
        turn = self.axes.as_matrix()
        out: Floats = turn @ np.diag(self.factors) @ turn.T
        return out

    def vector(self, v: Vector | Floats) -> Floats:
        """A direction (3,) after it."""
        out: Floats = self.axes.apply(self.axes.inv().apply(np.asarray(v, np.float64)) * self.factors)
        return out

    def point(self, p: Vector) -> Vector:
        """Where a point goes."""
        return plain(self.vector(np.subtract(p, self.about)) + self.about)


class Thing(Row):
    """Base of what stands in a level. `hidden` is not drawn, `locked` is not changed; both are exported.

    `group` is the group that it is in; None at the level's root.
    """

    level: str
    name: str
    group: str | None = None
    hidden: bool = False
    locked: bool = False

    #: What one is called, with its article.
    words: ClassVar[str] = "a thing"
    #: It shows pieces, and can be given others.
    shows_pieces: ClassVar[bool] = False
    #: It is moved, turned and docked by itself; what is not follows something else.
    stands: ClassVar[bool] = True
    #: A piece can be made of it that nothing else shows.
    independent: ClassVar[bool] = False

    def needs(self) -> tuple[tuple[str, str], ...]:
        """The rows without which it cannot be: pairs of a kind and an id."""
        return () if self.group is None else (("group", self.group),)

    def copied(self, ids: Mapping[str, str]) -> dict[str, object]:
        """What a copy has instead, where what it needs is copied with it: new ids by old ones."""
        return {} if self.group is None else {"group": ids.get(self.group, self.group)}

    @property
    def pieces(self) -> tuple[str, ...]:
        """The pieces that it shows, each once."""
        return ()

    def with_piece(self, old: str, new: str) -> Self:
        """It with another piece in the place of one that it shows."""
        return self

    def shown(self, context: LevelContext) -> Instances | None:
        """Every item that it shows, as if it stood in no group; None where it shows none.

        Raises GeometryError for what cannot be.
        """
        return None

    def drawn(self) -> Floats | None:
        """Points (N,3) of what is drawn of itself; None where nothing is."""
        return None

    def moved(self, motion: Motion) -> Self:
        """It after a motion; what follows something else stays as it is."""
        return self

    def reflected(self, over: Reflection) -> Self:
        """It on the other side of a plane, but for what it shows."""
        return self

    def sized(self, scaling: Scaling) -> Self:
        """It after a scaling. Raises SelectionError where that would skew it."""
        return self

    @property
    def anchor(self) -> Vector:
        """The point that it is moved and turned by, metres."""
        return ORIGIN

    @property
    def own_axes(self) -> Rotation:
        """Its axes as it stands; the world's where it has none."""
        return Rotation.identity()
