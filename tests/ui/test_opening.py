"""The first picture of a level, and what happens when it cannot be drawn at once."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import Browser, Route, expect

from tests.thorough import long
from tests.ui.conftest import Server

LOOK: Any = {"viewport": {"width": 1280, "height": 800}, "device_scale_factor": 0.25}
#: What is in the page when the level is first seen, and whether the page goes on with the same canvas.
WATCH = """
const mark = performance.mark.bind(performance);
performance.mark = (name, ...more) => {
  if (name === "level seen") {
    window.first = document.querySelector("canvas");
    window.before = document.getElementById("root").childElementCount === 0 && window.first.isConnected;
  }
  return mark(name, ...more);
};
"""
SAME = "() => [window.before, document.querySelector('[role=application] canvas') === window.first]"


def test_the_level_is_drawn_before_the_page_is_built_round_it(browser: Browser, server: Server) -> None:
    context = browser.new_context(**LOOK)
    context.add_init_script(WATCH)
    page = context.new_page()
    page.goto(server.url)
    expect(page.get_by_role("treegrid", name="Level")).to_be_visible()
    assert page.evaluate(SAME) == [True, True]
    # where the first picture was, the viewport is
    box = page.evaluate("(({x, y, width, height}) => [x, y, width, height])(window.first.getBoundingClientRect())")
    assert box == [236, 80, 740, 680]
    context.close()


@long
def test_a_mesh_that_does_not_come_holds_up_no_lists(browser: Browser, server: Server) -> None:
    piece = next(r for r in server.ask("levels/level-1")["changed"] if r["kind"] == "piece")
    context = browser.new_context(**LOOK)
    page = context.new_page()
    refused: list[str] = []

    def refuse(route: Route) -> None:
        # asked for early, by the viewport, and once again: the fourth time it comes
        refused.append(route.request.url)
        if len(refused) > 3:
            route.continue_()
        else:
            route.abort()

    page.route(f"**/meshes/{piece['mesh']}.glb", refuse)
    page.goto(server.url)
    expect(page.get_by_role("treegrid", name="Level")).to_be_visible()
    expect(page.get_by_role("application", name="Viewport")).to_have_attribute("data-to-come", "0")
    assert len(refused) > 3
    context.close()


def test_a_level_that_cannot_be_had_is_told(browser: Browser, server: Server) -> None:
    context = browser.new_context(**LOOK)
    page = context.new_page()
    page.route("**/levels/level-1", lambda route: route.fulfill(status=500, body="{}"))
    page.goto(server.url)
    expect(page.get_by_text("The server answered 500.")).to_be_visible()
    page.unroute("**/levels/level-1")
    page.reload()
    expect(page.get_by_role("treegrid", name="Level")).to_be_visible()
    context.close()


def test_what_changes_while_the_page_opens_is_seen(browser: Browser, server: Server) -> None:
    asked: list[str] = []

    def change(route: Route) -> None:
        # while this is answered slowly, the page may ask once more
        first = not asked
        asked.append(route.request.url)
        answer = route.fetch(max_retries=3)
        if first:
            level = answer.json()
            lamp = next(r for r in level["changed"] if r["kind"] == "placement")
            rename = {"tool": "rename", "params": {"name": "Late"}, "selection": [lamp["id"]]}
            server.ask("levels/level-1/steps", {**rename, "revision": level["revision"]})
        route.fulfill(response=answer)

    context = browser.new_context(**LOOK)
    page = context.new_page()
    page.route("**/levels/level-1", change)
    page.goto(server.url)
    search = page.get_by_role("searchbox", name="Search the level")
    search.fill("Late")
    expect(page.get_by_role("treegrid", name="Level").get_by_role("row", name="Late")).to_be_visible()
    context.close()


def test_a_browser_that_cannot_draw_is_told_what_to_do(browser: Browser, server: Server) -> None:
    context = browser.new_context(**LOOK)
    context.add_init_script("HTMLCanvasElement.prototype.getContext = () => null")
    page = context.new_page()
    page.goto(server.url)
    expect(page.get_by_role("alert")).to_contain_text("Switch on its graphics acceleration")
    context.close()
