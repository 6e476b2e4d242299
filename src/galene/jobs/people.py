"""Sign-in, sessions, the workshop's settings."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy.orm import Session

from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Stale
from galene.jobs.families import families
from galene.jobs.plan import without_agent
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.store.models import AuditEntry, Person, WebSession, Workshop
from galene.store.repositories import bundles as bundle_rows
from galene.store.repositories import people as rows
from galene.store.repositories import writes

HASHER = PasswordHash((Argon2Hasher(time_cost=2, memory_cost=19456, parallelism=1),))
SESSION_LENGTH = timedelta(hours=14)
# Compared against when nobody has that name, so that the answer takes as long.
_NOBODY = HASHER.hash(secrets.token_urlsafe(12))


def add_person(
    db: Session, sign_in: str, name: str, *, role: str, password: str, bay: str = ""
) -> Person:
    """A person who can sign in."""
    person = Person(
        sign_in=sign_in.strip().lower(),
        name=name,
        role=role,
        password_hash=HASHER.hash(password),
        bay=bay,
    )
    db.add(person)
    db.flush()
    return person


def guest(db: Session, name: str) -> Person:
    """Somebody of another workshop, who is named in its jobs and signs in nowhere here."""
    known = bundle_rows.person_named(db, name, guest=True)
    if known is not None:
        return known
    person = Person(
        sign_in=f"guest {hashlib.sha256(name.encode()).hexdigest()[:20]}",
        name=name,
        role="guest",
        password_hash=_NOBODY,
        bay="",
    )
    db.add(person)
    db.flush()
    return person


def _key(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def find_person(db: Session, sign_in: str) -> Person | None:
    """Somebody by the name that they sign in with."""
    return rows.by_sign_in(db, sign_in.strip().lower()[:80])


def everybody(db: Session) -> list[Person]:
    """All who sign in, by name."""
    return rows.everybody(db)


def sign_in(db: Session, name: str, password: str, *, now: datetime) -> str | None:
    """A new session's secret for the cookie, None where name and password do not fit."""
    person = find_person(db, name)
    right = HASHER.verify(password[:200], person.password_hash if person else _NOBODY)
    if person is None or not right:
        return None
    rows.forget_sessions(db, now)
    writes.forget_tokens(db, now - timedelta(days=30))
    return open_session(db, person, now)


def open_session(db: Session, person: Person, now: datetime) -> str:
    """A session of somebody who has proven who they are: the secret for the cookie."""
    secret = secrets.token_urlsafe(32)
    db.add(WebSession(id=_key(secret), person_id=person.id, expires_at=now + SESSION_LENGTH))
    db.add(AuditEntry(at=now, person_id=person.id, job_id=None, action="signed_in", detail={}))
    return secret


def session_of(db: Session, secret: str, now: datetime) -> tuple[WebSession, Workshop] | None:
    """The session behind a cookie with the workshop, in one query; None where it is unknown or
    over."""
    found = rows.session_and_workshop(db, _key(secret))
    return found if found and found[0].expires_at > now else None


def sign_out(db: Session, secret: str) -> None:
    """End a session; twice is harmless."""
    rows.end_session(db, _key(secret))


def set_view(db: Session, secret: str, theme: str, *, layout: str) -> None:
    """Day or night, desk or bay, for this browser."""
    row = rows.session(db, _key(secret))
    if row is None or theme not in ("day", "night") or layout not in ("desk", "bay"):
        raise Invalid({"view": "day or night, desk or bay."})
    row.theme, row.layout = theme, layout


@dataclass(kw_only=True)
class WorkshopForm:
    """The workshop's settings in kept units."""

    system: str
    hourly_rate: float
    off_road_per_day: float
    minutes_by: str
    fuel_price: float | None
    due_by: str
    altitude_m: float
    bay_temperature_c: float
    bay_humidity: float
    policy: dict[str, str]


def workshop_faults(act: Act, form: WorkshopForm) -> dict[str, str]:
    """What is wrong with the settings, by field; a policy must leave every family an agent."""
    faults: dict[str, str] = {}
    if form.system not in ("metric", "imperial"):
        faults["system"] = "metric or imperial."
    if form.fuel_price is not None and not 0 <= form.fuel_price <= 100:
        faults["fuel_price"] = "From 0 to 100 a litre, or nothing."
    if form.due_by not in ("grade", "cost"):
        faults["due_by"] = "the grade or what waiting costs."
    if form.minutes_by not in ("book", "own"):
        faults["minutes_by"] = "the book's figures or the shop's own."
    for name, value, (low, high), words in (
        ("hourly_rate", form.hourly_rate, (0, 1000), "From 0 to 1000 an hour."),
        ("off_road_per_day", form.off_road_per_day, (0, 100_000), "From 0 to 100 000 a day."),
        ("altitude", form.altitude_m, (-430, 5000), "From −430 to 5000 m."),
        ("temperature", form.bay_temperature_c, (-20, 60), "From −20 to 60 °C."),
        ("humidity", form.bay_humidity, (0, 0.98), "From 0 to 98 %."),
    ):
        if not low <= value <= high:
            faults[name] = words
    for school in POLICY_QUESTIONS:
        if form.policy.get(school.letter) not in {c for c, _ in school.choices}:
            faults[f"school_{school.letter}"] = "Choose one."
    if not any(k.startswith("school_") for k in faults):
        for family in families(act.db).values():
            for letter, text in without_agent(family, {**form.policy, **family.maker_says}).items():
                faults.setdefault(f"school_{letter}", text)
    return faults


def save_workshop(act: Act, form: WorkshopForm, seen: int) -> Workshop:
    """Save units, rate, air and schools; a foreman's write.

    Raises
    ------
    NotAllowed, Invalid, Stale
    """
    act.foreman()
    if faults := workshop_faults(act, form):
        raise Invalid(faults)
    shop = rows.workshop_locked(act.db)
    if shop.revision != seen:
        last = rows.last_trace(act.db, "workshop_saved")
        raise Stale(
            "the workshop's settings",
            last.person.name if last and last.person else "somebody",
            last.at if last else act.now,
        )
    shop.system, shop.hourly_rate, shop.altitude_m = form.system, form.hourly_rate, form.altitude_m
    shop.off_road_per_day, shop.minutes_by = form.off_road_per_day, form.minutes_by
    shop.fuel_price, shop.due_by = form.fuel_price, form.due_by
    shop.bay_temperature_c, shop.bay_humidity, shop.policy = (
        form.bay_temperature_c,
        form.bay_humidity,
        dict(form.policy),
    )
    shop.revision += 1
    act.trace(
        None, "workshop_saved", system=form.system, hourly_rate=form.hourly_rate, policy=form.policy
    )
    return shop
