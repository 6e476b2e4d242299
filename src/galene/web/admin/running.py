"""How is it running: disk, backup, database, queue, version; a foreman's page."""

import shutil
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene import __version__
from galene.jobs import backups
from galene.jobs.act import Act
from galene.jobs.errors import Refused
from galene.store.repositories import backups as backup_rows
from galene.store.repositories import running as rows
from galene.web.shared.visit import Sent, Signed, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def _disk(home: Any) -> dict[str, float]:
    found = shutil.disk_usage(home if home.exists() else home.parent)
    return {"free": found.free, "total": found.total}


@router.get("/running")
def show(visit: Signed) -> HTMLResponse:
    state = visit.request.app.state
    return visit.page(
        "running.html",
        place="running",
        version=__version__,
        disk=_disk(state.home),
        last=backup_rows.last_done(visit.db),
        old=backups.is_old(visit.db, visit.now),
        runs=backup_rows.newest(visit.db),
        plan=state.backup_plan,
        database=rows.database_facts(visit.db),
        tables=rows.largest_tables(visit.db),
        listening=state.news.count,
    )


@router.post("/running/backup")
def back_up(visit: Signed, form: Sent) -> Response:
    """Begin a backup; the page shows when it is done."""

    def write(act: Act) -> None:
        if visit.request.app.state.nightly is None:
            raise Refused("No backups here", ["this server was started without a folder for them"])
        act.trace(None, "backup_asked_for")

    answer = visit.submit(form, write, to="/running#backup")
    visit.request.app.state.nightly.back_up_now()
    return answer
