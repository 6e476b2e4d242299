"""The card of a running round: its steps, what is open, what runs, what is counted and read."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime

from galene.core.jobcard.job_records import PickCheck
from galene.core.planning.car import Car, car_after
from galene.core.planning.document import StepAnswers
from galene.core.planning.records import DoneStep, Held, StateWords, Step
from galene.core.planning.words import Act


@dataclass(frozen=True, kw_only=True)
class CardStep:
    """A step on the card. `id` is how entries name it; `position` is its place on the card."""

    id: int
    position: int
    step: Step
    answers: StepAnswers = field(default_factory=StepAnswers)
    done_at: datetime | None = None
    done_by: str = ""
    early_reason: str = ""

    @property
    def done(self) -> bool:
        """Whether it is ticked or left out."""
        return self.done_at is not None


@dataclass(frozen=True, kw_only=True)
class CardItem:
    """Something that must go back.

    `before` is the gate that it holds; a `dangerous` one is looked at twice before it counts as
    closed. `id` is None until it is kept.
    """

    key: str
    what: str
    kind: str
    before: str
    opened_by: str
    opened_at: datetime
    part: str = ""
    count: int = 1
    dangerous: bool = False
    looked_at: datetime | None = None
    closed_at: datetime | None = None
    id: int | None = None


@dataclass(frozen=True, kw_only=True)
class CardWait:
    """A wait on the card. One that was cut short holds nothing any more."""

    name: str
    reason: str
    started_at: datetime
    ends_at: datetime
    cut_short: str = ""
    id: int | None = None

    def runs(self, now: datetime) -> bool:
        """Whether it still holds."""
        return self.ends_at > now and not self.cut_short


@dataclass(frozen=True, kw_only=True)
class Refusal:
    """Why an entry is not taken: reasons, or faults by field; `may_override` where saying why
    helps."""

    title: str = ""
    reasons: tuple[str, ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)
    may_override: bool = False


@dataclass(frozen=True, kw_only=True)
class Card:
    """Everything that decides what may be entered next.

    Parameters
    ----------
    steps : the round's steps in their order
    start : how the car came in
    items, waits : everything of the job, closed and ended ones too
    counted : word to pieces that went in and came out
    cautions_read : serious cautions that somebody has read
    serious : serious cautions to their words
    deposits : kinds of deposit that a grade may name
    picks : what must be at hand before the first step, id to words
    start_opened : a foreman has opened the gate of the first start
    asks_first : parts that wait for the customer's approval; None where nothing waits
    jumper_allowed : the check of the drive side allows a jumper
    began : when its first step could be done; None where that is not known
    dangers : sentences of dangers that forbid to turn the engine
    """

    steps: tuple[CardStep, ...]
    start: StateWords
    held: Held | None = None
    items: tuple[CardItem, ...] = ()
    waits: tuple[CardWait, ...] = ()
    counted: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    cautions_read: frozenset[str] = frozenset()
    serious: Mapping[str, str] = field(default_factory=dict)
    deposits: frozenset[str] = frozenset()
    picks: Mapping[str, str] = field(default_factory=dict)
    pick: PickCheck = field(default_factory=PickCheck)
    engine_started: bool = False
    start_opened: bool = False
    asks_first: frozenset[str] | None = None
    jumper_allowed: bool = False
    began: datetime | None = None
    dangers: tuple[str, ...] = ()

    def step(self, step_id: int) -> CardStep | None:
        """The step of that id, None where the round has none."""
        return next((s for s in self.steps if s.id == step_id), None)

    @property
    def left(self) -> tuple[CardStep, ...]:
        """Steps that are not done."""
        return tuple(s for s in self.steps if not s.done)

    @property
    def done(self) -> tuple[CardStep, ...]:
        """Steps that are done, in the order in which they were."""
        found = [(s.done_at, s.position, s) for s in self.steps if s.done_at]
        return tuple(s for *_, s in sorted(found, key=lambda f: f[:2]))

    @property
    def touched(self) -> bool:
        """Whether anything was done by this card: what was opened for a check before it is not."""
        done = (s.done_at for s in self.steps if s.done_at)
        return any(self.began is None or at >= self.began for at in done)

    @property
    def open_items(self) -> tuple[CardItem, ...]:
        """Items that must still go back."""
        return tuple(i for i in self.items if i.closed_at is None)

    @property
    def missing_pieces(self) -> dict[str, int]:
        """What was counted in and not yet out."""
        return {w: went_in - out for w, (went_in, out) in self.counted.items() if went_in > out}

    @property
    def to_pick(self) -> bool:
        """Whether the pick list has not been gone through yet."""
        return bool(self.picks) and self.pick.at is None

    @property
    def car(self) -> Car:
        """The model of the car after what is done."""
        return car_after(self.start, done_steps(self.done))

    def due(self, act: Act) -> CardStep | None:
        """The next step that is done by `act`."""
        return next((s for s in self.left if s.step.act == act), None)

    def running(self, now: datetime) -> tuple[CardWait, ...]:
        """Waits that still run, the next to end first."""
        return tuple(sorted((w for w in self.waits if w.runs(now)), key=lambda w: w.ends_at))


def done_steps(steps: Iterable[CardStep]) -> list[DoneStep]:
    """Steps of the card as the planner reads them."""
    return [
        DoneStep(
            step=s.step,
            answers={g.record: g.said for g in s.answers.given},
            left_out=bool(s.answers.left_out),
        )
        for s in steps
    ]
