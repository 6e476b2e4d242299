"""The application: routes, guards, and one clear answer for everything that can go wrong."""

import gc
import os
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import Receive, Scope, Send

from galene.core.errors import InputError
from galene.jobs.errors import AlreadyDone, Invalid, Missing, NotAllowed, ReadOnly, Refused, Stale
from galene.store.database import make_sessions
from galene.store.pictures import PictureStore
from galene.web.api import assessments, calculations, judgements, plans, scopes
from galene.web.forms import Form
from galene.web.news import News
from galene.web.routes import (
    bores,
    checks,
    diagnosis,
    evidence,
    families,
    family_editor,
    handover,
    intake,
    logs,
    pictures,
    plan,
    prove,
    reference,
    shelf,
    sign_in,
    spares,
    templates,
    today,
    vehicles,
    where,
    work,
    worksheets,
)
from galene.web.security import Guards
from galene.web.templating import TEMPLATES, clock_text
from galene.web.visit import SignInFirst

log = structlog.get_logger()
STATIC = Path(__file__).parent / "static"
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
    from urllib.parse import urlsplit

    referer = urlsplit(request.headers.get("referer", ""))
    return (
        referer.path
        if referer.netloc == request.headers.get("host") and referer.path.startswith("/")
        else "/"
    )


def _sent(request: Request) -> Form | None:
    form = getattr(request.state, "form", None)
    return form if isinstance(form, Form) else None


def _handlers() -> dict[Any, Callable[..., Any]]:
    def stale(request: Request, fault: Stale) -> Response:
        what = SECTION_WORDS.get(
            fault.what,
            (
                "these readings"
                if fault.what.startswith("readings")
                else (
                    "this measurement"
                    if fault.what.startswith("bores")
                    else "this log"
                    if fault.what.startswith("log ")
                    else fault.what
                )
            ),
        )
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

    def refused(request: Request, fault: Refused) -> Response:
        return _problem(
            request,
            409,
            fault.title,
            lines=fault.reasons,
            again=_sent(request),
            override=fault.override,
        )

    def invalid(request: Request, fault: Invalid) -> Response:
        return _problem(
            request,
            422,
            "This can not be saved yet",
            lines=list(fault.fields.values()),
            again=_sent(request),
        )

    def done(request: Request, fault: AlreadyDone) -> Response:
        return RedirectResponse(fault.location, 303)

    def sign_in_first(request: Request, fault: SignInFirst) -> Response:
        if request.url.path.startswith("/api/"):
            return JSONResponse({"error": "Sign in first"}, 401)
        if request.headers.get("hx-request") == "true":
            return Response(status_code=401, headers={"HX-Redirect": "/sign-in"})
        from urllib.parse import quote

        return RedirectResponse(
            "/sign-in?back=" + quote(fault.back if fault.back.startswith("/") else "/"), 303
        )

    def no_database(request: Request, fault: Exception) -> Response:
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

    def database_fault(request: Request, fault: DBAPIError) -> Response:
        if fault.connection_invalidated or isinstance(fault, OperationalError):
            return no_database(request, fault)
        return broken(request, fault)

    def broken(request: Request, fault: Exception) -> Response:
        log.error("fault", path=request.url.path, fault=repr(fault)[:400])
        return _problem(
            request,
            500,
            "This went wrong on our side",
            lines=["Nothing was saved. The fault is in the server's log."],
            again=_sent(request),
        )

    def http(request: Request, fault: HTTPException) -> Response:
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

    def unreadable(request: Request, fault: RequestValidationError) -> Response:
        lines = [
            f"{'.'.join(str(x) for x in e['loc'] if x != 'body')}: {e['msg']}"
            for e in fault.errors()[:5]
        ]
        return _problem(request, 422, "This can not be read", lines=lines)

    return {
        Stale: stale,
        Refused: refused,
        Invalid: invalid,
        AlreadyDone: done,
        SignInFirst: sign_in_first,
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
        InputError: lambda r, f: _problem(
            r, 422, "This can not be", lines=[str(f)], again=_sent(r)
        ),
        OperationalError: no_database,
        PoolTimeout: no_database,
        DBAPIError: database_fault,
        HTTPException: http,
        RequestValidationError: unreadable,
        Exception: broken,
    }


async def _refuse(scope: Scope, receive: Receive, send: Send, status: int, line: str) -> None:
    titles = {413: "Too much at once", 403: "Not from here"}
    await _problem(Request(scope, receive), status, titles[status], lines=[line])(
        scope, receive, send
    )


def server_clock() -> datetime:
    """The moment, with its zone."""
    return datetime.now(UTC)


def create_app(
    engine: Engine, clock: Callable[[], datetime] = server_clock, home: Path = Path(".galene")
) -> FastAPI:
    """The application on a database; every time on its pages and in its records comes from `clock`,
    pictures lie under `home`."""

    app = FastAPI(
        title="Galene",
        version="1",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
    )
    app.state.engine, app.state.sessions, app.state.clock = engine, make_sessions(engine), clock
    app.state.pictures, app.state.news = PictureStore(home / "pictures"), News(engine)
    for kind, handler in _handlers().items():
        app.add_exception_handler(kind, handler)
    app.add_middleware(GZipMiddleware, minimum_size=1200, compresslevel=1)
    app.add_middleware(Guards, refuse=_refuse)
    for module in (
        sign_in,
        today,
        intake,
        evidence,
        logs,
        diagnosis,
        plan,
        work,
        pictures,
        prove,
        handover,
        vehicles,
        where,
        bores,
        checks,
        worksheets,
        reference,
        families,
        family_editor,
        templates,
        spares,
        shelf,
        calculations,
        assessments,
        scopes,
        judgements,
        plans,
    ):
        app.include_router(module.router)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")

    @app.get("/sw.js", include_in_schema=False)
    def service_worker() -> FileResponse:
        return FileResponse(
            STATIC / "sw.js", media_type="text/javascript", headers={"cache-control": "no-cache"}
        )

    @app.get("/healthz", include_in_schema=False)
    def healthz() -> JSONResponse:
        try:
            with engine.connect() as connection:
                connection.execute(text("select 1"))
        except (OperationalError, PoolTimeout, DBAPIError):
            return JSONResponse({"status": "database does not answer"}, 503)
        return JSONResponse({"status": "ok"})

    return app


def settle() -> None:
    """The tables of knowledge live as long as the server: the collector need not walk them at every
    page."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


def quiet_log() -> None:
    """Log lines as JSON on standard error, one a line."""
    import sys

    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
