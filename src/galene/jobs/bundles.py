"""Jobs out as bundles and in again: a dry run says what would come, and nothing comes half."""

import csv
import io
import zlib
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import numpy as np
from sqlalchemy.exc import SQLAlchemyError

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.exchange.bundles import Bundle, BundledJob, digest_of
from galene.exchange.families import family_of_document
from galene.jobs import families
from galene.jobs.act import Act, family_in
from galene.jobs.bundle_words import check_words
from galene.jobs.bundles_out import FORMAT, VERSION
from galene.jobs.bundles_seen import (
    BundleComing,
    JobComing,
    coming_of,
    fault_words,
    read,
    standing_of,
)
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Invalid
from galene.jobs.growth import life_of
from galene.jobs.intake import NewVehicle, next_number, plate_key, vehicle_faults
from galene.jobs.minutes import told_of as minutes_of
from galene.jobs.people import guest
from galene.jobs.proof import told_of
from galene.jobs.stages import STAGES, lacks
from galene.jobs.today import standing
from galene.store.job_document import (
    TABLES,
    lists_from,
    reading_values,
    row_from,
    vehicle_values,
)
from galene.store.models import (
    Base,
    BundleIn,
    FamilyVersion,
    Job,
    JobPicture,
    LogValues,
    Reading,
    ReadingSet,
    Vehicle,
)
from galene.store.pictures import PictureStore
from galene.store.repositories import bundles as rows
from galene.store.repositories import logs, vehicles
from galene.store.repositories import people as people_rows

MOST_LISTED = 200
MOST_VALUES = 20_000_000
"""Values of a log: rows times columns."""


def _log_values(data: bytes, columns: int, count: int, place: str) -> list[bytes]:
    """The deflated columns of a log out of its CSV.

    Raises
    ------
    InputError
    """
    if columns * count > MOST_VALUES:
        raise InputError(place, columns * count, f"up to {MOST_VALUES} values")
    try:
        lines = list(csv.reader(io.StringIO(data.decode()), strict=True))[1:]
        values = [[float(x) if x else float("nan") for x in line] for line in lines]
    except (UnicodeDecodeError, csv.Error, ValueError) as fault:
        raise InputError(place, str(fault)[:80], "a CSV of numbers") from fault
    if len(values) != count or any(len(line) != columns for line in values):
        raise InputError(place, f"{len(values)} lines", f"{count} lines of {columns} figures")
    whole = np.array(values, np.float64).reshape(count, columns)
    return [zlib.compress(np.ascontiguousarray(c).tobytes(), 1) for c in whole.T]


Shown = Callable[[Job | None], object]
"""Makes every page of a job; with None those on which many stand. What can not be shown does not
come in."""


def take_in(
    act: Act,
    data: bytes,
    store: PictureStore,
    *,
    renumber: bool = False,
) -> BundleComing:
    """Take the jobs of a bundle in that was looked at; the same bundle twice is harmless. Their
    pictures lie on disk before a row names them.

    Parameters
    ----------
    renumber : give a job whose number is taken here the next free one

    Raises
    ------
    Invalid
        ``file``: then nothing came in.
    """
    bundle = read(data)
    found: list[JobComing] = []
    for one in bundle.jobs:
        standing, here = standing_of(act.db, one, store)
        if standing == "taken" and not renumber:
            raise Invalid(
                {"file": f"Another job has the number {one.number} here. Nothing was taken in."}
            )
        if standing != "here":
            number = next_number(act) if standing == "taken" else ""
            here = _take(act, bundle, one, number=number).number
        found.append(coming_of(one, standing, here))
    try:
        for one in bundle.jobs:
            for name, picture in one.pictures.items():
                store.keep_encoded(name, picture)
    except InputError as fault:
        raise Invalid({"file": fault_words(fault)}) from fault
    return BundleComing(workshop=bundle.workshop, jobs=tuple(found))


def _take(act: Act, bundle: Bundle, one: BundledJob, *, number: str) -> Job:
    try:
        job = _rows_in(act, bundle, one, number=number)
        _holds(act, job)
    except InputError as fault:
        raise Invalid({"file": f"Job {one.number}: {fault_words(fault)}"}) from fault
    except SQLAlchemyError as fault:
        raise Invalid(
            {"file": f"Job {one.number}: its rows do not fit together. Nothing was taken in."}
        ) from fault
    return job


def _rows_in(act: Act, bundle: Bundle, one: BundledJob, *, number: str) -> Job:
    document = one.document
    lists = lists_from(document)
    if (document["format"], document["version"]) != (FORMAT, VERSION):
        raise InputError("format", str(document["version"])[:40], f"{FORMAT}, {VERSION}")
    people = _people_in(act, bundle.workshop, document["people"])
    version = _family_in(act, document["family"])
    family = family_in(version)
    vehicle = _vehicle_in(act, document["vehicle"], family)
    values = row_from(Job, document["job"], "job", people=people)
    if values["number"] != one.number or values["family_id"] != family.id:
        raise InputError("job.number", values["number"], f"{one.number}, of family {family.id}")
    job = Job(**{**values, "number": number or one.number})
    job.vehicle_id, job.family_version_id = vehicle.id, version.id
    act.db.add(job)
    act.db.flush()
    for table in TABLES:
        for place, row in enumerate(lists[table.name]):
            _row_in(
                act, job, one, table.model, row=row, place=f"{table.name}[{place}]", people=people
            )
    act.db.flush()
    _log_values_in(act, job, one)
    check_words(job, family, one)
    act.db.add(
        BundleIn(
            digest=digest_of(document),
            job_id=job.id,
            workshop=bundle.workshop,
            at=act.now,
            person_id=act.person.id,
        )
    )
    act.trace(None, "job_taken_in", number=job.number, workshop=bundle.workshop)
    act.db.flush()
    act.db.expire(job)
    return job


def _row_in(
    act: Act,
    job: Job,
    one: BundledJob,
    model: type[Base],
    *,
    row: Any,
    place: str,
    people: Mapping[int, int],
) -> None:
    readings: list[dict[str, Any]] = []
    if model is ReadingSet and isinstance(row, dict):
        readings = reading_values(row.get("readings"), f"{place}.readings")
        row = {k: v for k, v in row.items() if k != "readings"}
    made: Any = model(**row_from(model, row, place, people=people), job_id=job.id)
    if isinstance(made, ReadingSet):
        made.readings = [Reading(**values) for values in readings]
    if isinstance(made, JobPicture):
        lost = next((n for n in (made.digest, made.thumbnail) if n not in one.pictures), None)
        if lost:
            raise InputError(place, lost[:70], "a picture that is in the bundle")
    act.db.add(made)
    # In their order, so that they come out again in it.
    act.db.flush()


def _log_values_in(act: Act, job: Job, one: BundledJob) -> None:
    mine = sorted(logs.of_job(act.db, job.id), key=lambda x: x.id)
    if one.logs.keys() != set(range(len(mine))):
        raise InputError("logs", len(one.logs), f"the values of {len(mine)} logs")
    for place, log in enumerate(mine):
        name = f"logs/{place}.csv"
        for position, data in enumerate(
            _log_values(one.logs[place], len(log.columns), log.rows, name)
        ):
            act.db.add(LogValues(log_id=log.id, position=position, data=data))


def _people_in(act: Act, workshop: str, names: Any) -> dict[int, int]:
    """Ids of people by their place: our own where the bundle comes from this workshop, else guests
    who sign in nowhere."""
    if not isinstance(names, list) or len(names) > MOST_LISTED:
        raise InputError("people", type(names).__name__, f"up to {MOST_LISTED} names")
    ours = people_rows.workshop(act.db).name == workshop
    found: dict[int, int] = {}
    for place, name in enumerate(names):
        if not isinstance(name, str) or not 1 <= len(name) <= 120 or not name.isprintable():
            raise InputError(f"people[{place}]", str(name)[:40], "a name of up to 120 signs")
        known = rows.person_named(act.db, name, guest=False) if ours else None
        found[place] = (known or guest(act.db, name)).id
    return found


def _family_in(act: Act, document: Any) -> FamilyVersion:
    """The family's version with this content, put beside the others where it is not known: what is
    in force stays in force."""
    if not isinstance(document, dict) or document.keys() != {"digest", "document"}:
        raise InputError("family", type(document).__name__, "its digest and its document")
    family = family_of_document(document["document"])
    digest = families.digest_of(document["document"])
    if digest != document["digest"]:
        raise InputError("family.digest", str(document["digest"])[:70], digest)
    known = rows.family_version(act.db, family.id, digest)
    return known or families.add_version(act, family, "came with a job")


def _vehicle_in(act: Act, document: Any, family: EngineFamily) -> Vehicle:
    values = vehicle_values(document)
    key = plate_key(values["plate"])
    known = vehicles.by_key(act.db, key)
    if known is not None:
        if known.family_id != values["family_id"]:
            raise InputError(
                "vehicle.family_id", values["family_id"], f"{known.family_id}, as {known.plate} has"
            )
        return known
    given = NewVehicle(
        plate=values["plate"],
        maker=values["maker"],
        model=values["model"],
        year=str(values["year"] or ""),
        family=values["family_id"],
        keeper=values["keeper"],
    )
    faults = vehicle_faults(given, known_families={family.id}, year=act.now.year)
    if faults:
        name, words = next(iter(faults.items()))
        raise InputError(f"vehicle.{name}", getattr(given, name), words)
    made = Vehicle(**{**values, "plate_key": key})
    act.db.add(made)
    act.db.flush()
    return made


def _holds(act: Act, job: Job) -> None:
    """Every computation that a page makes of a job is made once: what can not be computed does not
    come in.

    Raises
    ------
    InputError
    """
    shop = people_rows.workshop(act.db)
    with _possible("a job that can be computed"):
        assess_job(job, shop.hourly_rate)
        told_of(act.db, job, shop)
        standing(job, act.now)
        minutes_of(job)
        for stage in STAGES:
            lacks(job, stage)
        if job.family_version is not None:
            life_of(act.db, [job], family_in(job.family_version))


def _show(made: Mapping[str, Job], shown: Shown) -> None:
    """Every page of the jobs that came is made once, and once those on which all stand.

    Raises
    ------
    Invalid
        ``file``: the first job of which a page can not be made, by its number in the bundle.
    """
    for number, job in made.items():
        try:
            with _possible("a job that can be shown"):
                shown(job)
        except InputError as fault:
            raise Invalid({"file": f"Job {number}: {fault_words(fault)}"}) from fault
    try:
        with _possible("jobs that can be shown together"):
            shown(None)
    except InputError as fault:
        raise Invalid({"file": fault_words(fault)}) from fault


@contextmanager
def _possible(allowed: str) -> Iterator[None]:
    """Whatever goes wrong with a job, it is not one: the bundle is refused and nothing of it
    stays."""
    try:
        yield
    except InputError:
        raise
    except Exception as fault:
        raise InputError("job", type(fault).__name__, allowed) from fault


def coming(
    act: Act, bundle: Bundle, store: PictureStore, shown: Shown | None = None
) -> BundleComing:
    """What a bundle would bring: every job is taken in to see whether it holds, and let go again.

    Parameters
    ----------
    shown : makes the pages of a job

    Raises
    ------
    Invalid
        ``file``: a job that does not hold, naming the place.
    """
    found: list[JobComing] = []
    trial = act.db.begin_nested()
    try:
        made: dict[str, Job] = {}
        for one in bundle.jobs:
            standing, here = standing_of(act.db, one, store)
            if standing != "here":
                number = next_number(act) if standing == "taken" else ""
                made[one.number] = _take(act, bundle, one, number=number)
            found.append(coming_of(one, standing, here))
        if shown is not None:
            _show(made, shown)
    finally:
        trial.rollback()
    return BundleComing(workshop=bundle.workshop, jobs=tuple(found))
