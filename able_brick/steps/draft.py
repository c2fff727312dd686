"""The level as one step changes it: reads the snapshot, collects edits, changes nothing else."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable, Container, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace

from able_brick.core.cache import ByteCache
from able_brick.core.errors import StorageError, UnknownIdError
from able_brick.core.mesh.hashing import content_hash
from able_brick.core.mesh.measure import SMALL, Counts, counts, counts_of_all
from able_brick.core.mesh.polymesh import Floats, PolyMesh
from able_brick.core.place.pivots import box_along
from able_brick.core.place.pose import IDENTITY, Quaternion
from able_brick.level.elements import Elements
from able_brick.level.finish import finished
from able_brick.level.rows import Array, AShown, AThing, Facts, Finish, LevelRow, Piece, Placement, Standing
from able_brick.level.rows.level import Stride
from able_brick.level.snapshot import ARow, Edit, InLevel, Snapshot
from able_brick.level.things import Things

MeshLoader = Callable[[str], PolyMesh]
#: Told how far long work is, 0…1, and what it is at; it may raise to stop it.
ProgressCallback = Callable[[float, str], None]


def no_progress(_share: float, _words: str) -> None:
    """Nobody listens."""


@dataclass(frozen=True)
class Change:
    """What one step does: rows before and after, new meshes by hash, what is selected next, a line to tell.

    `users` are all that show the pieces whose place the step has changed under them, where it did; `after` is the
    project with the change. `ended` are faces at which what was done to a mesh came to an end that may not have been
    meant. `preview_poses` are poses (N,10) at which placements are shown, where a preview has one for many.
    """

    edits: tuple[Edit, ...]
    meshes: dict[str, PolyMesh]
    counters: dict[str, int]
    select: tuple[str, ...] | None
    note: str
    users: tuple[str, ...] | None = None
    elements: Elements | None = None
    ended: Elements | None = None
    preview_poses: Mapping[str, Floats] = field(default_factory=dict)
    after: Snapshot = field(default_factory=Snapshot)


@dataclass
class Draft:
    """A step's view of the project. Rows are put and removed here; `change` says what came of it.

    A step that is made again gives the ids in `again` to what it makes, kind by kind in their order, before new ones:
    what others have built upon keeps its name. `copied` is what was copied last and its copy, and `stride` how
    it goes on, for the level to remember. In a preview one placement may stand for many: at poses (N,10) by its id.
    """

    snapshot: Snapshot
    level_id: str
    load: MeshLoader
    again: Iterable[str] = ()
    select: tuple[str, ...] | None = None
    note: str = ""
    elements: Elements | None = None
    ended: Elements | None = None
    copied: tuple[str, str] | None = None
    stride: Stride | None = None
    preview: bool = False
    preview_poses: dict[str, Floats] = field(default_factory=dict)
    tell: ProgressCallback = no_progress
    _before: dict[str, ARow | None] = field(default_factory=dict)
    _after: dict[str, ARow | None] = field(default_factory=dict)
    _meshes: dict[str, PolyMesh] = field(default_factory=dict)
    _counters: dict[str, int] = field(default_factory=dict)
    _again: dict[str, deque[str]] = field(default_factory=dict)
    _put_into: dict[str, list[str]] = field(default_factory=dict)
    _names: dict[bool, Names] = field(default_factory=dict)
    _watched: dict[str, None] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._counters = dict(self.snapshot.counters)
        self.snapshot = replace(self.snapshot, load=self.mesh_at)
        for row in self.again:
            self._again.setdefault(row.rpartition("-")[0], deque()).append(row)
        self.snapshot.level(self.level_id)

    @property
    def level(self) -> LevelRow:
        row = self._after.get(self.level_id, self.snapshot.levels[self.level_id])
        if not isinstance(row, LevelRow):
            raise UnknownIdError(f"There is no level {self.level_id!r}.", id=self.level_id)
        return row

    @property
    def things(self) -> Things:
        """The things of the level as they were before the step."""
        return self.snapshot.of(self.level_id)

    def new_id(self, kind: str) -> str:
        if self._again.get(kind):
            return self._again[kind].popleft()
        number = self._counters[kind] = self._counters.get(kind, 0) + 1
        made = f"{kind}-{number}"
        self._before[made] = None
        return made

    def put(self, row: ARow) -> None:
        """Add a row or replace it."""
        key = row.id
        if key not in self._before:
            self._remember(key)
        self._after[key] = row
        group = getattr(row, "group", None)
        if group is not None:
            self._put_into.setdefault(group, []).append(key)
        if self._names and self._before[key] is None and type(row) is not LevelRow:
            names = self._names.get(_of_kit(row))
            if names is not None:
                names.take(row.name)

    def thing(self, row: str) -> ARow | None:
        """A thing of the level as the step has it so far; None where it is not there."""
        return self._after[row] if row in self._after else self.things.get(row)

    def now(self, row: ARow) -> ARow | None:
        """A row of any level as the step has it so far; None where the step takes it away."""
        return self._after.get(row.id, row)

    def holds(self, group: str) -> bool:
        """Whether anything is in a group, as the step has it so far."""
        inside = [t.id for t in self.things.inside(group)]
        return any(getattr(self.thing(t), "group", None) == group for t in (*inside, *self._put_into.get(group, ())))

    def watch(self, piece: Piece) -> None:
        """The step keeps or moves whatever shows this piece: nothing placed later may be moved by undoing it."""
        self._watched[piece.id] = None

    def remove(self, row: ARow) -> None:
        if row.id not in self._before:
            self._remember(row.id)
        self._after[row.id] = None

    def _remember(self, row: str) -> None:
        found: ARow | None = self.snapshot.find(self.level_id, row) or self.snapshot.levels.get(row)
        if found is None:  # a thing of another level that shares a piece
            found = next((t[row] for t in self.snapshot.things.values() if row in t), None)
        self._before[row] = found

    def piece(self, piece: str) -> Piece:
        """The piece as it is now, or UnknownIdError."""
        row = self._after.get(piece, self.snapshot.pieces.get(piece))
        if not isinstance(row, Piece):
            raise UnknownIdError(f"There is no piece {piece!r} on the shelf (any more).", id=piece)
        return row

    def found_piece(self, piece: str) -> Piece | None:
        """The piece as it is now, where it is there."""
        row = self._after.get(piece, self.snapshot.pieces.get(piece))
        return row if isinstance(row, Piece) else None

    def all_pieces(self) -> list[Piece]:
        """The pieces of the kit as the step has them so far."""
        fresh = [r for k, r in self._after.items() if isinstance(r, Piece) and k not in self.snapshot.pieces]
        rows = [self._after.get(k, row) for k, row in self.snapshot.pieces.items()]
        return [*(r for r in rows if isinstance(r, Piece)), *fresh]

    def changed_pieces(self) -> list[Piece]:
        """The pieces whose mesh, place or surface the step has changed."""
        out = []
        for key, row in self._after.items():
            before = self._before[key]
            if isinstance(row, Piece) and isinstance(before, Piece):
                names = ("mesh", "pivot", "axes", "materials")
                if any(getattr(row, n) != getattr(before, n) for n in names):
                    out.append(row)
        return out

    def mesh(self, piece: Piece) -> PolyMesh:
        return self.mesh_at(piece.mesh)

    def mesh_at(self, key: str) -> PolyMesh:
        """A mesh by its hash, those of the step with them. Raises UnknownIdError."""
        return self._meshes.get(key) or self.load(key)

    def keep_mesh(self, mesh: PolyMesh, axes: Quaternion = IDENTITY, *, was: str | None = None) -> tuple[str, Facts]:
        """Remember a new mesh; its hash, and its facts for a pivot with such axes. Where it is the very mesh that `was`
        there before, it keeps the name that this has, by whatever rule."""
        key = self._kept(mesh, was)
        return key, facts(self.mesh_at(key), axes)

    def _kept(self, mesh: PolyMesh, was: str | None) -> str:
        key = mesh.content_hash
        if was is not None and was != key:
            with suppress(StorageError, UnknownIdError):  # what cannot be had is not the same
                before = self.mesh_at(was)
                if before.hash_rule != mesh.hash_rule and content_hash(before, mesh.hash_rule) == key:
                    return was
        self._meshes[key] = mesh
        return key

    def with_source(self, piece: Piece, mesh: PolyMesh) -> Piece:
        """The piece with another mesh that is edited, and what its live finish makes of that. Raises GeometryError
        where it makes nothing of it."""
        finish = piece.live_finish
        if finish is None:
            key, found = self.keep_mesh(mesh, piece.axes, was=piece.mesh)
            return piece.changed(mesh=key, facts=found)
        return self.finished(piece, mesh, finish)

    def finished(self, piece: Piece, mesh: PolyMesh, finish: Finish) -> Piece:
        """The piece with a mesh that is edited, and what a finish makes of that. Raises GeometryError where it makes
        nothing of it."""
        source = self._kept(mesh, piece.source)
        key, found = self.keep_mesh(finished(mesh, finish), piece.axes, was=piece.mesh)
        fresh = finish.model_copy(update={"source": source, "mesh": key})
        return piece.changed(mesh=key, facts=found, finish=fresh)

    def source(self, piece: Piece) -> PolyMesh:
        """The mesh of a piece that is edited."""
        return self.mesh_at(piece.source)

    def seen(self) -> Snapshot:
        """The project as the step has it so far."""
        return self.snapshot.with_edits(Edit(self._before[k], after) for k, after in self._after.items())

    def seen_with(self, *things: AThing) -> InLevel:
        """The level as the step has it so far, with things that are being made ready."""
        seen = self.seen().context(self.level_id)
        return InLevel(seen.pieces, seen.things.after({t.id: t for t in things}), seen.load)

    def users(self, piece: str) -> list[AShown]:
        """Things of all levels that show a piece."""
        return [t for things in self.snapshot.things.values() for t in things.users(piece)]

    def unique_name(self, wanted: str, kind: str) -> str:
        """The wanted name, numbered when a piece, or a thing of this level, has it already."""
        of_kit = kind == "piece"
        names = self._names.get(of_kit)
        if names is None:
            taken = {p.name for p in self.snapshot.pieces.values()} if of_kit else self.things.names
            fresh = {r.name for r in self._after.values() if r is not None and _of_kit(r) == of_kit}
            names = self._names[of_kit] = Names(taken, fresh)
        return names.free(wanted)

    def change(self) -> Change:
        self._end_finishes()
        if self.copied is not None:
            self.put(self.level.changed(copied=self.copied, stride=self.stride))
        before = self._before
        edits = tuple([Edit(b, after) for k, after in self._after.items() if _differs(b := before[k], after)])
        users = tuple(u.id for p in self._watched for u in self.users(p)) if self._watched else None
        after = self.snapshot.with_edits(edits, self._counters)
        return Change(
            edits,
            self._meshes,
            self._counters,
            self.select,
            self.note,
            users,
            self.elements,
            self.ended,
            self.preview_poses,
            after,
        )

    def _end_finishes(self) -> None:
        """A piece that was given another mesh than its finish made is finished live no more, which is said."""
        ended = []
        for key, row in self._after.items():
            if isinstance(row, Piece) and row.finish is not None and row.live_finish is None:
                self._after[key] = row.changed(finish=None)
                before = self._before[key]
                if isinstance(before, Piece) and before.live_finish is not None:
                    ended.append(row.name)
        if ended:
            words = f"{', '.join(ended)} {'is' if len(ended) == 1 else 'are'} no longer mirrored or smoothed live"
            self.note = f"{self.note}; {words}" if self.note else words


#: A name with a number behind it that can be counted on.
_NUMBERED = re.compile(r"(.*\S) (\d{1,9})")


class Names:
    """Names that are taken. Finding a free one costs the same however many there are."""

    def __init__(self, taken: Container[str], more: Iterable[str] = ()) -> None:
        self._taken, self._more = taken, set(more)
        self._last: dict[str, int] = {}
        self._parts: dict[str, tuple[str, str]] = {}

    def take(self, name: str) -> None:
        self._more.add(name)

    def free(self, wanted: str) -> str:
        """The wanted name, or the next one where it is taken."""
        return self.following(wanted) if self._has(wanted) else wanted

    def _has(self, name: str) -> bool:
        return name in self._more or name in self._taken

    def following(self, name: str) -> str:
        """The name of a copy: Tower becomes Tower 2, and Tower 12 becomes Tower 13, or the next one that is free."""
        parts = self._parts.get(name)
        if parts is None:
            found = _NUMBERED.fullmatch(name)
            parts = self._parts[name] = (found[1], found[2]) if found else (name, "1")
        stem, digits = parts
        number = max(self._last.get(stem, 0), int(digits)) + 1
        # numbers with zeros before them keep their length
        width = len(digits) if digits.startswith("0") else 0
        while self._has(made := f"{stem} {number:0{width}d}" if width else f"{stem} {number}"):
            number += 1
        self._last[stem] = number
        return made


def _differs(before: ARow | None, after: ARow | None) -> bool:
    if before is None or after is None:
        return before is not after
    return before is not after and (before.__dict__ != after.__dict__ or type(before) is not type(after))


def _of_kit(row: ARow) -> bool:
    return type(row) is Piece


_FACTS: ByteCache[Facts] = ByteCache(2**20, lambda _: 512)


def facts(mesh: PolyMesh, axes: Quaternion = IDENTITY) -> Facts:
    """Counts and box of a mesh, as kept in its piece's row; the box along the axes of the pivot."""

    return _FACTS.get((mesh.content_hash, axes), lambda: _facts(counts(mesh), *box_along(mesh, axes)))


def facts_of_small(meshes: Mapping[str, PolyMesh]) -> dict[str, Facts]:
    """The facts of those of the meshes, by hash, that are small; they are counted together."""
    small = {k: mesh for k, mesh in meshes.items() if mesh.face_count < SMALL}
    every = counts_of_all(list(small.values()))
    return {k: _facts(c, *mesh.bounds) for (k, mesh), c in zip(small.items(), every, strict=True)}


def _facts(n: Counts, low: Floats, high: Floats) -> Facts:
    (a, b, c), (d, e, f) = low.tolist(), high.tolist()
    return Facts(
        vertices=n.vertices,
        faces=n.faces,
        triangles=n.triangles,
        hardware_vertices=n.hardware_vertices,
        closed=n.closed,
        low=(a, b, c),
        high=(d, e, f),
        own_normals=n.own_normals,
    )


def selected(draft: Draft, selection: tuple[str, ...]) -> list[ARow]:
    """The selected rows, each once, in order; UnknownIdError for ids that are not there."""
    out: list[ARow] = []
    for row in dict.fromkeys(selection):
        found = draft.snapshot.find(draft.level_id, row)
        if found is None:
            raise UnknownIdError(f"{row!r} is not in the level (any more). Select again.", id=row)
        out.append(found)
    return out


def standing(rows: Iterable[ARow]) -> list[Placement | Array]:
    """Those of the rows that have a position of their own."""
    return [r for r in rows if isinstance(r, Standing)]


def pieces_of(draft: Draft, rows: Iterable[ARow]) -> list[Piece]:
    """The pieces that the rows are or show, each once."""
    ids = dict.fromkeys(
        r.id if isinstance(r, Piece) else r.piece for r in rows if hasattr(r, "piece") or isinstance(r, Piece)
    )
    return [draft.piece(p) for p in ids]
