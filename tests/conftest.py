"""What several floors' tests share."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import settings

from tests.once import made_once
from tests.thorough import EXAMPLES

# `make test` tries the same examples every time; HYPOTHESIS_PROFILE=default looks for new ones
settings.register_profile("steady", derandomize=True, deadline=None, max_examples=EXAMPLES)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "steady"))


@pytest.fixture(scope="session", autouse=True)
def _own_home(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What belongs to this machine and to no project is kept apart from what whoever runs the tests has."""
    os.environ["ABLE_BRICK_HOME"] = str(tmp_path_factory.mktemp("home"))


@pytest.fixture(scope="session")
def demo_file(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo project, built once for all tests of the session. What would write to it takes a copy."""
    return made_once(request, tmp_path_factory, "demo.db", _build)


def _build(path: Path) -> None:
    from able_brick.demo.build import build_demo
    from able_brick.session.project import Project

    project = Project(path)
    build_demo(project)
    project.close()
