"""Who acts, when, and the guards that every write passes: once only, newest version only,
traced."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.core.airpath import EngineFamily
from galene.exchange.families import family_of_document
from galene.jobs.errors import AlreadyDone, Missing, NotAllowed, ReadOnly, Stale
from galene.store.models import FamilyVersion, Job, Person, Section, Trace, WriteOnce


@dataclass(kw_only=True)
class Act:
    """One write by one person at one moment."""

    db: Session
    person: Person
    now: datetime
    _held: tuple[Any, Job] | None = field(default=None, repr=False)

    def trace(self, job: Job | None, action: str, **detail: Any) -> None:
        """Append to the record of who did what when."""
        self.db.add(
            Trace(
                at=self.now,
                person_id=self.person.id,
                job_id=job.id if job else None,
                action=action,
                detail=detail,
            )
        )

    def once(self, token: str, location: str) -> None:
        """Claim a form's token.

        Raises
        ------
        AlreadyDone
            The same form was sent before. A twin still in its transaction is waited for.
        """
        claimed = self.db.execute(
            insert(WriteOnce)
            .values(token=token, person_id=self.person.id, at=self.now, location=location)
            .on_conflict_do_nothing()
            .returning(WriteOnce.token)
        ).first()
        if claimed is None:
            earlier = self.db.get(WriteOnce, token)
            raise AlreadyDone(earlier.location if earlier else location)

    def leads_to(self, token: str, location: str) -> None:
        """Change where a claimed token leads, once the write has found out."""
        row = self.db.get(WriteOnce, token)
        if row:
            row.location = location

    def claim(self, job: Job, section: str, seen: int) -> None:
        """Take the next revision of a section, unless somebody took it since `seen`.

        Raises
        ------
        Stale
            Naming who saved the newer one and when.
        """
        self.db.execute(
            insert(Section)
            .values(job_id=job.id, name=section, revision=0, at=self.now, person_id=self.person.id)
            .on_conflict_do_nothing()
        )
        row = self.db.execute(
            select(Section)
            .where(Section.job_id == job.id, Section.name == section)
            .with_for_update()
            .execution_options(populate_existing=True)
        ).scalar_one()
        if row.revision != seen:
            other = self.db.get(Person, row.person_id)
            raise Stale(section, other.name if other else "somebody", row.at)
        row.revision, row.at, row.person_id = seen + 1, self.now, self.person.id

    def job(self, number: str, finished: bool = False) -> Job:
        """The job, locked for this write; a use case that calls another within one write gets the
        same row.

        Raises
        ------
        Missing, ReadOnly
        """
        transaction = self.db.get_transaction()
        if self._held and self._held[0] is transaction and self._held[1].number == number:
            held = self._held[1]
            if held.state == "finished" and not finished:
                raise ReadOnly(number)
            return held
        job = (
            self.db.execute(
                select(Job)
                .where(Job.number == number)
                .with_for_update(of=Job)
                .execution_options(populate_existing=True)
            )
            .unique()
            .scalar_one_or_none()
        )
        if job is None:
            raise Missing(f"job {number}")
        if job.state == "finished" and not finished:
            raise ReadOnly(number)
        self._held = (self.db.get_transaction(), job)
        return job

    def foreman(self) -> None:
        """Raise `NotAllowed` unless a foreman acts."""
        if self.person.role != "foreman":
            raise NotAllowed


def find_job(db: Session, number: str) -> Job:
    """The job for reading.

    Raises
    ------
    Missing
    """
    job = db.execute(select(Job).where(Job.number == number)).unique().scalar_one_or_none()
    if job is None:
        raise Missing(f"job {number}")
    return job


def revision(job: Job, section: str) -> int:
    """Revision of a section that a form shows, 0 when it was never saved."""
    return next((s.revision for s in job.sections if s.name == section), 0)


_FAMILIES: dict[str, EngineFamily] = {}


def family_in(version: FamilyVersion) -> EngineFamily:
    """The family of a version. Versions never change and their digest names the content, so each is
    read once."""
    family = _FAMILIES.get(version.digest)
    if family is None:
        if len(_FAMILIES) >= 200:
            _FAMILIES.clear()
        family = _FAMILIES[version.digest] = family_of_document(version.document)
    return family


def family_of(job: Job) -> EngineFamily:
    """The engine family of a job, in the version that it began with."""
    if job.family_version is None:
        raise Missing(f"engine family {job.family_id}")
    return family_in(job.family_version)
