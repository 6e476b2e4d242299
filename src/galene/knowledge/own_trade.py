"""What a workshop's own documents must hold together: words that are known, ids that exist. Held
against the whole trade, theirs and the shipped, when a command begins."""

from collections.abc import Collection, Iterator

from galene.core.airpath.faults import family_faults
from galene.core.errors import Fault
from galene.core.planning.marks import DEEDS
from galene.core.planning.template_faults import procedure_faults
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES, VOCABULARY
from galene.knowledge.hazards import HAZARDS
from galene.knowledge.methods import METHODS
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.proving import PROVING
from galene.knowledge.simulated import CHANGES
from galene.knowledge.variants import WORDS, variants_of


def trade_faults() -> list[Fault]:
    """What does not hold together, each with its place and what is allowed.

    Returns
    -------
    list of Fault
        Empty where everything does.
    """
    return [*_diagnosis_faults(), *_work_faults(), *_engine_faults(), *_name_faults()]


def _unknown(place: str, words: Collection[str], known: Collection[str]) -> Iterator[Fault]:
    for word in words:
        if word not in known:
            yield Fault(place, f"“{word}” is not known; allowed: {', '.join(sorted(known))[:300]}")


def _diagnosis_faults() -> Iterator[Fault]:
    causes, evidence = KNOWLEDGE.causes, KNOWLEDGE.evidence
    for cause in causes.values():
        yield from _unknown(f"causes.{cause.id}.components", cause.components, COMPONENTS)
        if cause.id not in PROVING:
            yield Fault(f"proving.{cause.id}", "nothing says what proves it cured")
    for one in evidence.values():
        yield from _unknown(f"evidence.{one.id}.links", one.links, causes)
        yield from _unknown(f"evidence.{one.id}.odds", one.odds, causes)
        yield from _unknown(f"evidence.{one.id}.needs", one.needs, COMPONENTS)
    for check in KNOWLEDGE.checks.values():
        yield from _unknown(f"checks.{check.id}.yields", check.yields, evidence)
        yield from _unknown(f"checks.{check.id}.components", check.components, COMPONENTS)
        yield from _unknown(f"checks.{check.id}.acts", check.acts, DEEDS)
    tests = {*KNOWLEDGE.checks, *(t.test for tests in PROVING.values() for t in tests)}
    for cause_id, own in PROVING.items():
        yield from _unknown(f"proving.{cause_id}", (cause_id,), causes)
        yield from _unknown(f"proving.{cause_id}", [t.test for t in own], tests)
    yield from _unknown("simulated.effects", CHANGES, causes)


def _name_faults() -> Iterator[Fault]:
    """What a document is called is what it speaks of."""
    named = [(f"kinds/{name}", kind.id) for name, kind in COMPONENTS.items()]
    named += [(f"method of {name}", method.component) for name, method in METHODS.items()]
    named += [(f"procedure of {name}", p.component) for name, p in PROCEDURES.items()]
    named += [(f"families/{name}", family.id) for name, family in FAMILIES.items()]
    for place, said in named:
        name = place.split("/")[-1].removeprefix("method of ").removeprefix("procedure of ")
        if said != name:
            yield Fault(place, f"it says “{said}” and is called {name}")


def _engine_faults() -> Iterator[Fault]:
    for name, family in FAMILIES.items():
        for fault in family_faults(family, VOCABULARY):
            yield Fault(f"family {name}: {fault.place}", fault.text)


def _work_faults() -> Iterator[Fault]:
    for number, hazard in enumerate(HAZARDS):
        yield from _unknown(f"hazards[{number}].acts", hazard.acts, DEEDS)
        yield from _unknown(f"hazards[{number}].caution", (hazard.caution,), WORDS.cautions)
    for name, procedure in PROCEDURES.items():
        for fault in procedure_faults(procedure, variants_of(name), WORDS):
            yield Fault(f"{name}: {fault.place}", fault.text)
