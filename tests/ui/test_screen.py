"""The sheet as a whole: levels, panels, the list, the first visit, and what a checker of accessibility finds."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.thorough import by_day, long
from tests.ui.axe import violations
from tests.ui.conftest import Server, opened
from tests.ui.hands import Hands
from tests.ui.test_build import step


@pytest.fixture
def shared(server: Server) -> Server:
    """The demo level, for pages of their own."""
    return server


def levels(page: Page) -> None:
    """Open the level menu."""
    page.get_by_role("banner").get_by_role("button", name=re.compile("^Level ")).click()


def entry(page: Page, name: str) -> None:
    page.get_by_role("menuitem", name=name, exact=True).click()


def test_levels_are_named_renamed_duplicated_and_deleted(bare: Hands) -> None:
    page = bare.page
    step(bare, "add_shape", shape={"kind": "box"}, name="Crate")
    rows = page.get_by_role("treegrid", name="Level").get_by_role("row")
    expect(rows).to_have_count(1)
    levels(page)
    expect(page.get_by_role("menuitem", name=re.compile("^New level"))).to_have_count(1)
    entry(page, "Rename …")
    page.get_by_role("dialog", name="Rename level").get_by_role("textbox", name="Name").fill("Pound 1")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Level Pound 1")).to_be_visible()

    # a copy is proposed the next name, and has what stands in the level
    levels(page)
    entry(page, "Duplicate …")
    field = page.get_by_role("dialog", name="Duplicate level").get_by_role("textbox", name="Name")
    expect(field).to_have_value("Pound 2")
    field.press("Enter")
    expect(page.get_by_role("button", name="Level Pound 2")).to_be_visible()
    expect(rows.first).to_contain_text("Crate")

    # deleting tells what goes, and another level is open then
    levels(page)
    entry(page, "Delete …")
    sheet = page.get_by_role("alertdialog", name="Delete Pound 2?")
    expect(sheet).to_contain_text("The one thing that stands in it goes with it")
    sheet.get_by_role("button", name="Delete level").click()
    expect(page.get_by_role("button", name="Level Pound 1")).to_be_visible()
    page.get_by_role("button", name="Bring it back").click()
    expect(page.get_by_role("button", name="Level Pound 2")).to_be_visible()
    expect(rows.first).to_contain_text("Crate")

    # the menu brings it back as well, and the last level stays
    levels(page)
    entry(page, "Delete …")
    page.get_by_role("button", name="Delete level").click()
    expect(page.get_by_role("button", name="Level Pound 1")).to_be_visible()
    levels(page)
    expect(page.get_by_role("menuitem", name="Bring back Pound 2")).to_be_visible()
    entry(page, "Delete …")
    expect(page.get_by_role("alertdialog")).to_contain_text("the only level of the project")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("button", name="Level Pound 1")).to_be_visible()

    # typing replaces the name that a new level is given
    levels(page)
    entry(page, "New level …")
    fresh = page.get_by_role("dialog", name="New level").get_by_role("textbox", name="Name")
    expect(fresh).to_be_focused()
    bare.settle(2)
    page.keyboard.type("Trial yard")
    expect(fresh).to_have_value("Trial yard")
    page.keyboard.press("Escape")


def test_a_project_is_made_from_the_page_where_its_folder_is_there(bare: Hands, tmp_path: Path) -> None:
    page = bare.page
    levels(page)
    entry(page, "New project …")
    dialog = page.get_by_role("dialog", name="New project")
    path = dialog.get_by_role("textbox")
    path.fill(str(tmp_path / "nowhere" / "Quay trial"))
    path.press("Enter")
    expect(dialog.get_by_role("alert")).to_contain_text("There is no folder")
    path.fill(str(tmp_path / "Quay trial"))
    path.press("Enter")
    expect(dialog).not_to_be_visible()
    expect(page.get_by_role("button", name="Level First level")).to_be_visible()
    levels(page)
    expect(page.get_by_role("menu")).to_contain_text("Quay trial.db")


@long
def test_an_empty_project_shows_three_ways_to_begin(bare: Hands) -> None:
    page = bare.page
    begin = page.get_by_role("region", name="Begin")
    expect(begin.get_by_role("button")).to_have_count(3)
    begin.get_by_role("button", name="Draw a piece").click()
    expect(page.get_by_role("region", name="Draw box")).to_be_visible()
    expect(begin).not_to_be_visible()
    page.keyboard.press("Escape")
    begin.get_by_role("button", name="Open the demo").click()
    expect(page.get_by_role("button", name="Level Merrow Lock")).to_be_visible(timeout=120_000)
    levels(page)
    expect(page.get_by_role("menu")).to_contain_text("merrow-lock.db")
    # the project that was open before is the way back
    page.get_by_role("menuitem", name=re.compile(r"^Open project-\d+\.db")).click()
    expect(page.get_by_role("button", name="Level First level")).to_be_visible()


@long
def test_panels_are_widened_by_dragging_and_remembered(browser: Browser, shared: Server) -> None:
    with opened(browser, shared.url) as page:
        Hands(page, shared.url)
        edge = page.get_by_role("separator", name="Width of the cards")
        box = edge.bounding_box()
        assert box
        page.mouse.move(box["x"] + 4, 400)
        page.mouse.down()
        page.mouse.move(895, 400, steps=4)
        page.mouse.up()
        expect(edge).to_have_attribute("aria-valuenow", "385")
        edge.press("ArrowRight")
        expect(edge).to_have_attribute("aria-valuenow", "369")
        page.get_by_role("button", name="Lists").click()
        expect(page.get_by_role("region", name="Shelf")).not_to_be_visible()
        page.reload()
        expect(page.get_by_role("separator", name="Width of the cards")).to_have_attribute("aria-valuenow", "369")
        expect(page.get_by_role("region", name="Shelf")).not_to_be_visible()
        page.get_by_role("button", name="Lists").click()
        expect(page.get_by_role("region", name="Shelf")).to_be_visible()


def test_panels_fold_where_there_is_little_room(browser: Browser, shared: Server) -> None:
    with opened(browser, shared.url, size=(1024, 700)) as page:
        lists, cards = (page.get_by_role("button", name=n, exact=True) for n in ("Lists", "Cards"))
        expect(lists).to_have_attribute("aria-expanded", "false")
        expect(cards).to_have_attribute("aria-expanded", "false")
        eye = page.get_by_role("radio", name="Eye")
        expect(eye).to_be_in_viewport(ratio=1)
        expect(page.get_by_role("radio", name="Glass")).to_be_in_viewport(ratio=1)
        lists.click()
        cards.click()
        # whole names, and every view still within reach
        tile = page.get_by_role("list", name="Shelf").get_by_role("button", name=re.compile("^Gate leaf ")).first
        expect(tile).to_be_visible()
        name = tile.get_by_text("Gate leaf", exact=True)
        assert name.evaluate("e => e.scrollWidth <= e.clientWidth")
        expect(page.get_by_role("region", name="Selection")).to_be_visible()
        expect(eye).to_be_in_viewport(ratio=1)
        lists.click()
        expect(page.get_by_role("region", name="Shelf")).not_to_be_visible()


def test_the_list_follows_what_is_selected_in_the_view(browser: Browser, shared: Server) -> None:
    with opened(browser, shared.url) as page:
        hands = Hands(page, shared.url)
        listed = page.get_by_role("treegrid", name="Level")
        listed.evaluate("e => e.scrollTo(0, 0)")
        x, y, z = hands.row("Bench 1")["position"]
        expect(listed.get_by_role("row", name="Bench 1", exact=True)).not_to_be_in_viewport()
        hands.click_at(x, y + 0.45, z)
        expect(page.get_by_role("region", name="Selection")).to_contain_text("Bench 1")
        expect(listed.get_by_role("row", name="Bench 1", exact=True)).to_be_in_viewport(ratio=1)


def test_a_first_visit_has_a_tour_that_comes_once(browser: Browser, shared: Server) -> None:
    with opened(browser, shared.url, tour=True) as page:
        tour = page.get_by_role("region", name="Tour")
        for k, title in enumerate(["Place", "Dock", "Lay a course", "Slim", "Export", "Undo"], 1):
            expect(tour.get_by_role("heading", name=title, exact=True)).to_be_visible()
            expect(tour).to_contain_text(f"{k} of 6")
            tour.get_by_role("button", name="Next" if k < 6 else "Done").click()
        expect(tour).not_to_be_visible()
        page.reload()
        Hands(page, shared.url)
        expect(tour).not_to_be_visible()
        page.keyboard.press("?")
        page.get_by_role("dialog", name="Keys").get_by_role("button", name="Take the tour").click()
        expect(tour).to_contain_text("1 of 6")
        tour.get_by_role("button", name="Skip").click()
        expect(tour).not_to_be_visible()


def test_a_click_on_a_handle_is_meant_for_what_is_under_it(bare: Hands) -> None:
    page = bare.page
    step(bare, "add_shape", shape={"kind": "box", "width": 1.0, "height": 1.0, "depth": 1.0}, name="Crate")
    step(bare, "place_piece", "piece-1", position=[1.2, 0, 0])
    page.keyboard.press("Alt+2")
    expect(page.get_by_role("treegrid", name="Level").get_by_role("row")).to_have_count(2)
    page.keyboard.press("Shift+L")
    bare.settle(6)
    page.mouse.move(*bare.seen(0.6, 0.5, 0))
    for _ in range(4):
        page.mouse.wheel(0, 100)
        bare.settle(4)
    bare.in_list("Crate")
    scale = bare.handle_scale((0, 0, 0))
    start = bare.level()["revision"]
    # the shaft along X runs over the other crate
    assert 1.2 * scale > 1.0
    on_shaft = bare.seen(1.0, 0, 0)
    page.mouse.move(*on_shaft)
    expect(page.locator("output")).to_contain_text("Move along X")
    page.mouse.click(*on_shaft)
    expect(page.get_by_role("region", name="Selection").get_by_role("heading", level=2)).to_have_text("Crate 2")
    assert bare.level()["revision"] == start

    # two are spread by their paddle
    page.keyboard.press("Control+a")
    expect(page.get_by_role("region", name="Selection")).to_contain_text("2 selected")
    bare.settle(4)
    middle = bare.seen(0.6, 0, 0)
    paddle = (middle[0] + 0.72 * 1.25 * 92, middle[1] - 0.72 * 1.25 * 92)
    page.mouse.move(*paddle)
    expect(page.locator("output")).to_contain_text("Spread")
    page.keyboard.type("2")
    page.keyboard.press("Enter")
    bare.saved(start + 1)
    places = [r["position"] for r in bare.level()["changed"] if r["kind"] == "placement"]
    assert places == [pytest.approx([-0.6, 0, 0]), pytest.approx([1.8, 0, 0])]


def test_a_piece_that_is_flicked_from_the_shelf_is_carried(bare: Hands) -> None:
    page = bare.page
    step(bare, "add_shape", shape={"kind": "box"}, name="Crate")
    tile = bare.tile("Crate")
    expect(tile).to_be_visible()
    box = tile.bounding_box()
    assert box
    start = bare.level()["revision"]
    page.mouse.move(box["x"] + 20, box["y"] + 20)
    page.mouse.down()
    # the first move that is told is in the view already
    page.mouse.move(*bare.seen(3, 0, 1))
    bare.settle()
    page.mouse.up()
    bare.saved(start + 1)
    assert bare.row("Crate 2", "placement")["position"] == [3, 0, 1]


@pytest.mark.parametrize("scheme", by_day(["light"], ["light", "dark"]))
def test_a_checker_of_accessibility_finds_nothing(browser: Browser, shared: Server, scheme: str) -> None:
    with opened(browser, shared.url, scheme=scheme) as page:
        hands = Hands(page, shared.url)
        found: dict[str, list[str]] = {}

        def look(where: str) -> None:
            if wrong := violations(page):
                found[where] = wrong

        for k, stage in enumerate(("Kit", "Build", "Shape", "Slim", "Ship"), 1):
            page.keyboard.press(f"Alt+{k}")
            stages = page.get_by_role("navigation", name="Stages")
            expect(stages.get_by_role("button", name=stage)).to_have_attribute("aria-current", "step")
            look(stage)
        page.keyboard.press("Alt+2")
        # colours differ from one scheme to the other, and what there is to see does not
        for name in by_day(
            ("Quay line", "Pump house"), ("Lock gates", "Quay line", "North wall", "Water", "Pump house")
        ):
            hands.in_list(name)
            look(f"selected: {name}")
        hands.in_list("North wall")
        hands.tool("Turn").click()
        look("card of a tool")
        page.get_by_role("button", name="Cancel").click()
        hands.tile("Gate leaf").click()
        look("a piece")
        page.keyboard.press("Control+k")
        expect(page.get_by_role("dialog", name="Find a tool")).to_be_visible()
        look("find a tool")
        page.keyboard.press("Escape")
        page.keyboard.press("Shift+?")
        expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
        look("keys")
        page.keyboard.press("Escape")
        levels(page)
        expect(page.get_by_role("menu")).to_be_visible()
        look("level menu")
        entry(page, "Duplicate …")
        expect(page.get_by_role("dialog", name="Duplicate level")).to_be_visible()
        look("duplicate a level")
        page.keyboard.press("Escape")
        hands.viewport.focus()
        page.keyboard.press("Shift+5")
        expect(page.get_by_role("toolbar", name="Player")).to_be_visible()
        look("walking")
        page.keyboard.press("Escape")
        page.keyboard.press("m")
        expect(page.get_by_role("region", name="Measure")).to_be_visible()
        look("measuring")
        page.keyboard.press("Escape")
        assert found == {}
