"""What the control unit and the tester see: truth through sensors with lag, noise, resolution and
rails."""

import math
from dataclasses import dataclass
from random import Random

from galene.core.flow import KELVIN, R_AIR
from galene.simulation.condition import Condition, Sensor
from galene.simulation.engine import STEP_S, Engine
from galene.simulation.plant import Plant

PIPE_MM, THROAT_MM, THROAT_C = 50.0, 28.0, 0.98
"""The venturi, as `egr-flow-crosscheck` has it."""
THROAT_M2 = THROAT_C * math.pi / 4 * (THROAT_MM * 1e-3) ** 2
APPROACH = 1 - (THROAT_MM / PIPE_MM) ** 4
DEAD_METER_G_S = 0.05
"""Below this the control unit takes the meter for dead while the engine runs."""


@dataclass(frozen=True, kw_only=True)
class Range:
    """Of a sensor: own lag (s), noise (one sigma), least step shown, rails."""

    lag_s: float
    noise: float
    step: float
    low: float
    high: float


AIR = Range(lag_s=0.03, noise=0.004, step=0.01, low=0.0, high=650.0)
"""The noise of an air meter is a share of its reading."""
PRESSURE = Range(lag_s=0.015, noise=0.12, step=0.1, low=5.0, high=400.0)
DIFFERENTIAL = Range(lag_s=0.05, noise=4.0, step=1.0, low=-500.0, high=12_000.0)
TEMPERATURE = Range(lag_s=4.0, noise=0.05, step=0.1, low=-40.0, high=215.0)
GAS = Range(lag_s=3.0, noise=0.6, step=0.5, low=-40.0, high=1200.0)
VOLTS = Range(lag_s=0.06, noise=0.008, step=0.005, low=0.0, high=1.1)


class Probe:
    """One sensor on its way to the truth."""

    def __init__(self, reach: Range, state: Sensor, chance: Random) -> None:
        self.reach, self.state, self.chance = reach, state, chance
        self.value = 0.0
        self._fresh = True

    def follow(self, truth: float) -> float:
        """The reading without noise, one step on."""
        state = self.state
        if state.dead is not None:
            reach = self.reach
            self.value = reach.low + state.dead * (reach.high - reach.low)
            return self.value
        seen = state.gain * truth + state.offset
        if self._fresh:
            self.value, self._fresh = seen, False
        else:
            self.value += (seen - self.value) * STEP_S / (STEP_S + self.reach.lag_s + state.lag_s)
        return self.value

    def read(self) -> float:
        """The reading as it is shown."""
        reach, state = self.reach, self.state
        if state.dead is not None:
            return self.value
        sigma = reach.noise * state.noise
        if reach is AIR:
            sigma *= max(abs(self.value), 0.05)
        seen = self.value + self.chance.gauss(0.0, sigma)
        return min(reach.high, max(reach.low, round(seen / reach.step) * reach.step))


class Senses:
    """All sensors of one car. Attributes are what the control unit works with; `row` what is shown
    and logged."""

    def __init__(self, plant: Plant, condition: Condition, *, seed: int) -> None:
        self.plant, self.condition = plant, condition
        chance = Random(seed)
        self.chance = chance
        c = condition
        self.meter = Probe(AIR, c.meter, chance)
        self.manifold = Probe(PRESSURE, c.manifold, chance)
        self.boost = Probe(PRESSURE, c.boost, chance)
        self.exhaust = Probe(PRESSURE, c.exhaust, chance)
        self.crankcase = Probe(PRESSURE, c.crankcase, chance)
        self.barometer = Probe(PRESSURE, c.barometer, chance)
        self.differential = Probe(DIFFERENTIAL, c.differential, chance)
        self.intake = Probe(TEMPERATURE, c.intake_air, chance)
        self.oxygen = Probe(VOLTS, c.oxygen, chance)
        self.secondary = Probe(AIR, c.secondary_meter, chance)
        self.rpm = self.air_g_s = 0.0
        self.manifold_kpa = self.boost_kpa = self.exhaust_kpa = self.crankcase_kpa = 0.0
        self.baro_kpa = self.intake_c = self.coolant_c = 0.0
        self.oxygen_v = 0.45
        self.dp_pa = 0.0
        self._waiting = [1.0] * 30
        """Air over fuel on its way to the oxygen sensor."""
        self._at = 0

    @property
    def meter_alive(self) -> bool:
        """Whether the control unit believes the air meter."""
        return self.air_g_s > DEAD_METER_G_S

    def true_dp_pa(self, engine: Engine) -> float:
        """Difference over the venturi, Pa (Bernoulli, as in `egr-flow-crosscheck`)."""
        flow = engine.flows.recirculated * 1e-3 / THROAT_M2
        return flow * flow * APPROACH / (2 * _density(engine))

    def dp_flow_g_s(self, engine: Engine) -> float:
        """What the control unit takes for recirculated flow, g/s."""
        head = 2 * _density(engine) * max(0.0, self.dp_pa) / APPROACH
        return THROAT_M2 * math.sqrt(head) * 1e3

    def follow(self, engine: Engine) -> None:
        """One step on."""
        plant, natures = self.plant, self.plant.natures
        self.rpm = engine.rpm
        self.coolant_c = engine.coolant_c
        self.intake_c = self.intake.follow(engine.intake_c)
        self.baro_kpa = self.barometer.follow(engine.ambient_kpa)
        pressure = engine.manifold_kpa
        self.manifold_kpa = self.manifold.follow(pressure)
        if "main_meter" in natures:
            self.air_g_s = self.meter.follow(engine.flows.throttle + engine.flows.boost_leak)
        if plant.boost_kpa:
            self.boost_kpa = self.boost.follow(engine.charge_kpa)
        if "reads_exhaust" in natures:
            self.exhaust_kpa = self._gauge(self.exhaust, engine.exhaust_kpa, engine)
        if "reads_crankcase" in natures:
            self.crankcase_kpa = self._gauge(self.crankcase, pressure, engine)
        if plant.venturi:
            self.dp_pa = self.differential.follow(self.true_dp_pa(engine))
        if plant.has_lambda:
            waiting, at = self._waiting, self._at
            there = waiting[at]
            waiting[at] = engine.flows.air_fuel if engine.running else 1.5
            self._at = (at + 1) % len(waiting)
            self.oxygen_v = self._volts(there)

    def _gauge(self, probe: Probe, truth: float, engine: Engine) -> float:
        """A sensor at the end of a tube: what is blocked or leaks stands nearer to the air
        outside, and with nothing moving it stands true."""
        state = probe.state
        if state.dead is not None:
            return probe.follow(truth)
        seen = engine.ambient_kpa + state.gain * (truth - engine.ambient_kpa) + state.offset
        lag = probe.reach.lag_s + state.lag_s
        if probe._fresh:
            probe.value, probe._fresh = seen, False
        probe.value += (seen - probe.value) * STEP_S / (STEP_S + lag)
        return probe.value

    def _volts(self, air_fuel: float) -> float:
        """A narrow-band sensor: high when rich, low when lean."""
        state = self.condition.oxygen
        if state.dead is not None:
            return self.oxygen.follow(0.0)
        swing = 0.39 * math.tanh((1.0 - air_fuel) * 160) * state.gain
        lag = VOLTS.lag_s + state.lag_s
        probe = self.oxygen
        probe.value += (0.45 + swing - probe.value) * STEP_S / (STEP_S + lag)
        return probe.value


def _density(engine: Engine) -> float:
    """Of the gas in the venturi, kg/m3."""
    return engine.manifold_kpa * 1e3 / (R_AIR * (engine.valve_gas_c + KELVIN))
