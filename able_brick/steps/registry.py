"""Every tool, once. A new tool is added here and nowhere else."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

from pydantic import BaseModel, Field, ValidationError

from able_brick.level.rows import unsound
from able_brick.level.snapshot import Snapshot
from able_brick.steps.add_shape import AddShape
from able_brick.steps.arrays import AdjustArray, EndArray, LineArrayTool
from able_brick.steps.bake_size import BakeSize
from able_brick.steps.checks import check_change
from able_brick.steps.copies import OneMore, SteppedCopies
from able_brick.steps.courses import AdjustCourse, DrawCourse, LayCourse
from able_brick.steps.cut_forms import Imprint, Intersect, SplitForms, Subtract, Unite
from able_brick.steps.dimensions import BackToDimensions, SetDimensions
from able_brick.steps.dock import Dock
from able_brick.steps.draft import Change, Draft, MeshLoader, ProgressCallback, selected
from able_brick.steps.duplicate import Duplicate
from able_brick.steps.fuse import Fuse
from able_brick.steps.groups import Dissolve, GroupPivot, MakeGroup, PutInto
from able_brick.steps.images import keep_mirrors
from able_brick.steps.import_pieces import ImportPieces
from able_brick.steps.independent import MakeIndependent
from able_brick.steps.items import SwapItems
from able_brick.steps.keep import Delete, LevelSettings, Rename
from able_brick.steps.keep_vertices import KeepVertices
from able_brick.steps.ladder import MakeLadder, RemakeLadder
from able_brick.steps.make_real import MakeReal
from able_brick.steps.marks import SetMarks
from able_brick.steps.measures import KeepMeasure
from able_brick.steps.mirror import LiveMirror, Mirror
from able_brick.steps.move import Move
from able_brick.steps.path_points import Fillet, PathPoints, SetPathLength
from able_brick.steps.path_whole import JoinPaths, PathFromEdges, PathStarter, ReversePath, SplitPath
from able_brick.steps.paths import DrawPath, EditPath
from able_brick.steps.place_piece import PlacePiece
from able_brick.steps.rungs import PieceAsRung, TakeRung
from able_brick.steps.scatter import Scatter, Strew, StrewAgain
from able_brick.steps.separate import Separate
from able_brick.steps.set_pivot import SetPivot
from able_brick.steps.set_pose import SetPose
from able_brick.steps.shape.along_path import ExtrudeAlong
from able_brick.steps.shape.bevel import Bevel
from able_brick.steps.shape.bridge import Bridge
from able_brick.steps.shape.carry import (
    EvenOut,
    Flatten,
    MoveElements,
    PlaceElements,
    Relax,
    SizeElements,
    SlideLoop,
    StretchElements,
    Taper,
    TurnElements,
)
from able_brick.steps.shape.dock_elements import DockElements
from able_brick.steps.shape.facets import FindFacets, MakeFacet
from able_brick.steps.shape.finish import MirrorElements, Smooth
from able_brick.steps.shape.grow import CopyFaces, Extrude, Inset, PullEdges
from able_brick.steps.shape.letter import LetterFace
from able_brick.steps.shape.live_finish import FinishReal, LiveHalf, LiveSmooth
from able_brick.steps.shape.mend import Mend
from able_brick.steps.shape.part import Detach
from able_brick.steps.shape.remove import Collapse, DeleteElements, DissolveElements, Fill, FlipFaces, Weld
from able_brick.steps.shape.split import AddLoops, CutAcross, Divide, Poke, SlicePlane
from able_brick.steps.shape.triangles import QuadsOfTriangles, Triangulate, TurnEdges
from able_brick.steps.share_budget import ShareBudget
from able_brick.steps.shelf import DuplicatePiece, ReplacePiece, TagPieces
from able_brick.steps.size import Size
from able_brick.steps.slim import Slim
from able_brick.steps.slim_level import SlimLevel
from able_brick.steps.snap_to_grid import SnapToGrid
from able_brick.steps.spread import Spread
from able_brick.steps.tool import Need, Tool
from able_brick.steps.tree import locked_of, without_followers
from able_brick.steps.turn import Turn

TOOLS: Final[dict[str, type[Tool]]] = {
    t.model_fields["tool"].default: t
    for t in (
        AddShape,
        SetDimensions,
        BackToDimensions,
        PlacePiece,
        Move,
        Turn,
        Size,
        SetPose,
        Dock,
        Spread,
        Scatter,
        Strew,
        StrewAgain,
        BakeSize,
        SetPivot,
        MakeGroup,
        Dissolve,
        PutInto,
        GroupPivot,
        SnapToGrid,
        Duplicate,
        OneMore,
        SteppedCopies,
        Mirror,
        LiveMirror,
        LineArrayTool,
        AdjustArray,
        EndArray,
        LayCourse,
        DrawCourse,
        AdjustCourse,
        SwapItems,
        MakeReal,
        DrawPath,
        PathStarter,
        PathFromEdges,
        EditPath,
        PathPoints,
        Fillet,
        SetPathLength,
        ReversePath,
        JoinPaths,
        SplitPath,
        Slim,
        SlimLevel,
        Extrude,
        ExtrudeAlong,
        PullEdges,
        Inset,
        LetterFace,
        Taper,
        Bevel,
        AddLoops,
        CutAcross,
        SlicePlane,
        Divide,
        Poke,
        Smooth,
        LiveHalf,
        LiveSmooth,
        FinishReal,
        Triangulate,
        TurnEdges,
        CopyFaces,
        MirrorElements,
        Mend,
        Detach,
        MoveElements,
        PlaceElements,
        StretchElements,
        TurnElements,
        SizeElements,
        DockElements,
        SlideLoop,
        Flatten,
        EvenOut,
        Relax,
        DissolveElements,
        QuadsOfTriangles,
        Collapse,
        Weld,
        Fill,
        Bridge,
        DeleteElements,
        FlipFaces,
        Unite,
        Subtract,
        Intersect,
        SplitForms,
        Imprint,
        Fuse,
        Separate,
        MakeFacet,
        FindFacets,
        ShareBudget,
        MakeLadder,
        RemakeLadder,
        TakeRung,
        PieceAsRung,
        KeepVertices,
        ImportPieces,
        ReplacePiece,
        DuplicatePiece,
        TagPieces,
        MakeIndependent,
        Rename,
        SetMarks,
        KeepMeasure,
        Delete,
        LevelSettings,
    )
}


class ToolInfo(BaseModel):
    """A tool as its card needs it: words, what must be selected, and the JSON schema of its fields."""

    tool: str
    title: str
    about: str
    verb: str
    stages: list[str]
    need: Need
    asks: str = Field(description="What to select, where nothing that suits is selected")
    key: str | None
    icon: str
    hidden: bool
    prefill: bool
    instant: bool
    previews: bool
    long: bool
    takes: list[str] = Field(description="Of what kinds of elements it wants some picked; none for other tools")
    leads: list[str] = Field(description="The fields that the line of the last step shows, the first ones first")
    fields: dict[str, Any]


def _schema(tool: type[Tool]) -> dict[str, Any]:
    """The tool's JSON schema; every field has its title, also where a type of the same name has one."""
    schema = tool.model_json_schema()
    for name, info in tool.model_fields.items():
        schema["properties"][name].setdefault("title", info.title or name)
    return schema


def _leads(tool: type[Tool]) -> list[str]:
    """The fields that lead: those that the tool names, else its numbers outside of sections."""
    if tool.leads is not None:
        return list(tool.leads)
    numbers = (int, float, int | None, float | None)
    extra = {name: info.json_schema_extra for name, info in tool.model_fields.items() if info.annotation in numbers}
    return [name for name, e in extra.items() if not (isinstance(e, dict) and ("section" in e or "widget" in e))]


def describe() -> list[ToolInfo]:
    """All tools in the order of the registry."""
    return [
        ToolInfo(
            tool=name,
            title=t.title,
            about=t.about,
            verb=t.verb,
            stages=list(t.stages),
            need=t.need,
            asks=t.need.asks,
            key=t.key,
            icon=t.icon,
            hidden=t.hidden,
            prefill=t.prefill,
            instant=t.instant,
            previews=t.previews,
            long=t.long,
            takes=list(t.takes),
            leads=_leads(t),
            fields=_schema(t),
        )
        for name, t in TOOLS.items()
    ]


def apply(
    snapshot: Snapshot,
    level: str,
    tool: Tool,
    selection: tuple[str, ...],
    load: MeshLoader,
    *,
    again: Iterable[str] = (),
    tell: ProgressCallback | None = None,
    preview: bool = False,
) -> Change:
    """What a tool does to a level of the project; nothing is changed here.

    `again` are the ids that the step made before, when it is made again; `tell` hears how far it is. In a
    `preview` one placement may stand for many. Raises UnknownIdError, SelectionError,
    GeometryError or InputError, and then nothing has happened.
    """
    draft = Draft(snapshot, level, load, again, preview=preview)
    if tell is not None:
        draft.tell = tell
    rows = selected(draft, selection)
    if tool.need.kinds:
        if "course" not in tool.need.kinds:
            rows = without_followers(draft, rows)
        tool.need.check(tool.title, rows)
    tool.check_locked(locked_of(draft, rows))
    try:
        tool.apply(draft, rows)
        keep_mirrors(draft, rows)
    except ValidationError as error:
        raise unsound(tool.title, error) from error
    change = draft.change()
    locks = None if tool.on_locked or tool.moves_nothing else snapshot.levels
    check_change(snapshot, change.after, change.edits, level=level, locks=locks)
    return change
