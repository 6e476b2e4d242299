"""The demo's two cars: simulated ones on a bus of their own, each with a bridge that knows nothing
of that. What the card says is done is done to the car too, as somebody in the bay would do it."""

from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import can
from sqlalchemy.orm import Session

from galene.bridge.link import paired
from galene.bridge.program import Program, buffer_in
from galene.bus.station import Station, station_of
from galene.core.planning.records import StateWords
from galene.jobs import live
from galene.jobs.act import Act, family_of
from galene.jobs.intake import plate_key
from galene.simulation.road import Road
from galene.simulation.vehicle import Vehicle
from galene.store.models import Job, StepRow
from galene.store.repositories import jobs, vehicles

LOOK_S = 1.0
MENDS = {"clean": False, "replace": True, "repair": True}
"""Kinds of work after which a part is as it should be, and whether what was broken is gone too."""


@dataclass(frozen=True, kw_only=True)
class CarStory:
    """A car of the demo: for which job, what is wrong with it, how long it was driven with that,
    and what was done to it before."""

    plate: str
    faults: dict[str, float]
    driven_s: float = 0.0
    cleaned: tuple[str, ...] = ()
    runs: bool = True


CARS = (
    CarStory(plate="QN-088", faults={"egr_passage_plugged": 0.9}, driven_s=700),
    CarStory(
        plate="QN-124",
        faults={"throttle_deposit": 0.6},
        cleaned=("throttle_body",),
        runs=False,
    ),
)
"""The petrol V6 with its plugged passage, and the petrol four that still has to learn its clean
plate."""


@dataclass(kw_only=True)
class Car:
    """One car with its bus, its bridge and the job that it belongs to."""

    story: CarStory
    number: str
    vehicle: Vehicle
    station: Station
    program: Program
    channel: str
    done: set[int] = field(default_factory=set)
    mended: set[str] = field(default_factory=set)
    started_at: datetime | None = None
    cleared_at: datetime | None = None

    def close(self) -> None:
        """Take it off its bus."""
        self.program.stop()
        self.station.close()
        self.station.bus.shutdown()
        self.program.buffer.close()


def vehicle_of(story: CarStory, job: Job) -> Vehicle:
    """The car as the story finds it: it ran with its faults, was cleaned, and runs or stands."""
    vehicle = Vehicle(family_of(job), story.faults)
    vehicle.key_on()
    vehicle.start()
    for _ in range(6000):
        vehicle.step()
    if story.driven_s:
        vehicle.road = Road(vehicle, "town", story.driven_s)
        for _ in range(round(100 * story.driven_s) + 2000):
            vehicle.step()
    if not story.runs:
        vehicle.key_off()
        for _ in range(500):
            vehicle.step()
        vehicle.key_on()
    for part in story.cleaned:
        vehicle.mend(part)
    return vehicle


def put_in(db: Session, story: CarStory, *, server: str, folder: Path, now: datetime) -> Car | None:
    """Put a story's car into its job's bay and pair its bridge, as a technician does; None where
    the job is not open any more."""
    vehicle_row = vehicles.by_key(db, plate_key(story.plate))
    job = jobs.open_of_vehicle(db, vehicle_row.id) if vehicle_row is not None else None
    if job is None:
        return None
    code = live.offer_code(Act(db=db, person=job.technician, now=now), job.number)
    db.commit()
    channel = f"demo-{story.plate}"
    vehicle = vehicle_of(story, job)
    station = station_of(vehicle, can.Bus(interface="virtual", channel=channel), plate=story.plate)
    buffer = buffer_in(folder / story.plate)
    pairing = paired(server, code, f"cart at {job.bay or 'the shed'}")
    buffer.pair(pairing)
    program = Program(pairing, buffer, lambda: can.Bus(interface="virtual", channel=channel))
    car = Car(
        story=story,
        number=job.number,
        vehicle=vehicle,
        station=station,
        program=program,
        channel=channel,
        done={s.id for s in job.steps if s.done_at},
        mended=set(treated_parts(job)),
        started_at=job.engine_started_at,
        cleared_at=job.codes_cleared_at,
    )
    program.start()
    return car


def follow(db: Session, car: Car) -> None:
    """Do to the car what its card says was done since."""
    job = jobs.by_number(db, car.number)
    if job is None:
        return
    for step in sorted(job.steps, key=lambda s: s.position):
        if step.done_at and step.id not in car.done:
            car.done.add(step.id)
            with car.station.in_hand() as vehicle:
                _done(vehicle, step)
    for part, work in treated_parts(job).items():
        if part not in car.mended:
            car.mended.add(part)
            with car.station.in_hand() as vehicle:
                vehicle.mend(part, new=MENDS[work])
    if job.codes_cleared_at and job.codes_cleared_at != car.cleared_at:
        car.cleared_at = job.codes_cleared_at
        with car.station.in_hand() as vehicle:
            vehicle.memory.clear()
    if job.engine_started_at and job.engine_started_at != car.started_at:
        car.started_at = job.engine_started_at
        with car.station.in_hand() as vehicle:
            vehicle.key_on()
            vehicle.start()


def _done(vehicle: Vehicle, step: StepRow) -> None:
    """One step of the card, as far as a car feels it."""
    document = step.document
    if step.records.left_out:
        return
    _into(vehicle, document.does)


def treated_parts(job: Job) -> dict[str, str]:
    """Parts whose treatment is done to its last step, with the kind of work."""
    left: set[str] = set()
    found: dict[str, str] = {}
    for step in job.steps:
        document = step.document
        if document.work not in MENDS:
            continue
        for part in document.treats or (document.part,):
            if step.done_at is None:
                left.add(part)
            elif not step.records.left_out:
                found[part] = str(document.work)
    return {part: work for part, work in found.items() if part and part not in left}


def _into(vehicle: Vehicle, does: StateWords) -> None:
    """What a step makes of the car's state."""
    if does.battery == "off":
        vehicle.battery_off()
    elif does.battery == "on":
        vehicle.battery = True
    if does.engine == "off":
        vehicle.key_off()
    elif does.engine == "ignition":
        vehicle.key_off()
        vehicle.key_on()
    elif does.engine == "running":
        vehicle.key_on()
        vehicle.start()
