"""What a bundle would bring in, told before anything is taken."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from galene.core.errors import InputError
from galene.exchange.bundles import Bundle, BundledJob, digest_of, read_bundle
from galene.jobs.bundles_out import bundled
from galene.jobs.errors import Invalid
from galene.store.pictures import PictureStore
from galene.store.repositories import bundles as rows
from galene.store.repositories import jobs


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
        raise Invalid({"file": fault_words(fault)}) from fault


def fault_words(fault: InputError) -> str:
    return f"{fault.field}: {str(fault.value)[:80]}. Wanted: {fault.allowed}."


def coming_of(one: BundledJob, standing: str, here: str) -> JobComing:
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


def standing_of(db: Session, one: BundledJob, store: PictureStore) -> tuple[str, str]:
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
