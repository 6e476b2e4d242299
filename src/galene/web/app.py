"""The application: routes, guards, and one clear answer for everything that can go wrong."""

import gc
import os
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import anyio.to_thread
import structlog
from fastapi import FastAPI
from fastapi.responses import FileResponse
from prometheus_client import CollectorRegistry
from sqlalchemy import Engine
from starlette.middleware.gzip import GZipMiddleware

from galene.jobs.backups import BackupPlan
from galene.settings import LOOPBACK
from galene.store.database import make_sessions
from galene.store.objects import objects_at
from galene.store.pictures import PictureStore
from galene.store.pulse import PATIENCE_S, Pulse
from galene.store.staging import Staging
from galene.store.vault import Vault
from galene.web.admin import account, health, people, running, set_up, sign_in
from galene.web.admin.set_up import SetUpFirst
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
from galene.web.live import bridges
from galene.web.live import routes as live
from galene.web.logs import routes as logs
from galene.web.owner import routes as owner
from galene.web.pictures import routes as pictures
from galene.web.plan import routes as plan
from galene.web.practice import procedures as templates
from galene.web.practice import routes as reference
from galene.web.proof import routes as prove
from galene.web.shared.assets import SHARED, Assets
from galene.web.shared.deadline import Deadline
from galene.web.shared.limits import Limits
from galene.web.shared.news import News
from galene.web.shared.nightly import Nightly
from galene.web.shared.problems import HANDLERS, break_off, refuse, tell_silence
from galene.web.shared.security import Guards
from galene.web.shared.watch import Watch
from galene.web.shelf import routes as shelf
from galene.web.shelf import spares
from galene.web.vehicles import part_panel, record, where
from galene.web.vehicles import routes as vehicles
from galene.web.worksheets import routes as worksheets

log = structlog.get_logger()
MODULES = (
    # First: asked many times a second by each car, and routes are looked at in their order.
    bridges,
    live,
    health,
    set_up,
    account,
    people,
    running,
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
    record,
    vehicles,
    fleet,
    fuel,
    owner,
    where,
    part_panel,
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
)


@dataclass(frozen=True, kw_only=True)
class Site:
    """Where and how an application stands.

    Parameters
    ----------
    home : the data folder: pictures, waiting files, the key
    hosts : names by which a browser may call it
    pictures_url : where pictures lie, see `store.objects`; empty: in the data folder
    backups : where nightly backups go; None: none are made
    patience_s : seconds after which a silent database is told of
    """

    home: Path = Path(".galene")
    hosts: frozenset[str] = frozenset(LOOPBACK)
    patience_s: float = PATIENCE_S
    pictures_url: str = ""
    backups: BackupPlan | None = None


def server_clock() -> datetime:
    """The moment, with its zone."""
    return datetime.now(UTC)


def create_app(engine: Engine, site: Site, clock: Callable[[], datetime] = server_clock) -> FastAPI:
    """The application on a database; every time on its pages and in its records comes from
    `clock`."""
    pulse = Pulse(engine.url.set(drivername="postgresql").render_as_string(False), site.patience_s)

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        # As many threads as connections: a request waits for a thread and not for the pool.
        anyio.to_thread.current_default_thread_limiter().total_tokens = threads_for(engine)
        pulse.start()
        if nightly is not None:
            nightly.start()
        yield
        pulse.stop()
        if nightly is not None:
            nightly.stop()

    app = FastAPI(
        title="Galene",
        version="1",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
        lifespan=life,
    )
    home, watch = site.home, Watch(CollectorRegistry())
    app.state.engine, app.state.sessions, app.state.clock = engine, make_sessions(engine), clock
    app.state.pictures = PictureStore(objects_at(site.pictures_url, home))
    app.state.news = News(engine)
    app.state.backup_plan = site.backups
    nightly = (
        Nightly(engine, app.state.pictures, home, plan=site.backups, clock=clock)
        if site.backups
        else None
    )
    app.state.nightly = nightly
    app.state.owner_limits, app.state.api_limits = Limits(60), Limits(240, seconds=40.0)
    app.state.pair_limits = Limits(60)
    app.state.staging = Staging(home / "staging")
    app.state.vault, app.state.pulse, app.state.watch = Vault.of_home(home), pulse, watch
    app.state.home = home
    for kind, handler in HANDLERS.items():
        app.add_exception_handler(kind, handler)
    # The last that is added stands outermost.
    app.add_middleware(SetUpFirst)
    app.add_middleware(Deadline, pulse=pulse, tell=tell_silence)
    app.add_middleware(GZipMiddleware, minimum_size=1200, compresslevel=1)
    app.add_middleware(Guards, hosts=site.hosts, refuse=refuse, broken=break_off, watch=watch)
    # The routes themselves, whose paths are whole already: a router that is included is made anew
    # for each application, and asked route by route and once more as a router at each request.
    for router in (*(module.router for module in MODULES), owner.public):
        app.router.routes.extend(router.routes)
    app.mount("/static", Assets(), name="static")

    @app.get("/sw.js", include_in_schema=False)
    def service_worker() -> FileResponse:
        return FileResponse(
            SHARED / "sw.js", media_type="text/javascript", headers={"cache-control": "no-cache"}
        )

    return app


def threads_for(engine: Engine) -> int:
    """How many requests may hold a connection at once."""
    size, overflow = getattr(engine.pool, "_pool", None), getattr(engine.pool, "_max_overflow", 0)
    return max(4, (size.maxsize if size is not None else 8) + overflow)


def tune_gc() -> None:
    """The tables of knowledge live as long as the server: the collector need not walk them at every
    page. A start may have let it rest."""
    gc.collect()
    gc.freeze()
    gc.enable()
    gc.set_threshold(20_000, 20, 50)


def quiet_log() -> None:
    """Log lines as JSON on standard error, one a line."""
    import sys

    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
