"""Stage 6: clearing, relearn, road test, pending codes."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from galene.core.errors import InputError
from galene.core.jobcard.job_records import AimRead, RelearnKept, RoadTest
from galene.core.planning.document import StepAnswers
from galene.core.proof.relearn import (
    RelearnState,
    RelearnTemplate,
    advance,
    begin,
    finish,
    guard_broken,
)
from galene.jobs.act import Act, family_of
from galene.jobs.card import due_row, in_turn, mark_done, ready_for, replan
from galene.jobs.errors import Invalid, Refused
from galene.jobs.evidence import set_of
from galene.jobs.gates import gate_blockers, pass_gate
from galene.jobs.intake import add_codes, check_text
from galene.jobs.proof import symptoms_of
from galene.jobs.rounds import rows_of_round
from galene.jobs.templates import frozen_templates
from galene.knowledge.relearns import READINESS, with_holds
from galene.store.models import Job, JobCode, StepRow

HELD_SLACK_S = 1.0
"""What a hold that the car itself tells of may lack: its figures come in turns."""


@dataclass(frozen=True, kw_only=True)
class Measured:
    """What the car itself showed at the end of a relearn."""

    aims: tuple[AimRead, ...]
    codes: tuple[str, ...]

    @property
    def learned(self) -> bool:
        """Whether every aim is met and no code stands."""
        return all(a.met for a in self.aims) and not self.codes


def clear_codes(act: Act, number: str) -> Job:
    """Mark the codes as cleared. Twice is harmless.

    Raises
    ------
    Refused
        Before the before set is taken or its lack explained: clearing erases what it would have
        shown; before the steps that come first on the card.
    """
    job = act.job(number)
    if job.codes_cleared_at:
        return job
    row = require_clearable(job)
    job.codes_cleared_at = act.now
    mark_done(act, row)
    act.trace(job, "codes_cleared", codes=[c.code for c in job.codes if c.phase == "before"])
    return job


def require_clearable(job: Job) -> StepRow:
    """The card's step of clearing, where the codes may be cleared now.

    Raises
    ------
    Refused
        As `clear_codes`.
    """
    if set_of(job, "before", "idle") is None and not job.before_missing_reason:
        raise Refused(
            "Do not clear the codes yet",
            ["the before set is not taken: take it, or say on the evidence page why there is none"],
        )
    row = due_row(job, "clear")
    if row is None:
        raise Refused(
            "Do not clear the codes yet", ["the card comes first: clearing is one of its steps"]
        )
    ready_for(job, row, "Do not clear the codes yet")
    return row


def relearn_rows(job: Job) -> list[StepRow]:
    """The round's relearns as steps of its card, in their order."""
    return [r for r in rows_of_round(job) if r.document.relearn]


def relearns_of(job: Job) -> tuple[RelearnTemplate, ...]:
    """The relearns of the card in their order, by the templates that the plan was made with."""
    if not job.plans:
        return ()
    held = frozen_templates(job.plans[0]).relearns
    family = family_of(job)
    ids = dict.fromkeys(r.document.relearn for r in relearn_rows(job))
    return tuple(with_holds(family, name, held) for name in ids)


def relearns_done(job: Job) -> dict[str, str]:
    """Relearns that have ended, by template: learned, or why they were left out."""
    return {
        r.document.relearn: r.records.left_out or "learned" for r in relearn_rows(job) if r.done_at
    }


def due_relearn(job: Job) -> StepRow | None:
    """The relearn that runs or comes next."""
    return due_row(job, "relearn")


def template_of(job: Job) -> RelearnTemplate | None:
    """The relearn that runs or is due; the last one when all are done, None where none is asked
    for."""
    every, row = relearns_of(job), due_relearn(job)
    if row is None:
        return every[-1] if every else None
    return next((t for t in every if t.id == row.document.relearn), None)


def relearn_state(job: Job) -> RelearnState | None:
    """Where the relearn stands, from what is kept."""
    kept = job.relearn
    if kept.phase is None or kept.phase_began is None:
        return None
    return RelearnState(
        phase=kept.phase,
        phase_began=kept.phase_began,
        restarts=kept.restarts,
        outcome=kept.outcome,
    )


def _keep(
    job: Job, state: RelearnState, template: RelearnTemplate, *, measured: Measured | None = None
) -> None:
    """Keep where the due relearn stands. What the car said of a hold counts for that hold only."""
    job.relearn = RelearnKept(
        phase=state.phase,
        phase_began=state.phase_began,
        restarts=state.restarts,
        outcome=state.outcome,
        template=template.id,
        live=job.relearn.live,
        judged_to=state.phase_began if job.relearn.live else None,
        measured=measured.aims if measured else (),
        codes=measured.codes if measured else (),
    )


def ask_readiness(act: Act, number: str) -> Job:
    """Add the readiness drive to the card; it is offered, never asked for by itself. Twice is
    harmless.

    Raises
    ------
    Refused
        The pending codes are not read: the other relearns and the road come first.
    """
    job = act.job(number)
    if READINESS.id in job.card.relearns:
        return job
    if job.pending_read_at is None or due_relearn(job):
        raise Refused(
            "Not yet",
            [
                "the relearns and the road test come first, the drive that sets the monitors after"
                " them"
            ],
        )
    job.card = replace(job.card, relearns=(*job.card.relearns, READINESS.id))
    act.trace(job, "readiness_asked")
    replan(act, job, why="The drive that sets the monitors was asked for")
    return job


def _running(job: Job, shown: str) -> tuple[StepRow, RelearnTemplate] | None:
    """The due relearn, unless the tap comes from a page that showed another one."""
    row, template = due_relearn(job), template_of(job)
    if row is None or template is None or (shown and template.id != shown):
        return None
    return row, template


def relearn_begin(act: Act, number: str, confirmed: dict[str, bool], *, shown: str = "") -> Job:
    """Begin, or begin again after a failure. `shown`, here and below: the relearn that the page
    showed; another one changes nothing.

    Raises
    ------
    Refused
        The card's steps before it are not done, or the car does not stand in the state that it
        needs.
    Invalid
        A condition that is not confirmed.
    """
    job = act.job(number)
    due = _running(job, shown)
    if due is None:
        return job
    row, template = due
    state = relearn_state(job)
    if state and state.outcome in ("running", "testing"):
        return job
    ready_for(job, row, "Not this relearn yet")
    try:
        _keep(job, begin(template, confirmed, act.now), template)
    except InputError as fault:
        raise Invalid({fault.field: "Not yet " + fault.allowed + "."}) from fault
    act.trace(job, "relearn_began", template=template.id)
    return job


def relearn_next(act: Act, number: str, phase: int, *, shown: str = "") -> Job:
    """Go on from `phase`; a second tap on the same phase changes nothing."""
    job = act.job(number)
    state, due = relearn_state(job), _running(job, shown)
    if state is None or due is None or state.phase != phase:
        return job
    _, template = due
    if job.relearn.live and state.outcome == "running":
        asked_s = 60 * template.phases[state.phase].hold_minutes
        if job.relearn.held_s < asked_s - HELD_SLACK_S:
            raise Refused(
                "Hold on",
                [
                    f"the car held it for {job.relearn.held_s:.0f} of {asked_s:.0f} s: the hold"
                    " must run whole and undisturbed"
                ],
            )
    try:
        new = advance(template, state, act.now)
    except InputError as fault:
        raise Refused(
            "Hold on", [f"{fault.value}: the hold must run whole and undisturbed"]
        ) from fault
    if (
        new.phase < len(template.phases)
        and template.phases[new.phase].engine_on
        and job.engine_started_at is None
    ):
        raise Refused(
            "The engine is to run now",
            [
                "the first start is a step of its own on the card: its gate looks at what must go"
                " back"
            ],
        )
    _keep(job, new, template)
    act.trace(job, "relearn_phase", phase=new.phase)
    return job


def relearn_guard(act: Act, number: str, guard: str, *, phase: int, shown: str = "") -> Job:
    """A guard was broken: the hold begins again."""
    job = act.job(number)
    state, due = relearn_state(job), _running(job, shown)
    if state is None or due is None or state.outcome != "running" or state.phase != phase:
        return job
    _, template = due
    try:
        _keep(job, guard_broken(template, state, guard, now=act.now), template)
    except InputError as fault:
        raise Invalid({"guard": fault.words}) from fault
    act.trace(job, "relearn_broken", guard=guard)
    return job


def relearn_finish(
    act: Act, number: str, learned: bool, *, shown: str = "", measured: Measured | None = None
) -> Job:
    """The success test's answer.

    Parameters
    ----------
    measured : what the car itself showed, where it was asked
    """
    job = act.job(number)
    state, due = relearn_state(job), _running(job, shown)
    if state is None or due is None or state.outcome in ("learned", "failed"):
        return job
    row, template = due
    try:
        ended = finish(state, learned)
    except InputError as fault:
        raise Refused("Not at the test yet", ["the holds are not all done"]) from fault
    act.trace(
        job,
        "relearn_ended",
        template=template.id,
        learned=learned,
        **({"measured": [[a.label, a.value] for a in measured.aims]} if measured else {}),
    )
    if learned:
        mark_done(act, row)
        job.relearn = RelearnKept()
    else:
        _keep(job, ended, template, measured=measured)
    return job


def relearn_stop(act: Act, number: str, *, shown: str = "") -> Job:
    """Let go of a relearn that runs: nothing counts as learned, and it may be begun again or left
    out. Twice is harmless."""
    job = act.job(number)
    state, due = relearn_state(job), _running(job, shown)
    if state is None or due is None or state.outcome not in ("running", "testing"):
        return job
    job.relearn = RelearnKept()
    act.trace(job, "relearn_stopped", template=due[1].id, phase=state.phase)
    return job


def relearn_skip(act: Act, number: str, reason: str, *, shown: str = "") -> Job:
    """Say why the relearn that is due is not needed. How the car stands is not asked: what it would
    have left, such as a warm engine, the rest of the card sees to by itself.

    Raises
    ------
    Refused
        The card's steps before it are not done.
    Invalid
        ``skip_reason``.
    """
    job = act.job(number)
    check_text({"skip_reason": reason})
    if len(reason.strip()) < 5:
        raise Invalid({"skip_reason": "Say why no relearn is needed."})
    due = _running(job, shown)
    if due is None:
        return job
    row, template = due
    in_turn(job, row, "Not this relearn yet")
    row.records = StepAnswers(left_out=reason.strip())
    mark_done(act, row)
    job.relearn = RelearnKept()
    act.trace(job, "relearn_skipped", template=template.id, reason=reason.strip())
    replan(act, job, why=f"Left out: {template.title}")
    return job


def save_road_test(
    act: Act,
    number: str,
    kilometres: float,
    *,
    notes: str,
    complaint_gone: str = "",
    symptoms: Mapping[str, str] | None = None,
    seen: int,
    override_reason: str = "",
) -> Job:
    """The road test: how far, and how each symptom of the complaint stands.

    Parameters
    ----------
    complaint_gone : gone, better or there, where the complaint has no symptom of the vocabulary
    symptoms : gone, less or same by evidence id, for every symptom that was there at intake

    Raises
    ------
    Refused
        Something that must go back before the road is open.
    """
    job = act.job(number)
    faults = {}
    if not 0 < kilometres <= 500:
        faults["kilometres"] = "Above 0 to 500 km."
    asked = symptoms_of(job)
    told = {k: v for k, v in (symptoms or {}).items() if k in asked}
    faults |= {
        f"symptom:{s}": "Say how it stands now."
        for s in asked
        if told.get(s) not in ("gone", "less", "same")
    }
    if asked and not faults:
        complaint_gone = _complaint_of(told.values())
    if not asked and complaint_gone not in ("gone", "better", "there"):
        faults["complaint_gone"] = "Say how the complaint stands."
    if faults:
        raise Invalid(faults)
    check_text({"notes": notes})
    # A start that a foreman let through with things open lets them onto the road too.
    why = [b for b in gate_blockers(job, "road test", act.now) if b.kind in ("item", "count")]
    if "start" not in job.gates:
        pass_gate(
            act, job, "road test", why=why, reason=override_reason, title="Not on the road yet"
        )
    if job.engine_started_at is None:
        raise Refused("Not on the road yet", ["the first start is not recorded"])
    row = due_row(job, "road")
    if row is not None:
        ready_for(job, row, "Not on the road yet")
    act.claim(job, "road_test", seen)
    if row is not None:
        mark_done(act, row)
    job.road_test = RoadTest(
        done=True,
        km=kilometres,
        notes=notes.strip(),
        complaint=complaint_gone,
        symptoms=told,
        by=act.person.name,
        at=act.now,
        run=job.road_test.run,
    )
    act.trace(job, "road_test", km=kilometres, complaint=complaint_gone, symptoms=told)
    return job


def _complaint_of(words: Collection[str]) -> str:
    """The complaint as a whole, of how its symptoms stand."""
    if set(words) == {"gone"}:
        return "gone"
    return "there" if set(words) == {"same"} else "better"


def read_pending(
    act: Act, number: str, text: str, *, seen: int, monitors_ready: bool | None = None
) -> Job:
    """Codes read again after the road test; an empty text says that there are none.

    `monitors_ready`: whether the control unit's own monitors have run since the codes were cleared,
    None where nobody looked.
    """
    job = act.job(number)
    if not job.road_test.done:
        raise Refused(
            "Road test first", ["codes need driving to come back: read them after the road test"]
        )
    row = due_row(job, "pending")
    act.claim(job, "pending", seen)
    if row is not None:
        ready_for(job, row, "Road test first")
        mark_done(act, row)
    for old in [c for c in job.codes if c.phase == "after"]:
        job.codes.remove(old)
    act.db.flush()
    if text.strip():
        add_codes(act, number, text, phase="after")
    job.pending_read_at, job.monitors_ready = act.now, monitors_ready
    act.trace(job, "pending_read", codes=[c.code for c in after_codes(job)])
    return job


def after_codes(job: Job) -> list[JobCode]:
    """Codes read after the road test."""
    return [c for c in job.codes if c.phase == "after"]
