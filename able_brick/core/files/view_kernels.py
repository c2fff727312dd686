"""Kernels that gather what many items of one mesh are drawn with."""

from __future__ import annotations

from able_brick.core.kernel import kernel


@kernel
def gather(values, chosen, out, begin):  # type: ignore[no-untyped-def]
    """Rows `chosen` (h) of each item of values (n,V,w), item after item, into out (…,w) from row `begin` on."""
    row = begin
    for i in range(values.shape[0]):
        for at in chosen:
            for j in range(values.shape[2]):
                out[row, j] = values[i, at, j]
            row += 1
    return row


@kernel
def repeat(values, n, step, first, out, begin):  # type: ignore[no-untyped-def]
    """Numbers (k) n times, from `first` and each time `step` on, into out from `begin` on."""
    place = begin
    for i in range(n):
        shift = first + i * step
        for value in values:
            out[place] = value + shift
            place += 1
    return place
