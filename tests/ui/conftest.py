"""A real server on the demo level and a real browser."""

from __future__ import annotations

import json
import os
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any, Literal

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from able_brick.session.project import Project
from tests.once import made_once
from tests.ui.hands import Hands
from tests.within import whole

FLAGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    # only what is drawn in 3D goes through the software that stands for a graphics card: the page itself is dear there
    "--disable-gpu-compositing",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--no-first-run",
]


#: A quarter of the pixels each way, in the same layout: drawn in software they cost time.
LOOK: dict[str, Any] = {
    "viewport": {"width": 1280, "height": 800},
    "device_scale_factor": 0.25,
    "accept_downloads": True,
    "reduced_motion": "reduce",
}
#: What a browser keeps is forgotten with every document, but that the tour has been seen.
FORGET = "try { localStorage.clear(); localStorage.setItem('able-brick tour', 'seen'); } catch {}"


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The second of two workers begins with what needs no demo project, as the first is still making that."""
    here = [i for i in items if isinstance(i, pytest.Function) and i.path.is_relative_to(Path(__file__).parent)]
    waits = [i for i in here if "seen_file" in i.fixturenames]
    others = [i for i in here if "seen_file" not in i.fixturenames]
    middle = (len(here) + 1) // 2
    items[:] = [i for i in items if i not in set(here)] + waits[:middle] + others + waits[middle:]


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
            env={**os.environ, "ABLE_BRICK_HOME": str(self.db.parent / "home")},
        )

    def ready(self) -> None:
        """Wait until it answers."""
        for _ in range(240):
            try:
                urllib.request.urlopen(f"{self.url}/api/project", timeout=2).close()
                return
            except OSError:
                time.sleep(0.25)
        raise RuntimeError("The server did not answer within a minute.")

    def ask(self, path: str, body: dict[str, Any] | None = None) -> Any:
        """What the API answers."""
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(whole(f"{self.url}/api/{path}"), data, {"Content-Type": "application/json"})
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
        # with scroll bars, as most people have them
        started = p.chromium.launch(executable_path=found, args=FLAGS, ignore_default_args=["--hide-scrollbars"])
        yield started
        started.close()


@pytest.fixture(scope="session")
def seen_file(request: pytest.FixtureRequest, browser: Browser, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo project after somebody has looked at it: the shelf's pictures are kept.

    The herons are hidden, and have a twelfth of their triangles: they took most of the time of a frame, and of what
    slims them.
    """
    return made_once(
        request,
        tmp_path_factory,
        "seen.db",
        lambda half: _look_at_demo(half, browser, request.getfixturevalue("demo_file")),
    )


def _look_at_demo(db: Path, browser: Browser, demo_file: Path) -> None:
    shutil.copyfile(demo_file, db)
    server = Server(db)
    context = browser.new_context(viewport={"width": 1280, "height": 800}, device_scale_factor=0.25)
    page = context.new_page()
    kept: list[str] = []
    page.on("response", lambda r: kept.append(r.url) if r.request.method == "PUT" and r.ok else None)
    try:
        pieces = server.ask("levels/level-1")
        kit = [r for r in pieces["changed"] if r["kind"] == "piece"]
        heron = next(r["id"] for r in kit if r["name"] == "Bronze heron")
        fewer = {"tool": "slim", "params": {"share": 8.0, "result": "same piece"}, "selection": [heron]}
        server.ask("levels/level-1/steps", {**fewer, "revision": pieces["revision"]})
        page.goto(server.url)
        # drawn in software, the pictures and the first frames may take their time
        expect(page.get_by_role("list", name="Shelf").locator("img")).to_have_count(len(kit), timeout=150_000)
        while len(kept) < len(kit):
            page.wait_for_event("response", timeout=60_000)
        level = server.ask("levels/level-1")
        herons = [r["id"] for r in level["changed"] if r["kind"] == "placement" and "eron" in r["name"]]
        assert len(herons) == 2
        marks = {"tool": "set_marks", "params": {"hide": True}, "selection": herons, "revision": level["revision"]}
        server.ask("levels/level-1/steps", marks)
        context.close()
        server.stop()
    except BaseException:
        server.kill()
        raise


class Desk:
    """One server and one page, on which a project after the other is opened."""

    def __init__(self, browser: Browser, folder: Path) -> None:
        self.folder, self.count = folder, 0
        self.server = Server(folder / "first.db")
        self.context = browser.new_context(**LOOK)
        self.context.add_init_script(FORGET)
        self.page = self.context.new_page()
        self.page.set_default_timeout(60_000)
        self.problems = watched(self.page)

    def open(self, source: Path | None) -> None:
        """Open a copy of a project, or an empty one, in the server; the page is left blank meanwhile."""
        self.page.goto("about:blank")
        self.problems.clear()
        self.count += 1
        db = self.folder / f"project-{self.count}.db"
        if source is None:
            with closing(Project(db)) as project:
                project.create_level("First level")
        else:
            shutil.copyfile(source, db)
        home = self.folder / "home"
        home.mkdir(exist_ok=True)
        (home / "recent.json").write_text(json.dumps([{"path": str(db.resolve()), "opened": time.time()}]))
        self.server.ask("project/open", {"path": str(db.resolve()), "running": "stop"})

    def close(self) -> None:
        self.context.close()
        self.server.kill()


@pytest.fixture(scope="session")
def desk(browser: Browser, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    made = Desk(browser, tmp_path_factory.mktemp("desk"))
    yield made
    made.close()


@pytest.fixture
def server(desk: Desk, seen_file: Path) -> Server:
    """The shared server on the demo project as it was."""
    desk.open(seen_file)
    return desk.server


@pytest.fixture
def page(desk: Desk, server: Server) -> Iterator[Page]:
    """The shared page on the demo project."""
    desk.page.set_viewport_size({"width": 1280, "height": 800})
    desk.page.goto(server.url)
    yield desk.page
    assert unexpected(desk.problems) == []


@pytest.fixture
def bare(desk: Desk) -> Iterator[Hands]:
    """A level with nothing in it and an empty shelf: quickly there and quickly drawn."""
    desk.open(None)
    desk.page.goto(desk.server.url)
    yield Hands(desk.page, desk.server.url, name="First level")
    assert unexpected(desk.problems) == []


@pytest.fixture
def own_server(tmp_path: Path, seen_file: Path) -> Iterator[Server]:
    """A server of its own on the demo project, which may be killed."""
    db = tmp_path / "own.db"
    shutil.copyfile(seen_file, db)
    started = Server(db)
    yield started
    started.kill()


def watched(page: Page) -> list[str]:
    """What goes wrong in a page from now on."""
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.on("console", lambda message: problems.append(message.text) if message.type == "error" else None)
    return problems


def unexpected(problems: list[str]) -> list[str]:
    expected = ("WebSocket", "ERR_CONNECTION_REFUSED", "Failed to load resource")
    return [p for p in problems if not any(e in p for e in expected)]


@contextmanager
def opened(
    browser: Browser,
    url: str,
    *,
    size: tuple[int, int] = (1280, 800),
    scheme: Literal["light", "dark"] | None = None,
    tour: bool = False,
) -> Iterator[Page]:
    """The application in a page of its own; afterwards nothing must have gone wrong in it."""
    context = browser.new_context(**{**LOOK, "viewport": {"width": size[0], "height": size[1]}, "color_scheme": scheme})
    if not tour:
        context.add_init_script("localStorage.setItem('able-brick tour', 'seen')")
    page = context.new_page()
    problems = watched(page)
    page.set_default_timeout(60_000)
    page.goto(url)
    yield page
    context.close()
    assert unexpected(problems) == []
