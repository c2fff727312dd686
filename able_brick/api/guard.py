"""Who may talk to the server: only pages that it served itself, with bodies of sensible size."""

from __future__ import annotations

from contextlib import suppress
from typing import Final
from urllib.parse import urlsplit

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from able_brick.api.errors import problem

HOSTS: Final = frozenset({"127.0.0.1", "localhost", "::1"})
MOST_JSON: Final = 16 * 2**20
MOST_UPLOAD: Final = 512 * 2**20
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
        headers = {k.lower(): v.decode("latin-1") for k, v in scope["headers"]}
        refusal = self._refusal(headers)
        if refusal is not None:
            if scope["type"] == "websocket":
                await receive()
                await send({"type": "websocket.close", "code": 1008, "reason": refusal})
            else:
                await problem(403, "forbidden", refusal)(scope, receive, send)
            return
        if scope["type"] == "websocket":
            await self.app(scope, receive, send)
            return
        most = MOST_UPLOAD if scope["path"] == "/api/arrivals" else MOST_JSON
        too_large = problem(
            413, "too_large", f"The request is larger than {most // 2**20} MB, which is the most taken in."
        )
        length = headers.get(b"content-length", "0")
        if not length.isdigit() or int(length) > most:
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

        async def protected(message: Message) -> None:
            if over:  # whatever the application makes of the broken-off body, the reply is ours
                return
            if message["type"] == "http.response.start":
                message = {**message, "headers": [*message.get("headers", []), *HEADERS]}
            await send(message)

        with suppress(_TooLargeError):
            await self.app(scope, limited, protected)
        if over:
            await too_large(scope, receive, send)

    @staticmethod
    def _refusal(headers: dict[bytes, str]) -> str | None:
        host = headers.get(b"host", "")
        name = urlsplit(f"//{host}").hostname
        if name not in HOSTS:
            return f"Requests for host {host[:80]!r} are not answered; open the page at 127.0.0.1."
        origin = headers.get(b"origin")
        if origin is not None and urlsplit(origin).netloc != host:
            return f"Requests from pages of {origin[:80]!r} are not answered."
        if headers.get(b"sec-fetch-site") == "cross-site" and headers.get(b"sec-fetch-mode") != "navigate":
            return "Requests from pages of other sites are not answered."
        return None
