"""The docs lead where they say, their commands run, and the API's description leaves nothing out."""

from __future__ import annotations

import json
import re
import shlex
from pathlib import Path

import pytest
from typer.testing import CliRunner

from able_brick.api.app import create_app
from able_brick.api.field_help import OF
from able_brick.cli import app
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.scene import Material, ScenePart
from able_brick.session.project import Project
from tests.zoo import bumpy_ball

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
RECIPE = {"name": "Halves", "rungs": [{"kind": "share", "value": 50.0}, {"kind": "share", "value": 25.0}]}


def anchors(page: Path) -> set[str]:
    titles = re.findall(r"^#+ (.+)$", page.read_text(), re.MULTILINE)
    return {re.sub(r"[^a-z0-9 -]", "", t.lower()).replace(" ", "-") for t in titles}


@pytest.mark.parametrize("page", PAGES, ids=lambda p: p.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)]+)\)", page.read_text()):
        where, _, anchor = target.partition("#")
        assert not where.startswith("http"), f"{target}: nothing is looked up elsewhere"
        found = (page.parent / where).resolve() if where else page
        assert found.exists(), f"{page.name} links to {target}"
        assert not anchor or anchor in anchors(found), f"{page.name} links to {target}"


def test_every_picture_is_shown() -> None:
    text = "".join(p.read_text() for p in PAGES)
    pictures = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
    assert {p for p in pictures if f"screenshots/{p}" not in text} == set()
    assert len(pictures) < 20


def test_the_readme_is_short() -> None:
    assert len((ROOT / "README.md").read_text().splitlines()) <= 120


def test_targets_and_paths_that_are_named_are_there() -> None:
    targets = set(re.findall(r"^([a-z-]+):", (ROOT / "Makefile").read_text(), re.MULTILINE))
    for page in PAGES:
        text = page.read_text()
        assert set(re.findall(r"`make ([a-z-]+)", text)) <= targets, page.name
        for path in re.findall(r"`((?:able_brick|web|tests|docs)/[\w./-]+)`", text):
            if not re.search(r"my_|my[A-Z]|xyz", path):
                assert (ROOT / path).exists(), f"{page.name} names {path}"


def test_commands_of_the_docs_run(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text = (ROOT / "docs/command-line.md").read_text()
    crate = write_glb([ScenePart("Crate", bumpy_ball(8), (Material("oak"),))])
    (tmp_path / "models").mkdir()
    for at in ("crate.glb", "models/crate.glb"):
        (tmp_path / at).write_bytes(crate)
    (tmp_path / "halves.json").write_text(json.dumps(RECIPE))
    monkeypatch.chdir(tmp_path)
    blocks = re.findall(r"```console\n(.*?)```", text, re.DOTALL)
    lines = [line for block in blocks for line in block.splitlines()]
    assert len(lines) >= 12
    for line in lines:
        program, *words = shlex.split(line)
        assert program == "able-brick"
        done = CliRunner().invoke(app, words)
        assert done.exit_code == 0, f"{line}: {done.output}"
    for name in ("crate.obj", "half.glb", "crate-2.glb", "ladder.glb", "slimmed/report.json"):
        assert (tmp_path / name).exists(), name


def test_every_option_of_a_command_is_described() -> None:
    text = (ROOT / "docs/command-line.md").read_text()
    for command in ("serve", "inspect", "convert", "reduce", "batch"):
        shown = CliRunner().invoke(app, [command, "--help"], env={"COLUMNS": "200", "NO_COLOR": "1"}).output
        options = set(re.findall(r"--[a-z][a-z-]+", shown)) - {"--help"}
        missing = {o for o in options if o not in text and not o.startswith("--no-")}
        assert missing == set(), f"{command}: {missing}"


def test_every_field_and_parameter_of_the_api_is_described(tmp_path: Path) -> None:
    project = Project(tmp_path / "empty.db")
    try:
        described = create_app(project).openapi()
    finally:
        project.close()
    silent = {
        f"{name}.{field}"
        for name, model in described["components"]["schemas"].items()
        for field, info in model.get("properties", {}).items()
        if not info.get("description") and not name.startswith("Body_")
    }
    assert silent == set()
    for path, methods in described["paths"].items():
        for method in methods.values():
            assert method.get("description") or method.get("summary"), path
            for parameter in method.get("parameters", []):
                assert parameter.get("description"), f"{path}: {parameter['name']}"
    schemas = described["components"]["schemas"]
    stale = {
        f"{n}.{f}" for n, fields in OF.items() for f in fields if f not in schemas.get(n, {}).get("properties", {})
    }
    assert stale == set()
