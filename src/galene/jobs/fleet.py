"""The fleet: which vehicle is due when, and calendars of it at secret addresses."""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.learning.due_vehicle import DueVehicle
from galene.core.learning.growth import pace_per_day
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.families import families
from galene.jobs.passwords import digest
from galene.store.models import CalendarFeed, Vehicle
from galene.store.repositories import fleet as rows

SOON_DAYS = 28
"""Days before its date in which a vehicle counts as due soon."""


def due_vehicles(db: Session, today: date, keeper: str = "") -> list[DueVehicle]:
    """Every vehicle with a date, overdue first."""
    here = rows.open_vehicles(db)
    known = families(db)
    found = [
        one
        for row in rows.due_rows(db, keeper)
        if (one := _due(row, known, today, here=row.vehicle_id in here))
    ]
    order = {"overdue": 0, "soon": 1, "here": 2, "later": 3}
    return sorted(found, key=lambda v: (order[v.standing], v.on, v.plate_key))


def due_vehicle(
    db: Session, vehicle: Vehicle, today: date, *, family: EngineFamily, here: bool
) -> DueVehicle | None:
    """When one vehicle is due, None before its first signed job; `here`: it stands in the
    workshop."""
    found = rows.due_rows(db, vehicle_id=vehicle.id)
    return _due(found[0], {family.id: family}, today, here=here) if found else None


FARTHEST = timedelta(days=3650)


def _due(
    row: rows.FleetRow, known: dict[str, EngineFamily], today: date, *, here: bool
) -> DueVehicle | None:
    look = row.look
    if look is None:
        return None
    reached = row.hours if look.hours else row.at
    first = row.first_hours if look.hours else row.first_km
    if reached is None:
        return None
    signed = row.finished_at
    per_day = pace_per_day(
        (row.first_at.timestamp() / 86400, first if first is not None else reached),
        (signed.timestamp() / 86400, reached),
        hours=look.hours,
    )

    def day(exposure: float) -> date:
        ahead = timedelta(days=max(0.0, exposure - reached) / per_day)
        return signed.date() + min(ahead, FARTHEST)

    on = day(look.at)
    standing = "later"
    if here:
        standing = "here"
    elif on < today:
        standing = "overdue"
    elif on <= today + timedelta(days=SOON_DAYS):
        standing = "soon"
    family = known.get(row.family_id)
    labels = {p.id: p.label for p in family.parts} if family else {}
    return DueVehicle(
        plate=row.plate,
        plate_key=row.plate_key,
        model=row.model,
        keeper=row.keeper,
        vehicle_id=row.vehicle_id,
        number=row.number,
        signed_at=signed,
        look=look,
        parts=tuple(labels.get(p, p) for p in (look.part, *look.together) if p),
        on=on,
        low=day(look.low),
        high=day(look.high),
        per_day=per_day,
        standing=standing,
        sequence=row.job_id,
    )


@dataclass(frozen=True, kw_only=True)
class Together:
    """Vehicles of one keeper that could come in the same week."""

    keeper: str
    week: date
    plates: tuple[str, ...]


def together_of(due: Sequence[DueVehicle]) -> list[Together]:
    """Weeks in which several vehicles of one keeper are due: one way to the workshop, one bay."""
    weeks: dict[tuple[str, date], list[str]] = {}
    for one in due:
        if one.standing != "here" and one.keeper:
            monday = one.on - timedelta(days=one.on.weekday())
            weeks.setdefault((one.keeper, monday), []).append(one.plate)
    return [
        Together(keeper=keeper, week=week, plates=tuple(plates))
        for (keeper, week), plates in sorted(weeks.items(), key=lambda w: (w[0][1], w[0][0]))
        if len(plates) > 1
    ]


def feeds_of(db: Session) -> list[CalendarFeed]:
    """Calendars that are open, the newest first."""
    return rows.feeds(db)


MOST_FEEDS = 200


def open_feed(act: Act, keeper: str) -> str:
    """A calendar of a keeper's vehicles, of all where none is named, at a secret address.

    Returns
    -------
    str
        The secret, which is kept as its hash only: it is shown once.

    Raises
    ------
    Invalid
        A keeper of no vehicle, too many calendars.
    """
    if keeper and keeper not in rows.keepers(act.db):
        raise Invalid({"keeper": "Choose an owner of the list."})
    if len(rows.feeds(act.db)) >= MOST_FEEDS:
        raise Invalid({"keeper": "Too many calendars are open: close one that nobody reads."})
    secret = secrets.token_urlsafe(24)
    act.db.add(
        CalendarFeed(
            secret_hash=digest(secret), keeper=keeper, made_at=act.now, made_by_id=act.person.id
        )
    )
    act.trace(None, "calendar_opened", keeper=keeper)
    act.db.flush()
    return secret


def close_feed(act: Act, feed_id: int) -> None:
    """Close a calendar: its address answers no more. Twice is harmless.

    Raises
    ------
    Missing
    """
    feed = rows.feed(act.db, feed_id)
    if feed is None:
        raise Missing(f"calendar {feed_id}")
    if feed.closed_at is None:
        feed.closed_at = act.now
        act.trace(None, "calendar_closed", keeper=feed.keeper)


def feed_by_secret(db: Session, secret: str) -> CalendarFeed | None:
    """The open calendar of a secret."""
    return rows.feed_by_hash(db, digest(secret)) if len(secret) <= 100 else None
