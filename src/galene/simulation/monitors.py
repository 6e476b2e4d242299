"""The control unit's monitors: what they watch, when a code becomes pending and stored, and the
figures that are kept with it."""

from collections.abc import Callable
from dataclasses import dataclass, field

from galene.simulation.engine import STEP_S
from galene.simulation.machine import Machine

EVERY = 10
"""Steps between two looks: ten a second."""
STORED_AFTER = 3.0
"""A fault that stays this many times as long as it takes to be pending is stored."""
Watch = Callable[[Machine], bool | None]
"""True: at fault. False: sound. None: can not be judged now."""


@dataclass(frozen=True, kw_only=True)
class Monitor:
    """One code (SAE J2012): what it watches, how long before it is pending, which natures of part
    it takes."""

    code: str
    seconds: float
    needs: tuple[str, ...]
    watch: Watch


@dataclass(kw_only=True)
class Code:
    """A code that is set, with the figures of the moment in which it became pending."""

    code: str
    stored: bool
    frame: dict[str, float] = field(default_factory=dict)


def _closed_loop(v: Machine) -> bool:
    return v.engine.running and v.control.running_s > 30 and v.engine.coolant_c > 60


def _trim(v: Machine) -> float:
    return v.control.short_trim + v.control.long_trim


def _lean(v: Machine) -> bool | None:
    return _trim(v) > 15 if _closed_loop(v) else None


def _rich(v: Machine) -> bool | None:
    return _trim(v) < -15 if _closed_loop(v) else None


def _idles(v: Machine) -> bool:
    quiet = v.wishes.pedal < 0.5 and v.wishes.hold_rpm is None and not v.wishes.commands
    return quiet and v.control.running_s > 20 and v.engine.coolant_c > 60 and not v.wishes.road_nm


def _idle_low(v: Machine) -> bool | None:
    return v.engine.rpm < v.plant.idle_rpm - 100 if _idles(v) else None


def _idle_high(v: Machine) -> bool | None:
    if v.control.routine:
        return None
    return v.engine.rpm > v.plant.idle_rpm + 200 if _idles(v) else None


def _meter_low(v: Machine) -> bool | None:
    return v.senses.air_g_s < 0.3 if v.engine.running else None


def _range(name: str, low: float, high: float) -> Watch:
    def watch(v: Machine) -> bool | None:
        return bool(not low <= getattr(v.senses, name) <= high) if v.wishes.key else None

    return watch


def _apart(name: str) -> Watch:
    """A pressure that does not agree with the air outside while nothing moves."""

    def watch(v: Machine) -> bool | None:
        if not v.wishes.key or v.engine.rpm > 1 or v.wishes.starter:
            return None
        return bool(abs(getattr(v.senses, name) - v.senses.baro_kpa) > 5.0)

    return watch


def _valve_apart(v: Machine) -> bool | None:
    if not v.wishes.key:
        return None
    return abs(v.control.valve.command - v.control.valve.position) > 15


def _flow_low(v: Machine) -> bool | None:
    """Recirculated gas against what the open valve should pass."""
    if not v.engine.running or v.control.valve.position < 20 or v.engine.coolant_c < 60:
        return None
    clean = v.plant.passage_mm2 * v.control.valve.position / 100
    c = v.condition
    open_share = c.passage_open * c.cooler_open
    if v.plant.venturi:
        due = v.plant.idle_g_s * 0.12
        return v.senses.dp_flow_g_s(v.engine) < due
    return clean * open_share < 0.45 * clean


def _throttle_apart(v: Machine) -> bool | None:
    if not v.wishes.key:
        return None
    return abs(v.control.throttle.command - v.control.throttle.position) > 8


def _boost_low(v: Machine) -> bool | None:
    if v.control.drive.boost_share < 0.55:
        return None
    due = v.plant.boost_kpa * v.control.drive.boost_share
    return v.senses.boost_kpa - v.senses.baro_kpa < 0.7 * due


def _flaps_apart(v: Machine) -> bool | None:
    if not v.wishes.key:
        return None
    return abs(v.control.flaps.command - v.shown_flaps()) > 14


def _oxygen_slow(v: Machine) -> bool | None:
    return v.condition.oxygen.lag_s > 0.6 if _closed_loop(v) else None


def _oxygen_dead(v: Machine) -> bool | None:
    if not _closed_loop(v):
        return None
    return v.condition.oxygen.dead is not None or v.condition.oxygen.gain < 0.1


def _misfire(v: Machine) -> bool | None:
    if not v.engine.running or v.control.running_s < 10:
        return None
    return v.condition.power < 0.85 or v.condition.roughness_nm > 2.4


def _soot(v: Machine) -> bool | None:
    return v.engine.soot > 1.2 if v.engine.running else None


def _secondary(v: Machine) -> bool | None:
    if not v.engine.running or not 5 < v.control.running_s < 60:
        return None
    return v.condition.secondary_air < 0.5 or v.condition.secondary_meter.gain < 0.6


MONITORS: tuple[Monitor, ...] = (
    Monitor(code="P0171", seconds=8, needs=("oxygen",), watch=_lean),
    Monitor(code="P0172", seconds=8, needs=("oxygen",), watch=_rich),
    Monitor(code="P0506", seconds=6, needs=("plate",), watch=_idle_low),
    Monitor(code="P0507", seconds=6, needs=("plate",), watch=_idle_high),
    Monitor(code="P0102", seconds=2, needs=("main_meter",), watch=_meter_low),
    Monitor(
        code="P0107", seconds=2, needs=("reads_manifold",), watch=_range("manifold_kpa", 8, 390)
    ),
    Monitor(
        code="P0113", seconds=2, needs=("reads_intake_heat",), watch=_range("intake_c", -39, 200)
    ),
    Monitor(code="P0237", seconds=2, needs=("reads_boost",), watch=_range("boost_kpa", 8, 390)),
    Monitor(
        code="P0472",
        seconds=2,
        needs=("reads_exhaust",),
        watch=_range("exhaust_kpa", 8, 395),
    ),
    Monitor(code="P0069", seconds=2, needs=("reads_manifold",), watch=_apart("manifold_kpa")),
    Monitor(code="P2263", seconds=2, needs=("reads_boost",), watch=_apart("boost_kpa")),
    Monitor(code="P0471", seconds=2, needs=("reads_exhaust",), watch=_apart("exhaust_kpa")),
    Monitor(code="P051B", seconds=2, needs=("reads_crankcase",), watch=_apart("crankcase_kpa")),
    Monitor(code="P0404", seconds=4, needs=("gas_valve",), watch=_valve_apart),
    Monitor(code="P0401", seconds=6, needs=("gas_valve",), watch=_flow_low),
    Monitor(code="P2101", seconds=3, needs=("plate",), watch=_throttle_apart),
    Monitor(code="P0299", seconds=4, needs=("wheel",), watch=_boost_low),
    Monitor(code="P2004", seconds=3, needs=("flaps",), watch=_flaps_apart),
    Monitor(code="P0133", seconds=10, needs=("oxygen",), watch=_oxygen_slow),
    Monitor(code="P0132", seconds=10, needs=("oxygen",), watch=_oxygen_dead),
    Monitor(code="P0300", seconds=8, needs=(), watch=_misfire),
    Monitor(code="P242F", seconds=10, needs=("soot_filter",), watch=_soot),
    Monitor(code="P0411", seconds=5, needs=("secondary_valve",), watch=_secondary),
)


class Memory:
    """The codes of one control unit, and which monitors have run since they were cleared."""

    def __init__(self, natures: frozenset[str]) -> None:
        self.monitors = [m for m in MONITORS if set(m.needs) <= natures]
        self.codes: dict[str, Code] = {}
        self.ready: set[str] = set()
        self._seen: dict[str, float] = {}

    def look(self, vehicle: Machine) -> None:
        """Let every monitor look once."""
        for monitor in self.monitors:
            fault = monitor.watch(vehicle)
            if fault is None:
                continue
            code = monitor.code
            seen = self._seen.get(code, 0.0)
            seen = seen + EVERY * STEP_S if fault else max(0.0, seen - EVERY * STEP_S)
            self._seen[code] = seen
            if not fault and seen == 0:
                self.ready.add(code)
            if fault and seen >= monitor.seconds:
                self.ready.add(code)
                if code not in self.codes:
                    self.codes[code] = Code(code=code, stored=False, frame=vehicle.frame())
                if seen >= STORED_AFTER * monitor.seconds:
                    self.codes[code].stored = True

    def clear(self) -> None:
        """Codes, frames and readiness go."""
        self.codes, self.ready, self._seen = {}, set(), {}
