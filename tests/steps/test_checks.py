"""What is unsound is refused, wherever among many rows it stands; what was so before may stay as it is."""

from __future__ import annotations

import pytest

from able_brick.core.errors import GeometryError, InputError
from able_brick.level.rows import LevelRow, Piece, Placement
from able_brick.level.snapshot import Edit, Snapshot
from able_brick.steps.checks import check_change
from able_brick.steps.draft import facts
from tests.zoo import ZOO

BOX = ZOO["box"]()
EMPTY = Snapshot(
    {"piece-1": Piece(id="piece-1", name="Box", mesh=BOX.content_hash, facts=facts(BOX))},
    {"level-1": LevelRow(id="level-1", name="Yard")},
)
GOOD = Placement(id="placement-1", level="level-1", name="Box", piece="piece-1")
#: As a file of another version may hold them.
LEANING, FLAT = (0.0, 0.0, 0.1, 1.0), (1.0, 0.0, 1.0)


def row(number: int, **values: object) -> Placement:
    return GOOD.changed(id=f"placement-{number}", **values)


def check(*edits: Edit, before: Snapshot = EMPTY) -> None:
    check_change(before, before.with_edits(edits), edits, level="level-1", locks=None)


@pytest.mark.parametrize("at", [0, 1, 3])
def test_one_unsound_row_among_sound_ones_is_found(at: int) -> None:
    rows = [row(k) for k in range(1, 5)]
    check(*(Edit(None, r) for r in rows))
    for values, error, words in (
        ({"turn": LEANING}, InputError, "not a rotation"),
        ({"size": FLAT}, GeometryError, "would have the size 0"),
        ({"name": "  "}, InputError, "empty"),
    ):
        some = [*rows]
        some[at] = row(at + 1, **values)
        with pytest.raises(error, match=words):
            check(*(Edit(None, r) for r in some))


def test_what_stood_unsound_may_be_moved_but_not_copied() -> None:
    old = row(1, turn=LEANING, size=FLAT)
    there = EMPTY.with_edits([Edit(None, old)])
    check(Edit(old, old.changed(position=(1, 2, 3))), before=there)
    # as it is when it comes from the journal: equal, but another
    check(Edit(old, Placement.model_validate_json(old.model_dump_json())), before=there)
    moved = old.changed(position=(1, 2, 3))
    for edits in ([Edit(old, moved), Edit(None, moved.changed(id="placement-2"))], [Edit(None, row(2, turn=LEANING))]):
        with pytest.raises((InputError, GeometryError)):
            check(*edits, before=there)
