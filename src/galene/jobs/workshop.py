"""The workshop's settings, and how it is set up."""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Stale
from galene.jobs.families import families
from galene.jobs.passwords import digest, password_fault
from galene.jobs.people import PersonForm, add_person, person_faults
from galene.jobs.plan import without_agent
from galene.jobs.rights import FOREMAN, Right
from galene.knowledge.policy import DEFAULT_POLICY, POLICY_QUESTIONS
from galene.store.models import Person, Workshop
from galene.store.repositories import people as rows

NAME_MOST, CURRENCY_MOST, BAYS_MOST = 120, 4, 24


def is_set_up(db: Session) -> bool:
    """Whether there is a workshop yet."""
    return rows.workshop_or_none(db) is not None


def open_set_up(db: Session, now: datetime) -> str:
    """The secret of a new one-time address for the set-up; an earlier one counts no longer."""
    secret = secrets.token_urlsafe(24)
    rows.put_set_up_address(db, digest(secret), now)
    return secret


def set_up_opens(db: Session, secret: str) -> bool:
    """Whether this secret opens the set-up: it is the newest one, and nothing is set up."""
    return not is_set_up(db) and rows.is_set_up_address(db, digest(secret))


@dataclass(frozen=True, kw_only=True)
class SetUpForm:
    """A new workshop and its first foreman."""

    name: str
    system: str
    currency: str
    bays: Sequence[str]
    foreman: PersonForm
    password: str


def bays_of(text: str) -> tuple[str, ...]:
    """Bays as they are typed, one a line or with commas between."""
    named = (" ".join(part.split()) for line in text.splitlines() for part in line.split(","))
    return tuple(dict.fromkeys(b for b in named if b))


def _name_faults(name: str, currency: str, bays: Sequence[str]) -> dict[str, str]:
    faults = {}
    if not 2 <= len(name.strip()) <= NAME_MOST:
        faults["workshop"] = f"A name of 2 to {NAME_MOST} characters."
    if not 1 <= len(currency.strip()) <= CURRENCY_MOST:
        faults["currency"] = f"One to {CURRENCY_MOST} characters, as they stand before an amount."
    if len(bays) > BAYS_MOST or any(len(b) > 40 for b in bays):
        faults["bays"] = f"At most {BAYS_MOST} bays, each of at most 40 characters."
    return faults


def set_up(db: Session, secret: str, form: SetUpForm, *, now: datetime) -> Person:
    """Make the workshop and its first foreman; the address is used up.

    Raises
    ------
    Missing
        The address does not count, or somebody was faster.
    Invalid
        By field.
    """
    rows.lock_set_up(db)
    if not set_up_opens(db, secret):
        raise Missing("such address for a set-up")
    faults = person_faults(db, form.foreman) | _name_faults(form.name, form.currency, form.bays)
    if form.system not in ("metric", "imperial"):
        faults["system"] = "Metric or imperial."
    about = (form.name, form.foreman.name, form.foreman.sign_in)
    if fault := password_fault(form.password, about):
        faults["new_password"] = fault
    if faults:
        raise Invalid(faults)
    db.add(
        Workshop(
            id=rows.THE_WORKSHOP,
            name=form.name.strip(),
            system=form.system,
            currency=form.currency.strip(),
            bays=list(form.bays),
            policy=dict(DEFAULT_POLICY),
        )
    )
    db.flush()
    person = add_person(
        db, form.foreman.sign_in, form.foreman.name.strip(), role=FOREMAN, password=form.password
    )
    rows.forget_set_up_address(db)
    Act(db=db, person=person, now=now).trace(None, "workshop_set_up", name=form.name.strip())
    return person


@dataclass(kw_only=True)
class WorkshopForm:
    """The workshop's settings in kept units."""

    name: str
    currency: str
    bays: Sequence[str]
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
    faults = _name_faults(form.name, form.currency, form.bays)
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
    act.needs(Right.SETTINGS)
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
    shop.name, shop.currency, shop.bays = form.name.strip(), form.currency.strip(), list(form.bays)
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
