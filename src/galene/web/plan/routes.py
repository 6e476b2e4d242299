"""Stage 4: scope with its kinds of work, method, pick list, time, price."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath.natures import kind_is
from galene.core.errors import InputError
from galene.core.jobcard.agreement import STANDING, WAYS
from galene.core.planning.records import PartWork
from galene.core.planning.words import WORKS
from galene.jobs import plan, spares
from galene.jobs.act import Act, family_of, revision
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Missing, Refused
from galene.jobs.families import bulletins_for
from galene.jobs.intake import save_bulletins
from galene.jobs.keep import kept_or_replaced
from galene.jobs.planning import (
    Planned,
    planned,
    policy_of,
    priced_works,
    school_sources,
    works_of,
)
from galene.jobs.rights import Right
from galene.jobs.stages import lacks
from galene.knowledge.components import COMPONENTS
from galene.knowledge.plan_document import works_offered
from galene.knowledge.policy import BY_LETTER
from galene.store.models import Job
from galene.web.plan.layers import stack_of
from galene.web.shared.airpath import chances_of, picture_of
from galene.web.shared.forms import FormModel, number, whole
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def asked_works(visit: Visit, job: Job) -> tuple[PartWork, ...]:
    """The newest plan's scope, else the one that the causes suggest."""
    if job.plans:
        kept = {w.part: w for w in job.plans[0].document.works}
        fresh = works_of(job, list(kept), {w.part: w.work for w in kept.values()})
        return fresh
    suggested = plan.suggested_works(family_of(job), assess_job(job, visit.shop.hourly_rate))
    return works_of(job, list(suggested), suggested)


def context(
    visit: Visit,
    job: Job,
    works: Sequence[PartWork] | None = None,
    *,
    extra: Sequence[str] | None = None,
) -> dict[str, Any]:
    """The plan page for a scope; without one, the newest plan's, else the one that causes
    suggest."""
    family = family_of(job)
    ranking = assess_job(job, visit.shop.hourly_rate)
    newest = job.plans[0] if job.plans else None
    as_saved = works is None
    if works is None:
        works = asked_works(visit, job)
        extra = newest.document.extra_spares if newest else ()
    order = {p.id: i for i, p in enumerate(family.parts)}
    works = sorted(works, key=lambda w: order[w.part])
    extra = [s.id for s in family.spares if s.id in (extra or ())]
    found, fault = _planned(visit, job, works, extra=extra)
    document = found.document if found else None
    access = plan.access_of(job, found) if found else None
    reachable = [p for p in family.parts if _offered(family, found, p.id)]
    chance = chances_of(family, ranking)
    letters = {s.letter for p in document.parts for s in p.schools} if document else set()
    same = (
        newest is not None
        and document is not None
        and {(w.part, w.work) for w in newest.document.works}
        == {(w.part, w.work) for w in document.works}
        and list(newest.document.extra_spares) == list(extra)
    )
    if as_saved and same and newest is not None and not plan.schools_since(job):
        # One and the same version everywhere: as it was saved, not as it would come out today.
        document = newest.document
    return {
        "job": job,
        "stage": "plan",
        "family": family,
        "parts": [w.part for w in works],
        "kinds": {w.part: w.work for w in (document.works if document else works)},
        "asked": {w.part: w.work for w in works},
        "document": document,
        "strip": found.strip if found else (),
        "steps": found.plan.steps if found else (),
        "proof": found.plan.proof if found else (),
        "plan_fault": fault,
        "access": access,
        "reachable": reachable,
        "offered": _works_offered(found, family) if found else {},
        "work_words": WORKS,
        "newest": newest,
        "agreed": plan.agreed_before(job),
        "same": same,
        "chance": chance,
        "suggested": {s.component: s for s in access.suggested} if access else {},
        "seen": revision(job, "plan"),
        "seen_schools": revision(job, "schools"),
        "lacks": lacks(job, "plan"),
        "picture": picture_of(family, job, {w.part: w.work for w in works}, chances=chance),
        "components": COMPONENTS,
        "stack": stack_of(family, access.operations, [w.part for w in works]) if access else None,
        "known_bulletins": bulletins_for(visit.db, job.family_id, job.vehicle),
        "optional": [s for s in family.spares if s.id not in order],
        "new_parts": extra,
        "stock": spares.against_stock(visit.db, job, document.bill.spares) if document else [],
        "letters": (
            [BY_LETTER[x] for x in sorted(letters | {"H", *job.schools})] if document else []
        ),
        "policy": policy_of(job, visit.shop),
        "sources": school_sources(job),
        "agreed_ways": [
            pair for pair in WAYS.items() if pair[0] != STANDING or visit.may(Right.SIGN)
        ],
    }


def _planned(
    visit: Visit, job: Job, works: Sequence[PartWork], *, extra: Sequence[str]
) -> tuple[Planned | None, str]:
    """The plan, or why there is none."""
    if not works:
        return None, ""
    try:
        return planned(job, works, visit.shop, extra_spares=extra), ""
    except InputError as fault:
        return None, f"{fault.value}: {fault.allowed}"
    except Refused as fault:
        return None, "; ".join(fault.reasons)


def _offered(family: Any, found: Planned | None, part_id: str) -> bool:
    reached = any(part_id in o.reaches or part_id == o.removes for o in family.operations)
    in_scope = found is not None and any(w.part == part_id for w in found.case.works)
    return reached or in_scope or kind_is(family.part(part_id).component, "oxygen")


def _works_offered(found: Planned, family: Any) -> dict[str, tuple[str, ...]]:
    """Kinds of work by part of the scope."""
    return {
        w.part: works_offered(family, found.trade, family.part(w.part)) for w in found.case.works
    }


def kinds_in(pairs: Sequence[tuple[str, str]]) -> dict[str, str]:
    """Kinds of work as a form sends them, by part."""
    return {k.removeprefix("work:"): v for k, v in pairs if k.startswith("work:")}


@router.get("/jobs/{number}/plan")
def show(visit: Signed, number: str) -> HTMLResponse:
    return visit.page("plan.html", **context(visit, visit.job(number)))


@router.get("/jobs/{number}/plan/draft")
def draft(visit: Signed, number: str, request: Request) -> HTMLResponse:
    query, job = request.query_params, visit.job(number)
    works = plan.read_works(job, query.getlist("parts"), kinds_in(query.multi_items()))
    return visit.part(
        "plan.html", "draft", **context(visit, job, works, extra=query.getlist("new_parts"))
    )


@router.get("/jobs/{number}/plan/works/{part}")
def works(visit: Signed, number: str, part: str, *, request: Request) -> HTMLResponse:
    """What each kind of work on a part would make of the plan: minutes and price."""
    query, job = request.query_params, visit.job(number)
    if part not in {p.id for p in family_of(job).parts}:
        raise Missing(f"part {part[:40]}")
    asked = plan.read_works(job, query.getlist("parts"), kinds_in(query.multi_items()))
    if not any(w.part == part for w in asked):
        asked = (*asked, *works_of(job, [part]))
    offered = priced_works(job, asked, visit.shop, part=part)
    return visit.page(
        "plan_works.html",
        job=job,
        stage="plan",
        part=family_of(job).part(part),
        offered=offered,
        work_words=WORKS,
        keep=kept_or_replaced(visit.db, job, visit.shop, part),
    )


@router.post("/jobs/{number}/plan")
def save(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        plan.save_plan(
            act,
            number,
            form.texts("parts"),
            extra_spares=form.texts("new_parts"),
            seen=form.integer("seen"),
            kinds=kinds_in(form.pairs),
        )

    def shown(faults: dict[str, str]) -> HTMLResponse:
        job = visit.job(number)
        known = [p for p in form.texts("parts") if p in {x.id for x in family_of(job).parts}]
        kept = works_of(job, known)
        page = {**context(visit, job, kept, extra=form.texts("new_parts")), "faults": faults}
        return visit.page("plan.html", 422, **page)

    return visit.submit(form, write, to=f"/jobs/{number}/plan#approve", shown=shown)


@router.get("/jobs/{number}/plan/compare")
def compare(visit: Signed, number: str, request: Request) -> HTMLResponse:
    """The same scope under another school, side by side with the job's own."""
    job = visit.job(number)
    family, query = family_of(job), request.query_params
    letter, choice = query.get("letter", ""), query.get("choice", "")
    school = BY_LETTER.get(letter)
    if school is None or choice not in dict(school.choices):
        raise Missing("such choice between schools")
    chosen = query.getlist("parts")
    works = plan.read_works(job, chosen, {}) if chosen else asked_works(visit, job)
    if job.plans:
        kinds = {w.part: w.work for w in job.plans[0].document.works}
        works = works_of(job, [w.part for w in works], kinds)
    if not works:
        raise Refused("Nothing to compare", ["choose a part of the scope first"])
    own = policy_of(job, visit.shop)
    sides: list[dict[str, Any]] = []
    for policy in (own, {**own, letter: choice}):
        found = planned(job, works, visit.shop, policy=policy)
        sides.append(
            {
                "choice": policy[letter],
                "document": found.document,
                "steps": found.plan.steps,
            }
        )
    texts = [{s.text for s in side["steps"]} for side in sides]
    for i, side in enumerate(sides):
        side["only"] = [s for s in side["steps"] if s.text not in texts[1 - i]]
    parts = [w.part for w in works]
    return visit.page(
        "compare.html",
        job=job,
        stage="plan",
        school=school,
        sides=sides,
        parts=parts,
        family=family,
        letter=letter,
        choice=choice,
        seen_schools=revision(job, "schools"),
    )


@router.post("/jobs/{number}/plan/school")
def school(visit: Signed, number: str, form: Sent) -> Response:
    location = (
        f"/jobs/{number}/checks/isolation_unplug"
        if form.text("back") == "check"
        else f"/jobs/{number}/plan#schools"
    )

    def write(act: Act) -> None:
        plan.override_school(
            act,
            number,
            form.text("letter"),
            choice=form.text("choice"),
            reason=form.text("reason"),
            seen=form.integer("seen_schools"),
        )

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: visit.page(
            "plan.html", 422, faults=faults, **context(visit, visit.job(number))
        ),
    )


class ApprovalForm(FormModel):
    """Who agreed to which version, up to which price."""

    version: Annotated[int, whole("Version")] = 0
    approved_by: str = ""
    approved_how: str = ""
    agreed_up_to: Annotated[float | None, number("Up to")] = None


@router.post("/jobs/{number}/plan/approve")
def approve(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(ApprovalForm)
        plan.agree(
            act,
            number,
            given.version,
            name=given.approved_by,
            way=given.approved_how,
            up_to=given.agreed_up_to,
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/plan#approve",
        shown=lambda faults: page_again(visit, number, faults),
    )


def page_again(visit: Visit, number: str, faults: dict[str, str]) -> HTMLResponse:
    """The plan's page with what could not be taken."""
    return visit.page("plan.html", 422, faults=faults, **context(visit, visit.job(number)))


@router.post("/jobs/{number}/bulletins")
def bulletins(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        save_bulletins(
            act, number, form.text("bulletins_source"), outcome=form.text("bulletins_outcome")
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/plan#approve",
        shown=lambda faults: visit.page(
            "plan.html", 422, faults=faults, **context(visit, visit.job(number))
        ),
    )
