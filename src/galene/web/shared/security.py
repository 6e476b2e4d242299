"""Guards round every request: headers, size, origin. Pure ASGI, so that nothing is read before it
is allowed."""

import re
from collections.abc import Awaitable, Callable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MAX_BODY = 2 * 1024 * 1024
UPLOADS: tuple[tuple[re.Pattern[str], int], ...] = (
    (re.compile(r"/reference/families/(take-in|[^/]+/edit/picture)"), 16 * 1024 * 1024),
    (re.compile(r"/shelf/[^/]+/sheets"), 16 * 1024 * 1024),
    (re.compile(r"/jobs/[^/]+/pictures"), 16 * 1024 * 1024),
    (re.compile(r"/jobs/[^/]+/logs"), 64 * 1024 * 1024),
    (re.compile(r"/bundles/look"), 128 * 1024 * 1024),
)
"""Where a picture, a family's file with its pictures, a data sheet, a log or a bundle may come in,
and how large."""
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src"
    " 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none';"
    " manifest-src 'self'"
)
HEADERS = {
    "content-security-policy": POLICY,
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "permissions-policy": "camera=(), microphone=(), geolocation=()",
}
COOKIE = "galene_session"
WRITES = {"POST", "PUT", "PATCH", "DELETE"}
Refuse = Callable[[Scope, Receive, Send, int, str], Awaitable[None]]


class TooLarge(Exception):
    """A body beyond the limit, found while it came in."""


class Guards:
    """Adds the security headers, stops large bodies, and lets no other site write with a user's
    cookie."""

    def __init__(self, app: ASGIApp, refuse: Refuse) -> None:
        self.app, self.refuse = app, refuse

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)

        async def send_guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    out.setdefault(name, value)
                static = scope["path"].startswith("/static/")
                out.setdefault("cache-control", "public, max-age=3600" if static else "no-store")
            await send(message)

        if "\x00" in scope["path"] or b"%00" in scope["query_string"]:
            # No address of ours holds one, and the database takes none.
            nul = "The address holds a character that no text has."
            await self.refuse(scope, receive, send_guarded, 400, nul)
            return
        limit = next((size for place, size in UPLOADS if place.fullmatch(scope["path"])), MAX_BODY)
        too_much = f"More than {limit // 1024 // 1024} MB were sent. Nothing was saved."
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > limit:
            await self.refuse(scope, receive, send_guarded, 413, too_much)
            return
        if scope["method"] in WRITES and not _same_site(scope, headers):
            await self.refuse(
                scope,
                receive,
                send_guarded,
                403,
                "This write came from another site. Nothing was saved.",
            )
            return
        taken = 0

        async def receive_limited() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > limit:
                raise TooLarge
            return message

        try:
            await self.app(scope, receive_limited, send_guarded)
        except TooLarge:
            await self.refuse(scope, receive, send_guarded, 413, too_much)


def _same_site(scope: Scope, headers: Headers) -> bool:
    """Whether a write comes from our own pages. Calls without our cookie carry nobody's rights and
    may pass to the API."""
    origin, fetch = headers.get("origin"), headers.get("sec-fetch-site")
    if origin is not None and origin != "null":
        return urlsplit(origin).netloc == headers.get("host")
    if fetch is not None:
        return fetch in ("same-origin", "none")
    if origin == "null":
        return False
    return scope["path"].startswith("/api/") and COOKIE not in headers.get("cookie", "")
