"""The live strip of a job's page: how the line stands, and the few signals that matter there."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.diagnosis.live_stands import Stand
from galene.core.units import QUANTITIES, UNIT_SIGNS, Quantity, Unit, in_system, shown
from galene.exchange.live import LINE_WORDS
from galene.jobs import live, live_relearn, live_tests
from galene.jobs.act import family_of
from galene.jobs.bands import with_own_bands
from galene.knowledge.live_channels import LABELS, LiveSignal, signals_at
from galene.store.models import Job
from galene.web.shared.visit import Visit

SPAN = 2.4
"""How many times as wide as its band a signal's scale is, where it has a band."""
SCALES: dict[str, tuple[float, float]] = {
    "speed": (0, 4000),
    "pressure": (0, 110),
    "airflow": (0, 60),
    "share": (0, 100),
    "temperature": (0, 120),
    "voltage": (10, 15),
    "road_speed": (0, 130),
    "pressure_drop": (0, 10_000),
}
"""Scales by quantity where there is no band, kept units."""
OWN_SCALES: dict[str, tuple[float, float]] = {
    "trim": (-30, 30),
    "lambda": (0, 1),
    "boost": (80, 260),
    "exhaust": (80, 300),
    "before_filter": (0, 700),
    "egr_gas": (0, 400),
}


@dataclass(frozen=True, kw_only=True)
class Meter:
    """One signal as the page draws it: shown = kept times `factor` plus `offset`; the ends of its
    scale and of its band in shown units."""

    id: str
    columns: tuple[str, ...]
    label: str
    unit: str
    decimals: int
    factor: float
    offset: float
    low: float
    high: float
    band: tuple[float, float] | None
    parts: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class LiveStrip:
    """The strip of a page."""

    line: live.Line
    meters: tuple[Meter, ...]
    says: Mapping[str, str] = field(default_factory=lambda: LINE_WORDS)

    @property
    def reads(self) -> bool:
        """Whether figures come now."""
        return self.line.state == "live"


@dataclass(frozen=True, kw_only=True)
class LampShown:
    """A condition of a commanded test as the page draws it: limits kept, the rest as in `Meter`."""

    id: str
    text: str
    column: str
    low: float
    high: float
    range: str
    unit: str
    decimals: int
    factor: float
    offset: float


def lamps_shown(visit: Visit, job: Job, check_id: str) -> list[LampShown]:
    """The conditions of a check's commanded test in the reader's units; none where it has none."""
    test = live_tests.commanded(job, check_id)
    lamps = []
    for lamp in test.lamps if test else ():
        unit = in_system(QUANTITIES[lamp.quantity], visit.shop.system)
        low, high = ((x - unit.offset) / unit.factor for x in (lamp.low, lamp.high))
        sign = UNIT_SIGNS.get(unit.id, unit.id)
        lamps.append(
            LampShown(
                id=lamp.id,
                text=lamp.text,
                column=lamp.column,
                low=lamp.low,
                high=lamp.high,
                range=f"{low:.4g} to {high:.4g} {sign}",
                unit=sign,
                decimals=unit.decimals,
                factor=1 / unit.factor,
                offset=-unit.offset / unit.factor,
            )
        )
    return lamps


@dataclass(frozen=True, kw_only=True)
class GuardShown:
    """A guard that the car tells, as the page says it."""

    text: str
    value: str
    limit: str
    holds: bool


def guards_shown(visit: Visit, told: live_relearn.HoldTold) -> list[GuardShown]:
    """The guards of a hold in the reader's units."""
    system = visit.shop.system
    shown_guards = []
    for read in told.guards:
        limit, quantity = read.limit, read.limit.quantity
        ends = [
            f"{words} {shown(quantity, end, system)}"
            for words, end in (("from", limit.low), ("up to", limit.high))
            if end is not None
        ]
        shown_guards.append(
            GuardShown(
                text=LABELS[limit.column],
                value="" if read.value is None else shown(quantity, read.value, system),
                limit=" ".join(ends),
                holds=read.holds,
            )
        )
    return shown_guards


@dataclass(frozen=True, kw_only=True)
class StandShown:
    """What the figures say of a part, as the page says it."""

    rule: str
    part: str
    name: str
    read: str
    clean: str
    restricts: bool


def stands_shown(visit: Visit, job: Job, found: tuple[Stand, ...]) -> list[StandShown]:
    """What the newest figures say of the parts, in the reader's units."""
    family = family_of(job)
    shown_stands = []
    for stand in found:
        quantity = "airflow" if stand.rule in ("meter_low", "meter_high") else "share"
        read, clean = (
            shown(quantity, value, visit.shop.system) for value in (stand.read, stand.clean)
        )
        shown_stands.append(
            StandShown(
                rule=stand.rule,
                part=stand.part,
                name=family.part(stand.part).label,
                read=read,
                clean=clean,
                restricts=stand.restricts,
            )
        )
    return shown_stands


def strip_of(visit: Visit, job: Job, stage: str) -> LiveStrip:
    """The strip of a job's page at a stage."""
    line = live.line_of_job(visit.db, job, visit.now)
    if line.state == "none":
        return LiveStrip(line=line, meters=())
    family = family_of(job)
    bands = with_own_bands(visit.db, family).bands
    meters = []
    for signal in signals_at(family, stage):
        quantity = QUANTITIES[signal.quantity]
        unit = in_system(quantity, visit.shop.system)
        band = bands.get(signal.band)
        parts = tuple(p.id for p in family.parts if p.component in signal.parts)
        ends = (band.low, band.high) if band else None
        meters.append(_meter(signal, quantity, unit, ends=ends, parts=parts))
    return LiveStrip(line=line, meters=tuple(meters))


def _meter(
    signal: LiveSignal,
    quantity: Quantity,
    unit: Unit,
    *,
    ends: tuple[float, float] | None,
    parts: tuple[str, ...],
) -> Meter:
    def in_unit(kept: float) -> float:
        return (kept - unit.offset) / unit.factor

    if ends:
        middle, half = (ends[0] + ends[1]) / 2, max(ends[1] - ends[0], 1e-6) / 2
        low, high = middle - SPAN * half, middle + SPAN * half
    else:
        low, high = OWN_SCALES.get(signal.id, SCALES.get(quantity.id, (0, 100)))
    return Meter(
        id=signal.id,
        columns=signal.columns,
        label=signal.label,
        unit=UNIT_SIGNS.get(unit.id, unit.id),
        decimals=unit.decimals,
        factor=1 / unit.factor,
        offset=-unit.offset / unit.factor,
        low=in_unit(low),
        high=in_unit(high),
        band=(in_unit(ends[0]), in_unit(ends[1])) if ends else None,
        parts=parts,
    )
