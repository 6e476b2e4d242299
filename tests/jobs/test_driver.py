"""Cards walked by random answers through the real use cases: job and model agree throughout.

What the database holds after every entry (items open, waits, codes, the engine, the battery) is
compared with a car that is reckoned here from the plan's own words, step by step.
"""

from dataclasses import dataclass, field
from datetime import timedelta
from random import Random

import pytest

from galene.core.errors import InputError
from galene.core.planning.answers import consequence_of
from galene.core.planning.car import Car, after, car_at
from galene.core.planning.records import Plan as CorePlan
from galene.core.planning.records import PlannedRelearn, Record, Step
from galene.core.planning.verify import verify
from galene.jobs import card, gates, jobcard, plan, prove, work
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.rounds import done_steps, rows_of_round
from galene.knowledge.families import FAMILIES
from galene.knowledge.treatment import judged_use
from galene.store.models import Job, StepRow
from tests.jobs.hands import begun, do, good
from tests.often import often

WORKS = ("clean", "clean", "clean", "replace", "inspect", "upkeep")
MOST_STEPS = 260


@dataclass(kw_only=True)
class Told:
    """What the walk expects of the job: a car of its own, and what was answered."""

    car: Car
    answers: dict[str, str] = field(default_factory=dict)
    stops: int = 0
    done: list[str] = field(default_factory=list)


def agree(job: Job, told: Told) -> None:
    """The job's rows say what the model says."""
    open_here = sorted(i.key for i in job.items if i.closed_at is None)
    assert open_here == sorted(told.car.open), "must-go-back items"
    assert card.car_of(job) == told.car
    assert (job.codes_cleared_at is not None) == (told.car.codes == "cleared")
    waits = {w.name for w in job.waits}
    wet = set(told.car.wet.values())
    assert wet <= waits | {""}
    given = {a.record: a.answer for a in card.answers_of(job)}
    assert given == told.answers
    assert [d.step.id for d in done_steps(job)] == told.done
    every = [r.document for r in rows_of_round(job)]
    assert [s.id for s in every] == list(dict.fromkeys(s.id for s in every)), "a step stands once"


def holds(job: Job) -> None:
    """The whole card, done and to come, as a plan that verify takes."""
    steps = tuple(r.document for r in rows_of_round(job))
    made = CorePlan(
        steps=steps,
        held=job.card.held,
        relearns=tuple(card_relearn(step) for step in steps if step.relearn),
    )
    lifted = [r.record for r in job.card.resolved]
    found = verify(made, family_of(job), job.card.start, judge=judged_use, resolved=lifted)
    assert found == ()


def card_relearn(step: Step) -> PlannedRelearn:
    """A relearn as a plan lists it."""
    return PlannedRelearn(id=step.relearn, after=step.id, needs=step.needs)


def answered(random: Random, step: Step, bad: bool) -> dict[str, str]:
    """Answers as the card's form sends them, one of them bad where that is wanted."""
    given = good(step, grade=random.choice([1, 2]))
    able = [r for r in step.records if r.consequences and r.kind in ("yes_no", "grade")]
    if bad and able:
        given |= _badly(random, random.choice(able))
    return given


def _badly(random: Random, record: Record) -> dict[str, str]:
    answer = random.choice(record.consequences).answer
    if record.kind == "grade":
        grade, _, deposit = answer.partition(":")
        if not grade.isdigit():
            return {record.id: "3", f"{record.id}_deposit": grade}
        deposit = deposit or ("soot" if int(grade) >= 2 else "")
        return {record.id: grade, f"{record.id}_deposit": deposit}
    return {record.id: answer}


def said(record: Record, given: dict[str, str]) -> str:
    """The answer as the model takes it."""
    value = given[record.id]
    if record.kind == "grade":
        deposit = given.get(f"{record.id}_deposit", "")
        return f"{value}:{deposit}" if deposit else value
    return value


def tick(act: Act, job: Job, row: StepRow, *, given: dict[str, str]) -> None:
    ends = (w.ends_at for w in job.waits if w.name in row.document.waits_for)
    act.now = max([act.now + timedelta(minutes=1), *ends])
    for caution in row.document.cautions:
        jobcard.acknowledge(act, job.number, caution)
    jobcard.tick(act, job.number, row.id, records=given)


def resolved(maren: Act, act: Act, job: Job, *, told: Told) -> None:
    """What a hold asks of people: nothing starts meanwhile, the foreman lifts it."""
    held = job.card.held
    assert held is not None and held.why
    if job.engine_started_at is None:
        with pytest.raises(Refused):
            gates.start_engine(maren, job.number, "the foreman may not start a held job either")
    told.stops += 1
    maren.now = act.now
    work.resolve(maren, job.number, "looked at it together, it may go on")
    assert job.card.held is None
    agree(job, told)


def agreed(act: Act, job: Job) -> None:
    """The owner agrees to what an answer has added."""
    if card.waits_for_approval(job):
        plan.approve_plan(act, job.number, job.plans[0].version, who="the keeper, again")


@pytest.mark.parametrize("seed", range(often(7, 60)))
def test_job_and_model_agree_after_every_entry(odd: Act, maren: Act, seed: int) -> None:
    random = Random(seed)
    family = FAMILIES["ABCDEF"[seed % 6]]
    parts = random.sample([p.id for p in family.parts], 3)
    kinds = {p: random.choice(WORKS) for p in parts}
    while True:
        try:
            job = begun(odd, family.id, *parts, kinds=kinds, plate=f"DR-{seed:03}")
            break
        except (InputError, Invalid, Refused):
            # Not every work is done on every part.
            odd.db.rollback()
            parts = random.sample([p.id for p in family.parts], 3)
            kinds = {p: random.choice(WORKS) for p in parts}
    told = Told(car=car_at(job.card.start))
    agree(job, told)
    bad_left = 3
    for _ in range(MOST_STEPS):
        agreed(odd, job)
        if job.card.held is not None:
            resolved(maren, odd, job, told=told)
            continue
        row = card.first_left(job)
        if row is None:
            break
        step = row.document
        if step.act == "tick":
            bad = bad_left > 0 and random.random() < 0.3
            given = answered(random, step, bad)
            worse = [r for r in step.records if consequence_of(r, said(r, given))]
            bad_left -= 1 if worse else 0
            tick(odd, job, row, given=given)
            told.answers |= {r.id: said(r, given) for r in step.records}
        else:
            do(odd, job, row)
        told.done.append(step.id)
        told.car = after(told.car, step)
        agree(job, told)
        holds(job)
    assert card.first_left(job) is None, "the card comes to its end"
    assert not told.car.open and told.car.battery == "on" and told.car.coolant == "full"
    assert job.engine_started_at is not None or not any(
        d.step.does.engine == "running" for d in done_steps(job)
    )
    assert prove.template_of(job) is None or not card.due_row(job, "relearn")


@pytest.mark.parametrize("seed", range(often(2, 20)))
def test_an_answer_taken_back_takes_back_what_followed(odd: Act, seed: int) -> None:
    random = Random(1000 + seed)
    family, part = (
        ("A", "maf_sensor"),
        ("C", "runner_actuator"),
        ("D", "egr_valve"),
        ("B", "egr_passage"),
    )[seed]
    job = begun(odd, family, part, plate=f"UN-{seed:03}")
    for _ in range(MOST_STEPS):
        row = work.current_step(job)
        assert row is not None
        before = [r.document.id for r in rows_of_round(job)]
        able = [r for r in row.document.records if r.consequences and r.kind == "yes_no"]
        given = good(row.document)
        if able:
            given |= _badly(random, able[0])
        tick(odd, job, row, given=given)
        after = [r.document.id for r in rows_of_round(job)]
        if able and (job.card.held or after != before):
            jobcard.untick(odd, job.number, row.id)
            assert [r.document.id for r in rows_of_round(job)] == before
            assert job.card.held is None
            assert all(not r.done_at for r in rows_of_round(job) if r.id == row.id)
            return
    raise AssertionError("no answer of this card has a consequence")
