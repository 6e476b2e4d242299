"""Words of a bundled job of which the pages know only some: any other is refused by its place."""

from collections.abc import Collection, Iterator

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.must_go_back import BEFORE, KINDS
from galene.core.errors import InputError
from galene.exchange.bundles import BundledJob
from galene.jobs.intake import SOURCES
from galene.jobs.pictures import PHASES
from galene.jobs.stages import STAGES
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import DEPOSIT_KINDS
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.store.models import Job

Word = tuple[str, object, Collection[object]]
"""Where a word stands, the word, and those that are known there."""
SIDES = ("before", "after")
SYMPTOM_WORDS = ("gone", "less", "same")
COMPLAINT_WORDS = ("", "gone", "better", "there")
VERDICTS = ("", "proven", "better_to_confirm", "not_better", "not_comparable")
STATUSES = ("stored", "pending", "permanent", "history")
LEVELS = ("", "ok", "low", "high")


def check_words(job: Job, family: EngineFamily, one: BundledJob) -> None:
    """Refuse a job with a word that Galene does not know.

    Raises
    ------
    InputError
        Naming its place.
    """
    for place, value, allowed in (*_of_job(job), *_of_rows(job, family), *_of_files(one, family)):
        if value not in allowed:
            raise InputError(place, str(value)[:60], "a word that Galene knows")


def _of_job(job: Job) -> Iterator[Word]:
    yield "job.stage", job.stage, STAGES
    yield "job.state", job.state, ("open", "finished")
    yield "job.fluids.coolant", job.fluids.coolant, LEVELS
    yield "job.fluids.oil", job.fluids.oil, LEVELS
    yield "job.proof.verdict", job.proof.verdict, VERDICTS
    yield "job.road_test.complaint", job.road_test.complaint, COMPLAINT_WORDS
    for symptom, word in job.road_test.symptoms.items():
        yield "job.road_test.symptoms", symptom, {"complaint", *KNOWLEDGE.evidence}
        yield f"job.road_test.symptoms.{symptom}", word, SYMPTOM_WORDS
    for cause in job.handover.causes:
        yield "job.handover.causes", cause.id, KNOWLEDGE.causes
    letters = {question.letter for question in POLICY_QUESTIONS}
    for letter in job.schools:
        yield "job.schools", letter, letters


def _of_rows(job: Job, family: EngineFamily) -> Iterator[Word]:
    parts = {p.id for p in family.parts}
    for seen in job.observations:
        yield "evidence", seen.evidence, KNOWLEDGE.evidence
        yield "evidence.state", seen.state, ("present", "absent")
        yield "evidence.source", seen.source, SOURCES
    for code in job.codes:
        yield "codes.phase", code.phase, SIDES
        yield "codes.status", code.status, STATUSES
    for look in job.looks:
        yield "looks.phase", look.phase, (*SIDES, "work")
        yield "looks.part", look.part, parts
        yield "looks.grade", look.grade, range(5)
        yield "looks.deposit", look.deposit, {"", *DEPOSIT_KINDS}
    for taken in job.sets:
        yield "sets.phase", taken.phase, SIDES
        yield "sets.kind", taken.kind, ("idle", "trim", "key_on")
        yield "sets.source", taken.source, ("typed", "pasted", "log", "live")
    for item in job.items:
        yield "must_go_back.kind", item.kind, KINDS
        yield "must_go_back.before", item.before, BEFORE
    for read in job.acknowledgements:
        yield "cautions", read.caution, CAUTIONS


def _of_files(one: BundledJob, family: EngineFamily) -> Iterator[Word]:
    parts = {"", *(p.id for p in family.parts)}
    for row in one.document["pictures"]:
        yield "pictures.phase", row["phase"], PHASES
        yield "pictures.part", row["part"], parts
    for row in one.document["checks"]:
        yield "checks.phase", row["phase"], SIDES
