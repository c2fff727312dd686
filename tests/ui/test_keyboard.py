"""The whole way from an empty level to an exported one, by keyboard alone."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.ui.hands import Hands


def find(page: Page, words: str) -> None:
    """Start what is found by typing."""
    page.keyboard.press("Control+k")
    expect(page.get_by_role("searchbox", name="Find a tool")).to_be_focused()
    page.keyboard.type(words)
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_have_count(0)


def tab_to(page: Page, test: str) -> None:
    """Go on with Tab until what has the keyboard is what is looked for."""
    for _ in range(120):
        if page.evaluate(f"(e => {test})(document.activeElement)"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab does not lead there: {test}")


def test_a_level_is_made_shaped_slimmed_and_exported_by_keyboard_alone(bare: Hands) -> None:
    page = bare.page
    start = bare.revision()
    find(page, "draw box")
    expect(page.get_by_role("region", name="Draw box")).to_be_visible()
    tab_to(page, "e.getAttribute('role') === 'application'")
    for typed in ("2; 1", "1.5"):
        page.keyboard.type(typed)
        page.keyboard.press("Enter")
    bare.saved(start + 1)
    assert bare.row("Box", "piece")["facts"]["high"] == pytest.approx([1, 1.5, 0.5])

    page.keyboard.press("Alt+2")
    page.keyboard.press("Control+d")
    expect(page.get_by_role("textbox", name="Distance")).to_be_focused()
    page.keyboard.type("3; 2")
    page.keyboard.press("Enter")
    bare.saved(start + 2)

    find(page, "draw path")
    for typed in ("-4, 6", "8, 6"):
        page.keyboard.type(typed)
        page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    bare.saved(start + 3)
    find(page, "lay course")
    expect(page.get_by_role("region", name="Lay course")).to_be_visible()
    tab_to(page, "e.id === 'apply-tool'")
    page.keyboard.press("Enter")
    bare.saved(start + 4)
    assert bare.count(bare.row("Box course", "course")["id"]) == 6

    # rows of the list by arrows: what is gone to is selected
    tab_to(page, "e.getAttribute('role') === 'row'")
    page.keyboard.press("End")
    expect(page.get_by_role("region", name="Selection").get_by_role("heading", level=2)).to_have_text("Box 3")
    page.keyboard.press("Alt+3")
    page.keyboard.press("f")
    page.keyboard.press("Control+a")
    expect(page.get_by_role("region", name="Shape", exact=True)).to_contain_text("6 of 6 faces")
    find(page, "poke")
    expect(page.get_by_role("region", name="Poke").get_by_role("textbox").first).to_be_focused()
    page.keyboard.type("0.1")
    page.keyboard.press("Enter")
    bare.saved(start + 5)

    page.keyboard.press("Alt+4")
    page.keyboard.press("y")
    expect(page.get_by_role("region", name="Make ladder")).to_be_visible()
    tab_to(page, "e.id === 'apply-tool'")
    page.keyboard.press("Enter")
    bare.saved(start + 6)
    assert bare.row("Box", "piece")["ladder"]["rungs"]

    page.keyboard.press("Alt+5")
    tab_to(page, "(e.textContent ?? '').includes('as GLB') && e !== document.body")
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    assert download.value.suggested_filename.endswith(".glb")
