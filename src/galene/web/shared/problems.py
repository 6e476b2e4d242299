"""One clear answer for everything that can go wrong, and what was typed given back."""

from collections.abc import Callable
from typing import Any
from urllib.parse import quote, urlsplit

import structlog
from fastapi import Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from psycopg.errors import NumericValueOutOfRange
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.types import Receive, Scope, Send

from galene.core.errors import InputError
from galene.jobs.errors import AlreadyDone, Invalid, Missing, NotAllowed, ReadOnly, Refused, Stale
from galene.web.shared.forms import Form
from galene.web.shared.templating import TEMPLATES, clock_text
from galene.web.shared.visit import SignInFirst

log = structlog.get_logger()
SECTION_WORDS = {
    "intake": "the intake",
    "plan": "the plan",
    "work": "the job card",
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
        return JSONResponse({"error": title, "detail": lines}, status)
    part = request.headers.get("hx-request") == "true"
    template = TEMPLATES.get_template("problem.html")
    context = {
        "request": request,
        "title": title,
        "lines": lines,
        "status": status,
        "path": request.url.path,
        "referer": _back(request),
        "again": list(again.shown()) if again else [],
        "token": again.text("once") if again else "",
        "seen_value": again.text("seen") if again else "",
        "override": False,
        **extra,
    }
    if part:
        body = "".join(template.blocks["notice"](template.new_context(context)))
        return HTMLResponse(body, status, {"HX-Retarget": "#notice", "HX-Reswap": "innerHTML"})
    return HTMLResponse(template.render(context), status)


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
                "Your entries are kept below. Look at the newer version first; then enter again"
                " what it lacks."
            ),
        ],
        again=_sent(request),
    )


def _refused(request: Request, fault: Refused) -> Response:
    return _problem(
        request,
        409,
        fault.title,
        lines=fault.reasons,
        again=_sent(request),
        override=fault.override,
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
    if request.url.path.startswith("/api/"):
        return JSONResponse({"error": "Sign in first"}, 401)
    if request.headers.get("hx-request") == "true":
        return Response(status_code=401, headers={"HX-Redirect": "/sign-in"})
    return RedirectResponse(
        "/sign-in?back=" + quote(fault.back if fault.back.startswith("/") else "/"), 303
    )


def _no_database(request: Request, fault: Exception) -> Response:
    log.error(
        "database",
        path=request.url.path,
        fault=type(fault).__name__,
        detail=str(getattr(fault, "orig", fault))[:200],
    )
    return _problem(
        request,
        503,
        "The database does not answer",
        lines=[
            "Nothing of this was saved, and nothing half.",
            "What you entered is kept on this page. Send it again when the database is back.",
        ],
        again=_sent(request),
        retry=True,
    )


def _database_fault(request: Request, fault: DBAPIError) -> Response:
    if fault.connection_invalidated or isinstance(fault, OperationalError):
        return _no_database(request, fault)
    if isinstance(fault.orig, NumericValueOutOfRange):
        # An id in an address that no column can hold: there is nothing of that id.
        return _problem(request, 404, "Not found", lines=["There is nothing of that number."])
    return _broken(request, fault)


def _broken(request: Request, fault: Exception) -> Response:
    log.error("fault", path=request.url.path, fault=repr(fault)[:400])
    return _problem(
        request,
        500,
        "This went wrong on our side",
        lines=["Nothing was saved. The fault is in the server's log."],
        again=_sent(request),
    )


def _http(request: Request, fault: HTTPException) -> Response:
    titles = {
        404: "There is no such page",
        405: "This can not be done here",
        413: "Too much at once",
        400: "This request can not be read",
    }
    return _problem(
        request,
        fault.status_code,
        titles.get(fault.status_code, "This does not work"),
        lines=[],
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
    InputError: lambda r, f: _problem(r, 422, "This can not be", lines=[str(f)], again=_sent(r)),
    OperationalError: _no_database,
    PoolTimeout: _no_database,
    DBAPIError: _database_fault,
    HTTPException: _http,
    RequestValidationError: _unreadable,
    Exception: _broken,
}
"""What answers each kind of fault."""


async def refuse(scope: Scope, receive: Receive, send: Send, status: int, line: str) -> None:
    """A request turned away before it is read."""
    titles = {
        400: "This address can not be",
        403: "Not from here",
        413: "Too much at once",
    }
    await _problem(Request(scope, receive), status, titles[status], lines=[line])(
        scope, receive, send
    )
