"""Templates of steps and relearns: a foreman's versions over the shipped ones, for every engine or
for one family."""

from itertools import product
from typing import Any

from sqlalchemy.orm import Session, object_session

from galene.core.airpath.family import EngineFamily, Part
from galene.core.errors import Fault, InputError
from galene.core.planning.case import Case
from galene.core.planning.planner import make_plan
from galene.core.planning.procedure import PartProcedure
from galene.core.planning.records import Air, PartWork, StateWords
from galene.core.planning.template_faults import procedure_faults, relearn_faults
from galene.core.planning.verify import verify
from galene.core.proof.relearn import RelearnTemplate
from galene.exchange.templates import (
    SHIPPED,
    Template,
    TemplateSet,
    document_of,
    template_of,
    templates_with,
    unmarked,
)
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Refused, Stale
from galene.jobs.intake import check_text
from galene.jobs.rights import Right
from galene.knowledge.families import FAMILIES
from galene.knowledge.methods import METHODS
from galene.knowledge.policy import BY_LETTER, DEFAULT_POLICY, WAYS_IN_PLACE
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.treatment import Circumstances, Treater, forbidden, judged_use, trade_for
from galene.knowledge.variants import LETTERS, WORDS, variants_of
from galene.store.models import Job, Plan, TemplateVersion
from galene.store.repositories import people
from galene.store.repositories import templates as rows


def all_in_force(db: Session) -> list[TemplateVersion]:
    """The workshop's own versions that are in force for every engine or for one."""
    return rows.in_force(db)


def templates_for(db: Session, family_id: str) -> TemplateSet:
    """The templates in force for a family."""
    own: dict[str, dict[str, Any]] = {}
    # A family's own come after the general ones, as the empty id sorts first.
    for row in rows.in_force(db, family_ids=("", family_id)):
        own.setdefault(row.kind, {})[row.template_id] = row.document
    return templates_with(own)


def _require_marks(db: Session, job: Job, templates: TemplateSet) -> None:
    """A workshop's own procedure that was written before steps said what the hand does is asked
    for it before it is planned with again.

    Raises
    ------
    Refused
        Naming the steps, with the way to them.
    """
    here = {*family_of(job).components, *WAYS_IN_PLACE.values()}
    for template_id in sorted(here & set(templates.own.get("procedure", {}))):
        procedure = templates.procedures[template_id]
        if not (steps := unmarked(procedure)):
            continue
        which = ", ".join(map(str, steps))
        line = f"“{procedure.title}”: say at step {which} what the hand does, then save it"
        own = rows.in_force(db, family_ids=(job.family_id,))
        of_family = any((r.kind, r.template_id) == ("procedure", template_id) for r in own)
        place = f"/reference/templates/procedure/{template_id}"
        raise Refused(
            "A procedure of the workshop's own asks for more",
            [line],
            at={line: f"{place}?family={job.family_id}" if of_family else place},
        )


def templates_of(job: Job) -> TemplateSet:
    """The templates in force for a job that is planned now.

    Raises
    ------
    Refused
        One of the workshop's own does not say what the hand does.
    """
    db = object_session(job)
    assert db is not None
    found = templates_for(db, job.family_id)
    _require_marks(db, job, found)
    return found


def frozen_templates(plan: Plan) -> TemplateSet:
    """The templates that a plan was made with, whatever is in force by now."""
    return templates_with(plan.document.templates)


def versions_of(
    db: Session, kind: str, template_id: str, *, family_id: str
) -> list[TemplateVersion]:
    """All versions of the workshop's own, newest first; none where the shipped one was never
    changed."""
    return rows.versions(db, kind, template_id, family_id=family_id)


def in_force(db: Session, kind: str, template_id: str, *, family_id: str) -> Template:
    """The template as it is in force.

    Raises
    ------
    Missing
    """
    if template_id not in SHIPPED.get(kind, {}):
        raise Missing(f"template {template_id[:30]}")
    held = templates_for(db, family_id)
    return held.procedures[template_id] if kind == "procedure" else held.relearns[template_id]


def faults_of(kind: str, template: Template) -> list[Fault]:
    """What is wrong with a template: its words, its variants, the rules of chemistry, and every
    plan that it would be part of."""
    if isinstance(template, RelearnTemplate):
        return relearn_faults(template)
    faults = procedure_faults(template, variants_of(template.component), WORDS)
    return faults or _forbidden_steps(template) or plans_fault(template)


def plans_fault(template: PartProcedure) -> list[Fault]:
    """The first plan with this template that would not hold, over engines, grades, works and
    schools."""
    procedures = {**PROCEDURES, template.component: template}
    works = dict.fromkeys(w for s in template.steps for w in s.works if w != "relearn")
    for family in FAMILIES.values():
        parts = [p for p in family.parts if _treated_by(p.component, template)]
        for part in parts:
            for policy in _policies(part.component):
                for grade in (2, 4):
                    for work in works:
                        one = PartWork(part=part.id, work=work, grade=grade)
                        fault = _plan_fault(
                            family, one, policy, procedures=procedures, template=template
                        )
                        if fault:
                            return [fault]
    return []


def _treated_by(component: str, template: PartProcedure) -> bool:
    if template.component == component:
        return True
    return template.component in WAYS_IN_PLACE.values() and component in LETTERS


def _policies(component: str) -> list[dict[str, str]]:
    """The default schools, and each other choice that this kind of part depends on."""
    found = [dict(DEFAULT_POLICY)]
    for letter in (*LETTERS.get(component, ""), "G"):
        found += [
            {**DEFAULT_POLICY, letter: choice}
            for choice, _ in BY_LETTER[letter].choices
            if choice != DEFAULT_POLICY[letter]
        ]
    return found


def _plan_fault(
    family: EngineFamily,
    work: PartWork,
    policy: dict[str, str],
    *,
    procedures: dict[str, PartProcedure],
    template: PartProcedure,
) -> Fault | None:
    treater = Treater(family=family, now=Circumstances(policy=policy), procedures=procedures)
    if not _works_by(treater, family.part(work.part), work, template=template):
        return None
    start = StateWords(before_set=True, heat="warm")
    case = Case(
        family=family,
        works=(work,),
        policy=policy,
        air=Air(temperature_c=20.0),
        start=start,
    )
    trade = trade_for(family, Circumstances(policy=policy), procedures=procedures)
    try:
        plan = make_plan(case, trade)
    except InputError as fault:
        # A kind of work that this engine's part does not know is no fault of the template.
        if fault.field == "steps":
            return Fault("steps", f"its steps wait for each other on family {family.id}")
        return None
    found = verify(plan, family, start, judge=judged_use, hazards=trade.hazards)
    if not found:
        return None
    first = found[0]
    step = plan.step(first.step)
    key = step.name if step else ""
    at = next((i for i, s in enumerate(template.steps) if s.key == key), None)
    text = f"family {family.id}, {work.work}: rule {first.rule}, {first.text}"
    return Fault("steps" if at is None else f"steps[{at}].text", text)


def _works_by(treater: Treater, part: Part, work: PartWork, *, template: PartProcedure) -> bool:
    """Whether the work on a part is done by the template, as the part lies in one way or another:
    a plan without it says nothing about it."""
    for off, opened in product((False, True), repeat=2):
        try:
            tags = treater.tags(part, work, off=off, opened=opened)
        except InputError:
            continue
        if treater.procedure_for(part, work.work, tags) is template:
            return True
    return False


def _forbidden_steps(procedure: PartProcedure) -> list[Fault]:
    """Steps whose agent no way can bring near this kind of part."""
    found = []
    method = METHODS.get(procedure.component)
    for i, step in enumerate(procedure.steps):
        # The method's own agent has stand-ins that the plan takes where the rules forbid it on a
        # part.
        if (
            step.agent
            and not (method and step.agent == method.agent)
            and (
                why := forbidden(procedure.component, procedure.component, step.agent, features=[])
            )
        ):
            found.append(Fault(f"steps[{i}].agent", f"Forbidden on this part: {why}"))
    return found


def _in_order(
    kind: str, template_id: str, document: dict[str, Any], faults: dict[str, str]
) -> dict[str, Any]:
    """A template's document as it is kept; what is wrong with it is added to `faults`."""
    try:
        template = template_of(kind, document)
        found = faults_of(kind, template)
    except InputError as fault:
        faults[fault.field] = f"{fault.value!r} is not possible; allowed: {fault.allowed}"
        return document
    for one in found:
        faults.setdefault(one.place, one.text)
    if isinstance(template, PartProcedure) and template.component != template_id:
        faults["component"] = "The template of another part."
    if isinstance(template, RelearnTemplate) and template.id != template_id:
        faults["id"] = "Another relearn."
    return document_of(kind, template)


def save_template(
    act: Act,
    kind: str,
    template_id: str,
    *,
    family_id: str,
    document: dict[str, Any] | None,
    note: str,
    seen: int,
) -> TemplateVersion:
    """Put a new version in force; without a document the one below it counts again. Jobs that are
    planned keep theirs.

    Raises
    ------
    NotAllowed
        A foreman's write.
    Invalid
        Faults by the place where they are mended, ``note`` without a word of what was changed.
    Stale, Missing
    """
    act.needs(Right.TEMPLATES)
    if template_id not in SHIPPED.get(kind, {}):
        raise Missing(f"template {template_id[:30]}")
    check_text({"note": note})
    faults: dict[str, str] = {}
    if not 3 <= len(note.strip()) <= 200:
        faults["note"] = "Say what was changed and why, in up to 200 characters."
    if document is not None:
        document = _in_order(kind, template_id, document, faults)
    if faults:
        raise Invalid(faults)
    people.workshop_locked(act.db)
    last = next(iter(versions_of(act.db, kind, template_id, family_id=family_id)), None)
    if (last.version if last else 0) != seen:
        raise Stale(
            "the template",
            last.person.name if last else "somebody",
            last.made_at if last else act.now,
        )
    row = TemplateVersion(
        kind=kind,
        template_id=template_id,
        family_id=family_id,
        version=seen + 1,
        document=document,
        note=note.strip(),
        made_at=act.now,
        person_id=act.person.id,
    )
    act.db.add(row)
    act.db.flush()
    act.trace(
        None,
        "template_saved",
        kind=kind,
        template=template_id,
        family=family_id,
        version=row.version,
        note=note.strip(),
    )
    return row
