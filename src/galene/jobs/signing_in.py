"""Signing in: by password, by one-time code, by a second factor, by PIN on a shared tablet; and
when sessions end."""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil

import pyotp
import structlog
from sqlalchemy.orm import Session

from galene.core.workshop.tries import BY_ADDRESS, BY_NAME, BY_PIN, Slowing, counted, wait_after
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, NotAllowed
from galene.jobs.passwords import digest, fits, hashed, password_fault, plain_code
from galene.jobs.rights import Right
from galene.store.models import AuditEntry, Device, Person, WebSession, Workshop
from galene.store.repositories import people as rows
from galene.store.repositories import sessions, writes
from galene.store.vault import Vault

AWAY = timedelta(minutes=2)
"""A browser that was silent for longer may have been out of reach."""
SEEN_EVERY = timedelta(minutes=1)
TICKET_S = 600.0
"""Seconds between the password and the second factor, or between a code and the new password."""
DEVICES_MOST = 20
THEMES = ("device", "day", "night")
"""Colours of a browser: as its device has them, or as somebody chose."""
log = structlog.get_logger()


@dataclass(frozen=True, kw_only=True)
class Caller:
    """The browser that asks: its address of the net, what it calls itself, and the secrets of its
    cookies, empty where it has none."""

    address: str = ""
    agent: str = ""
    session: str = ""
    device: str = ""


@dataclass(frozen=True, kw_only=True)
class SignedIn:
    """In: the secrets for the cookies; `device` empty where the browser was known already."""

    session: str
    device: str = ""


@dataclass(frozen=True, kw_only=True)
class Wrong:
    """Name and password do not fit together."""


@dataclass(frozen=True, kw_only=True)
class Wait:
    """Too many wrong tries: the next one after so many seconds."""

    seconds: int


@dataclass(frozen=True, kw_only=True)
class SecondFactor:
    """The password was right; now the figures of the second factor, with this ticket."""

    ticket: str


@dataclass(frozen=True, kw_only=True)
class FirstPassword:
    """The one-time code was right; now the first password, with this ticket."""

    ticket: str


Outcome = SignedIn | Wrong | Wait | SecondFactor | FirstPassword


def find_person(db: Session, sign_in: str) -> Person | None:
    """Somebody who may sign in, by the name that they sign in with."""
    person = rows.by_sign_in(db, sign_in.strip().lower()[:80])
    return person if person and person.left_at is None and person.role != "guest" else None


class Tried:
    """The tries of a name from an address: whether they wait, and what a wrong one costs."""

    def __init__(self, db: Session, now: datetime, keys: Sequence[tuple[str, Slowing]]) -> None:
        self.db, self.now = db, now
        self._keys = [(digest(key), slowing) for key, slowing in keys]

    def wait(self) -> int:
        """Seconds until the next try is looked at, 0 where it is now. Tries of one key are looked
        at one after the other, so that many at once are not all the first."""
        rows = [sessions.tries_locked(self.db, key, self.now) for key, _ in self._keys]
        until = max((row.wait_until for row in rows if row.wait_until), default=self.now)
        return max(0, ceil((until - self.now).total_seconds()))

    def wrong(self) -> None:
        """Count a wrong try."""
        for key, slowing in self._keys:
            row = sessions.tries_locked(self.db, key, self.now)
            row.count = counted(slowing, row.count, last=row.last_at, now=self.now)
            row.last_at, row.wait_until = self.now, self.now + wait_after(slowing, row.count)

    def right(self) -> None:
        """Forget the tries of the name; those of the address stay counted."""
        sessions.forget_tries(self.db, self._keys[0][0])


def tries_of(db: Session, caller: Caller, name: str, *, now: datetime) -> Tried:
    """Tries by name and address. A browser that the person signed in with before counts by itself:
    strangers who guess at a name can not keep its owner out."""
    person = find_person(db, name)
    device = sessions.device(db, digest(caller.device)) if caller.device else None
    own = device is not None and person is not None and device.person_id == person.id
    key = f"name {name.strip().lower()}"
    if own and device:
        return Tried(db, now, [(f"{key} on {device.id}", BY_NAME)])
    return Tried(db, now, [(key, BY_NAME), (f"address {caller.address}", BY_ADDRESS)])


def sign_in(
    db: Session, caller: Caller, name: str, *, password: str, vault: Vault, now: datetime
) -> Outcome:
    """A try to sign in by password or by one-time code."""
    tries = tries_of(db, caller, name, now=now)
    if seconds := tries.wait():
        return Wait(seconds=seconds)
    person = find_person(db, name)
    if person is not None and _code_fits(person, password, now):
        tries.right()
        return FirstPassword(ticket=vault.ticket("first", now, person=person.id))
    if not fits(password, person.password_hash if person else None) or person is None:
        tries.wrong()
        log.warning("sign_in_failed", name=digest(name)[:12], address=caller.address)
        return Wrong()
    if person.totp_secret:
        # What was wrong is forgotten when both are right: who has the password goes on guessing
        # at the figures otherwise.
        return SecondFactor(ticket=vault.ticket("second", now, person=person.id))
    tries.right()
    return enter(db, caller, person, now=now)


def _code_fits(person: Person, typed: str, now: datetime) -> bool:
    if person.code_hash is None or person.code_until is None or person.code_until < now:
        return False
    return secrets.compare_digest(digest(plain_code(typed)), person.code_hash)


def second_factor(
    db: Session, caller: Caller, ticket: str, *, figures: str, vault: Vault, now: datetime
) -> Outcome:
    """The figures of the second factor, or a recovery code, after the password."""
    held = vault.take(ticket, "second", now=now, seconds=TICKET_S)
    person = rows.by_id(db, held["person"]) if held else None
    if person is None or person.left_at is not None:
        return Wrong()
    tries = tries_of(db, caller, person.sign_in, now=now)
    if seconds := tries.wait():
        return Wait(seconds=seconds)
    if not factor_fits(person, figures, vault=vault, now=now):
        tries.wrong()
        log.warning("second_factor_failed", person=person.id, address=caller.address)
        return Wrong()
    tries.right()
    return enter(db, caller, person, now=now)


def factor_fits(person: Person, typed: str, *, vault: Vault, now: datetime) -> bool:
    """Whether figures are those of now, each taken once; or a recovery code, which is used up."""
    opened = vault.open(person.totp_secret or "")
    plain = plain_code(typed)
    if opened and plain.isdecimal() and len(plain) == 6:
        clock = pyotp.TOTP(opened)
        for step in (0, -1, 1):
            at = clock.timecode(now) + step
            if at > (person.totp_used or 0) and secrets.compare_digest(
                clock.generate_otp(at), plain
            ):
                person.totp_used = at
                return True
        return False
    spent = digest(plain)
    if spent in person.recovery_hashes:
        person.recovery_hashes = [h for h in person.recovery_hashes if h != spent]
        return True
    return False


def first_password(
    db: Session, caller: Caller, ticket: str, *, password: str, vault: Vault, now: datetime
) -> Outcome:
    """The first password of somebody who came by a one-time code, which is used up.

    Raises
    ------
    Invalid
        ``password``.
    """
    held = vault.take(ticket, "first", now=now, seconds=TICKET_S)
    person = rows.by_id(db, held["person"]) if held else None
    if person is None or person.code_hash is None or person.left_at is not None:
        return Wrong()
    shop = rows.workshop(db)
    if fault := password_fault(password, (person.name, person.sign_in, shop.name)):
        raise Invalid({"password": fault})
    person.password_hash, person.code_hash, person.code_until = hashed(password), None, None
    db.add(_traced(person, now, "first_password"))
    if person.totp_secret:
        return SecondFactor(ticket=vault.ticket("second", now, person=person.id))
    return enter(db, caller, person, now=now)


def sign_in_by_pin(
    db: Session, caller: Caller, person_id: int, *, pin: str, now: datetime
) -> Outcome:
    """A change of person on a shared tablet."""
    device = shared_device(db, caller)
    person = rows.by_id(db, person_id)
    if device is None:
        return Wrong()
    tries = Tried(
        db,
        now,
        [(f"pin {person_id} on {device.id}", BY_PIN), (f"address {caller.address}", BY_ADDRESS)],
    )
    if seconds := tries.wait():
        return Wait(seconds=seconds)
    known = person if person and person.left_at is None and person.pin_hash else None
    if not fits(pin, known.pin_hash if known else None) or known is None:
        tries.wrong()
        log.warning("pin_failed", person=person_id, device=device.id)
        return Wrong()
    tries.right()
    return enter(db, caller, known, now=now, by_pin=True)


def shared_device(db: Session, caller: Caller) -> Device | None:
    """The shared tablet that asks, None where it is none."""
    found = sessions.device(db, digest(caller.device)) if caller.device else None
    return found if found and found.person_id is None and found.ended_at is None else None


def _traced(person: Person, now: datetime, action: str, **detail: object) -> AuditEntry:
    return AuditEntry(at=now, person_id=person.id, job_id=None, action=action, detail=dict(detail))


def enter(
    db: Session, caller: Caller, person: Person, *, now: datetime, by_pin: bool = False
) -> SignedIn:
    """Who has proven who they are gets a new session; the one that this browser had ends."""
    sessions.forget_ended(db, now - timedelta(days=7))
    writes.forget_tokens(db, now - timedelta(days=30))
    before = sessions.by_key(db, digest(caller.session)) if caller.session else None
    device = sessions.device(db, digest(caller.device)) if caller.device else None
    made = ""
    if device is None or (device.person_id not in (None, person.id)) or device.ended_at:
        made = secrets.token_urlsafe(32)
        device = Device(
            secret_hash=digest(made),
            name=caller.agent,
            person_id=person.id,
            made_at=now,
            made_by_id=person.id,
            ended_at=None,
        )
        db.add(device)
        db.flush()
    secret = open_session(db, person, now, caller=caller, device=device, by_pin=by_pin)
    if before is not None:
        row = sessions.by_key(db, digest(secret))
        if row is not None and before.person_id == person.id:
            # What was made while the old session was out of reach is still to be sent.
            row.away_from, row.away_until = before.seen_at, now
            row.theme, row.layout = before.theme, before.layout
        sessions.end(db, before.id)
    return SignedIn(session=secret, device=made)


def open_session(
    db: Session,
    person: Person,
    now: datetime,
    *,
    caller: Caller | None = None,
    device: Device | None = None,
    by_pin: bool = False,
) -> str:
    """A session of somebody who has proven who they are: the secret for the cookie."""
    secret, shop = secrets.token_urlsafe(32), rows.workshop(db)
    minutes = shop.shared_idle_minutes if by_pin else shop.idle_minutes
    db.add(
        WebSession(
            id=digest(secret),
            person_id=person.id,
            device_id=device.id if device else None,
            by_pin=by_pin,
            made_at=now,
            seen_at=now,
            away_from=None,
            away_until=None,
            expires_at=now + timedelta(hours=shop.session_hours),
            idle_until=now + timedelta(minutes=minutes),
            address=caller.address if caller else "",
            agent=caller.agent if caller else "",
            layout="bay" if by_pin else "desk",
        )
    )
    db.add(_traced(person, now, "signed_in", by_pin=by_pin))
    db.flush()
    return secret


def session_of(db: Session, secret: str, now: datetime) -> tuple[WebSession, Workshop] | None:
    """The session behind a cookie with the workshop, in one query; None where it is unknown or
    over, or its person has left."""
    found = sessions.with_workshop(db, digest(secret))
    if found is None or not lives(found[0], now):
        return None
    return found


def lives(session: WebSession, now: datetime) -> bool:
    """Whether a session still counts."""
    ends = min(session.expires_at, session.idle_until)
    return ends > now and session.person.left_at is None


def seen(db: Session, session: WebSession, shop: Workshop, now: datetime) -> bool:
    """Note that a browser is heard of, once a minute; whether anything was noted. A longer silence
    is kept as a stretch out of reach."""
    silent = now - session.seen_at
    if silent < SEEN_EVERY:
        return False
    if silent > AWAY:
        session.away_from, session.away_until = session.seen_at, now
    minutes = shop.shared_idle_minutes if session.by_pin else shop.idle_minutes
    session.seen_at, session.idle_until = now, now + timedelta(minutes=minutes)
    return True


def listens(db: Session, key: str, now: datetime) -> bool:
    """Whether the session of a page that listens still counts. An open page keeps nobody signed
    in, nor does it show that its browser is in reach: a cut line looks alive for minutes."""
    session = sessions.by_key(db, key)
    return session is not None and lives(session, now)


def sign_out(db: Session, secret: str) -> None:
    """End a session, and its streams; twice is harmless."""
    sessions.end(db, digest(secret))


def set_view(db: Session, secret: str, theme: str, *, layout: str, keys: str = "") -> None:
    """Colours, desk or bay, for this browser; letters as commands or not, for this person."""
    row = sessions.by_key(db, digest(secret))
    if row is None or theme not in THEMES or layout not in ("desk", "bay"):
        raise Invalid({"view": "device, day or night, and desk or bay."})
    row.theme, row.layout = theme, layout
    if keys in ("on", "off"):
        row.person.letter_keys = keys == "on"


def proves(act: Act, password: str) -> None:
    """Ask who signs or overrides for the password anew: a tablet that lies about proves nobody.

    Raises
    ------
    Invalid
        ``password_again``: wrong, or too many wrong ones.
    """
    tries = Tried(act.db, act.now, [(f"again {act.person.id}", BY_NAME)])
    if seconds := tries.wait():
        raise Invalid({"password_again": f"Too many wrong tries: wait {seconds} seconds."})
    if not fits(password, act.person.password_hash):
        act.db.rollback()
        tries.wrong()
        act.db.commit()
        log.warning("password_again_failed", person=act.person.id)
        words = (
            "Your own password, which you sign in with." if not password else "Not your password."
        )
        raise Invalid({"password_again": words})
    tries.right()


def share_device(act: Act, caller: Caller, name: str) -> str:
    """Make this browser a shared tablet, on which people change by PIN; a foreman's act. The secret
    for its cookie.

    Raises
    ------
    NotAllowed, Invalid
    """
    act.needs(Right.PEOPLE)
    name = " ".join(name.split())
    if not 2 <= len(name) <= 60:
        raise Invalid({"device": "A name by which you know the tablet, 2 to 60 characters."})
    if len(sessions.shared_devices(act.db)) >= DEVICES_MOST:
        raise Invalid({"device": f"There are {DEVICES_MOST} already: end one first."})
    secret = secrets.token_urlsafe(32)
    act.db.add(
        Device(
            secret_hash=digest(secret),
            name=name,
            person_id=None,
            made_at=act.now,
            made_by_id=act.person.id,
            ended_at=None,
        )
    )
    act.trace(None, "tablet_shared", name=name)
    return secret


def end_device(act: Act, device_id: int) -> None:
    """Make a shared tablet an unknown browser again, and end what is signed in on it."""
    act.needs(Right.PEOPLE)
    device = sessions.device_by_id(act.db, device_id)
    if device is None or device.person_id is not None:
        raise NotAllowed
    if device.ended_at is None:
        device.ended_at = act.now
        sessions.end_of_device(act.db, device.id)
        act.trace(None, "tablet_ended", name=device.name)
