"""The demo's cars: what the card says was done is done to the car, once."""

from contextlib import nullcontext
from types import SimpleNamespace

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.planning.records import StateWords
from galene.demo.cars import CARS, Car, _into, follow, treated_parts, vehicle_of
from galene.jobs import jobcard, work
from galene.jobs.act import Act
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle
from galene.store.models import Job
from tests.jobs.hands import begun, good


def car_on(job: Job, vehicle: Vehicle) -> Car:
    """A car without a bus."""
    return Car(
        story=CARS[0],
        number=job.number,
        vehicle=vehicle,
        station=SimpleNamespace(in_hand=lambda: nullcontext(vehicle)),
        program=None,
        channel="",
        done={s.id for s in job.steps if s.done_at},
        mended=set(treated_parts(job)),
    )


def test_a_part_is_clean_when_its_last_step_is_ticked(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body")
    vehicle = Vehicle(FAMILIES["A"], {"throttle_deposit": 0.7, "unmetered_air_leak": 0.3})
    car = car_on(job, vehicle)
    seen = []
    while (row := work.current_step(job)) is not None and row.document.act == "tick":
        for caution in row.document.cautions:
            jobcard.acknowledge(odd, job.number, caution)
        odd.now = max([odd.now, *(w.ends_at for w in job.waits)])
        jobcard.tick(odd, job.number, row.id, records=good(row.document))
        follow(odd.db, car)
        seen.append("throttle_deposit" in vehicle.faults)
    assert seen[0] and not seen[-1], "dirty at the first step, clean after the last of its own"
    assert vehicle.faults == {"unmetered_air_leak": 0.3}, "what nobody mended stays"
    vehicle.faults["throttle_deposit"] = 0.2
    follow(odd.db, car)
    assert "throttle_deposit" in vehicle.faults, "a card is followed once"


def test_the_car_goes_into_the_state_that_a_step_brings_about() -> None:
    vehicle = Vehicle(FAMILIES["A"], {})
    _into(vehicle, StateWords(engine="running"))
    assert vehicle.wishes.key
    _into(vehicle, StateWords(engine="off"))
    assert not vehicle.wishes.key
    _into(vehicle, StateWords(battery="off"))
    assert not vehicle.battery
    _into(vehicle, StateWords(battery="on", engine="ignition"))
    assert vehicle.battery and vehicle.wishes.key and not vehicle.engine.running


def test_the_demo_holds_a_job_for_each_car(db: Session) -> None:
    jobs = {j.vehicle.plate: j for j in db.scalars(select(Job)).unique() if j.state == "open"}
    for story in CARS:
        vehicle = vehicle_of(story, jobs[story.plate])
        assert vehicle.engine.running == story.runs
        stored = {c.code for c in vehicle.memory.codes.values() if c.stored}
        assert stored == ({"P0401"} if "egr_passage_plugged" in story.faults else set())
