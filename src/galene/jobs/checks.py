"""Checks of a job: which can be done, what their figures say, what that changed in the ranking."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.assess import assess, is_heard, is_offered
from galene.core.diagnosis.inference import HEATED_C
from galene.core.diagnosis.measured import outside_pressure_kpa
from galene.core.diagnosis.records import Check
from galene.core.errors import InputError
from galene.core.planning.document import StepAnswers
from galene.core.planning.records import OpenItem, Step
from galene.exchange.calculations import calculate
from galene.jobs import evidence, log_checks, log_traces
from galene.jobs.act import Act, family_of
from galene.jobs.bands import with_own_bands
from galene.jobs.card import replan
from galene.jobs.diagnosis import case_of, opened_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.intake import STATES, observe
from galene.jobs.planning import policy_of
from galene.jobs.rounds import is_running, on_the_car, rows_of_round, start_of
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.check_access import CheckAccess, access_of, closed_again, unhooked
from galene.knowledge.check_readings import ALLOWS_JUMPER, READINGS
from galene.knowledge.components import COMPONENTS
from galene.store.models import CheckResult, ItemRow, Job, LogFile, StepRow, WaitRow
from galene.store.repositories import jobs, people


@dataclass(frozen=True)
class Changed:
    """What a check did to a cause: its chance without and with what the check showed."""

    cause: str
    without: float
    now: float


def find_check(check_id: str) -> Check:
    """A check of the vocabulary.

    Raises
    ------
    Missing
    """
    check = KNOWLEDGE.checks.get(check_id)
    if check is None:
        raise Missing(f"check {check_id[:40]}")
    return check


def why_not(check: Check, family: EngineFamily) -> str:
    """Why an engine can not have a check; empty where it can."""
    lacking = [COMPONENTS[c].title.lower() for c in check.components if c not in family.components]
    if lacking:
        return "this engine has no " + " and no ".join(lacking)
    if not check.possible_on(outline_of(family)):
        return (
            "it works on "
            + ", ".join(f"{v.replace('_', ' ')} engines" for v in check.only.values())
            + " only"
        )
    if not is_offered(check, outline_of(family), KNOWLEDGE):
        return "what it shows says nothing about this engine"
    return ""


def results_of(db: Session, job: Job, check_id: str, *, phase: str = "before") -> list[CheckResult]:
    """Kept results of a check on a job before or after the work, newest first."""
    return [r for r in jobs.check_results(db, job.id, check_id) if r.phase == phase]


def drive_said(db: Session, job: Job) -> str:
    """What the newest drive check of this job says, empty where there is none."""
    newest = next(iter(results_of(db, job, ALLOWS_JUMPER)), None)
    return str(newest.result.get("sentence", "")) if newest else ""


def jumper_allowed(db: Session, job: Job) -> bool:
    """Whether the newest drive check of this job allows a jumper."""
    newest = next(iter(results_of(db, job, ALLOWS_JUMPER)), None)
    return bool(newest and newest.result.get("jumper_allowed"))


def keep_check(
    act: Act,
    number: str,
    check_id: str,
    *,
    given: Mapping[str, Any],
    form: str = "",
    phase: str = "before",
) -> Job:
    """Read a check's figures by its calculation and keep what it says as evidence; after the work
    it proves it and changes no diagnosis.

    Parameters
    ----------
    given : the calculation's input
    form : how the test was driven, ``jumper`` or anything else
    phase : ``before`` or ``after`` the work

    Raises
    ------
    Missing, ReadOnly
    Refused
        A test after the work while none has begun.
    Invalid
        A figure that can not be, by its contract name; a jumper before the drive side is worked
        out.
    """
    job = act.job(number)
    check, reading = find_check(check_id), READINGS.get(check_id)
    if reading is None:
        raise Missing(f"worksheet of check {check_id[:40]}")
    reason = why_not(check, family_of(job))
    if reason:
        raise Invalid({"check": f"Not on this engine: {reason}."})
    if form == "jumper" and not jumper_allowed(act.db, job):
        raise Invalid(
            {
                "form": (
                    "No jumper yet: work out the drive side and the current first, on the check"
                    " “Trace the drive side”."
                )
            }
        )
    try:
        result = calculate(reading.calculation, dict(given))
    except InputError as fault:
        raise Invalid({fault.field: f"{fault.field}: allowed is {fault.allowed}."}) from fault
    said = {
        e: s
        for e, s in reading.says.get(result["verdict"], {}).items()
        if set(KNOWLEDGE.evidence[e].needs) <= family_of(job).components
    }
    if phase == "after":
        row = CheckResult(check_id=check_id, given=with_form(given, form), result=result)
        return _keep_after(act, job, row, said=said)
    for sign in sorted(reading.speaks_of):
        # What an earlier run said and this one does not say again no longer stands.
        if sign not in said and any(
            o.evidence == sign and o.source == "check" for o in job.observations
        ):
            observe(act, job, sign, state="unknown", source="check")
    for sign, (state, confidence) in said.items():
        observe(act, job, sign, state=state, source="check", confidence=confidence)
    if check_id not in job.done_checks:
        job.done_checks = [*job.done_checks, check_id]
    _keep(
        act,
        job,
        CheckResult(check_id=check_id, given=with_form(given, form), result=result),
        said=said,
    )
    return job


def filled_from_log(
    db: Session, job: Job, log: LogFile, check_id: str, *, altitude_m: float
) -> dict[str, Any]:
    """A check's input out of a log's rows, and what the log, the job and the family know beside
    them.

    Parameters
    ----------
    altitude_m : of the workshop

    Raises
    ------
    Missing
        A check that reads no trace, or channels that the log does not have.
    """
    filled: dict[str, Any] = dict(READINGS[check_id].fill(with_own_bands(db, family_of(job))))
    filled["csv"] = log_checks.rows_for_check(db, log, check_id)
    if check_id == "egr_flow_test":
        intake = log_traces.trace_of(db, log).mean("intake_c", 0, 1e9)
        if intake is not None:
            filled["intake_c"] = intake + HEATED_C
        filled["ambient_kpa"] = outside_pressure_kpa(
            evidence.measured(job, "before", "key_on"), altitude_m
        )
        filled |= {
            f"{s.kind}_{end}": at
            for s in log.segments
            if s.kind in ("closed", "open") and s.by_hand
            for end, at in (("from_s", s.start_s), ("to_s", s.end_s))
        }
    return filled


def with_form(given: Mapping[str, Any], form: str) -> dict[str, Any]:
    """A check's input, and how the test was driven where that is told."""
    return {**given, "form": form} if form else dict(given)


def look_after(act: Act, number: str, check_id: str, *, results: Mapping[str, str]) -> Job:
    """A look that is taken again after the work: evidence id to present, absent or unknown. The
    diagnosis stays as it was found.

    Raises
    ------
    Missing, ReadOnly
    Invalid
        What the check does not show, or nothing said.
    Refused
        No work has begun.
    """
    job = act.job(number)
    check = find_check(check_id)
    outline = outline_of(family_of(job))
    heard = {e for e in check.yields if is_heard(KNOWLEDGE.evidence[e], outline, KNOWLEDGE)}
    if any(e not in heard or s not in STATES for e, s in results.items()):
        raise Invalid({"result": "That is no result of this check."})
    if all(s == "unknown" for s in results.values()):
        raise Invalid({"result": "Say what the check showed."})
    said = {e: (s, 1.0) for e, s in results.items() if s != "unknown"}
    return _keep_after(act, job, CheckResult(check_id=check_id, given={}, result={}), said=said)


def _keep_after(
    act: Act, job: Job, row: CheckResult, *, said: Mapping[str, tuple[str, float]]
) -> Job:
    if job.work_began_at is None:
        raise Refused("Not after the work yet", ["the work has not begun: it would be a before"])
    row.phase = "after"
    _keep(act, job, row, said=said)
    return job


def _keep(act: Act, job: Job, row: CheckResult, *, said: Mapping[str, tuple[str, float]]) -> None:
    """Keep a run of a check, before or after the work, and trace it."""
    row.job_id, row.at, row.person_id = job.id, act.now, act.person.id
    row.said = {e: list(s) for e, s in said.items()}
    act.db.add(row)
    act.trace(
        job,
        "check_again" if row.phase == "after" else "check_read",
        check=row.check_id,
        verdict=row.result.get("verdict", ""),
        said={e: s[0] for e, s in said.items()},
    )
    act.db.flush()


def way_in(job: Job, check: Check, policy: Mapping[str, str]) -> CheckAccess:
    """How a check gets at what it looks at, from the car as it stands."""
    return access_of(
        check, family_of(job), start=start_of(job), done=on_the_car(job), policy=policy
    )


def hand_item(job: Job, check: Check) -> OpenItem | None:
    """What a check unhooks by hand on this car as it stands."""
    return unhooked(check, family_of(job))


def stands_open(job: Job) -> bool:
    """Whether something that was opened for a check stands open, and no card has taken it over."""
    return not is_running(job) and bool(opened_of(job))


def listed_for(job: Job, check_id: str) -> bool:
    """Whether what this check opens stands on the must-go-back list."""
    return stands_open(job) or any(
        i.key.startswith(f"hand:check:{check_id}:") and i.closed_at is None for i in job.items
    )


def open_for(act: Act, number: str, check_id: str) -> Job:
    """What a check opens is open on the car: its steps stand done, and everything of it on the
    must-go-back list, for the plan that follows. Twice is harmless.

    Raises
    ------
    Missing
        No such check.
    """
    job = act.job(number)
    check = find_check(check_id)
    policy = policy_of(job, people.workshop(act.db))
    item = hand_item(job, check)
    key = f"hand:check:{check_id}:{item.id}" if item else ""
    held = {i.key for i in job.items if i.closed_at is None}
    opened = []
    if item and key not in held:
        job.items.append(_row_of(act, replace(item, id=key)))
        opened.append(item.what)
    steps = way_in(job, check, policy).steps
    stand_done(act, job, steps)
    opened += [i.what for s in steps for i in s.opens]
    if opened:
        act.trace(job, "opened_for_check", check=check_id, items=opened)
        act.db.flush()
    if steps and is_running(job):
        replan(act, job, why=f"Opened for a check: {check.title}")
    return job


def close_after(act: Act, number: str) -> Job:
    """What was opened for checks is closed again, before any card has taken it over. Twice is
    harmless.

    Raises
    ------
    Refused
        A card is being worked on: it closes what is open.
    """
    job = act.job(number)
    if is_running(job):
        raise Refused("The card closes it", ["what is open is closed by the card's own steps"])
    steps = closed_again(
        family_of(job),
        start=start_of(job),
        done=on_the_car(job),
        policy=policy_of(job, people.workshop(act.db)),
    )
    stand_done(act, job, steps)
    if steps:
        act.trace(job, "closed_after_check", steps=[s.text for s in steps])
    return job


def stand_done(act: Act, job: Job, steps: Sequence[Step]) -> None:
    """Steps that were done without a card stand done on the car, before what is left of one."""
    if not steps:
        return
    rows = rows_of_round(job)
    left = [r for r in rows if r.done_at is None]
    at = max((r.position for r in job.steps if r.done_at), default=-1) + 1
    for i, row in enumerate(left):
        # Positions are unique: what is left makes room first, out of the way of what comes.
        row.position = at + len(steps) + 1_000 + i
    act.db.flush()
    if not left and job.work_began_at and job.card.next_first is None:
        # The round is over: what is opened now belongs to the next one.
        job.card = replace(job.card, next_first=at)
    # In the order in which they were done, after all that was done before them.
    last = max((r.done_at for r in job.steps if r.done_at), default=act.now)
    began = max(act.now, last + timedelta(microseconds=1))
    for position, step in enumerate(steps, at):
        job.steps.append(
            StepRow(
                position=position,
                document=step,
                records=StepAnswers(),
                done_at=began + timedelta(microseconds=position - at),
                done_by=act.person,
            )
        )
        for item in step.opens:
            job.items.append(_row_of(act, item))
        for item_row in job.items:
            if item_row.key in step.closes and item_row.closed_at is None:
                item_row.closed_at, item_row.closed_by_id = act.now, act.person.id
    act.db.flush()
    job.steps.sort(key=lambda r: r.position)


def _row_of(act: Act, item: OpenItem) -> ItemRow:
    return ItemRow(
        key=item.id,
        what=item.what,
        kind=item.kind,
        part=item.on or "",
        count=item.count,
        before=item.before,
        dangerous=item.dangerous,
        opened_at=act.now,
        opened_by=act.person,
        closed_at=None,
        closed_by_id=None,
    )


ISOLATION_MINUTES = 10.0
"""How long a sensor may stay unplugged for a test before the clock says so."""


def begin_isolation(act: Act, number: str, part_id: str) -> Job:
    """Unplug a sensor for a timed test: it goes on the must-go-back list before the road and the
    handover, and a wait runs.

    Raises
    ------
    Invalid
        A part that the family does not name as safe to unplug, one that is unplugged already, or a
        shop that does not do it.
    """
    job = act.job(number)
    part = next((p for p in family_of(job).parts if p.id == part_id and p.may_be_unplugged), None)
    if part is None:
        raise Invalid({"part": "Only a sensor that this engine family names as safe to unplug."})
    if policy_of(job, people.workshop(act.db)).get("Q") != "timed":
        raise Invalid(
            {
                "part": (
                    "School Q: this shop does not isolate by unplugging. Follow another school on"
                    " this job, with a reason, to do it as a timed test."
                )
            }
        )
    key = f"hand:isolation:{part.id}"
    if any(i.key == key and i.closed_at is None for i in job.items):
        raise Invalid({"part": f"{part.label} is unplugged already."})
    job.items.append(
        ItemRow(
            key=key,
            what=f"{part.label} plug, off for a test",
            kind="sensor unplugged",
            part=part.id,
            before="road test",
            opened_at=act.now,
            opened_by=act.person,
            closed_at=None,
            closed_by_id=None,
        )
    )
    job.waits.append(
        WaitRow(
            name=f"{part.label} unplugged",
            reason="A test, not a repair: plug it in when the time is over",
            started_at=act.now,
            ends_at=act.now + timedelta(minutes=ISOLATION_MINUTES),
            person_id=act.person.id,
        )
    )
    act.trace(job, "isolation_began", part=part.id)
    act.db.flush()
    return job


def what_it_changed(job: Job, check: Check, hourly_rate: float) -> list[Changed]:
    """The causes that a check's results moved by two percent and more, the most moved first."""
    case = case_of(job)
    reading = READINGS.get(check.id)
    mine = case.evidence.keys() & {*check.yields, *(reading.speaks_of if reading else ())}
    if not mine:
        return []
    bare = replace(case, evidence={e: o for e, o in case.evidence.items() if e not in mine})
    now, without = (
        {c.id: c.probability for c in assess(k, KNOWLEDGE, hourly_rate).causes}
        for k in (case, bare)
    )
    moved = [Changed(c, without.get(c, 0.0), now.get(c, 0.0)) for c in now | without]
    return sorted(
        (m for m in moved if abs(m.now - m.without) >= 0.02), key=lambda m: -abs(m.now - m.without)
    )[:5]
