"""Today: what should I do next?"""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.jobs.backups import is_old
from galene.jobs.owner import unanswered
from galene.jobs.recheck import rechecks
from galene.jobs.rights import Right
from galene.jobs.today import board, open_count, recently_finished
from galene.web.day.drawing import day_strip
from galene.web.shared.visit import Signed, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


@router.get("/")
def show(visit: Signed) -> HTMLResponse:
    standings = board(visit.db, visit.now)
    mine = (
        [s for s in standings if s.job.technician_id == visit.person.id]
        if visit.person.role == "technician"
        else []
    )
    lead = next((s for s in (*mine, *standings) if s.urgency <= 1), None)
    if visit.person.role == "foreman":
        lead = next((s for s in standings if s.urgency == 3), lead)
    return visit.page(
        "today.html",
        lead=lead,
        standings=standings,
        offered=[s.job for s in standings if s.job.passing.to == visit.person.id],
        finished=recently_finished(visit.db),
        asked=unanswered(visit.db),
        rechecks=rechecks(visit.db, visit.now),
        open_count=open_count(visit.db),
        fresh=not standings and not recently_finished(visit.db),
        backup_old=visit.may(Right.RUNNING)
        and visit.request.app.state.nightly is not None
        and is_old(visit.db, visit.now),
        place="today",
        strip=day_strip(standings, visit.now),
    )
