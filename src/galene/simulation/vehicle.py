"""A car: engine, control unit, sensors, and what is done to it."""

from collections.abc import Mapping
from random import Random

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.errors import InputError
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.bus_names import BYPASS, FLAPS, GAS_VALVE, PLATE
from galene.knowledge.components import COMPONENTS
from galene.simulation.condition import Condition, Sensor, condition_of
from galene.simulation.control import Control, Wishes
from galene.simulation.engine import Engine
from galene.simulation.monitors import EVERY, Memory
from galene.simulation.plant import PLATE_END_DEG, plant_of
from galene.simulation.road import Road
from galene.simulation.sensing import GAS, Probe, Senses

COMMANDED = {GAS_VALVE: "gas_valve", PLATE: "plate", BYPASS: "spool", FLAPS: "flaps"}
"""Actuators that a tester may hold, and the nature of the part that they take."""
PROTECTIVE = frozenset({"P2101", "P0237"})
"""Codes with which the control unit takes the power back."""
CRANK_S = 2.5
"""How long a start turns the starter at most before it fires."""
SECONDARY_G_S = 6.0
"""What a sound secondary air pump blows in the first minute."""


class Vehicle:
    """One car that runs.

    Parameters
    ----------
    family : its engine
    faults : severity 0 to 1 by cause
    ambient_kpa, ambient_c : the air outside
    warm : whether it begins at working heat
    seed : of noise and uneven running

    Raises
    ------
    InputError
        A fault that the family can not have.
    """

    def __init__(
        self,
        family: EngineFamily,
        faults: Mapping[str, float],
        *,
        ambient_kpa: float = 101.1,
        ambient_c: float = 19.0,
        warm: bool = True,
        seed: int = 1,
    ) -> None:
        self.family, self.faults = family, dict(faults)
        self.plant = plant_of(family)
        self.condition = condition_of(family, self.faults)
        self.seed = seed
        self.engine = Engine(
            self.plant,
            self.condition,
            ambient_kpa=ambient_kpa,
            ambient_c=ambient_c,
            warm=warm,
            seed=seed,
        )
        self.senses = Senses(self.plant, self.condition, seed=seed + 1)
        self.control = Control(self.plant, self.condition, self.senses)
        self.wishes = Wishes()
        self.memory = Memory(self.plant.natures)
        self.chance = Random(seed + 2)
        self.gas = [Probe(GAS, Sensor(), self.chance) for _ in range(4)]
        self.road: Road | None = None
        self.battery = True
        self.steps = 0
        self.odometer_km = 0.0
        self._crank_left = 0.0
        self.senses.follow(self.engine)

    # ---- time

    @property
    def time_s(self) -> float:
        """Seconds since it was made."""
        return self.steps * 0.01

    def step(self) -> None:
        """Move on by a hundredth of a second."""
        wishes, engine = self.wishes, self.engine
        if self.road is not None and not self.road.drive(self):
            self.road = None
        if self._crank_left > 0:
            self._crank_left -= 0.01
            caught = engine.running and engine.rpm > 0.65 * self.plant.idle_rpm
            wishes.starter = self._crank_left > 0 and not caught
            if not wishes.starter:
                self._crank_left = 0.0
        self.senses.follow(engine)
        engine.step(self.control.step(engine, wishes))
        self.steps += 1
        if self.steps % EVERY == 0:
            self.memory.look(self)
            stored = {c.code for c in self.memory.codes.values() if c.stored}
            self.control.protective = bool(stored & PROTECTIVE)

    # ---- what is done to it

    def key_on(self) -> None:
        """Ignition on."""
        self.wishes.key = self.battery

    def start(self) -> None:
        """Turn the starter until it fires, or for a while."""
        self.wishes.key = self.battery
        if self.battery and not self.engine.running:
            self._crank_left = CRANK_S

    def key_off(self) -> None:
        """Ignition off."""
        self.wishes.key = False
        self.engine.running = False
        self._crank_left = 0.0

    def command(self, actuator: str, value: float) -> None:
        """Hold an actuator at a position, percent.

        Raises
        ------
        InputError
            An actuator that it does not have.
        """
        self.require_actuator(actuator)
        self.wishes.commands[actuator] = value

    def require_actuator(self, actuator: str) -> None:
        """Raise `InputError` for an actuator that this car does not have."""
        motor = self.family.throttle == "electronic"
        own = [
            name
            for name, nature in COMMANDED.items()
            if nature in self.plant.natures and (name != PLATE or motor)
        ]
        if actuator not in own:
            allowed = "one of: " + ", ".join(own) if own else "none: nothing of it is driven"
            raise InputError("actuator", actuator, allowed)

    def release(self, actuator: str = "") -> None:
        """Let go of one actuator, or of everything that is held, the speed too."""
        if actuator:
            self.require_actuator(actuator)
            self.wishes.commands.pop(actuator, None)
        else:
            self.wishes.commands.clear()
            self.wishes.hold_rpm = None
            self.wishes.pedal = 0.0

    def battery_off(self) -> None:
        """Take the battery off: what was learned is forgotten."""
        self.key_off()
        self.battery = False
        self.control.forget()
        self.memory.clear()

    def mend(self, part: str, *, how: str = "", new: bool = False) -> None:
        """Clean or replace a part; the engine is as it is then.

        Parameters
        ----------
        part : id of the part
        how : empty, ``wrong_agent`` (ruins an element), ``no_seal`` (refitted, leaks)
        new : replaced: what is broken is gone too

        Raises
        ------
        InputError
            A part that it does not have.
        """
        kind = self.family.part(part).component
        for cause in [c for c in self.faults if KNOWLEDGE.causes[c].component == kind]:
            if new or KNOWLEDGE.causes[cause].action == "clean":
                del self.faults[cause]
        if how == "wrong_agent" and (ruined := COMPONENTS[kind].ruined_as):
            self.faults[ruined] = 1.0
        if how == "no_seal" and kind_is(kind, "seals_intake"):
            leak = self.faults.get("unmetered_air_leak", 0.0)
            if not self.plant.diesel:
                self.faults["unmetered_air_leak"] = min(1.0, leak + 0.6)
        self.take(condition_of(self.family, self.faults))

    def take(self, found: Condition) -> None:
        """Take another condition, keeping who refers to it."""
        for name in vars(self.condition):
            value, kept = getattr(found, name), getattr(self.condition, name)
            if hasattr(kept, "__dataclass_fields__"):
                for inner in vars(kept):
                    setattr(kept, inner, getattr(value, inner))
            else:
                setattr(self.condition, name, value)
        self.control.set_plate()

    # ---- what is read from it

    def shown_flaps(self) -> float:
        """Position of the runner flaps as their sensor says, percent."""
        noise = self.condition.flaps.feedback_noise
        position = self.control.flaps.position
        shown = position + (self.chance.gauss(0, noise) if noise else 0.0)
        return min(119.0, max(-5.0, shown))

    def shown_throttle(self) -> float:
        """Throttle opening as the car shows it, percent over the closed angle."""
        plant, control = self.plant, self.control
        noise = self.condition.throttle.feedback_noise
        position = control.throttle.position
        if plant.family.throttle != "cable" and not plant.diesel:
            degrees = position / 100 * (PLATE_END_DEG - plant.closed_deg)
            position = degrees / plant.degrees_per_percent
        return position + (self.chance.gauss(0, noise) if noise else 0.0)

    def voltage_v(self) -> float:
        """Of the battery."""
        rest = self.plant.battery_v / 12
        if not self.battery:
            return 0.0
        if self.wishes.starter:
            return 9.9 * rest
        if self.engine.running:
            return (14.1 - 0.12 * len(self.wishes.loads)) * rest
        return (12.5 - 0.2 * self.wishes.key) * rest

    def frame(self) -> dict[str, float]:
        """The figures that are kept with a code."""
        row = self.row()
        wanted = ("rpm", "coolant_c", "speed_kmh", "short_trim_pct", "long_trim_pct")
        kept = {name: row[name] for name in wanted if name in row}
        fresh = self.engine.flows.cylinders
        full = self.plant.full_fuel_g_s * self.plant.stoich
        kept["load_pct"] = round(min(100.0, 100 * fresh / full), 1)
        return kept

    def row(self) -> dict[str, float]:
        """All that this family senses, now, by column."""
        turning = self.chance.gauss(0, 3) if self.engine.rpm else 0.0
        row = {"time_s": self.time_s, "rpm": float(round(max(0.0, self.engine.rpm + turning)))}
        self._intake_into(row)
        self._mixture_into(row)
        self._recirculation_into(row)
        self._exhaust_into(row)
        row["speed_kmh"] = self.wishes.speed_kmh
        row["voltage_v"] = self.voltage_v() + self.chance.gauss(0, 0.02)
        return row

    def _intake_into(self, row: dict[str, float]) -> None:
        natures, senses = self.plant.natures, self.senses
        if "reads_manifold" in natures:
            row["manifold_kpa"] = senses.manifold.read()
        if "main_meter" in natures:
            row["air_g_s"] = senses.meter.read()
        if "plate" in natures:
            row["throttle_pct"] = self.shown_throttle()
        if self.family.throttle != "cable":
            row["pedal_pct"] = self.control.shown_pedal
        if "spool" in natures:
            row["idle_valve_pct"] = self.control.bypass.position
        if "reads_boost" in natures:
            row["boost_kpa"] = senses.boost.read()
        if "reads_crankcase" in natures:
            row["crankcase_kpa"] = senses.crankcase.read()
        if "flaps" in natures:
            row["runner_command_pct"] = self.control.flaps.command
            row["runner_position_pct"] = self.shown_flaps()
        if "reads_intake_heat" in natures:
            row["intake_c"] = senses.intake.read()
        if "reads_outside" in natures:
            row["baro_kpa"] = senses.barometer.read()

    def _mixture_into(self, row: dict[str, float]) -> None:
        if self.plant.has_lambda:
            row["short_trim_pct"] = self.control.short_trim
            row["long_trim_pct"] = self.control.long_trim
            row["lambda_v"] = max(0.0, self.senses.oxygen_v + self.chance.gauss(0, 0.006))
        if self.family.cooling == "liquid":
            row["coolant_c"] = float(round(self.engine.coolant_c))

    def _recirculation_into(self, row: dict[str, float]) -> None:
        natures, valve = self.plant.natures, self.control.valve
        if "gas_valve" in natures:
            noise = self.condition.valve.feedback_noise
            shown = valve.position - self.control.valve_zero
            shown += self.chance.gauss(0, noise) if noise else 0.0
            row["egr_command_pct"] = valve.command
            row["egr_position_pct"] = min(100.0, max(0.0, shown))
        if "reads_gas_heat" in natures:
            row["egr_gas_c"] = self._gas(0, self.engine.valve_gas_c)
        if self.plant.venturi:
            row["dp_pa"] = self.senses.differential.read()

    def _exhaust_into(self, row: dict[str, float]) -> None:
        natures, engine, control = self.plant.natures, self.engine, self.control
        if "reads_exhaust" in natures:
            row["exhaust_kpa"] = self.senses.exhaust.read()
        if "soot_filter" in natures:
            row["before_catalyst_c"] = self._gas(1, engine.before_catalyst_c)
            row["before_filter_c"] = self._gas(2, engine.before_filter_c)
            row["after_filter_c"] = self._gas(3, engine.after_filter_c)
            row["soot_pct"] = 100 * engine.soot
        if "secondary_meter" in natures:
            pumped = SECONDARY_G_S if engine.running and control.running_s < 60 else 0.0
            flow = self.senses.secondary.follow(pumped * self.condition.secondary_air)
            row["secondary_air_g_s"] = max(0.0, flow + self.chance.gauss(0, 0.02))

    def _gas(self, place: int, truth: float) -> float:
        probe = self.gas[place]
        probe.value = truth
        return probe.read()
