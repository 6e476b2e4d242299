"""Stage 3: the job as a case, its assessment, and results of checks entered by hand."""

from threading import Lock
from typing import Any

from cachetools import LRUCache, cached

from galene.core.airpath.access import ways_in
from galene.core.airpath.family import EngineFamily
from galene.core.calculations.repair_sequence import (
    Action,
    RepairInput,
    RepairResult,
    repair_sequence,
)
from galene.core.diagnosis.assess import assess, standing_dangers
from galene.core.diagnosis.records import Assessment, Case, Observation
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing
from galene.jobs.intake import STATES, observe
from galene.jobs.rounds import on_the_car
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.check_access import open_operations
from galene.knowledge.policy import DEFAULT_POLICY
from galene.knowledge.work_minutes import work_minutes
from galene.store.models import Job

DUTY = ("short_trips", "long_idle_or_pto", "dusty_use")


def opened_of(job: Job) -> tuple[str, ...]:
    """Operations of access that stand open on the car, by the steps that are done on it."""
    return open_operations(on_the_car(job))


def case_of(job: Job) -> Case:
    """What is known of a job as a case. Steps that are ticked have opened their access."""
    return Case(
        engine=outline_of(family_of(job)),
        evidence={
            o.evidence: Observation(o.state, o.confidence)
            for o in job.observations
            if o.evidence in KNOWLEDGE.evidence
        },
        codes=tuple(c.code for c in job.codes if c.phase == "before"),
        distance_km=job.distance_km,
        hours=job.hours,
        duty=tuple(
            o.evidence for o in job.observations if o.evidence in DUTY and o.state == "present"
        ),
        access_open=opened_of(job),
        done_checks=tuple(job.done_checks),
    )


def dangers_of(job: Job) -> tuple[str, ...]:
    """Dangers that forbid to turn the engine, but for those that the card itself has settled by
    pressing the part."""
    pressed = {
        family_of(job).part(s.document.part).component
        for s in job.steps
        if s.done_at and s.document.part and "press_air" in s.document.acts
    }
    return tuple(
        rule.text
        for rule in standing_dangers(case_of(job), KNOWLEDGE)
        if rule.forbids_start and not pressed & set(rule.components)
    )


def assess_job(job: Job, hourly_rate: float) -> Assessment:
    """The ranking of a job as it stands; the same case is weighed once."""
    return _weighed(job, case_of(job), hourly_rate)


def _same_case(job: Job, case: Case, hourly_rate: float) -> tuple[Any, ...]:
    return (
        job.family_version.digest if job.family_version else "",
        case.engine,
        tuple(sorted(case.evidence.items(), key=lambda e: e[0])),
        case.distance_km,
        case.hours,
        case.access_open,
        case.done_checks,
        hourly_rate,
    )


@cached(LRUCache(maxsize=500), key=_same_case, lock=Lock())
def _weighed(job: Job, case: Case, hourly_rate: float) -> Assessment:
    family = family_of(job)
    return assess(
        case,
        KNOWLEDGE,
        hourly_rate,
        access=ways_in(family, case.access_open),
        work_minutes=minutes_of(family, job.family_version.digest if job.family_version else ""),
    )


@cached(LRUCache(maxsize=100), key=lambda family, digest: digest, lock=Lock())
def minutes_of(family: EngineFamily, digest: str) -> dict[str, float]:
    """Minutes of mending each cause on this version of a family, computed once."""
    return work_minutes(family, DEFAULT_POLICY)


MOST_COMPARED = 4
"""Causes that are weighed against new parts: with a new part beside each, the order is still
exact."""


def against_new_parts(job: Job, ranking: Assessment, hourly_rate: float) -> RepairResult | None:
    """The order of repair among mending and replacing, against new parts first; None where no part
    of the leading causes has a price.

    Ids are cause ids for what mends a cause, ``new:<part>`` for a new part, which mends all causes
    of its kind.
    """
    family, ways = family_of(job), ways_in(family_of(job), opened_of(job))
    chances = {c.id: c.probability for c in ranking.causes}
    leading = [r for r in ranking.repair_order if r.probability >= 0.05 and r.action != "refer_on"]
    leading = sorted(leading, key=lambda r: -r.probability)[:MOST_COMPARED]
    taken = minutes_of(family, job.family_version.digest if job.family_version else "")
    actions, priced = [], {s.id: s.price for s in family.spares}
    for repair in leading:
        cause = KNOWLEDGE.causes[repair.cause]
        way = list(ways.get(cause.component, ()))
        actions.append(
            Action(
                id=cause.id,
                mends=[cause.id],
                success=1.0,
                minutes=taken.get(cause.id, cause.minutes),
                parts_cost=cause.cost,
                access=way,
            )
        )
        part = next((p for p in family.parts if p.component == cause.component), None)
        if (
            part is not None
            and part.id in priced
            and all(a.id != f"new:{part.id}" for a in actions)
        ):
            mends = [
                r.cause for r in leading if KNOWLEDGE.causes[r.cause].component == cause.component
            ]
            actions.append(
                Action(
                    id=f"new:{part.id}",
                    mends=mends,
                    success=1.0,
                    minutes=cause.minutes,
                    parts_cost=priced[part.id],
                    access=way,
                    replaces=True,
                )
            )
    if not any(a.id.startswith("new:") for a in actions):
        return None
    minutes = {operation: m for way in ways.values() for operation, m in way.items()}
    return repair_sequence(
        RepairInput(
            actions=actions,
            posterior={r.cause: chances[r.cause] for r in leading},
            hourly_rate=hourly_rate,
            access_minutes=minutes,
        )
    )


def record_check(act: Act, number: str, check_id: str, *, results: dict[str, str]) -> Job:
    """Results of a check by hand: evidence id to present, absent or unknown. Setting the same again
    changes nothing."""
    job = act.job(number)
    check = KNOWLEDGE.checks.get(check_id)
    if check is None:
        raise Missing(f"check {check_id}")
    wrong = [e for e in results if e not in check.yields] + [
        s for s in results.values() if s not in STATES
    ]
    if wrong:
        raise Invalid({"result": f"{wrong[0]} is no result of this check."})
    if all(s == "unknown" for s in results.values()):
        raise Invalid({"result": "Say what the check showed."})
    for evidence, state in results.items():
        observe(act, job, evidence, state=state, source="check")
    if check_id not in job.done_checks:
        job.done_checks = [*job.done_checks, check_id]
    act.trace(job, "check_done", check=check_id, results=results)
    return job
