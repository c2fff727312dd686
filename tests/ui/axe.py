"""What an accessibility checker finds on a page."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page

_SCRIPT = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"


def violations(page: Page) -> list[str]:
    """Each rule that is broken, with the places; the canvas itself has nothing in it to check."""
    if page.evaluate("typeof window.axe") == "undefined":
        page.evaluate(_SCRIPT.read_text(encoding="utf-8"))
    found = page.evaluate("axe.run(document, {resultTypes: ['violations']}).then((r) => r.violations)")
    return [f"{v['id']}: {[n['html'][:160] for n in v['nodes'][:4]]}" for v in found]
