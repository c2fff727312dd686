"""Whole paths: starters, reversed, joined, split, and from the edges of a piece."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from able_brick.core.errors import GeometryError, InputError, SelectionError
from able_brick.core.mesh.rings import edge_loop
from able_brick.core.mesh.topology import topology
from able_brick.core.path.curve import PathPoint
from able_brick.core.path.editing import arc_points, circle_points, reversed_points
from able_brick.core.place.items import item_to_world
from able_brick.core.place.pose import from_degrees, vector
from able_brick.level.field import field
from able_brick.level.grips import FeatureAt
from able_brick.level.rows import Path, Point, Vector
from able_brick.level.snapshot import ARow
from able_brick.level.surface import FaceAt, item_at
from able_brick.steps.draft import Draft
from able_brick.steps.path_points import as_drawn, made_point
from able_brick.steps.paths import tell_path
from able_brick.steps.tool import Need, Tool

_X, _Z = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])


def new_path(draft: Draft, name: str, points: list[Point], *, closed: bool, group: str | None = None) -> Path:
    """A path with its handles set, selected."""
    path = Path(
        id=draft.new_id("path"),
        level=draft.level_id,
        name=draft.unique_name(name, "path"),
        points=tuple(points),
        smooth=False,
        closed=closed,
        group=group,
    )
    tell_path(draft, path)
    draft.put(path)
    draft.select = (path.id,)
    return path


class PathStarter(Tool):
    """A path of a plain form, by its measures."""

    tool: Literal["path_starter"] = "path_starter"
    title = "Start a path"
    about = "A line, rectangle, circle, arc or S by its measures"
    verb = "Lay"
    stages = ("build",)
    icon = "shapes"

    form: Literal["line", "rectangle", "circle", "arc", "S"] = field("S", "Form", "What it is like")
    length: float = field(
        20.0,
        "Length",
        "From one end to the other",
        unit="m",
        step=1,
        gt=0.01,
        le=100_000,
        when={"form": ["line", "rectangle", "S"]},
    )
    width: float = field(
        10.0,
        "Width",
        "Across; of an S how far to the right it ends, below 0 to the left",
        unit="m",
        step=1,
        ge=-100_000,
        le=100_000,
        when={"form": ["rectangle", "S"]},
    )
    radius: float = field(
        8.0, "Radius", "Of the circle", unit="m", step=0.5, gt=0.01, le=100_000, when={"form": ["circle", "arc"]}
    )
    sweep: float = field(
        90.0, "Sweep", "How much of the circle", unit="°", step=15, ge=1, le=360, when={"form": ["arc"]}
    )
    position: Vector = field(
        (0.0, 0.0, 0.0), "Position", "Where it begins; of closed forms the middle", unit="m", widget="position"
    )
    heading: float = field(0.0, "Heading", "Turned about the upright", unit="°", step=15, ge=-360, le=360)
    name: str = field("", "Name", "Name in the level list", max_length=80)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        turn = from_degrees((0.0, self.heading, 0.0))
        points, closed = self._points()

        def put(v: Vector | None) -> Vector | None:
            return None if v is None else vector(turn.apply(v))

        stood = [
            Point(
                position=vector(turn.apply(p.position) + self.position),
                handle_in=put(p.handle_in),
                handle_out=put(p.handle_out),
            )
            for p in points
        ]
        new_path(
            draft, self.name.strip() or {"S": "S path"}.get(self.form, self.form.capitalize()), stood, closed=closed
        )

    def _points(self) -> tuple[list[PathPoint], bool]:
        a, b, r = self.length, abs(self.width), self.radius
        if self.form in ("rectangle", "S") and b <= 0.01:
            raise InputError("The width is nothing; give at least 0.01 m.", field="width", received=self.width)
        match self.form:
            case "line":
                return [PathPoint((0.0, 0.0, 0.0)), PathPoint((a, 0.0, 0.0))], False
            case "rectangle":
                x, z = a / 2, b / 2
                return [PathPoint(p) for p in ((-x, 0.0, -z), (-x, 0.0, z), (x, 0.0, z), (x, 0.0, -z))], True
            case "circle":
                return circle_points(r), True
            case "arc":
                sweep = math.radians(self.sweep)
                return arc_points(_Z * r, -_Z, _X, sweep=sweep, radius=r), False
        points = _double_arc(a, b)
        return points if self.width > 0 else [_on_the_left(p) for p in points], False


def _double_arc(length: float, width: float) -> list[PathPoint]:
    """Two arcs of equal radius that go over into one another, the ends level with the length."""
    half, side = length / 2, width / 2
    turn = 2 * math.atan2(side, half)
    radius = half / math.sin(turn) if abs(math.sin(turn)) > 1e-9 else half
    one = arc_points(_Z * radius, -_Z, _X, sweep=turn, radius=radius)
    middle = np.asarray(one[-1].position)
    # the second half is the first one turned by half a turn about the middle
    other = [
        PathPoint(vector(2 * middle - np.asarray(p.position)), _turned(p.handle_out), _turned(p.handle_in))
        for p in reversed(one)
    ]
    joint = PathPoint(one[-1].position, one[-1].handle_in, other[0].handle_out)
    return [*one[:-1], joint, *other[1:]]


def _on_the_left(point: PathPoint) -> PathPoint:
    """What goes to the right, to the left."""

    def over(v: Vector | None) -> Vector | None:
        return None if v is None else (v[0], v[1], -v[2] + 0.0)

    x, y, z = point.position
    return PathPoint((x, y, -z + 0.0), over(point.handle_in), over(point.handle_out), point.sharp)


def _turned(handle: Vector | None) -> Vector | None:
    return None if handle is None else vector(-np.asarray(handle))


class _Whole(Tool):
    verb = "Lay"
    stages = ("build",)
    icon = "spline"
    need = Need(kinds=("path",), least=1, most=1)


class ReversePath(_Whole):
    """The path from its end to its start."""

    tool: Literal["reverse_path"] = "reverse_path"
    title = "Reverse path"
    about = "Its end becomes its start: left and right change places for what is laid along it"
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = rows[0]
        if isinstance(path, Path):
            points = tuple(
                p.with_places(p.position, p.handle_out, p.handle_in, over=True) for p in reversed(path.points)
            )
            draft.put(path.changed(points=points))


class JoinPaths(_Whole):
    """Two paths become one, where their ends are nearest."""

    tool: Literal["join_paths"] = "join_paths"
    title = "Join paths"
    about = "Makes one path of two open ones, end to end where they are nearest; courses of the first stay"
    need = Need(kinds=("path",), least=2, most=2)
    instant = True

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        first, second = rows[0], rows[1]
        if not isinstance(first, Path) or not isinstance(second, Path):
            raise SelectionError("Select two paths.")
        if first.closed or second.closed:
            raise GeometryError("A closed path has no ends to join; open it first.")
        if draft.things.courses(second.id):
            raise SelectionError(
                f"Courses are laid along {second.name}; select that one first, or delete them.", received=second.id
            )
        a, b = list(as_drawn(first)), list(as_drawn(second))
        ends = {
            (i, j): float(np.linalg.norm(np.subtract(a[i].position, b[j].position))) for i in (0, -1) for j in (0, -1)
        }
        i, j = min(ends, key=lambda k: ends[k])
        if j == -1:
            b = _back(b)
        if i == 0:
            a, b = _back(b), a
        if ends[(i, j)] <= 1e-6:
            a[-1] = a[-1].changed(handle_out=b[0].handle_out)
            b = b[1:]
        changed = first.changed(points=(*a, *b), smooth=False)
        tell_path(draft, changed)
        draft.put(changed)
        draft.remove(second)
        draft.select = (first.id,)


def _back(points: list[Point]) -> list[Point]:
    plain = [PathPoint(p.position, p.handle_in, p.handle_out, p.sharp) for p in points]
    over = [p.changed(roll=p.leaning_back) for p in reversed(points)]
    return [made_point(p, q) for p, q in zip(reversed_points(plain), over, strict=True)]


class SplitPath(_Whole):
    """One path becomes two at a point; a closed one is opened there."""

    tool: Literal["split_path"] = "split_path"
    title = "Split path"
    about = "Cuts the path in two at a point, or opens a closed one there"

    point: int = field(1, "Point", "At which point, counted from 1", ge=1, le=2000)

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        path = rows[0]
        if not isinstance(path, Path):
            raise SelectionError("Select a path.")
        points, k = list(as_drawn(path)), self.point - 1
        if k >= len(points):
            raise InputError(f"{path.name} has {len(points)} points.", field="point", received=self.point)
        points[k] = points[k].changed(roll=path.leans()[k])
        if path.closed:
            ring = [*points[k:], *points[: k + 1]]
            ring[0] = ring[0].changed(handle_in=None)
            ring[-1] = ring[-1].changed(handle_out=None)
            draft.put(path.changed(points=tuple(ring), closed=False, smooth=False))
            draft.note = "The path is open now"
            return
        if not 0 < k < len(points) - 1:
            raise InputError(
                "A path can be split at a point between its ends only.", field="point", received=self.point
            )
        first = [*points[:k], points[k].changed(handle_out=None)]
        second = [points[k].changed(handle_in=None), *points[k + 1 :]]
        draft.put(path.changed(points=tuple(first), smooth=False))
        new = new_path(draft, path.name, second, closed=False, group=path.group)
        draft.select = (path.id, new.id)


class PathFromEdges(Tool):
    """A path along edges of something that stands in the level."""

    tool: Literal["path_from_edges"] = "path_from_edges"
    title = "Path from edges"
    about = "Makes a path along the edge that is clicked, and those that go on from it"
    verb = "Lay"
    stages = ("build",)
    icon = "spline-pointer"

    edge: FeatureAt | None = field(None, "Edge", "An edge of anything in the view", widget="feature at")
    how_far: Literal["edge", "face", "loop"] = field(
        "face", "How far", "The edge alone, round the face that it was clicked through, or on as edges go on"
    )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        if self.edge is None:
            raise InputError("No edge is picked yet: click one in the view.", field="edge")
        at = FaceAt(thing=self.edge.thing, item=self.edge.item, face=self.edge.face)
        look, mesh, pose = item_at(draft.snapshot, draft.level_id, draft.load, at)
        t = topology(mesh)
        if self.how_far == "face" or self.edge.kind not in ("edge", "on edge"):
            vertices = mesh.corners[mesh.face_starts[at.face] : mesh.face_starts[at.face + 1]].tolist()
            closed = True
        else:
            if not 0 <= self.edge.index < len(t.edges):
                raise InputError("That edge is not there (any more); pick again.", field="edge")
            if self.how_far == "edge":
                vertices, closed = t.edges[self.edge.index].tolist(), False
            else:
                chain = edge_loop(mesh, self.edge.index)
                vertices, closed = _vertices(t.edges[chain.edges], closed=chain.closed), chain.closed
        world = item_to_world(mesh.positions[vertices], pose, look.pivot, look.axes)
        new_path(draft, "Edge path", [Point(position=vector(p)) for p in world], closed=closed)


def _vertices(edges: np.ndarray, *, closed: bool) -> list[int]:
    """The vertices along edges (n,2) that follow one another."""
    pairs = edges.tolist()
    if len(pairs) == 1:
        return [int(v) for v in pairs[0]]
    at = next(v for v in pairs[0] if v not in pairs[1])
    out = [int(at)]
    for a, b in pairs:
        at = b if a == at else a
        out.append(int(at))
    return out[:-1] if closed else out
