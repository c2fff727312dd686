"""Levels of 10 000 and of 30 000 placements in the browser."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Browser, expect

from able_brick.session.project import Project
from tests.bench.growth import level_of
from tests.bench.steps import crowd
from tests.thorough import long
from tests.ui.conftest import Server, opened
from tests.ui.hands import Hands


@long
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


@long
def test_one_of_thirty_thousand_is_picked_moved_and_moved_back_and_their_export_cancelled(
    browser: Browser, tmp_path: Path
) -> None:
    project = Project(tmp_path / "many.db")
    level = level_of(project, 30_000, 15_000)
    project.close()
    server = Server(tmp_path / "many.db")
    try:
        with opened(browser, server.url) as page:
            hands = Hands(page, server.url, level=level, name="30000 placements")
            page.keyboard.press("Alt+2")
            view = hands.level()
            assert view["summary"]["placements"] == 30_000
            page.get_by_role("searchbox", name="Search the level").fill("Box 12345")
            page.get_by_role("treegrid", name="Level").get_by_text("Box 12345", exact=True).click()
            hands.viewport.focus()
            page.keyboard.press("l")
            expect(hands.viewport).to_have_attribute("data-to-come", "0")
            hands.settle(8)
            one = hands.row("Box 12345")
            x, y, z = one["position"]
            selection = page.get_by_role("region", name="Selection")
            page.keyboard.press("Escape")
            expect(selection).not_to_contain_text("Box 12345")
            hands.click_at(x, y + 0.5, z)
            expect(selection).to_contain_text("Box 12345")
            hands.tool("Move").click()
            move = page.get_by_role("region", name="Move", exact=True)
            hands.number(move, "By Y", "2.5")
            begun = view["revision"]
            hands.saved(begun + 1)
            assert hands.row("Box 12345")["position"] == [x, y + 2.5, z]
            hands.viewport.focus()
            page.keyboard.press("Control+z")
            hands.saved(begun + 2)
            assert hands.row("Box 12345")["position"] == one["position"]
            page.keyboard.press("Alt+5")
            page.get_by_role("button", name="Export 30000 placements as GLB").click()
            page.get_by_role("button", name="Cancel Export 30000 placements").click()
            expect(page.get_by_text("nothing of it was kept")).to_be_visible()
            assert [(j["state"], j["has_file"]) for j in server.ask("work")] == [("stopped", False)]
    finally:
        server.kill()
