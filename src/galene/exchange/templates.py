"""Templates of steps and of relearns as JSON: the form in which versions are kept and handed on."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from galene.core.planning.procedure import PartProcedure, StepTemplate
from galene.core.proof.relearn import RelearnTemplate
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.procedures.words import AFTER, BEFORE
from galene.knowledge.relearns import RELEARNS
from galene.knowledge.typed import plain, typed

Kind = Literal["procedure", "relearn"]
Template = PartProcedure | RelearnTemplate
KINDS: dict[str, type[PartProcedure] | type[RelearnTemplate]] = {
    "procedure": PartProcedure,
    "relearn": RelearnTemplate,
}
SHIPPED: dict[str, Mapping[str, Template]] = {"procedure": PROCEDURES, "relearn": RELEARNS}


def document_of(kind: str, template: Template) -> dict[str, Any]:
    """A template as plain data."""
    return plain(KINDS[kind], template)


def template_of(kind: str, document: Any) -> Any:
    """A template from plain data, of the present form or of the one before it.

    Raises
    ------
    InputError
    """
    if kind == "procedure":
        document = _procedure_upgraded(document)
    template = typed(KINDS[kind], document, kind)
    if isinstance(template, RelearnTemplate) and not template.needs:
        shipped = RELEARNS.get(template.id)
        if shipped:
            return replace(template, needs=shipped.needs, ends=shipped.ends)
    return template


def _procedure_upgraded(document: Any) -> Any:
    """Records of the first form said what a bad answer means, not what it does: it stops. What is
    computed at a step had another name once."""
    if not isinstance(document, dict) or not isinstance(document.get("steps"), list):
        return document
    shipped = PROCEDURES.get(str(document.get("component")))
    known = {s.key: s for s in shipped.steps} if shipped else {}
    steps = []
    for step in document["steps"]:
        if isinstance(step, dict) and "reckon" in step:
            step = {("computation" if k == "reckon" else k): v for k, v in step.items()}
        if isinstance(step, dict) and isinstance(step.get("records"), list):
            step = {**step, "records": [_record_upgraded(r) for r in step["records"]]}
            step["when"] = [_tag_upgraded(t) for t in step.get("when", [])]
        if isinstance(step, dict) and "acts" not in step and step.get("key") in known:
            step = {**step, **_marks_of(known[step["key"]])}
        steps.append(step)
    return {**document, "steps": steps}


MARKS = ("acts", "through", "dirties", "judges", "seals", "sees", "speaks_of", "about")


def _marks_of(step: StepTemplate) -> dict[str, Any]:
    """The marks of a shipped step, for a workshop's own wording of it that was kept before steps
    had any. A step of its own has none: what the hand does there is asked."""
    document = plain(StepTemplate, step)
    return {name: document[name] for name in MARKS}


def unmarked(procedure: PartProcedure) -> tuple[int, ...]:
    """Which steps of a procedure, from 1 on, do not say what the hand does."""
    return tuple(n for n, s in enumerate(procedure.steps, 1) if not s.acts)


def _tag_upgraded(tag: Any) -> Any:
    return "moved_by_hand" if tag == "by_hand" else tag


def _record_upgraded(record: Any) -> Any:
    if not isinstance(record, dict) or "bad_answer" not in record:
        return record
    kept = {k: v for k, v in record.items() if k not in ("bad", "bad_answer")}
    if record.get("kind") == "grade":
        grade = AFTER if record.get("id") == "grade_after" else BEFORE
        kept["consequences"] = plain(type(grade), grade)["consequences"]
    elif record.get("kind") == "yes_no":
        text = record.get("bad") or "Stop: ask the foreman."
        kept["consequences"] = [{"answer": record["bad_answer"], "kind": "stop", "text": text}]
    else:
        kept["consequences"] = [{"answer": "low", "kind": "note", "text": "Noted."}]
    return kept


@dataclass(frozen=True)
class TemplateSet:
    """The templates that a job is planned with: the shipped ones, over them the workshop's own."""

    procedures: Mapping[str, PartProcedure]
    relearns: Mapping[str, RelearnTemplate]
    own: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    """Documents of the workshop's own by kind and id: what a plan freezes."""


SHIPPED_TEMPLATES = TemplateSet(PROCEDURES, RELEARNS)


def templates_with(own: Mapping[str, Mapping[str, Any]]) -> TemplateSet:
    """The shipped templates with documents of the workshop's own in their places."""
    if not any(own.values()):
        return SHIPPED_TEMPLATES
    read = {kind: {i: template_of(kind, d) for i, d in own.get(kind, {}).items()} for kind in KINDS}
    return TemplateSet({**PROCEDURES, **read["procedure"]}, {**RELEARNS, **read["relearn"]}, own)
