"""Lay pieces along a path, and change how."""

from __future__ import annotations

from typing import ClassVar, Final, Literal

from able_brick.core.errors import GeometryError, InputError
from able_brick.core.path.course import Course as Laid
from able_brick.core.path.course import Fit, Running, Stand
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.text import counted, millimetres
from able_brick.level.field import field
from able_brick.level.rows import Course, Path
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft
from able_brick.steps.tool import Need, Stage, Tool

#: Ends and joints that are nearer than this count as closed, metres.
_EXACT: Final = 1e-9


class _CourseSettings(Tool):
    verb: ClassVar[Literal["Lay"]] = "Lay"
    stages: ClassVar[tuple[Stage, ...]] = ("build",)
    icon: ClassVar[str] = "waypoints"

    piece: str = field("", "Piece", "The piece to lay along the path", widget="piece")
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
    sideways: float = field(
        0.0, "Sideways", "Offset to the left of the path", unit="m", step=0.1, ge=-10_000, le=10_000
    )
    up: float = field(0.0, "Up", "Offset upward", unit="m", step=0.1, ge=-10_000, le=10_000)
    stand: Stand = field(Stand.UPRIGHT, "Stand", "Upright, or following the slope of the path")
    running: Running = field(
        Running.AUTO, "Running axis", "The piece's axis that goes along the path; auto takes the longer one"
    )
    flip: bool = field(False, "Flip", "Turn the items round, front to back")

    def settings(self) -> dict[str, object]:
        return {k: v for k, v in dict(self).items() if k not in ("tool", "piece", "name")}

    @staticmethod
    def tell(draft: Draft, course: Course, path: Path) -> None:
        found = course.laid(path, draft.piece(course.piece))
        n = len(found.poses)
        if course.fit is Fit.FILL:
            draft.note = (
                f"{counted(n, 'item', 'items')}, stretch {100 * (found.stretch - 1):+.1f} %{_closing(found, path)}"
            )
        else:
            draft.note = f"{counted(n, 'item', 'items')}, {found.pitch:.2f} m centre to centre"


def _closing(found: Laid, path: Path) -> str:
    """How exactly a filled path is closed."""
    joints = "" if found.joints_off <= _EXACT else f", joints off by up to {millimetres(found.joints_off)}"
    if path.closed:
        return joints or ", closed all round exactly"
    if found.ends_off > _EXACT:
        return f", ends off by {millimetres(found.ends_off)}"
    return f", ends closed exactly{joints}"


class LayCourse(_CourseSettings):
    """A run of a piece along the selected path."""

    tool: Literal["lay_course"] = "lay_course"
    title: ClassVar[str] = "Lay course"
    about: ClassVar[str] = "Repeats a piece along the path; stays adjustable"
    need: ClassVar[Need] = Need(kinds=("path",), least=1, most=1)

    name: str = field("", "Name", "Name in the level list", max_length=80)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = rows[0]
        if not isinstance(path, Path):
            raise GeometryError("A course runs along a path; select one.")
        if not self.piece:
            raise InputError("Choose the piece to lay.", field="piece")
        piece = draft.piece(self.piece)
        course = Course.model_validate(
            {
                **self.settings(),
                "id": draft.new_id("course"),
                "level": draft.level_id,
                "name": draft.unique_name(self.name.strip() or f"{piece.name} course", "course"),
                "piece": piece.id,
                "path": path.id,
                "group": path.group,
            }
        )
        self.tell(draft, course, path)
        draft.put(course)
        draft.select = (course.id,)


class AdjustCourse(_CourseSettings):
    """Other settings for a course."""

    tool: Literal["adjust_course"] = "adjust_course"
    title: ClassVar[str] = "Adjust course"
    about: ClassVar[str] = "Changes the piece, fit and offsets of the course"
    need: ClassVar[Need] = Need(kinds=("course",), least=1, most=1)
    prefill: ClassVar[bool] = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        for row in rows:
            if isinstance(row, Course):
                piece = draft.piece(self.piece or row.piece)
                course = row.changed(**self.settings(), piece=piece.id)
                path = draft.things.get(row.path)
                if isinstance(path, Path):
                    self.tell(draft, course, path)
                draft.put(course)
