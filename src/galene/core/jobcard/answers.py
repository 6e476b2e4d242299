"""The answers of a tick: read, checked against what the step asks, and what they turn."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace

from galene.core.errors import InputError
from galene.core.jobcard.checks import DEPOSIT_FROM_GRADE
from galene.core.jobcard.records import Refusal
from galene.core.planning.answers import consequence_of
from galene.core.planning.case import Trade
from galene.core.planning.chain import templates_of
from galene.core.planning.document import Given, StepAnswers
from galene.core.planning.records import PartWork, Record, Step
from galene.core.units import QUANTITIES, parse_quantity

WORDS_MOST = 200
WORST_GRADE = 4


def answers_given(
    records: Sequence[Record], given: Mapping[str, str], *, deposits: frozenset[str]
) -> StepAnswers | Refusal:
    """The answers to all records of a step, or the faults of those that can not be taken.

    Parameters
    ----------
    given : answers by record id or by the record's own name; a deposit under ``<name>_deposit``,
        a unit under ``<name>_unit``
    deposits : kinds of deposit that a grade may name
    """
    kept: list[Given] = []
    faults: dict[str, str] = {}
    for record in records:
        answer = _answer(record, given, deposits=deposits)
        if isinstance(answer, Given):
            kept.append(answer)
        else:
            faults[record.id] = answer
    return Refusal(faults=faults) if faults else StepAnswers(given=tuple(kept))


def _said(given: Mapping[str, str], record: Record, suffix: str = "") -> str:
    """A field of a tick, by the record's id or by its own name."""
    by_name = given.get(f"{record.name}{suffix}", "")
    return given.get(f"{record.id}{suffix}", by_name).strip()


def _answer(record: Record, given: Mapping[str, str], *, deposits: frozenset[str]) -> Given | str:
    """What is kept of an answer, or what is wrong with it."""
    said = _said(given, record)
    if record.kind == "grade":
        return _grade(record, said, _said(given, record, "_deposit"), deposits=deposits)
    if record.kind == "reading":
        return _reading(record, said, _said(given, record, "_unit"))
    if record.kind == "words":
        if not 2 <= len(said) <= WORDS_MOST:
            return f"{record.label}: in up to {WORDS_MOST} characters."
    elif said not in ("yes", "no"):
        return "Yes or no."
    return Given(record=record.id, answer=said)


def _grade(record: Record, said: str, deposit: str, *, deposits: frozenset[str]) -> Given | str:
    if said not in [str(grade) for grade in range(WORST_GRADE + 1)]:
        return "Choose the grade."
    if int(said) >= DEPOSIT_FROM_GRADE and deposit not in deposits:
        return "Choose the kind of deposit."
    return Given(record=record.id, answer=said, deposit=deposit if deposit in deposits else "")


def _reading(record: Record, said: str, unit: str) -> Given | str:
    quantity = QUANTITIES[record.quantity]
    try:
        figure = parse_quantity(
            record.id, said, quantity, default_unit=unit or quantity.units[0].id
        )
    except InputError as fault:
        return f"{record.label}: {fault.allowed}."
    return Given(record=record.id, answer=f"{figure:g}", figure=figure)


def why_plan_turns(
    step: Step, answers: StepAnswers, *, works: Iterable[PartWork], trade: Callable[[], Trade]
) -> str:
    """Why the plan changes by the answers of a step, empty where it does not.

    Parameters
    ----------
    works : the round's scope
    trade : gives what the trade says for it; asked only where a grade was found
    """
    by_part = {w.part: w for w in works}
    for record in step.records:
        given = answers.of(record.id)
        if given is None:
            continue
        consequence = consequence_of(record, given.said)
        if consequence and consequence.kind != "note":
            return f"{record.label}: {given.answer}. {consequence.text}"
        if record.name == "grade_before" and _other_method(step, given, by_part, trade=trade):
            return f"{record.label}: grade {given.answer}, another method than was planned."
    return ""


def _other_method(
    step: Step, given: Given, works: Mapping[str, PartWork], *, trade: Callable[[], Trade]
) -> bool:
    """Whether the grade that was found asks for other steps than those planned."""
    for part in step.treats or (step.part,):
        work = works.get(part)
        if work is None or work.work != "clean":
            continue
        found = replace(work, grade=int(given.answer), kind=given.deposit)
        says = trade()
        now = says.treat(work, off=False, opened=True)
        then = says.treat(found, off=False, opened=True)
        if now.off != then.off or templates_of(now) != templates_of(then):
            return True
    return False
