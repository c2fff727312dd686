"""How long a browser takes from asking for the page to the first picture of a level of 10 000 placements.

`handed over` is when the page has told the renderer what to draw, `drawn` when that has been done, which without a
graphics card takes a while. Cold is a browser that has never seen the page, warm one that has.
"""

from __future__ import annotations

import json
import shutil
import statistics
import subprocess
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from websockets.sync.client import ClientConnection, connect

from able_brick.session.project import Project
from tests.bench.steps import crowd
from tests.ui.conftest import FLAGS, Server

ROUNDS = 3
WARM = 4
#: Waits for the renderer when the page marks that a level was seen, and marks that it was drawn.
DRAWN = """
const mark = performance.mark.bind(performance);
performance.mark = (name) => {
  mark(name);
  if (name !== "level seen") return;
  const gl = document.querySelector("canvas").getContext("webgl2");
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
  mark("level drawn");
};
"""
TIMES = """JSON.stringify(["level seen", "level drawn"].map((n) => performance.getEntriesByName(n)[0]?.startTime))"""


class Tab:
    """A page that is told what to do over the browser's own protocol: a debugger would slow it down."""

    def __init__(self, connection: ClientConnection) -> None:
        self._connection = connection
        self._count = 0

    def send(self, method: str, **params: Any) -> Any:
        self._count += 1
        self._connection.send(json.dumps({"id": self._count, "method": method, "params": params}))
        while True:
            reply = json.loads(self._connection.recv())
            if reply.get("id") == self._count:
                return reply.get("result")

    def open(self, url: str) -> tuple[float, float]:
        """Milliseconds until the level was handed over, and until it was drawn."""
        self.send("Page.navigate", url=url)
        found: list[float | None] = [None]
        while found[-1] is None:
            time.sleep(1)
            reply = self.send("Runtime.evaluate", expression=TIMES, returnByValue=True)
            found = json.loads(reply["result"]["value"])
        # what follows the first picture is done before the next one is asked for
        time.sleep(3)
        self.send("Page.navigate", url="about:blank")
        time.sleep(0.5)
        return float(found[0] or 0), float(found[1] or 0)


@contextmanager
def browser() -> Iterator[Tab]:
    """A tab of a browser with nothing remembered."""
    chromium = shutil.which("chromium")
    assert chromium, "chromium is not installed"
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        flags = ["--headless", f"--user-data-dir={folder}", "--remote-debugging-port=0", "--window-size=1280,800"]
        process = subprocess.Popen([chromium, *flags, *FLAGS, "about:blank"], stderr=subprocess.DEVNULL)
        try:
            note = Path(folder) / "DevToolsActivePort"
            while not note.exists() or not note.read_text().strip():
                time.sleep(0.1)
            port = note.read_text().split()[0]
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/json") as reply:
                tabs = json.load(reply)
            where = next(t["webSocketDebuggerUrl"] for t in tabs if t["type"] == "page")
            with connect(where, max_size=None) as connection:
                tab = Tab(connection)
                tab.send("Page.enable")
                tab.send("Page.addScriptToEvaluateOnNewDocument", source=DRAWN)
                time.sleep(1)
                yield tab
        finally:
            process.terminate()
            process.wait()


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        db = Path(folder) / "crowd.db"
        project = Project(db)
        crowd(project)
        project.close()
        server = Server(db)
        found: dict[str, list[tuple[float, float]]] = {"cold": [], "warm": []}
        try:
            for _ in range(ROUNDS):
                with browser() as tab:
                    found["cold"].append(tab.open(server.url))
                    found["warm"] += [tab.open(server.url) for _ in range(WARM)]
        finally:
            server.stop()
    print("Opening 10 000 placements")
    for name, times in found.items():
        for what, some in zip(("handed over", "drawn"), zip(*times, strict=True), strict=True):
            middle = statistics.median(some)
            print(f"  {name}, {what:12} median {middle:5.0f} ms, {min(some):.0f} to {max(some):.0f} ms")


if __name__ == "__main__":
    main()
