"""What may be entered on a card. Each entry says who enters it and at which moment."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime


@dataclass(frozen=True, kw_only=True)
class Entry:
    """Anything entered: when, by whom, and whether a foreman enters it."""

    at: datetime
    by: str
    foreman: bool = False


@dataclass(frozen=True, kw_only=True)
class Tick(Entry):
    """A step is done, with its answers by record (id or own name) and why it is done early."""

    step: int
    answers: Mapping[str, str] = field(default_factory=dict)
    early_reason: str = ""


@dataclass(frozen=True, kw_only=True)
class Untick(Entry):
    """The last tick is taken back."""

    step: int


@dataclass(frozen=True, kw_only=True)
class LeaveOut(Entry):
    """The present step is passed by, with a reason."""

    step: int
    reason: str


@dataclass(frozen=True, kw_only=True)
class ReadCaution(Entry):
    """Somebody has read a serious caution; once per job is enough."""

    caution: str


@dataclass(frozen=True, kw_only=True)
class AddItem(Entry):
    """Something that was opened besides the steps. `key` is the sender's own name for it."""

    what: str
    kind: str
    key: str
    before: str = "start"


@dataclass(frozen=True, kw_only=True)
class CloseItem(Entry):
    """Somebody looked at an item: it is back, or for a dangerous one, the first look is done."""

    key: str


@dataclass(frozen=True, kw_only=True)
class CountPieces(Entry):
    """Pieces went into the engine bay or came out of it."""

    what: str
    way: str
    pieces: int


@dataclass(frozen=True, kw_only=True)
class StartWait(Entry):
    """A wait of one's own begins."""

    name: str
    minutes: float | None
    reason: str


@dataclass(frozen=True, kw_only=True)
class ExtendWait(Entry):
    """A wait goes on from its end, or from now where it is over."""

    name: str
    minutes: float | None
    reason: str


@dataclass(frozen=True, kw_only=True)
class StopWait(Entry):
    """A wait ends before its time, with the reason."""

    name: str
    reason: str


@dataclass(frozen=True, kw_only=True)
class CheckPick(Entry):
    """The pick list is here, but for what is missing: id to how the work goes on without it."""

    missing: Mapping[str, str] = field(default_factory=dict)
