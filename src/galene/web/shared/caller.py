"""Who asks: the browser's cookies, its address of the net, and what it calls itself."""

import re

from fastapi import Request
from fastapi.responses import Response

from galene.jobs.signing_in import Caller, SignedIn

SESSION, DEVICE = "galene_session", "galene_device"
SECURE = "__Host-"
"""Before a cookie's name under TLS: then no other host and no plain connection can set it."""
DEVICE_SECONDS = 400 * 86400
SYSTEMS = ("Android", "iPhone", "iPad", "Windows", "Macintosh", "CrOS", "Linux")
_KIND = re.compile(r"(?:Mobile|Tablet)")


def secure(request: Request) -> bool:
    """Whether the request came by TLS, as far as the server or a proxy that it trusts knows."""
    return request.url.scheme == "https"


def cookie_name(request: Request, name: str) -> str:
    """A cookie's name on this connection."""
    return SECURE + name if secure(request) else name


def cookie(request: Request, name: str) -> str:
    """What a cookie holds, empty where it is not there."""
    return request.cookies.get(cookie_name(request, name), "")[:200]


def agent_words(header: str) -> str:
    """What a browser calls itself, in a word or two: enough to know one's own sessions by."""
    system = next((s for s in SYSTEMS if s in header), "")
    return " ".join(x for x in (system, "phone or tablet" if _KIND.search(header) else "") if x)


def caller_of(request: Request) -> Caller:
    """The browser that asks."""
    return Caller(
        address=request.client.host if request.client else "",
        agent=agent_words(request.headers.get("user-agent", "")[:400]),
        session=cookie(request, SESSION),
        device=cookie(request, DEVICE),
    )


def set_cookie(request: Request, answer: Response, name: str, *, value: str, seconds: int) -> None:
    """Give a browser a cookie that no script reads."""
    answer.set_cookie(
        cookie_name(request, name),
        value,
        max_age=seconds,
        path="/",
        httponly=True,
        samesite="lax",
        secure=secure(request),
    )


def signed_in(request: Request, answer: Response, found: SignedIn, *, seconds: int) -> None:
    """Give a browser its session, and the cookie by which it is known again."""
    set_cookie(request, answer, SESSION, value=found.session, seconds=seconds)
    if found.device:
        set_cookie(request, answer, DEVICE, value=found.device, seconds=DEVICE_SECONDS)


def forget_session(request: Request, answer: Response) -> None:
    """Take a browser's session away."""
    answer.delete_cookie(cookie_name(request, SESSION), path="/", secure=secure(request))
