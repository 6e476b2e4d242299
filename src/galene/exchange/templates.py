"""Templates of steps and of relearns as JSON: the form in which versions are kept and handed on."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from galene.core.procedures import PartProcedure
from galene.core.relearn import RelearnTemplate
from galene.exchange.documents import plain, typed
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.relearns import RELEARNS

Kind = Literal["procedure", "relearn"]
Template = PartProcedure | RelearnTemplate
KINDS: dict[str, type[PartProcedure] | type[RelearnTemplate]] = {"procedure": PartProcedure, "relearn": RelearnTemplate}
SHIPPED: dict[str, Mapping[str, Template]] = {"procedure": PROCEDURES, "relearn": RELEARNS}


def document_of(kind: str, template: Template) -> dict[str, Any]:
    """A template as plain data."""
    return plain(KINDS[kind], template)


def template_of(kind: str, document: Any) -> Any:
    """A template from plain data.

    Raises
    ------
    InputError
    """
    return typed(KINDS[kind], document, kind)


@dataclass(frozen=True)
class Book:
    """The templates that a job is planned with: the shipped ones, over them the workshop's own."""

    procedures: Mapping[str, PartProcedure]
    relearns: Mapping[str, RelearnTemplate]
    own: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    """Documents of the workshop's own by kind and id: what a plan freezes."""


SHIPPED_BOOK = Book(PROCEDURES, RELEARNS)


def book_with(own: Mapping[str, Mapping[str, Any]]) -> Book:
    """The shipped templates with documents of the workshop's own in their places."""
    if not any(own.values()):
        return SHIPPED_BOOK
    read = {kind: {i: template_of(kind, d) for i, d in own.get(kind, {}).items()} for kind in KINDS}
    return Book({**PROCEDURES, **read["procedure"]}, {**RELEARNS, **read["relearn"]}, own)
