"""Engine families of the workshop: versions, drafts, copies, files, bulletins."""

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.exchange.families import document_of, family_of_document, faults_of
from galene.jobs.act import Act, family_in
from galene.jobs.errors import Invalid, Missing, Refused, Stale
from galene.knowledge.families import FAMILIES
from galene.store.models import Bulletin, Family, FamilyDraft, FamilyVersion, Vehicle
from galene.store.repositories import families as rows

KEPT_STEPS = 40
"""States of a draft that undo can go back to."""
KINDS = {"bulletin": "Bulletin", "recall": "Recall"}


def digest_of(document: Mapping[str, Any]) -> str:
    """A name for a family's content."""
    return hashlib.sha256(
        json.dumps(document, sort_keys=True, ensure_ascii=False).encode()
    ).hexdigest()


def install_shipped(db: Session, now: datetime) -> None:
    """Put the families that ship with the product into a database that lacks them, and join jobs
    from before to them."""
    there = rows.ids(db)
    for family in FAMILIES.values():
        if family.id not in there:
            db.add(
                Family(
                    id=family.id,
                    current=_version(family, 1, "shipped with Galene", now=now, person_id=None),
                )
            )
    db.flush()
    rows.give_jobs_their_version(db)


def _version(
    family: EngineFamily, number: int, note: str, *, now: datetime, person_id: int | None
) -> FamilyVersion:
    document = document_of(family)
    return FamilyVersion(
        family_id=family.id,
        version=number,
        digest=digest_of(document),
        document=document,
        note=note,
        made_at=now,
        person_id=person_id,
    )


def versions_in_force(db: Session) -> list[FamilyVersion]:
    """The version in force of every published family, by id."""
    return rows.versions_in_force(db)


def families(db: Session) -> dict[str, EngineFamily]:
    """Every published family as it is in force."""
    return {v.family_id: family_in(v) for v in versions_in_force(db)}


def current_version(db: Session, family_id: str) -> FamilyVersion:
    """The version in force.

    Raises
    ------
    Missing
    """
    row = rows.version_in_force(db, family_id)
    if row is None:
        raise Missing(f"engine family {family_id[:20]}")
    return row


def versions_of(db: Session, family_id: str) -> list[FamilyVersion]:
    """All versions of a family, newest first."""
    return rows.versions(db, family_id)


def drafts(db: Session) -> list[FamilyDraft]:
    """The newest state of every open draft."""
    return rows.drafts(db)


def draft_of(db: Session, family_id: str) -> FamilyDraft | None:
    """A family's draft, None where nobody edits it."""
    return rows.draft(db, family_id)


def family_in_draft(draft: FamilyDraft) -> EngineFamily:
    """The family as the draft has it; it may still have faults."""
    return family_of_document(draft.document)


def _lock(act: Act, family_id: str) -> Family:
    row = rows.locked(act.db, family_id)
    if row is None:
        raise Missing(f"engine family {family_id[:20]}")
    return row


def _keep(act: Act, family: EngineFamily, what: str) -> FamilyDraft:
    draft = FamilyDraft(
        family_id=family.id,
        document=document_of(family),
        what=what,
        at=act.now,
        person_id=act.person.id,
    )
    act.db.add(draft)
    act.db.flush()
    act.trace(None, "family_draft", family=family.id, what=what)
    rows.forget_drafts(act.db, family.id, but_newest=KEPT_STEPS)
    return draft


def begin_draft(act: Act, family_id: str) -> FamilyDraft:
    """Open a draft of the version in force; where one is open, that one."""
    _lock(act, family_id)
    return draft_of(act.db, family_id) or _keep(
        act, family_in(current_version(act.db, family_id)), "draft begun"
    )


def new_family(act: Act, family_id: str, name: str, *, like: str = "") -> FamilyDraft:
    """Begin a family of the workshop's own: a copy of `like`, or empty.

    Raises
    ------
    Invalid
        A short name that is taken or can not be one.
    """
    family_id = family_id.strip().upper()
    if like:
        family = replace(family_in(current_version(act.db, like)), id=family_id, name=name.strip())
    else:
        family = EngineFamily(
            id=family_id,
            name=name.strip(),
            fuel="petrol",
            injection="port",
            cycle="four_stroke",
            throttle="electronic",
            displacement_l=1.6,
            cylinders=4,
            compression_ratio=10.0,
            parts=(),
        )
    faults = {f.place: f.text for f in faults_of(family) if f.place in ("id", "name")}
    if rows.by_id(act.db, family_id):
        faults["id"] = f"{family_id} is taken: open it, or choose another short name."
    if faults:
        raise Invalid(faults)
    act.db.add(Family(id=family_id, current_id=None))
    act.db.flush()
    return _keep(act, family, f"copied from {like}" if like else "begun empty")


def edit_draft(
    act: Act,
    family_id: str,
    seen: int,
    *,
    what: str,
    change: Callable[[EngineFamily], EngineFamily],
) -> FamilyDraft:
    """Change a draft. `seen` is the state that the form showed.

    Raises
    ------
    Missing, Stale, Invalid
        Invalid with the place in the family where a value can not be kept at all; faults that can
        wait till publishing do not stop it.
    """
    _lock(act, family_id)
    draft = _newest(act, family_id, seen)
    try:
        # Through the document and back: what is kept is what was checked.
        changed = family_of_document(document_of(change(family_in_draft(draft))))
    except InputError as fault:
        raise Invalid(
            {fault.field: f"{fault.value!r} is not possible; allowed: {fault.allowed}"}
        ) from fault
    return _keep(act, changed, what)


def _newest(act: Act, family_id: str, seen: int) -> FamilyDraft:
    draft = draft_of(act.db, family_id)
    if draft is None:
        raise Missing(f"draft of engine family {family_id[:20]}")
    if draft.id != seen:
        raise Stale("this engine family's draft", draft.person.name, draft.at)
    return draft


def undo_draft(act: Act, family_id: str, seen: int) -> FamilyDraft:
    """Take the last change back; at the first state there is nothing to take back."""
    _lock(act, family_id)
    draft = _newest(act, family_id, seen)
    before = rows.draft(act.db, family_id, before=draft.id)
    if before is None:
        raise Refused("Nothing to undo", ["this is the draft's first state"])
    act.trace(None, "family_draft_undone", family=family_id, what=draft.what)
    act.db.delete(draft)
    act.db.flush()
    return before


def drop_draft(act: Act, family_id: str, seen: int) -> None:
    """Throw a draft away; a family that was never published goes with it."""
    family = _lock(act, family_id)
    _newest(act, family_id, seen)
    rows.forget_drafts(act.db, family_id)
    if family.current_id is None:
        act.db.delete(family)
    act.trace(None, "family_draft_dropped", family=family_id)


def publish(act: Act, family_id: str, seen: int, *, note: str) -> FamilyVersion:
    """Put a draft in force as the next version. Jobs that run keep the one they began with.

    Raises
    ------
    Refused
        With every fault that the family still has.
    Invalid
        No word on what changed.
    """
    row = _lock(act, family_id)
    family = family_in_draft(_newest(act, family_id, seen))
    faults = faults_of(family)
    if faults:
        raise Refused("Not ready to publish", [str(f) for f in faults])
    if len(note.strip()) < 3 or len(note) > 400:
        raise Invalid({"note": "Say in a few words what changed: 3 to 400 characters."})
    number = rows.last_version(act.db, family_id) + 1
    version = _version(family, number, note.strip(), now=act.now, person_id=act.person.id)
    act.db.add(version)
    act.db.flush()
    row.current_id = version.id
    rows.forget_drafts(act.db, family_id)
    act.trace(None, "family_published", family=family_id, version=number, note=note.strip())
    act.db.flush()
    return version


def add_version(act: Act, family: EngineFamily, note: str) -> FamilyVersion:
    """A version of a family beside those that are here: of an unknown family it comes into force,
    of a known one what is in force stays so.

    Raises
    ------
    InputError
        The family has faults.
    """
    faults = faults_of(family)
    if faults:
        raise InputError("family", str(faults[0])[:120], "a family without faults")
    known = rows.by_id(act.db, family.id)
    newest = max((v.version for v in rows.versions(act.db, family.id)), default=0)
    made = _version(family, newest + 1, note, now=act.now, person_id=act.person.id)
    act.db.add(made)
    act.db.flush()
    if known is None:
        act.db.add(Family(id=family.id, current=made))
        act.db.flush()
    return made


def take_in(act: Act, family: EngineFamily) -> FamilyDraft:
    """A family from a file as a draft: a new family, or the next draft of the one with its short
    name.

    Raises
    ------
    Refused
        Somebody edits that family, or the file's family has faults.
    """
    faults = faults_of(family)
    if faults:
        raise Refused("This family can not be taken in", [str(f) for f in faults])
    if rows.by_id(act.db, family.id) is None:
        act.db.add(Family(id=family.id, current_id=None))
        act.db.flush()
    _lock(act, family.id)
    open_draft = draft_of(act.db, family.id)
    if open_draft is not None:
        raise Refused(
            "Somebody edits this family",
            [
                f"{open_draft.person.name} has a draft of {family.id} open: publish it or throw it"
                " away first"
            ],
        )
    known = rows.by_id(act.db, family.id)
    current = known.current if known else None
    if current is not None:
        _keep(act, family_in(current), "draft begun")
    return _keep(act, family, "taken in from a file")


def add_bulletin(
    act: Act,
    kind: str,
    title: str,
    *,
    source: str,
    outcome: str,
    family_id: str | None = None,
    vehicle: Vehicle | None = None,
) -> Bulletin:
    """Record a bulletin or recall that was looked up, with what came of it.

    Raises
    ------
    Invalid, Missing
    """
    faults = {}
    if kind not in KINDS:
        faults["kind"] = "Bulletin or recall."
    for name, text, words in (
        ("title", title, "Say what it is about."),
        ("source", source, "Say where you looked."),
        ("outcome", outcome, "Say what came of it."),
    ):
        if not text.strip():
            faults[name] = words
        elif len(text) > 400 or "\x00" in text:
            faults[name] = "At most 400 characters that a keyboard makes."
    if faults:
        raise Invalid(faults)
    if family_id is not None:
        current_version(act.db, family_id)
    row = Bulletin(
        family_id=family_id,
        vehicle_id=vehicle.id if vehicle else None,
        kind=kind,
        title=title.strip(),
        source=source.strip(),
        outcome=outcome.strip(),
        checked_at=act.now,
        checked_by_id=act.person.id,
    )
    act.db.add(row)
    act.db.flush()
    act.trace(
        None,
        "bulletin_recorded",
        family=family_id,
        plate=vehicle.plate if vehicle else None,
        kind=kind,
        title=title.strip(),
    )
    return row


def bulletins_for(
    db: Session, family_id: str | None = None, vehicle: Vehicle | None = None
) -> list[Bulletin]:
    """Bulletins and recalls of a family, of a vehicle, or of both, newest first."""
    return rows.bulletins(
        db, family_id=family_id or None, vehicle_id=vehicle.id if vehicle else None
    )
