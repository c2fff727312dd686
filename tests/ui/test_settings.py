"""What a person chooses for all projects: the settings, the keys; and a project file that is dropped onto the page."""

from __future__ import annotations

import re
from contextlib import closing
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from able_brick.session.project import Project
from tests.ui.axe import violations
from tests.ui.hands import Hands
from tests.ui.test_build import step


def settings(page: Page) -> None:
    page.get_by_role("banner").get_by_role("button", name=re.compile("^Level ")).click()
    page.get_by_role("menuitem", name="Settings …").click()
    expect(page.get_by_role("dialog", name="Settings")).to_be_visible()


def choose(page: Page, what: str, value: str) -> None:
    page.get_by_role("dialog", name="Settings").get_by_role("radiogroup", name=what).get_by_role(
        "radio", name=value, exact=True
    ).click()


def test_lengths_are_shown_and_typed_in_the_chosen_unit_and_stay_what_they_are(bare: Hands) -> None:
    page = bare.page
    third = 1 / 3
    step(bare, "add_shape", shape={"kind": "box", "width": third, "height": 1.0, "depth": 1.0}, name="Crate")
    page.keyboard.press("Alt+2")
    bare.in_list("Crate")
    start = bare.revision()
    settings(page)
    choose(page, "Lengths in", "mm")
    choose(page, "Sheet", "Night")
    choose(page, "Text", "Large")
    assert violations(page) == []
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    assert page.evaluate("getComputedStyle(document.body).backgroundColor") == "rgb(24, 34, 42)"
    card = page.get_by_role("region", name="Selection")
    expect(card).to_contain_text("333 × 1000 × 1000 mm")
    assert violations(page) == []
    width = card.get_by_role("textbox", name="Width")
    expect(width).to_have_value("333.333")
    # read and left, or typed as it stands, it is what it was
    width.focus()
    width.press("Enter")
    width.fill("333.333")
    width.press("Enter")
    field = card.get_by_role("textbox", name="Position X")
    field.fill("1250")
    field.press("Enter")
    bare.saved(start + 1)
    assert bare.row("Crate", "placement")["position"] == [1.25, 0, 0]
    field.fill("2 m + 5 cm")
    field.press("Enter")
    bare.saved(start + 2)
    assert bare.row("Crate", "placement")["position"] == [2.05, 0, 0]
    assert bare.row("Crate", "piece")["dimensions"]["shape"]["width"] == third

    # over a handle, too
    bare.viewport.focus()
    page.keyboard.press("l")
    bare.settle(6)
    scale = bare.handle_scale((2.05, 0, 0))
    page.mouse.move(*bare.seen(2.05 + scale, 0, 0))
    expect(page.locator("output")).to_contain_text("Move along X")
    page.keyboard.type("750")
    page.keyboard.press("Enter")
    bare.saved(start + 3)
    assert bare.row("Crate", "placement")["position"][0] == pytest.approx(2.8, abs=1e-12)


def test_a_key_is_changed_and_what_had_it_is_told(bare: Hands) -> None:
    page = bare.page
    step(bare, "add_shape", shape={"kind": "box"}, name="Crate")
    page.keyboard.press("Alt+2")
    bare.in_list("Crate")
    settings(page)
    page.get_by_role("button", name="Keys …").click()
    sheet = page.get_by_role("dialog", name="Keys")
    assert violations(page) == []
    hide = sheet.get_by_role("button", name=re.compile("^Key of hide the selection"))
    hide.click()
    page.keyboard.press("5")
    expect(sheet.get_by_role("alert")).to_contain_text("5 has a meaning of its own")
    hide.click()
    page.keyboard.press("j")
    expect(sheet.get_by_role("alert")).to_contain_text("J is the key of glass, on and off, which would have none.")
    sheet.get_by_role("button", name="Take it").click()
    expect(hide).to_have_text("J")
    expect(sheet.get_by_role("button", name="Key of glass, on and off: none")).to_be_visible()
    page.keyboard.press("Escape")
    start = bare.revision()
    bare.viewport.focus()
    page.keyboard.press("j")
    bare.saved(start + 1)
    assert bare.row("Crate", "placement")["hidden"]
    page.keyboard.press("?")
    sheet.get_by_role("button", name="All as they were").click()
    expect(hide).to_have_text("H")


def test_a_project_file_that_is_dropped_is_copied_where_it_is_wished(bare: Hands, tmp_path: Path) -> None:
    page = bare.page
    with closing(Project(tmp_path / "away.db")) as away:
        away.create_level("Upper pound")
    content = list((tmp_path / "away.db").read_bytes())
    page.evaluate(
        """bytes => {
          const carried = new DataTransfer();
          carried.items.add(new File([new Uint8Array(bytes)], "away.db"));
          const how = { dataTransfer: carried, bubbles: true, cancelable: true };
          document.body.dispatchEvent(new DragEvent("drop", how));
        }""",
        content,
    )
    sheet = page.get_by_role("dialog", name="Open a copy")
    path = sheet.get_by_role("textbox")
    expect(path).to_have_value(re.compile(r"/away\.db$"))
    path.fill(str(tmp_path / "away.db"))
    path.press("Enter")
    expect(sheet.get_by_role("alert")).to_contain_text("is there already")
    path.fill(str(tmp_path / "kept"))
    path.press("Enter")
    expect(page.get_by_role("button", name="Level Upper pound")).to_be_visible()
    assert (tmp_path / "kept.db").exists()
