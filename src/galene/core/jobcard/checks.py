"""The checks of a tick that hold without the server too, as data that a page carries.

`web/card/static/checks.js` reads the same data by the same rules; one table of cases is run in
both.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from galene.core.jobcard.records import CardStep
from galene.core.planning.records import Step

Why = Literal["first", "caution", "wait", "answer"]


@dataclass(frozen=True, kw_only=True)
class AskedRecord:
    """A record that a step asks for, as far as its presence is checked."""

    id: str
    kind: str


@dataclass(frozen=True, kw_only=True)
class StepChecks:
    """What a tick of a step asks for.

    `step` and `position` name it; `free_of` are ids of earlier steps that need not be done first;
    `cautions` must have been read; `waits_for` must have ended, or a reason be given.
    """

    step: int
    position: int
    free_of: tuple[int, ...] = ()
    cautions: tuple[str, ...] = ()
    waits_for: tuple[str, ...] = ()
    records: tuple[AskedRecord, ...] = ()


@dataclass(frozen=True, kw_only=True)
class TickState:
    """What is known where the tick is made: steps left (id to position), cautions read, waits that
    run."""

    left: Mapping[int, int]
    read: frozenset[str] = frozenset()
    running: frozenset[str] = frozenset()


@dataclass(frozen=True, kw_only=True)
class TickGiven:
    """The answers of a tick by record id, a deposit under ``<id>_deposit``, and a reason to be
    early."""

    answers: Mapping[str, str]
    early_reason: str = ""


@dataclass(frozen=True, kw_only=True)
class TickFault:
    """Why a tick is not taken: `about` names the steps, cautions, waits or records."""

    why: Why
    about: tuple[int | str, ...]


EARLY_REASON_LEAST = 3
"""Characters that a reason to be early has at least."""
DEPOSIT_FROM_GRADE = 2
"""From this grade on the kind of deposit is asked for."""


def first(checks: StepChecks, state: TickState, given: TickGiven) -> TickFault | None:
    """Steps that must be done before this one."""
    before = [
        step
        for step, position in state.left.items()
        if position < checks.position and step not in checks.free_of
    ]
    return TickFault(why="first", about=tuple(before)) if before else None


def caution(checks: StepChecks, state: TickState, given: TickGiven) -> TickFault | None:
    """Serious cautions that nobody has read."""
    unread = [c for c in checks.cautions if c not in state.read]
    return TickFault(why="caution", about=tuple(unread)) if unread else None


def wait(checks: StepChecks, state: TickState, given: TickGiven) -> TickFault | None:
    """Waits that still run, without a reason to be early."""
    wet = [w for w in checks.waits_for if w in state.running]
    if not wet or len(given.early_reason.strip()) >= EARLY_REASON_LEAST:
        return None
    return TickFault(why="wait", about=tuple(wet))


def answer(checks: StepChecks, state: TickState, given: TickGiven) -> TickFault | None:
    """Records that are not answered."""
    missing = [r.id for r in checks.records if not _answered(r, given.answers)]
    return TickFault(why="answer", about=tuple(missing)) if missing else None


def _answered(record: AskedRecord, answers: Mapping[str, str]) -> bool:
    said = answers.get(record.id, "").strip()
    if record.kind == "grade" and said.isdecimal() and int(said) >= DEPOSIT_FROM_GRADE:
        return bool(answers.get(f"{record.id}_deposit", "").strip())
    return bool(said)


CHECKS: tuple[Callable[[StepChecks, TickState, TickGiven], TickFault | None], ...] = (
    first,
    caution,
    wait,
    answer,
)


def tick_fault(checks: StepChecks, state: TickState, given: TickGiven) -> TickFault | None:
    """The first reason not to take a tick, None where nothing here speaks against it."""
    found = (check(checks, state, given) for check in CHECKS)
    return next((fault for fault in found if fault), None)


def goes_before(earlier: Step, later: Step) -> bool:
    """Whether a step that stands earlier on the card must be done before a later one.

    Only while parts lie open may one part's work be done before another's.
    """
    both = earlier.phase == later.phase == "clean"
    return not (both and earlier.part != later.part)


def checks_of(
    card_step: CardStep, left: tuple[CardStep, ...], serious: Mapping[str, str]
) -> StepChecks:
    """The checks of a step on a card.

    Parameters
    ----------
    left : steps of the card that are not done
    serious : serious cautions by id
    """
    step = card_step.step
    return StepChecks(
        step=card_step.id,
        position=card_step.position,
        free_of=tuple(
            s.id for s in left if s.position < card_step.position and not goes_before(s.step, step)
        ),
        cautions=tuple(c for c in step.cautions if c in serious),
        waits_for=step.waits_for,
        records=tuple(AskedRecord(id=r.id, kind=r.kind) for r in step.records),
    )
