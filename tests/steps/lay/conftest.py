"""The level that is laid in."""

from __future__ import annotations

import pytest

from tests.steps.test_steps import Sheet


@pytest.fixture
def sheet() -> Sheet:
    """A wall (piece-1), a post (piece-2) and a letter, no mirror image of itself (piece-3), each placed once."""
    made = Sheet()
    made.do("add_shape", shape={"kind": "box", "width": 4.0, "height": 3.0, "depth": 0.6}, name="Wall")
    made.do("add_shape", shape={"kind": "box", "width": 0.4, "height": 4.0, "depth": 0.4}, name="Post")
    made.do("add_shape", shape={"kind": "lettering", "text": "F", "height": 1.0, "depth": 0.4}, name="Letter")
    return made
