"""Who acts, when, and the guards that every write passes: once only, newest version only,
traced."""

from dataclasses import dataclass, field
from datetime import datetime
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached
from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.exchange.families import family_of_document
from galene.jobs.errors import AlreadyDone, Invalid, Missing, NotAllowed, ReadOnly, Stale
from galene.jobs.rights import Right, holds
from galene.store.models import AuditEntry, FamilyVersion, Job, Person
from galene.store.repositories import jobs, people, writes


@dataclass(kw_only=True)
class Act:
    """One write by one person at one moment.

    Parameters
    ----------
    now : when it was done: what is computed goes by it
    received, claimed : for what a card sent: when the server took it, by which the trace is
        ordered, and what the card's clock said
    owner : the name that an owner gave who acts without an account, at an address that `person`
        opened
    by_pin : came by PIN on a shared tablet, and has no more than a technician's rights
    proven : gave the own password with this very write
    """

    db: Session
    person: Person
    now: datetime
    received: datetime | None = None
    claimed: datetime | None = None
    owner: str = ""
    by_pin: bool = False
    proven: bool = False
    _held: tuple[Any, Job] | None = field(default=None, repr=False)

    def trace(self, job: Job | None, action: str, **detail: Any) -> None:
        """Append to the record of who did what when."""
        self.db.add(
            AuditEntry(
                at=self.received or self.now,
                claimed_at=self.claimed,
                person_id=None if self.owner else self.person.id,
                job_id=job.id if job else None,
                action=action,
                detail={**detail, "owner": self.owner} if self.owner else detail,
            )
        )

    def claim_key(self, token: str, location: str) -> None:
        """Claim a form's token.

        Raises
        ------
        AlreadyDone
            The same form was sent before. A twin still in its transaction is waited for.
        """
        own = self._own(token)
        if not writes.claim_key(self.db, own, self.person.id, at=self.now, location=location):
            earlier = writes.token(self.db, own)
            raise AlreadyDone(earlier.location if earlier else location)

    def _own(self, token: str) -> str:
        """A token counts for who sends it: a page that was left open on a shared tablet must not
        swallow the next person's write."""
        return f"{self.person.id} {token}"

    def leads_to(self, token: str, location: str) -> None:
        """Change where a claimed token leads, once the write has found out."""
        row = writes.token(self.db, self._own(token))
        if row:
            row.location = location

    def claim(self, job: Job, section: str, seen: int) -> None:
        """Take the next revision of a section, unless somebody took it since `seen`.

        Raises
        ------
        Stale
            Naming who saved the newer one and when.
        """
        row = writes.section_locked(self.db, job.id, section, at=self.now, person_id=self.person.id)
        if row.revision != seen:
            other = people.by_id(self.db, row.person_id)
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
        job = jobs.by_number_locked(self.db, number)
        if job is None:
            raise Missing(f"job {number}")
        if job.state == "finished" and not finished:
            raise ReadOnly(number)
        self._held = (self.db.get_transaction(), job)
        return job

    def holds(self, right: Right) -> bool:
        """Whether who acts has a right."""
        return holds(self.person.role, right, by_pin=self.by_pin)

    def needs(self, right: Right) -> None:
        """Raise `NotAllowed` unless who acts has a right."""
        if not self.holds(right):
            raise NotAllowed

    def proves(self) -> None:
        """Raise `Invalid` unless the own password came with this write: a tablet that lies about
        proves nobody."""
        if not self.proven:
            raise Invalid({"password_again": "Your own password, which you sign in with."})


def find_job(db: Session, number: str) -> Job:
    """The job for reading.

    Raises
    ------
    Missing
    """
    job = jobs.by_number(db, number)
    if job is None:
        raise Missing(f"job {number}")
    return job


def revision(job: Job, section: str) -> int:
    """Revision of a section that a form shows, 0 when it was never saved."""
    return next((s.revision for s in job.sections if s.name == section), 0)


@cached(LRUCache(maxsize=200), key=lambda version: version.digest, lock=Lock())
def family_in(version: FamilyVersion) -> EngineFamily:
    """The family of a version. Versions never change and their digest names the content, so each is
    read once."""
    return family_of_document(version.document)


def family_of(job: Job) -> EngineFamily:
    """The engine family of a job, in the version that it began with."""
    if job.family_version is None:
        raise Missing(f"engine family {job.family_id}")
    return family_in(job.family_version)
