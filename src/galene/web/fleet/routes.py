"""What is due when, by keeper, and its calendars at secret addresses."""

from datetime import timedelta

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from galene.exchange.calendar import calendar_of
from galene.jobs import fleet
from galene.jobs.act import Act
from galene.store.repositories import fleet as rows
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
SHOWN = 80
"""Vehicles on one page: the first due; a keeper's own are found by choosing them."""


def page(
    visit: Visit,
    keeper: str = "",
    *,
    status: int = 200,
    entered: Form | None = None,
    secret: str = "",
    **extra: object,
) -> HTMLResponse:
    """The list; `secret` is that of a calendar that was just opened, shown this once."""
    due = fleet.due_vehicles(visit.db, visit.now.date(), keeper[:200])
    counts = {s: sum(v.standing == s for v in due) for s in ("overdue", "soon", "here", "later")}
    return visit.page(
        "fleet.html",
        status,
        due=due[:SHOWN],
        left_out=max(0, len(due) - SHOWN),
        counts=counts,
        together=fleet.together_of(due)[:6],
        keepers=rows.keepers(visit.db),
        keeper=keeper,
        feeds=fleet.feeds_of(visit.db),
        address=f"{visit.request.base_url}calendar/{secret}.ics" if secret else "",
        today=visit.now.date(),
        week=timedelta(days=7),
        entered=entered,
        place="fleet",
        **extra,
    )


@router.get("/fleet")
def show(visit: Signed, keeper: str = "") -> HTMLResponse:
    return page(visit, keeper)


@router.post("/fleet/calendars")
def open_calendar(visit: Signed, form: Sent) -> Response:
    """Open a calendar: the answer is the page itself, as its address is shown only once."""
    made: list[str] = []

    def write(act: Act) -> None:
        made.append(fleet.open_feed(act, form.text("keeper")))

    answer = visit.submit(
        form,
        write,
        to="/fleet#calendars",
        shown=lambda faults: page(visit, status=422, entered=form, faults=faults),
    )
    return page(visit, secret=made[0]) if made else answer


@router.post("/fleet/calendars/{feed}/close")
def close_calendar(visit: Signed, feed: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        fleet.close_feed(act, feed)

    return visit.submit(form, write, to="/fleet#calendars")


@router.get("/calendar/{secret}.ics")
def calendar(request: Request, secret: str) -> Response:
    """The calendar of an address, for whoever knows it."""
    now = request.app.state.clock()
    with request.app.state.sessions() as db:
        feed = fleet.feed_by_secret(db, secret)
        if feed is None:
            return Response("No such calendar, or it was closed.", 404, media_type="text/plain")
        due = fleet.due_vehicles(db, now.date(), feed.keeper)
        text = calendar_of(due, f"Due: {feed.keeper or 'all vehicles'}", now)
    return Response(
        text,
        media_type="text/calendar",
        headers={"cache-control": "private, max-age=3600", "x-robots-tag": "noindex"},
    )
