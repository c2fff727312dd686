"""The letters of the font that ships with the app, as polygons."""

from __future__ import annotations

import math
from functools import lru_cache
from pathlib import Path
from typing import Any, Final

import numpy as np
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.shapes.lettering import area_of

_FONT: Final = Path(__file__).with_name("fonts") / "archivo-bold.ttf"


@lru_cache(maxsize=1)
def _font() -> tuple[Any, dict[int, str], float]:
    font = TTFont(_FONT, lazy=False)
    return font.getGlyphSet(), font.getBestCmap(), float(font["OS/2"].sCapHeight)


def outlines(text: str, height: float, chord_error: float, spacing: float) -> list[Floats]:
    """Outlines (n,2) of a text, metres: outer ones counter-clockwise. Raises GeometryError for what has no letter."""
    glyphs, names, capital = _font()
    scale = height / capital
    missing = sorted({c for c in text if ord(c) not in names})
    if missing:
        raise GeometryError(f"The font has no letter for {' '.join(missing)[:40]}; leave it out.", field="text")
    out: list[Floats] = []
    x = 0.0
    for letter in text:
        glyph = glyphs[names[ord(letter)]]
        pen = _Flattener(glyphs, chord_error / scale)
        glyph.draw(pen)
        out += [np.asarray(ring) * scale + [x, 0.0] for ring in pen.rings if len(ring) >= 3]
        x += glyph.width * scale + spacing
    if not out:
        raise GeometryError("The lettering has no letters; type some.", field="text")
    whole = sum(area_of(r) for r in out)
    return out if whole > 0 else [r[::-1] for r in out]


class _Flattener(BasePen):  # type: ignore[misc]
    """Outlines as polygons whose chords keep within an error, font units."""

    def __init__(self, glyphs: Any, error: float) -> None:
        super().__init__(glyphs)
        self.error = error
        self.rings: list[list[tuple[float, float]]] = []

    def _moveTo(self, pt: tuple[float, float]) -> None:  # noqa: N802
        self.rings.append([pt])

    def _lineTo(self, pt: tuple[float, float]) -> None:  # noqa: N802
        self.rings[-1].append(pt)

    def _curveToOne(  # noqa: N802
        self, a: tuple[float, float], b: tuple[float, float], end: tuple[float, float]
    ) -> None:
        p = np.array([self._getCurrentPoint(), a, b, end], np.float64)
        bend = 6 * max(np.hypot(*(p[0] - 2 * p[1] + p[2])), np.hypot(*(p[1] - 2 * p[2] + p[3])))
        n = max(1, math.ceil(math.sqrt(bend / (8 * self.error))))
        t = (np.arange(1, n + 1) / n)[:, None]
        s = 1 - t
        points = s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3]
        self.rings[-1] += [(float(x), float(y)) for x, y in points]

    def _qCurveToOne(self, a: tuple[float, float], end: tuple[float, float]) -> None:  # noqa: N802
        p = np.array([self._getCurrentPoint(), a, end], np.float64)
        n = max(1, math.ceil(math.sqrt(np.hypot(*(p[0] - 2 * p[1] + p[2])) / (4 * self.error))))
        t = (np.arange(1, n + 1) / n)[:, None]
        points = (1 - t) ** 2 * p[0] + 2 * t * (1 - t) * p[1] + t * t * p[2]
        self.rings[-1] += [(float(x), float(y)) for x, y in points]
