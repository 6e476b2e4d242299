"""What is wrong with a car, as physical quantities, and what each cause of the trade does."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError, require
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.simulated import CHANGES, Change


@dataclass(kw_only=True)
class Sensor:
    """How far a sensor has gone: reading = `gain` times truth plus `offset`, through a lag; `dead`
    holds it at a share of its range, None where it lives."""

    gain: float = 1.0
    offset: float = 0.0
    lag_s: float = 0.0
    noise: float = 1.0
    dead: float | None = None


@dataclass(kw_only=True)
class Actuator:
    """How far an actuator has gone: least and most position in percent, how far it hangs back, how
    slow it is; `dead` does not move at all."""

    least: float = 0.0
    most: float = 100.0
    travel: float = 1.0
    """Way that it goes against what it should: more where nothing holds it."""
    hysteresis: float = 0.0
    lag_s: float = 0.06
    dead: bool = False
    feedback_noise: float = 0.0


@dataclass(kw_only=True)
class Condition:
    """The whole of it. Areas in mm2, thickness in mm, shares from 0 to 1.

    Parameters
    ----------
    plate_deposit_mm : of throttle bore and plate edge together
    leak_mm2 : air that enters behind the meter, into the manifold
    boost_leak_mm2 : charge air that leaves before the manifold
    passage_open, valve_open, cooler_open : open share of what recirculated gas goes through
    breathing : share of the volumetric efficiency that is left
    roughness_nm : uneven work, one sigma, N m
    power : share of the burning that is left
    turbo : share of the charge pressure that is left
    filter_kpa : drop over the air filter at full flow, kPa
    burner : share of the exhaust fuel that reaches the catalyst
    coolant_loss : share of the coolant a hour
    learned_lost : share of the idle control's memory that is gone
    """

    plate_deposit_mm: float = 0.0
    bypass_open: float = 1.0
    leak_mm2: float = 0.0
    boost_leak_mm2: float = 0.0
    passage_open: float = 1.0
    valve_open: float = 1.0
    cooler_open: float = 1.0
    breathing: float = 1.0
    roughness_nm: float = 0.0
    power: float = 1.0
    turbo: float = 1.0
    filter_kpa: float = 0.4
    burner: float = 1.0
    coolant_loss: float = 0.0
    learned_lost: float = 0.0
    secondary_air: float = 1.0
    pedal_gain: float = 1.0
    meter: Sensor = field(default_factory=Sensor)
    manifold: Sensor = field(default_factory=Sensor)
    boost: Sensor = field(default_factory=Sensor)
    exhaust: Sensor = field(default_factory=Sensor)
    differential: Sensor = field(default_factory=Sensor)
    crankcase: Sensor = field(default_factory=Sensor)
    barometer: Sensor = field(default_factory=Sensor)
    intake_air: Sensor = field(default_factory=Sensor)
    oxygen: Sensor = field(default_factory=Sensor)
    secondary_meter: Sensor = field(default_factory=Sensor)
    throttle: Actuator = field(default_factory=Actuator)
    bypass: Actuator = field(default_factory=Actuator)
    valve: Actuator = field(default_factory=Actuator)
    flaps: Actuator = field(default_factory=Actuator)


Effect = Callable[[Condition, float], None]


def _throttle_motor(c: Condition, s: float) -> None:
    c.throttle.lag_s += 1.5 * s
    c.throttle.most = min(c.throttle.most, 100 - 85 * s)


def _throttle_wire(c: Condition, s: float) -> None:
    c.throttle.dead = c.throttle.dead or s > 0.5
    c.throttle.feedback_noise += 6 * s


def _bypass_dead(c: Condition, s: float) -> None:
    c.bypass.dead = c.bypass.dead or s > 0.5
    c.bypass.most = min(c.bypass.most, 100 - 80 * s)


def _dp_ports(c: Condition, s: float) -> None:
    c.differential.gain *= (1 - 0.95 * s) ** 2
    c.differential.lag_s += 2.0 * s


def _valve_open(c: Condition, s: float) -> None:
    c.valve.least = max(c.valve.least, 30.0 * s)


def _valve_wire(c: Condition, s: float) -> None:
    c.valve.dead = c.valve.dead or s > 0.5
    c.valve.most = min(c.valve.most, 100 - 95 * s)
    c.valve.feedback_noise += 5 * s


def _flaps_stuck(c: Condition, s: float) -> None:
    c.flaps.hysteresis += 30.0 * s
    c.flaps.most = min(c.flaps.most, 100 - 75 * s)


def _flap_unhooked(c: Condition, s: float) -> None:
    c.flaps.travel = 1.13 + 0.05 * s
    c.flaps.most = 150.0
    c.breathing *= 1 - 0.05 * s


def _flap_wire(c: Condition, s: float) -> None:
    c.flaps.dead = c.flaps.dead or s > 0.5
    c.flaps.feedback_noise += 8 * s


def _oxygen_slow(c: Condition, s: float) -> None:
    c.oxygen.lag_s += 0.5 + 1.4 * s


def _oxygen_flat(c: Condition, s: float) -> None:
    c.oxygen.gain *= 1 - min(1.0, 0.85 + 0.15 * s)


def _memory(c: Condition, s: float) -> None:
    c.learned_lost = max(c.learned_lost, s)


def _sensor(
    name: str, *, dead: float | None = None, offset: float = 0.0, gain: float = 0.0
) -> Effect:
    """A sensor that fails or whose wire does: an error that grows, and from a half on a rail."""

    def apply(c: Condition, s: float) -> None:
        sensor: Sensor = getattr(c, name)
        sensor.offset += offset * s
        sensor.gain *= 1 + gain * s
        sensor.noise += 6 * s
        if dead is not None and s > 0.5:
            sensor.dead = dead

    return apply


def _told(cause: str, changes: Sequence[Change]) -> Effect:
    """The effect that a document tells.

    Raises
    ------
    InputError
        A figure that no car has.
    """

    def apply(c: Condition, s: float) -> None:
        for change in changes:
            *above, name = change.of.split(".")
            owner: Any = getattr(c, above[0]) if above else c
            setattr(owner, name, getattr(owner, name) * (1 + change.times * s) + change.adds * s)

    try:
        apply(Condition(), 0.0)
    except (AttributeError, TypeError) as fault:
        of = ", ".join(c.of for c in changes)
        raise InputError(f"effects.{cause}", of, "figures of the simulated car") from fault
    return apply


EFFECTS: Mapping[str, Effect] = {
    **{cause: _told(cause, changes) for cause, changes in CHANGES.items()},
    "egr_dp_ports_blocked": _dp_ports,
    "egr_valve_stuck_open": _valve_open,
    "runner_flaps_stuck": _flaps_stuck,
    "oxygen_sensor_fouled": _oxygen_slow,
    "maf_failed": _sensor("meter", dead=0.0, gain=-0.6),
    "map_failed": _sensor("manifold", offset=25.0),
    "throttle_actuator_fault": _throttle_motor,
    "idle_adaptation_lost": _memory,
    "egr_valve_electrical": _valve_wire,
    "exhaust_pressure_sensor_failed": _sensor("exhaust", offset=40.0),
    "runner_lever_unhooked": _flap_unhooked,
    "crankcase_sensor_failed": _sensor("crankcase", offset=-12.0),
    "oxygen_sensor_failed": _oxygen_flat,
    "maf_wiring": _sensor("meter", dead=0.0, gain=-0.1),
    "map_wiring": _sensor("manifold", dead=0.0, offset=-4.0),
    "iat_wiring": _sensor("intake_air", dead=0.0, offset=-8.0),
    "boost_sensor_wiring": _sensor("boost", dead=0.0, offset=-6.0),
    "exhaust_pressure_wiring": _sensor("exhaust", dead=0.0, offset=-6.0),
    "crankcase_sensor_wiring": _sensor("crankcase", dead=0.0, offset=-5.0),
    "oxygen_sensor_wiring": _sensor("oxygen", dead=0.05, gain=-0.3),
    "throttle_wiring": _throttle_wire,
    "runner_wiring": _flap_wire,
    "secondary_meter_wiring": _sensor("secondary_meter", dead=0.0, gain=-0.1),
    "idle_valve_electrical": _bypass_dead,
    "boost_sensor_failed": _sensor("boost", offset=30.0),
    "barometric_failed": _sensor("barometer", offset=-12.0),
}
"""What each cause does at a severity from 0 to 1. The sizes are the project's: mild is just seen by
the trade's own arithmetic, gross is what fails on the road (table in ``docs/simulation.md``)."""


def possible_faults(family: EngineFamily) -> tuple[str, ...]:
    """The causes that this family can have."""
    outline = outline_of(family)
    known = (c for c in KNOWLEDGE.causes.values() if c.id in EFFECTS)
    return tuple(c.id for c in known if c.possible_on(outline))


def condition_of(family: EngineFamily, faults: Mapping[str, float]) -> Condition:
    """The condition of a car with these faults.

    Parameters
    ----------
    faults : severity from 0 to 1 by the id of a cause

    Raises
    ------
    InputError
        A cause that is not known or that this family can not have, a severity out of range.
    """
    found = Condition()
    possible = possible_faults(family)
    for cause, severity in faults.items():
        if cause not in EFFECTS:
            raise InputError(f"faults.{cause}", cause, "a cause of the vocabulary")
        if cause not in possible:
            allowed = f"a fault that family {family.id} can have"
            raise InputError(f"faults.{cause}", cause, allowed)
        require(0 <= severity <= 1, f"faults.{cause}", severity, allowed="0 to 1")
        if severity > 0:
            EFFECTS[cause](found, severity)
    # Sizes stand for an engine of 1.6 litres; a hole of the same harm grows with the engine.
    found.leak_mm2 *= family.displacement_l / 1.6
    found.boost_leak_mm2 *= family.displacement_l / 1.6
    found.roughness_nm *= family.displacement_l / 1.6
    return found
