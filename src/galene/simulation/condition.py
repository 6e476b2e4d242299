"""What is wrong with a car, as physical quantities, and what each cause of the trade does."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError, require
from galene.knowledge.base import KNOWLEDGE, outline_of


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


def _plate(c: Condition, s: float) -> None:
    c.plate_deposit_mm += 0.09 * s
    c.roughness_nm += 0.5 * s


def _plate_sticks(c: Condition, s: float) -> None:
    c.throttle.hysteresis += 1.6 * s
    c.throttle.lag_s += 0.5 * s
    c.plate_deposit_mm += 0.02 * s


def _throttle_motor(c: Condition, s: float) -> None:
    c.throttle.lag_s += 1.5 * s
    c.throttle.most = min(c.throttle.most, 100 - 85 * s)


def _throttle_wire(c: Condition, s: float) -> None:
    c.throttle.dead = c.throttle.dead or s > 0.5
    c.throttle.feedback_noise += 6 * s


def _pedal(c: Condition, s: float) -> None:
    c.pedal_gain *= 1 - 0.9 * s


def _bypass_deposit(c: Condition, s: float) -> None:
    c.bypass_open *= 1 - 0.75 * s
    c.bypass.lag_s += 0.3 * s


def _bypass_dead(c: Condition, s: float) -> None:
    c.bypass.dead = c.bypass.dead or s > 0.5
    c.bypass.most = min(c.bypass.most, 100 - 80 * s)


def _meter_dust(c: Condition, s: float) -> None:
    c.meter.gain *= 1 - 0.24 * s


def _meter_oil(c: Condition, s: float) -> None:
    c.meter.gain *= 1 - 0.19 * s
    c.meter.lag_s += 0.12 * s


def _map_soot(c: Condition, s: float) -> None:
    c.manifold.lag_s += 2.5 * s
    c.manifold.offset += 6.0 * s


def _boost_soot(c: Condition, s: float) -> None:
    c.boost.lag_s += 3.0 * s
    c.boost.offset += 9.0 * s


def _tube(c: Condition, s: float) -> None:
    c.exhaust.lag_s += 9.0 * s
    c.exhaust.gain *= 1 - 0.8 * s


def _dp_ports(c: Condition, s: float) -> None:
    c.differential.gain *= (1 - 0.95 * s) ** 2
    c.differential.lag_s += 2.0 * s


def _dp_damaged(c: Condition, s: float) -> None:
    c.differential.gain *= 1 + 8.0 * s
    c.differential.offset += 60 * s


def _passage(c: Condition, s: float) -> None:
    c.passage_open *= 1 - 0.97 * s


def _cooler(c: Condition, s: float) -> None:
    c.cooler_open *= 1 - 0.9 * s


def _cooler_leak(c: Condition, s: float) -> None:
    c.coolant_loss += 0.3 * s
    c.roughness_nm += 0.6 * s


def _valve_open(c: Condition, s: float) -> None:
    c.valve.least = max(c.valve.least, 30.0 * s)


def _valve_sticks(c: Condition, s: float) -> None:
    c.valve.hysteresis += 35.0 * s
    c.valve.lag_s += 1.5 * s


def _valve_wire(c: Condition, s: float) -> None:
    c.valve.dead = c.valve.dead or s > 0.5
    c.valve.most = min(c.valve.most, 100 - 95 * s)
    c.valve.feedback_noise += 5 * s


def _manifold(c: Condition, s: float) -> None:
    c.breathing *= 1 - 0.25 * s
    c.flaps.hysteresis += 14.0 * s
    c.roughness_nm += 0.4 * s


def _ports(c: Condition, s: float) -> None:
    c.breathing *= 1 - 0.2 * s
    c.roughness_nm += 1.6 * s
    c.power *= 1 - 0.06 * s


def _flaps_stuck(c: Condition, s: float) -> None:
    c.flaps.hysteresis += 30.0 * s
    c.flaps.most = min(c.flaps.most, 100 - 75 * s)


def _flap_sensor(c: Condition, s: float) -> None:
    c.flaps.feedback_noise += 18.0 * s


def _flap_unhooked(c: Condition, s: float) -> None:
    c.flaps.travel = 1.13 + 0.05 * s
    c.flaps.most = 150.0
    c.breathing *= 1 - 0.05 * s


def _flap_wire(c: Condition, s: float) -> None:
    c.flaps.dead = c.flaps.dead or s > 0.5
    c.flaps.feedback_noise += 8 * s


def _hose(c: Condition, s: float) -> None:
    c.crankcase.lag_s += 6.0 * s
    c.crankcase.gain *= 1 - 0.5 * s


def _seal(c: Condition, s: float) -> None:
    c.crankcase.gain *= 1 - 0.55 * s
    c.crankcase.lag_s += 0.2 * s


def _oxygen_slow(c: Condition, s: float) -> None:
    c.oxygen.lag_s += 0.5 + 1.4 * s


def _oxygen_flat(c: Condition, s: float) -> None:
    c.oxygen.gain *= 1 - min(1.0, 0.85 + 0.15 * s)


def _doser(c: Condition, s: float) -> None:
    c.burner *= 1 - 0.9 * s


def _filter(c: Condition, s: float) -> None:
    c.filter_kpa += 14.0 * s
    c.breathing *= 1 - 0.02 * s


def _leak(c: Condition, s: float) -> None:
    c.leak_mm2 += 4.0 * s


def _boost_leak(c: Condition, s: float) -> None:
    c.boost_leak_mm2 += 60.0 * s


def _turbo(c: Condition, s: float) -> None:
    c.turbo *= 1 - 0.75 * s


def _turbo_seal(c: Condition, s: float) -> None:
    c.turbo *= 1 - 0.2 * s
    c.breathing *= 1 - 0.04 * s


def _memory(c: Condition, s: float) -> None:
    c.learned_lost = max(c.learned_lost, s)


def _ignition(c: Condition, s: float) -> None:
    c.power *= 1 - 0.25 * s
    c.roughness_nm += 3.0 * s


def _secondary_meter(c: Condition, s: float) -> None:
    c.secondary_meter.gain *= 1 - 0.7 * s


def _secondary_air(c: Condition, s: float) -> None:
    c.secondary_air *= 1 - 0.9 * s


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


EFFECTS: Mapping[str, Effect] = {
    "throttle_deposit": _plate,
    "throttle_sticking": _plate_sticks,
    "idle_valve_deposit": _bypass_deposit,
    "maf_dust": _meter_dust,
    "maf_oil_film": _meter_oil,
    "secondary_air_sensor_dirty": _secondary_meter,
    "secondary_air_valve_coked": _secondary_air,
    "map_fouled": _map_soot,
    "boost_sensor_fouled": _boost_soot,
    "exhaust_pressure_tube_blocked": _tube,
    "egr_dp_ports_blocked": _dp_ports,
    "egr_passage_plugged": _passage,
    "egr_valve_stuck_open": _valve_open,
    "egr_valve_sluggish": _valve_sticks,
    "egr_cooler_plugged": _cooler,
    "manifold_coked": _manifold,
    "runner_flaps_stuck": _flaps_stuck,
    "runner_actuator_sensor_dirty": _flap_sensor,
    "ports_coked": _ports,
    "crankcase_hose_blocked": _hose,
    "oxygen_sensor_fouled": _oxygen_slow,
    "doser_fouled": _doser,
    "filter_restricted": _filter,
    "unmetered_air_leak": _leak,
    "maf_failed": _sensor("meter", dead=0.0, gain=-0.6),
    "map_failed": _sensor("manifold", offset=25.0),
    "boost_leak": _boost_leak,
    "turbo_control_fault": _turbo,
    "throttle_actuator_fault": _throttle_motor,
    "idle_adaptation_lost": _memory,
    "egr_valve_electrical": _valve_wire,
    "egr_dp_sensor_damaged": _dp_damaged,
    "egr_cooler_leak": _cooler_leak,
    "exhaust_pressure_sensor_failed": _sensor("exhaust", offset=40.0),
    "runner_lever_unhooked": _flap_unhooked,
    "crankcase_sensor_seal_leak": _seal,
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
    "pedal_sensor_fault": _pedal,
    "idle_valve_electrical": _bypass_dead,
    "boost_sensor_failed": _sensor("boost", offset=30.0),
    "barometric_failed": _sensor("barometer", offset=-12.0),
    "secondary_air_supply_fault": _secondary_air,
    "turbo_seal_leak": _turbo_seal,
    "ignition_or_fuel_fault": _ignition,
}
"""What each cause does at a severity from 0 to 1. The sizes are the project's: mild is just seen by
the trade's own arithmetic, gross is what fails on the road (table in ``docs/simulation.md``)."""


def possible_faults(family: EngineFamily) -> tuple[str, ...]:
    """The causes that this family can have."""
    outline = outline_of(family)
    return tuple(cause for cause in EFFECTS if KNOWLEDGE.causes[cause].possible_on(outline))


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
