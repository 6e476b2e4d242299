"""Stage 6: clearing, relearn, after set, comparison, road test, pending codes."""

from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.jobcard.ready import PLACE_OF_ACT
from galene.core.proof.relearn import seconds_left
from galene.core.proof.road_run import ASKED
from galene.jobs import evidence, gates, live, live_relearn, proof, prove
from galene.jobs.act import Act, family_of, revision
from galene.jobs.card import first_left
from galene.jobs.errors import Invalid
from galene.jobs.live_routine import routine_now
from galene.jobs.rounds import rows_of_round
from galene.jobs.stages import PROVEN, lacks
from galene.knowledge import reading_channels
from galene.knowledge.live_guards import aims_of, limits_of
from galene.knowledge.relearns import READINESS
from galene.store.models import Job
from galene.web.proof.comparison import rows_of
from galene.web.proof.proving import proving_of
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form, FormModel, quantity
from galene.web.shared.live_strip import strip_of
from galene.web.shared.reading_tables import key_on_of_job, table_of
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def _asks(told: proof.Told, test: str) -> bool:
    """Whether a test proves one of the causes."""
    return any(t.test == test for cause in told.causes for t in cause.tests)


def context(visit: Visit, job: Job, form: Form | None = None) -> dict[str, Any]:
    """Everything on the proof page."""
    template, state = prove.template_of(job), prove.relearn_state(job)
    family = family_of(job)
    told = proof.told_of(visit.db, job, visit.shop)
    return {
        "job": job,
        "stage": "prove",
        "family": family,
        "template": template,
        "state": state,
        "relearns": prove.relearns_of(job),
        "ended": prove.relearns_done(job),
        "left": seconds_left(template, state, visit.now) if state and template else 0.0,
        "rows": [r for r in rows_of_round(job) if r.document.phase in PROVEN],
        "next_row": first_left(job),
        "relearn_due": prove.due_relearn(job),
        "readiness": READINESS.id in job.card.relearns,
        "act_places": PLACE_OF_ACT,
        "idle": table_of(visit, job, "after", kind="idle", form=form),
        "trim": table_of(visit, job, "after", kind="trim", form=form),
        "loads": reading_channels.loads_of(family),
        "proof": told.proof,
        "told": told,
        "proving": proving_of(job, told),
        "plot": rows_of(job, told, system=visit.shop.system),
        "symptoms": proof.symptoms_of(job),
        "key_on": key_on_of_job(job, "after") if _asks(told, "key_on_agreement") else None,
        "before_set": evidence.set_of(job, "before", "idle"),
        "blockers": gates.gate_blockers(job, "start", visit.now),
        "lacks": lacks(job, "prove"),
        "seen_road": revision(job, "road_test"),
        "seen_pending": revision(job, "pending"),
        "after_codes": prove.after_codes(job),
        "entered": form,
        "has_trims": reading_channels.has_trims(family),
        "picture": picture_of(family, job),
        "live": strip_of(visit, job, "prove"),
        "routine": routine_now(visit.db, job),
        "tells": told_by_the_car(visit, job),
        "road_asks": ASKED,
        "measures": bool(template and aims_of(family, template.id)),
    }


def told_by_the_car(visit: Visit, job: Job) -> list[str]:
    """Guards of the present hold that the car tells itself; none while it is gone through by
    hand."""
    template, state = prove.template_of(job), prove.relearn_state(job)
    if template is None or state is None or state.outcome != "running":
        return []
    if job.relearn.live is False or live.line_of_job(visit.db, job, visit.now).state == "none":
        return []
    return [g.guard for g in limits_of(family_of(job), template.phases[state.phase])]


def page(
    visit: Visit, job: Job, status: int = 200, *, form: Form | None = None, **extra: Any
) -> HTMLResponse:
    return visit.page("prove.html", status, **{**context(visit, job, form), **extra})


@router.get("/jobs/{number}/prove")
def show(visit: Signed, number: str) -> HTMLResponse:
    return page(visit, visit.job(number))


@router.post("/jobs/{number}/clear")
def clear(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        prove.clear_codes(act, number)

    return visit.submit(form, write, to=f"/jobs/{number}/prove#relearn")


@router.get("/jobs/{number}/relearn")
def relearn_part(visit: Signed, number: str) -> HTMLResponse:
    return visit.part("prove.html", "relearn", **context(visit, visit.job(number)))


@router.post("/jobs/{number}/relearn/{action}")
def relearn(visit: Signed, number: str, action: str, *, form: Sent) -> Response:
    there = f"/jobs/{number}/prove#relearn"
    try:
        with visit.setting() as act:
            if action == "begin":
                live_relearn.require_conditions(act, number)
                prove.relearn_begin(
                    act,
                    number,
                    {
                        k.removeprefix("condition:"): True
                        for k, _ in form.pairs
                        if k.startswith("condition:")
                    },
                    shown=form.text("template"),
                )
            elif action == "next":
                prove.relearn_next(
                    act, number, form.integer("phase", 99), shown=form.text("template")
                )
            elif action == "guard":
                prove.relearn_guard(
                    act,
                    number,
                    form.text("guard"),
                    phase=form.integer("phase", 99),
                    shown=form.text("template"),
                )
            elif action == "finish":
                prove.relearn_finish(
                    act, number, form.text("learned") == "yes", shown=form.text("template")
                )
            elif action == "by-hand":
                live_relearn.by_hand(act, number)
            elif action == "stop":
                prove.relearn_stop(act, number, shown=form.text("template"))
            elif action == "readiness":
                prove.ask_readiness(act, number)
            elif action == "skip":
                prove.relearn_skip(
                    act, number, form.text("skip_reason"), shown=form.text("template")
                )
    except Invalid as fault:
        return page(visit, visit.job(number), 422, form=form, faults=fault.fields)
    return visit.go(there)


class RoadTestForm(FormModel):
    """The road test as it was driven."""

    kilometres: Annotated[float | None, quantity("distance", "Distance")] = None
    notes: str = ""
    complaint_gone: str = ""
    override_reason: str = ""


@router.post("/jobs/{number}/road-test")
def road_test(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(RoadTestForm)
        prove.save_road_test(
            act,
            number,
            given.kilometres or 0.0,
            notes=given.notes,
            complaint_gone=given.complaint_gone,
            symptoms={
                k.removeprefix("symptom:"): v for k, v in form.pairs if k.startswith("symptom:")
            },
            seen=given.seen,
            override_reason=given.override_reason,
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/prove#road",
        shown=lambda faults: page(visit, visit.job(number), 422, form=form, faults=faults),
    )


@router.post("/jobs/{number}/pending")
def pending(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        if form.text("codes_after").strip() == "" and form.text("none") != "yes":
            raise Invalid({"codes_after": "Type the codes, or say that there are none."})
        prove.read_pending(
            act,
            number,
            form.text("codes_after"),
            seen=form.integer("seen"),
            monitors_ready={"yes": True, "no": False}.get(form.text("monitors")),
        )

    def shown(faults: dict[str, str]) -> HTMLResponse:
        faults = {("codes_after" if k == "codes" else k): v for k, v in faults.items()}
        return page(visit, visit.job(number), 422, form=form, faults=faults)

    return visit.submit(form, write, to=f"/jobs/{number}/prove#pending", shown=shown)
