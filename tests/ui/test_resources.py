"""What the view has on the graphics card is let go with what showed it."""

from __future__ import annotations

from playwright.sync_api import Browser, expect

from tests.thorough import by_day
from tests.ui.conftest import opened
from tests.ui.hands import Hands
from tests.ui.test_build import step

#: Counts the buffers and textures of the page's WebGL contexts from outside of it.
COUNTING = """
window.alive = { buffers: 0, textures: 0 };
const proto = WebGL2RenderingContext.prototype;
for (const [kind, made, gone] of [["buffers", "createBuffer", "deleteBuffer"],
                                  ["textures", "createTexture", "deleteTexture"]]) {
  const [make, drop] = [proto[made], proto[gone]];
  proto[made] = function () { window.alive[kind]++; return make.call(this); };
  proto[gone] = function (one) { if (one) window.alive[kind]--; return drop.call(this, one); };
}
"""
#: Buffers that may come and go between two counts: what the browser has drawn last is not the same each time.
SLACK = 12


def test_opening_and_closing_leaves_nothing_on_the_graphics_card(browser: Browser, bare: Hands) -> None:
    step(bare, "add_shape", shape={"kind": "box", "width": 2.0, "height": 2.0, "depth": 2.0}, position=[0, 0, 0])
    step(bare, "add_shape", shape={"kind": "wedge", "width": 1.0, "height": 1.0, "depth": 1.0}, position=[3, 0, 0])
    with opened(browser, bare.url) as page:
        page.add_init_script(COUNTING)
        page.reload()
        hands = Hands(page, bare.url, name="First level")
        build = page.get_by_role("button", name="Build", exact=True)
        shape = page.get_by_role("button", name="Shape", exact=True)
        page.keyboard.press("Alt+2")
        page.keyboard.press("Shift+L")
        hands.settle(4)

        def round_trip() -> None:
            """A piece is opened in Shape, picked, and left; two things are selected; glass is put on and off."""
            hands.in_list("Box")
            hands.viewport.focus()
            page.keyboard.press("Enter")
            expect(shape).to_have_attribute("aria-current", "step")
            page.keyboard.press("f")
            hands.click_at(0.3, 2, 0.2)
            expect(page.get_by_role("region", name="Shape", exact=True)).to_contain_text("1 of ")
            page.keyboard.press("Escape")
            page.keyboard.press("Alt+2")
            expect(build).to_have_attribute("aria-current", "step")
            for key in ("Control+a", "j", "j", "z", "z"):
                page.keyboard.press(key)
                hands.settle(2)

        def alive() -> dict[str, int]:
            found: dict[str, int] = page.evaluate("window.alive")
            return found

        for _ in range(2):
            round_trip()
        before = alive()
        for _ in range(by_day(3, 50)):
            round_trip()
        after = alive()
        for _ in range(40):  # what is drawn last may be let go a moment later
            if after["buffers"] <= before["buffers"] + SLACK:
                break
            hands.settle(5)
            after = alive()
    assert before["buffers"] > 20, "they are counted"
    assert after["buffers"] <= before["buffers"] + SLACK, (before, after)
    assert after["textures"] <= before["textures"] + 2, (before, after)
