"""Who may talk to the server: only pages that it served itself, with bodies of sensible size."""

from __future__ import annotations

import re
from collections.abc import Iterable
from contextlib import suppress
from typing import Final

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from able_brick.api.errors import problem, unforeseen

_HOST: Final = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:[0-9]{1,5})?")
MOST_JSON: Final = 16 * 2**20
MOST_UPLOAD: Final = 512 * 2**20
_UPLOADS: Final = re.compile(r"/api/projects/[^/]+/(imports|batches/files)")
# The two hashes are those of the empty style element that styled-components fills by script, and of the one rule that
# React Aria sets for touch; both are inline and would be refused without them.
HEADERS: Final = (
    (
        b"content-security-policy",
        b"default-src 'self'; img-src 'self' data: blob:; style-src 'self' "
        b"'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=' "
        b"'sha256-38RhXrc7EdReTKsOm23ZPOCUgniTUUcjky8QOOrQx6o='; font-src 'self'; script-src 'self'; "
        b"connect-src 'self'; worker-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'",
    ),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-resource-policy", b"same-origin"),
)


class _TooLargeError(Exception):
    pass


class Guard:
    """ASGI middleware: Host and Origin checks, size limits, security headers."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        headers = _Headers(scope["headers"])
        refusal = _refusal(headers, scope.get("method", "GET"), scope["path"])
        if scope["type"] == "websocket":
            if refusal is None:
                await self.app(scope, receive, send)
            else:
                await receive()
                await send({"type": "websocket.close", "code": 1008, "reason": refusal[:120]})
            return
        begun = False

        async def protected(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                message = {**message, "headers": [*message.get("headers", []), *HEADERS]}
            await send(message)

        if refusal is not None:
            await problem(403, "forbidden", refusal)(scope, receive, protected)
            return
        try:
            await self._bounded(scope, headers, receive, protected)
        except Exception as error:
            if begun:  # the reply is on its way and cannot be taken back: only breaking off tells that it is not whole
                raise
            await unforeseen(scope["method"], scope["path"], error)(scope, receive, protected)

    async def _bounded(self, scope: Scope, headers: _Headers, receive: Receive, send: Send) -> None:
        """The application, with a body of sensible size."""
        most = MOST_UPLOAD if _UPLOADS.fullmatch(scope["path"]) else MOST_JSON
        too_large = problem(
            413, "too_large", f"The request is larger than {most // 2**20} MB, which is the most taken in."
        )
        length = headers.one(b"content-length") or "0"
        if not (length.isascii() and length.isdigit()) or int(length) > most:
            await too_large(scope, receive, send)
            return
        taken, over = 0, False

        async def limited() -> Message:
            nonlocal taken, over
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > most:
                over = True
                raise _TooLargeError
            return message

        async def ours(message: Message) -> None:
            if not over:  # whatever the application makes of the broken-off body, the reply is ours
                await send(message)

        with suppress(_TooLargeError):
            await self.app(scope, limited, ours)
        if over:
            await too_large(scope, receive, send)


class _Headers:
    """The headers of a request. What is sent twice is nothing that a browser sends."""

    def __init__(self, raw: Iterable[tuple[bytes, bytes]]) -> None:
        self._all: dict[bytes, list[str]] = {}
        for key, value in raw:
            self._all.setdefault(key.lower(), []).append(value.decode("latin-1"))

    def one(self, name: bytes) -> str | None:
        """The header; None where there is none, and what no header may be where there are several."""
        found = self._all.get(name)
        return None if found is None else found[0] if len(found) == 1 else "\0"


def _refusal(headers: _Headers, method: str, path: str) -> str | None:
    """Why a request is not answered; None where it is."""
    host = headers.one(b"host") or ""
    if _HOST.fullmatch(host) is None:
        return f"Requests for host {host[:80]!r} are not answered; open the page at 127.0.0.1."
    origin = headers.one(b"origin")
    if origin is not None and origin != f"http://{host}":
        return f"Requests from pages of {origin[:80]!r} are not answered."
    site, mode = headers.one(b"sec-fetch-site"), headers.one(b"sec-fetch-mode")
    if site in (None, "same-origin", "none"):
        return None
    # a link on another page may lead here, to the page itself; nothing else may be asked for from there
    if mode == "navigate" and method in ("GET", "HEAD") and not path.startswith("/api"):
        return None
    return "Requests from pages of other sites are not answered."
