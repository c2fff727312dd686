"""What an artist's hands do: find places in the viewport, wait for it to settle."""

from __future__ import annotations

import json
import re
import time
import urllib.request
from typing import Any

from playwright.sync_api import Locator, Page, expect

from tests.within import whole


class Hands:
    """Mouse and keyboard in the page of one level."""

    def __init__(self, page: Page, url: str, level: str = "level-1", name: str = "Merrow Lock") -> None:
        self.page, self.url, self.level_id = page, url, level
        self.viewport: Locator = page.get_by_role("application", name="Viewport")
        expect(self.viewport).to_have_attribute("data-projection", _ANY)
        expect(page.get_by_role("status").first).to_have_text(re.compile("Saved|Read only"))
        expect(page.get_by_role("button", name=f"Level {name}")).to_be_visible()
        # keys are bound once the tools are known
        expect(page.get_by_role("button", name="Find a tool")).to_be_enabled()
        expect(page.get_by_role("treegrid", name="Level")).to_be_visible()
        expect(self.viewport).to_have_attribute("data-to-come", "0")
        self.settle()

    def level(self) -> dict[str, Any]:
        """The level as the server has it."""
        with urllib.request.urlopen(whole(f"{self.url}/api/levels/{self.level_id}")) as reply:
            found: dict[str, Any] = json.load(reply)
        return found

    def revision(self) -> int:
        """That of the level."""
        with urllib.request.urlopen(whole(f"{self.url}/api/levels")) as reply:
            return int(next(r["revision"] for r in json.load(reply) if r["id"] == self.level_id))

    def count(self, thing: str) -> int:
        """How many items an array or a course has."""
        return sum(len(r["numbers"]) for r in self.level()["items"][thing])

    def row(self, name: str, kind: str | None = None) -> dict[str, Any]:
        """The one row of that name."""
        found = [r for r in self.level()["changed"] if r["name"] == name and kind in (None, r["kind"])]
        assert len(found) == 1, [r["id"] for r in found]
        return found[0]

    def pieces(self) -> int:
        """How many the shelf has."""
        return sum(r["kind"] == "piece" for r in self.level()["changed"])

    def seen(self, x: float, y: float, z: float) -> tuple[float, float]:
        """Where a world point is on the page."""
        text = self.viewport.get_attribute("data-projection")
        box = self.viewport.bounding_box()
        assert text and box
        m = [float(v) for v in text.split()]
        c = [sum(m[row + 4 * k] * v for k, v in enumerate((x, y, z, 1.0))) for row in range(4)]
        return (
            box["x"] + (c[0] / c[3] + 1) / 2 * box["width"],
            box["y"] + (1 - c[1] / c[3]) / 2 * box["height"],
        )

    def handle_scale(self, at: tuple[float, float, float]) -> float:
        """Metres that the handles' unit spans where they stand: a shaft of 92 pixels."""
        text = self.viewport.get_attribute("data-projection")
        box = self.viewport.bounding_box()
        assert text and box
        m = [float(v) for v in text.split()]
        depth = m[3] * at[0] + m[7] * at[1] + m[11] * at[2] + m[15]
        upward = (m[1] ** 2 + m[5] ** 2 + m[9] ** 2) ** 0.5
        return 92 * 2 * depth / (upward * box["height"])

    def tool(self, name: str) -> Locator:
        """A tool in its card; where tools are folded by verb, those it is among are unfolded."""
        card = self.page.get_by_role("region", name="Tools")
        button = card.get_by_role("button", name=re.compile(rf"^{name}( ([A-Z]|Del|Ctrl \S+))?$"))
        expect(card).to_be_visible()
        folds = card.get_by_role("group", name="More tools").get_by_role("button")
        for k in range(folds.count()):
            if button.count():
                break
            folds.nth(k).click()
        return button

    def last(self) -> Locator:
        """The card of the last step, all of it."""
        region = self.page.get_by_role("region", name="Last step")
        unfold = region.get_by_role("button", name="All of the last step")
        if unfold.count():
            unfold.click()
        return region

    def click_at(self, x: float, y: float, z: float) -> None:
        at = self.seen(x, y, z)
        self.page.mouse.move(*at)
        self.page.mouse.click(*at)

    def drag(
        self, start: tuple[float, float], end: tuple[float, float], *, button: Any = "left", moves: int = 6
    ) -> None:
        self.page.mouse.move(*start)
        self.page.mouse.down(button=button)
        for k in range(1, moves + 1):
            part = k / moves
            self.page.mouse.move(start[0] + (end[0] - start[0]) * part, start[1] + (end[1] - start[1]) * part)
            self.settle()
        self.page.mouse.up(button=button)

    def tile(self, name: str) -> Locator:
        """A piece on the shelf."""
        shelf = self.page.get_by_role("list", name="Shelf")
        return shelf.get_by_role("button", name=re.compile(rf"^{re.escape(name)} \d"))

    def settle(self, frames: int = 2) -> None:
        """Let the browser draw."""
        self.page.evaluate(
            "n => new Promise(done => { const f = () => n-- > 0 ? requestAnimationFrame(f) : done(); f(); })", frames
        )

    def in_list(self, name: str) -> None:
        """Select a thing in the level list, wherever it is in the list; its groups must be unfolded."""
        listed = self.page.get_by_role("treegrid", name="Level")
        option = listed.get_by_role("row", name=name, exact=True)
        if not option.count():
            listed.evaluate("e => e.scrollTo(0, 0)")
            self.settle(4)
        for _ in range(60):
            if option.count():
                break
            listed.evaluate("e => e.scrollBy(0, e.clientHeight / 2)")
            self.settle(4)
        option.scroll_into_view_if_needed()
        self.settle(2)
        # while it is still scrolling, a list takes no clicks
        for _ in range(8):
            option.get_by_text(re.sub(" (hidden|locked)$", "", name), exact=True).click()
            self.settle(2)
            if option.get_attribute("aria-selected") == "true":
                break
        expect(option).to_have_attribute("aria-selected", "true")

    def saved(self, revision: int) -> None:
        """Wait until the level has reached a revision, and see that it did not go further."""
        until = time.monotonic() + 60
        while self.revision() < revision and time.monotonic() < until:
            self.settle(3)
        expect(self.page.get_by_role("status").first).to_have_text("Saved")
        assert self.revision() == revision

    def number(self, card: Locator, label: str, value: str) -> None:
        """Type a number into a field and leave it."""
        field = card.get_by_role("textbox", name=label, exact=True)
        field.fill(value)
        field.press("Enter")


def poses_of(view: dict[str, Any], row: dict[str, Any]) -> list[list[float]]:
    """Poses of the items of a thing that shows its piece as it is, in their order."""
    runs = view["items"].get(row["id"])
    if not runs:
        return [[*row["position"], *row["turn"], *row["size"]]]
    found = {n: pose for r in runs if r["mesh"] is None for n, pose in zip(r["numbers"], r["rows"], strict=True)}
    return [found[n] for n in sorted(found)]


_ANY = re.compile(r"\S")
