"""From deviations to pixels and viewing distances."""

from __future__ import annotations

import math
from typing import Final

#: The picture that distances are computed for: its height in pixels, the vertical angle of view in degrees, and by how
#: many times it is wider than high.
HEIGHT: Final = 1080
VIEW: Final = 60.0
ASPECT: Final = 16 / 9


def _pixels_each(height: int, view: float) -> float:
    """Pixels that a metre shows as, from a metre, at most: in a corner of the picture.

    At an angle θ from its middle what stands at a distance is nearer to the picture's plane by cos θ, and a change of
    place towards the eye shows as well: together 1 / cos² θ of what it is in the middle.
    """
    half = math.tan(math.radians(view) / 2)
    return height / (2 * half) * (1 + half * half * (1 + ASPECT * ASPECT))


def pixels(deviation: float, distance: float, *, height: int = HEIGHT, view: float = VIEW) -> float:
    """By how many pixels a deviation (m) shows at a distance (m), at most, wherever in the picture it is."""
    return deviation * _pixels_each(height, view) / distance


def allowed(error: float, distance: float, *, height: int = HEIGHT, view: float = VIEW) -> float:
    """The deviation (m) that shows as no more than so many pixels at a distance (m), wherever in the picture."""
    return error * distance / _pixels_each(height, view)


def good_from(deviation: float, *, error: float = 1.0, height: int = HEIGHT, view: float = VIEW) -> float:
    """The distance (m) from which a deviation (m) shows by no more than so many pixels, wherever in the picture."""
    return deviation * _pixels_each(height, view) / error


def coverage(reach: float, distance: float, *, view: float = VIEW) -> float:
    """The share of the picture's area, 0…1, that a sphere of such a radius (m) takes in its middle, whose centre is so
    far away (m)."""
    if distance <= reach:
        return 1.0
    half = math.tan(math.radians(view) / 2)
    square = reach * reach / (distance * distance - reach * reach)  # of the tangent of the angle that it reaches over
    return min(1.0, math.pi * square / (4 * half * half * ASPECT))
