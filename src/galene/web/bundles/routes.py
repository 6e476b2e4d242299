"""Jobs out as one file, streamed as it is made; in again after a look at what would come."""

from collections.abc import Iterator, Sequence
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from galene.exchange.bundles import written
from galene.jobs import bundles, bundles_out, bundles_seen
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.intake import plate_key
from galene.jobs.rights import Right
from galene.jobs.tables import TABLES, lines_of
from galene.store.models import Job
from galene.store.repositories import people
from galene.web.card import routes as work
from galene.web.day import routes as today
from galene.web.diagnosis import routes as diagnosis
from galene.web.evidence import routes as evidence
from galene.web.fleet import routes as fleet
from galene.web.handover import routes as handover
from galene.web.handover.routes import printed
from galene.web.intake import routes as intake
from galene.web.plan import routes as plan
from galene.web.proof import routes as prove
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute
from galene.web.vehicles import routes as vehicles

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """What may go out, and the form that takes in."""
    return visit.page(
        "bundles.html",
        status,
        numbers=bundles_out.chosen_or_none(visit.db),
        place="reference",
        **{"coming": None, "came": None, "staged": "", **extra},
    )


@router.get("/bundles")
def show(visit: Signed) -> HTMLResponse:
    return page(visit)


def sent(request: Request, numbers: Sequence[str], name: str) -> StreamingResponse:
    """A bundle, streamed: one job at a time is in memory. It has a session of its own, which lives
    as long as the answer."""
    state = request.app.state

    def pieces() -> Iterator[bytes]:
        with state.sessions() as db:
            shop = people.workshop(db)
            name_of_shop = shop.name

            def report(job: Job) -> bytes:
                shop = people.workshop(db)
                return printed(db, shop, job, paper="A4", store=state.pictures, now=state.clock())

            jobs = bundles_out.exported(db, numbers, state.pictures, report)
            yield from written(name_of_shop, jobs)

    return StreamingResponse(
        pieces(),
        media_type="application/zip",
        headers={"content-disposition": f'attachment; filename="{name}.zip"'},
    )


@router.get("/jobs/{number}/bundle.zip")
def of_job(visit: Signed, number: str) -> Response:
    return sent(visit.request, [visit.job(number).number], f"job-{visit.job(number).number}")


@router.get("/vehicles/{plate}/bundle.zip")
def of_vehicle(visit: Signed, plate: str) -> Response:
    numbers = bundles_out.chosen(visit.db, plate=plate)
    return sent(visit.request, numbers, f"vehicle-{plate_key(plate)}")


@router.get("/bundles/all.zip")
def of_all(visit: Signed) -> Response:
    return sent(visit.request, bundles_out.chosen(visit.db), "all-jobs")


@router.get("/bundles/some.zip")
def of_some(visit: Signed) -> Response:
    numbers = visit.request.query_params.getlist("job")[:2000]
    return sent(visit.request, bundles_out.chosen(visit.db, numbers=numbers or ["none"]), "jobs")


@router.get("/tables/{name}.csv")
def table(visit: Signed, name: str) -> Response:
    """A table as CSV, streamed."""
    if name not in TABLES:
        raise Missing(f"table {name[:40]}")
    sessions = visit.request.app.state.sessions

    def pieces() -> Iterator[str]:
        with sessions() as db:
            yield from lines_of(db, name)

    return StreamingResponse(
        pieces(),
        media_type="text/csv; charset=utf-8",
        headers={"content-disposition": f'attachment; filename="{name}.csv"'},
    )


OF_A_JOB = (
    intake.show,
    evidence.show,
    diagnosis.show,
    plan.show,
    work.show,
    prove.show,
    handover.show,
)


def pages_of(visit: Visit) -> bundles.Shown:
    """Makes every page on which a job stands, and those on which all do: what breaks one does not
    come in."""

    def make(job: Job | None) -> None:
        if job is None:
            fleet.show(visit)
            today.show(visit)
            return
        for show_job in OF_A_JOB:
            show_job(visit, job.number)
        vehicles.show(visit, job.vehicle.plate_key)

    return make


@router.post("/bundles/look")
def look(visit: Signed, form: SentFile) -> HTMLResponse:
    """What a bundle would bring. Nothing is kept but the file, for a day, to be taken in."""
    if not form.file:
        return page(visit, 422, faults={"file": "Choose a bundle."})
    act = Act(db=visit.db, person=visit.person, now=visit.now)
    try:
        store = visit.request.app.state.pictures
        found = bundles.coming(act, bundles_seen.read(form.file), store, pages_of(visit))
    except Invalid as fault:
        return page(visit, 422, faults=fault.fields)
    finally:
        visit.db.rollback()
        visit.db.refresh(visit.session)
    staged = visit.request.app.state.staging.put(form.file)
    return page(visit, coming=found, staged=staged)


@router.post("/bundles")
def take_in(visit: Signed, form: Sent) -> Response:
    """Take in what was looked at."""
    found: list[bundles_seen.BundleComing] = []

    def write(act: Act) -> None:
        act.needs(Right.BUNDLES_IN)
        data = visit.request.app.state.staging.get(form.text("staged"))
        if data is None:
            raise Invalid({"file": "That file waits no more: choose it again."})
        found.append(
            bundles.take_in(
                act,
                data,
                visit.request.app.state.pictures,
                renumber=form.text("renumber") == "yes",
            )
        )

    answer = visit.submit(
        form, write, to="/bundles", shown=lambda faults: page(visit, 422, faults=faults)
    )
    return page(visit, came=found[0]) if found else answer
