"""Templates of steps and relearns: a foreman's versions over the shipped ones, for every engine or for one family."""

from typing import Any

from sqlalchemy import ColumnElement, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, object_session

from galene.core.errors import Fault, InputError
from galene.core.procedures import PartProcedure
from galene.core.relearn import RelearnTemplate
from galene.core.template_faults import procedure_faults, relearn_faults
from galene.exchange.templates import SHIPPED, Book, Template, book_with, document_of, template_of
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Stale
from galene.jobs.intake import check_text
from galene.jobs.shelf import judge_class
from galene.knowledge.agents import AGENTS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.methods import METHODS, PREPARED
from galene.knowledge.variants import WORDS, variants_of
from galene.store.models import Job, Plan, TemplateVersion, Workshop

RUNNING = ("engine_warm_running", "ventilated")
"""What a running procedure brings about before its agent is drawn in."""


def _newest(db: Session, *where: ColumnElement[bool]) -> list[TemplateVersion]:
    """The newest version of each template, without those taken back; the general ones before a family's own."""
    keys = (TemplateVersion.kind, TemplateVersion.template_id, TemplateVersion.family_id)
    rows = db.scalars(select(TemplateVersion).ext(distinct_on(*keys)).where(*where).order_by(*keys, TemplateVersion.version.desc()))
    return [r for r in rows if r.document is not None]


def all_in_force(db: Session) -> list[TemplateVersion]:
    """The workshop's own versions that are in force for every engine or for one."""
    return _newest(db)


def book_for(db: Session, family_id: str) -> Book:
    """The templates in force for a family."""
    own: dict[str, dict[str, Any]] = {}
    # A family's own come after the general ones, as the empty id sorts first.
    for row in _newest(db, TemplateVersion.family_id.in_(("", family_id))):
        own.setdefault(row.kind, {})[row.template_id] = row.document
    return book_with(own)


def book_of(job: Job) -> Book:
    """The templates in force for a job that is planned now."""
    db = object_session(job)
    assert db is not None
    return book_for(db, job.family_id)


def frozen_book(plan: Plan) -> Book:
    """The templates that a plan was made with, whatever is in force by now."""
    return book_with(plan.document.get("templates", {}))


def versions_of(db: Session, kind: str, template_id: str, family_id: str) -> list[TemplateVersion]:
    """All versions of the workshop's own, newest first; none where the shipped one was never changed."""
    return list(
        db.scalars(
            select(TemplateVersion)
            .where(TemplateVersion.kind == kind, TemplateVersion.template_id == template_id, TemplateVersion.family_id == family_id)
            .order_by(TemplateVersion.version.desc())
        )
    )


def in_force(db: Session, kind: str, template_id: str, family_id: str) -> Template:
    """The template as it is in force.

    Raises
    ------
    Missing
    """
    if template_id not in SHIPPED.get(kind, {}):
        raise Missing(f"template {template_id[:30]}")
    book = book_for(db, family_id)
    return book.procedures[template_id] if kind == "procedure" else book.relearns[template_id]


def faults_of(kind: str, template: Template) -> list[Fault]:
    """What is wrong with a template, by its words, its variants and the rules of chemistry."""
    if isinstance(template, RelearnTemplate):
        return relearn_faults(template)
    faults = procedure_faults(template, variants_of(template.component), WORDS)
    return faults or _forbidden_steps(template)


def forbidden(component: str, method_id: str, agent: str, features: list[str]) -> str:
    """Why an agent may not touch a part in any way, empty where there is a way."""
    method = METHODS.get(method_id)
    if component not in COMPONENTS:
        return ""
    why = ""
    ways = [method.way] if method and method.agent == agent else sorted(AGENTS[agent].agent.ways)
    for way in ways:
        # What comes with fuel or air acts on the running engine.
        state = RUNNING if way == "running_ingestion" else (*PREPARED, *(method.state if method else ()))
        found = judge_class(agent, way, component, features, state, {})
        if found.verdict != "no":
            return ""
        why = why or f"{found.reasons[0].text} ({found.reasons[0].rule})"
    return why


def _forbidden_steps(procedure: PartProcedure) -> list[Fault]:
    """Steps whose agent no way can bring near this kind of part."""
    found = []
    method = METHODS.get(procedure.component)
    for i, step in enumerate(procedure.steps):
        # The method's own agent has stand-ins that the plan takes where the rules forbid it on a part.
        if (
            step.agent
            and not (method and step.agent == method.agent)
            and (why := forbidden(procedure.component, procedure.component, step.agent, []))
        ):
            found.append(Fault(f"steps[{i}].agent", f"Forbidden on this part: {why}"))
    return found


def save_template(
    act: Act, kind: str, template_id: str, family_id: str, document: dict[str, Any] | None, note: str, seen: int
) -> TemplateVersion:
    """Put a new version in force; without a document the one below it counts again. Jobs that are planned keep theirs.

    Raises
    ------
    NotAllowed
        A foreman's write.
    Invalid
        Faults by the place where they are mended, ``note`` without a word of what was changed.
    Stale, Missing
    """
    act.foreman()
    if template_id not in SHIPPED.get(kind, {}):
        raise Missing(f"template {template_id[:30]}")
    check_text({"note": note})
    faults: dict[str, str] = {}
    if not 3 <= len(note.strip()) <= 200:
        faults["note"] = "Say what was changed and why, in up to 200 characters."
    if document is not None:
        try:
            template = template_of(kind, document)
            for fault in faults_of(kind, template):
                faults.setdefault(fault.place, fault.text)
        except InputError as fault:
            faults[fault.field] = f"{fault.value!r} is not possible; allowed: {fault.allowed}"
        else:
            if isinstance(template, PartProcedure) and template.component != template_id:
                faults["component"] = "The template of another part."
            if isinstance(template, RelearnTemplate) and template.id != template_id:
                faults["id"] = "Another relearn."
            document = document_of(kind, template)
    if faults:
        raise Invalid(faults)
    act.db.execute(select(Workshop.id).where(Workshop.id == 1).with_for_update())
    last = next(iter(versions_of(act.db, kind, template_id, family_id)), None)
    if (last.version if last else 0) != seen:
        raise Stale("the template", last.person.name if last else "somebody", last.made_at if last else act.now)
    row = TemplateVersion(
        kind=kind, template_id=template_id, family_id=family_id, version=seen + 1, document=document, note=note.strip(), made_at=act.now, person_id=act.person.id
    )  # fmt: skip
    act.db.add(row)
    act.db.flush()
    act.trace(None, "template_saved", kind=kind, template=template_id, family=family_id, version=row.version, note=note.strip())
    return row
