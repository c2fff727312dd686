"""When something goes wrong: a card that cannot be drawn, a server that is started again, projects that change."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from able_brick.session.project import Project
from tests.thorough import long
from tests.ui.conftest import FORGET, LOOK, Server, opened
from tests.ui.hands import Hands


@pytest.fixture
def pair(tmp_path: Path) -> Iterator[Server]:
    """A server on one of two small projects, both of which were open before."""
    for name in ("lock.db", "quay.db"):
        with closing(Project(tmp_path / name)) as project:
            project.create_level("First level")
    recent = [{"path": str((tmp_path / n).resolve()), "opened": time.time()} for n in ("lock.db", "quay.db")]
    (tmp_path / "home").mkdir()
    (tmp_path / "home" / "recent.json").write_text(json.dumps(recent))
    server = Server(tmp_path / "lock.db")
    yield server
    server.kill()


def add(server: Server, name: str) -> None:
    revision = server.ask("levels/level-1")["revision"]
    params = {"shape": {"kind": "box"}, "name": name}
    server.ask("levels/level-1/steps", {"tool": "add_shape", "params": params, "selection": [], "revision": revision})


def listed(page: Page, name: str) -> Any:
    return page.get_by_role("treegrid", name="Level").get_by_role("row", name=name)


def hands_on(page: Page, server: Server) -> Hands:
    return Hands(page, server.url, name="First level")


def open_quay(page: Page) -> None:
    page.get_by_role("button", name="Level First level").click()
    page.get_by_role("menuitem", name="Open quay.db").click()


@contextmanager
def in_page(browser: Browser, url: str) -> Iterator[Page]:
    """A page in which something may go wrong."""
    with closing(browser.new_context(**LOOK)) as context:
        context.add_init_script(FORGET)
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.goto(url)
        yield page


def test_a_card_that_cannot_be_drawn_says_so_and_the_rest_goes_on(pair: Server, browser: Browser) -> None:
    add(pair, "Crate")
    with in_page(browser, pair.url) as page:
        hands = hands_on(page, pair)
        page.route("**/recipes", lambda route: route.fulfill(status=200, json={"not": "a list"}))
        page.keyboard.press("Alt+4")
        failed = page.get_by_role("alert").filter(has_text="The stage's card could not be shown")
        expect(failed).to_be_visible()
        hands.in_list("Crate")
        expect(failed).to_be_visible()
        page.keyboard.press("Delete")
        hands.saved(2)
        expect(listed(page, "Crate")).to_have_count(0)
        page.unroute("**/recipes")
        # it was kept as it came; a look at another stage and back asks anew
        page.keyboard.press("Alt+2")
        expect(failed).to_have_count(0)
        expect(page.get_by_role("region", name="Tools")).to_be_visible()


def test_a_tab_goes_on_where_it_was_when_the_server_is_started_again(pair: Server, browser: Browser) -> None:
    add(pair, "Crate")
    with opened(browser, pair.url) as page:
        hands = hands_on(page, pair)
        before = pair.ask("project")["key"]
        hands.in_list("Crate")
        selection = page.get_by_role("region", name="Selection")
        expect(selection).to_contain_text("Crate")
        pair.kill()
        expect(page.get_by_role("status").first).not_to_have_text("Saved")
        pair.start()
        after = pair.ask("project")["key"]
        assert after.split(".")[0] == before.split(".")[0] and after != before
        expect(page.get_by_role("status").first).to_have_text("Saved")
        expect(selection).to_contain_text("Crate")
        hands.viewport.focus()
        page.keyboard.press("Delete")
        hands.saved(2)
        add(pair, "Heard of")
        expect(listed(page, "Heard of")).to_be_visible()


@long
def test_a_tab_of_another_project_is_asked_where_it_goes_and_changes_nothing(pair: Server, browser: Browser) -> None:
    add(pair, "Crate")
    with opened(browser, pair.url) as page:
        hands_on(page, pair)
        second = page.context.new_page()
        second.goto(pair.url)
        hands_on(second, pair)
        open_quay(second)
        expect(second.get_by_text("Nothing here yet")).to_be_visible()
        page.bring_to_front()
        told = page.get_by_role("alertdialog", name="This tab belongs to lock.db")
        expect(told).to_contain_text("quay.db was opened meanwhile")
        page.keyboard.press("Escape")
        expect(told).to_be_visible()
        told.get_by_role("button", name="Open lock.db again").click()
        expect(listed(page, "Crate")).to_be_visible()
        expect(told).to_have_count(0)
        assert pair.ask("project")["name"] == "lock.db"
        second.bring_to_front()
        second.get_by_role("alertdialog", name="This tab belongs to quay.db").get_by_role(
            "button", name="Go along"
        ).click()
        expect(listed(second, "Crate")).to_be_visible()
        assert pair.ask("levels/level-1")["revision"] == 1
        second.close()


@long
def test_what_is_being_worked_on_is_asked_about_before_another_project_opens(
    pair: Server, browser: Browser, tmp_path: Path
) -> None:
    params = {"shape": {"kind": "sphere", "divisions": 64}}
    pair.ask("levels/level-1/steps", {"tool": "add_shape", "params": params, "selection": [], "revision": 0})
    rungs = [{"kind": "deviation", "value": 0.01 * k} for k in range(1, 11)]
    work = {"tool": "make_ladder", "params": {"rungs": rungs}, "selection": ["piece-1"], "revision": 1}
    with opened(browser, pair.url) as page:
        hands_on(page, pair)
        pair.ask("levels/level-1/work", work)
        open_quay(page)
        asked = page.get_by_role("alertdialog", name="Something is still being worked on")
        expect(asked).to_contain_text("Make ladder: ")
        asked.get_by_role("button", name="Stay here").click()
        expect(asked).to_have_count(0)
        assert pair.ask("project")["name"] == "lock.db"
        open_quay(page)
        asked.get_by_role("button", name="Stop it and open").click()
        expect(page.get_by_text("Nothing here yet")).to_be_visible()
        assert pair.ask("project")["name"] == "quay.db"
