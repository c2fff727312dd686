"""Named defaults for every tolerance. Functions take them as arguments; nothing is kept in module state."""

from typing import Final

#: Edges bent more than this are drawn and shaded as sharp, radians.
SMOOTH_ANGLE: Final = 0.6981317007977318
#: Twice the area of a face under this share of its longest edge squared counts as degenerate.
DEGENERATE: Final = 1e-12
#: Relative error of arc lengths.
ARC_LENGTH: Final = 1e-6
#: Stretch of course items beyond this share is a finding.
STRETCH_FINDING: Final = 0.10
