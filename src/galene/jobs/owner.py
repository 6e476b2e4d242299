"""The owner's own page of one job: its secret address, what it says, what the owner answers."""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from sqlalchemy.orm import Session

from galene.core.errors import InputError
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.intake import check_text
from galene.jobs.keep import KeepTold, kept_or_replaced
from galene.jobs.passwords import digest
from galene.jobs.plan import approve_plan
from galene.store.models import Job, OwnerLink, OwnerWord, Plan, Workshop
from galene.store.repositories import owner as rows

Kind = Literal["approve", "decline", "ask"]
KINDS: tuple[Kind, ...] = ("approve", "decline", "ask")
MOST_DAYS = 90
MOST_LINKS = 20
MOST_WORDS = 40
"""Answers that one address takes: an owner asks a few times, a machine for ever."""
LONGEST = 1000


def open_link(act: Act, number: str, days: int | None) -> str:
    """An address for the owner of a job.

    Returns
    -------
    str
        The secret, which is kept as its hash only: it is shown once.

    Raises
    ------
    Invalid
        ``days``, or too many addresses are open.
    """
    job = act.job(number, finished=True)
    if days is None or not 1 <= days <= MOST_DAYS:
        raise Invalid({"days": f"From one day to {MOST_DAYS}."})
    if sum(is_open(link, act.now) for link in rows.of_job(act.db, job.id)) >= MOST_LINKS:
        raise Invalid({"days": "Too many addresses are open: close one first."})
    secret = secrets.token_urlsafe(24)
    act.db.add(
        OwnerLink(
            job_id=job.id,
            secret_hash=digest(secret),
            made_at=act.now,
            made_by_id=act.person.id,
            expires_at=act.now + timedelta(days=days),
        )
    )
    act.trace(job, "owner_link_opened", days=days)
    act.db.flush()
    return secret


def is_open(link: OwnerLink, now: datetime) -> bool:
    """Whether an address still answers."""
    return link.closed_at is None and link.expires_at > now


def close_link(act: Act, number: str, link_id: int) -> None:
    """Close an address: it answers no more. Twice is harmless.

    Raises
    ------
    Missing
    """
    job = act.job(number, finished=True)
    link = rows.by_id(act.db, job.id, link_id)
    if link is None:
        raise Missing(f"address {link_id}")
    if link.closed_at is None:
        link.closed_at = act.now
        act.trace(job, "owner_link_closed")


def link_of(db: Session, secret: str, now: datetime) -> OwnerLink | None:
    """The open address of a secret."""
    if not 20 <= len(secret) <= 100 or not secret.isascii():
        return None
    link = rows.by_hash(db, digest(secret))
    return link if link is not None and is_open(link, now) else None


@dataclass(frozen=True, kw_only=True)
class OwnerAnswer:
    """What an owner sends: the form's own token, the plan that was on the page, approve, decline or
    ask, a name and words."""

    once: str
    plan_version: int | None
    kind: str
    name: str
    words: str


def _faults_of(answer: OwnerAnswer) -> dict[str, str]:
    faults: dict[str, str] = {}
    if answer.kind not in KINDS:
        faults["kind"] = "Agree, decline or ask."
    if not 2 <= len(answer.name.strip()) <= 80:
        faults["name"] = "Your name, please: 2 to 80 characters."
    if len(answer.words) > LONGEST:
        faults["words"] = f"Up to {LONGEST} characters."
    if answer.kind == "ask" and len(answer.words.strip()) < 3:
        faults["words"] = "What would you like to know?"
    if not 8 <= len(answer.once) <= 80:
        faults["kind"] = "This page is not complete. Load it again."
    return faults


def answer(db: Session, link: OwnerLink, given: OwnerAnswer, now: datetime) -> None:
    """Take what an owner says; an approval approves the plan that was on the page. The same form
    twice is harmless.

    Raises
    ------
    Invalid
        A field, or that address has had its say.
    Refused
        The plan was changed meanwhile, or there is none to answer.
    """
    if faults := _faults_of(given):
        raise Invalid(faults)
    check_text({"name": given.name, "words": given.words})
    name = given.name.strip()
    act = Act(db=db, person=link.made_by, now=now, owner=name)
    # Locked first: a twin that is still being written is waited for.
    job = act.job(link.job.number, finished=True)
    if rows.said_before(db, link.id, given.once):
        return
    if rows.count(db, link.id) >= MOST_WORDS:
        raise Invalid({"kind": "That is a great deal for one page: please ring the workshop."})
    plan = job.plans[0] if job.plans else None
    if given.kind != "ask":
        _check_plan(job, plan, given)
    db.add(
        OwnerWord(
            link_id=link.id,
            once=given.once,
            at=now,
            kind=given.kind,
            name=name,
            words=given.words.strip(),
            plan_version=given.plan_version,
        )
    )
    if given.kind == "approve" and plan is not None:
        approve_plan(act, job.number, plan.version, who=f"{name}, on the owner's page")
    act.trace(job, f"owner_{given.kind}", words=given.words.strip(), version=given.plan_version)
    db.flush()


def _check_plan(job: Job, plan: Plan | None, given: OwnerAnswer) -> None:
    if plan is None or job.state != "open":
        raise Refused("There is nothing to answer", ["the work is done, or not planned yet"])
    if plan.version != given.plan_version:
        raise Refused(
            "The plan has changed meanwhile",
            ["load the page again and look at the new one before you answer"],
        )
    if plan.approved_at is not None:
        raise Refused("It is agreed to already", [f"by {plan.approved_by}"])


def reply(act: Act, number: str, word_id: int, words: str) -> None:
    """Answer a question of the owner, who reads it on the same page.

    Raises
    ------
    Invalid, Missing
    """
    job = act.job(number, finished=True)
    said = rows.word(act.db, job.id, word_id)
    if said is None:
        raise Missing(f"question {word_id}")
    check_text({"reply": words})
    if not 2 <= len(words.strip()) <= LONGEST:
        raise Invalid({f"reply-{word_id}": f"From 2 to {LONGEST} characters."})
    said.reply, said.replied_at, said.replied_by_id = words.strip(), act.now, act.person.id
    act.trace(job, "owner_answered", words=words.strip())


def seen(link: OwnerLink, now: datetime) -> None:
    """The owner has looked at it."""
    link.seen_at = now


@dataclass(frozen=True, kw_only=True)
class LeftUndone:
    """What it may come to where a part is left: its price new in place of cleaned."""

    told: tuple[KeepTold, ...]
    off_road_per_day: float


def left_undone(db: Session, job: Job, shop: Workshop) -> LeftUndone:
    """What the parts that would be cleaned cost new, as far as their prices are known."""
    plan = job.plans[0].document if job.plans else None
    cleaned: Sequence[str] = [p.part for p in plan.parts if p.work == "clean"] if plan else ()
    known = {p.id for p in family_of(job).parts}
    told: list[KeepTold] = []
    for part in cleaned:
        if part not in known:
            continue
        try:
            found = kept_or_replaced(db, job, shop, part)
        except InputError:
            continue
        if found is not None and found.replace is not None:
            told.append(found)
    return LeftUndone(told=tuple(told), off_road_per_day=shop.off_road_per_day)


def links_of(db: Session, job: Job) -> list[OwnerLink]:
    """A job's addresses, the newest first."""
    return rows.of_job(db, job.id)


def words_of(db: Session, job: Job) -> list[OwnerWord]:
    """What owners said on a job, the newest first."""
    return rows.words_of(db, job.id)


def unanswered(db: Session) -> list[OwnerWord]:
    """Questions that wait for an answer, the oldest first."""
    return rows.unanswered(db, 8)
