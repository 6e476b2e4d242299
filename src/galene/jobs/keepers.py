"""A keeper's personal data: given out, and erased but for what must be kept."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from galene.jobs.act import Act
from galene.jobs.errors import Missing
from galene.jobs.rights import Right
from galene.store.repositories import keepers as rows
from galene.store.repositories import vehicles

ERASED = "(erased)"
KEPT = (
    "Jobs with plate, complaint, work, prices and who agreed: the record of a contract, for as long"
    " as your law asks for it.",
    "The trace of who did what when: it can only be added to.",
    "Backups that were made before: they go as the rotation lets go of them, within half a year.",
)
"""What an erasure leaves, and why: told before it is done."""


@dataclass(frozen=True, kw_only=True)
class KeeperVehicle:
    """A vehicle of a keeper, and the numbers of its jobs."""

    plate: str
    maker: str
    model: str
    year: int | None
    contact: str
    jobs: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class KeeperWord:
    """What was said on an owner's page."""

    job: str
    at: datetime
    kind: str
    name: str
    words: str
    reply: str


@dataclass(frozen=True, kw_only=True)
class KeeperData:
    """Everything that is kept of a keeper, but for the jobs themselves, which go out as bundles."""

    keeper: str
    vehicles: tuple[KeeperVehicle, ...]
    words: tuple[KeeperWord, ...]
    calendars: tuple[datetime, ...]


def data_of(db: Session, keeper: str) -> KeeperData:
    """A keeper's data.

    Raises
    ------
    Missing
        Nobody of that name keeps a vehicle.
    """
    found = vehicles.of_keeper(db, keeper) if keeper else []
    if not found:
        raise Missing(f"owner {keeper[:80]}")
    return KeeperData(
        keeper=keeper,
        vehicles=tuple(
            KeeperVehicle(
                plate=v.plate,
                maker=v.maker,
                model=v.model,
                year=v.year,
                contact=v.contact,
                jobs=tuple(job.number for job in v.jobs),
            )
            for v in found
        ),
        words=tuple(
            KeeperWord(
                job=number,
                at=word.at,
                kind=word.kind,
                name=word.name,
                words=word.words,
                reply=word.reply,
            )
            for number, word in rows.words_of(db, keeper)
        ),
        calendars=tuple(feed.made_at for feed in rows.feeds_of(db, keeper)),
    )


def erase(act: Act, keeper: str) -> int:
    """Erase a keeper's name and contact, what was said on owners' pages, and close calendars and
    pages; how many vehicles. What must be kept is named in `KEPT`.

    Raises
    ------
    NotAllowed, Missing
    Invalid
        The own password did not come with it.
    """
    act.needs(Right.KEEPERS)
    act.proves()
    data = data_of(act.db, keeper)
    for _, word in rows.words_of(act.db, keeper):
        word.name, word.words = ERASED, ERASED if word.words else ""
        word.link.closed_at = word.link.closed_at or act.now
    for feed in rows.feeds_of(act.db, keeper):
        feed.keeper, feed.closed_at = ERASED, feed.closed_at or act.now
    for vehicle in vehicles.of_keeper(act.db, keeper):
        vehicle.keeper = vehicle.contact = ""
        vehicle.revision += 1
    act.trace(None, "keeper_erased", vehicles=len(data.vehicles))
    return len(data.vehicles)
