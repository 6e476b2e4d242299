"""One clear answer for everything that can go wrong, and what was typed given back."""

from collections.abc import Callable
from contextlib import suppress
from errno import EDQUOT, ENOSPC
from pathlib import Path
from traceback import extract_tb
from typing import Any
from urllib.parse import quote, urlsplit

import structlog
from fastapi import Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from psycopg.errors import DiskFull, NumericValueOutOfRange
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.types import Receive, Scope, Send

from galene.core.errors import InputError
from galene.jobs.errors import AlreadyDone, Invalid, Missing, NotAllowed, ReadOnly, Refused, Stale
from galene.web.shared.entering import keep_form, sign_in_page
from galene.web.shared.forms import Form
from galene.web.shared.gate import Told, gated_form
from galene.web.shared.templating import TEMPLATES, clock_text
from galene.web.shared.visit import FactorFirst, SignInFirst
from galene.web.shared.watch import route_of

log = structlog.get_logger()
RETRY_S = 2
"""Seconds after which a request that could not be served may come again."""
SECTION_WORDS = {
    "intake": "the intake",
    "plan": "the plan",
    "work": "the card",
    "handover": "the handover",
    "road_test": "the road test",
    "pending": "the codes after the road test",
    "before_missing": "the reason for a missing before set",
}


def _problem(
    request: Request,
    status: int,
    title: str,
    *,
    lines: list[str],
    again: Form | None = None,
    **extra: Any,
) -> Response:
    """One page, fragment or JSON for every refusal, with what was typed given back."""
    if request.url.path.startswith("/api/"):
        again_after = {"retry-after": str(RETRY_S)} if status in (429, 503) else None
        return JSONResponse({"error": title, "detail": lines}, status, again_after)
    part = request.headers.get("hx-request") == "true"
    template = TEMPLATES.get_template("problem.html")
    context = {
        "request": request,
        "request_id": request.scope.get("state", {}).get("request_id", ""),
        "title": title,
        "lines": lines,
        "status": status,
        "path": request.url.path,
        "referer": _back(request),
        "again": list(again.shown()) if again else [],
        "told": again.told() if again else [],
        "token": again.text("once") if again else "",
        "seen_value": again.text("seen") if again else "",
        "override": False,
        **extra,
    }
    headers = {"retry-after": str(RETRY_S)} if status == 503 else {}
    if part:
        body = "".join(template.blocks["notice"](template.new_context(context)))
        return HTMLResponse(
            body, status, {"HX-Retarget": "#notice", "HX-Reswap": "innerHTML", **headers}
        )
    return HTMLResponse(template.render(context), status, headers)


def _back(request: Request) -> str:
    """Where the person came from, if that was one of our own pages."""
    referer = urlsplit(request.headers.get("referer", ""))
    return (
        referer.path
        if referer.netloc == request.headers.get("host") and referer.path.startswith("/")
        else "/"
    )


def _sent(request: Request) -> Form | None:
    form = getattr(request.state, "form", None)
    return form if isinstance(form, Form) else None


def _stale(request: Request, fault: Stale) -> Response:
    what = SECTION_WORDS.get(fault.what, fault.what)
    for begins, words in (
        ("readings", "these readings"),
        ("bores", "this measurement"),
        ("log ", "this log"),
    ):
        if fault.what.startswith(begins):
            what = words
    return _problem(
        request,
        409,
        "Somebody was faster",
        lines=[
            f"{fault.who} saved a newer version of {what} at {clock_text(fault.when)}.",
            (
                "Nothing was overwritten. Your entries are kept below: look at the newer version"
                " first, then enter what it lacks."
            ),
        ],
        again=_sent(request),
        beside_page=_back(request),
        other=fault.who,
    )


def _refused(request: Request, fault: Refused) -> Response:
    return _problem(
        request,
        409,
        fault.title,
        lines=fault.reasons,
        again=_sent(request),
        override=fault.override,
        at=fault.at,
    )


def _invalid(request: Request, fault: Invalid) -> Response:
    return _problem(
        request,
        422,
        "This can not be saved yet",
        lines=list(fault.fields.values()),
        again=_sent(request),
    )


def _already_done(request: Request, fault: AlreadyDone) -> Response:
    return RedirectResponse(fault.location, 303)


def _sign_in_first(request: Request, fault: SignInFirst) -> Response:
    """Where to sign in. What was typed is not lost: a form is kept on the page that asks, and sent
    when who typed it is signed in; a part of a page stays as it is."""
    back = "/sign-in?back=" + quote(fault.back)
    if request.url.path.startswith("/api/"):
        return JSONResponse({"error": "Sign in first"}, 401)
    if request.headers.get("hx-request") == "true":
        return _problem(
            request,
            401,
            "You are no longer signed in",
            lines=["What you entered stays on this page: sign in beside it, then send it again."],
            beside="/sign-in?back=/account",
        )
    form = _sent(request)
    if request.method == "GET" or form is None:
        return RedirectResponse(back, 303)
    return sign_in_page(request, back=fault.back, kept=keep_form(request, form), status=401)


def _factor_first(request: Request, fault: FactorFirst) -> Response:
    if request.url.path.startswith("/api/"):
        return JSONResponse({"error": "Set your second factor up first"}, 403)
    if request.method == "GET":
        return RedirectResponse("/account#second-factor", 303)
    return _problem(
        request,
        403,
        "A second factor first",
        lines=["This workshop asks it of foremen. Set it up on your account's page."],
        again=_sent(request),
    )


KEPT_HERE = "What you entered is kept on this page. Send it again when the database is back."


def _no_database(request: Request, fault: Exception) -> Response:
    if is_disk_full(fault):
        return _disk_full(request, fault)
    log.error("database", route=route_of(request.scope), fault=type(fault).__name__)
    return _problem(
        request,
        503,
        "The database does not answer",
        lines=["Nothing of this was saved, and nothing half.", KEPT_HERE],
        again=_sent(request),
        retry=True,
    )


def _busy(request: Request, fault: PoolTimeout) -> Response:
    log.warning("pool_exhausted", route=route_of(request.scope))
    return _problem(
        request,
        503,
        "Too many at once",
        lines=[
            "The server has more to do than it can do now. Nothing of this was saved.",
            "What you entered is kept on this page. Send it again in a moment.",
        ],
        again=_sent(request),
        retry=True,
    )


def is_disk_full(fault: BaseException) -> bool:
    """Whether a fault says that there is no room: ours, or the database's."""
    orig = getattr(fault, "orig", fault)
    return isinstance(orig, DiskFull) or getattr(orig, "errno", None) in (ENOSPC, EDQUOT)


def _disk_full(request: Request, fault: Exception) -> Response:
    log.error("disk_full", route=route_of(request.scope), fault=type(fault).__name__)
    return _problem(
        request,
        507,
        "The disk is full",
        lines=[
            "Nothing of this was saved, and nothing half.",
            "Make room on the server's disk, then send it again: it is kept on this page.",
        ],
        again=_sent(request),
        retry=True,
    )


def _os_fault(request: Request, fault: OSError) -> Response:
    return _disk_full(request, fault) if is_disk_full(fault) else _broken(request, fault)


def _database_fault(request: Request, fault: DBAPIError) -> Response:
    if is_disk_full(fault):
        return _disk_full(request, fault)
    if fault.connection_invalidated or isinstance(fault, OperationalError):
        return _no_database(request, fault)
    if isinstance(fault.orig, NumericValueOutOfRange):
        # An id in an address that no column can hold: there is nothing of that id.
        return _problem(request, 404, "Not found", lines=["There is nothing of that number."])
    return _broken(request, fault)


def _broken(request: Request, fault: BaseException) -> Response:
    log.error(
        "fault",
        route=route_of(request.scope),
        fault=type(fault).__name__,
        where=[
            f"{f.name} {Path(f.filename).name}:{f.lineno}"
            for f in extract_tb(fault.__traceback__)[-4:]
        ],
    )
    return _problem(
        request,
        500,
        "This went wrong on our side",
        lines=["Nothing was saved. The fault is in the server's log, under the number below."],
        again=_sent(request),
        numbered=True,
    )


def _http(request: Request, fault: HTTPException) -> Response:
    titles = {
        404: "There is no such page",
        405: "This can not be done here",
        408: "Too slow",
        413: "Too much at once",
        400: "This request can not be read",
        422: "This can not be read",
    }
    return _problem(
        request,
        fault.status_code,
        titles.get(fault.status_code, "This does not work"),
        lines=[fault.detail] if isinstance(fault, Told) else [],
    )


def _unreadable(request: Request, fault: RequestValidationError) -> Response:
    lines = [
        f"{'.'.join(str(x) for x in e['loc'] if x != 'body')}: {e['msg']}"
        for e in fault.errors()[:5]
    ]
    return _problem(request, 422, "This can not be read", lines=lines)


HANDLERS: dict[Any, Callable[..., Any]] = {
    Stale: _stale,
    Refused: _refused,
    Invalid: _invalid,
    AlreadyDone: _already_done,
    SignInFirst: _sign_in_first,
    ReadOnly: lambda r, f: _problem(
        r,
        409,
        "This job is finished",
        lines=["It is read-only. Open it again with a reason on its handover page."],
        again=_sent(r),
    ),
    NotAllowed: lambda r, f: _problem(
        r, 403, "A foreman does this", lines=["Sign in as foreman, or ask one."], again=_sent(r)
    ),
    Missing: lambda r, f: _problem(r, 404, "Not found", lines=[f"There is no {f}."]),
    InputError: lambda r, f: _problem(r, 422, "This can not be", lines=[f.words], again=_sent(r)),
    FactorFirst: _factor_first,
    OperationalError: _no_database,
    PoolTimeout: _busy,
    OSError: _os_fault,
    DBAPIError: _database_fault,
    HTTPException: _http,
    RequestValidationError: _unreadable,
}
"""What answers each kind of fault; what is of none of these is answered by `break_off`."""


async def break_off(scope: Scope, receive: Receive, send: Send, fault: Exception) -> None:
    """Answer for a fault that nothing else answers, and keep the connection."""
    await _broken(Request(scope, receive), fault)(scope, receive, send)


async def tell_silence(scope: Scope, receive: Receive, send: Send, under_way: bool) -> None:
    """Answer while the database is silent. A form is read, so that it can be given back."""
    request = Request(scope, receive)
    if not under_way and _is_plain_form(request):
        with suppress(Invalid, HTTPException):
            data = gated_form(await request.form(max_files=0, max_fields=1500))
            request.state.form = Form(data, lambda: "metric")
    saved = (
        "Whether it was saved is not known yet. Send it again when the database is back: the same"
        " form counts once."
        if under_way and request.method != "GET"
        else "Nothing of this was saved, and nothing half."
    )
    answer = _problem(
        request,
        503,
        "The database does not answer",
        lines=[saved, KEPT_HERE] if _sent(request) else [saved],
        again=_sent(request),
        retry=True,
    )
    await answer(scope, receive, send)


def _is_plain_form(request: Request) -> bool:
    kind = request.headers.get("content-type", "")
    return request.method == "POST" and kind.startswith("application/x-www-form-urlencoded")


async def refuse(scope: Scope, receive: Receive, send: Send, status: int, line: str) -> None:
    """A request turned away before it is read."""
    titles = {
        400: "This address can not be",
        403: "Not from here",
        408: "Too slow",
        413: "Too much at once",
        414: "This address is too long",
        421: "Not this server",
    }
    await _problem(Request(scope, receive), status, titles[status], lines=[line])(
        scope, receive, send
    )
