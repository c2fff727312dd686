"""Ladders, recipes, comparing and shared budgets, by mouse and keyboard."""

from __future__ import annotations

import base64
import json
import re
import time
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.scene import ScenePart
from able_brick.core.text import at_most
from tests.thorough import by_day, long
from tests.ui.hands import Hands
from tests.ui.test_build import step
from tests.within import whole
from tests.zoo import bumpy_ball

#: Models of a folder that is slimmed.
FILES = by_day(12, 24)


@pytest.fixture
def slim(page: Page, server: Any) -> Hands:
    """The demo level in the stage Slim."""
    hands = Hands(page, server.url)
    page.keyboard.press("Alt+4")
    return hands


def ladder(hands: Hands) -> Locator:
    return hands.page.get_by_role("region", name="Ladder")


def tool(hands: Hands, name: str) -> Locator:
    return hands.tool(name)


def made(hands: Hands, count: int) -> None:
    """Wait until the ladder of what is selected has so many rungs."""
    expect(ladder(hands).get_by_role("radio")).to_have_count(count + 1, timeout=90_000)


@long
def test_a_ladder_becomes_a_recipe_in_four_actions_and_is_used_on_another_piece(slim: Hands) -> None:
    page, begun = slim.page, slim.level()["revision"]
    slim.in_list("Bronze heron hidden")  # 1
    ladder(slim).get_by_role("button", name="Make by recipe").click()  # 2
    work = page.get_by_role("region", name="At work")
    expect(work.get_by_role("progressbar", name="Make ladder: Bronze heron")).to_be_visible()
    expect(work).to_have_count(0, timeout=90_000)
    made(slim, 4)
    name = ladder(slim).get_by_role("textbox", name="Save as recipe")
    name.fill("Heron steps")  # 3
    name.press("Enter")
    expect(ladder(slim).get_by_role("button", name=re.compile("Recipe$"))).to_contain_text("Heron steps")
    heron = slim.row("Bronze heron", "piece")
    counts = [r["triangles"] for r in heron["ladder"]["rungs"]]
    assert counts == sorted(counts, reverse=True)
    assert all(r["good_from"] <= 2 ** (k + 1) for k, r in enumerate(heron["ladder"]["rungs"]))

    slim.in_list("Pump house")
    expect(ladder(slim)).to_contain_text("none yet")
    ladder(slim).get_by_role("button", name=re.compile("Recipe$")).click()
    page.get_by_role("listbox", name="Recipe").get_by_role("option", name="Heron steps", exact=True).click()
    ladder(slim).get_by_role("button", name="Make by recipe").click()
    made(slim, 4)
    assert slim.row("Pump house", "piece")["ladder"]["recipe"] == "Heron steps"
    with page.expect_download() as kept:
        ladder(slim).get_by_role("button", name="Save the recipe as a file").click()
    recipe = json.loads(Path(kept.value.path()).read_text())
    assert recipe["name"] == "Heron steps"
    assert [r["kind"] for r in recipe["rungs"]] == ["pixels"] * 4
    slim.viewport.focus()
    for k in range(2):
        page.keyboard.press("Control+z")
        slim.saved(begun + 3 + k)
    assert slim.row("Pump house", "piece")["ladder"] is None
    assert slim.row("Bronze heron", "piece")["ladder"]["recipe"] == ""


@long
def test_rungs_are_compared_by_a_divider_and_their_deviation_is_painted(slim: Hands) -> None:
    page = slim.page
    rungs = [{"kind": "share", "value": 85.0}, {"kind": "share", "value": 65.0}]
    step(slim, "make_ladder", slim.row("Balance beam", "piece")["id"], rungs=rungs)
    step(slim, "make_ladder", slim.row("Footbridge 10 m", "piece")["id"], rungs=rungs)
    slim.in_list("Footbridge 10 m")
    made(slim, 2)
    ladder(slim).get_by_text(re.compile("^Rung 2")).click()
    expect(ladder(slim).get_by_title(re.compile("shows by less than a pixel"))).not_to_have_count(0)
    switch = ladder(slim).get_by_role("switch", name="Divider")
    switch.focus()
    page.keyboard.press("Space")
    divider = page.get_by_role("slider", name="Divider between source and rung")
    expect(divider).to_have_attribute("aria-valuenow", "50")
    box = divider.bounding_box()
    assert box
    slim.drag((box["x"] + 7, box["y"] + 200), (box["x"] + 127, box["y"] + 210))
    assert int(divider.get_attribute("aria-valuenow") or 0) > 60
    divider.focus()
    page.keyboard.press("ArrowLeft")
    with page.expect_response(re.compile("/deviation/")) as reply:
        ladder(slim).get_by_role("switch", name="Paint deviation").focus()
        page.keyboard.press("Space")
    assert reply.value.ok
    rung = slim.row("Footbridge 10 m", "piece")["ladder"]["rungs"][1]
    expect(ladder(slim)).to_contain_text(f"0{at_most(rung['largest'])}")
    # from afar it is drawn by the rung that is asked for, and what is picked is the piece as it is
    ladder(slim).get_by_role("button", name="Look from where it is a pixel").click()
    page.get_by_role("toolbar", name="View").get_by_role("button", name=re.compile("Rungs$")).click()
    page.get_by_role("listbox", name="Rungs").get_by_role("option", name="Rung 1", exact=True).click()
    slim.in_list("Lamp row")
    slim.settle(20)
    page.get_by_role("toolbar", name="View").get_by_role("button", name=re.compile("Rungs$")).click()
    page.get_by_role("listbox", name="Rungs").get_by_role("option", name="By distance", exact=True).click()
    slim.settle(20)
    slim.in_list("Footbridge 10 m")
    # another piece begins without them
    slim.in_list("Lamp row")
    expect(divider).to_have_count(0)


def test_a_ladder_that_is_stale_says_so_and_is_made_again(slim: Hands) -> None:
    key = slim.row("Footbridge 10 m", "piece")["id"]
    step(slim, "make_ladder", key, rungs=[{"kind": "share", "value": 40.0}])
    step(slim, "slim", key, result="same piece", share=80.0)
    slim.in_list("Footbridge 10 m")
    expect(ladder(slim)).to_contain_text("The piece has changed since")
    ladder(slim).get_by_role("button", name="Remake ladder").click()
    expect(ladder(slim)).not_to_contain_text("has changed since", timeout=60_000)
    piece = slim.row("Footbridge 10 m", "piece")
    assert piece["ladder"]["source"] == piece["mesh"]


@long
def test_a_budget_is_shared_over_a_selection(slim: Hands) -> None:
    page, begun = slim.page, slim.level()["revision"]
    names = ("Footbridge 10 m", "Pump house")
    before = {n: slim.row(n, "piece")["facts"]["triangles"] for n in names}
    slim.in_list("Footbridge 10 m")
    listed = page.get_by_role("treegrid", name="Level")
    listed.get_by_role("row", name="Pump house", exact=True).get_by_text("Pump house", exact=True).click(
        modifiers=["Control"]
    )
    tool(slim, "Share a budget").click()
    card = page.get_by_role("region", name="Share a budget", exact=True)
    slim.number(card, "Share", "60")
    slim.saved(begun + 1)
    uses = {u["piece"]: u["items"] for u in slim.level()["summary"]["uses"]}
    rows = [slim.row(n, "piece") for n in names]
    total = sum(before[r["name"]] * uses[r["id"]] for r in rows)
    left = sum(r["facts"]["triangles"] * uses[r["id"]] for r in rows)
    assert 0.57 * total < left <= round(0.6 * total)


def test_seams_are_shown_and_the_largest_deviation_is_gone_to(slim: Hands) -> None:
    page = slim.page
    slim.in_list("North wall")
    card = ladder(slim)
    switch = card.get_by_role("switch", name="Show seams")
    switch.focus()
    page.keyboard.press("Space")
    expect(card.get_by_text(re.compile("[0-9]+ vertices stay"))).to_be_visible(timeout=30_000)
    page.keyboard.press("Space")
    rungs = [{"kind": "share", "value": 60.0}]
    step(slim, "make_ladder", slim.row("Pump house", "piece")["id"], rungs=rungs)
    slim.in_list("Pump house")
    made(slim, 1)
    card.get_by_text(re.compile("^Rung 1")).click()
    paint = card.get_by_role("switch", name="Paint deviation")
    paint.focus()
    page.keyboard.press("Space")
    before = slim.viewport.get_attribute("data-projection")
    card.get_by_role("button", name="Go to where it is largest").click(timeout=30_000)
    expect(slim.viewport).not_to_have_attribute("data-projection", before or "")
    paint.focus()
    page.keyboard.press("Space")


@long
def test_a_level_is_slimmed_by_how_near_a_player_comes_once_it_is_told(bare: Hands) -> None:
    page = bare.page
    for k, name in enumerate(("Buoy", "Ball")):
        shape = {"kind": "sphere", "radius": 0.4 + 0.2 * k, "sides": 48, "rows": 24}
        step(bare, "add_shape", shape=shape, name=name, position=[6.0 * k, 0, 0])
    begun = bare.level()["revision"]
    page.keyboard.press("Alt+4")
    where = page.get_by_role("region", name="Where the triangles are")
    where.get_by_role("button", name="Slim for this level").click()
    card = page.get_by_role("region", name="Slim for this level")
    told = card.get_by_role("list", name="What it comes to")
    expect(told.get_by_role("listitem").first).to_contain_text("tris with the first rungs", timeout=90_000)
    assert bare.revision() == begun
    card.get_by_role("button", name="Slim for this level").click()
    bare.saved(begun + 1)
    rungs = {r["name"]: r["ladder"] for r in bare.level()["changed"] if r["kind"] == "piece" and r.get("ladder")}
    assert set(rungs) == {"Buoy", "Ball"}
    page.keyboard.press("Control+z")
    bare.saved(begun + 2)


@long
def test_a_dense_piece_is_slimmed_while_another_tab_works_and_the_next_is_cancelled(slim: Hands) -> None:
    page, begun = slim.page, slim.level()["revision"]
    second = page.context.new_page()
    second.goto(slim.url)
    other = Hands(second, slim.url)
    page.bring_to_front()
    slim.in_list("Bronze heron hidden")
    ladder(slim).get_by_role("button", name="Make by recipe").click()
    work = page.get_by_role("region", name="At work")
    step(other, "rename", slim.row("Crate", "piece")["id"], name="Tea chest")
    made(slim, 4)
    expect(work).to_have_count(0)
    second.close()
    assert slim.level()["revision"] == begun + 2
    slim.row("Tea chest", "piece")

    ladder(slim).get_by_role("button", name=re.compile("Recipe$")).click()
    page.get_by_role("listbox", name="Recipe").get_by_role("option", name="Across the yard", exact=True).click()
    ladder(slim).get_by_role("button", name="Make by recipe").click()
    cancel = work.get_by_role("button", name="Cancel Make ladder: Bronze heron")
    expect(cancel).to_be_visible()
    asked = time.monotonic()
    cancel.click()
    expect(work).to_have_count(0)
    assert time.monotonic() - asked < 5, "half a second when nothing else runs"
    expect(page.get_by_text("cancelled; nothing of it was kept")).to_be_visible()
    assert slim.level()["revision"] == begun + 2
    assert len(slim.row("Bronze heron", "piece")["ladder"]["rungs"]) == 4


def test_a_slim_that_was_made_last_is_adjusted_with_progress(slim: Hands) -> None:
    page = slim.page
    step(slim, "slim", slim.row("Bronze heron", "piece")["id"], share=30.0)
    share = page.get_by_role("region", name="Last step").get_by_role("textbox", name="Share")
    share.fill("12")
    share.press("Enter")
    expect(page.get_by_role("region", name="At work")).to_contain_text("Slim: Bronze heron")
    expect(share).to_have_value(re.compile("^12"))
    expect(page.get_by_role("region", name="At work")).to_have_count(0, timeout=90_000)
    expect(page.get_by_role("region", name="Last step")).to_contain_text("tris; deviation")
    heron, made = slim.row("Bronze heron", "piece"), slim.row("Bronze heron 12 %", "piece")
    assert abs(made["facts"]["triangles"] - 0.12 * heron["facts"]["triangles"]) < 2
    slim.viewport.focus()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("region", name="Last step").get_by_role("heading")).not_to_contain_text("Slim")


@long
def test_a_folder_is_slimmed_with_progress_cancelled_and_gone_on_with(bare: Hands, tmp_path: Path) -> None:
    page = bare.page
    source, target = tmp_path / "in", tmp_path / "out"
    source.mkdir()
    ball = write_glb([ScenePart("Ball", bumpy_ball(30))])
    for k in range(FILES):
        (source / f"ball {k}.glb").write_bytes(ball)
    (source / "bad.glb").write_bytes(b"nothing")
    quick = {"name": "Quick", "rungs": [{"kind": "share", "value": v} for v in (50.0, 25.0)]}
    assert page.request.put(whole(f"{bare.url}/api/recipes/Quick"), data=quick).ok
    page.keyboard.press("Alt+4")
    card = page.get_by_role("region", name="Slim a folder")
    for label, folder in (("Read from", source), ("Write to", target)):
        card.get_by_role("textbox", name=label).fill(str(folder))
        card.get_by_role("textbox", name=label).press("Enter")
    card.get_by_role("button", name=re.compile("Recipe for the folder$")).click()
    page.get_by_role("listbox", name="Recipe for the folder").get_by_role("option", name="Quick", exact=True).click()
    card.get_by_role("button", name="Slim the folder").click()
    expect(card.get_by_role("progressbar", name="Files slimmed")).to_be_visible()
    expect(card).to_contain_text(re.compile(rf"([2-9]|\d\d) of {FILES + 1} files"), timeout=90_000)
    card.get_by_role("button", name="Cancel").click()
    expect(card).to_contain_text("Cancelled; start it again to go on", timeout=60_000)
    before = len(list(target.glob("*_1.glb")))
    assert 0 < before < FILES
    card.get_by_role("button", name="Slim the folder").click()
    expect(card).to_contain_text(f"{FILES} of {FILES + 1} files done", timeout=120_000)
    expect(card).to_contain_text("1 failed")
    assert len(list(target.glob("*_2.glb"))) == FILES
    # files that are dropped on the page take the folder's place, and are known by what they hold
    page.evaluate(
        """(text) => {
          const ball = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
          const drop = new DataTransfer();
          for (const name of ["ball 1.glb", "new.glb"]) drop.items.add(new File([ball], name));
          window.dispatchEvent(new DragEvent("drop", { dataTransfer: drop, bubbles: true, cancelable: true }));
        }""",
        base64.b64encode(ball).decode(),
    )
    expect(card).to_contain_text("2 files chosen")
    card.get_by_role("button", name="Slim the files").click()
    expect(card).to_contain_text("2 of 2 files done (1 before)", timeout=60_000)
    assert (target / "new_2.glb").exists()
