"""Short addresses for tests: `/api/levels` stands for the levels of the project that is open."""

from __future__ import annotations

import json
import urllib.request

GENERAL = {"project", "projects", "rules", "tools", "shapes", "openapi.json", "health", "nothing"}


def within(path: str, key: str) -> str:
    """The whole address of a short one, in the opening of a project with that key."""
    if not is_short(path):
        return path
    return f"/api/projects/{key}/{path.removeprefix('/api/')}"


def is_short(path: str) -> bool:
    """Whether an address leaves out the project."""
    first = path.removeprefix("/api/").split("/")[0].split("?")[0]
    return path.startswith("/api/") and first not in GENERAL


def whole(url: str) -> str:
    """The whole address of a short one at a server, which is asked which project it has open."""
    base, _, path = url.partition("/api/")
    if not is_short(f"/api/{path}"):
        return url
    with urllib.request.urlopen(f"{base}/api/project", timeout=30) as reply:
        return base + within(f"/api/{path}", json.load(reply)["key"])
