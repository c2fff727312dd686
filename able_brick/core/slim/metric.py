"""The metric that distances on a mesh are meant in, where it stands sized, and in several places at once."""

from __future__ import annotations

import numpy as np

from able_brick.core.mesh.polymesh import Floats

_EVEN = 1e-9


def largest_metric(maps: Floats) -> Floats | None:
    """A matrix (3,3) after which distances are at least what they are after any of `maps` (n,3,3); None for distances
    as they are.

    The same as after each, where that is the same for all. Where all lengthen along the axes alone, the largest decides
    for each axis; else the largest that anything is made longer by, everywhere.
    """
    if not len(maps):
        return None
    products = np.swapaxes(maps, 1, 2) @ maps
    scale = float(np.abs(products).max())
    diagonal = np.einsum("nii->ni", products)
    mixed = np.abs(products - diagonal[:, :, None] * np.eye(3)).max()
    if mixed <= _EVEN * scale:
        out = np.diag(np.sqrt(diagonal.max(axis=0)))
    elif np.abs(products - products[0]).max() <= _EVEN * scale:
        out = maps[0]
    else:
        out = np.eye(3) * float(np.linalg.norm(maps, 2, axis=(1, 2)).max())
    as_it_is = np.abs(out.T @ out - np.eye(3)).max() <= _EVEN
    return None if as_it_is else out


def stretch_of(metric: Floats | None) -> float:
    """The most that anything is made longer by."""
    return 1.0 if metric is None else float(np.linalg.norm(metric, 2))


def mean_size(metric: Floats | None) -> float:
    """The size that an even one has that makes volumes as much larger."""
    return 1.0 if metric is None else float(abs(np.linalg.det(metric)) ** (1 / 3))
