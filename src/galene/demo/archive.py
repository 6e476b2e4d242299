"""Older visits of the fleet as the shed's book has them: what was found, left and read, without a
card. Grades are grown by the same model that the due dates are reckoned with."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from random import Random

from sqlalchemy.orm import Session

from galene.core.jobcard.job_records import (
    BulletinLookup,
    ConfirmedCause,
    RoadTest,
    SetConditions,
)
from galene.core.learning.growth import BETWEEN, FED_FACTOR, WITHIN, duty_prior
from galene.core.planning.records import Step
from galene.demo.engine import EngineState, idle_samples
from galene.jobs import evidence, handover, intake
from galene.jobs.act import Act, family_of, find_job
from galene.jobs.planning import planned, works_of
from galene.knowledge.reading_channels import channels_of
from galene.store.models import Job, Person, StepTime, Vehicle
from galene.store.repositories import people


@dataclass(frozen=True, kw_only=True)
class Kept:
    """A vehicle of the book.

    Parameters
    ----------
    vehicle : as it was taken in
    part, deposit, cause : what was cleaned every time
    rpm : idle of a sound engine
    duty : how it is used
    visits : days ago, km or hours, and whether what feeds it was left
    hours : whether engine hours count
    complaint : how it stood after the last visit
    seed : of its rate and readings
    """

    vehicle: intake.NewVehicle
    part: str
    deposit: str
    cause: str
    rpm: float
    duty: str
    visits: tuple[tuple[int, float, bool], ...]
    hours: bool = False
    seed: int = 1
    complaint: str = "gone"


BOOK: tuple[Kept, ...] = (
    Kept(
        vehicle=intake.NewVehicle(
            plate="QN-118",
            maker="Brinewell",
            model="Causeway 12-seat",
            year="2018",
            family="A",
            keeper="Quillness school run",
        ),
        part="throttle_body",
        deposit="varnish",
        cause="throttle_deposit",
        rpm=738,
        duty="short_trips",
        visits=((1020, 41_200, False), (640, 60_900, False), (352, 76_400, False)),
        seed=2,
    ),
    Kept(
        vehicle=intake.NewVehicle(
            plate="QN-121",
            maker="Brinewell",
            model="Causeway 12-seat",
            year="2019",
            family="A",
            keeper="Quillness school run",
        ),
        part="throttle_body",
        deposit="oil_carbon",
        cause="throttle_deposit",
        rpm=744,
        duty="short_trips",
        # The breather was mended at the second visit: from there on it grows at half the rate.
        visits=((980, 30_100, True), (700, 44_000, False), (346, 66_700, False)),
        seed=22,
    ),
    Kept(
        vehicle=intake.NewVehicle(
            plate="QN-090",
            maker="Hollinvar",
            model="Tarnback pickup",
            year="2010",
            family="B",
            keeper="Harbour office",
        ),
        part="throttle_body",
        deposit="varnish",
        cause="throttle_deposit",
        rpm=692,
        duty="long_idle_or_pto",
        visits=((860, 128_000, False), (410, 149_500, False)),
        seed=3,
    ),
    Kept(
        vehicle=intake.NewVehicle(
            plate="QN-268",
            maker="Brinewell",
            model="Lugger minibus",
            year="2020",
            family="D",
            keeper="Quillness school run",
        ),
        part="boost_sensor",
        deposit="soot",
        cause="boost_sensor_fouled",
        rpm=811,
        duty="short_trips",
        visits=((760, 52_300, False), (365, 79_900, False)),
        seed=4,
    ),
    Kept(
        vehicle=intake.NewVehicle(
            plate="QN-F5",
            maker="Sandpiper",
            model="Beach 250",
            year="2021",
            family="F",
            keeper="Beach patrol",
        ),
        part="crankcase_pressure_hose",
        deposit="soot",
        cause="crankcase_hose_blocked",
        rpm=1440,
        duty="dusty_use",
        visits=((706, 420, False), (310, 840, False)),
        hours=True,
        seed=6,
    ),
    Kept(
        vehicle=intake.NewVehicle(
            plate="QN-093",
            maker="Hollinvar",
            model="Tarnback estate",
            year="2012",
            family="B",
            keeper="Harbour office",
        ),
        part="throttle_body",
        deposit="varnish",
        cause="throttle_deposit",
        rpm=689,
        duty="short_trips",
        visits=((540, 96_200, False), (5, 118_900, False)),
        seed=9,
        # Better and not gone: somebody must ask again.
        complaint="better",
    ),
)


Steps = dict[tuple[str, str], list[Step]]
"""Steps of a visit by family and part: planned once, as every visit has the same."""


def book_visits(
    db: Session, technician: Person, now: datetime
) -> list[tuple[int, Callable[[], None]]]:
    """Every visit of the book: how many days ago, and what enters it."""
    found: list[tuple[int, Callable[[], None]]] = []
    known: Steps = {}
    for kept in BOOK:
        random = Random(kept.seed)
        prior = duty_prior([kept.duty], "grade", kept.hours)
        log_rate = random.gauss(prior.mean, BETWEEN / 2)
        act = Act(db=db, person=technician, now=now - timedelta(days=kept.visits[0][0] + 1))
        vehicle = intake.add_vehicle(act, kept.vehicle)
        before, fed_before, cured = 0.0, False, False
        for days, at, fed in kept.visits:
            rate = math.exp(random.gauss(log_rate, WITHIN))
            # Before the first visit it was cleaned once, elsewhere.
            grown = rate * (at - before if before else at / 2) / (FED_FACTOR if cured else 1.0)
            grade = max(2, min(4, round(grown)))
            when = Act(db=db, person=technician, now=now - timedelta(days=days))
            last = days == kept.visits[-1][0]
            word = kept.complaint if last else "gone"
            enter = partial(
                _visit,
                when,
                vehicle,
                kept,
                known=known,
                at=at,
                grade=grade,
                fed=fed,
                complaint=word,
            )
            found.append((days, enter))
            before, cured, fed_before = at, cured or (fed_before and not fed), fed_before or fed
    return found


def _visit(
    act: Act,
    vehicle: Vehicle,
    kept: Kept,
    *,
    known: Steps,
    at: float,
    grade: int,
    fed: bool,
    complaint: str = "gone",
) -> None:
    number = intake.open_job(act, vehicle, "Look it over: it is its time.").number
    job = find_job(act.db, number)
    family = family_of(job)
    job.distance_km, job.hours = (None, at) if kept.hours else (at, None)
    job.bulletins = BulletinLookup(
        source="maker's bulletin list", outcome="none open", by=act.person.name, at=act.now
    )
    intake.observe(act, job, kept.duty, state="present", source="tap")
    evidence.save_inspection(
        act, number, "before", part_id=kept.part, deposit=kept.deposit, grade=grade
    )
    _idle(act, number, "before", EngineState(deposit_mm=0.03 * grade, roughness_rpm=9), kept)
    job.codes_cleared_at = job.work_began_at = job.engine_started_at = act.now
    act.now += timedelta(hours=2)
    evidence.save_inspection(act, number, "after", part_id=kept.part, deposit="", grade=0)
    _idle(act, number, "after", EngineState(roughness_rpm=7), kept)
    job.road_test = RoadTest(done=True, km=9.0, complaint=complaint, by=act.person.name, at=act.now)
    job.pending_read_at, job.stage = act.now, "handover"
    label = family.part(kept.part).label
    found = f"{label}: grade {grade}" if grade >= handover.GRADE_FOUND else ""
    cause = ConfirmedCause(id=kept.cause, found=found)
    handover.save_handover(act, number, handover.ItWas(causes=(cause,)), advice="", fed=fed, seen=0)
    handover.keep_proof(act, job)
    job.state, job.signed_at, job.finished_at = "finished", act.now, act.now
    job.signed_by_id = act.person.id
    _timed(act, job, kept, known)
    act.trace(job, "taken_from_the_book", verdict=job.proof.verdict)
    act.db.flush()


PACE: dict[str, float] = {"access": 1.3, "clean": 0.9, "refit": 1.15}
"""How this shed's time stands to the book's, by phase; as the book has it in the others."""


def _timed(act: Act, job: Job, kept: Kept, known: Steps) -> None:
    """What the steps took, as somebody noted it in the book."""
    key = job.family_id, kept.part
    if key not in known:
        works = works_of(job, [kept.part])
        plan = planned(job, works, people.workshop(act.db)).plan
        known[key] = [s for s in plan.steps if s.minutes > 0 and s.act == "tick"]
    random = Random(f"{kept.seed}:{job.number}")
    act.db.add_all(
        StepTime(
            job_id=job.id,
            position=place,
            family_id=job.family_id,
            step_id=step.id,
            title=step.text[:160],
            book=step.minutes,
            minutes=step.minutes * PACE.get(step.phase, 1.0) * math.exp(random.gauss(0, 0.3)),
            at=act.now,
            person_id=act.person.id,
        )
        for place, step in enumerate(known[key])
    )


def _idle(act: Act, number: str, phase: str, state: EngineState, kept: Kept) -> None:
    family = family_of(find_job(act.db, number))
    rpm = kept.rpm if phase == "after" else kept.rpm - 24
    values = idle_samples(family, state, kept.seed + len(number) + len(phase), rpm=rpm)
    channels = {c.id for c in channels_of(family, "idle")}
    evidence.save_readings(
        act,
        number,
        phase,
        kind="idle",
        values={k: v for k, v in values.items() if k in channels},
        conditions=(
            SetConditions(coolant_c=90.0, intake_c=19.0)
            if family.cooling == "liquid"
            else SetConditions(warm=True, intake_c=19.0)
        ),
        seen=0,
    )
