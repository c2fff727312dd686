"""The API over a project with one level."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from able_brick.api.app import create_app
from able_brick.session.project import Project
from tests.api.client import Client as TestClient
from tests.session.bench import Bench


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    project = Project(tmp_path / "api.db")
    project.create_level("Trial")
    with TestClient(create_app(project), base_url="http://127.0.0.1:8484", raise_server_exceptions=False) as opened:
        yield opened


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    made = Bench(tmp_path / "trial.db")
    yield made
    made.project.close()
