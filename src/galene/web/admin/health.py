"""Whether the server lives and whether it can serve: for those who watch it."""

import shutil

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from galene.web.shared.visit import VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
ROOM_MB = 50
"""Free room in the data folder below which nothing can be relied on to be kept."""


def lacks_room(request: Request) -> bool:
    """Whether the data folder's disk is as good as full."""
    home = request.app.state.home
    place = home if home.exists() else home.parent
    return bool(shutil.disk_usage(place).free < ROOM_MB * 1_000_000)


@router.get("/healthz")
def healthz(request: Request) -> JSONResponse:
    """Whether it is well: database and disk."""
    faults = [
        words
        for words, wrong in (
            ("the database does not answer", request.app.state.pulse.down),
            ("the disk is full", lacks_room(request)),
        )
        if wrong
    ]
    if faults:
        return JSONResponse({"status": "; ".join(faults)}, 503)
    return JSONResponse({"status": "ok"})


@router.get("/readyz")
def readyz(request: Request) -> JSONResponse:
    """Whether a proxy may send requests here: the database answers, the server goes on."""
    if request.app.state.pulse.down or request.app.state.news.over:
        return JSONResponse({"status": "not ready"}, 503)
    return JSONResponse({"status": "ready"})
