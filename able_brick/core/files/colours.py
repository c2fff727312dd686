"""sRGB and linear colours, each 0…1."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats


def to_linear(srgb: Floats) -> Floats:
    """Linear values of sRGB ones."""
    out: Floats = np.where(srgb <= 0.04045, srgb / 12.92, ((np.maximum(srgb, 0.04045) + 0.055) / 1.055) ** 2.4)
    return out


def to_srgb(linear: Floats) -> Floats:
    """sRGB values of linear ones."""
    out: Floats = np.where(
        linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055
    )
    return out
