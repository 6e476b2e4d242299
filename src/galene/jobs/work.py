"""Stage 5: the job card: pick list, ticks with their consequences, steps left out, added, worded
anew."""

from dataclasses import replace

from galene.core.jobcard.job_records import BayAir, PickCheck, RelearnKept, RoadTest
from galene.core.planning.document import (
    CardState,
    PlanDocument,
    Resolution,
)
from galene.core.planning.records import (
    OwnStep,
    PartWork,
    Rewording,
    StateWords,
)
from galene.core.planning.words import Work
from galene.jobs.act import Act, family_of
from galene.jobs.card import (
    car_of,
    case_of,
    lay_out,
    replan,
    trade_of_card,
)
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.evidence import set_of
from galene.jobs.intake import check_text
from galene.jobs.plan import check_scope, schools_since
from galene.jobs.planning import proven
from galene.jobs.rights import Right
from galene.jobs.rounds import done_steps, rows_of_round
from galene.store.models import Job, StepRow

WORDS_MOST = 200
JOINED: dict[str, Work] = {"clean": "clean", "inspect": "inspect", "replace": "replace"}
"""Kinds of work with which a part joins a running round."""


def _check_bay(temperature_c: float, humidity: float, heat: str) -> None:
    faults = {}
    if not -20 <= temperature_c <= 60:
        faults["temperature"] = "A bay from −20 to 60 °C."
    if not 0 <= humidity <= 0.98:
        faults["humidity"] = "From 0 to 98 %."
    if heat not in ("cold", "warm"):
        faults["heat"] = "Cold or warm."
    if faults:
        raise Invalid(faults)


def _agreed(job: Job) -> PlanDocument:
    """The plan that was agreed to and can be laid out as it stands.

    Raises
    ------
    Refused
        Nobody agreed, the schools have changed since, or there is no before set.
    """
    if not job.plans or job.plans[0].approved_at is None:
        raise Refused("No approved plan", ["approve the newest version of the plan first"])
    document = job.plans[0].document
    check_scope(job, document.works)
    changed = schools_since(job)
    if changed:
        raise Refused(
            "The schools have changed since the plan",
            [
                f"school {x}: save the plan again, so that what was agreed is what is done"
                for x in changed
            ],
        )
    if set_of(job, "before", "idle") is None and not job.before_missing_reason:
        raise Refused(
            "The before set first",
            [
                "take it, or say on the evidence page why there is none: opening and clearing"
                " erase it"
            ],
        )
    return document


def _clear_former_round(act: Act, job: Job) -> None:
    """Of a round that was given up nothing is left to do on this car; after a proof that failed,
    start and relearn are asked for anew."""
    for row in [s for s in rows_of_round(job) if s.done_at is None]:
        job.steps.remove(row)
    act.db.flush()
    if job.work_began_at:
        job.engine_started_at, job.gates = None, {}
        job.relearn, job.pick = RelearnKept(), PickCheck()
        job.road_test, job.pending_read_at, job.codes_cleared_at = RoadTest(), None, None
        job.monitors_ready = None


def begin_work(
    act: Act, number: str, temperature_c: float, *, humidity: float, seen: int, heat: str = "warm"
) -> Job:
    """Lay the approved plan out as the job card. Twice is harmless.

    Parameters
    ----------
    temperature_c, humidity : the bay's air, degrees C and a share, which decide drying
    heat : how the engine stands now, ``cold`` or ``warm``: a warm one is left to cool where it must

    Raises
    ------
    Invalid, Refused, Stale, ReadOnly
    """
    job = act.job(number)
    if job.plans and job.bay_air.plan_version == job.plans[0].version:
        return job
    _check_bay(temperature_c, humidity, heat)
    document = _agreed(job)
    act.claim(job, "work", seen)
    job.bay_air = BayAir(
        temperature_c=temperature_c, humidity=humidity, plan_version=job.plans[0].version
    )
    if job.work_began_at and _stands_open(job):
        return _go_on_by(act, job, document)
    _clear_former_round(act, job)
    ended = max((s.position for s in job.steps), default=-1) + 1 if job.work_began_at else 0
    first = ended if job.card.next_first is None else job.card.next_first
    job.work_began_at = act.now
    job.card = CardState(
        first=first,
        start=StateWords(before_set=True, heat="cold" if heat == "cold" else "warm"),
        works=document.works,
    )
    # What was opened for a check stands open: the card begins from the car as it is.
    plan = proven(case_of(job), trade_of_card(job), done_steps(job))
    lay_out(act, job, plan.steps)
    act.trace(
        job,
        "work_began",
        steps=len(plan.steps),
        temperature_c=temperature_c,
        humidity=humidity,
        heat=heat,
    )
    return job


def _stands_open(job: Job) -> bool:
    """Whether the car stands as the round has left it: something open, off, low or without
    power."""
    rows = rows_of_round(job)
    if not rows or all(r.done_at for r in rows):
        return False
    car = car_of(job)
    moved = any(place != "mounted" for place in car.place.values())
    return bool(car.open) or moved or car.battery != "on" or car.coolant != "full"


def _go_on_by(act: Act, job: Job, document: PlanDocument) -> Job:
    """The round goes on by a new plan from the state as it is; a stop that it answers is
    resolved."""
    held = job.card.held
    resolved = job.card.resolved
    if held:
        by_plan = Resolution(
            record=held.record,
            reason=f"a new plan, version {job.plans[0].version}",
            by=act.person.name,
            at=act.now.isoformat(),
        )
        resolved = (*resolved, by_plan)
    job.card = replace(job.card, works=document.works, joined=(), resolved=resolved, held=None)
    act.trace(job, "plan_followed", version=job.plans[0].version, held=held.why if held else "")
    replan(act, job, why="The new plan is followed from the state as it is")
    return job


def current_step(job: Job) -> StepRow | None:
    """The first step that is not ticked."""
    return next((s for s in rows_of_round(job) if s.done_at is None), None)


def skipped(job: Job) -> list[StepRow]:
    """Steps that were jumped over: not ticked, with a later one ticked."""
    rows = rows_of_round(job)
    last = max((s.position for s in rows if s.done_at), default=-1)
    return [s for s in rows if s.done_at is None and s.position < last]


def parts_used(job: Job) -> list[str]:
    """Spares that went in: those of the steps that are done, and once none is left the extra
    ones."""
    used = [
        c for s in job.steps if s.done_at and not s.records.left_out for c in s.document.consumes
    ]
    if job.steps and all(s.done_at for s in job.steps) and job.plans:
        used += job.plans[0].document.extra_spares
    return list(dict.fromkeys(used))


def _step(job: Job, step_id: int) -> StepRow:
    row = next((s for s in job.steps if s.id == step_id), None)
    if row is None:
        raise Missing(f"step {step_id}: the card was planned anew, look at it again")
    return row


def add_step(act: Act, number: str, after_id: int, *, text: str, minutes: float | None) -> Job:
    """Put a step of one's own behind another that is not ticked over yet; it opens nothing.

    Raises
    ------
    Invalid
        ``step_text`` or ``step_minutes``.
    Refused
        Later steps are ticked already.
    """
    job = act.job(number)
    row = _step(job, after_id)
    check_text({"text": text})
    faults = {}
    if not 5 <= len(text.strip()) <= 300:
        faults["step_text"] = "Say what is done, in up to 300 characters."
    if minutes is None or not 0 < minutes <= 600:
        faults["step_minutes"] = "From one to 600 minutes."
    if faults:
        raise Invalid(faults)
    if any(s.done_at for s in job.steps if s.position > row.position):
        raise Refused(
            "That place is behind us",
            ["a later step is ticked already: put it behind the present one"],
        )
    own = OwnStep(
        id=f"added:{len(job.card.own_steps) + 1}",
        after=row.document.id,
        text=text.strip(),
        minutes=float(minutes or 0),
        by=act.person.name,
    )
    job.card = replace(job.card, own_steps=(*job.card.own_steps, own))
    act.trace(job, "step_added", text=own.text, minutes=minutes, after=own.after)
    replan(act, job, why=f"Added on the job: {own.text}")
    return job


def edit_step(act: Act, number: str, step_id: int, *, text: str, minutes: float | None) -> Job:
    """Word the present step anew for this job; what it opens, closes and asks for stays as it is.

    Raises
    ------
    Invalid
        ``edit_text`` or ``edit_minutes``.
    Refused
        It is ticked already.
    """
    job = act.job(number)
    row = _step(job, step_id)
    check_text({"text": text})
    faults = {}
    if not 5 <= len(text.strip()) <= 300:
        faults["edit_text"] = "Say what is done, in up to 300 characters."
    if minutes is None or not 0 <= minutes <= 600:
        faults["edit_minutes"] = "From none to 600 minutes."
    if faults:
        raise Invalid(faults)
    if row.done_at:
        raise Refused("It is ticked already", ["undo the tick first"])
    old = row.document
    first = old.was or Rewording(text=old.text, minutes=old.minutes, by="")
    row.document = replace(
        old,
        text=text.strip(),
        minutes=float(minutes or 0),
        was=replace(first, by=act.person.name),
    )
    act.trace(
        job,
        "step_edited",
        step=old.id,
        text=text.strip(),
        minutes=minutes,
        was=old.text,
        was_minutes=old.minutes,
    )
    act.db.flush()
    return job


def join(act: Act, number: str, part: str, *, work: str = "clean") -> Job:
    """“This one too, since it is open”: a part joins the scope of the running round.

    Raises
    ------
    Invalid
        ``join``: no such part, or it is in the scope.
    Refused
        It can not be planned in the state as it is.
    """
    job = act.job(number)
    known = {p.id for p in family_of(job).parts}
    have = {w.part for w in (*job.card.works, *job.card.joined)}
    if part not in known or part in have:
        raise Invalid({"join": "A part of this engine that is not in the scope yet."})
    if not any(s.done_at is None for s in rows_of_round(job)):
        raise Refused("The card is at its end", ["open a second round with a new plan"])
    chosen = JOINED.get(work)
    if chosen is None:
        raise Invalid({"join": "Clean, look only, or fit new."})
    joined = PartWork(part=part, work=chosen)
    job.card = replace(job.card, joined=(*job.card.joined, joined))
    act.trace(job, "part_joined", part=part, work=work)
    replan(act, job, why=f"{family_of(job).part(part).label} too, since it is open")
    return job


def resolve(act: Act, number: str, reason: str) -> Job:
    """A foreman lifts the stop that holds a job, with a reason that stands in the report.

    Raises
    ------
    NotAllowed
        Anybody but a foreman.
    Invalid
        ``resolve_reason``.
    """
    act.needs(Right.OVERRIDE)
    act.proves()
    job = act.job(number)
    held = job.card.held
    if held is None:
        return job
    check_text({"resolve_reason": reason})
    if not 10 <= len(reason.strip()) <= 400:
        raise Invalid({"resolve_reason": "Say what was found out and why it may go on."})
    lifted = Resolution(
        record=held.record,
        reason=reason.strip(),
        by=act.person.name,
        at=act.now.isoformat(),
    )
    job.card = replace(job.card, resolved=(*job.card.resolved, lifted), held=None)
    act.trace(job, "stop_lifted", record=held.record, why=held.why, reason=reason.strip())
    replan(act, job, why=f"Stop lifted by {act.person.name}: {reason.strip()}")
    return job
