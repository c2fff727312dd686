"""A client of the API that always means the project that is open, as a page does that goes along."""

from __future__ import annotations

from typing import Any

from fastapi.testclient import TestClient

from tests.within import is_short, within


class Client(TestClient):
    """A test client for which `/api/levels` are those of the open project."""

    def whole(self, path: Any) -> Any:
        """The address that is meant by a short one."""
        if not isinstance(path, str) or not is_short(path):
            return path
        return within(path, super().request("GET", "/api/project").json()["key"])

    def request(self, method: str, url: Any, **more: Any) -> Any:
        return super().request(method, self.whole(url), **more)

    def websocket_connect(self, url: str, *rest: Any, **more: Any) -> Any:
        return super().websocket_connect(self.whole(url), *rest, **more)
