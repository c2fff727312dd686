"""The served project, measured over loopback."""

from __future__ import annotations

import http.client
import json
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import Any

from tests.within import within

PORT = 8499


class Door:
    """A server of a project file, over one kept-alive connection."""

    def __init__(self, db: Path) -> None:
        command = [sys.executable, "-m", "able_brick.cli", "serve", "--db", str(db), "--port", str(PORT)]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        start = time.perf_counter()
        while True:
            try:
                with urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/project", timeout=1) as reply:
                    self.key = json.load(reply)["key"]
                break
            except OSError:
                time.sleep(0.01)
        self.started = time.perf_counter() - start
        self.connection = http.client.HTTPConnection("127.0.0.1", PORT)

    def call(self, method: str, path: str, body: Any = None) -> tuple[Any, float]:
        """The reply and the milliseconds it took."""
        text = None if body is None else json.dumps(body).encode()
        return self.send(method, path, text, "application/json")

    def send(self, method: str, path: str, body: bytes | None, kind: str, accept: str = "") -> tuple[Any, float]:
        """Send bytes of a kind; the reply, of columns what is beside them, and the milliseconds it took."""
        start = time.perf_counter()
        self.connection.request(method, within(path, self.key), body, {"Content-Type": kind, "Accept": accept})
        raw = self.connection.getresponse().read()
        spent = 1000 * (time.perf_counter() - start)
        if raw.startswith(b"ABC1"):
            raw = raw[8 : 8 + int.from_bytes(raw[4:8], "little")]
        return json.loads(raw), spent

    def fetch(self, path: str) -> float:
        """Fetch bytes; the milliseconds it took."""
        start = time.perf_counter()
        self.connection.request("GET", within(path, self.key))
        self.connection.getresponse().read()
        return 1000 * (time.perf_counter() - start)

    def close(self) -> None:
        """Stop the server."""
        self.process.terminate()
        self.process.wait()
