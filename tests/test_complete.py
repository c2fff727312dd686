"""Nothing is left half done: every tool is described, tested, and its errors are mapped."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from able_brick.api.errors import STATUS
from able_brick.core import errors
from able_brick.level.shapes.catalogue import describe_shapes
from able_brick.steps.registry import TOOLS, describe

TESTS = Path(__file__).parent
WEB = TESTS.parent / "web/src"


@pytest.mark.parametrize("name", TOOLS)
def test_every_tool_is_described_and_tested(name: str) -> None:
    tool = TOOLS[name]
    assert tool.model_fields["tool"].default == name
    for field_name, info in tool.model_fields.items():
        assert field_name == "tool" or (info.title and info.description), f"{name}.{field_name} has no help"
    text = "".join(p.read_text() for p in TESTS.rglob("test_*.py"))
    assert f'"{name}"' in text or name == "import_pieces", f"{name} is in no test"


def test_every_error_has_a_status() -> None:
    def under(kind: type) -> set[type]:
        return {kind}.union(*(under(k) for k in kind.__subclasses__()))

    ours = {k for k in under(errors.AbleBrickError) if k.__module__ == errors.__name__} - {errors.AbleBrickError}
    assert ours == set(STATUS)
    assert len({k.code for k in ours}) == len(ours)


def test_every_icon_that_is_named_is_drawn() -> None:
    drawn = set(re.findall(r'^  "?([a-z0-9-]+)"?: [A-Z]', (WEB / "ui/icons.ts").read_text(), re.MULTILINE))
    assert {t.icon for t in describe()} | {s.icon for s in describe_shapes()} <= drawn
