"""Chains of operations at random, in short; `chains.py` has the long form."""

from __future__ import annotations

from collections import Counter

import pytest

from tests.steps.shape.chains import MESHES, chain


@pytest.mark.parametrize("seed", range(0, len(MESHES), 2))
def test_no_operation_breaks_a_sound_mesh_without_a_word(seed: int) -> None:
    told: Counter[str] = Counter()
    chain(seed, 8, told)
    assert set(told) <= {"done", "refused"}, told
    assert told["done"] > 0


@pytest.mark.parametrize("seed", [3, 9])
def test_nor_does_one_on_what_was_brought_in(seed: int) -> None:
    told: Counter[str] = Counter()
    chain(seed, 5, told, from_file=True)
    assert set(told) <= {"done", "refused"}, told
    assert told["done"] > 0
