"""The small palette of surfaces that every level starts with; linear colours."""

from __future__ import annotations

from enum import StrEnum
from typing import Final

from able_brick.level.rows import Surface


class Tint(StrEnum):
    """Names of the palette's surfaces."""

    STONE = "stone"
    PALE_STONE = "pale stone"
    BRICK = "brick"
    SLATE = "slate"
    OAK = "oak"
    GATE_GREEN = "gate green"
    IRON = "iron"
    LAMP_GLASS = "lamp glass"
    WATER = "water"
    BRONZE = "bronze"
    EARTH = "earth"
    PLASTER = "plaster"


def _surface(name: Tint, srgb: str, roughness: float = 0.85, metallic: float = 0.0) -> Surface:
    def linear(two: str) -> float:
        v = int(two, 16) / 255
        return round(v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4, 5)

    r, g, b = (linear(srgb[k : k + 2]) for k in (0, 2, 4))
    return Surface(name=name.value, colour=(r, g, b, 1.0), roughness=roughness, metallic=metallic)


PALETTE: Final[dict[Tint, Surface]] = {
    s: _surface(s, colour, rough)
    for s, colour, rough in (
        (Tint.STONE, "d2c3a5", 0.9),
        (Tint.PALE_STONE, "ebe4d3", 0.9),
        (Tint.BRICK, "c07a63", 0.9),
        (Tint.SLATE, "74777c", 0.8),
        (Tint.OAK, "b8966f", 0.85),
        (Tint.GATE_GREEN, "86a085", 0.7),
        (Tint.IRON, "4c575c", 0.6),
        (Tint.LAMP_GLASS, "e0b354", 0.4),
        (Tint.WATER, "9fbcb8", 0.3),
        (Tint.BRONZE, "5f8374", 0.5),
        (Tint.EARTH, "c2c8ad", 0.95),
        (Tint.PLASTER, "e9e2d2", 0.9),
    )
}
