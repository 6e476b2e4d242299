"""What a check lays open on an engine, as the steps of a plan: made safe, opened, closed again."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from galene.core.airpath.access import operations_for
from galene.core.airpath.family import EngineFamily, Operation
from galene.core.diagnosis.records import Check
from galene.core.errors import InputError
from galene.core.planning.case import Case, Trade, Treatment
from galene.core.planning.look_in import way_back, way_in
from galene.core.planning.records import Air, DoneStep, OpenItem, PartWork, StateWords, Step
from galene.knowledge.hazards import HAZARDS, cautions_of_check

MAKE_SAFE_MINUTES = 4.0
"""Key out, chocks, doors: before anything is opened for a look (project default)."""


@dataclass(frozen=True, kw_only=True)
class CheckAccess:
    """A check's way in on this car as it stands: its steps, and what it comes to with them."""

    steps: tuple[Step, ...]
    minutes: float
    tools: tuple[str, ...]
    cautions: tuple[str, ...]

    @property
    def openings(self) -> tuple[Step, ...]:
        """The steps that open something."""
        return tuple(s for s in self.steps if s.opening)

    @property
    def safe(self) -> tuple[Step, ...]:
        """What is made safe before."""
        return tuple(s for s in self.steps if s.phase == "safe")


def opened_for(check: Check, family: EngineFamily, done: tuple[str, ...]) -> tuple[Operation, ...]:
    """The operations that a check needs on this engine, without those done, in the order of
    opening."""
    parts = [next((p.id for p in family.parts if p.component == k), "") for k in check.reaches]
    return operations_for(family, [p for p in parts if p], done)


def access_of(
    check: Check,
    family: EngineFamily,
    *,
    start: StateWords,
    done: Sequence[DoneStep],
    policy: Mapping[str, str],
) -> CheckAccess:
    """How a check gets at what it looks at, from the car as it stands.

    Parameters
    ----------
    start : the state in which the car came in
    done : steps that were done on it since, by a card or for a check before
    policy : the job's schools, letter to choice
    """
    operations = opened_for(check, family, open_operations(done))
    case, trade = _looked_at(family, start, policy)
    steps = way_in(case, trade, done, operations=[o.id for o in operations])
    own = check.minutes if check.minutes_open is None else check.minutes_open
    there_and_back = sum(o.minutes_off + o.minutes_on for o in operations)
    cautions = dict.fromkeys(c for s in steps for c in s.cautions)
    return CheckAccess(
        steps=tuple(steps),
        minutes=own + there_and_back + MAKE_SAFE_MINUTES if operations else own,
        tools=tuple(dict.fromkeys(t for s in steps for t in s.tools)),
        cautions=tuple(dict.fromkeys((*cautions_of_check(check, family), *cautions))),
    )


def _looked_at(
    family: EngineFamily, start: StateWords, policy: Mapping[str, str]
) -> tuple[Case, Trade]:
    """A car with no work on it, and as much of the trade as a look needs."""
    case = Case(family=family, works=(), policy=policy, air=Air(temperature_c=20.0), start=start)
    return case, Trade(
        treat=_nothing_is_treated, relearns={}, agents={}, dry_minutes={}, hazards=HAZARDS
    )


def _nothing_is_treated(work: PartWork, *, off: bool, opened: bool) -> Treatment:
    raise InputError("parts", work.part, "nothing: a check looks and treats nothing")


def open_operations(done: Sequence[DoneStep]) -> tuple[str, ...]:
    """Operations that stand open after these steps."""
    stand: list[str] = []
    for one in done:
        if one.left_out:
            continue
        if one.step.opening:
            stand.append(one.step.opening)
        if one.step.closing in stand:
            stand.remove(one.step.closing)
    return tuple(stand)


def closed_again(
    family: EngineFamily,
    *,
    start: StateWords,
    done: Sequence[DoneStep],
    policy: Mapping[str, str],
) -> tuple[Step, ...]:
    """The way back of everything that stands open: each cover off, each operation closed, the
    power on again."""
    case, trade = _looked_at(family, start, policy)
    return tuple(way_back(case, trade, done))


def unhooked(check: Check, family: EngineFamily) -> OpenItem | None:
    """What a check unhooks besides its operations; None where that is one of theirs."""
    if not check.unhooks or not set(check.reaches) <= family.components:
        return None
    what, kind, of = check.unhooks
    listed = ((o.kind, o.of) for x in opened_for(check, family, ()) for o in x.opens)
    if (kind, of) in listed:
        return None
    return OpenItem(id=f"{check.id}:{what}", what=what, kind=kind, of=of)
