"""Stage 5: the job card: pick list, ticks with their consequences, steps left out, added, worded
anew."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import timedelta

from galene.core.chemistry.judge import PROPERTIES
from galene.core.errors import InputError
from galene.core.job_records import BayAir, PickCheck, RelearnKept, RoadTest
from galene.core.must_go_back import COUNTED
from galene.core.planning.answers import base_id, consequence_of
from galene.core.planning.chain import steps_of
from galene.core.planning.document import (
    CardState,
    Given,
    PlanDocument,
    Resolution,
    StepAnswers,
)
from galene.core.planning.records import (
    OwnStep,
    PartWork,
    Record,
    Rewording,
    StateWords,
    Step,
)
from galene.core.planning.words import Work
from galene.core.units import QUANTITIES, parse_quantity
from galene.jobs import shelf, spares
from galene.jobs.act import Act, family_of
from galene.jobs.card import (
    PLACE_OF_ACT,
    asks_first,
    car_of,
    case_of,
    lay_out,
    refuse_held,
    refuse_state,
    replan,
    trade_of_card,
    waits_for_approval,
)
from galene.jobs.checks import jumper_allowed
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.evidence import save_look, set_of
from galene.jobs.gates import may_run, missing_pieces
from galene.jobs.intake import check_text
from galene.jobs.plan import check_scope, schools_since
from galene.jobs.planning import proven, rows_of_round
from galene.jobs.waits import running_waits
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import DEPOSIT_KINDS
from galene.store.models import Acknowledgement, Job, MustGoBack, StepRow, WaitRow

WORDS_MOST = 200
JOINED: dict[str, Work] = {"clean": "clean", "inspect": "inspect", "replace": "replace"}
"""Kinds of work with which a part joins a running round."""


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
    faults = {}
    if not -20 <= temperature_c <= 60:
        faults["temperature"] = "A bay from −20 to 60 °C."
    if not 0 <= humidity <= 0.98:
        faults["humidity"] = "From 0 to 98 %."
    if heat not in ("cold", "warm"):
        faults["heat"] = "Cold or warm."
    if faults:
        raise Invalid(faults)
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
    act.claim(job, "work", seen)
    job.bay_air = BayAir(
        temperature_c=temperature_c, humidity=humidity, plan_version=job.plans[0].version
    )
    if job.work_began_at and _stands_open(job):
        return _go_on_by(act, job, document)
    for row in [s for s in rows_of_round(job) if s.done_at is None]:
        # Of a round that was given up nothing is left to do on this car.
        job.steps.remove(row)
    act.db.flush()
    if job.work_began_at:
        # A second round, after a proof that failed: its start and its relearn are asked for anew.
        job.engine_started_at, job.gates = None, {}
        job.relearn, job.pick = RelearnKept(), PickCheck()
        job.road_test, job.pending_read_at, job.codes_cleared_at = RoadTest(), None, None
    job.work_began_at = act.now
    job.card = CardState(
        first=max((s.position for s in job.steps), default=-1) + 1,
        start=StateWords(before_set=True, heat="cold" if heat == "cold" else "warm"),
        works=document.works,
    )
    plan = proven(case_of(job), trade_of_card(job))
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


def goes_before(earlier: Step, later: Step) -> bool:
    """Whether a step that stands earlier on the card must be done before a later one.

    Only while parts lie open may one part's work be done before another's.
    """
    both = earlier.phase == later.phase == "clean"
    return not (both and earlier.part != later.part)


def before(job: Job, row: StepRow) -> list[StepRow]:
    """Steps that are not ticked yet and must go before this one."""
    left = [s for s in rows_of_round(job) if s.position < row.position and s.done_at is None]
    return [s for s in left if goes_before(s.document, row.document)]


def skipped(job: Job) -> list[StepRow]:
    """Steps that were jumped over: not ticked, with a later one ticked."""
    rows = rows_of_round(job)
    last = max((s.position for s in rows if s.done_at), default=-1)
    return [s for s in rows if s.done_at is None and s.position < last]


def pick_list(job: Job) -> list[tuple[str, str]]:
    """What must be at hand before the first step: id and words of spares, agents and tools."""
    if not job.plans:
        return []
    bill = job.plans[0].document.bill
    parts = [
        (f"spare:{s.id}", f"{s.name}, {s.number}" if s.number else s.name) for s in bill.spares
    ]
    agents = [
        (f"agent:{a.class_id}", f"{a.title}, {a.ml:.0f} ml{labelled(a.label)}") for a in bill.agents
    ]
    return [*parts, *agents, *((f"tool:{t}", t) for t in bill.tools)]


def labelled(label: Sequence[str]) -> str:
    """What a product's label must affirm, as words behind its name."""
    return f", {', '.join(PROPERTIES[word] for word in label)}" if label else ""


def picked(job: Job) -> bool:
    """Whether every thing of the pick list was looked for, what is missing accepted with a note."""
    return job.pick.at is not None or not pick_list(job)


def check_pick(act: Act, number: str, missing: Mapping[str, str]) -> Job:
    """Say that the pick list is here, but for what is missing, each with how the work goes on.

    Raises
    ------
    Invalid
        Something that is not on the list, a missing thing without a note.
    """
    job = act.job(number)
    words = dict(pick_list(job))
    check_text(dict(missing))
    faults = {k: "Not on the list." for k in missing if k not in words}
    faults |= {
        k: f"{words[k]}: say how it goes on without it, or stop here."
        for k, note in missing.items()
        if k in words and len(note.strip()) < 5
    }
    if faults:
        raise Invalid({f"pick:{k}": v for k, v in faults.items()})
    job.pick = PickCheck(
        at=act.now,
        by=act.person.name,
        missing={k: note.strip() for k, note in missing.items()},
    )
    noted = {words[k]: note.strip() for k, note in missing.items()}
    act.trace(job, "pick_checked", missing=noted)
    return job


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


def tick(
    act: Act, number: str, step_id: int, *, records: Mapping[str, str], early_reason: str = ""
) -> tuple[Job, bool]:
    """Tick a step: open and close its items, start its wait, keep its answers and do what they say.

    Returns
    -------
    tuple of Job and bool
        False when the step was ticked already: by a double tap, or by somebody else meanwhile.

    Raises
    ------
    Invalid
        A record that is missing.
    Refused
        Steps before it, a stop, a state of the car that it needs, a caution not acknowledged, a
        wait not over without a reason, an approval that is waited for.
    """
    job = act.job(number)
    row = _step(job, step_id)
    if row.done_at:
        return job, False
    step = row.document
    _ready(act, job, row, early_reason=early_reason)
    left = missing_pieces(job)
    if base_id(step.id) == "walk" and left:
        raise Refused(
            "Count again",
            [f"{COUNTED[what]}: {n} went in and did not come out" for what, n in left.items()],
        )
    kept = _answers(act, job, step, given=records)
    row.records, row.done_at, row.done_by = kept, act.now, act.person
    row.early_reason = early_reason.strip()
    _happens(act, job, step)
    said = {g.record: g.said for g in kept.given}
    act.trace(job, "step_done", step=step.id, records=said, early=early_reason.strip())
    act.db.flush()
    why = _turned(job, step, kept)
    if why:
        replan(act, job, why=why)
    return job, True


def _happens(act: Act, job: Job, step: Step) -> None:
    """What a step does besides its answers: items, its wait, what it uses up."""
    for item in step.opens:
        job.items.append(
            MustGoBack(
                key=item.id,
                what=item.what,
                kind=item.kind,
                part=item.on or step.part,
                count=item.count,
                before=item.before,
                dangerous=item.dangerous,
                opened_at=act.now,
                opened_by=act.person,
                closed_at=None,
                closed_by_id=None,
            )
        )
    for shown in job.items if step.closes else ():
        if shown.key in step.closes and shown.closed_at is None:
            shown.closed_at, shown.closed_by_id = act.now, act.person.id
    if step.wait and step.wait.minutes:
        job.waits.append(
            WaitRow(
                name=step.wait.id,
                reason=step.wait.why,
                started_at=act.now,
                ends_at=act.now + timedelta(minutes=step.wait.minutes),
                person_id=act.person.id,
            )
        )
    if step.agent:
        shelf.take_for_step(
            act,
            job,
            step.id,
            class_id=step.agent.class_id,
            ml=step.agent.ml,
            label=step.agent.label,
        )
    if step.consumes:
        spares.take(act, job, step.consumes)
    if step.does.codes == "cleared" and job.codes_cleared_at is None:
        job.codes_cleared_at = act.now


def _turned(job: Job, step: Step, kept: StepAnswers) -> str:
    """Why the plan changes by these answers, empty where it does not."""
    for record in step.records:
        given = kept.of(record.id)
        if given is None:
            continue
        consequence = consequence_of(record, given.said)
        if consequence and consequence.kind != "note":
            return f"{record.label}: {given.answer}. {consequence.text}"
        if record.name == "grade_before" and _other_method(job, step, given):
            return f"{record.label}: grade {given.answer}, another method than was planned."
    return ""


def _other_method(job: Job, step: Step, given: Given) -> bool:
    """Whether the grade that was found asks for other steps than those planned."""
    trade = trade_of_card(job)
    works = {w.part: w for w in (*job.card.works, *job.card.joined)}
    for part in step.treats or (step.part,):
        work = works.get(part)
        if work is None or work.work != "clean":
            continue
        found = replace(work, grade=int(given.answer), kind=given.deposit)
        now = trade.treat(work, off=False, opened=True)
        then = trade.treat(found, off=False, opened=True)
        if now.off != then.off or steps_of(now) != steps_of(then):
            return True
    return False


def _ready(act: Act, job: Job, row: StepRow, *, early_reason: str) -> None:
    step = row.document
    refuse_held(job, step)
    first = [s.document.text for s in before(job, row)]
    if first:
        raise Refused("Not this step yet", [f"first: {text}" for text in first[:3]])
    if step.act != "tick":
        raise Refused(
            "Not by a tick",
            [f"it is done on its own page: /jobs/{job.number}/{PLACE_OF_ACT[step.act]}"],
        )
    if not picked(job) and not any(s.done_at for s in rows_of_round(job)):
        raise Refused(
            "The pick list first",
            [
                "say that all of it is here, or what is missing: "
                "a job that stops half-way open costs the most"
            ],
        )
    refuse_state(job, step, "The car does not stand so yet")
    _cautions_read(job, step)
    if waits_for_approval(job) and asks_first(job.plans[0].document, step):
        raise Refused(
            "Ask first",
            ["it costs more than was agreed: the plan's new version waits for its approval"],
        )
    if step.worksheet == "actuator-drive-check" and not jumper_allowed(act.db, job):
        raise Refused(
            "No jumper yet",
            [
                "the check “Trace the drive side” of the diagnosis page must allow it first: "
                "side, current and fuse"
            ],
        )
    if step.does.engine == "running" or (
        step.needs.engine == "running" and step.phase == "running"
    ):
        may_run(job, step, act.now)
    _dry(act, job, step, early_reason=early_reason)


def _cautions_read(job: Job, step: Step) -> None:
    # Only what this step asks about is read from the database: a card waits for the answer.
    serious = [CAUTIONS[c] for c in step.cautions if c in CAUTIONS and CAUTIONS[c].serious]
    read = {a.caution for a in job.acknowledgements} if serious else set()
    unread = [c for c in serious if c.id not in read]
    if unread:
        lines = [f"{c.hazard}: {c.harm}. {c.do}" for c in unread]
        raise Refused("Read the caution first", lines)


def _dry(act: Act, job: Job, step: Step, *, early_reason: str) -> None:
    check_text({"early_reason": early_reason})
    if not step.waits_for or len(early_reason.strip()) >= 3:
        return
    wet = [w for w in running_waits(job, act.now) if w.name in step.waits_for]
    if wet:
        left = max((w.ends_at - act.now).total_seconds() for w in wet)
        text = (
            f"{wet[0].name} runs for {left / 60:.0f} more min: {wet[0].reason}. "
            "Wait, or say why it is ready."
        )
        raise Refused("Too early", [text], True)


def _answers(act: Act, job: Job, step: Step, *, given: Mapping[str, str]) -> StepAnswers:
    kept: list[Given] = []
    faults: dict[str, str] = {}
    for record in step.records:
        value = _value(given, record, "").strip()
        try:
            kept.append(_answer(given, record, value))
        except Invalid as fault:
            faults |= fault.fields
    if faults:
        raise Invalid(faults)
    for record, one in zip(step.records, kept, strict=True):
        if record.kind == "grade":
            phase = "after" if record.name == "grade_after" else "work"
            for part in step.treats or (step.part,):
                save_look(
                    act, job.number, phase, part_id=part, deposit=one.deposit, grade=int(one.answer)
                )
    return StepAnswers(given=tuple(kept))


def _value(given: Mapping[str, str], record: Record, what: str) -> str:
    """A field of a form, by the record's id or by its own name."""
    return given.get(f"{record.id}{what}", given.get(f"{record.name}{what}", ""))


def _answer(given: Mapping[str, str], record: Record, value: str) -> Given:
    if record.kind == "grade":
        deposit = _value(given, record, "_deposit").strip()
        if not (value.isdigit() and len(value) == 1 and int(value) <= 4):
            raise Invalid({record.id: "Choose the grade."})
        if int(value) >= 2 and deposit not in DEPOSIT_KINDS:
            raise Invalid({record.id: "Choose the kind of deposit."})
        return Given(
            record=record.id, answer=value, deposit=deposit if deposit in DEPOSIT_KINDS else ""
        )
    if record.kind == "reading":
        quantity = QUANTITIES[record.quantity]
        unit = _value(given, record, "_unit") or quantity.units[0].id
        try:
            figure = parse_quantity(record.id, value, quantity, default_unit=unit)
        except InputError as fault:
            raise Invalid({record.id: f"{record.label}: {fault.allowed}."}) from fault
        return Given(record=record.id, answer=f"{figure:g}", figure=figure)
    if record.kind == "words":
        check_text({record.id: value})
        if not 2 <= len(value) <= WORDS_MOST:
            raise Invalid({record.id: f"{record.label}: in up to {WORDS_MOST} characters."})
        return Given(record=record.id, answer=value)
    if value not in ("yes", "no"):
        raise Invalid({record.id: "Yes or no."})
    return Given(record=record.id, answer=value)


def may_be_left_out(step: Step) -> bool:
    """Whether a step may be left out: it moves, opens, closes and asks nothing that others rest
    on."""
    moves = step.opens or step.closes or step.takes_off or step.refits or step.sends
    changes = step.does != StateWords() or step.receives or step.wait or step.act != "tick"
    asked = any(r.kind == "yes_no" and _holds_back(r) for r in step.records)
    return not (moves or changes or asked)


def _holds_back(record: Record) -> bool:
    return any(c.kind in ("stop", "again", "replace", "more") for c in record.consequences)


def leave_out(act: Act, number: str, step_id: int, *, reason: str) -> Job:
    """Leave the present step out, with a reason. What others rest on is never left out.

    Raises
    ------
    Refused
        It is not the present step, or something rests on it.
    Invalid
        No reason.
    """
    job = act.job(number)
    row = _step(job, step_id)
    if row.done_at:
        return job
    check_text({"reason": reason})
    if len(reason.strip()) < 5:
        raise Invalid({"leave_out": "Say why: it stands in the record."})
    step = row.document
    if before(job, row):
        raise Refused("Not this step yet", [f"first: {before(job, row)[0].document.text}"])
    if step.phase == "safe" and not step.own and act.person.role != "foreman":
        raise Refused("Making safe is not left out", ["a foreman may, with the reason"])
    foreman = act.person.role == "foreman" and step.phase == "safe" and not step.opens
    if not may_be_left_out(step) and not foreman:
        raise Refused(
            "This step is not left out",
            ["something is opened, closed or moved by it, or its answer decides what follows"],
        )
    row.records = StepAnswers(left_out=reason.strip())
    row.done_at, row.done_by = act.now, act.person
    act.trace(job, "step_left_out", step=step.id, reason=reason.strip())
    act.db.flush()
    return job


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


def untick(act: Act, number: str, step_id: int) -> Job:
    """Undo the last tick: what it opened is off the list, what it closed stands open again, its
    wait ends, and what its answers changed is as it was.

    Raises
    ------
    Refused
        A later step is ticked already, or the engine was started.
    """
    job = act.job(number)
    row = _step(job, step_id)
    if row.done_at is None:
        return job
    done = [s for s in rows_of_round(job) if s.done_at]
    last = max(done, key=lambda s: (s.done_at, s.position), default=None)
    if last is not row:
        raise Refused("Only the last tick can be undone", ["a later step is ticked"])
    if job.engine_started_at:
        raise Refused("The engine has been started", ["open an item by hand instead"])
    step = row.document
    if step.act != "tick":
        raise Refused("It was not a tick", ["what was done on its own page is not undone here"])
    _happened_not(act, job, step)
    turned = _turned(job, step, row.records)
    row.done_at = row.done_by = None
    row.records, row.early_reason = StepAnswers(), ""
    act.trace(job, "step_undone", step=step.id)
    act.db.flush()
    if turned:
        replan(act, job, why=f"Undone: {turned}")
    return job


def _happened_not(act: Act, job: Job, step: Step) -> None:
    """Take back what a step did, by what it names."""
    opened = {i.id for i in step.opens}
    for item in list(job.items):
        if item.key in step.closes:
            item.closed_at = item.closed_by_id = None
        if item.key in opened:
            job.items.remove(item)
    for wait in list(job.waits):
        if step.wait and wait.name == step.wait.id:
            job.waits.remove(wait)
    if step.agent:
        shelf.give_back(act, job, step.id)
    if step.consumes:
        spares.give_back(act, job, step.consumes)
    if step.does.codes == "cleared":
        job.codes_cleared_at = None


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
    act.foreman()
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


def acknowledge(act: Act, number: str, caution: str) -> Job:
    """Somebody has read a serious caution; once per job is enough."""
    job = act.job(number)
    if caution not in CAUTIONS:
        raise Missing(f"caution {caution}")
    if caution not in {a.caution for a in job.acknowledgements}:
        job.acknowledgements.append(
            Acknowledgement(caution=caution, at=act.now, person_id=act.person.id)
        )
        act.trace(job, "caution_read", caution=caution)
        act.db.flush()
    return job
