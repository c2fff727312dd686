"""What cannot be is refused in words."""

from __future__ import annotations

import pytest

from able_brick.core.errors import AbleBrickError
from tests.steps.lay.yard import SMOOTH
from tests.steps.test_steps import Sheet

BAD = [
    ("draw_path", (), {"points": [{"position": (0, 0, 0)}]}, "at least 2"),
    ("draw_path", (), {"points": [{"position": (0, 0, 0)}] * 2}, "same spot"),
    ("lay_course", ("path-1",), {"piece": "piece-9"}, "no piece"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "fit": "spacing", "spacing": 0.0}, "more than 0"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "pattern": ["piece-9"]}, "no piece"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "between": "path-1"}, "another path"),
    ("lay_course", ("path-1",), {"piece": "piece-1", "stations": "course-9"}, "same path"),
    ("line_array", ("placement-1",), {"form": "grid", "count": 400, "rows": 400}, "possible"),
    ("line_array", ("placement-1",), {"form": "ring", "sweep": 0.0}, "sweep"),
    ("stepped_copies", ("placement-1",), {}, "one spot"),
    ("stepped_copies", ("placement-1",), {"offset": (1, 0, 0), "size": (0, 1, 1)}, "flatten"),
    ("mirror", ("placement-1",), {"across": []}, "Choose one axis"),
    ("mirror", ("placement-1",), {"plane": "face"}, "No face"),
    ("mirror", ("placement-1",), {"plane": "points"}, "two points"),
    ("scatter", ("placement-1",), {"smallest": 2.0, "largest": 1.0}, "swap them"),
    ("swap_items", ("array-1",), {}, "No item"),
    ("swap_items", ("array-1",), {"items": [99], "becomes": "nothing"}, "no item 100"),
    ("make_real", ("group-1",), {}, "no array"),
    ("end_array", ("group-1",), {}, "shown once already"),
    ("path_points", ("path-1",), {"points": [77]}, "no point 78"),
    ("set_path_length", ("path-1",), {"length": -1.0}, "more than"),
    ("path_from_edges", (), {}, "No edge"),
    ("strew", ("piece-1",), {}, "No face"),
    ("split_path", ("path-1",), {"point": 1}, "between its ends"),
    ("join_paths", ("path-1", "path-2"), {}, "Courses are laid"),
]


@pytest.mark.parametrize(("tool", "selection", "params", "text"), BAD)
def test_what_cannot_be_is_refused_in_words_and_changes_nothing(
    sheet: Sheet, tool: str, selection: tuple[str, ...], params: dict[str, object], text: str
) -> None:
    sheet.do("draw_path", points=SMOOTH)
    sheet.do("draw_path", points=[{"position": (0, 0, 50)}, {"position": (9, 0, 50)}])
    sheet.do("lay_course", "path-2", piece="piece-2")
    sheet.do("line_array", "placement-2", count=3)
    sheet.do("make_group", "placement-3")
    before = sheet.snapshot
    with pytest.raises(AbleBrickError, match=text):
        sheet.do(tool, *selection, **params)
    assert sheet.snapshot is before
