"""Settings of arrays: those of all forms go along, and a form that is chosen later finds them as large."""

from __future__ import annotations

import numpy as np
import pytest

from able_brick.level.forms import FORMS, Repeat


@pytest.mark.parametrize("form", FORMS)
def test_settings_of_the_other_forms_go_along(form: str) -> None:
    one = Repeat(form=form, spacing_by="metres", spacing=2.0, rows=2, row_spacing=3.0, radius=4.0, heading=30.0)
    large = one.scaled(np.array([2.0, 2.0, 2.0]))
    assert large["radius"] == pytest.approx(8.0) and large["heading"] == pytest.approx(30.0)
    assert large["spacing"] == 4.0 and large["row_spacing"] == 6.0
    over = one.turned_over(0)
    assert over["axis"] == "-x" and over["sweep"] == -360.0
    back = Repeat.model_validate({**dict(one), **over})
    again = Repeat.model_validate({**dict(back), **back.turned_over(0)})
    assert again.repeat() == pytest.approx(one.repeat())


def test_uneven_sizes_move_the_centre_of_a_ring_and_the_spacing_of_its_own_axis() -> None:
    ring = Repeat(form="ring", radius=2.0, heading=0.0, spacing_by="metres")
    large = ring.scaled(np.array([1.0, 1.0, 3.0]))
    centre = Repeat.model_validate({**dict(ring), **large}).centre
    assert centre == pytest.approx(ring.centre * [1.0, 1.0, 3.0])
    assert large["spacing"] == ring.spacing
