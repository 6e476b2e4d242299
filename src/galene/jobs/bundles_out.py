"""Jobs on their way out: everything of a job as a document, and the bundle of several."""

import csv
import io
import zlib
from collections.abc import Callable, Iterator, Sequence

import numpy as np
from sqlalchemy.orm import Session

from galene.exchange.bundles import BundledJob
from galene.jobs.act import family_in, find_job
from galene.jobs.errors import Missing
from galene.jobs.intake import plate_key
from galene.jobs.pictures import pictures_of
from galene.store.job_document import (
    People,
    document_of,
)
from galene.store.models import (
    Job,
    LogFile,
)
from galene.store.pictures import PictureStore
from galene.store.repositories import bundles as rows
from galene.store.repositories import logs

FORMAT, VERSION = "galene-job", 1


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
