"""Relearns as guarded state machines: pure, the time is passed in."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from galene.core.errors import InputError, require


@dataclass(frozen=True)
class Guard:
    """What must not happen during a hold; if it does, the hold begins again."""

    id: str
    text: str


@dataclass(frozen=True, kw_only=True)
class Phase:
    """One instruction with its hold. `normal` is what is normal meanwhile; `engine_on` asks for the
    start gate.

    Somebody stands by while it is `attended`; the rest waits by itself and costs nobody's time.
    `acts` are deeds in the words of a step's marks.
    """

    id: str
    text: str
    hold_minutes: float
    normal: str
    guards: tuple[Guard, ...] = ()
    engine_on: bool = False
    attended: bool = True
    acts: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class RelearnTemplate:
    """A relearn: conditions to confirm, phases in order, what success is and what failure means.

    `needs` are words of the car's state in which it may begin, `ends` those in which it leaves the
    car.
    """

    id: str
    title: str
    conditions: tuple[tuple[str, str], ...]
    phases: tuple[Phase, ...]
    success: str
    failure: str
    needs: tuple[str, ...] = ()
    ends: tuple[str, ...] = ()

    @property
    def attended_minutes(self) -> float:
        """Minutes in which somebody stands by."""
        return sum(p.hold_minutes for p in self.phases if p.attended)


@dataclass(frozen=True)
class Restart:
    """A guard that broke a hold."""

    phase: str
    guard: str
    at: datetime


@dataclass(frozen=True, kw_only=True)
class RelearnState:
    """Where a relearn stands. `phase` is the index into the phases; `outcome` is running, learned
    or failed."""

    phase: int
    phase_began: datetime
    restarts: tuple[Restart, ...] = field(default=())
    outcome: str = "running"


def begin(template: RelearnTemplate, confirmed: Mapping[str, bool], now: datetime) -> RelearnState:
    """Start the first hold once every condition is confirmed.

    Raises
    ------
    InputError
        Naming the first condition that is not.
    """
    for condition, text in template.conditions:
        require(
            bool(confirmed.get(condition)),
            condition,
            confirmed.get(condition, False),
            allowed=f"confirmed: {text}",
        )
    return RelearnState(phase=0, phase_began=now)


def seconds_left(template: RelearnTemplate, state: RelearnState, now: datetime) -> float:
    """Seconds of the present hold still to run, 0 when it is over."""
    if state.outcome != "running":
        return 0.0
    end = state.phase_began + timedelta(minutes=template.phases[state.phase].hold_minutes)
    return max(0.0, (end - now).total_seconds())


def guard_broken(
    template: RelearnTemplate, state: RelearnState, guard_id: str, *, now: datetime
) -> RelearnState:
    """The hold begins again, and the break is kept."""
    phase = template.phases[state.phase]
    require(
        guard_id in {g.id for g in phase.guards},
        "guard",
        guard_id,
        allowed=", ".join(g.id for g in phase.guards),
    )
    return replace(
        state, phase_began=now, restarts=(*state.restarts, Restart(phase.id, guard_id, now))
    )


def advance(template: RelearnTemplate, state: RelearnState, now: datetime) -> RelearnState:
    """Go on to the next hold; after the last one the success test is asked.

    Raises
    ------
    InputError
        The hold is not over, or the relearn has ended.
    """
    require(state.outcome == "running", "outcome", state.outcome, allowed="a relearn that runs")
    left = seconds_left(template, state, now)
    if left > 0:
        raise InputError("hold", f"{left:.0f} s left", "the whole hold, undisturbed")
    if state.phase + 1 >= len(template.phases):
        return replace(state, phase=state.phase + 1, phase_began=now, outcome="testing")
    return replace(state, phase=state.phase + 1, phase_began=now)


def finish(state: RelearnState, learned: bool) -> RelearnState:
    """Close with the success test's answer."""
    require(
        state.outcome == "testing",
        "outcome",
        state.outcome,
        allowed="a relearn whose holds are all done",
    )
    return replace(state, outcome="learned" if learned else "failed")
