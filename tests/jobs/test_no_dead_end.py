"""Whatever is skipped, stopped, lifted, left out or planned anew, honest work brings a job on to
the end of its card."""

from random import Random

import pytest
from sqlalchemy import select

from galene.core.errors import InputError
from galene.jobs import card, jobcard, plan, prove, work
from galene.jobs.act import Act, family_of, revision
from galene.jobs.errors import Invalid, Refused
from galene.knowledge.families import FAMILIES
from galene.store.models import AuditEntry, Job, StepRow
from tests.jobs.hands import begun, do, go_to, learn
from tests.jobs.test_driver import WORKS, agreed, answered, tick
from tests.often import often

MOST_STEPS = 300
WHY = "agreed with the keeper by telephone"


def ticked_badly(random: Random, odd: Act, job: Job, row: StepRow) -> None:
    if row.document.act == "tick":
        tick(odd, job, row, given=answered(random, row.document, bad=True))


def skipped(odd: Act, job: Job, row: StepRow) -> None:
    if row.document.relearn:
        prove.relearn_skip(odd, job.number, WHY)


def planned_anew(odd: Act, maren: Act, job: Job) -> None:
    """The same parts once more, agreed to and followed from the car as it stands."""
    works = {w.part: w.work for w in (*job.card.works, *job.card.joined)}
    maren.now = odd.now
    seen = revision(job, "plan")
    plan.save_plan(maren, job.number, list(works), extra_spares=[], seen=seen, kinds=works)
    plan.approve_plan(maren, job.number, job.plans[0].version, who="the keeper")
    work.begin_work(maren, job.number, 18, humidity=0.5, seen=revision(job, "work"))
    jobcard.check_pick(maren, job.number, {})


def lifted(odd: Act, maren: Act, job: Job) -> None:
    maren.now = odd.now
    work.resolve(maren, job.number, "looked at it together, it may go on")


def moved(random: Random, odd: Act, maren: Act, *, job: Job, row: StepRow) -> None:
    """One of the things that people do, good or not; what is refused changes nothing."""
    maren.now = odd.now
    move = random.choice(["do"] * 6 + ["bad", "skip", "skip", "leave", "anew"])
    try:
        with odd.db.begin_nested():
            match move:
                case "bad":
                    ticked_badly(random, odd, job, row)
                case "skip":
                    skipped(odd, job, row)
                case "leave":
                    jobcard.leave_out(maren, job.number, row.id, reason=WHY)
                case "anew":
                    planned_anew(odd, maren, job)
                case _:
                    do(odd, job, row)
    except (Refused, Invalid):
        odd.db.expire_all()


RELEARNT = (
    ("A", ("throttle_body",)),
    ("B", ("throttle_body", "egr_valve")),
    ("C", ("runner_actuator",)),
    ("D", ("egr_cooler",)),
    ("E", ("egr_cooler", "egr_dp_sensor")),
    ("F", ("throttle_body",)),
)
"""A family, and parts after which something is learned anew on it."""


@pytest.mark.parametrize(("family", "parts"), RELEARNT)
def test_a_relearn_that_is_skipped_leaves_nothing_out_of_reach(
    odd: Act, family: str, parts: tuple[str, ...]
) -> None:
    """What the relearn was to leave, a warm engine that runs, the card brings about by itself."""
    job = begun(odd, family, *parts, plate=f"SK-{family}")
    count = 0
    for _ in range(MOST_STEPS):
        row = card.first_left(job)
        if row is None:
            break
        if row.document.relearn:
            count += 1
            prove.relearn_skip(odd, job.number, WHY)
        else:
            do(odd, job, row)
    assert count and card.first_left(job) is None
    car = card.car_of(job)
    assert not car.open and car.coolant == "full" and job.pending_read_at


def test_a_relearn_that_runs_can_be_stopped_and_begun_again(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body", plate="ST-1")
    go_to(odd, job, "relearn:throttle_manual")
    template = prove.template_of(job)
    assert template is not None
    conditions = {name: True for name, _ in template.conditions}
    prove.relearn_begin(odd, job.number, conditions)
    for _ in range(2):
        prove.relearn_stop(odd, job.number)
        assert prove.relearn_state(job) is None and prove.due_relearn(job) is not None
    traced = select(AuditEntry.action).where(AuditEntry.job_id == job.id)
    assert list(odd.db.scalars(traced)).count("relearn_stopped") == 1
    learn(odd, job)
    assert prove.due_relearn(job) is None


@pytest.mark.parametrize("seed", range(often(6, 60)))
def test_no_walk_ends_where_nobody_can_go_on(odd: Act, maren: Act, seed: int) -> None:
    random = Random(4000 + seed)
    family = FAMILIES["ABCDEF"[seed % 6]]
    for _ in range(50):
        parts = random.sample([p.id for p in family.parts], 2)
        kinds = {p: random.choice(WORKS) for p in parts}
        try:
            job = begun(odd, family.id, *parts, kinds=kinds, plate=f"DE-{seed:03}")
            break
        except (InputError, Invalid, Refused):
            odd.db.rollback()  # not every work is done on every part
    said: list[str] = []
    for turn in range(MOST_STEPS):
        agreed(odd, job)
        if job.card.held is not None:
            (lifted if random.random() < 0.7 else planned_anew)(odd, maren, job)
            continue
        row = card.first_left(job)
        if row is None:
            return
        said.append(f"{row.document.id} ({row.document.act})")
        odd.db.expire(job, ["sections"])  # as the next request would find them
        if turn < 60:
            moved(random, odd, maren, job=job, row=row)
            continue
        # From here on nothing but honest work, whose waits are kept, and the word that a relearn is
        # left out.
        odd.now = max([odd.now, *(w.ends_at for w in job.waits)])
        try:
            do(odd, job, row)
        except Refused as fault:
            assert row.document.relearn, (family_of(job).id, said[-6:], fault.reasons)
            prove.relearn_skip(odd, job.number, WHY)
    raise AssertionError((family.id, said[-8:]))
