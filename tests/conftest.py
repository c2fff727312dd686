"""What several floors' tests share."""

from __future__ import annotations

from pathlib import Path

import pytest


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo project, built once for all tests of the session."""
    from able_brick.demo.build import build_demo
    from able_brick.store.project import Project

    path = tmp_path_factory.mktemp("demo") / "demo.db"
    project = Project(path)
    build_demo(project)
    project.close()
    return path
