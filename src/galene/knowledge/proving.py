"""What proves each cause cured, heaviest first, and how the tests' results are read.

A repair is proven when what showed the fault shows it no more: the test that told the cause from
its neighbours comes first, then readings. The complaint and the codes are asked for every cause.
"""

from collections.abc import Mapping
from types import MappingProxyType

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.assess import is_offered
from galene.core.errors import InputError
from galene.core.proof.records import (
    Polarity,
    ProvenCause,
    ProvingTest,
    TestReading,
)
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.documents import read, table
from galene.knowledge.evidence import SYMPTOMS

READINGS: dict[str, TestReading] = table("proving.toml", TestReading, "readings", by="test")
"""Tests whose result is a figure or a verdict. A look is read by the evidence that it gives."""

OTHER_TESTS: tuple[str, ...] = ("bore_restriction", "charge_pressure", "fuel_economy_change")
"""Tests that are no check of the diagnosis: a gauge, a log and a book of fills."""


IDLE, IDLE_SPEED, ROAD = (
    read("fragments.toml", ProvingTest, name)
    for name in ("prove_idle", "prove_idle_speed", "prove_road")
)
PROVING = read("causes.toml", dict[str, tuple[ProvingTest, ...]], "proving")
"""Cause to what proves it cured, heaviest first."""
SYMPTOM_TEXTS: Mapping[str, str] = MappingProxyType({s.id: s.text for s in SYMPTOMS})
LEAST_LINK = 0.3
"""Chance from which a cause that shows a piece of evidence is shown by it: below, it is a bystander
(this project's judgement)."""


def _possible(test: ProvingTest, family: EngineFamily) -> bool:
    """Whether an engine can have a proving test."""
    if test.test in OTHER_TESTS:
        return test.test != "charge_pressure" or "charge_air_pipe" in family.components
    outline = outline_of(family)
    check = KNOWLEDGE.checks[test.test]
    return check.possible_on(outline) and is_offered(check, outline, KNOWLEDGE)


def proving_tests(cause_id: str, family: EngineFamily) -> tuple[ProvingTest, ...]:
    """The proving tests of a cause that an engine can have, heaviest first: the road where it can
    have none. A throttle on a cable asks for nothing at idle: its speed is looked at."""
    idle = IDLE_SPEED if family.throttle == "cable" else IDLE
    found = tuple(idle if t == IDLE else t for t in PROVING[cause_id] if _possible(t, family))
    return found or (ROAD,)


def proven_cause(cause_id: str, family: EngineFamily) -> ProvenCause:
    """A cause with all that its proof must know.

    Raises
    ------
    InputError
        An unknown cause, or one that the engine can not have.
    """
    cause = KNOWLEDGE.causes.get(cause_id)
    if cause is None:
        raise InputError("causes", cause_id, "an id of the vocabulary")
    if not cause.possible_on(outline_of(family)):
        raise InputError("causes", cause_id, f"a cause that family {family.id} can have")
    return ProvenCause(
        id=cause.id,
        title=cause.title,
        component=cause.component,
        tests=proving_tests(cause.id, family),
        code_groups=frozenset(
            e.id
            for e in KNOWLEDGE.evidence.values()
            if e.group == "code" and e.links.get(cause.id, 0.0) >= LEAST_LINK
        ),
    )


def own_words(words: str) -> ProvenCause:
    """What it was in the technician's own words: only the road can prove it, as no check of the
    vocabulary stands for it."""
    return ProvenCause(id="own_words", title=words, component="", tests=(ROAD,))


def title_of(test: str) -> str:
    """What a test is called."""
    if test in READINGS:
        return READINGS[test].title
    return KNOWLEDGE.checks[test].title


def polarity_of(evidence_id: str) -> Polarity:
    """In which state a piece of evidence shows a fault.

    Raises
    ------
    InputError
        An unknown id.
    """
    found = KNOWLEDGE.evidence.get(evidence_id)
    if found is None:
        raise InputError("evidence", evidence_id, "an id of the vocabulary")
    return Polarity(
        evidence=evidence_id, bad="absent" if found.inverse else "present", text=found.text
    )
