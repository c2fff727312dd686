"""Moving, turning, selecting, drawing on the sheet; two tabs; a kill in the middle; an idle page."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.thorough import long
from tests.ui.conftest import Server, opened
from tests.ui.hands import Hands


def test_handles_move_on_the_grid_and_turn_by_steps(page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    start = hands.level()["revision"]
    hands.in_list("Bench 2")
    page.keyboard.press("l")
    hands.settle(8)
    x, y, z = hands.row("Bench 2")["position"]

    # a handle pointed at, then a number typed
    scale = hands.handle_scale((x, y, z))
    paddle = hands.seen(x + 1.37 * scale, y, z)
    page.mouse.move(*paddle)
    expect(page.locator("output")).to_contain_text("Move along X")
    page.keyboard.type("1.25")
    expect(page.get_by_text("1.25")).to_be_visible()
    page.keyboard.press("Enter")
    hands.saved(start + 1)
    assert hands.row("Bench 2")["position"] == [x + 1.25, y, z]

    # the same handle dragged: the pivot lands on the grid
    x += 1.25
    hands.settle(6)
    grip = hands.seen(x + 1.37 * scale, y, z)
    hands.drag(grip, hands.seen(x - 2.3 + 1.37 * scale, y, z))
    hands.saved(start + 2)
    moved = hands.row("Bench 2")["position"]
    assert moved[0] == round(moved[0] / 0.5) * 0.5
    assert -3 < moved[0] - x < -1.5
    assert moved[1:] == [y, z]

    # a dial dragged: steps of 15 degrees
    x = moved[0]
    page.keyboard.press("l")
    hands.settle(8)
    scale = hands.handle_scale((x, y, z))
    r = 0.86 * scale
    page.mouse.move(*hands.seen(x + r * 0.94, y, z + r * 0.34))
    hands.drag(hands.seen(x + r * 0.94, y, z + r * 0.34), hands.seen(x + r * 0.34, y, z + r * 0.94))
    hands.saved(start + 3)
    last = hands.level()["history"]["last"]
    assert last["tool"] == "turn"
    assert last["params"]["axis"] == "y"
    assert abs(last["params"]["angle"]) in (45, 60)

    # Escape lets go without a step
    page.mouse.move(*hands.seen(x + 1.37 * scale, y, z))
    page.mouse.down()
    page.mouse.move(*hands.seen(x + 4, y, z), steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    hands.settle()
    assert hands.level()["revision"] == start + 3


def test_selecting_by_click_box_and_keys(page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    card = page.get_by_role("region", name="Selection")
    x, y, z = hands.row("Bench 1")["position"]
    hands.click_at(x, y + 0.45, z)
    expect(card.get_by_role("heading")).to_have_text("Bench 1")
    page.keyboard.press("Control+i")
    rows = hands.level()["changed"]
    others = len([r for r in rows if r["kind"] not in ("piece", "level") and r["group"] is None]) - 1
    expect(card.get_by_role("heading")).to_have_text(f"{others} selected")
    page.keyboard.press("Escape")
    expect(card.get_by_role("heading")).to_have_text("Nothing selected")
    page.keyboard.press("Shift+Digit2")
    expect(page.get_by_role("radio", name="Plan")).to_be_checked()
    page.keyboard.press("Shift+L")
    hands.settle(8)
    crates = [hands.row(n, "placement")["position"] for n in ("Crate", "Crate 2", "Crate 3")]
    left, top = hands.seen(min(c[0] for c in crates) - 1.2, 1, min(c[2] for c in crates) - 1.2)
    right, bottom = hands.seen(max(c[0] for c in crates) + 1.2, 1, max(c[2] for c in crates) + 1.2)
    hands.drag((left, top), (right, bottom))
    expect(card.get_by_role("heading")).to_have_text("Crate stack")
    page.get_by_role("button", name=re.compile(r"^Lamp post: \d")).click()
    expect(card.get_by_role("heading")).to_have_text("2 selected")


def test_dragging_a_path_point_carries_its_courses(page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    start = hands.level()["revision"]
    hands.in_list("Quay line")
    page.keyboard.press("Shift+Digit2")
    hands.settle(6)
    path = hands.row("Quay line")
    before = hands.level()["items"]
    x, y, z = path["points"][3]["position"]
    hands.drag(hands.seen(x, y, z), hands.seen(x, y, z + 1.5))
    hands.saved(start + 1)
    moved = hands.row("Quay line")["points"][3]["position"]
    assert moved == [x, y, z + 1.5]
    after = hands.level()["items"]
    assert {k for k in after if after[k] != before[k]} == {"course-1", "course-2", "course-3", "course-4"}


def test_wrong_numbers_are_told_beside_the_field_and_change_nothing(page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    before = hands.level()["revision"]
    page.get_by_role("button", name="New piece").click()
    page.get_by_role("menuitem", name="Draw cylinder").click()
    card = page.get_by_role("region", name="Draw cylinder")
    card.get_by_role("textbox", name="Radius").fill("wide")
    expect(card.get_by_role("alert")).to_contain_text("Radius is not a number in m")
    card.get_by_role("textbox", name="Radius").fill("30 cm")
    card.get_by_role("textbox", name="Around").fill("2")
    card.get_by_role("button", name="Make it with these sizes").click()
    expect(card.get_by_role("alert")).to_contain_text("Around is 2; give 3 or more.")
    assert hands.level()["revision"] == before
    card.get_by_role("textbox", name="Around").fill("3*2")
    card.get_by_role("textbox", name="Around").press("Enter")
    hands.saved(before + 1)
    made = hands.row("Cylinder", "piece")
    assert made["facts"]["faces"] == 8
    assert made["facts"]["high"][0] == pytest.approx(0.3)


def test_tools_are_found_by_typing_and_tell_why_they_cannot(page: Page, server: Server) -> None:
    Hands(page, server.url)
    page.keyboard.press("Control+k")
    sheet = page.get_by_role("dialog", name="Find a tool")
    sheet.get_by_role("searchbox").fill("make ladder")
    expect(sheet.get_by_role("option").first).to_contain_text("Select a piece on the shelf")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+k")
    sheet.get_by_role("searchbox").fill("cylinder")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Draw cylinder")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("application", name="Viewport").focus()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_contain_text("hide the selection")


def test_an_idle_page_draws_nothing(page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    pictures = page.get_by_role("list", name="Shelf").locator("img")
    expect(pictures).to_have_count(hands.pieces())
    hands.settle(10)
    # without a graphics card one more frame follows when the view has come to rest
    expect(hands.viewport).to_have_attribute("data-at-rest", "true")
    drawn = hands.viewport.get_attribute("data-frames")
    hands.settle(90)
    assert hands.viewport.get_attribute("data-frames") == drawn
    calls = int(hands.viewport.get_attribute("data-draw-calls") or 0)
    level = hands.level()
    slots = sum(len(r["materials"]) for r in level["changed"] if r["kind"] == "piece")
    assert calls <= 2 * slots + 40  # one for each piece and material, and one for its lines


@long
def test_two_tabs_see_each_other_and_the_late_one_is_told(browser: Browser, page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    start = hands.level()["revision"]
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    second = context.new_page()
    second.goto(server.url)
    others = Hands(second, server.url)
    hands.in_list("Bench 1")
    card = page.get_by_role("region", name="Selection")
    hands.number(card, "Position Y", "2")
    hands.saved(start + 1)
    others.in_list("Bench 1")
    expect(second.get_by_role("region", name="Selection").get_by_label("Position Y")).to_have_value("2.00")
    others.number(second.get_by_role("region", name="Selection"), "Position Y", "3")
    others.saved(start + 2)
    expect(card.get_by_label("Position Y")).to_have_value("3.00")
    context.close()


@long
def test_a_kill_in_the_middle_loses_no_acknowledged_step(browser: Browser, own_server: Server) -> None:
    with opened(browser, own_server.url) as page:
        kill_in_the_middle(page, own_server)


def kill_in_the_middle(page: Page, server: Server) -> None:
    hands = Hands(page, server.url)
    start = hands.level()["revision"]
    hands.in_list("Bench 1")
    card = page.get_by_role("region", name="Selection")
    for k in range(4):
        hands.number(card, "Position Y", f"{k + 2}")
        hands.saved(start + k + 1)
    server.kill()
    expect(page.get_by_role("status").first).to_have_text("No server")
    hands.number(card, "Position Y", "99")
    expect(page.get_by_role("alert")).to_contain_text("unknown whether that was done")
    server.start()
    expect(page.get_by_role("status").first).to_have_text("Saved")
    expect(page.get_by_role("status").filter(has_text="It was not done")).to_be_visible()
    assert hands.row("Bench 1")["position"][1] == 5.0
    hands.viewport.focus()
    for k in range(4):
        page.keyboard.press("Control+z")
        hands.saved(start + 5 + k)
    assert hands.row("Bench 1")["position"][1] == pytest.approx(1.34)
    page.keyboard.press("Control+z")
    hands.saved(start + 9)
