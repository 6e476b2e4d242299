"""Stage 5: the job card: pick list, ticks, steps jumped over, left out, added, worded anew."""

from collections.abc import Mapping
from dataclasses import asdict
from datetime import timedelta
from typing import Any

from galene.core.errors import InputError
from galene.core.must_go_back import COUNTED
from galene.core.procedures import Air, Policy, Step, goes_before
from galene.core.units import QUANTITIES, parse_quantity
from galene.jobs import shelf
from galene.jobs.act import Act
from galene.jobs.checks import jumper_allowed
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.evidence import save_look
from galene.jobs.found import waits_for_approval
from galene.jobs.gates import may_run, missing_pieces
from galene.jobs.intake import check_text
from galene.jobs.plan import check_scope, schools_since, steps_for
from galene.jobs.templates import frozen_book
from galene.jobs.waits import running_waits
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import DEPOSIT_KINDS
from galene.store.models import Acknowledgement, Job, MustGoBack, StepRow, WaitRow, Workshop


def begin_work(act: Act, number: str, temperature_c: float, humidity: float, seen: int) -> Job:
    """Compile the approved plan into the job card, with the bay's air deciding the drying. Twice is harmless.

    Raises
    ------
    Invalid, Refused, Stale, ReadOnly
    """
    job = act.job(number)
    if job.plans and job.bay_air.get("plan_version") == job.plans[0].version:
        return job
    faults = {}
    if not -20 <= temperature_c <= 60:
        faults["temperature"] = "A bay from −20 to 60 °C."
    if not 0 <= humidity <= 0.98:
        faults["humidity"] = "From 0 to 98 %."
    if faults:
        raise Invalid(faults)
    if not job.plans or job.plans[0].approved_at is None:
        raise Refused("No approved plan", ["approve the newest version of the plan first"])
    parts = [p["part"] for p in job.plans[0].document["parts"]]
    check_scope(job, parts)
    changed = schools_since(job)
    if changed:
        raise Refused(
            "The schools have changed since the plan",
            [f"school {x}: save the plan again, so that what was agreed is what is done" for x in changed],
        )
    act.claim(job, "work", seen)
    workshop, air = act.db.get_one(Workshop, 1), Air(temperature_c, humidity)
    steps = steps_for(job, parts, workshop, air, Policy(job.plans[0].document["policy"]), frozen_book(job.plans[0]))
    job.bay_air = {"temperature_c": temperature_c, "humidity": humidity, "plan_version": job.plans[0].version}
    if job.work_began_at:
        # A second round, after a proof that failed: its start and its relearn are asked for anew.
        job.engine_started_at, job.gates, job.relearn, job.pick = None, {}, {}, {}
        job.road_test, job.pending_read_at = {}, None
    job.work_began_at = act.now
    for position, step in enumerate(steps, len(job.steps)):
        act.db.add(StepRow(job_id=job.id, position=position, document=asdict(step), records={}, done_at=None, done_by_id=None))
    act.db.flush()
    act.db.expire(job, ["steps"])
    act.trace(job, "work_began", steps=len(steps), temperature_c=temperature_c, humidity=humidity)
    return job


def current_step(job: Job) -> StepRow | None:
    """The first step that is not ticked."""
    return next((s for s in job.steps if s.done_at is None), None)


def before(job: Job, row: StepRow) -> list[StepRow]:
    """Steps that are not ticked yet and must go before this one."""
    left = [s for s in job.steps if s.position < row.position and s.done_at is None]
    return [s for s in left if goes_before(s.document["phase"], s.document["part"], row.document["phase"], row.document["part"])]


def skipped(job: Job) -> list[StepRow]:
    """Steps that were jumped over: not ticked, with a later one ticked."""
    last = max((s.position for s in job.steps if s.done_at), default=-1)
    return [s for s in job.steps if s.done_at is None and s.position < last]


def pick_list(job: Job) -> list[tuple[str, str]]:
    """What must be at hand before the first step: id and words of spares, agents and tools of the plan."""
    document = job.plans[0].document if job.plans else {}
    spares = [(f"spare:{s['id']}", f"{s['name']}, {s['number']}") for s in document.get("spares", [])]
    agents = [(f"agent:{a['id']}", f"{a['title']}, {a['ml']:.0f} ml") for a in document.get("agents", [])]
    return [*spares, *agents, *((f"tool:{t}", t) for t in document.get("tools", []))]


def picked(job: Job) -> bool:
    """Whether every thing of the pick list was looked for, what is missing accepted with a note."""
    return bool(job.pick.get("at")) or not pick_list(job)


def check_pick(act: Act, number: str, missing: Mapping[str, str]) -> Job:
    """Say that the pick list is here, but for what is missing, each with a note how the work goes on without it.

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
    job.pick = {"at": act.now.isoformat(), "by": act.person.name, "missing": {k: note.strip() for k, note in missing.items()}}
    act.trace(job, "pick_checked", missing={words[k]: note.strip() for k, note in missing.items()})
    return job


def parts_used(job: Job) -> list[str]:
    """Spares that went in: those of the steps that are done, and once none is left the new parts that were planned beside them."""
    used = [c for s in job.steps if s.done_at and not s.records.get("left_out") for c in s.document["consumes"]]
    if job.steps and all(s.done_at for s in job.steps) and job.plans:
        used += job.plans[0].document.get("new_parts", [])
    return list(dict.fromkeys(used))


def _step(job: Job, step_id: int) -> StepRow:
    row = next((s for s in job.steps if s.id == step_id), None)
    if row is None:
        raise Missing(f"step {step_id}")
    return row


def tick(act: Act, number: str, step_id: int, records: dict[str, str], early_reason: str = "") -> tuple[Job, bool]:
    """Tick a step: open and close its items, start its wait, keep its records.

    Returns
    -------
    tuple of Job and bool
        False when the step was ticked already: by a double tap, or by somebody else meanwhile.

    Raises
    ------
    Invalid
        A record that is missing.
    Refused
        Steps before it that close or make safe, a caution not acknowledged, a wait not over without a reason.
    """
    job = act.job(number)
    row = _step(job, step_id)
    if row.done_at:
        return job, False
    step = row.document
    _ready(act, job, row, early_reason)
    left = missing_pieces(job)
    if step["key"] == "walk" and left:
        raise Refused("Count again", [f"{COUNTED[what]}: {n} went in and did not come out" for what, n in left.items()])
    kept = _records(act, job, step, records)
    row.records, row.done_at, row.done_by, row.early_reason = kept, act.now, act.person, early_reason.strip()
    for item in step["opens"]:
        act.db.add(
            MustGoBack(job_id=job.id, key=item["key"], what=item["what"], kind=item["kind"], part=item["part"], count=item["count"],
                       before=item["before"], dangerous=item["dangerous"], opened_at=act.now, opened_by_id=act.person.id, closed_at=None, closed_by_id=None)
        )  # fmt: skip
    for item in job.items if step["closes"] else ():
        if item.key in step["closes"] and item.closed_at is None:
            item.closed_at, item.closed_by_id = act.now, act.person.id
    if step["wait_name"] and step["wait_minutes"]:
        act.db.add(
            WaitRow(job_id=job.id, name=step["wait_name"], reason=step["wait_reason"], started_at=act.now,
                    ends_at=act.now + timedelta(minutes=step["wait_minutes"]), person_id=act.person.id)
        )  # fmt: skip
    if step["agent"]:
        shelf.take_for_step(act, job, step["key"], step["agent"], step["agent_ml"])
    act.trace(job, "step_done", step=step["key"], records=kept, early=early_reason.strip())
    act.db.flush()
    # Read again only what this tick added to: the answer waits for it.
    if step["opens"] or step["wait_name"]:
        act.db.expire(job, ["items", "waits"])
    return job, True


def _ready(act: Act, job: Job, row: StepRow, early_reason: str) -> None:
    step = row.document
    first = [s.document["text"] for s in before(job, row)]
    if first:
        raise Refused("Not this step yet", [f"first: {text}" for text in first[:3]])
    if not picked(job) and not any(s.done_at for s in job.steps):
        raise Refused(
            "The pick list first", ["say that all of it is here, or what is missing: a job that stops half-way open costs the most"]
        )
    # Only what this step asks about is read from the database: a card waits for the answer.
    serious = [CAUTIONS[c] for c in step["cautions"] if c in CAUTIONS and CAUTIONS[c].serious]
    read = {a.caution for a in job.acknowledgements} if serious else set()
    unread = [c for c in serious if c.id not in read]
    if unread:
        raise Refused("Read the caution first", [f"{c.hazard}: {c.harm}. {c.do}" for c in unread])
    if step["key"].startswith("found:") and waits_for_approval(job):
        raise Refused("Ask first", ["what was found costs more than was agreed: the plan's new version waits for its approval"])
    if step.get("worksheet") == "actuator-drive-check" and not jumper_allowed(act.db, job):
        raise Refused(
            "No jumper yet", ["the check “Trace the drive side” of the diagnosis page must allow it first: side, current and fuse"]
        )
    if "engine_warm_running" in step["needs"]:
        may_run(job, step, act.now)
    check_text({"early_reason": early_reason})
    wet = [w for w in running_waits(job, act.now) if w.name in step["after_waits"]] if step["after_waits"] else []
    if wet and len(early_reason.strip()) < 3:
        left = max((w.ends_at - act.now).total_seconds() for w in wet)
        raise Refused(
            "Too early", [f"{wet[0].name} runs for {left / 60:.0f} more min: {wet[0].reason}. Wait, or say why it is ready."], True
        )


def _records(act: Act, job: Job, step: dict[str, Any], given: dict[str, str]) -> dict[str, Any]:
    kept: dict[str, Any] = {}
    faults: dict[str, str] = {}
    grades: list[tuple[str, str, int]] = []
    for record in step["records"]:
        value = given.get(record["id"], "").strip()
        if record["kind"] == "grade":
            deposit = given.get(f"{record['id']}_deposit", "").strip()
            if not (value.isdigit() and int(value) <= 4):
                faults[record["id"]] = "Choose the grade."
                continue
            if int(value) >= 2 and deposit not in DEPOSIT_KINDS:
                faults[record["id"]] = "Choose the kind of deposit."
                continue
            kept[record["id"]] = int(value)
            kept[f"{record['id']}_deposit"] = deposit if deposit in DEPOSIT_KINDS else ""
            grades.append(("after" if record["id"].endswith("after") else "before", kept[f"{record['id']}_deposit"], int(value)))
        elif record["kind"] == "reading":
            quantity = QUANTITIES[record["quantity"]]
            try:
                kept[record["id"]] = parse_quantity(
                    record["id"], value, quantity, given.get(f"{record['id']}_unit", "") or quantity.units[0].id
                )
            except InputError as fault:
                faults[record["id"]] = f"{record['label']}: {fault.allowed}."
        elif value not in ("yes", "no"):
            faults[record["id"]] = "Yes or no."
        elif record["id"] in ("eyes", "all") and value == "no":
            faults[record["id"]] = record["bad"]
        else:
            kept[record["id"]] = value
    if faults:
        raise Invalid(faults)
    for phase, deposit, grade in grades:
        save_look(act, job.number, "work" if phase == "before" else "after", step["part"], deposit, grade)
    return kept


def leave_out(act: Act, number: str, step_id: int, reason: str) -> Job:
    """Leave the present step out, with a reason. What opens or closes something is never left out.

    Raises
    ------
    Refused
        It is not the present step, or something must go back by it.
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
        raise Refused("Not this step yet", [f"first: {before(job, row)[0].document['text']}"])
    if step["phase"] == "safe" and not step["key"].startswith("added:") and act.person.role != "foreman":
        raise Refused("Making safe is not left out", ["a foreman may, with the reason"])
    held = {i.key for i in job.items if i.closed_at is None}
    if (
        step["opens"]
        or held & set(step["closes"])
        or step["key"] == "walk"
        or any(r["id"] in ("eyes", "all", "tight") for r in step["records"])
    ):
        raise Refused(
            "This step is not left out", ["something is opened or closed by it, or it is the look that keeps things out of the engine"]
        )
    row.records, row.done_at, row.done_by = {"left_out": reason.strip()}, act.now, act.person
    act.trace(job, "step_left_out", step=step["key"], reason=reason.strip())
    act.db.flush()
    return job


def add_step(act: Act, number: str, after_id: int, text: str, minutes: float | None) -> Job:
    """Put a step of one's own behind another that is not ticked over yet; it opens and closes nothing.

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
    later = [s for s in job.steps if s.position > row.position]
    if any(s.done_at for s in later):
        raise Refused("That place is behind us", ["a later step is ticked already: put it behind the present one"])
    for step in reversed(later):
        step.position += 1
        act.db.flush()
    count = sum(s.document["key"].startswith("added:") for s in job.steps) + 1
    own = Step(
        f"added:{count}",
        row.document["phase"],
        row.document["part"],
        text.strip(),
        f"Added on the job by {act.person.name}",
        float(minutes or 0),
    )
    act.db.add(StepRow(job_id=job.id, position=row.position + 1, document=asdict(own), records={}, done_at=None, done_by_id=None))
    act.trace(job, "step_added", text=text.strip(), minutes=minutes, after=row.document["key"])
    act.db.flush()
    act.db.expire(job, ["steps"])
    return job


def edit_step(act: Act, number: str, step_id: int, text: str, minutes: float | None) -> Job:
    """Word the present step anew for this job; what it opens, closes and asks for stays as it is. The words before are kept.

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
    was = old.get("was") or {"text": old["text"], "minutes": old["minutes"]}
    row.document = {**old, "text": text.strip(), "minutes": float(minutes or 0), "was": {**was, "by": act.person.name}}
    act.trace(job, "step_edited", step=old["key"], text=text.strip(), minutes=minutes, was=old["text"], was_minutes=old["minutes"])
    act.db.flush()
    return job


def untick(act: Act, number: str, step_id: int) -> Job:
    """Undo the last tick: what it opened is taken off the list, what it closed stands open again, its wait ends.

    Raises
    ------
    Refused
        A later step is ticked already.
    """
    job = act.job(number)
    row = _step(job, step_id)
    if row.done_at is None:
        return job
    if any(s.done_at and s.done_at > row.done_at for s in job.steps):
        raise Refused("Only the last tick can be undone", ["a later step is ticked"])
    if job.engine_started_at:
        raise Refused("The engine has been started", ["open an item by hand instead"])
    step = row.document
    for item in job.items:
        if item.key in step["closes"] and item.closed_at == row.done_at:
            item.closed_at = item.closed_by_id = None
        if item.key in {o["key"] for o in step["opens"]} and item.opened_at == row.done_at:
            act.db.delete(item)
    for wait in job.waits:
        if wait.name == step["wait_name"] and wait.started_at == row.done_at:
            act.db.delete(wait)
    if step["agent"]:
        shelf.give_back(act, job, step["key"])
    row.done_at = row.done_by = None
    row.records, row.early_reason = {}, ""
    act.trace(job, "step_undone", step=step["key"])
    act.db.flush()
    act.db.expire(job, ["items", "waits"])
    return job


def acknowledge(act: Act, number: str, caution: str) -> Job:
    """Somebody has read a serious caution; once per job is enough."""
    job = act.job(number)
    if caution not in CAUTIONS:
        raise Missing(f"caution {caution}")
    if caution not in {a.caution for a in job.acknowledgements}:
        act.db.add(Acknowledgement(job_id=job.id, caution=caution, at=act.now, person_id=act.person.id))
        act.trace(job, "caution_read", caution=caution)
        act.db.flush()
        act.db.expire(job, ["acknowledgements"])
    return job
