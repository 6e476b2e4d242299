"""The application: routes, guards, and one clear answer for everything that can go wrong."""

import gc
import os
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import structlog
from fastapi import FastAPI
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from sqlalchemy import Engine
from starlette.middleware.gzip import GZipMiddleware

from galene.store.database import answers, make_sessions
from galene.store.pictures import PictureStore
from galene.web.api import assessments, calculations, judgements, plans, scopes
from galene.web.news import News
from galene.web.problems import HANDLERS, refuse
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

log = structlog.get_logger()
STATIC = Path(__file__).parent / "static"


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
    for kind, handler in HANDLERS.items():
        app.add_exception_handler(kind, handler)
    app.add_middleware(GZipMiddleware, minimum_size=1200, compresslevel=1)
    app.add_middleware(Guards, refuse=refuse)
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
        if not answers(engine):
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
