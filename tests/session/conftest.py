"""The project that these tests share the making of."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.session.bench import Bench


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    made = Bench(tmp_path / "trial.db")
    yield made
    made.project.close()
