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
from galene.store.staging import Staging
from galene.web.admin import sign_in
from galene.web.api import (
    assessments,
    calculations,
    data,
    docs,
    judgements,
    plans,
    proofs,
    scopes,
)
from galene.web.bands import routes as bands
from galene.web.bundles import routes as bundles
from galene.web.card import routes as work
from galene.web.checks import routes as checks
from galene.web.day import routes as today
from galene.web.diagnosis import routes as diagnosis
from galene.web.evidence import bores
from galene.web.evidence import routes as evidence
from galene.web.families import editor as family_editor
from galene.web.families import routes as families
from galene.web.fleet import routes as fleet
from galene.web.fuel import routes as fuel
from galene.web.handover import routes as handover
from galene.web.intake import routes as intake
from galene.web.logs import routes as logs
from galene.web.owner import routes as owner
from galene.web.owner.limits import Limits
from galene.web.pictures import routes as pictures
from galene.web.plan import routes as plan
from galene.web.practice import procedures as templates
from galene.web.practice import routes as reference
from galene.web.proof import routes as prove
from galene.web.shared.news import News
from galene.web.shared.problems import HANDLERS, refuse
from galene.web.shared.security import Guards
from galene.web.shelf import routes as shelf
from galene.web.shelf import spares
from galene.web.vehicles import routes as vehicles
from galene.web.vehicles import where
from galene.web.worksheets import routes as worksheets

log = structlog.get_logger()
WEB = Path(__file__).parent
STATIC = WEB / "shared" / "static"


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
    app.state.owner_limits, app.state.staging = Limits(), Staging(home / "staging")
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
        fleet,
        fuel,
        owner,
        where,
        bores,
        checks,
        worksheets,
        reference,
        families,
        bands,
        bundles,
        family_editor,
        templates,
        spares,
        shelf,
        calculations,
        assessments,
        proofs,
        scopes,
        judgements,
        plans,
        data,
        docs,
    ):
        app.include_router(module.router)
    app.include_router(owner.public)
    for folder in sorted(WEB.glob("*/static")):
        if folder != STATIC:
            feature = folder.parent.name
            app.mount(f"/static/{feature}", StaticFiles(directory=folder), name=feature)
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


def tune_gc() -> None:
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
