"""What must hold for every change, whichever tool makes it: numbers, names, references over all levels, locks, runs."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, Final

from able_brick.core.errors import AbleBrickError, GeometryError, InputError, SelectionError
from able_brick.core.text import counted, grouped
from able_brick.level.amounts import MOST_FORMS, MOST_SHOWN, forms_in, items_in
from able_brick.level.evaluate import check_reach, items_of
from able_brick.level.rows import Array, AThing, Course, Group, LevelRow, Path, Piece, Placement, Quaternion, Thing
from able_brick.level.snapshot import ARow, Edit, Snapshot
from able_brick.steps.tree import lock_over

MOST_NAME: Final = 200
MOST_NESTED: Final = 64
_LEAST_SIZE, _MOST_SIZE = 1e-6, 1e6
_UNPRINTABLE: Final = frozenset({"Cc", "Cs", "Zl", "Zp"})
_PLACING: Final = ("mesh", "pivot", "axes", "materials")
_WHAT: Final = {
    "piece": "shows a piece",
    "path": "runs along a path",
    "group": "is in a group",
    "course": "shares the joints of a course",
}


def check_change(
    before: Snapshot,
    after: Snapshot,
    edits: Sequence[Edit],
    *,
    level: str,
    locks: Iterable[str] | None,
    refuse: type[AbleBrickError] = SelectionError,
) -> None:
    """Refuse a change that must not be committed; `before` and `after` are the whole project.

    `locks` are the levels in which locks hold; None for none. Raises InputError or GeometryError for rows that are
    unsound and runs that cannot be, and `refuse` for what others depend on or what is locked.
    """
    sound: dict[type[ARow], ARow] = {}  # the last one of each kind that is new
    for old, new in edits:
        if new is not None:
            kind = type(new)
            check_row(old, new, sound.get(kind))
            if old is None:
                sound[kind] = new
    rest = [e for e in edits if not _by_itself(e, after)]
    _check_references(after, rest, level, refuse)
    if locks is not None:
        _check_locks(before, after, rest, level, frozenset(locks), refuse)
    _check_amounts(before, after, edits, refuse)
    _check_runs(after, rest)


def _by_itself(edit: Edit, after: Snapshot) -> bool:
    """Whether nothing but its own row has to do with an edit: one of the many placements that are in no group and not
    locked, and whose piece is there."""
    old, new = edit
    if type(new) is not Placement or new.group is not None or new.locked:
        return False
    if new.piece not in after.pieces or new.level not in after.levels:
        return False
    return old is None or (type(old) is Placement and old.group is None and not old.locked)


# -- rows -


def check_text(text: str, what: str, *, most: int = MOST_NAME) -> str:
    """The text, or InputError where it is empty, too long, or holds what cannot be shown."""
    if not text.strip():
        raise InputError(f"The {what} is empty; type one.", field="name")
    if len(text) > most:
        raise InputError(
            f"The {what} has {len(text)} letters; give at most {most}.", field="name", received=len(text), allowed=most
        )
    if not text.isprintable() and any(unicodedata.category(c) in _UNPRINTABLE for c in text):
        raise InputError(f"The {what} holds a character that cannot be shown; leave it out.", field="name")
    return text


def printable(text: str, otherwise: str, *, most: int = 120) -> str:
    """A name from elsewhere as one that may be kept."""
    kept = text
    if text.isprintable():
        if 0 < len(text) <= most and "  " not in text and text == text.strip():
            return text
    else:
        kept = "".join(" " if unicodedata.category(c) in _UNPRINTABLE else c for c in text)
    return " ".join(kept.split())[:most].strip() or otherwise


def check_row(before: ARow | None, row: ARow, sound: ARow | None = None) -> None:
    """InputError or GeometryError where a new or changed row is unsound. What it has in common with a row that is known
    to be `sound` is not looked at again."""
    if before is None or before.name != row.name:
        check_text(row.name, "name")
    if type(row) is Placement:  # of which there may be very many
        baseline = sound if before is None else before
        other = baseline if type(baseline) is Placement else None
        if other is None or (row.size is not other.size and row.size != other.size):
            _check_size(row)
        if other is None or (row.turn is not other.turn and row.turn != other.turn):
            _check_turn(row.name, row.turn)
        return
    if isinstance(row, Piece):
        for tag in row.tags:
            check_text(tag, "tag")
        like = sound if before is None else before
        if not isinstance(like, Piece) or (row.materials is not like.materials and row.materials != like.materials):
            for m in row.materials:
                check_text(m.name, "name of a material")
                if not all(0.0 <= v <= 1.0 for v in (*m.colour, m.roughness, m.metallic)):
                    raise InputError(
                        f"The material {m.name} has a value that is not from 0 to 1; give colours, roughness and "
                        "metallic from 0 to 1.",
                        field="materials",
                    )
        return
    if isinstance(row, Array) and (before is None or getattr(before, "size", None) != row.size):
        _check_size(row)
    turn = getattr(row, "turn", None)
    if turn is not None and (before is None or getattr(before, "turn", None) != turn):
        _check_turn(row.name, turn)


def _check_size(row: Placement | Array) -> None:
    for s in row.size:
        if not _LEAST_SIZE <= abs(s) <= _MOST_SIZE:
            raise GeometryError(
                f"{row.name} would have the size {s:.3g}; factors from {_LEAST_SIZE:g} to {_MOST_SIZE:g} are "
                "possible. Bake its size first, or give another factor.",
                id=row.id,
                received=s,
                allowed=[_LEAST_SIZE, _MOST_SIZE],
            )


def _check_turn(name: str, turn: Quaternion) -> None:
    x, y, z, w = turn
    if not abs(x * x + y * y + z * z + w * w - 1.0) <= 1e-6:
        raise InputError(f"{name} has a turn that is not a rotation; give a unit quaternion.", field="turn")


# -- references -


def named(snapshot: Snapshot, here: str, things: Sequence[AThing], most: int = 5) -> str:
    """Names of things, with the level of those that are not here."""
    words = []
    for thing in things[:most]:
        level = snapshot.levels.get(thing.level)
        words.append(thing.name if thing.level == here or level is None else f"{thing.name} in {level.name}")
    return ", ".join(words) + (" …" if len(things) > most else "")


def _check_references(after: Snapshot, edits: Sequence[Edit], here: str, refuse: type[AbleBrickError]) -> None:
    for edit in edits:
        row = edit.after
        if row is None:
            users = _needed_by(after, edit.before)
            if users:
                name = "" if edit.before is None else edit.before.name
                raise refuse(
                    f"{name} is still used {counted(len(users), 'time', 'times')} ({named(after, here, users)}). "
                    "Delete those, or let them show something else, first.",
                    users=[u.id for u in users[:100]],
                )
            continue
        if not isinstance(row, Thing):
            continue
        if row.level not in after.levels:
            raise refuse(f"{row.name} would be in a level that is not there (any more).", id=row.level)
        baseline = () if edit.before is None else edit.before.needs()
        for kind, key in row.needs():
            if (kind, key) in baseline:
                continue
            found = after.pieces.get(key) if kind == "piece" else after.of(row.level).get(key)
            if found is None or found.kind != kind:
                raise refuse(f"{row.name} {_WHAT[kind]} that is not there any more.", id=row.id, missing=key, kind=kind)
            if kind == "group":
                _check_nesting(after, row)


def _needed_by(after: Snapshot, gone: ARow | None) -> list[Any]:
    """Things that still need a row which has gone."""
    match gone:
        case Piece():
            return [u for things in after.things.values() for u in things.users(gone.id)]
        case Path():
            return list(after.of(gone.level).courses(gone.id))
        case Group():
            return list(after.of(gone.level).inside(gone.id))
        case Course():
            return [c for c in after.of(gone.level).courses(gone.path) if c.stations == gone.id]
        case _:
            return []


def _check_nesting(after: Snapshot, row: AThing) -> None:
    things = after.of(row.level)
    over = things.over(row)
    if isinstance(row, Group) and things.parent(row) is None:
        raise SelectionError(f"{row.name} would be in itself. Take it out of that group first.", received=row.id)
    below = max((len(things.over(t)) for t in things.under(row)), default=0) if isinstance(row, Group) else len(over)
    if below > MOST_NESTED:
        raise SelectionError(
            f"Groups would be nested {below} deep; {MOST_NESTED} are possible. Dissolve some.",
            received=below,
            allowed=MOST_NESTED,
        )


# -- locks -


def _check_locks(
    before: Snapshot,
    after: Snapshot,
    edits: Sequence[Edit],
    here: str,
    levels: frozenset[str],
    refuse: type[AbleBrickError],
) -> None:
    for thing in _changed_things(before, after, edits):
        if thing.level not in levels:
            continue
        # the lock that was there when the change was asked for counts; for what is new, that of its group: what comes
        # with its lock changes nothing that was locked
        things = (before if thing.id in before.of(thing.level) else after).of(thing.level)
        lock = lock_over(things, thing)
        if lock is None or lock.id not in before.of(thing.level):
            continue
        level = before.levels.get(thing.level)
        where = "" if thing.level == here or level is None else f" in {level.name}"
        also = "" if lock.id == thing.id else f" with {thing.name} in it"
        raise refuse(
            f"{lock.name}{where} is locked{also}, and this would change it. Unlock it in the level list first.",
            locked=[lock.id],
            level=thing.level,
        )


def _changed_things(before: Snapshot, after: Snapshot, edits: Sequence[Edit]) -> Iterator[AThing]:
    """Things whose rows, or whose looks by their piece, path or group, the edits change."""
    for edit in edits:
        old, new = edit.before, edit.after
        if isinstance(old, Piece) and isinstance(new, Piece):
            if any(getattr(old, k) != getattr(new, k) for k in _PLACING):
                for things in before.things.values():
                    yield from things.users(old.id)
            continue
        for row in (old, new):
            if row is None or isinstance(row, (Piece, LevelRow)):
                continue
            yield row
            group = after.of(row.level).get(row.group or "")
            if row is new and isinstance(group, Group) and (old is None or getattr(old, "group", None) != row.group):
                yield group
            if row is old and isinstance(row, Path):
                yield from before.of(row.level).courses(row.id)


# -- runs -


def _check_amounts(before: Snapshot, after: Snapshot, edits: Sequence[Edit], refuse: type[AbleBrickError]) -> None:
    """Refuse what would have a level show more items than it may, or more forms of bent ones, unless it shows fewer of
    them than before."""
    levels = {new.level for old, new in edits if new is not None and _may_add(old, new)}  # type: ignore[union-attr]
    bent = {new.level for _, new in edits if isinstance(new, (Course, Path))}
    for old, new in edits:
        if isinstance(old, Piece) and isinstance(new, Piece) and not _laid_alike(old, new):
            # a course has more items of a shorter piece
            runs = {level for level, things in after.things.items() if things.runs_with(new.id)}
            levels |= runs
            bent |= runs
    for level in sorted(levels):
        shown = items_in(after.context(level))
        if shown > MOST_SHOWN and shown > items_in(before.context(level)):
            raise refuse(
                f"{after.level(level).name} would show {grouped(shown)} items; {grouped(MOST_SHOWN)} are possible. "
                "Ask for fewer, or go on in another level.",
                received=shown,
                allowed=MOST_SHOWN,
            )
        forms = forms_in(after.context(level)) if level in bent else 0
        if forms > MOST_FORMS and forms > forms_in(before.context(level)):
            raise refuse(
                f"{after.level(level).name} would show {grouped(forms)} items that are each bent otherwise; "
                f"{grouped(MOST_FORMS)} are possible. Lay them rigid, or of longer pieces.",
                received=forms,
                allowed=MOST_FORMS,
            )


def _laid_alike(old: Piece, new: Piece) -> bool:
    """Whether courses and arrays lay two states of a piece in the same way."""
    return (old.facts, old.pivot, old.axes) == (new.facts, new.pivot, new.axes)


def _may_add(old: ARow | None, new: ARow) -> bool:
    """Whether a level may show more items with this than with that."""
    kind = type(new)
    if kind is Piece or kind is LevelRow:
        return False
    return type(old) is not Placement or old.group != new.group  # type: ignore[union-attr]


def _check_runs(after: Snapshot, edits: Sequence[Edit]) -> None:
    """Compute every run that the edits change, so that none is committed that cannot be shown."""
    done: set[str] = set()
    for edit in edits:
        row = edit.after
        if row is None:
            continue
        if isinstance(row, Piece):
            old = edit.before
            if isinstance(old, Piece) and _laid_alike(old, row):
                continue
            # one placement stands where its row says, which is checked with that
            runs: Iterable[AThing] = [u for t in after.things.values() for u in t.runs_with(row.id)]
        elif isinstance(row, Path):
            curve = row.curve()
            if not curve.length > 0:
                raise GeometryError(f"{row.name} would have no length; move its points apart.", id=row.id)
            runs = after.of(row.level).courses(row.id)
        elif isinstance(row, LevelRow):
            continue
        else:
            things = after.of(row.level)
            runs = [row] if isinstance(row, (Array, Course)) else []
            if isinstance(row, Course):
                runs += [c for c in things.courses(row.path) if c.stations is not None]
            if (isinstance(row, Group) and (row.repeat is not None or row.mirror is not None)) or any(
                g.repeat is not None or g.mirror is not None for g in things.over(row)
            ):
                runs = things.under(row)
        for run in runs:
            if run.pieces and run.id not in done:
                done.add(run.id)
                _check_run(after, run)


def _check_run(after: Snapshot, run: AThing) -> None:
    try:
        shown = items_of(after, run)
    except GeometryError as error:
        if run.name in str(error):
            raise
        raise GeometryError(f"{run.name}: {error}", **error.data) from error
    if shown is not None:
        check_reach(run, shown)
