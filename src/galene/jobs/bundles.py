"""Jobs out as bundles and in again: a dry run says what would come, and nothing comes half."""

import csv
import io
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.exchange.bundles import Bundle, BundledJob, digest_of, read_bundle
from galene.exchange.families import family_of_document
from galene.jobs import families
from galene.jobs.act import Act, family_in, find_job
from galene.jobs.bundle_words import check_words
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Invalid, Missing
from galene.jobs.growth import life_of
from galene.jobs.intake import NewVehicle, next_number, plate_key, vehicle_faults
from galene.jobs.minutes import told_of as minutes_of
from galene.jobs.people import guest
from galene.jobs.pictures import pictures_of
from galene.jobs.proof import told_of
from galene.jobs.stages import STAGES, lacks
from galene.jobs.today import standing
from galene.store.job_document import (
    TABLES,
    People,
    document_of,
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
    LogFile,
    LogValues,
    Reading,
    ReadingSet,
    Vehicle,
)
from galene.store.pictures import PictureStore
from galene.store.repositories import bundles as rows
from galene.store.repositories import jobs, logs, vehicles
from galene.store.repositories import people as people_rows

FORMAT, VERSION = "galene-job", 1
MOST_LISTED = 200
MOST_VALUES = 20_000_000
"""Values of a log: rows times columns."""


def bundled(
    db: Session, number: str, store: PictureStore, report: Callable[[Job], bytes] | None = None
) -> BundledJob:
    """A whole job for a bundle.

    Parameters
    ----------
    report : prints the report of a finished job

    Raises
    ------
    Missing
    """
    job = find_job(db, number)
    version = job.family_version
    if version is None:
        raise Missing(f"engine family {job.family_id}")
    people = People(rows.names(db))
    whole = document_of(db, job, people)
    taken = pictures_of(db, job)
    family = family_in(version)
    names = {n for row in taken for n in (row.digest, row.thumbnail)}
    names |= {part.picture for part in family.parts if part.picture}
    return BundledJob(
        number=number,
        document={
            "format": FORMAT,
            "version": VERSION,
            **whole,
            "family": {"digest": version.digest, "document": version.document},
            "people": people.listed,
        },
        pictures={name: data for name in sorted(names) if (data := store.read(name)) is not None},
        logs={
            place: _log_text(db, log)
            for place, log in enumerate(sorted(logs.of_job(db, job.id), key=lambda x: x.id))
        },
        report=report(job) if report is not None and job.state == "finished" else None,
    )


def _log_text(db: Session, log: LogFile) -> bytes:
    """A log as CSV: headings as the file had them, gaps empty, numbers whole."""
    columns = [np.frombuffer(zlib.decompress(d), np.float64) for d in rows.log_columns(db, log.id)]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([c.name for c in log.columns])
    texts = [["" if v != v else repr(v) for v in column.tolist()] for column in columns]
    writer.writerows(zip(*texts, strict=True))
    return out.getvalue().encode()


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


@dataclass(frozen=True, kw_only=True)
class JobComing:
    """A job of a bundle: new, here already, or its number is taken by another job; `here` is the
    number under which it is here."""

    number: str
    plate: str
    complaint: str
    state: str
    pictures: int
    logs: int
    standing: str
    here: str = ""


@dataclass(frozen=True, kw_only=True)
class BundleComing:
    """What a bundle would bring."""

    workshop: str
    jobs: tuple[JobComing, ...]

    def count(self, standing: str) -> int:
        """How many jobs stand so: new, here, taken."""
        return sum(one.standing == standing for one in self.jobs)


def read(data: bytes) -> Bundle:
    """A bundle out of its bytes.

    Raises
    ------
    Invalid
        ``file``: naming the entry.
    """
    try:
        return read_bundle(data)
    except InputError as fault:
        raise Invalid({"file": _words(fault)}) from fault


def _words(fault: InputError) -> str:
    return f"{fault.field}: {str(fault.value)[:80]}. Wanted: {fault.allowed}."


Shown = Callable[[Job | None], object]
"""Makes every page of a job; with None those on which many stand. What can not be shown does not
come in."""


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
            standing, here = _standing(act.db, one, store)
            if standing != "here":
                number = next_number(act) if standing == "taken" else ""
                made[one.number] = _take(act, bundle, one, number=number)
            found.append(_told(one, standing, here))
        if shown is not None:
            _show(made, shown)
    finally:
        trial.rollback()
    return BundleComing(workshop=bundle.workshop, jobs=tuple(found))


def _told(one: BundledJob, standing: str, here: str) -> JobComing:
    document: Mapping[str, Any] = one.document if isinstance(one.document, dict) else {}
    job, vehicle = document.get("job"), document.get("vehicle")
    job = job if isinstance(job, dict) else {}
    vehicle = vehicle if isinstance(vehicle, dict) else {}
    return JobComing(
        number=one.number,
        plate=str(vehicle.get("plate", ""))[:20],
        complaint=str(job.get("complaint", ""))[:200],
        state=str(job.get("state", ""))[:20],
        pictures=len(one.pictures),
        logs=len(one.logs),
        standing=standing,
        here=here,
    )


def _standing(db: Session, one: BundledJob, store: PictureStore) -> tuple[str, str]:
    """New, here or taken, and the number under which it is here."""
    try:
        digest = digest_of(one.document)
    except (TypeError, ValueError, RecursionError) as fault:
        raise Invalid({"file": f"job.json of {one.number}: {str(fault)[:80]}."}) from fault
    before = rows.came_in(db, digest)
    if before is not None:
        return "here", before.number
    mine = jobs.by_number(db, one.number)
    if mine is None:
        return "new", ""
    same = digest_of(bundled(db, one.number, store).document) == digest
    return ("here" if same else "taken"), one.number


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
        standing, here = _standing(act.db, one, store)
        if standing == "taken" and not renumber:
            raise Invalid(
                {"file": f"Another job has the number {one.number} here. Nothing was taken in."}
            )
        if standing != "here":
            number = next_number(act) if standing == "taken" else ""
            here = _take(act, bundle, one, number=number).number
        found.append(_told(one, standing, here))
    try:
        for one in bundle.jobs:
            for name, picture in one.pictures.items():
                store.keep_encoded(name, picture)
    except InputError as fault:
        raise Invalid({"file": _words(fault)}) from fault
    return BundleComing(workshop=bundle.workshop, jobs=tuple(found))


def _take(act: Act, bundle: Bundle, one: BundledJob, *, number: str) -> Job:
    try:
        job = _rows_in(act, bundle, one, number=number)
        _holds(act, job)
    except InputError as fault:
        raise Invalid({"file": f"Job {one.number}: {_words(fault)}"}) from fault
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
            raise Invalid({"file": f"Job {number}: {_words(fault)}"}) from fault
    try:
        with _possible("jobs that can be shown together"):
            shown(None)
    except InputError as fault:
        raise Invalid({"file": _words(fault)}) from fault


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


def exported(
    db: Session,
    numbers: Sequence[str],
    store: PictureStore,
    report: Callable[[Job], bytes] | None = None,
) -> Iterator[BundledJob]:
    """Jobs for a bundle, one at a time, each let go of before the next."""
    for number in numbers:
        yield bundled(db, number, store, report)
        db.expunge_all()


def chosen(db: Session, *, numbers: Sequence[str] = (), plate: str = "") -> list[str]:
    """Numbers of the jobs that a bundle is to hold: those named, of a vehicle, or all.

    Raises
    ------
    Missing
        None of them.
    """
    found = rows.numbers(db, vehicle_key=plate_key(plate) if plate else "", only=numbers)
    if not found or (numbers and len(found) != len(set(numbers))):
        raise Missing("these jobs")
    return found


def chosen_or_none(db: Session) -> list[str]:
    """Numbers of all jobs, none where there is none."""
    return rows.numbers(db)
