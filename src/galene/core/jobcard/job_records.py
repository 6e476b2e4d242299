"""What a job keeps besides its card: what was asked, looked up, driven, opened and handed over."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from galene.core.proof.relearn import Restart
from galene.core.proof.road_run import RoadRun


@dataclass(frozen=True, kw_only=True)
class Fluids:
    """Levels as they came: ok, low, high, or empty where nobody looked."""

    coolant: str = ""
    oil: str = ""

    def level(self, name: str) -> str:
        """The level of coolant or oil."""
        return self.coolant if name == "coolant" else self.oil


@dataclass(frozen=True, kw_only=True)
class BulletinLookup:
    """Where bulletins and recalls were looked up and what came of it; no outcome: not done yet."""

    source: str = ""
    outcome: str = ""
    by: str = ""
    at: datetime | None = None


@dataclass(frozen=True, kw_only=True)
class BayAir:
    """The air that drying is reckoned with, degrees C and a share, and the plan that runs in it."""

    temperature_c: float = 20.0
    humidity: float = 0.5
    plan_version: int | None = None


@dataclass(frozen=True, kw_only=True)
class OpenedGate:
    """A gate that a foreman opened, why, and what held it; of the oldest only the reason is
    known."""

    reason: str
    by: str = ""
    at: datetime | None = None
    held: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Passing:
    """To whom a job is offered; `to` None: to nobody."""

    to: int | None = None
    name: str = ""
    by: str = ""
    at: datetime | None = None


@dataclass(frozen=True, kw_only=True)
class PickCheck:
    """The pick list checked: what it is done without, by key, and why."""

    at: datetime | None = None
    by: str = ""
    missing: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class JobSchool:
    """A school of practice that this job follows instead of the shop's."""

    choice: str
    reason: str
    by: str


@dataclass(frozen=True, kw_only=True)
class AimRead:
    """A figure by which a relearn was measured, and between which ends it should lie."""

    label: str
    quantity: str
    value: float | None
    low: float
    high: float

    @property
    def met(self) -> bool:
        """Whether it was read and lies there."""
        return self.value is not None and self.low <= self.value <= self.high


@dataclass(frozen=True, kw_only=True)
class RelearnKept:
    """Where the due relearn stands; `phase` None: it has not begun.

    `live` says whether the car itself is listened to (None: nobody has said), `held_s` how long the
    present hold counts by what it said up to `judged_to`; `measured` is what a failed one showed.
    """

    phase: int | None = None
    phase_began: datetime | None = None
    restarts: tuple[Restart, ...] = ()
    outcome: str = "running"
    template: str = ""
    live: bool | None = None
    held_s: float = 0.0
    judged_to: datetime | None = None
    measured: tuple[AimRead, ...] = ()
    codes: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class RoadTest:
    """The drive after the work; `complaint`: gone, better or there; `symptoms`: how each symptom of
    the complaint stands, by evidence id: gone, less or same. `run` is what the car itself told of
    the drive, `run_began` when one was begun that is not yet over."""

    done: bool = False
    km: float = 0.0
    notes: str = ""
    complaint: str = ""
    symptoms: Mapping[str, str] = field(default_factory=dict)
    by: str = ""
    at: datetime | None = None
    run: RoadRun | None = None
    run_began: datetime | None = None


@dataclass(frozen=True, kw_only=True)
class ConfirmedCause:
    """A cause as the technician found it: its id, and the found thing that confirms it. Without
    one it is an opinion, which trains nothing."""

    id: str
    found: str = ""


@dataclass(frozen=True, kw_only=True)
class NextLook:
    """When a vehicle is to be looked at again.

    Parameters
    ----------
    part : the part that is due first, empty in what was kept of old
    at, low, high : km or engine hours, median and 80 % interval
    hours : whether these are engine hours
    reason : a sentence without its stop
    together : parts that are done with it
    """

    part: str
    at: float
    low: float
    high: float
    hours: bool
    reason: str
    together: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class KeptProof:
    """What was proven when the job was signed; no verdict: not signed yet.

    Parameters
    ----------
    missing : what was still to come
    recheck_on : when it is looked at, None where nothing was
    holds : what came of it, None while nobody said so; `confirmed_at`, `confirmed_by` and `note`
        go with it
    """

    verdict: str = ""
    headline: str = ""
    missing: tuple[str, ...] = ()
    at: datetime | None = None
    recheck_on: datetime | None = None
    holds: bool | None = None
    confirmed_at: datetime | None = None
    confirmed_by: str = ""
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class EarlierSignature:
    """A signature that a job had before it was opened again: it stays in the record.

    Parameters
    ----------
    by, at : who signed, and when
    verdict, headline : what was proven then
    opened_by, opened_at, reason : who opened it again, when, and why
    """

    by: str
    at: datetime
    verdict: str
    headline: str
    opened_by: str
    opened_at: datetime
    reason: str


@dataclass(frozen=True, kw_only=True)
class Handover:
    """The technician's closing words.

    Parameters
    ----------
    causes : what it was, of the vocabulary
    words : what it was besides, in free words
    unsure : nobody knows what it was
    advice : found and not done
    fed : whether what feeds the deposit is still there
    ranking : what the diagnosis said when this was confirmed: cause and probability
    """

    causes: tuple[ConfirmedCause, ...] = ()
    words: str = ""
    unsure: bool = False
    advice: str = ""
    fed: bool = False
    ranking: tuple[tuple[str, float], ...] = ()
    next_look: NextLook | None = None
    by: str = ""
    at: datetime | None = None

    @property
    def said(self) -> bool:
        """Whether the technician has said what it was, or that nobody knows."""
        return bool(self.causes or self.words or self.unsure)

    @property
    def confirmed(self) -> frozenset[str]:
        """Causes that a found thing confirms: what the ranking learns from."""
        return frozenset() if self.unsure else frozenset(c.id for c in self.causes if c.found)


@dataclass(frozen=True, kw_only=True)
class SetConditions:
    """In what state a set of readings was taken: degrees C, load switches by id, and whether the
    control unit limited itself. `warm`: what the hand said of an engine without coolant to read."""

    coolant_c: float | None = None
    warm: bool | None = None
    intake_c: float | None = None
    load: tuple[str, ...] = ()
    protective_mode: bool = False


@dataclass(frozen=True, kw_only=True)
class KeptBore:
    """A measured bore: its name on the part, clean diameter and thickness clockwise from 12 along
    the flow, mm, and the share that is open, %."""

    name: str
    bore_mm: float
    thickness_mm: tuple[float, ...]
    open_area_percent: float
