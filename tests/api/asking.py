"""Words for what is asked of the API."""

from __future__ import annotations

from typing import Any

from tests.api.client import Client as TestClient

HOST = {"host": "127.0.0.1:8484"}


def step(client: TestClient, tool: str, *selection: str, revision: int | None = None, **params: Any) -> Any:
    if revision is None:
        revision = client.get("/api/levels/level-1").json()["revision"]
    body = {"tool": tool, "params": params, "selection": list(selection), "revision": revision}
    return client.post("/api/levels/level-1/steps", json=body)


def arrived(client: TestClient, files: dict[str, bytes], **form: Any) -> dict[str, Any]:
    """The import of files, when its reading has ended."""
    sent = client.post("/api/imports", files=[("files", (n, d)) for n, d in files.items()], data=form)
    assert sent.status_code == 202, sent.text
    now: dict[str, Any] = sent.json()
    while now["state"] == "reading":
        now = client.get(f"/api/imports/{now['id']}", params={"seen": now["share"]}).json()
    return now


def bring_in(client: TestClient, files: dict[str, bytes], **how: Any) -> dict[str, Any]:
    """The change that accepting files made."""
    read = arrived(client, files)
    assert read["state"] == "ready", read["reason"]
    reply = client.post(f"/api/imports/{read['id']}/accept", json={"level": "level-1", "revision": 0, **how})
    assert reply.status_code == 200, reply.text
    made: dict[str, Any] = reply.json()
    return made
