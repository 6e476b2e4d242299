"""What a report may say of the work: only what was done, chosen and answered on this card."""

from collections.abc import Iterable
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.core.chemistry.judge import WAYS
from galene.core.planning.policy_keys import DRYING
from galene.core.planning.records import Step
from galene.core.planning.words import CONSEQUENCES
from galene.core.text_gate import digits
from galene.core.units import QUANTITIES
from galene.jobs.act import family_of
from galene.jobs.card import answers_of
from galene.jobs.work import parts_used
from galene.knowledge.agents import AGENTS
from galene.knowledge.bill import spare_of
from galene.knowledge.components import DEPOSIT_KINDS
from galene.knowledge.variants import SCHOOL_WORDS
from galene.store.models import Job, StepRow


@dataclass(frozen=True, kw_only=True)
class PartTold:
    """A part with a sentence of what was done to it."""

    label: str
    text: str


@dataclass(frozen=True, kw_only=True)
class Told:
    """The sentences of a report about the work."""

    parts: tuple[PartTold, ...]
    fitted: tuple[str, ...]
    reused: tuple[str, ...]
    answers: tuple[str, ...]
    lifted: tuple[str, ...]
    schools: tuple[str, ...]


def told_of(job: Job) -> Told:
    """What the card says was done. A step that was left out or not reached says nothing."""
    family = family_of(job)
    done = [r for r in job.steps if r.done_at and not r.records.left_out]
    parts = dict.fromkeys(
        p for r in done for p in r.document.treats or (r.document.part,) if p and _works(r.document)
    )
    spares = [spare_of(family, s) for s in parts_used(job)]
    fitted = tuple(f"{s.name.lower()} ({s.number})" if s.number else s.name.lower() for s in spares)
    return Told(
        parts=tuple(
            PartTold(label=family.part(p).name, text=_part_text(family, p, done)) for p in parts
        ),
        fitted=fitted,
        reused=tuple(_reused(family, done)),
        answers=tuple(_answers(job)),
        lifted=tuple(f"Stop lifted by {r.by}: {r.reason}" for r in job.card.resolved),
        schools=tuple(_schools(job, parts, done)),
    )


def _works(step: Step) -> bool:
    return step.work is not None and bool(step.owner)


def _part_text(family: EngineFamily, part: str, done: Iterable[StepRow]) -> str:
    """One sentence: how it was treated, from the steps that were done."""
    mine = [r.document for r in done if part in (r.document.treats or (r.document.part,))]
    works = {s.work for s in mine if s.work}
    # An agent stands with its own act: what cleans is not what a thread is set with.
    washes, aids = _agents(mine)
    new = any(part in s.consumes for s in mine)
    off = any(part in s.takes_off for s in mine)
    sent = any(part in s.sends for s in mine)
    found: list[str] = []
    if new or ("replace" in works and any(part in s.refits for s in mine)):
        found.append("fitted new")
    if works & {"clean"} and not new:
        treated = [s for s in mine if s.work == "clean" and s.phase in ("clean", "running")]
        how = f" with {', '.join(washes)}" if washes else ""
        found.append(f"cleaned{how}" if _treated(treated) else "looked at")
        if _drawn_in(mine) and not off:
            found.append("with nothing taken off")
    if "upkeep" in works:
        how = f" with {', '.join(washes)}" if washes else ""
        found.append(f"upkeep{how}, with nothing taken off")
    if "repair" in works and not new:
        found.append("mended at its joint and tested there")
    if "adjust" in works:
        found.append("set and hooked as it should be")
    if works == {"inspect"}:
        found.append("looked at, not cleaned")
    if off and not new:
        found.append("off the engine")
    if sent and not new:
        found.append("sent out to the bath")
    if aids:
        found.append(f"put together with {', '.join(aids)}")
    return (", ".join(found) or "nothing done").capitalize() + "."


def _drawn_in(steps: Iterable[Step]) -> bool:
    return any(s.agent and s.agent.way == "running_ingestion" for s in steps)


def _agents(steps: Iterable[Step]) -> tuple[list[str], list[str]]:
    """What cleaned, and what it was put together with, each once with its way."""
    washes: dict[str, None] = {}
    aids: dict[str, None] = {}
    for step in steps:
        if step.agent is None:
            continue
        title = AGENTS[step.agent.class_id].title.lower()
        if "assembly_aid" in step.agent.properties:
            aids[title] = None
        else:
            washes[f"{title} {WAYS.get(step.agent.way, step.agent.way)}"] = None
    return list(washes), list(aids)


def _treated(steps: Iterable[Step]) -> bool:
    return any(s.agent or s.sends or s.name != "look" for s in steps)


def _reused(family: EngineFamily, done: Iterable[StepRow]) -> Iterable[str]:
    for row in done:
        given = row.records.of("seal")
        if given and given.answer == "yes" and row.document.part:
            yield f"seal of the {family.part(row.document.part).name.lower()}"


def _answers(job: Job) -> Iterable[str]:
    """Answers that had a consequence, with what followed."""
    family = family_of(job)
    quantities = {r.id: r.quantity for s in job.steps for r in s.document.records if r.quantity}
    for answer in answers_of(job):
        if answer.consequence is None:
            continue
        where = f"{family.part(answer.part).name}: " if answer.part else ""
        said = answer.answer.replace(":", ", ")
        quantity = quantities.get(answer.record, "")
        if quantity:
            said = f"{said} {QUANTITIES[quantity].kept.id}"
        grade, _, deposit = answer.answer.partition(":")
        if digits(grade, 1):
            words = DEPOSIT_KINDS.get(deposit, "").lower()
            said = f"grade {grade}" + (f", {words}" if words else "")
        followed = CONSEQUENCES[answer.consequence.kind]
        yield f"{where}{answer.label}: {said}. {answer.consequence.text} ({followed})"


def _schools(job: Job, parts: Iterable[str], done: Iterable[StepRow]) -> Iterable[str]:
    """Each school once that decided something which was done on these parts."""
    if not job.plans:
        return ()
    wanted = set(parts)
    acted = {letter for r in done for tag in r.document.tags for letter in _letters(tag)}
    if any(r.document.wait and r.document.agent for r in done):
        acted.add(DRYING)
    if _drawn_in(r.document for r in done):
        # The running engine's work is one procedure of its own, whoever decided for it.
        acted.update(_letters("upkeep"))
    silent = BY_TAG - acted
    sheets = [p for p in job.plans[0].document.parts if p.part in wanted]
    return dict.fromkeys(
        f"{s.letter} {s.choice}" for p in sheets for s in p.schools if s.letter not in silent
    )


def _letters(tag: str) -> list[str]:
    """Schools that decide a tag of a step."""
    return SCHOOL_WORDS[tag].partition(":")[0].split(", ") if tag in SCHOOL_WORDS else []


BY_TAG = {letter for tag in SCHOOL_WORDS for letter in _letters(tag)} | {DRYING}
"""Schools whose choice stands on the steps that it decides."""
