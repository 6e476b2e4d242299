"""Stage 5: the job card, waits, what must go back, and the gate before the first start."""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any

from galene.core.must_go_back import BEFORE, KINDS, Blocker, OpenItem, RunningWait, blockers
from galene.core.procedures import Air, Policy, Step
from galene.jobs import shelf
from galene.jobs.act import Act
from galene.jobs.checks import jumper_allowed
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.evidence import save_look
from galene.jobs.intake import check_text
from galene.jobs.plan import check_scope, schools_since, steps_for
from galene.jobs.templates import frozen_book
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
        job.engine_started_at, job.start_override, job.relearn = None, "", {}
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


def running_waits(job: Job, act_now: Any) -> list[WaitRow]:
    """Waits that still run."""
    return [w for w in job.waits if w.ends_at > act_now and not w.cut_short]


def open_items(job: Job) -> list[MustGoBack]:
    """Items that are still open."""
    return [i for i in job.items if i.closed_at is None]


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
    kept = _records(act, job, step, records)
    row.records, row.done_at, row.done_by, row.early_reason = kept, act.now, act.person, early_reason.strip()
    for item in step["opens"]:
        act.db.add(
            MustGoBack(job_id=job.id, key=item["key"], what=item["what"], kind=item["kind"], part=item["part"], count=item["count"],
                       before=item["before"], dangerous=item["dangerous"], opened_at=act.now, opened_by_id=act.person.id, closed_at=None, closed_by_id=None)
        )  # fmt: skip
    for item in job.items:
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
    for before in job.steps:
        if before.position < row.position and before.done_at is None:
            raise Refused("Not this step yet", [f"first: {before.document['text']}"])
    read = {a.caution for a in job.acknowledgements}
    unread = [CAUTIONS[c] for c in step["cautions"] if c in CAUTIONS and CAUTIONS[c].serious and c not in read]
    if unread:
        raise Refused("Read the caution first", [f"{c.hazard}: {c.harm}. {c.do}" for c in unread])
    if step.get("worksheet") == "actuator-drive-check" and not jumper_allowed(act.db, job):
        raise Refused(
            "No jumper yet", ["the check “Trace the drive side” of the diagnosis page must allow it first: side, current and fuse"]
        )
    if "engine_warm_running" in step["needs"]:
        _may_run(job, step, act.now)
    check_text({"early_reason": early_reason})
    wet = [w for w in running_waits(job, act.now) if w.name in step["after_waits"]]
    if wet and len(early_reason.strip()) < 3:
        left = max((w.ends_at - act.now).total_seconds() for w in wet)
        raise Refused(
            "Too early", [f"{wet[0].name} runs for {left / 60:.0f} more min: {wet[0].reason}. Wait, or say why it is ready."], True
        )


def _may_run(job: Job, step: dict[str, Any], now: datetime) -> None:
    """Refuse to run the engine in mid-card while something is open or wet, but for what the same procedure opened for it."""
    own = step["key"].rpartition(":")[0] + ":"
    why = [b for b in _blockers(job, "start", now, own, step["after_waits"]) if b.kind != "step"]
    if why:
        raise Refused("Do not run the engine yet", [f"{b.text} ({b.detail})" for b in why])


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
    if any(s.position < row.position and s.done_at is None for s in job.steps):
        raise Refused("Not this step yet", ["only the present step can be left out"])
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
    if any(s.done_at and s.position > row.position for s in job.steps):
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


def add_item(act: Act, number: str, what: str, kind: str, before: str = "start") -> Job:
    """Put something on the must-go-back list by hand."""
    job = act.job(number)
    faults = {}
    if not what.strip():
        faults["what"] = "Say what was opened."
    elif len(what) > 120:
        faults["what"] = "At most 120 characters."
    if kind not in KINDS:
        faults["kind"] = "Choose a kind."
    if before not in BEFORE:
        faults["before"] = "start, road test or handover."
    if faults:
        raise Invalid(faults)
    act.db.add(
        MustGoBack(job_id=job.id, key=f"hand:{act.now.timestamp():.3f}", what=what.strip(), kind=kind, before=before,
                   dangerous=kind in ("tool inside", "rag inside", "media inside"), opened_at=act.now, opened_by_id=act.person.id,
                   closed_at=None, closed_by_id=None)
    )  # fmt: skip
    act.trace(job, "item_opened", what=what.strip(), kind=kind)
    act.db.flush()
    act.db.expire(job, ["items"])
    return job


def close_item(act: Act, number: str, item_id: int) -> Job:
    """Close an item: said by the person who looked. Items that a step will close are closed by that step.

    Raises
    ------
    Refused
        A step of the card closes it.
    """
    job = act.job(number)
    item = act.db.get(MustGoBack, item_id)
    if item is None or item.job_id != job.id:
        raise Missing(f"item {item_id}")
    if item.closed_at:
        return job
    step = next((s for s in job.steps if item.key in s.document["closes"] and s.done_at is None), None)
    if step:
        raise Refused("A step of the card closes this", [f"tick: {step.document['text']}"])
    item.closed_at, item.closed_by_id = act.now, act.person.id
    act.trace(job, "item_closed", what=item.what)
    return job


def start_blockers(job: Job, gate: str, now: Any) -> tuple[Blocker, ...]:
    """Why a gate stays shut for this job."""
    return _blockers(job, gate, now)


def _blockers(job: Job, gate: str, now: datetime, but_items: str = "", but_waits: Sequence[str] = ()) -> tuple[Blocker, ...]:
    items = [
        OpenItem(i.what, i.kind, i.part, i.count, i.before, i.dangerous, i.opened_by.name, i.opened_at)
        for i in open_items(job)
        if not (but_items and i.key.startswith(but_items))
    ]
    waits = [RunningWait(w.name, w.ends_at, w.reason) for w in running_waits(job, now) if w.name not in but_waits]
    return blockers(gate, items, waits, [s.document["text"] for s in job.steps if s.done_at is None], now)


def start_engine(act: Act, number: str, override_reason: str = "") -> Job:
    """Record the first start after the work. Twice is harmless.

    Raises
    ------
    Refused
        Items are open, agents still wet, or steps not ticked; a foreman may override with a reason.
    """
    job = act.job(number)
    if job.engine_started_at:
        return job
    if not job.work_began_at:
        raise Refused("The work has not begun", ["the job card comes first"])
    why = start_blockers(job, "start", act.now)
    if why:
        if not override_reason.strip() or act.person.role != "foreman":
            raise Refused("Do not start the engine", [f"{b.text} ({b.detail})" for b in why], act.person.role == "foreman")
        check_text({"override_reason": override_reason})
        job.start_override = override_reason.strip()
    job.engine_started_at = act.now
    act.trace(job, "engine_started", override=override_reason.strip(), blockers=[b.text for b in why])
    return job
