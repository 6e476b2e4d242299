"""Hands for the tests: a job begun, its card ticked with good answers, its proof run in order."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from datetime import timedelta

from galene.core.airpath.family import EngineFamily
from galene.core.jobcard.job_records import SetConditions
from galene.core.planning.answers import consequence_of
from galene.core.planning.records import Record, Step
from galene.core.proof.relearn import RelearnTemplate
from galene.demo.engine import EngineState, idle_samples
from galene.jobs import evidence, gates, intake, jobcard, plan, prove, work
from galene.jobs.act import Act, family_of, find_job, revision
from galene.jobs.proof import symptoms_of
from galene.knowledge import reading_channels
from galene.knowledge.relearns import with_holds
from galene.store.models import Job, StepRow


def good_answer(record: Record, grade: int = 1, deposit: str = "soot") -> dict[str, str]:
    """An answer that has no consequence."""
    if record.kind == "grade":
        worth = 0 if record.name == "grade_after" else grade
        return {record.id: str(worth), f"{record.id}_deposit": deposit if worth >= 2 else ""}
    if record.kind == "reading":
        return {record.id: "2 bar"}
    if record.kind == "words":
        return {record.id: "the seam behind the clamp"}
    return {record.id: "no" if record.bad_answer == "yes" else "yes"}


def good(step: Step, grade: int = 1, deposit: str = "soot") -> dict[str, str]:
    """Good answers to everything that a step asks."""
    found: dict[str, str] = {}
    for record in step.records:
        found |= good_answer(record, grade, deposit)
    return found


def bad_answer(record: Record) -> str:
    """The first answer of a record that has a consequence."""
    answer = record.consequences[0].answer
    assert consequence_of(record, answer) is not None
    return answer


def begun(
    act: Act,
    family: str,
    *parts: str,
    grade: int = 2,
    plate: str = "RN-100",
    kinds: Mapping[str, str] | None = None,
    up_to: float | None = None,
    **schools: str,
) -> Job:
    """A new job of a family with its work begun on the parts, all at one grade of soot."""
    vehicle = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate=plate,
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family=family,
            keeper="the shed",
        ),
    )
    number = intake.open_job(act, vehicle, "soot").number
    job = find_job(act.db, number)
    job.before_missing_reason = "came on a trailer"
    for part in parts:
        evidence.save_inspection(act, number, "before", part_id=part, deposit="soot", grade=grade)
    for letter, choice in schools.items():
        seen = revision(find_job(act.db, number), "schools")
        plan.override_school(act, number, letter, choice=choice, reason="for this test", seen=seen)
    job = plan.save_plan(act, number, list(parts), extra_spares=[], seen=0, kinds=kinds or {})
    plan.approve_plan(act, number, job.plans[0].version, who="the keeper", up_to=up_to)
    work.begin_work(act, number, 18, humidity=0.5, seen=0)
    return jobcard.check_pick(act, number, {})


def row_of(job: Job, step_id: str) -> StepRow:
    """The card's row of a step."""
    return next(s for s in job.steps if s.document.id == step_id)


def go_to(act: Act, job: Job, step_id: str, *, grade: int = 2) -> StepRow:
    """Do what stands before a step, and give that step."""
    for _ in range(300):
        row = work.current_step(job)
        assert row is not None, step_id
        if row.document.id == step_id:
            return row
        do(act, job, row, grade=grade)
    raise AssertionError(step_id)


def pass_(act: Act, job: Job, row: StepRow, *, grade: int = 2, **answers: str) -> None:
    """Tick a step at its own pace, cautions read, waits kept; answers by the record's own name."""
    step = row.document
    ends = (w.ends_at for w in job.waits if w.name in step.waits_for)
    act.now = max([act.now + timedelta(minutes=1), *ends])
    for caution in step.cautions:
        jobcard.acknowledge(act, job.number, caution)
    given = good(step, grade)
    for record in step.records:
        if record.name in answers:
            grade_text, _, deposit = answers[record.name].partition(":")
            given[record.id] = grade_text
            if deposit:
                given[f"{record.id}_deposit"] = deposit
    jobcard.tick(act, job.number, row.id, records=given)


def do(act: Act, job: Job, row: StepRow, *, grade: int = 2) -> None:
    """Do the step that is due, on whatever page it is done."""
    kind, number = row.document.act, job.number
    if kind == "tick":
        pass_(act, job, row, grade=grade)
    elif kind == "clear":
        prove.clear_codes(act, number)
    elif kind == "start":
        act.now = max([act.now, *(w.ends_at for w in job.waits)])
        gates.start_engine(act, number)
    elif kind == "relearn":
        learn(act, job)
    elif kind == "after_set":
        after_set(act, job)
    elif kind == "road":
        prove.save_road_test(
            act,
            number,
            12,
            notes="calm",
            complaint_gone="gone",
            symptoms=dict.fromkeys(symptoms_of(job), "gone"),
            seen=revision(job, "road_test"),
        )
    elif kind == "pending":
        prove.read_pending(act, number, "", seen=revision(job, "pending"))


def learn(act: Act, job: Job, learned: bool = True) -> None:
    """Hold the due relearn whole."""
    template = prove.template_of(job)
    assert template is not None
    prove.relearn_begin(act, job.number, {c: True for c, _ in template.conditions})
    for k, phase in enumerate(template.phases):
        act.now += timedelta(minutes=phase.hold_minutes, seconds=1)
        prove.relearn_next(act, job.number, k)
    prove.relearn_finish(act, job.number, learned)


def after_set(act: Act, job: Job) -> None:
    """An after set of a healthy engine."""
    family = family_of(job)
    band = family.bands["idle_rpm"]
    values = idle_samples(family, EngineState(roughness_rpm=6), 2, rpm=(band.low + band.high) / 2)
    channels = {c.id for c in reading_channels.channels_of(family, "idle")}
    kept = {k: v for k, v in values.items() if k in channels}
    seen = revision(job, "readings_after_idle")
    liquid = family.cooling == "liquid"
    heat = {"coolant_c": 90.0} if liquid else {"warm": True}
    warm = SetConditions(**heat, intake_c=20.0)
    evidence.save_readings(
        act, job.number, "after", kind="idle", values=kept, conditions=warm, seen=seen
    )


def finish_card(act: Act, job: Job, grade: int = 2) -> None:
    """Everything that is left, in its order."""
    for _ in range(300):
        row = work.current_step(job)
        if row is None:
            return
        do(act, job, row, grade=grade)
    raise AssertionError("the card has no end")


def short_holds(minutes: float, *, but: Collection[str] = ()) -> Callable[..., RelearnTemplate]:
    """Stands for `with_holds`: every hold lasts so long, `but` those that take their time. A
    family's own holds are longer than what is watched here needs."""

    def held(
        family: EngineFamily, template_id: str, templates: Mapping[str, RelearnTemplate]
    ) -> RelearnTemplate:
        template = with_holds(family, template_id, templates)
        if template_id in but:
            return template
        phases = tuple(replace(p, hold_minutes=minutes) for p in template.phases)
        return replace(template, phases=phases)

    return held
