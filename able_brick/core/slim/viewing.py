"""From deviations to pixels and viewing distances."""

from __future__ import annotations

import math
from typing import Final

#: The picture that distances are reckoned for: its height in pixels, and the vertical angle of view in degrees.
HEIGHT: Final = 1080
VIEW: Final = 60.0


def pixels(deviation: float, distance: float, *, height: int = HEIGHT, view: float = VIEW) -> float:
    """By how many pixels a deviation (m) shows at a distance (m)."""
    return deviation * height / (2 * distance * math.tan(math.radians(view) / 2))


def allowed(error: float, distance: float, *, height: int = HEIGHT, view: float = VIEW) -> float:
    """The deviation (m) that shows as so many pixels at a distance (m)."""
    return error * 2 * distance * math.tan(math.radians(view) / 2) / height


def good_from(deviation: float, *, error: float = 1.0, height: int = HEIGHT, view: float = VIEW) -> float:
    """The distance (m) from which a deviation (m) shows by no more than so many pixels."""
    return deviation * height / (2 * error * math.tan(math.radians(view) / 2))
