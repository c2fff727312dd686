"""Lay pieces along a path, and change how."""

from __future__ import annotations

from typing import Any, Final, Literal

from able_brick.core.errors import GeometryError, InputError
from able_brick.core.path.course import CornerTurn, Fit, Stand
from able_brick.core.path.course import Course as Laid
from able_brick.core.path.running import Running
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.text import counted, millimetres, stretched
from able_brick.level.field import field
from able_brick.level.rows import Course, Path, Piece, Placement
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.paths import Points, drawn_path
from able_brick.steps.tool import Need, Tool

#: Ends and joints that are nearer than this count as closed, metres.
_EXACT: Final = 1e-9
#: Settings of the tools that a course does not keep.
_NOT_OF_COURSE: Final = frozenset({"tool", "piece", "name", "ends", "points", "smooth", "closed"})
#: Pieces that may follow one another in a pattern.
_MOST_PATTERN: Final = 64


def _other_piece(title: str, about: str) -> Any:
    return field(None, title, about, widget="piece", section="Rhythm")


class _CourseSettings(Tool):
    verb = "Lay"
    stages = ("build",)
    icon = "waypoints"

    piece: str = field("", "Piece", "The piece to lay along the path", widget="piece")
    corner: str | None = field(None, "Corner", "The piece that stands where the path turns sharply", widget="piece")
    bend: bool = field(False, "Bend", "Pieces bend with the path and share their seams; off lays them as they are")
    fit: Fit = field(Fit.FILL, "Fit", "Fill the path with whole pieces, set their number, or set their spacing")
    number: int = field(10, "Number", "How many items", ge=1, le=MOST_ITEMS, when={"fit": ["number"]})
    spacing: float = field(
        4.0, "Spacing", "Centre to centre", unit="m", step=0.1, gt=0, le=100_000, when={"fit": ["spacing"]}
    )
    gap: float = field(
        0.0,
        "Gap",
        "Space between items; negative overlaps",
        unit="m",
        step=0.05,
        ge=-1000,
        le=1000,
        when={"fit": ["fill"]},
    )
    stand: Stand = field(
        Stand.UPRIGHT, "Stand", "Upright, in steps or raked on slopes, or following the slope of the path"
    )
    first: str | None = _other_piece("First", "The piece at the start of an open path")
    last: str | None = _other_piece("Last", "The piece at the end of an open path")
    pattern: tuple[str, ...] = field(
        (),
        "Then",
        "Pieces that follow the first one, over and over",
        widget="pieces",
        section="Rhythm",
        max_length=_MOST_PATTERN,
    )
    corner_angle: float = field(
        30.0,
        "Corner from",
        "Where the path turns by this or more, runs end at the corner",
        unit="°",
        step=5,
        ge=1,
        le=180,
        section="Rhythm",
    )
    corner_turn: CornerTurn = field(
        CornerTurn.COMING, "Corner looks", "As the path comes, or halfway round the corner", section="Rhythm"
    )
    sideways: float = field(
        0.0, "Sideways", "Offset to the left of the path", unit="m", step=0.1, ge=-10_000, le=10_000, section="Place"
    )
    up: float = field(0.0, "Up", "Offset upward", unit="m", step=0.1, ge=-10_000, le=10_000, section="Place")
    running: Running = field(
        Running.AUTO,
        "Running axis",
        "The piece's axis that goes along the path; auto takes the longer one",
        section="Place",
    )
    flip: bool = field(False, "Flip", "Turn the items round, front to back", section="Place")
    stations: str | None = field(
        None,
        "Joints as",
        "A course on the same path: items begin and end where its items do",
        widget="course",
        section="Place",
    )
    between: str | None = field(
        None,
        "Reach to",
        "A second path: pieces reach from the one to the other, however far apart they are",
        widget="path",
        section="Place",
    )

    def settings(self) -> dict[str, object]:
        return {k: v for k, v in dict(self).items() if k not in _NOT_OF_COURSE}

    def check(self, draft: Draft, path: Path, course: str | None) -> None:
        """Refuse what the settings name and is not there, or does not suit."""
        for name in ("first", "last", "corner"):
            if getattr(self, name):
                draft.piece(getattr(self, name))
        for piece in self.pattern:
            draft.piece(piece)
        if self.stations is not None:
            base = draft.thing(self.stations)
            if not isinstance(base, Course) or base.path != path.id:
                raise InputError("Joints can be shared with a course on the same path only.", field="stations")
            while isinstance(base, Course):
                if base.id == course:
                    raise InputError(
                        f"{base.name} would share joints that are, in the end, its own. Choose another course.",
                        field="stations",
                    )
                base = None if base.stations is None else draft.thing(base.stations)
        if self.between is not None and (self.between == path.id or not isinstance(draft.thing(self.between), Path)):
            raise InputError("Pieces can reach to another path of the level only.", field="between")

    @staticmethod
    def tell(draft: Draft, course: Course, path: Path) -> None:
        found = course.laid(draft.seen_with(course))
        n = len(found.slots)
        if course.fit is Fit.FILL and course.stations is None:
            draft.note = f"{counted(n, 'item', 'items')}, stretch {stretched(found.stretch)}{_closing(found, path)}"
        elif course.stations is None:
            draft.note = f"{counted(n, 'item', 'items')}, {found.pitch:.2f} m centre to centre"
        else:
            draft.note = f"{counted(n, 'item', 'items')} in the joints of another course"


def _closing(found: Laid, path: Path) -> str:
    """How exactly a filled path is closed."""
    joints = "" if found.joints_off <= _EXACT else f", joints off by up to {millimetres(found.joints_off)}"
    if path.closed:
        return joints or ", closed all round exactly"
    if found.ends_off > _EXACT:
        return f", ends off by {millimetres(found.ends_off)}"
    return f", ends closed exactly{joints}"


class _Laying(_CourseSettings):
    ends: bool = field(
        True,
        "Corner piece at ends",
        "The piece in the corners stands at both ends of an open path as well, where no other is chosen",
        section="Rhythm",
    )
    name: str = field("", "Name", "Name in the level list", max_length=80)

    def lay(self, draft: Draft, path: Path, piece: Piece) -> None:
        """Put a course along a path."""
        self.check(draft, path, None)
        outer = self.corner if self.ends and not path.closed else None
        course = Course.model_validate(
            {
                **self.settings(),
                "id": draft.new_id("course"),
                "level": draft.level_id,
                "name": draft.unique_name(self.name.strip() or f"{piece.name} course", "course"),
                "first": self.first or outer,
                "last": self.last or outer,
                "piece": piece.id,
                "path": path.id,
                "group": path.group,
            }
        )
        self.tell(draft, course, path)
        draft.put(course)
        draft.select = (course.id,)


class LayCourse(_Laying):
    """A run of a piece along the selected path."""

    tool: Literal["lay_course"] = "lay_course"
    title = "Lay course"
    about = "Repeats pieces along the path; stays adjustable"
    need = Need(kinds=("path",), least=1, most=1)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = rows[0]
        if not isinstance(path, Path):
            raise GeometryError("A course runs along a path; select one.")
        if not self.piece:
            raise InputError("Choose the piece to lay.", field="piece")
        self.lay(draft, path, draft.piece(self.piece))


class DrawCourse(_Laying):
    """A new path through given points, with a run of the selected piece along it."""

    tool: Literal["draw_course"] = "draw_course"
    title = "Draw course"
    about = "Sets points on the ground, and lays the selected piece along the path through them at once"
    need = Need(kinds=("piece", "placement"), least=1, most=1)

    points: Points = field(..., "Points", "Points of the path with their handles", widget="points")
    smooth: bool = field(True, "Smooth", "Points without handles are rounded; off leaves straight spans")
    closed: bool = field(False, "Closed", "The end joins the start")

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        row = rows[0]
        shown = row.piece if isinstance(row, Placement) else row.id
        path = drawn_path(draft, "", self.points, smooth=self.smooth, closed=self.closed)
        self.lay(draft, path, draft.piece(self.piece or shown))


class AdjustCourse(_CourseSettings):
    """Other settings for a course."""

    tool: Literal["adjust_course"] = "adjust_course"
    title = "Adjust course"
    about = "Changes pieces, fit and offsets of the course"
    need = Need(kinds=("course",), least=1, most=1)
    prefill = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        for row in rows:
            if isinstance(row, Course):
                piece = draft.piece(self.piece or row.piece)
                course = row.changed(**self.settings(), piece=piece.id)
                path = draft.things.get(row.path)
                if isinstance(path, Path):
                    self.check(draft, path, row.id)
                    self.tell(draft, course, path)
                draft.put(course)
