"""The workshop's people: added, changed, closed and opened again, never deleted, as their traces
stay; what each keeps on the own account."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import pyotp
from sqlalchemy.orm import Session

from galene.core.workshop.hours import WeekHours
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Refused, Stale
from galene.jobs.intake import HAZARDS
from galene.jobs.passwords import (
    UNUSABLE,
    digest,
    fits,
    hashed,
    new_code,
    password_fault,
    pin_fault,
    plain_code,
)
from galene.jobs.rights import FOREMAN, ROLES, Right
from galene.jobs.signing_in import factor_fits
from galene.store.models import Person
from galene.store.repositories import bundles as bundle_rows
from galene.store.repositories import people as rows
from galene.store.repositories import sessions
from galene.store.vault import Vault

CODE_DAYS, RECOVERY_CODES, PEOPLE_MOST = 7, 10, 500
SKILLS = HAZARDS
"""What somebody is qualified for: the marks of vehicles that only a qualified person works on."""


def add_person(
    db: Session, sign_in: str, name: str, *, role: str, password: str, bay: str = ""
) -> Person:
    """A person who can sign in."""
    person = Person(
        sign_in=sign_in.strip().lower(),
        name=name,
        role=role,
        password_hash=hashed(password) if password else UNUSABLE,
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
    sign_in = f"guest {hashlib.sha256(name.encode()).hexdigest()[:20]}"
    return add_person(db, sign_in, name, role="guest", password="")


def everybody(db: Session) -> list[Person]:
    """All who may sign in, by name."""
    return [p for p in rows.everybody(db) if p.left_at is None]


@dataclass(frozen=True, kw_only=True)
class PersonForm:
    """Who somebody is in the workshop."""

    sign_in: str
    name: str
    role: str = FOREMAN
    bay: str = ""
    skills: Sequence[str] = ()
    hours: WeekHours = field(default_factory=WeekHours)


def person_faults(db: Session, form: PersonForm, *, but: int = 0) -> dict[str, str]:
    """What is wrong with a person's form, by field.

    Parameters
    ----------
    but : the person's own id, whose name to sign in with is no other's
    """
    faults = {}
    sign_in = form.sign_in.strip().lower()
    if not 2 <= len(sign_in) <= 40 or " " in sign_in or not sign_in.isprintable():
        faults["sign_in"] = "2 to 40 characters without a space."
    else:
        other = rows.by_sign_in(db, sign_in)
        if other is not None and other.id != but:
            faults["sign_in"] = "Somebody signs in by this name, or did."
    if not 2 <= len(form.name.strip()) <= 80:
        faults["name"] = "2 to 80 characters."
    if form.role not in ROLES:
        faults["role"] = "Technician or foreman."
    shop = rows.workshop_or_none(db)
    if form.bay and (shop is None or form.bay not in shop.bays):
        faults["bay"] = "A bay of the workshop, or none."
    if not set(form.skills) <= set(SKILLS):
        faults["skills"] = "Of the list."
    return faults


def _coded(act: Act, person: Person) -> str:
    code = new_code()
    person.code_hash = digest(plain_code(code))
    person.code_until = act.now + timedelta(days=CODE_DAYS)
    return code


def new_person(act: Act, form: PersonForm) -> tuple[Person, str]:
    """Add somebody; the second is the one-time code by which they sign in first.

    Raises
    ------
    NotAllowed, Invalid
    """
    act.needs(Right.PEOPLE)
    faults = person_faults(act.db, form)
    if not faults and len(rows.everybody(act.db)) >= PEOPLE_MOST:
        faults["sign_in"] = f"There are {PEOPLE_MOST} people already."
    if faults:
        raise Invalid(faults)
    person = add_person(
        act.db, form.sign_in, form.name.strip(), role=form.role, password="", bay=form.bay
    )
    person.skills, person.hours = sorted(form.skills), form.hours
    code = _coded(act, person)
    act.trace(None, "person_added", person=person.id, name=person.name, role=person.role)
    return person, code


def find(db: Session, person_id: int) -> Person:
    """Somebody of the workshop.

    Raises
    ------
    Missing
    """
    person = rows.by_id(db, person_id)
    if person is None or person.role == "guest":
        raise Missing(f"person {person_id}")
    return person


def _needs_a_foreman(db: Session, person: Person) -> None:
    """Raise `Refused` where this is the last foreman with an account."""
    others = [p for p in everybody(db) if p.role == FOREMAN and p.id != person.id]
    if person.role == FOREMAN and person.left_at is None and not others:
        raise Refused("The last foreman", ["somebody must be able to sign and to let people in"])


def change_person(act: Act, person_id: int, form: PersonForm, *, seen: int) -> Person:
    """Change who somebody is. Who loses a role is signed out.

    Raises
    ------
    NotAllowed, Missing, Invalid, Stale, Refused
    """
    act.needs(Right.PEOPLE)
    person = _locked(act, person_id, seen)
    if faults := person_faults(act.db, form, but=person.id):
        raise Invalid(faults)
    was = {"name": person.name, "role": person.role, "sign_in": person.sign_in}
    if form.role != person.role:
        if form.role != FOREMAN:
            _needs_a_foreman(act.db, person)
        sessions.end_of_person(act.db, person.id)
    person.sign_in, person.name = form.sign_in.strip().lower(), form.name.strip()
    person.role, person.bay = form.role, form.bay
    person.skills, person.hours = sorted(form.skills), form.hours
    person.revision += 1
    act.trace(None, "person_changed", person=person.id, was=was, role=person.role)
    return person


def _locked(act: Act, person_id: int, seen: int) -> Person:
    find(act.db, person_id)
    person = rows.locked(act.db, person_id)
    if person.revision != seen:
        last = rows.last_trace(act.db, "person_changed")
        who = last.person.name if last and last.person else "somebody"
        raise Stale("this person", who, last.at if last else act.now)
    return person


def give_code(act: Act, person_id: int) -> str:
    """A new one-time code for somebody who can not sign in: the password, the PIN and the second
    factor count no longer, and all sessions end.

    Raises
    ------
    NotAllowed, Missing, Refused
    """
    act.needs(Right.PEOPLE)
    act.proves()
    return _code_given(act, find(act.db, person_id))


def _code_given(act: Act, person: Person, **how: str) -> str:
    if person.left_at is not None:
        raise Refused("This account is closed", ["open it first"])
    person.password_hash, person.pin_hash, person.totp_secret = UNUSABLE, None, None
    person.recovery_hashes = []
    sessions.end_of_person(act.db, person.id)
    code = _coded(act, person)
    act.trace(None, "code_given", person=person.id, **how)
    return code


def code_at_console(db: Session, sign_in: str, now: datetime) -> str:
    """A new one-time code for somebody, given by who runs the machine: the way in for a foreman who
    is alone and has forgotten the password. Who may run the command may read the database anyway.

    Raises
    ------
    Missing, Refused
        Nobody signs in by this name; the account is closed.
    """
    person = rows.by_sign_in(db, sign_in.strip().lower())
    if person is None or person.role == "guest":
        raise Missing(f"person who signs in as {sign_in.strip()}")
    return _code_given(Act(db=db, person=person, now=now), person, given="at the console")


def close_account(act: Act, person_id: int) -> None:
    """Close an account: nothing that somebody did is taken away, but they sign in no more.

    Raises
    ------
    NotAllowed, Missing, Refused
    """
    act.needs(Right.PEOPLE)
    act.proves()
    person = find(act.db, person_id)
    if person.left_at is not None:
        return
    _needs_a_foreman(act.db, person)
    person.left_at, person.code_hash, person.pin_hash = act.now, None, None
    sessions.end_of_person(act.db, person.id)
    act.trace(None, "account_closed", person=person.id)


def open_account(act: Act, person_id: int) -> str:
    """Open a closed account again, with a new one-time code; empty where it was open."""
    act.needs(Right.PEOPLE)
    act.proves()
    person = find(act.db, person_id)
    if person.left_at is None:
        return ""
    person.left_at = None
    act.trace(None, "account_opened", person=person.id)
    return give_code(act, person_id)


def end_sessions(act: Act, person_id: int) -> int:
    """Sign somebody out everywhere; how many sessions ended."""
    act.needs(Right.PEOPLE)
    ended = sessions.end_of_person(act.db, find(act.db, person_id).id)
    act.trace(None, "sessions_ended", person=person_id, sessions=ended)
    return ended


# ---- what each does on the own account


def change_password(act: Act, old: str, *, new: str, session: str) -> None:
    """Change the own password; all other sessions end.

    Parameters
    ----------
    session : key of the session that stays

    Raises
    ------
    Invalid
        ``old_password`` or ``new_password``.
    """
    person = act.person
    if not act.proven and not fits(old, person.password_hash):
        raise Invalid({"password_again": "Not your password."})
    shop = rows.workshop(act.db)
    if fault := password_fault(new, (person.name, person.sign_in, shop.name)):
        raise Invalid({"new_password": fault})
    person.password_hash = hashed(new)
    ended = sessions.end_of_person(act.db, person.id, but=session)
    act.trace(None, "password_changed", sessions=ended)


def set_pin(act: Act, pin: str) -> None:
    """Set the own PIN for shared tablets; an empty one takes it away.

    Raises
    ------
    Invalid
        ``pin``, or the own password did not come with it.
    """
    act.proves()
    if pin and (fault := pin_fault(pin)):
        raise Invalid({"pin": fault})
    act.person.pin_hash = hashed(pin) if pin else None
    act.trace(None, "pin_set" if pin else "pin_taken_away")


def begin_factor(act: Act, vault: Vault) -> str:
    """A new secret for a second factor, sealed; it counts once its figures were given."""
    act.proves()
    return vault.seal(pyotp.random_base32())


def factor_address(vault: Vault, sealed: str, *, person: Person, shop: str) -> str:
    """The address that an authenticator reads from a picture, empty where the secret is none."""
    opened = vault.open(sealed)
    if opened is None:
        return ""
    return pyotp.TOTP(opened).provisioning_uri(name=person.sign_in, issuer_name=f"Galene {shop}")


def confirm_factor(act: Act, vault: Vault, sealed: str, *, figures: str) -> tuple[str, ...]:
    """Set the second factor up; the recovery codes, which are shown once.

    Raises
    ------
    Invalid
        ``figures``.
    """
    person, before = act.person, act.person.totp_secret
    person.totp_secret, person.totp_used = sealed, None
    if not vault.open(sealed) or not factor_fits(person, figures, vault=vault, now=act.now):
        person.totp_secret = before
        raise Invalid({"figures": "Not the figures of now: is the clock of that device right?"})
    codes = tuple(new_code() for _ in range(RECOVERY_CODES))
    person.recovery_hashes = [digest(plain_code(c)) for c in codes]
    act.trace(None, "second_factor_set")
    return codes


def drop_factor(act: Act) -> None:
    """Take the own second factor away.

    Raises
    ------
    Invalid
        The own password did not come with it.
    Refused
        The workshop asks it of foremen.
    """
    act.proves()
    if rows.workshop(act.db).second_factor and act.person.role == FOREMAN:
        raise Refused("The workshop asks it of foremen", ["change the policy first"])
    act.person.totp_secret, act.person.recovery_hashes = None, []
    act.trace(None, "second_factor_dropped")


def end_own_session(act: Act, key: str) -> None:
    """End one of the own sessions; the key's first figures name it."""
    found = [s for s in sessions.of_person(act.db, act.person.id, act.now) if s.id[:16] == key]
    for session in found:
        sessions.end(act.db, session.id)
    act.trace(None, "session_ended", sessions=len(found))


def end_other_sessions(act: Act, own: str) -> None:
    """End all own sessions but this one."""
    ended = sessions.end_of_person(act.db, act.person.id, but=own)
    act.trace(None, "sessions_ended", person=act.person.id, sessions=ended)


@dataclass(frozen=True, kw_only=True)
class AccessPolicy:
    """How long sessions last, and whether foremen need a second factor."""

    session_hours: int
    idle_minutes: int
    shared_idle_minutes: int
    second_factor: bool


def save_policy(act: Act, policy: AccessPolicy) -> None:
    """Set how people get in.

    Raises
    ------
    NotAllowed
    Invalid
        By field; or the own password did not come with it.
    """
    act.needs(Right.PEOPLE)
    act.proves()
    faults = {
        name: f"From {low} to {high}."
        for name, value, low, high in (
            ("session_hours", policy.session_hours, 1, 24 * 7),
            ("idle_minutes", policy.idle_minutes, 5, 24 * 60),
            ("shared_idle_minutes", policy.shared_idle_minutes, 1, 120),
        )
        if not low <= value <= high
    }
    if faults:
        raise Invalid(faults)
    shop = rows.workshop_locked(act.db)
    shop.session_hours, shop.idle_minutes = policy.session_hours, policy.idle_minutes
    shop.shared_idle_minutes = policy.shared_idle_minutes
    shop.second_factor = policy.second_factor
    act.trace(None, "access_policy_saved", second_factor=policy.second_factor)


def last_heard(db: Session) -> dict[int, datetime]:
    """When each person was last heard of, by id."""
    return sessions.last_seen(db)
