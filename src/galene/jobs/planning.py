"""The planner for a job: its case from what is stored, its plan verified, its document for the
page."""

import json
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from threading import Lock
from types import MappingProxyType

from cachetools import LRUCache, cached

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.planning.case import Case, Trade
from galene.core.planning.document import (
    PlanDocument,
    WorkOffered,
)
from galene.core.planning.laws import Violation
from galene.core.planning.order import Segment, schedule
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, DoneStep, PartWork, Plan
from galene.core.planning.verify import verify
from galene.core.planning.words import Work
from galene.exchange.templates import TemplateSet
from galene.jobs.act import family_of
from galene.jobs.diagnosis import dangers_of
from galene.jobs.errors import Refused
from galene.jobs.minutes import timed_steps
from galene.jobs.rounds import FINISHED, is_running, on_the_car
from galene.jobs.templates import templates_of
from galene.knowledge.bill import PriceList
from galene.knowledge.plan_document import document_of, works_offered
from galene.knowledge.policy import DEFAULT_POLICY, POLICY_QUESTIONS
from galene.knowledge.treatment import Circumstances, judged_use, trade_for
from galene.store.models import Job, Workshop


@dataclass(frozen=True, kw_only=True)
class Planned:
    """A plan with what it was made from, for the page that shows it."""

    case: Case
    trade: Trade
    plan: Plan
    document: PlanDocument

    @property
    def strip(self) -> tuple[Segment, ...]:
        """The plan on its time line."""
        return schedule(self.plan.steps)


def policy_of(job: Job, workshop: Workshop) -> dict[str, str]:
    """The schools of a job: the shop's, over them the maker's for this family, over that the
    job's."""
    own = {k: v.choice for k, v in job.schools.items()}
    return {**DEFAULT_POLICY, **workshop.policy, **family_of(job).maker_says, **own}


def school_sources(job: Job) -> dict[str, str]:
    """Where each letter's choice comes from, in words."""
    maker = family_of(job).maker_says
    found = {}
    for school in POLICY_QUESTIONS:
        own = job.schools.get(school.letter)
        shop = "the maker" if school.letter in maker else "the shop"
        found[school.letter] = f"this job, {own.by}: {own.reason}" if own else shop
    return found


def seen_on(job: Job, part: str) -> tuple[int | None, str]:
    """Grade and kind of deposit of the look before the work."""
    look = next((k for k in job.looks if k.part == part and k.phase == "before"), None)
    return (look.grade, look.deposit) if look else (None, "")


def works_of(
    job: Job, parts: Sequence[str], kinds: Mapping[str, Work] = MappingProxyType({})
) -> tuple[PartWork, ...]:
    """The scope with the grade and kind that were seen; `kinds` are the kinds of work chosen."""
    works = []
    for part in parts:
        grade, deposit = seen_on(job, part)
        works.append(PartWork(part=part, work=kinds.get(part, "clean"), grade=grade, kind=deposit))
    return tuple(works)


def circumstances_of(job: Job, policy: Mapping[str, str]) -> Circumstances:
    """What the car's history says beside its schools."""
    return Circumstances(
        policy=policy,
        distance_km=job.distance_km,
        codes=tuple(c.code for c in job.codes if c.phase == "before"),
    )


def trade_of(job: Job, policy: Mapping[str, str], templates: TemplateSet) -> Trade:
    """What the trade says for this job, under the templates given."""
    return trade_for(
        family_of(job),
        circumstances_of(job, policy),
        procedures=templates.procedures,
        relearns=templates.relearns,
        own=tuple(templates.own.get("procedure", {})),
    )


def proven(
    case: Case, trade: Trade, done: Sequence[DoneStep] = (), *, resolved: Sequence[str] = ()
) -> Plan:
    """A plan that was verified.

    Raises
    ------
    InputError
        It can not be planned.
    Refused
        The verifier found a rule that does not hold: nothing is offered then.
    """
    plan = make_plan(case, trade, done)
    found = verify(
        plan,
        case.family,
        case.start,
        judge=judged_use,
        resolved=resolved,
        hazards=trade.hazards,
        done=len(done),
    )
    if found:
        raise Refused("This plan does not hold", [_said(v) for v in found[:4]])
    return plan


def _said(violation: Violation) -> str:
    return f"rule {violation.rule}, {violation.step}: {violation.text}"


def _same_plan(job: Job, case: Case, trade: Trade, *, templates: TemplateSet) -> Hashable:
    """All that decides a plan from the beginning."""
    now = circumstances_of(job, case.policy)
    return (
        id(case.family),
        case.works,
        tuple(sorted(case.policy.items())),
        (case.air, case.liquid),
        tuple(d.step.id for d in opened_before(job)),
        (now.distance_km, tuple(now.codes)),
        json.dumps(templates.own, sort_keys=True, default=str),
    )


@cached(LRUCache(maxsize=128), key=_same_plan, lock=Lock())
def _planned_before(
    job: Job, case: Case, trade: Trade, *, templates: TemplateSet
) -> tuple[EngineFamily, Plan]:
    """The plan of a case, made once while nothing of it changes: a plan's page is looked at again
    and again. The family is held beside it, so that its identity stays its own."""
    return case.family, proven(case, trade, opened_before(job))


def opened_before(job: Job) -> list[DoneStep]:
    """What was opened for checks before there is a card: a plan begins from the car as it is."""
    return [] if is_running(job) else on_the_car(job)


def planned(
    job: Job,
    works: Sequence[PartWork],
    workshop: Workshop,
    *,
    policy: Mapping[str, str] | None = None,
    extra_spares: Sequence[str] = (),
    air: Air | None = None,
    templates: TemplateSet | None = None,
) -> Planned:
    """The plan of a scope on this job, with its document.

    Raises
    ------
    InputError, Refused
        As `proven`.
    """
    policy = policy or policy_of(job, workshop)
    templates = templates or templates_of(job)
    air = air or Air(temperature_c=workshop.bay_temperature_c, humidity=workshop.bay_humidity)
    case = Case(
        family=family_of(job),
        works=tuple(works),
        policy=policy,
        air=air,
        start=FINISHED,
        liquid=bool(dangers_of(job)),
    )
    trade = trade_of(job, policy, templates)
    _, plan = _planned_before(job, case, trade, templates=templates)
    document = document_for(
        job,
        case,
        trade,
        plan=plan,
        workshop=workshop,
        templates=templates,
        extra_spares=extra_spares,
    )
    return Planned(case=case, trade=trade, plan=plan, document=document)


def document_for(
    job: Job,
    case: Case,
    trade: Trade,
    *,
    plan: Plan,
    workshop: Workshop,
    templates: TemplateSet,
    extra_spares: Sequence[str] = (),
    other: float = 0.0,
) -> PlanDocument:
    """What a version of a job's plan keeps, at the shop's prices."""
    return document_of(
        case,
        trade,
        plan,
        now=circumstances_of(job, case.policy),
        prices=PriceList(
            hourly_rate=workshop.hourly_rate,
            currency=workshop.currency,
            timed=timed_steps(job, plan),
            minutes_by=workshop.minutes_by,
        ),
        sources=school_sources(job),
        templates=templates.own,
        extra_spares=extra_spares,
        other=other,
    )


def priced_works(
    job: Job, works: Sequence[PartWork], workshop: Workshop, *, part: str
) -> tuple[WorkOffered, ...]:
    """What each other kind of work on a part would make of the plan: its minutes and price."""
    family = family_of(job)
    policy = policy_of(job, workshop)
    trade = trade_of(job, policy, templates_of(job))
    found = []
    for work in works_offered(family, trade, family.part(part)):
        others = [replace(w, work=work) if w.part == part else w for w in works]
        try:
            plan = planned(job, others, workshop)
        except (InputError, Refused):
            continue
        document = plan.document
        found.append(WorkOffered(work=work, minutes=document.hands_minutes, price=document.price))
    return tuple(found)
