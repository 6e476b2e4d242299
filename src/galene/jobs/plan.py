"""Stage 4: the scope with its kinds of work, saved as versions, approved; schools of a job."""

from collections.abc import Mapping, Sequence

from galene.core.airpath.access import Scope, scope
from galene.core.airpath.family import EngineFamily
from galene.core.chemistry.judge import engine_of
from galene.core.diagnosis.records import Assessment
from galene.core.errors import InputError
from galene.core.jobcard.agreement import STANDING, agreement_text
from galene.core.jobcard.job_records import JobSchool
from galene.core.planning.records import PartWork
from galene.core.planning.words import WORKS, Work
from galene.jobs import spares
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import HAZARDS, check_text
from galene.jobs.planning import Planned, planned, policy_of, works_of
from galene.jobs.rights import Right
from galene.jobs.rounds import rows_of_round
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.components import BESIDE, COOLANT_STOP
from galene.knowledge.methods import METHODS, agents_for
from galene.knowledge.policy import BY_LETTER, DEFAULT_POLICY, tags_of, way_in_place
from galene.knowledge.treatment import chosen_agent
from galene.store.models import Job, Person, Plan
from galene.store.repositories import people

SUGGEST_AT = 0.25
"""Causes at least this likely put their part into the first suggestion of the scope."""
LEADS_AT = 0.6
"""A cause at least this likely stands alone: cheap but unlikely parts are not put before it."""
LIMIT_SHARE = 0.10
"""What may be found on the way beyond the price without asking again, where nothing else was agreed
(project default)."""
ACTIONS: dict[str, Work] = {
    "clean": "clean",
    "repair": "repair",
    "replace": "replace",
    "relearn": "relearn",
}


def override_school(
    act: Act, number: str, letter: str, *, choice: str, reason: str, seen: int
) -> Job:
    """Follow another school on this job, with a reason; an empty choice goes back to the shop's.

    Raises
    ------
    Invalid
        An unknown letter or choice, no reason, a choice that leaves a part without an agent.
    Refused
        The work has begun.
    Stale
        Somebody overrode a school meanwhile.
    """
    job = act.job(number)
    school = BY_LETTER.get(letter)
    check_text({"reason": reason})
    faults = {}
    if school is None or (choice and choice not in dict(school.choices)):
        faults["school"] = "Choose one of the list."
    if choice and len(reason.strip()) < 5:
        faults["reason"] = "Say why: it stands in the report."
    if choice and not faults:
        chosen = {**policy_of(job, people.workshop(act.db)), letter: choice}
        bare = without_agent(family_of(job), chosen)
        if bare:
            faults["reason"] = f"{next(iter(bare.values()))} Choose another."
    if faults:
        raise Invalid(faults)
    if letter != "Q" and any(s.done_at is None for s in job.steps):
        raise Refused(
            "The work has begun", ["the card keeps the schools that it was compiled with"]
        )
    act.claim(job, "schools", seen)
    kept = {k: v for k, v in job.schools.items() if k != letter}
    if choice:
        kept[letter] = JobSchool(choice=choice, reason=reason.strip(), by=act.person.name)
    job.schools = kept
    act.trace(job, "school_overridden", letter=letter, choice=choice, reason=reason.strip())
    return job


def without_agent(family: EngineFamily, choices: Mapping[str, str]) -> dict[str, str]:
    """Letters whose choice leaves a part of this engine without any agent that may touch it."""
    found: dict[str, str] = {}
    engine = engine_of(family)
    for part in family.parts:
        for grade in (2, 4):
            tags = tags_of(family, part, grade, distance_km=None, policy=choices)
            if not agents_for(part, tags, choices) or chosen_agent(
                part, tags, choices, engine=engine
            ):
                continue
            for letter in METHODS[way_in_place(tags) or part.component].schools:
                other = {**choices, letter: DEFAULT_POLICY[letter]}
                then = tags_of(family, part, grade, distance_km=None, policy=other)
                helps = not agents_for(part, then, other) or chosen_agent(
                    part, then, other, engine=engine
                )
                if choices[letter] != DEFAULT_POLICY[letter] and helps:
                    text = (
                        f"It leaves {part.label.lower()} of {family.name} without an agent: "
                        "every one is forbidden on it."
                    )
                    found.setdefault(letter, text)
    return found


def agreed_before(job: Job) -> Plan | None:
    """What was agreed last, where the newest version is not agreed to."""
    if not job.plans or job.plans[0].approved_at is not None:
        return None
    return next((v for v in job.plans if v.approved_at is not None), None)


def schools_since(job: Job) -> list[str]:
    """Letters that the job decided otherwise after its newest plan was saved."""
    document = job.plans[0].document
    decided = {k: v.choice for k, v in job.schools.items()}
    planned_then = {
        k: document.policy[k]
        for k, source in document.sources.items()
        if source.startswith("this job")
    }
    letters = sorted({*decided, *planned_then} - {"Q"})
    return [k for k in letters if decided.get(k) != planned_then.get(k)]


def suggested_works(family: EngineFamily, assessment: Assessment) -> dict[str, Work]:
    """Parts with the work that the likely causes ask for, most likely first; the first one always.

    A cause that stands far above the others is not hidden behind cheap but unlikely ones.
    """
    found: dict[str, Work] = {}
    first = assessment.causes[0].probability if assessment.causes else 0.0
    least = max(SUGGEST_AT, first / 2) if first >= LEADS_AT else SUGGEST_AT
    for cause in assessment.causes:
        kind = KNOWLEDGE.causes[cause.id]
        work = ACTIONS.get(kind.action)
        if work is None or (cause.probability < least and found):
            continue
        for part in family.parts:
            if part.component == kind.component and part.id not in found:
                found[part.id] = work
    return found


def grades_seen(job: Job) -> dict[str, int]:
    """Grades of the before looks by part."""
    return {k.part: k.grade for k in job.looks if k.phase == "before"}


def access_of(job: Job, found: Planned) -> Scope:
    """Access for a plan, with what each neighbour would add to what is opened anyway."""
    opened = {s.opening for s in found.plan.steps if s.opening}
    by_id = {o.id: o for o in found.case.family.operations}
    lifted = [by_id[o].removes for o in opened if by_id[o].removes]
    parts = [
        w.part
        for w in found.case.works
        if any(w.part in by_id[o].reaches or w.part == by_id[o].removes for o in opened)
    ]
    return scope(found.case.family, parts, grades=grades_seen(job), removed=lifted, beside=BESIDE)


def check_qualified(job: Job, person: Person) -> None:
    """Refuse a marked vehicle to who is not qualified for its marks; a foreman says who is.

    Raises
    ------
    Refused
    """
    lacking = [HAZARDS[h] for h in job.vehicle.hazards if h not in person.skills]
    if lacking:
        raise Refused(
            "Stop: qualified person only",
            [
                f"the vehicle is marked: {', '.join(lacking)}",
                f"{person.name} is not entered as qualified for it: hand it to somebody who is",
            ],
        )


def check_scope(job: Job, works: Sequence[PartWork]) -> None:
    """Refuse what must not be planned: nothing, coolant residue, a mark of the vehicle that its
    technician is not qualified for."""
    if not works:
        raise Invalid({"parts": "Choose at least one part."})
    check_qualified(job, job.technician)
    parts = {w.part for w in works if w.work == "clean"}
    pale = [
        k.part
        for k in job.looks
        if k.phase == "before" and k.deposit == "coolant_residue" and k.part in parts
    ]
    if pale:
        labels = ", ".join(family_of(job).part(p).label for p in pale)
        raise Refused("Stop: coolant in the gas", [COOLANT_STOP, f"seen on {labels}"])


def read_works(job: Job, parts: Sequence[str], kinds: Mapping[str, str]) -> tuple[PartWork, ...]:
    """A scope as a form sends it.

    Raises
    ------
    Invalid
        A part that this engine does not have, a kind of work that is none.
    """
    known = {p.id for p in family_of(job).parts}
    chosen = [p for p in dict.fromkeys(parts) if p in known]
    if len(chosen) != len(set(parts)):
        raise Invalid({"parts": "A part that this engine does not have."})
    works: dict[str, Work] = {}
    for part, kind in kinds.items():
        if part in chosen and kind:
            if kind not in WORKS:
                raise Invalid({"parts": f"{kind[:20]!r} is no kind of work."})
            works[part] = kind
    return works_of(job, chosen, works)


def save_plan(
    act: Act,
    number: str,
    parts: Sequence[str],
    *,
    extra_spares: Sequence[str],
    seen: int,
    kinds: Mapping[str, str] | None = None,
) -> Job:
    """Save a new version of the plan.

    Raises
    ------
    Invalid, Refused, Stale, ReadOnly
    """
    job = act.job(number)
    works = read_works(job, parts, kinds or {})
    known = {s.id for s in family_of(job).spares}
    if any(s not in known for s in extra_spares):
        raise Invalid({"new_parts": "A spare part that is not on the list."})
    check_scope(job, works)
    running = any(s.done_at is None for s in rows_of_round(job))
    if running and not job.card.held and job.stage in ("work", "prove"):
        raise Refused(
            "The work has begun",
            [
                "the card follows the approved plan: finish its steps, then a new version"
                " begins a second round"
            ],
        )
    act.claim(job, "plan", seen)
    workshop = people.workshop(act.db)
    try:
        found = planned(job, works, workshop, extra_spares=extra_spares)
    except InputError as fault:
        raise Invalid({"parts": f"{fault.value}: {fault.allowed}."}) from fault
    version = job.plans[0].version + 1 if job.plans else 1
    job.plans.insert(
        0,
        Plan(
            version=version,
            document=found.document,
            made_at=act.now,
            person_id=act.person.id,
            approved_at=None,
        ),
    )
    act.db.flush()
    scope_ids = [w.part for w in works]
    act.trace(
        job, "plan_saved", version=version, parts=scope_ids, price=round(found.document.price, 2)
    )
    return job


def agree(
    act: Act, number: str, version: int, *, name: str, way: str, up_to: float | None = None
) -> Job:
    """Enter that an owner agreed, as a person of the workshop has heard it.

    Parameters
    ----------
    name : who said yes
    way : how, a key of `agreement.WAYS`; a standing agreement is a foreman's to claim

    Raises
    ------
    Refused
        Somebody else has the job, and no foreman acts.
    Invalid
        ``approved_by``, ``approved_how``: nobody is named, or no such way.
    """
    job = act.job(number)
    if job.technician_id != act.person.id and not act.holds(Right.SIGN):
        raise Refused(
            "Not yours to agree for",
            [f"{job.technician.name} has this job and enters who agreed, or a foreman does"],
        )
    if way == STANDING and not act.holds(Right.SIGN):
        raise Invalid({"approved_how": "A foreman enters a standing agreement."})
    try:
        who = agreement_text(name, way)
    except InputError as fault:
        raise Invalid({fault.field: f"Wanted: {fault.allowed}."}) from fault
    return approve_plan(act, number, version, who=who, up_to=up_to)


def approve_plan(
    act: Act, number: str, version: int, *, who: str, up_to: float | None = None
) -> Job:
    """Record who agreed to the newest version, and up to which price the work may go on unasked.

    What the plan consumes is reserved from the shelf.
    """
    job = act.job(number)
    if not job.plans:
        raise Refused("Nothing to approve", ["save the plan first"])
    newest = job.plans[0]
    if newest.version != version:
        raise Refused(
            "The plan has a newer version",
            [f"version {newest.version} was saved meanwhile: look at it before it is approved"],
        )
    if len(who.strip()) < 2:
        raise Invalid({"approved_by": "Say who agreed: the owner, by phone or in person."})
    check_text({"approved_by": who})
    price = newest.document.price
    if up_to is not None and not price - 0.005 <= up_to <= 1_000_000:
        raise Invalid({"agreed_up_to": f"Not below the price of {price:.2f}."})
    if newest.approved_at is None:
        newest.approved_at, newest.approved_by = act.now, who.strip()
        newest.agreed_up_to = up_to if up_to is not None else price * (1 + LIMIT_SHARE)
        spares.reserve(act, job, newest.document)
        agreed = round(newest.agreed_up_to, 2)
        act.trace(job, "plan_approved", version=version, by=who.strip(), up_to=agreed)
    return job
