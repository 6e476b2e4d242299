"""Found on the way: steps, minutes and cost added to the card, the plan's next version, and a new approval above the agreed limit."""

from dataclasses import asdict
from typing import Any

from galene.core.procedures import Step
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text
from galene.knowledge.found import FOUND
from galene.store.models import Job, Plan, StepRow, Workshop

DEAREST = 100_000.0


def report(act: Act, number: str, kind: str, part: str, note: str, cost: float | None) -> Job:
    """Put a find on the card before the present step.

    Parameters
    ----------
    kind : id of a kind of find
    part : the part where it was found, empty for the job as a whole
    note : what exactly, in the finder's words
    cost : price of the parts that it asks for, None where it asks for none

    Raises
    ------
    Invalid
        ``found``, ``found_where``, ``found_note`` or ``found_cost``.
    Refused
        No card, or nothing left on it.
    """
    job = act.job(number)
    check_text({"found_note": note})
    find = FOUND.get(kind)
    faults = {}
    parts = {p["part"]: p["label"] for p in job.plans[0].document["parts"]} if job.plans else {}
    if find is None:
        faults["found"] = "Choose what it is."
    if part and part not in parts:
        faults["found_where"] = "A part of the plan, or the job as a whole."
    if not 3 <= len(note.strip()) <= 300:
        faults["found_note"] = "Say what exactly: it stands in the report."
    if cost is not None and not 0 <= cost <= DEAREST:
        faults["found_cost"] = "From nothing to 100 000."
    if find is not None and find.needs_cost and cost is None:
        faults["found_cost"] = "What does the new part cost?"
    if faults:
        raise Invalid(faults)
    assert find is not None
    left = [s for s in job.steps if s.done_at is None]
    if not left:
        raise Refused("The card is at its end", ["open a second round with a new plan for what was found now"])
    at, count = left[0].position, sum(s.document["key"].startswith("found:") for s in job.steps)
    for row in sorted(left, key=lambda s: -s.position):
        row.position += len(find.steps)
        act.db.flush()
    for i, found in enumerate(find.steps):
        step = Step(
            f"found:{count + i + 1}", left[0].document["phase"], part, found.text, found.why, found.minutes, found.tools,
            cautions=found.cautions, records=found.records, note=note.strip() if i == 0 else "",
        )  # fmt: skip
        act.db.add(StepRow(job_id=job.id, position=at + i, document=asdict(step), records={}, done_at=None, done_by_id=None))
    minutes = sum(s.minutes for s in find.steps)
    version = _next_version(
        act,
        job,
        {"kind": find.id, "title": find.title, "part": parts.get(part, ""), "note": note.strip(), "minutes": minutes, "cost": cost or 0.0},
    )
    act.trace(
        job,
        "found",
        kind=kind,
        part=part,
        note=note.strip(),
        minutes=minutes,
        cost=cost,
        version=version.version,
        approved=version.approved_at is not None,
    )
    act.db.flush()
    act.db.expire(job, ["steps", "plans"])
    return job


def _next_version(act: Act, job: Job, find: dict[str, Any]) -> Plan:
    """The plan with what was found; approved by itself where it stays within what was agreed."""
    old = job.plans[0]
    workshop = act.db.get_one(Workshop, 1)
    more = find["minutes"] / 60 * workshop.hourly_rate + find["cost"]
    document = {
        **old.document, "price": old.document["price"] + more, "hands_minutes": old.document["hands_minutes"] + find["minutes"],
        "labour": old.document["labour"] + find["minutes"] / 60 * workshop.hourly_rate,
        "found": [*old.document.get("found", []), {**find, "more": more, "by": act.person.name, "at": act.now.isoformat()}],
    }  # fmt: skip
    within = old.agreed_up_to is not None and document["price"] <= old.agreed_up_to and old.approved_at is not None
    new = Plan(
        job_id=job.id, version=old.version + 1, document=document, made_at=act.now, person_id=act.person.id, agreed_up_to=old.agreed_up_to,
        approved_at=act.now if within else None, approved_by=f"within what {old.approved_by} agreed to" if within else "",
    )  # fmt: skip
    act.db.add(new)
    # The card goes on by this version: it is no second round.
    job.bay_air = {**job.bay_air, "plan_version": new.version}
    return new


def waits_for_approval(job: Job) -> bool:
    """Whether what was found costs more than was agreed, and nobody has agreed to it yet."""
    return bool(job.plans) and job.plans[0].approved_at is None and bool(job.plans[0].document.get("found"))
