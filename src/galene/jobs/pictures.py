"""Pictures of a job: taken of a part before or after, paired, drawn over; the drawing is kept as
data, never in the picture."""

from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy.orm import Session

from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Stale
from galene.jobs.intake import check_text
from galene.store.models import Job, JobPicture
from galene.store.pictures import Kept, PictureStore
from galene.store.repositories import families
from galene.store.repositories import pictures as rows

PHASES: dict[str, str] = {"before": "before", "after": "after", "found": "found on the way"}
MOST_MARKS = 40


def add_picture(
    act: Act, number: str, part: str, *, phase: str, note: str, kept: Kept
) -> JobPicture:
    """Record a picture that lies on disk.

    Raises
    ------
    Invalid
        ``part``, ``phase`` or ``note``.
    """
    job = act.job(number)
    check_text({"note": note})
    faults = {}
    if part and part not in {p.id for p in family_of(job).parts}:
        faults["part"] = "A part of this engine, or the job as a whole."
    if phase not in PHASES:
        faults["phase"] = "before, after or found."
    if len(note) > 200:
        faults["note"] = "At most 200 characters."
    if faults:
        raise Invalid(faults)
    row = JobPicture(
        job_id=job.id,
        part=part,
        phase=phase,
        digest=kept.digest,
        thumbnail=kept.thumbnail,
        width=kept.width,
        height=kept.height,
        note=note.strip(),
        marks=[],
        at=act.now,
        person_id=act.person.id,
    )
    act.db.add(row)
    act.db.flush()
    act.trace(job, "picture_taken", part=part, phase=phase, picture=kept.digest)
    return row


def pictures_of(db: Session, job: Job) -> list[JobPicture]:
    """A job's pictures, oldest first."""
    return rows.of_job(db, job.id)


def find_picture(db: Session, job: Job, picture_id: int) -> JobPicture:
    """One picture of the job.

    Raises
    ------
    Missing
    """
    row = rows.by_id(db, picture_id)
    if row is None or row.job_id != job.id:
        raise Missing(f"picture {picture_id}")
    return row


def _mark(i: int, given: Any) -> dict[str, Any]:
    """One mark over a picture, places as shares of its width and height."""
    kind = str(given.get("kind")) if isinstance(given, dict) else ""
    numbers = {"arrow": ("x1", "y1", "x2", "y2"), "words": ("x", "y")}.get(kind, ())
    if not numbers:
        raise Invalid({f"marks[{i}]": "An arrow or words."})
    places = {}
    for name in numbers:
        value = given.get(name)
        if not isinstance(value, (int, float)) or isinstance(value, bool) or not 0 <= value <= 1:
            raise Invalid({f"marks[{i}].{name}": "A place from 0 to 1."})
        places[name] = round(float(value), 4)
    if kind == "arrow":
        return {"kind": "arrow", **places}
    text = given.get("text")
    if not isinstance(text, str) or not 1 <= len(text.strip()) <= 80:
        raise Invalid({f"marks[{i}].text": "One to 80 characters."})
    check_text({f"marks[{i}].text": text})
    return {"kind": "words", **places, "text": text.strip()}


def mark_picture(
    act: Act, number: str, picture_id: int, *, marks: Sequence[Any], seen: int
) -> JobPicture:
    """Keep arrows and words over a picture.

    Raises
    ------
    Invalid, Missing, Stale
    """
    job = act.job(number)
    row = find_picture(act.db, job, picture_id)
    if len(marks) > MOST_MARKS:
        raise Invalid({"marks": f"At most {MOST_MARKS} marks."})
    kept = [_mark(i, m) for i, m in enumerate(marks)]
    if row.revision != seen:
        raise Stale("the marks on this picture", "somebody", row.at)
    row.marks, row.revision = kept, seen + 1
    act.trace(job, "picture_marked", picture=row.digest, marks=len(kept))
    return row


def pairs(pictures: Iterable[JobPicture]) -> dict[str, tuple[list[JobPicture], list[JobPicture]]]:
    """Pictures by part: those from before beside those from after."""
    found: dict[str, tuple[list[JobPicture], list[JobPicture]]] = {}
    for picture in pictures:
        before, after = found.setdefault(picture.part, ([], []))
        (after if picture.phase == "after" else before).append(picture)
    return found


def _names_in(document: Any) -> Iterable[str]:
    for part in document.get("parts", []):
        if part.get("picture"):
            yield part["picture"]


def check_pictures(db: Session, store: PictureStore) -> tuple[list[str], list[str]]:
    """Content hashes of pictures on disk that no record names, and of records whose picture is not
    on disk."""
    named = rows.file_names(db)
    for document in families.documents(db):
        named |= set(_names_in(document))
    there = set(store.names())
    return sorted(there - named), sorted(named - there)
