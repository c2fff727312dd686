"""Each mutation spoils one line that is there."""

from __future__ import annotations

from tests.mutations import MUTATIONS, ROOT


def test_each_mutation_spoils_one_line_that_is_there() -> None:
    for m in MUTATIONS:
        text = (ROOT / "able_brick" / m.file).read_text(encoding="utf-8")
        assert text.count(m.line) == 1, (m.file, m.line, text.count(m.line))
        assert m.line != m.spoilt
        assert all((ROOT / place).exists() for place in m.tests.split()), m.tests
