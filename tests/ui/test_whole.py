"""What goes wrong outside the page is told in it: damaged files, rows that point at nothing, lost replies."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from able_brick.session.project import Project
from tests.thorough import long
from tests.ui.conftest import Server, opened
from tests.ui.hands import Hands


@pytest.fixture
def worn(tmp_path: Path) -> Iterator[Server]:
    """A project with two boxes in a group and one beside, whose server has been stopped."""
    server = Server(tmp_path / "worn.db")
    for k, step in enumerate(
        (
            {"tool": "add_shape", "params": {"shape": {"kind": "box"}, "name": "Wall"}},
            {"tool": "place_piece", "params": {"position": [4, 0, 0]}, "selection": ["piece-1"]},
            {"tool": "add_shape", "params": {"shape": {"kind": "cylinder"}, "name": "Drum", "position": [0, 0, 4]}},
            {"tool": "make_group", "params": {"name": "Pair"}, "selection": ["placement-1", "placement-2"]},
        )
    ):
        server.ask("levels/level-1/steps", {"revision": k, **step})
    server.stop()
    yield server
    server.kill()


def wear(server: Server, command: str) -> None:
    with closing(sqlite3.connect(server.db)) as db:
        db.execute(command)
        db.commit()


def test_a_damaged_project_is_shown_and_gives_a_copy(browser: Browser, worn: Server, tmp_path: Path) -> None:
    wear(worn, "update journal set edits = x'00'")
    worn.start()
    with opened(browser, worn.url) as page:
        hands = Hands(page, worn.url, name="First level")
        notice = page.get_by_role("alert").filter(has_text="Read only")
        expect(notice).to_contain_text("history of First level cannot be read")
        hands.in_list("Drum")
        hands.number(page.get_by_role("region", name="Selection"), "Position X", "7")
        expect(page.get_by_role("alert").filter(has_text="Nothing can be changed")).to_be_visible()
        with page.expect_download() as download:
            notice.get_by_role("link", name="Save a copy").click()
        download.value.save_as(tmp_path / "copy.db")
    with closing(Project(tmp_path / "copy.db")) as copy:
        assert copy.read_only is None
        assert sorted(t.name for t in copy.snapshot.of("level-1").values()) == ["Drum", "Pair", "Wall", "Wall 2"]


@long
def test_rows_that_point_at_nothing_are_findings_with_a_way_out(browser: Browser, worn: Server) -> None:
    wear(worn, "delete from row where id in ('piece-2', 'group-1')")
    worn.start()
    with opened(browser, worn.url) as page:
        hands = Hands(page, worn.url, name="First level")
        page.get_by_role("button", name="3 findings").click()
        findings = page.get_by_role("dialog", name="Findings")
        expect(findings).to_contain_text("Wall is in a group that is not there any more")
        findings.get_by_role("button", name="Drum shows a piece that is not on the shelf any more").click()
        page.keyboard.press("Escape")
        hands.viewport.focus()
        page.keyboard.press("Delete")
        hands.saved(5)
        expect(page.get_by_role("button", name="2 findings")).to_be_visible()
        hands.in_list("Wall 2")
        left = [r["name"] for r in hands.level()["changed"] if r["kind"] == "placement"]
        assert left == ["Wall", "Wall 2"]


def test_a_lost_reply_is_unknown_and_what_stands_is_loaded(browser: Browser, worn: Server) -> None:
    worn.start()
    with opened(browser, worn.url) as page:
        hands = Hands(page, worn.url, name="First level")

        def lose(route: Route) -> None:
            route.fetch()
            route.abort("connectionreset")

        hands.in_list("Drum")
        card = page.get_by_role("region", name="Selection")
        page.route("**/levels/level-1/steps", lose)
        hands.number(card, "Position X", "7")
        expect(page.get_by_role("alert")).to_contain_text("unknown whether that was done")
        expect(page.get_by_text("the level has moved on by a step")).to_be_visible()
        page.unroute("**/levels/level-1/steps")
        assert hands.row("Drum", "placement")["position"][0] == 7
        expect(card.get_by_role("textbox", name="Position X", exact=True)).to_have_value("7.00")
        never(page)
        hands.number(card, "Position X", "9")
        expect(page.get_by_text("It was not done; try again.")).to_be_visible()
        page.unroute("**/levels/level-1/steps")
        assert hands.row("Drum", "placement")["position"][0] == 7
        hands.number(card, "Position X", "9")
        hands.saved(6)


def never(page: Page) -> None:
    """The next step does not reach the server."""
    page.route("**/levels/level-1/steps", lambda route: route.abort("connectionrefused"))


@long
def test_the_pivot_of_a_group_goes_to_its_centre(browser: Browser, worn: Server) -> None:
    worn.start()
    with opened(browser, worn.url) as page:
        hands = Hands(page, worn.url, name="First level")
        hands.in_list("Pair")
        assert hands.row("Pair")["position"] == [2, 0, 0]
        page.get_by_role("button", name="Pivot to centre").click()
        hands.saved(5)
        assert hands.row("Pair")["position"] == [2, 0.5, 0]
