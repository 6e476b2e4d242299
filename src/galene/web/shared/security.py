"""Guards round every request: host, headers, size, origin, and one answer for what breaks. Pure
ASGI, so that nothing is read before it is allowed."""

import asyncio
import re
import secrets
import time
from collections.abc import Awaitable, Callable
from urllib.parse import unquote_plus, urlsplit

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from galene.core.text_gate import digits, passes
from galene.web.shared.caller import SESSION
from galene.web.shared.gate import Told
from galene.web.shared.watch import Watch

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
BODY_S = 30.0
"""Seconds in which the next piece of a body must come."""
LONGEST_ADDRESS = 4000
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
    "cross-origin-resource-policy": "same-origin",
    "permissions-policy": "camera=(), microphone=(), geolocation=()",
}
HSTS = "max-age=31536000"
WRITES = {"POST", "PUT", "PATCH", "DELETE"}
ANY_HOST = ("/healthz", "/readyz")
"""What a watcher asks by the machine's address."""
Refuse = Callable[[Scope, Receive, Send, int, str], Awaitable[None]]
Break = Callable[[Scope, Receive, Send, Exception], Awaitable[None]]
log = structlog.get_logger()


class TooLarge(Told):
    """A body beyond the limit, found while it came in."""

    def __init__(self, limit: int) -> None:
        super().__init__(413, _too_much(limit))


class TooSlow(Told):
    """A body whose next piece does not come."""

    def __init__(self) -> None:
        super().__init__(408, "The rest of it did not come. Nothing was saved.")


class Answer:
    """What goes out: with our headers, and whether it has begun."""

    def __init__(self, scope: Scope, send: Send, request_id: str) -> None:
        self._scope, self._send, self._id = scope, send, request_id
        self.status = 0

    async def send(self, message: Message) -> None:
        """Send on, the first message with our headers."""
        if message["type"] == "http.response.start":
            self.status = message["status"]
            out = MutableHeaders(scope=message)
            for name, value in HEADERS.items():
                out.setdefault(name, value)
            if self._scope.get("scheme") == "https":
                out.setdefault("strict-transport-security", HSTS)
            out.setdefault("cache-control", "no-store")
            out["x-request-id"] = self._id
        await self._send(message)


class Guards:
    """Adds the security headers, stops large bodies, lets no other site write with a user's
    cookie, answers for whatever breaks, and notes each request.

    Parameters
    ----------
    hosts : names by which a browser may call this server
    """

    def __init__(
        self, app: ASGIApp, *, hosts: frozenset[str], refuse: Refuse, broken: Break, watch: Watch
    ) -> None:
        self.app, self.hosts, self.refuse, self.broken = app, hosts, refuse, broken
        self.watch = watch

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request_id = secrets.token_hex(6)
        structlog.contextvars.bind_contextvars(request=request_id)
        answer, begun = Answer(scope, send, request_id), time.perf_counter()
        scope.setdefault("state", {})["request_id"] = request_id
        try:
            await self._guarded(scope, receive, answer)
        except Exception as fault:
            if answer.status:
                raise  # half of it is out: nothing can be said any more
            await self.broken(scope, receive, answer.send, fault)
        finally:
            self.watch.request(scope, answer.status, time.perf_counter() - begun)
            structlog.contextvars.unbind_contextvars("request")

    async def _guarded(self, scope: Scope, receive: Receive, answer: Answer) -> None:
        headers = Headers(scope=scope)
        refusal = self._refusal(scope, headers)
        if refusal is not None:
            await self.refuse(scope, receive, answer.send, *refusal)
            return
        limit = _limit(scope["path"])
        try:
            await self.app(scope, _limited(receive, limit), answer.send)
        except (TooLarge, TooSlow) as fault:
            await self.refuse(scope, receive, answer.send, fault.status_code, fault.detail)

    def _refusal(self, scope: Scope, headers: Headers) -> tuple[int, str] | None:
        """Status and words for what is turned away before it is read."""
        path, query = scope["path"], scope["query_string"]
        if host_of(headers) not in self.hosts and path not in ANY_HOST:
            return 421, (
                "This server does not go by that name. Its names are in its setting"
                " GALENE_TRUSTED_HOSTS."
            )
        if len(path) + len(query) > LONGEST_ADDRESS:
            return 414, f"An address has at most {LONGEST_ADDRESS} characters."
        if not passes(path) or not passes(unquote_plus(query.decode("latin-1"))):
            # No address of ours holds such a character, and the database takes none.
            return 400, "The address holds a character that no text has."
        length, limit = headers.get("content-length", "0"), _limit(path)
        if not digits(length, 12) or int(length) > limit:
            return 413, _too_much(limit)
        if scope["method"] in WRITES and not _same_site(scope, headers):
            return 403, (
                "This write came from another site, or a proxy does not say how it was called."
                " Nothing was saved."
            )
        return None


def host_of(headers: Headers) -> str:
    """The name by which the server was called, without the port."""
    host = headers.get("host", "").lower()
    name, colon, port = host.rpartition(":")
    return name if colon and digits(port) else host


def _limit(path: str) -> int:
    return next((size for place, size in UPLOADS if place.fullmatch(path)), MAX_BODY)


def _too_much(limit: int) -> str:
    return f"More than {limit // 1024 // 1024} MB were sent. Nothing was saved."


def _limited(receive: Receive, limit: int) -> Receive:
    """What comes in, up to a limit, and not slower than it may."""
    taken, whole = 0, False

    async def receive_limited() -> Message:
        nonlocal taken, whole
        if whole:
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), BODY_S)
        except TimeoutError:
            raise TooSlow from None
        whole = not message.get("more_body", False)
        taken += len(message.get("body", b""))
        if taken > limit:
            raise TooLarge(limit)
        return message

    return receive_limited


def _same_site(scope: Scope, headers: Headers) -> bool:
    """Whether a write comes from our own pages. Calls without our cookie carry nobody's rights and
    may pass to the API."""
    origin, fetch = headers.get("origin"), headers.get("sec-fetch-site")
    if origin is not None and origin != "null":
        found = urlsplit(origin)
        return (found.scheme, found.netloc) == (scope.get("scheme"), headers.get("host"))
    if fetch is not None:
        return fetch in ("same-origin", "none")
    if origin == "null":
        return False
    return scope["path"].startswith("/api/") and SESSION not in headers.get("cookie", "")
