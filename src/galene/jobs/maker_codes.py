"""Makers' own codes in the workshop's words: named once, known on every job."""

from sqlalchemy.orm import Session

from galene.core.diagnosis.codes import read_codes
from galene.jobs.act import Act
from galene.jobs.errors import Invalid
from galene.jobs.intake import code_evidence_of, find_open_jobs_with
from galene.knowledge.codes import GROUPS, code_meaning
from galene.store.models import MakerCode
from galene.store.repositories import maker_codes as rows


def is_makers_own(code: str) -> bool:
    """Whether a code has no generic meaning, so that the workshop's words count."""
    return code_meaning(code).group is None


def words_of(db: Session) -> dict[str, MakerCode]:
    """Every code that the workshop has named."""
    return rows.every(db)


def name_code(act: Act, code: str, text: str, *, evidence: str) -> MakerCode:
    """Keep what a maker's code means here, and the group that it counts as (empty: none). Open jobs
    follow at once.

    Raises
    ------
    Invalid
        A code with a generic meaning of its own, no words, a group that is none.
    """
    read = read_codes(code)
    faults = {}
    if len(read.codes) != 1 or read.not_understood:
        faults["maker_code"] = f"{code[:20]}: not a code."
    elif not is_makers_own(read.codes[0].code):
        faults["maker_code"] = (
            f"{read.codes[0].code} has its generic meaning:"
            f" {code_meaning(read.codes[0].code).text}."
        )
    if not 3 <= len(text.strip()) <= 200 or "\x00" in text:
        faults["maker_text"] = "Say what it means, in 3 to 200 characters."
    if evidence and evidence not in GROUPS:
        faults["maker_group"] = "A group of the list, or none."
    if faults:
        raise Invalid(faults)
    named = read.codes[0].code
    act.trace(None, "maker_code_named", code=named, text=text.strip(), evidence=evidence)
    row = rows.save(
        act.db,
        named,
        text.strip(),
        evidence=evidence or None,
        at=act.now,
        person_id=act.person.id,
    )
    for job in find_open_jobs_with(act.db, named):
        code_evidence_of(act, job)
    return row
