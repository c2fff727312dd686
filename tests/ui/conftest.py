"""A real server on the demo level and a real browser."""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.ui.hands import Hands

FLAGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--no-first-run",
]


class Server:
    """A served project file that can be killed and started again."""

    def __init__(self, db: Path, *, wait: bool = True) -> None:
        self.db = db
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.process: subprocess.Popen[bytes] | None = None
        self.begin()
        if wait:
            self.ready()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        self.begin()
        self.ready()

    def begin(self) -> None:
        """Start it, and do not wait."""
        self.process = subprocess.Popen(
            [sys.executable, "-m", "able_brick.cli", "serve", "--db", str(self.db), "--port", str(self.port)],
            stdout=subprocess.DEVNULL,
        )

    def ready(self) -> None:
        """Wait until it answers."""
        for _ in range(240):
            try:
                urllib.request.urlopen(f"{self.url}/api/levels", timeout=2).close()
                return
            except OSError:
                time.sleep(0.25)
        raise RuntimeError("The server did not answer within a minute.")

    def ask(self, path: str, body: dict[str, Any] | None = None) -> Any:
        """What the API answers."""
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(f"{self.url}/api/{path}", data, {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as reply:
            return json.load(reply)

    def stop(self) -> None:
        """End as one should."""
        assert self.process is not None
        self.process.terminate()
        self.process.wait()

    def kill(self) -> None:
        """The power fails."""
        assert self.process is not None
        self.process.kill()
        self.process.wait()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    found = shutil.which("chromium")
    assert found, "chromium is not installed; `make test` installs it"
    # generous: a busy machine without a graphics card draws slowly, and a wait that succeeds costs nothing
    expect.set_options(timeout=60_000)
    with sync_playwright() as p:
        started = p.chromium.launch(executable_path=found, args=FLAGS)
        yield started
        started.close()


@pytest.fixture(scope="session")
def seen_file(browser: Browser, demo_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo project after somebody has looked at it: the shelf's pictures are kept.

    The herons are hidden: without a graphics card their triangles take most of the time of a frame.
    """
    db = tmp_path_factory.mktemp("seen") / "seen.db"
    shutil.copyfile(demo_file, db)
    server = Server(db)
    page = browser.new_page()
    kept: list[str] = []
    page.on("response", lambda r: kept.append(r.url) if r.request.method == "PUT" and r.ok else None)
    try:
        page.goto(server.url)
        # drawn in software, eighteen pictures and the first frames may take their time
        expect(page.get_by_role("list", name="Shelf").locator("img")).to_have_count(18, timeout=150_000)
        while len(kept) < 18:
            page.wait_for_event("response", timeout=60_000)
    except BaseException:
        server.kill()
        raise
    page.close()
    level = server.ask("levels/level-1")
    herons = [r["id"] for r in level["changed"] if r["kind"] == "placement" and "eron" in r["name"]]
    assert len(herons) == 2
    marks = {"tool": "set_marks", "params": {"hide": True}, "selection": herons, "revision": level["revision"]}
    server.ask("levels/level-1/steps", marks)
    server.stop()
    return db


class Spares:
    """Servers that are started while the test before still runs."""

    def __init__(self, folder: Path, source: Path | None) -> None:
        self.folder, self.source, self.count = folder, source, 0
        self.next = self._begin()

    def _begin(self) -> Server:
        self.count += 1
        db = self.folder / f"project-{self.count}.db"
        if self.source:
            shutil.copyfile(self.source, db)
        return Server(db, wait=False)

    def take(self) -> Server:
        found = self.next
        found.ready()
        self.next = self._begin()
        return found


@pytest.fixture(scope="session")
def seen_spares(seen_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Spares]:
    spares = Spares(tmp_path_factory.mktemp("seen"), seen_file)
    yield spares
    spares.next.kill()


@pytest.fixture(scope="session")
def bare_spares(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Spares]:
    spares = Spares(tmp_path_factory.mktemp("bare"), None)
    yield spares
    spares.next.kill()


@pytest.fixture
def server(seen_spares: Spares) -> Iterator[Server]:
    started = seen_spares.take()
    yield started
    started.kill()


@contextmanager
def opened(browser: Browser, url: str) -> Iterator[Page]:
    """The application in a page of its own; afterwards nothing must have gone wrong in it."""
    # a quarter of the pixels each way, in the same layout: drawn in software they cost time
    context = browser.new_context(
        viewport={"width": 1280, "height": 800},
        device_scale_factor=0.25,
        accept_downloads=True,
        reduced_motion="reduce",
    )
    page = context.new_page()
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.on("console", lambda message: problems.append(message.text) if message.type == "error" else None)
    page.set_default_timeout(60_000)
    page.goto(url)
    yield page
    context.close()
    expected = ("WebSocket", "ERR_CONNECTION_REFUSED", "Failed to load resource")
    assert [p for p in problems if not any(e in p for e in expected)] == []


@pytest.fixture
def page(browser: Browser, server: Server) -> Iterator[Page]:
    with opened(browser, server.url) as found:
        yield found


@pytest.fixture
def bare(browser: Browser, bare_spares: Spares) -> Iterator[Hands]:
    """A level with nothing in it and an empty shelf: quickly there and quickly drawn."""
    server = bare_spares.take()
    with opened(browser, server.url) as page:
        yield Hands(page, server.url, name="First level")
    server.kill()
