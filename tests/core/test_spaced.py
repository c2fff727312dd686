"""Items at a spacing along a path that comes back to where it begins."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.core.path.curve import PathPoint, curve
from able_brick.core.path.fitting import Leg, spaced


@pytest.mark.parametrize("by_length", [False, True])
def test_on_a_closed_path_the_first_begins_where_the_path_does(by_length: bool) -> None:
    square = curve([PathPoint(p) for p in ((0, 0, 0), (8, 0, 0), (8, 0, 8), (0, 0, 8))], closed=True)
    found = spaced(Leg(square), np.ones(6), 1.5, by_length=by_length)
    assert found.stations[0] == pytest.approx((0.0, 1.0), abs=1e-6)
    # not those at corners, which are cut short there
    assert found.stations[1:5].mean(axis=1) == pytest.approx([2.0, 3.5, 5.0, 6.5], abs=1e-6)
