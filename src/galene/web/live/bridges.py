"""What a bridge asks of the server: to be let in, to hand over what it read, to hear what to do."""

from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from typing import Annotated

from fastapi import APIRouter, FastAPI, Header, Request
from fastapi.responses import JSONResponse, Response, StreamingResponse
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from galene.exchange.live import Pair, Sent
from galene.jobs import live
from galene.web.shared.limits import Limits
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/bridge", route_class=VisitRoute, include_in_schema=False)
EVENTS = {"cache-control": "no-store", "x-accel-buffering": "no"}
Authorization = Annotated[str, Header()]


def _told(words: str, status: int, headers: dict[str, str] | None = None) -> JSONResponse:
    return JSONResponse({"error": words, "detail": []}, status, headers)


def _key(authorization: str) -> str:
    return authorization.removeprefix("Bearer ").strip()


@contextmanager
def _durable(request: Request) -> Iterator[Session]:
    with request.app.state.sessions() as db:
        yield db
        db.commit()


@router.post("/pair")
def pair(request: Request, given: Pair) -> JSONResponse:
    """Let a bridge in by the six figures of a job's page. A million codes, ten tries in ten
    minutes from one address."""
    limits: Limits = request.app.state.pair_limits
    address = request.client.host if request.client else ""
    now = request.app.state.clock()
    if seconds := limits.wait(address) or limits.guess(address):
        words = "Too many tries. Wait some minutes, then ask for a new code on the job's page."
        return _told(words, 429, {"retry-after": str(seconds)})
    try:
        with _durable(request) as db:
            found = live.pair(db, given.code, given.name, now)
    except live.NotLetIn as fault:
        return _told(str(fault), 403)
    limits.right(address)
    return JSONResponse(found.model_dump(mode="json"))


@router.post("/batches")
def batches(request: Request, sent: Sent, authorization: Authorization = "") -> JSONResponse:
    """Keep what was read; the answer comes when it is durable."""
    try:
        with _durable(request) as db:
            if not any(b.answers or b.serial for b in sent.batches):
                # One statement is all or nothing by itself.
                db.connection(execution_options={"isolation_level": "AUTOCOMMIT"})
            kept = live.take_in(db, _key(authorization), sent, request.app.state.clock())
    except live.NotLetIn as fault:
        return _told(str(fault), 410)
    return JSONResponse(kept.model_dump(mode="json"))


@router.get("/events")
def events(request: Request, authorization: Authorization = "") -> Response:
    """The stream of what to do."""
    key = _key(authorization)
    try:
        with request.app.state.sessions() as db:
            topic = live.topic_of_bridge(live.let_in(db, key).id)
    except live.NotLetIn as fault:
        return _told(str(fault), 410)
    stream = request.app.state.news.live(topic, "", partial(_still_in, request.app, key))
    return StreamingResponse(stream, media_type="text/event-stream", headers=EVENTS)


def _still_in(app: FastAPI, key: str) -> bool:
    try:
        with app.state.sessions() as db:
            live.look_where_recorded(db, live.let_in(db, key), app.state.clock())
            db.commit()
    except live.NotLetIn:
        return False
    except (DBAPIError, PoolTimeout):
        return True
    return True
