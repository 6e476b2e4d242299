"""Vehicles outside a job: changed, merged with their twins, retired and brought back."""

from sqlalchemy.orm import Session

from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Refused, Stale
from galene.jobs.intake import HAZARDS, NewVehicle, check_text, plate_key, vehicle_faults
from galene.jobs.rights import Right
from galene.store.models import FormerPlate, Vehicle
from galene.store.repositories import people
from galene.store.repositories import vehicles as rows
from galene.store.repositories.families import is_in_force


def find(db: Session, plate: str) -> Vehicle:
    """The vehicle of a plate, or the one that had it before.

    Raises
    ------
    Missing
    """
    key = plate_key(plate)
    vehicle = rows.by_key(db, key) or rows.by_former(db, key)
    if vehicle is None:
        raise Missing(f"vehicle {plate[:20]}")
    return vehicle


def _locked(act: Act, plate: str, seen: int | None = None) -> Vehicle:
    vehicle = rows.locked(act.db, find(act.db, plate).id)
    if vehicle is None:
        raise Missing(f"vehicle {plate[:20]}")
    if seen is not None and vehicle.revision != seen:
        last = people.last_trace(act.db, "vehicle_changed")
        who = last.person.name if last and last.person else "somebody"
        raise Stale("this vehicle", who, last.at if last else act.now)
    return vehicle


def _had(act: Act, vehicle: Vehicle, plate: str, key: str) -> None:
    rows.forget_former(act.db, key)
    act.db.add(FormerPlate(plate_key=key, plate=plate, vehicle_id=vehicle.id, until=act.now))


def change(act: Act, plate: str, given: NewVehicle, *, seen: int) -> Vehicle:
    """Change what is known of a vehicle; a plate that it had still leads to it.

    Raises
    ------
    Missing, Stale
    Invalid
        By field. The family stays while a job is open, and a mark of danger is taken away by a
        foreman only.
    """
    vehicle = _locked(act, plate, seen)
    in_force = [given.family] if is_in_force(act.db, given.family) else []
    faults = vehicle_faults(given, known_families=in_force, year=act.now.year)
    key = plate_key(given.plate)
    other = rows.by_key(act.db, key)
    if "plate" not in faults and other is not None and other.id != vehicle.id:
        faults["plate"] = f"{other.plate} is another vehicle: merge them if they are one."
    open_job = rows.open_job_of(act.db, vehicle.id)
    if given.family != vehicle.family_id and open_job:
        faults["family"] = f"Job {open_job} is open and goes by the family that it began with."
    hazards = [h for h in given.hazards if h in HAZARDS]
    if set(vehicle.hazards) - set(hazards) and not act.holds(Right.KEEPERS):
        faults["hazards"] = "A foreman takes a mark of danger away."
    if faults:
        raise Invalid(faults)
    check_text({"model": given.model, "keeper": given.keeper, "contact": given.contact})
    was = {"plate": vehicle.plate, "family": vehicle.family_id, "hazards": vehicle.hazards}
    if key != vehicle.plate_key:
        rows.forget_former(act.db, key)
        _had(act, vehicle, vehicle.plate, vehicle.plate_key)
    vehicle.plate, vehicle.plate_key = given.plate.strip().upper(), key
    vehicle.maker, vehicle.model = given.maker.strip(), given.model.strip()
    vehicle.year = int(given.year) if given.year.strip() else None
    vehicle.family_id, vehicle.hazards = given.family, hazards
    vehicle.keeper, vehicle.contact = given.keeper.strip(), given.contact.strip()
    vehicle.revision += 1
    act.trace(None, "vehicle_changed", plate=vehicle.plate, was=was)
    return vehicle


def merge(act: Act, plate: str, twin: str) -> Vehicle:
    """Hang all of a twin onto this vehicle: its visits, fills, bulletins, and its plate.

    Raises
    ------
    NotAllowed, Missing
    Invalid
        ``twin``: the vehicle itself, one of another family, or one with an open job while this has
        one too; or the own password did not come with it.
    """
    act.needs(Right.KEEPERS)
    act.proves()
    if plate_key(twin) and find(act.db, plate).id == find(act.db, twin).id:
        raise Invalid({"twin": "That is this vehicle."})
    vehicle, other = _locked(act, plate), _locked(act, twin)
    if other.family_id != vehicle.family_id:
        raise Invalid({"twin": "It has another engine family: correct that first."})
    if rows.open_job_of(act.db, vehicle.id) and rows.open_job_of(act.db, other.id):
        raise Invalid({"twin": "Both have an open job: finish one first."})
    jobs = rows.move_all(act.db, other.id, vehicle.id)
    vehicle.hazards = sorted({*vehicle.hazards, *other.hazards})
    was, key = other.plate, other.plate_key
    act.db.expire(other)
    act.db.delete(other)
    act.db.flush()
    _had(act, vehicle, was, key)
    vehicle.revision += 1
    act.trace(None, "vehicles_merged", plate=vehicle.plate, twin=was, jobs=jobs)
    return vehicle


def retire(act: Act, plate: str) -> None:
    """Take a vehicle out of the fleet: it is due no more, and not taken in. Twice is harmless.

    Raises
    ------
    NotAllowed, Missing
    Refused
        A job of it is open.
    """
    act.needs(Right.KEEPERS)
    vehicle = _locked(act, plate)
    if vehicle.retired_at is not None:
        return
    if number := rows.open_job_of(act.db, vehicle.id):
        raise Refused("It stands in the workshop", [f"job {number} is open"])
    vehicle.retired_at, vehicle.revision = act.now, vehicle.revision + 1
    act.trace(None, "vehicle_retired", plate=vehicle.plate)


def bring_back(act: Act, plate: str) -> None:
    """A retired vehicle counts again. Twice is harmless."""
    act.needs(Right.KEEPERS)
    vehicle = _locked(act, plate)
    if vehicle.retired_at is not None:
        vehicle.retired_at, vehicle.revision = None, vehicle.revision + 1
        act.trace(None, "vehicle_brought_back", plate=vehicle.plate)
