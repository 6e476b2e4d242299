"""The planner for a job: its case from what is stored, its plan verified, its document for the
page."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

from galene.core.airpath import EngineFamily, Part
from galene.core.chemistry.judge import STATES, WAYS, engine_of
from galene.core.errors import InputError
from galene.core.planning.case import Case, Trade
from galene.core.planning.document import (
    PartSheet,
    PlanDocument,
    ReasonSaid,
    SchoolFollowed,
    WorkOffered,
)
from galene.core.planning.order import Segment, schedule
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, DoneStep, PartWork, Plan, StateWords
from galene.core.planning.verify import Violation, verify
from galene.core.planning.words import WORKS, Work
from galene.exchange.templates import TemplateSet
from galene.jobs.act import family_of
from galene.jobs.errors import Refused
from galene.jobs.templates import templates_of
from galene.knowledge.agents import AGENTS
from galene.knowledge.bill import PriceList, bill_of
from galene.knowledge.codes import code_meaning
from galene.knowledge.components import COMPONENTS
from galene.knowledge.methods import CABLE_THROTTLE, METHODS
from galene.knowledge.schools import (
    BY_LETTER,
    DEFAULT_POLICY,
    REPLACE_FROM_KM,
    SCHOOLS,
)
from galene.knowledge.treatment import (
    RELEARNED,
    ChosenAgent,
    Circumstances,
    chosen_agent,
    judged_use,
    trade_for,
)
from galene.store.models import Job, StepRow, Workshop

FINISHED = StateWords(before_set=True, heat="warm")
"""How a car stands when its evidence is taken: read warm, the before set in."""


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
    for school in SCHOOLS:
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
    found = verify(plan, case.family, case.start, judge=judged_use, resolved=resolved)
    if found:
        raise Refused("This plan does not hold", [_said(v) for v in found[:4]])
    return plan


def _said(violation: Violation) -> str:
    return f"rule {violation.rule}, {violation.step}: {violation.text}"


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
    )
    trade = trade_of(job, policy, templates)
    plan = proven(case, trade)
    document = document_of(
        job,
        case,
        trade,
        plan=plan,
        workshop=workshop,
        templates=templates,
        extra_spares=extra_spares,
    )
    return Planned(case=case, trade=trade, plan=plan, document=document)


def document_of(
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
    """What a version of the plan keeps: the scope, the parts as they are treated, the bill."""
    prices = PriceList(hourly_rate=workshop.hourly_rate, currency=workshop.currency)
    bill = bill_of(plan, case.family, prices, extra_spares=extra_spares, other=other)
    works = tuple(
        PartWork(part=p.part, work=p.work, grade=p.grade, kind=p.kind) for p in plan.parts
    )
    return PlanDocument(
        works=works,
        extra_spares=tuple(extra_spares),
        parts=tuple(_sheet(job, case, trade, plan=plan, work=w) for w in works),
        bill=bill,
        hands_minutes=plan.hands_on_minutes,
        elapsed_minutes=plan.elapsed_minutes,
        policy=dict(case.policy),
        sources=school_sources(job),
        templates=dict(templates.own),
    )


def _sheet(job: Job, case: Case, trade: Trade, *, plan: Plan, work: PartWork) -> PartSheet:
    """A part of the scope as the page shows it."""
    family, part = case.family, case.family.part(work.part)
    shown = next(p for p in plan.parts if p.part == work.part)
    procedure = shown.procedure or part.component
    method = METHODS.get(procedure, METHODS["inspect_only"])
    if part.component == "throttle_body" and "electronic" not in part.features:
        method = CABLE_THROTTLE if procedure == "throttle_body" else method
    agent = None
    asked = trade.treat(work, off=False, opened=shown.procedure != procedure)
    if work.work in ("clean", "upkeep") and procedure != "inspect_only":
        agent = chosen_agent(part, asked.tags, case.policy, engine=engine_of(case.family))
    text = method.text if work.work in ("clean", "upkeep") else _work_text(work.work, part)
    aside = any(o.removes == part.id and o.hangs for o in family.operations)
    where = ""
    if part.component == "throttle_body" and work.work == "clean":
        off = any(part.id in s.takes_off for s in plan.steps)
        loose = any(s.does.place.get(part.id) == "loose" for s in plan.steps)
        where = "laid aside" if loose and aside else "off the engine" if off else "on the engine"
    return PartSheet(
        part=part.id,
        label=part.label,
        work=work.work,
        text=text,
        why=method.why if work.work in ("clean", "upkeep") else "",
        where=where,
        schools=tuple(
            SchoolFollowed(letter=x, choice=BY_LETTER[x].title(case.policy.get(x, "")))
            for x in method.schools
        ),
        grade=work.grade,
        deposit=work.kind,
        minutes=shown.minutes,
        procedure=procedure,
        advice=advice_of(job, part, case.policy),
        left_out=shown.left_out,
        **_agent_fields(agent),  # type: ignore[arg-type]
    )


def _agent_fields(agent: ChosenAgent | None) -> dict[str, object]:
    if agent is None:
        return {}
    found = agent.judgement
    return {
        "agent": agent.class_id,
        "agent_title": AGENTS[agent.class_id].title,
        "way": WAYS[agent.way],
        "verdict": found.verdict,
        "reasons": tuple(ReasonSaid(rule=r.rule, text=r.text) for r in found.reasons),
        "conditions": tuple(STATES[c] for c in found.conditions),
        "protection": tuple(found.protective_equipment),
    }


def _work_text(work: Work, part: Part) -> str:
    texts = {
        "replace": "A new one goes in, compared with the old and tried",
        "repair": "The leak is found at its joint, mended there and tested there",
        "inspect": "Looked at and graded, not cleaned",
        "adjust": "Set and hooked as it should be, and asked why it was not",
        "relearn": "Learned anew, nothing taken off",
    }
    return texts.get(work, WORKS[work].capitalize())


def advice_of(job: Job, part: Part, policy: Mapping[str, str]) -> str:
    """What the schools say of replacing this part, empty where they say nothing."""
    far = (job.distance_km or 0) >= REPLACE_FROM_KM
    before = [c.code for c in job.codes if c.phase == "before"]
    if part.component == "maf_sensor" and any(code_meaning(c).group == "code_maf" for c in before):
        if policy.get("B") == "replace":
            return "School B: a code of the meter is stored, replace it at once."
        return "School B: clean once, retest, then decide."
    if part.component == "oxygen_sensor" and "downstream" not in part.features:
        if policy.get("P") == "replace" and far:
            return f"School P: replace it from {REPLACE_FROM_KM:,.0f} km.".replace(",", " ")
        return "School P: test it first; upkeep only if it is slow."
    if COMPONENTS[part.component].sensor and policy.get("O") == "replace" and far:
        return "School O: the access is open, put in a new one while there."
    return ""


def works_offered(family: EngineFamily, trade: Trade, part: Part) -> tuple[Work, ...]:
    """The kinds of work that are done on a part of this engine."""
    found: list[Work] = []
    for work in WORKS:
        if work == "relearn":
            if part.component in RELEARNED:
                found.append(work)
            continue
        try:
            treatment = trade.treat(PartWork(part=part.id, work=work), off=False, opened=True)
        except InputError:
            continue
        if treatment.work.work == work:
            found.append(work)
    return tuple(found)


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


def rows_of_round(job: Job) -> list[StepRow]:
    """The card's steps of the present round, in their order."""
    return [s for s in job.steps if s.position >= job.card.first]


def done_steps(job: Job) -> list[DoneStep]:
    """What is done of the round, in the order in which it was done, with its answers."""
    rows = [s for s in rows_of_round(job) if s.done_at]
    rows.sort(key=lambda s: (s.done_at, s.position))
    return [
        DoneStep(
            step=r.document,
            answers={g.record: g.said for g in r.records.given},
            left_out=bool(r.records.left_out),
        )
        for r in rows
    ]
