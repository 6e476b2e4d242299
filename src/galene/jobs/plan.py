"""Stage 4: scope, access, method, pick list, time and price, as a versioned document."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from galene.core.access import Scope, scope
from galene.core.airpath import EngineFamily, Part
from galene.core.chemistry.judge import FEATURES, STATES, WAYS, Judgement
from galene.core.diagnosis.records import Assessment
from galene.core.procedures import Air, PartPlan, PartProcedure, Policy, Step, compile_steps, laid_open, procedure_of, schedule
from galene.exchange.templates import Book
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text
from galene.jobs.shelf import judge_class
from galene.jobs.templates import RUNNING, book_of, forbidden
from galene.knowledge.agents import AGENTS
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.codes import code_meaning
from galene.knowledge.components import COMPONENTS, COOLANT_STOP
from galene.knowledge.methods import METHODS, PREPARED, agents_for
from galene.knowledge.procedures import CLOSING
from galene.knowledge.relearns import relearn_of, relearns_for
from galene.knowledge.schools import BY_LETTER, DEFAULT_POLICY, REPLACE_FROM_KM, SCHOOLS, tags_of, way_in_place
from galene.store.models import Job, Plan, Workshop

RELEARNED = {"throttle_body", "egr_valve", "idle_air_valve", "runner_actuator"}
"""Kinds of part whose stops or opening the control unit learns anew."""
UNTOUCHED = frozenset({"inspect_only", "left_for_now"})
"""Procedures that clean nothing: what they leave alone asks for no relearn."""
SUGGEST_AT = 0.25
"""Causes at least this likely put their part into the first suggestion of the scope."""


def part_plans(family: EngineFamily, job: Job, parts: Sequence[str], policy: Policy, book: Book) -> tuple[PartPlan, ...]:
    """How the parts of a scope will be treated.

    What would be treated through the shut engine is cleaned by hand after all where other work lays it open anyway.
    """
    plans = [part_plan(family, job, p, policy, book) for p in parts]
    reached = {x for o in laid_open(family, plans, book.procedures) for x in (*o.reaches, o.removes)}
    return tuple(part_plan(family, job, p.part, policy, book, True) if p.part in reached and way_in_place(p.tags) else p for p in plans)


def part_plan(family: EngineFamily, job: Job, part_id: str, policy: Policy, book: Book, opened: bool = False) -> PartPlan:
    """How a part will be treated: its grade as seen, on or off the engine by school F, in place or opened by K and M."""
    part = family.part(part_id)
    look = next((k for k in job.looks if k.part == part_id and k.phase == "before"), None)
    grade = look.grade if look else None
    off = False
    if part.component == "throttle_body":
        off = {"always_off": True, "always_on": False}.get(policy.of("F"), (grade or 0) >= 3 or "faces_down" in part.features)
    tags = tags_of(family, part, grade, job.distance_km, policy.choices, look.deposit if look else "", opened)
    by = way_in_place(tags)
    agent = chosen_agent(part, tags, policy)
    if agent is None and agents_for(part, tags, policy.choices):
        return PartPlan(part_id, grade, off, tags, by="inspect_only")
    planned = METHODS[by or part.component].agent if (by or part.component) in METHODS else ""
    instead = {planned: agent.class_id} if agent and agent.class_id != planned else {}
    if agent and (by or part.component) in book.own.get("procedure", {}):
        # A foreman's own step may name another agent: on this part's features the rules have the last word.
        named = {t.agent for t in book.procedures[by or part.component].steps if t.agent and t.agent != planned}
        features = [f for f in part.features if f in FEATURES]
        instead |= {a: agent.class_id for a in sorted(named) if forbidden(part.component, by or part.component, a, features)}
    return PartPlan(part_id, grade, off, tags, instead, by)


@dataclass(frozen=True)
class ChosenAgent:
    """The agent that a part is treated with, the way, and what the rules say of it in the state that the procedure brings about."""

    class_id: str
    way: str
    judgement: Judgement


def chosen_agent(part: Part, tags: Iterable[str], policy: Policy) -> ChosenAgent | None:
    """The first agent of the part's method and the shop's schools that no rule forbids on it; None where none is used or none is left."""
    method = METHODS.get(way_in_place(tags) or part.component)
    features = [f for f in part.features if f in FEATURES]
    for class_id, way, label in agents_for(part, tags, policy.choices):
        assert method is not None
        # What comes with fuel or air acts later, on the running engine.
        state = RUNNING if way == "running_ingestion" else (*PREPARED, *method.state)
        found = judge_class(class_id, way, part.component, features, state, label)
        if found.verdict != "no":
            return ChosenAgent(class_id, way, found)
    return None


def policy_of(job: Job, workshop: Workshop) -> Policy:
    """The schools of a job: the shop's, over them what the maker says of this family, over that what the job decided."""
    return Policy({**DEFAULT_POLICY, **workshop.policy, **family_of(job).maker_says, **{k: v["choice"] for k, v in job.schools.items()}})


def school_sources(job: Job, workshop: Workshop) -> dict[str, str]:
    """Where each letter's choice comes from, in words."""
    maker = family_of(job).maker_says
    return {
        s.letter: f"this job, {job.schools[s.letter]['by']}: {job.schools[s.letter]['reason']}"
        if s.letter in job.schools
        else "the maker"
        if s.letter in maker
        else "the shop"
        for s in SCHOOLS
    }


def override_school(act: Act, number: str, letter: str, choice: str, reason: str, seen: int) -> Job:
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
    if (
        choice
        and not faults
        and (bare := without_agent(family_of(job), {**policy_of(job, act.db.get_one(Workshop, 1)).choices, letter: choice}))
    ):
        faults["reason"] = f"{next(iter(bare.values()))} Choose another."
    if faults:
        raise Invalid(faults)
    if letter != "Q" and any(s.done_at is None for s in job.steps):
        raise Refused("The work has begun", ["the job card keeps the schools that it was compiled with"])
    act.claim(job, "schools", seen)
    kept = {k: v for k, v in job.schools.items() if k != letter}
    if choice:
        kept[letter] = {"choice": choice, "reason": reason.strip(), "by": act.person.name}
    job.schools = kept
    act.trace(job, "school_overridden", letter=letter, choice=choice, reason=reason.strip())
    return job


def without_agent(family: EngineFamily, choices: Mapping[str, str]) -> dict[str, str]:
    """Letters whose choice leaves a part of this engine without any agent that may touch it, with what is left bare."""
    found: dict[str, str] = {}
    for part in family.parts:
        for grade in (2, 4):
            policy = Policy(choices)
            tags = tags_of(family, part, grade, None, choices)
            if not agents_for(part, tags, choices) or chosen_agent(part, tags, policy):
                continue
            for letter in METHODS[way_in_place(tags) or part.component].schools:
                other = {**choices, letter: DEFAULT_POLICY[letter]}
                then = tags_of(family, part, grade, None, other)
                if choices[letter] != DEFAULT_POLICY[letter] and (
                    not agents_for(part, then, other) or chosen_agent(part, then, Policy(other))
                ):
                    found.setdefault(
                        letter, f"It leaves {part.label.lower()} of {family.name} without an agent: every one is forbidden on it."
                    )
    return found


def schools_since(job: Job) -> list[str]:
    """Letters that the job decided otherwise after its newest plan was saved; the shop's own changes leave a plan as it is."""
    document = job.plans[0].document
    decided = {k: v["choice"] for k, v in job.schools.items()}
    planned = {k: document["policy"][k] for k, source in document.get("sources", {}).items() if source.startswith("this job")}
    return [k for k in sorted({*decided, *planned} - {"Q"}) if decided.get(k) != planned.get(k)]


def suggested_parts(family: EngineFamily, assessment: Assessment) -> list[str]:
    """Parts of the deposit causes that are likely enough, most likely first; the first one always."""
    found: list[str] = []
    for cause in assessment.causes:
        kind = KNOWLEDGE.causes[cause.id]
        if kind.action not in ("clean", "repair") or (cause.probability < SUGGEST_AT and found):
            continue
        for part in family.parts:
            if part.component == kind.component and part.id not in found:
                found.append(part.id)
    return found


def grades_seen(job: Job) -> dict[str, int]:
    """Grades of the before looks by part."""
    return {k.part: k.grade for k in job.looks if k.phase == "before"}


def plan_scope(family: EngineFamily, job: Job, parts: Sequence[str], policy: Policy) -> Scope:
    """Access for the parts as they will be treated."""
    book = book_of(job)
    return _scope_of(family, job, part_plans(family, job, parts, policy, book), book)


def _scope_of(family: EngineFamily, job: Job, plans: Sequence[PartPlan], book: Book) -> Scope:
    opened = [p for p in plans if not procedure_of(family, p, book.procedures).in_place]
    return scope(family, [p.part for p in opened], (), grades_seen(job), [p.part for p in opened if p.off_engine])


def steps_for(
    job: Job, parts: Sequence[str], workshop: Workshop, air: Air, policy: Policy | None = None, book: Book | None = None
) -> tuple[Step, ...]:
    """The procedure that a scope compiles to, under the job's schools and the templates in force or others that are asked about."""
    family, policy, book = family_of(job), policy or policy_of(job, workshop), book or book_of(job)
    return compile_steps(family, part_plans(family, job, parts, policy, book), book.procedures, policy, air, CLOSING)


def document_for(
    job: Job, parts: Sequence[str], new_parts: Sequence[str], workshop: Workshop, policy: Policy | None = None
) -> dict[str, Any]:
    """The whole plan of a scope as plain data: what the page shows and the approval freezes.

    `new_parts` are spare ids that go in new beside what the access consumes.
    """
    family, policy = family_of(job), policy or policy_of(job, workshop)
    air = Air(workshop.bay_temperature_c, workshop.bay_humidity)
    book = book_of(job)
    plans = part_plans(family, job, parts, policy, book)
    steps = compile_steps(family, plans, book.procedures, policy, air, CLOSING)
    access = _scope_of(family, job, plans, book)
    strip = schedule(steps)
    hands = sum(s.minutes for s in steps)
    elapsed = max((s.start + s.minutes for s in strip), default=0.0)
    spares = [c for s in steps for c in s.consumes]
    if policy.of("G") == "reuse":
        spares = []
    spares = list(dict.fromkeys([*spares, *new_parts]))
    agents: dict[str, float] = {}
    for step in steps:
        if step.agent:
            agents[step.agent] = agents.get(step.agent, 0.0) + step.agent_ml
    components = {family.part(p.part).component for p in plans if p.by not in UNTOUCHED}
    main = relearn_of(family, policy.of("I"), book.relearns)
    fuel = any(i.kind == "fuel line open" for step in steps for i in step.opens)
    due = relearns_for(family, components, fuel, policy.of("I"), book.relearns)
    relearn = sum(t.attended_minutes for t in due if t.id != main.id or RELEARNED & components)
    labour = hands / 60 * workshop.hourly_rate
    proof = 35.0
    parts_cost = sum(family.spare(s).price for s in spares)
    agents_cost = sum(AGENTS[a].price_per_ml * ml for a, ml in agents.items())
    tools = list(dict.fromkeys(t for s in steps for t in s.tools))
    drivers = list(dict.fromkeys(f.driver for o in access.operations for f in family.fasteners_of(o.part) if f.driver != "fingers"))
    return {
        "parts": [_part_document(family, job, p, procedure_of(family, p, book.procedures), steps, policy, workshop) for p in plans],
        "operations": [
            {"id": o.id, "text": o.text, "part": o.part, "off": o.minutes_off, "on": o.minutes_on, "opens": [x.what for x in o.opens]}
            for o in access.operations
        ],
        "access_minutes": access.hands_on_minutes,
        "hands_minutes": hands,
        "elapsed_minutes": elapsed,
        "strip": [{"start": s.start, "minutes": s.minutes, "kind": s.kind, "phase": s.phase, "text": s.text} for s in strip],
        "relearn_minutes": relearn,
        "proof_minutes": proof,
        "spares": [
            {"id": s, "name": family.spare(s).name, "number": family.spare(s).number, "price": family.spare(s).price} for s in spares
        ],
        "agents": [{"id": a, "title": AGENTS[a].title, "ml": ml, "price": AGENTS[a].price_per_ml * ml} for a, ml in agents.items()],
        "tools": list(dict.fromkeys([*tools, *drivers])),
        "protection": list(dict.fromkeys(x for a in agents for x in AGENTS[a].protection)),
        "hourly_rate": workshop.hourly_rate,
        "currency": workshop.currency,
        "labour": labour,
        "proof_labour": (proof + relearn) / 60 * workshop.hourly_rate,
        "price": labour + (proof + relearn) / 60 * workshop.hourly_rate + parts_cost + agents_cost,
        "new_parts": list(new_parts),
        "policy": dict(policy.choices),
        "sources": school_sources(job, workshop),
        "templates": dict(book.own),
    }


def _part_document(
    family: EngineFamily, job: Job, plan: PartPlan, procedure: PartProcedure, steps: Sequence[Step], policy: Policy, workshop: Workshop
) -> dict[str, Any]:
    part_id, part = plan.part, family.part(plan.part)
    method = METHODS.get(plan.by or part.component, METHODS["inspect_only"])
    titles = {s.letter: s.title(policy.of(s.letter)) for s in SCHOOLS}
    owner = procedure.component if procedure.once else part_id
    minutes = sum(s.minutes for s in steps if s.key.startswith(f"{owner}:"))
    new = next((s for s in family.spares if s.id == part_id), None)
    look = next((k for k in job.looks if k.part == part_id and k.phase == "before"), None)
    where = {"throttle_body": "off the engine" if plan.off_engine else "on the engine"}.get(part.component, "")
    chosen = chosen_agent(part, plan.tags, policy) if plan.by != "inspect_only" else None
    agent = AGENTS[chosen.class_id] if chosen else None
    return {
        "part": part_id, "label": part.label, "text": method.text, "where": where,
        "agent": chosen.class_id if chosen else "", "agent_title": agent.title if agent else "", "why": method.why,
        "way": WAYS[chosen.way] if chosen else "", "verdict": chosen.judgement.verdict if chosen else "",
        "reasons": [{"rule": r.rule, "text": r.text} for r in chosen.judgement.reasons] if chosen else [],
        "conditions": [STATES[c] for c in chosen.judgement.conditions] if chosen else [], "protection": list(chosen.judgement.protective_equipment) if chosen else [],
        "schools": [{"letter": x, "choice": titles[x]} for x in method.schools],
        "grade": plan.grade, "deposit": look.deposit if look else "", "minutes": minutes,
        "clean_cost": minutes / 60 * workshop.hourly_rate, "new_cost": new.price if new else None,
        "inspect_only": method.component in UNTOUCHED,
        "advice": "Every agent of its method is forbidden on this part: looked at only." if plan.by == "inspect_only" else _advice(job, part, policy),
    }  # fmt: skip


def _advice(job: Job, part: Part, policy: Policy) -> str:
    """What the shop's schools say of replacing this part, empty where they say nothing."""
    far = (job.distance_km or 0) >= REPLACE_FROM_KM
    if part.component == "maf_sensor" and any(code_meaning(c.code).group == "code_maf" for c in job.codes if c.phase == "before"):
        return (
            "School B: a code of the meter is stored, replace it at once."
            if policy.of("B") == "replace"
            else "School B: clean once, retest, then decide."
        )
    if part.component == "oxygen_sensor" and "downstream" not in part.features:
        return (
            f"School P: replace it from {REPLACE_FROM_KM:,.0f} km.".replace(",", " ")
            if policy.of("P") == "replace" and far
            else "School P: test it first; upkeep only if it is slow."
        )
    if COMPONENTS[part.component].sensor and policy.of("O") == "replace" and far:
        return "School O: the access is open, put in a new one while there."
    return ""


def check_scope(job: Job, parts: Sequence[str]) -> None:
    """Refuse what must not be planned: nothing, coolant residue, a hybrid or airbag flag."""
    if not parts:
        raise Invalid({"parts": "Choose at least one part."})
    if job.vehicle.hazards:
        raise Refused("Stop: qualified person only", [f"the vehicle is marked: {', '.join(job.vehicle.hazards)}"])
    pale = [k.part for k in job.looks if k.phase == "before" and k.deposit == "coolant_residue" and k.part in parts]
    if pale:
        raise Refused("Stop: coolant in the gas", [COOLANT_STOP, "seen on " + ", ".join(family_of(job).part(p).label for p in pale)])


def save_plan(act: Act, number: str, parts: Sequence[str], new_parts: Sequence[str], seen: int) -> Job:
    """Save a new version of the plan.

    Raises
    ------
    Invalid, Refused, Stale, ReadOnly
    """
    job = act.job(number)
    family = family_of(job)
    known = {p.id for p in family.parts}
    chosen = [p for p in dict.fromkeys(parts) if p in known]
    if len(chosen) != len(set(parts)):
        raise Invalid({"parts": "A part that this engine does not have."})
    spares = {s.id for s in family.spares}
    if any(s not in spares for s in new_parts):
        raise Invalid({"new_parts": "A spare part that is not on the list."})
    check_scope(job, chosen)
    if any(s.done_at is None for s in job.steps):
        raise Refused(
            "The work has begun", ["the job card follows the approved plan: finish its steps, then a new version begins a second round"]
        )
    workshop = act.db.get_one(Workshop, 1)
    act.claim(job, "plan", seen)
    document = document_for(job, chosen, list(new_parts), workshop)
    version = job.plans[0].version + 1 if job.plans else 1
    act.db.add(Plan(job_id=job.id, version=version, document=document, made_at=act.now, person_id=act.person.id, approved_at=None))
    act.db.flush()
    act.db.expire(job, ["plans"])
    act.trace(job, "plan_saved", version=version, parts=chosen, price=round(document["price"], 2))
    return job


LIMIT_SHARE = 0.10
"""What may be found on the way beyond the price without asking again, where nothing else was agreed (project default)."""


def approve_plan(act: Act, number: str, version: int, who: str, up_to: float | None = None) -> Job:
    """Record who agreed to the newest version, and up to which price the work may go on without asking again."""
    job = act.job(number)
    if not job.plans:
        raise Refused("Nothing to approve", ["save the plan first"])
    newest = job.plans[0]
    if newest.version != version:
        raise Refused("The plan has a newer version", [f"version {newest.version} was saved meanwhile: look at it before it is approved"])
    if len(who.strip()) < 2:
        raise Invalid({"approved_by": "Say who agreed: the keeper, by phone or in person."})
    check_text({"approved_by": who})
    price = newest.document["price"]
    if up_to is not None and not price - 0.005 <= up_to <= 1_000_000:
        raise Invalid({"agreed_up_to": f"Not below the price of {price:.2f}."})
    if newest.approved_at is None:
        newest.approved_at, newest.approved_by = act.now, who.strip()
        newest.agreed_up_to = up_to if up_to is not None else price * (1 + LIMIT_SHARE)
        act.trace(job, "plan_approved", version=version, by=who.strip(), up_to=round(newest.agreed_up_to, 2))
    return job
