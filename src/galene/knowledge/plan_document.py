"""What a version of a plan keeps and shows: its scope part by part, its bill, the advice of the
schools."""

from collections.abc import Mapping, Sequence
from typing import Any

from galene.core.airpath.family import EngineFamily, Part
from galene.core.chemistry.judge import STATES, WAYS, engine_of
from galene.core.errors import InputError
from galene.core.planning.case import Case, Trade
from galene.core.planning.document import PartSheet, PlanDocument, ReasonSaid, SchoolFollowed
from galene.core.planning.policy_keys import CODED_METER, HEALTHY_SENSOR, OXYGEN_SENSOR
from galene.core.planning.records import PartWork, Plan
from galene.core.planning.words import WORKS, Work
from galene.knowledge.agents import AGENTS
from galene.knowledge.bill import PriceList, bill_of
from galene.knowledge.codes import code_meaning
from galene.knowledge.components import COMPONENTS
from galene.knowledge.methods import CABLE_THROTTLE, METHODS
from galene.knowledge.policy import BY_LETTER, REPLACE_FROM_KM
from galene.knowledge.treatment import RELEARNED, ChosenAgent, Circumstances, chosen_agent


def document_of(
    case: Case,
    trade: Trade,
    plan: Plan,
    *,
    now: Circumstances,
    prices: PriceList,
    sources: Mapping[str, str],
    templates: Mapping[str, Mapping[str, Any]],
    extra_spares: Sequence[str] = (),
    other: float = 0.0,
) -> PlanDocument:
    """What a version of the plan keeps: the scope, the parts as they are treated, the bill.

    Parameters
    ----------
    now : what the car's history says beside its schools
    sources : where each school's choice comes from, in words
    templates : the workshop's own procedures and relearns, as they are kept
    other : what finds on the way cost beside the plan's own spares, in the shop's currency
    """
    bill = bill_of(plan, case.family, prices, extra_spares=extra_spares, other=other)
    works = tuple(
        PartWork(part=p.part, work=p.work, grade=p.grade, kind=p.kind) for p in plan.parts
    )
    return PlanDocument(
        works=works,
        extra_spares=tuple(extra_spares),
        parts=tuple(_sheet(case, trade, plan, now=now, work=w) for w in works),
        bill=bill,
        hands_minutes=plan.hands_on_minutes,
        elapsed_minutes=plan.elapsed_minutes,
        policy=dict(case.policy),
        sources=dict(sources),
        templates=dict(templates),
    )


def _sheet(
    case: Case, trade: Trade, plan: Plan, *, now: Circumstances, work: PartWork
) -> PartSheet:
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
        label=part.name,
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
        advice=advice_of(part, now),
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


def advice_of(part: Part, now: Circumstances) -> str:
    """What the schools say of replacing this part, empty where they say nothing."""
    far, policy = (now.distance_km or 0) >= REPLACE_FROM_KM, now.policy
    if part.component == "maf_sensor" and any(
        code_meaning(c).group == "code_maf" for c in now.codes
    ):
        if policy.get(CODED_METER) == "replace":
            return "School B: a code of the meter is stored, replace it at once."
        return "School B: clean once, retest, then decide."
    if part.component == "oxygen_sensor" and "downstream" not in part.features:
        if policy.get(OXYGEN_SENSOR) == "replace" and far:
            return f"School P: replace it from {REPLACE_FROM_KM:,.0f} km.".replace(",", " ")
        return "School P: test it first; upkeep only if it is slow."
    if COMPONENTS[part.component].sensor and policy.get(HEALTHY_SENSOR) == "replace" and far:
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
