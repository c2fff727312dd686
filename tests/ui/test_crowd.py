"""A level of 10 000 placements in the browser."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Browser, expect

from able_brick.session.project import Project
from tests.bench.steps import crowd
from tests.ui.conftest import Server, opened
from tests.ui.hands import Hands


def test_ten_thousand_placements_are_few_draw_calls_and_few_rows(browser: Browser, tmp_path: Path) -> None:
    project = Project(tmp_path / "crowd.db")
    level = crowd(project)
    project.close()
    server = Server(tmp_path / "crowd.db")
    try:
        with opened(browser, server.url) as page:
            hands = Hands(page, server.url, level=level, name="Crowd")
            page.keyboard.press("Alt+2")
            # after the frames in which the shadow was drawn anew
            for view in ("Shift+2", "Shift+3", "Shift+2", "Shift+3"):
                page.keyboard.press(view)
                hands.settle(6)
            pieces = [r for r in hands.level()["changed"] if r["kind"] == "piece"]
            materials = sum(len(p["materials"]) for p in pieces)
            assert (len(pieces), hands.level()["summary"]["placements"]) == (40, 10_000)
            calls = int(hands.viewport.get_attribute("data-draw-calls") or 0)
            assert 0 < calls <= materials + 20, calls
            # many placements of a piece are one row of the list until it is unfolded
            rows = page.get_by_role("treegrid", name="Level").get_by_role("row")
            expect(rows.first).to_have_attribute("aria-label", "Box · all 250")
            page.get_by_role("searchbox", name="Search the level").fill("Box 240")
            expect(rows.filter(has_text="Box 240").first).to_be_visible()
    finally:
        server.kill()
