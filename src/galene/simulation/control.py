"""The car's control unit: idle, mixture, recirculation, charge pressure, learning, monitors.

It sees the car through its sensors only and moves it through its actuators only.
"""

import itertools
import math
from dataclasses import dataclass, field

from galene.core.flow import KELVIN, R_AIR
from galene.knowledge.bus_names import BYPASS, FLAPS, GAS_VALVE, PLATE
from galene.simulation.condition import Condition
from galene.simulation.engine import STEP_S, Drive, Engine, orifice_g_s
from galene.simulation.moving import Mover
from galene.simulation.plant import (
    BYPASS_SHARE,
    PASSAGE_CD,
    PLATE_END_DEG,
    REFERENCE_C,
    REFERENCE_KPA,
    SOAK_C,
    Plant,
)
from galene.simulation.sensing import Senses

TRIM_LIMIT, TOTAL_LIMIT = 25.0, 38.0
"""Percent that either trim may add or take, and both together."""
JUMP, RAMP = 0.5, 4.0
"""Percent by which the mixture jumps at a switch of the oxygen sensor, and moves in a second."""
LEARN_S = 12.0
IDLE_REACH_DEG = 0.6
"""How far the idle control reaches past what it has learned, degrees of the plate; it takes back
less than it adds, so that an engine cleaned without a relearn races until it has learned."""
TAKE_BACK_DEG = 0.25
LEARN_DEG_S = 0.02
BELIEVED_KPA = (8.0, 390.0)
"""Outside of this a pressure sensor is on a rail, and a substitute is taken."""
SMOKE_LIMIT = 1.25
"""Least air over fuel that a diesel's control allows."""
PROTECTIVE_PEDAL = 30.0
"""Percent of the pedal that counts at most while it protects itself."""
ACCESSORY_W = {"lamps": 150.0, "rear_heater": 220.0, "fan": 320.0, "air_conditioning": 1200.0}
"""What a load takes of the crank, with the generator's losses, W."""
ROOT_RT = math.sqrt(R_AIR * (REFERENCE_C + SOAK_C + KELVIN))
ROUTINES = {
    "idle_adaptation": "plate",
    "egr_valve_zero": "gas_valve",
    "memory_reset": "",
    "regeneration": "soot_filter",
}
"""Routines, and the nature of the part that each takes."""


@dataclass(kw_only=True)
class Wishes:
    """What the driver and the tester ask for.

    Parameters
    ----------
    pedal : percent
    hold_rpm : speed that the driver's foot holds, None where it does not
    commands : position in percent by actuator, while the tester holds it
    loads : accessories that are on
    road_nm : what the road asks of the crank
    """

    key: bool = False
    starter: bool = False
    pedal: float = 0.0
    hold_rpm: float | None = None
    commands: dict[str, float] = field(default_factory=dict)
    loads: set[str] = field(default_factory=set)
    road_nm: float = 0.0
    speed_kmh: float = 0.0


class Control:
    """One control unit on one engine.

    It knows its car: what it has learned fits what is wrong with it, but for what was lost.
    """

    def __init__(self, plant: Plant, condition: Condition, senses: Senses) -> None:
        self.plant, self.condition, self.senses = plant, condition, senses
        self.drive = Drive()
        self.throttle = Mover(condition.throttle)
        self.bypass = Mover(condition.bypass)
        self.valve = Mover(condition.valve)
        self.flaps = Mover(condition.flaps)
        self.set_plate()
        self.base_deg = self._angle_for(plant.idle_area_mm2, self.clean_table)
        fouled = self._angle_for(plant.idle_area_mm2 - condition.leak_mm2 * 0.9, self.table)
        known = 1.0 - condition.learned_lost
        self.learned_deg = (fouled - self.base_deg) * known
        self.idle_deg = 0.0
        self._watts = self._load_share = self._load_deg = 0.0
        if plant.family.throttle == "electronic" and not plant.diesel:
            whole = PLATE_END_DEG - plant.closed_deg
            self.throttle.position = (self.base_deg + self.learned_deg) / whole * 100
        if plant.diesel:
            self.throttle.position = 100.0
        self.idle_share = self._known_share() * known
        self.bypass.position = (BYPASS_SHARE + self.idle_share) * 100
        self.short_trim = 0.0
        self.long_trim = self._known_trim() * known
        self.leaning = True
        self._dull_s = 0.0
        self.shown_pedal = 0.0
        self.foot = 0.0
        self._foot_sum = 0.0
        self.governor = plant.idle_fuel_g_s
        self.valve_wish = 0.0
        self.valve_zero = 0.0
        self.counted_g = 0.0
        self.routine = ""
        self.routine_s = 0.0
        self.running_s = 0.0
        self.protective = False

    def _known_share(self) -> float:
        """By how much the idle air valve of a car that drives has opened further than a new
        one's."""
        plant = self.plant
        if "spool" not in plant.natures or not self.table:
            return 0.0
        closed = self._angle_for(plant.stop_area_mm2, self.clean_table)
        lacks = plant.stop_area_mm2 - self.plate_area(closed) - 0.9 * self.condition.leak_mm2
        opened = (BYPASS_SHARE * plant.idle_area_mm2 + lacks) / max(
            self.condition.bypass_open, 0.05
        )
        return min(0.6, max(-0.4, opened / plant.idle_area_mm2 - BYPASS_SHARE))

    def _known_trim(self) -> float:
        """The mixture that a car has learned which drives with these faults, percent."""
        plant, c = self.plant, self.condition
        if not plant.has_lambda or c.meter.dead is not None:
            return 0.0
        leak = orifice_g_s(c.leak_mm2 * PASSAGE_CD, REFERENCE_KPA, plant.idle_kpa, ROOT_RT)
        counted = c.meter.gain * max(0.3 * plant.idle_g_s, plant.idle_g_s - leak)
        return min(TRIM_LIMIT, max(-TRIM_LIMIT, 100 * (plant.idle_g_s / counted - 1)))

    def set_plate(self) -> None:
        """Take the plate as it is now: clean, fouled or cleaned again."""
        self.clean_table = self.plant.plate_table(0.0)
        self.table = self.plant.plate_table(self.condition.plate_deposit_mm)

    def _angle_for(self, area: float, table: tuple[float, ...]) -> float:
        """Degrees over the closed angle at which the plate opens `area` mm2."""
        if not table:
            return 0.0
        for step, (low, high) in enumerate(itertools.pairwise(table)):
            if low <= area < high:
                return (step + (area - low) / (high - low)) / 2
        return 0.0

    def plate_area(self, degrees: float) -> float:
        """Open area at an angle over the closed one, mm2."""
        table = self.table
        place = min(max(degrees, 0.0) * 2, len(table) - 1.001)
        step = int(place)
        return table[step] + (table[step + 1] - table[step]) * (place - step)

    # ---- one step

    def step(self, engine: Engine, wishes: Wishes) -> Drive:
        """What it does in one step of `STEP_S`."""
        drive = self.drive
        rpm, plant = self.senses.rpm, self.plant
        self.running_s = self.running_s + STEP_S if engine.running else 0.0
        drive.starter = wishes.starter and wishes.key
        watts = sum(ACCESSORY_W[load] for load in wishes.loads)
        drive.load_nm = wishes.road_nm
        if engine.running:
            drive.load_nm += watts / max(engine.speed, 30.0)
        if watts != self._watts:
            self._prepare(watts)
        pedal = self.shown_pedal = self._pedal(wishes, rpm)
        target = self._idle_target(wishes)
        idling = pedal < 0.5 and engine.running and wishes.road_nm <= 0
        self._air(drive, wishes, engine, pedal=pedal, error=target - rpm if idling else 0.0)
        if plant.diesel:
            self._diesel(drive, wishes, engine, pedal=pedal, target=target)
        else:
            self._petrol(drive, wishes, engine)
        drive.spark = 1.0
        if idling and not plant.diesel and plant.family.throttle != "cable":
            drive.spark = 1 + min(0.12, max(-0.12, 0.0012 * (target - rpm)))
        self._valve(drive, wishes, engine, pedal=pedal)
        self.flaps.move(wishes.commands.get(FLAPS, 100.0 if rpm > 2200 else 0.0))
        self._routine(engine)
        return drive

    def _prepare(self, watts: float) -> None:
        """What is switched on is told beforehand: so much more air as the load asks of the work."""
        plant = self.plant
        self._watts = watts
        if plant.diesel:
            return
        self._load_share = watts / (plant.efficiency * plant.heat_j_g * plant.idle_fuel_g_s)
        opened = self._angle_for(plant.idle_area_mm2 * (1 + self._load_share), self.clean_table)
        self._load_deg = opened - self.base_deg

    def _idle_target(self, wishes: Wishes) -> float:
        target = self.plant.idle_rpm
        target += 250 * max(0.0, (60 - self.senses.coolant_c) / 80)
        if "air_conditioning" in wishes.loads:
            target += 40
        if self.routine == "regeneration":
            target = max(target, 2.1 * self.plant.idle_rpm)
        return target

    def _pedal(self, wishes: Wishes, rpm: float) -> float:
        """The pedal in percent: as it is set, or as the foot that holds a speed sets it."""
        if wishes.hold_rpm is None:
            self.foot = self._foot_sum = 0.0
            pedal = wishes.pedal
        else:
            error = wishes.hold_rpm - rpm
            gain = 0.006 if self.plant.diesel else 0.004
            self._foot_sum = min(100.0, max(0.0, self._foot_sum + 0.35 * gain * error * STEP_S * 6))
            self.foot = min(100.0, max(0.0, self._foot_sum + gain * error))
            pedal = self.foot
        pedal *= self.condition.pedal_gain
        return min(pedal, PROTECTIVE_PEDAL) if self.protective else pedal

    def _air(
        self, drive: Drive, wishes: Wishes, engine: Engine, *, pedal: float, error: float
    ) -> None:
        """Throttle and bypass."""
        plant = self.plant
        testing = bool(wishes.commands)
        if plant.plate_mm is None:
            drive.plate_mm2 = plant.open_area_mm2
            return
        if plant.diesel:
            opening = wishes.commands.get(PLATE, 100.0 if wishes.key else 0.0)
            degrees = self.throttle.move(opening) * 0.8
            drive.plate_mm2 = self.plate_area(max(degrees, 2.0))
            return
        warm = self.senses.coolant_c > 70
        if plant.family.throttle == "cable":
            degrees = self.throttle.move(pedal) * 0.8
            closed = self._angle_for(plant.stop_area_mm2, self.clean_table)
            drive.plate_mm2 = self.plate_area(closed + degrees)
            if "spool" in plant.natures:
                self._bypass(drive, wishes, error=error, testing=testing)
            return
        # What is far too fast comes down by itself: an engine that coasts is not idling.
        coasting = error < -260
        if error and not testing and not (coasting and self.idle_deg <= 0):
            reach = self.idle_deg + 0.0011 * error * STEP_S * 1.6
            self.idle_deg = min(IDLE_REACH_DEG, max(-TAKE_BACK_DEG, reach))
            if warm and not wishes.loads and abs(error) < 400:
                moved = min(LEARN_DEG_S, max(-LEARN_DEG_S, self.idle_deg / LEARN_S))
                quick = 6.0 if self.routine == "idle_adaptation" else 1.0
                self.learned_deg += moved * STEP_S * quick
                self.idle_deg -= moved * STEP_S * quick
        help_deg = min(0.15, max(-0.15, 0.0008 * error)) if error and not testing else 0.0
        cold = max(0.0, (60 - self.senses.coolant_c) / 80) * 1.3
        first = 0.9 * max(0.0, 1 - self.running_s / 4) if wishes.key else 0.0
        idle = self.base_deg + self.learned_deg + self.idle_deg + help_deg + cold + first
        idle += self._load_deg
        most = PLATE_END_DEG - self.plant.closed_deg
        wished = idle + pedal / 100 * (most - idle)
        wished = wishes.commands.get(PLATE, wished / most * 100) / 100 * most
        scale = 100 / most
        drive.plate_mm2 = self.plate_area(self.throttle.move(wished * scale) / scale)

    def _bypass(self, drive: Drive, wishes: Wishes, *, error: float, testing: bool) -> None:
        """The idle air valve: its share of what it can open, 40 % at a sound idle."""
        whole = self.plant.idle_area_mm2
        if error and not testing and error > -300:
            self.idle_share = min(0.6, max(-0.4, self.idle_share + 0.00035 * error * STEP_S * 3))
        quick = min(0.08, max(-0.08, 0.0004 * error)) if not testing else 0.0
        cold = max(0.0, (60 - self.senses.coolant_c) / 80) * 0.5
        wished = (BYPASS_SHARE + self.idle_share + quick + cold + self._load_share) * 100
        moved = self.bypass.move(wishes.commands.get(BYPASS, wished))
        drive.bypass_mm2 = whole * moved / 100 * self.condition.bypass_open

    # ---- mixture

    def _petrol(self, drive: Drive, wishes: Wishes, engine: Engine) -> None:
        plant, senses = self.plant, self.senses
        if not wishes.key or (not engine.running and not wishes.starter):
            drive.fuel_g_s = self.counted_g = 0.0
            return
        if "main_meter" in plant.natures and (senses.meter_alive or not engine.running):
            # What it has counted in and not yet given to the cylinders.
            fill = plant.volumetric_efficiency * plant.cylinder_m3_rad * engine.speed
            share = fill / plant.manifold_m3
            if not self.counted_g:
                self.counted_g = senses.baro_kpa * plant.manifold_m3 * 1e6 / (R_AIR * 300.0)
            net = senses.air_g_s - self.counted_g * share
            self.counted_g += net * STEP_S / (1 + share * STEP_S)
            air = self.counted_g * share
        else:
            air = self._by_pressure()
        trims = 1 + (self.short_trim + self.long_trim) / 100 if plant.has_lambda else 1.0
        drive.fuel_g_s = max(0.0, air) / plant.stoich * trims
        if plant.has_lambda:
            self._trim(engine)

    def _by_pressure(self) -> float:
        """Air by speed and density, from the pressure that it sees, g/s."""
        plant, senses = self.plant, self.senses
        own = "reads_manifold" in plant.natures
        pressure = senses.manifold_kpa if own else senses.crankcase_kpa
        if not BELIEVED_KPA[0] < pressure < BELIEVED_KPA[1]:
            pressure = plant.idle_kpa if senses.rpm > 0.6 * plant.idle_rpm else senses.baro_kpa
        volume = plant.cylinder_m3_rad * senses.rpm * 0.10472
        kelvin = senses.intake_c + KELVIN
        return plant.volumetric_efficiency * pressure * volume * 1e6 / (R_AIR * kelvin)

    def _trim(self, engine: Engine) -> None:
        """The closed loop: switches at the sensor's middle, jumps and ramps; the long trim takes
        over what stays."""
        if self.running_s < 4 or self.senses.coolant_c < 40:
            self.short_trim = 0.0
            return
        volts = self.senses.oxygen_v
        self._dull_s = self._dull_s + STEP_S if abs(volts - 0.45) < 0.09 else 0.0
        if self._dull_s > 5:
            # A sensor that says neither rich nor lean is not believed: the loop stays open.
            self.short_trim = 0.0
            return
        lean = volts < 0.45
        move = RAMP * STEP_S if lean else -RAMP * STEP_S
        if lean != self.leaning:
            self.leaning = lean
            move += JUMP if lean else -JUMP
        most = min(TRIM_LIMIT, TOTAL_LIMIT - self.long_trim)
        least = max(-TRIM_LIMIT, -TOTAL_LIMIT - self.long_trim)
        self.short_trim = min(most, max(least, self.short_trim + move))
        taken = self.short_trim * STEP_S / 15.0
        self.long_trim = min(TRIM_LIMIT, max(-TRIM_LIMIT, self.long_trim + taken))
        self.short_trim -= taken

    def _diesel(
        self, drive: Drive, wishes: Wishes, engine: Engine, *, pedal: float, target: float
    ) -> None:
        plant, senses = self.plant, self.senses
        drive.boost_share = 0.0
        if not wishes.key:
            drive.fuel_g_s = 0.0
            return
        if wishes.starter and not engine.running:
            drive.fuel_g_s = plant.idle_fuel_g_s
            self.governor = plant.idle_fuel_g_s
            return
        if not engine.running:
            drive.fuel_g_s = 0.0
            return
        error = target - senses.rpm
        full = plant.full_fuel_g_s * min(1.2, senses.rpm / plant.full_rpm)
        self.governor += plant.idle_fuel_g_s * 0.004 * error * STEP_S
        self.governor = min(full, max(0.0, self.governor))
        fuel = max(0.0, self.governor + plant.idle_fuel_g_s * 0.004 * error) + pedal / 100 * full
        seen = self._by_boost()
        limit = seen / (plant.stoich * SMOKE_LIMIT)
        if self.protective:
            limit *= 0.6
        drive.fuel_g_s = max(0.0, min(fuel, limit))

    def _by_boost(self) -> float:
        plant, senses = self.plant, self.senses
        pressure = senses.boost_kpa if "reads_boost" in plant.natures else senses.manifold_kpa
        if not BELIEVED_KPA[0] < pressure < BELIEVED_KPA[1]:
            pressure = senses.baro_kpa
        volume = plant.cylinder_m3_rad * senses.rpm * 0.10472
        return plant.volumetric_efficiency * pressure * volume * 1e6 / (R_AIR * 320.0)

    def _valve(self, drive: Drive, wishes: Wishes, engine: Engine, *, pedal: float) -> None:
        """Recirculation and charge pressure."""
        plant, senses = self.plant, self.senses
        if plant.boost_kpa:
            load = drive.fuel_g_s / plant.full_fuel_g_s
            begin, gain = (0.06, 1.15) if plant.diesel else (0.32, 1.6)
            share = min(1.0, max(0.0, (load - begin) * gain))
            if "reads_exhaust" in plant.natures and engine.running:
                # The vanes close until the exhaust shows its pressure: what reads low is overdriven
                # and what lags hunts.
                seen = senses.exhaust_kpa - senses.baro_kpa
                due = engine.exhaust_kpa - engine.ambient_kpa
                if due > 15:
                    share *= min(1.0, max(0.3, 1 - 0.7 * abs(seen - due) / due))
            drive.boost_share = share
        if not plant.passage_mm2:
            return
        wanted = 0.0
        if engine.running and senses.coolant_c > 60 and pedal > 3:
            wanted = 45.0 if pedal < 55 else max(0.0, 45.0 - 2 * (pedal - 55))
            if not plant.diesel:
                # Standing still, a petrol engine is led no gas back.
                wanted = 0.6 * wanted if wishes.speed_kmh > 5 else 0.0
        if plant.diesel and wanted and senses.meter_alive:
            # Air goes first: gas is led back only while enough is left over for the fuel.
            left_over = senses.air_g_s / (plant.stoich * max(drive.fuel_g_s, 1e-6))
            wanted *= min(1.0, max(0.0, (left_over - 1.2) / 0.6))
        if plant.venturi and wanted:
            due = wanted / 45.0 * plant.idle_g_s * 0.35
            self.valve_wish += 0.6 * (due - senses.dp_flow_g_s(engine)) * STEP_S
            self.valve_wish = min(100.0 - wanted, max(-0.95 * wanted, self.valve_wish))
            wanted += self.valve_wish
        else:
            self.valve_wish = 0.0
        drive.vanes = wanted > 0 or GAS_VALVE in wishes.commands
        position = self.valve.move(wishes.commands.get(GAS_VALVE, wanted))
        drive.valve_share = position / 100

    # ---- routines

    def begin(self, routine: str) -> None:
        """Begin a routine of `ROUTINES`."""
        self.routine, self.routine_s = routine, 0.0
        if routine == "memory_reset":
            self.short_trim = self.long_trim = self.learned_deg = self.idle_deg = 0.0
            self.routine = ""
        if routine == "egr_valve_zero":
            # Where it rests now counts as shut: on a valve that carbon holds open, that hides it.
            self.valve_zero = self.valve.position
            self.routine = ""

    def forget(self) -> None:
        """Without battery: what was learned is gone."""
        self.short_trim = self.long_trim = self.learned_deg = self.idle_deg = 0.0
        self.idle_share = self.valve_wish = 0.0

    def _routine(self, engine: Engine) -> None:
        self.drive.burner_g_s, self.drive.late = 0.0, False
        if not self.routine:
            return
        self.routine_s += STEP_S
        if self.routine == "regeneration":
            self.drive.late = True
            self.drive.burner_g_s = 1.0 if engine.before_catalyst_c > 245 else 0.0
            if engine.soot < 0.06 or self.routine_s > 3000 or not engine.running:
                self.routine = ""
        elif self.routine_s > 90 or not engine.running:
            self.routine = ""
