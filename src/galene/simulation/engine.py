"""A mean-value engine: filling and emptying of the manifold, torque, crank, turbine, exhaust.

Sources: Heywood, *Internal Combustion Engine Fundamentals*, chapters 6, 13 and appendix C; Guzzella
and Onder, *Introduction to Modeling and Control of Internal Combustion Engine Systems*, chapter 2;
Hendricks and Sorenson, "Mean value modelling of spark ignition engines" (SAE 900616).
"""

import math
from dataclasses import dataclass
from random import Random

from galene.core.flow import CRITICAL_RATIO, GAMMA, KELVIN, PSI_MAX, R_AIR
from galene.simulation.condition import Condition
from galene.simulation.plant import (
    IDLE_EXHAUST_KPA,
    PASSAGE_CD,
    PLATE_CD,
    SOAK_C,
    Plant,
)

STEP_S, SLOW_STEPS = 0.01, 10
LAMINAR = 0.995
"""Pressure ratio above which an orifice is taken as linear, so that it has a slope where nothing
flows (Guzzella and Onder, 2.3.2)."""
RATIO_POWER, ROOT_POWER = 2 / GAMMA, (GAMMA + 1) / GAMMA
FLOW_FACTOR = 2 * GAMMA / (GAMMA - 1)
LEAST_DROP_KPA = 0.02
"""Drop below which a flow's slope grows no further."""
DILUTION, DILUTION_LIMIT = 0.9, 0.45
"""Work that a burnt share in the charge takes, and the share at which it burns no more (Heywood,
9.3.3: burning slows about in proportion until it fails). The slope fits the trade's own flow test,
in which 0.218 takes a held idle from 720 to 560 rpm."""
STALL_SHARE = 0.45
"""Share of the idle speed under which it does not catch itself."""
STARTER_RPM, STARTER_NM_L = 260.0, 75.0
LEAN_END, RICH_END = 1.35, 0.62
"""Air over fuel, against the right share, at which petrol burns no more."""
LATE_C = 130.0
"""By how much late injection heats the exhaust while the filter burns off (project default)."""
CATALYST_S, FILTER_S = 25.0, 45.0
LIGHT_OFF_C, BURNER_RISE_C = 240.0, 330.0
"""Where exhaust fuel burns in the catalyst, and by how much it then warms the gas."""
EGR_MARGIN_KPA = 7.0
"""By which the vanes keep the exhaust above the charge while gas is led back (project default)."""
EGR_IDLE_C, EGR_COOLED_C = 190.0, 120.0


def _laminar() -> float:
    ratio = LAMINAR
    return math.sqrt(FLOW_FACTOR * (ratio**RATIO_POWER - ratio**ROOT_POWER)) / (1 - LAMINAR)


LAMINAR_SLOPE = _laminar()


def orifice_g_s(cd_area: float, up_kpa: float, down_kpa: float, root_rt: float) -> float:
    """Flow in g/s through `cd_area` (mm2, with its discharge coefficient); none against the slope.

    Parameters
    ----------
    root_rt : square root of R T before it, m/s
    """
    ratio = down_kpa / up_kpa
    if ratio <= CRITICAL_RATIO:
        share = PSI_MAX
    elif ratio >= 1.0:
        return 0.0
    elif ratio > LAMINAR:
        share = LAMINAR_SLOPE * (1.0 - ratio)
    else:
        share = math.sqrt(FLOW_FACTOR * (ratio**RATIO_POWER - ratio**ROOT_POWER))
    return cd_area * up_kpa * share / root_rt


@dataclass(kw_only=True, slots=True)
class Drive:
    """What the control unit and the driver do to the engine in one step.

    Parameters
    ----------
    plate_mm2, bypass_mm2 : open areas of throttle and bypass
    valve_share : open share of the recirculation valve, 0 to 1
    fuel_g_s : fuel into the cylinders
    spark : share of the work that the ignition takes, about 1
    burner_g_s : fuel into the exhaust
    late : whether it is injected late, so that the exhaust grows hot
    boost_share : share of the charge pressure that is asked for
    vanes : whether the turbine holds the exhaust over the charge, so that gas flows back
    load_nm : what accessories and the road ask of the crank
    starter : whether it is cranked
    """

    plate_mm2: float = 0.0
    bypass_mm2: float = 0.0
    valve_share: float = 0.0
    fuel_g_s: float = 0.0
    spark: float = 1.0
    burner_g_s: float = 0.0
    late: bool = False
    boost_share: float = 0.0
    vanes: bool = False
    load_nm: float = 0.0
    starter: bool = False


@dataclass(kw_only=True, slots=True)
class Flows:
    """Flows of the last step, g/s, and what came of them."""

    throttle: float = 0.0
    leak: float = 0.0
    recirculated: float = 0.0
    cylinders: float = 0.0
    boost_leak: float = 0.0
    torque_nm: float = 0.0
    friction_nm: float = 0.0
    load_nm: float = 0.0
    air_fuel: float = 1.0
    fresh: float = 0.0


class Engine:
    """The state of one engine, moved on by `step`.

    Parameters
    ----------
    plant, condition : what it is and what is wrong with it
    ambient_kpa, ambient_c : the air outside
    warm : whether it begins at working heat
    seed : of its uneven running
    """

    def __init__(
        self,
        plant: Plant,
        condition: Condition,
        *,
        ambient_kpa: float,
        ambient_c: float,
        warm: bool,
        seed: int,
    ) -> None:
        self.plant, self.condition = plant, condition
        self.ambient_kpa, self.ambient_c = ambient_kpa, ambient_c
        self.chance = Random(seed)
        self.flows = Flows()
        self.coolant_c = 90.0 if warm else ambient_c
        self.coolant = 1.0
        """Share of the coolant that is there."""
        self.soak_c = SOAK_C if warm else 0.0
        self.speed = 0.0
        """Of the crank, rad/s."""
        self.running = False
        self.stalled = False
        self.charge_kpa = ambient_kpa
        self.filter_drop_kpa = 0.0
        self.exhaust_kpa = ambient_kpa
        self.exhaust_c = ambient_c
        self.exhaust_burnt = 1.0
        """Share of burnt gas in the exhaust: all of it where petrol burns without air left over."""
        self.before_catalyst_c = 180.0 if warm else ambient_c
        self.before_filter_c = 170.0 if warm else ambient_c
        self.after_filter_c = 160.0 if warm else ambient_c
        self.soot = 0.5
        self.valve_gas_c = EGR_IDLE_C if warm else ambient_c
        kelvin = self.intake_c + KELVIN
        self.mass_g = ambient_kpa * plant.manifold_m3 * 1e6 / (R_AIR * kelvin)
        self.heat = self.mass_g * kelvin
        """Mass times temperature of what is in the manifold, g K: its inner energy by cv."""
        self.burnt_g = 0.0
        self._until_slow = SLOW_STEPS
        self._pressure_by_heat = R_AIR / (plant.manifold_m3 * 1e6)

    # ---- what can be read

    @property
    def rpm(self) -> float:
        """Speed of the crank, 1/min."""
        return self.speed * 30 / math.pi

    @property
    def manifold_kpa(self) -> float:
        """Pressure behind the throttle, kPa absolute."""
        return self.heat * self._pressure_by_heat

    @property
    def charge_c(self) -> float:
        """Temperature of what the cylinders take in, degrees C."""
        return self.heat / self.mass_g - KELVIN

    @property
    def intake_c(self) -> float:
        """Temperature of the air before recirculated gas joins it, degrees C."""
        return self.ambient_c + self.soak_c

    def passage_cd_mm2(self, valve_share: float) -> float:
        """Open area for recirculated gas, mm2 with its discharge coefficient: valve, cooler and
        passage one after the other, of which the clean passage is the narrowest."""
        c = self.condition
        if valve_share < 0.002 or not self.plant.passage_mm2:
            return 0.0
        shares = (c.passage_open, min(1.0, valve_share), c.cooler_open)
        # The family's area is that of the clean three together; what narrows one adds to it.
        resistance = 1 / shares[0] ** 2 + (1 / shares[1] ** 2 - 1) + (1 / shares[2] ** 2 - 1)
        return PASSAGE_CD * self.plant.passage_mm2 / math.sqrt(resistance)

    # ---- one step

    def step(self, drive: Drive) -> None:
        """Move on by `STEP_S`."""
        share = self.burnt_g / self.mass_g
        self._manifold(drive, share, STEP_S)
        self._crank(drive, share, STEP_S)
        self._exhaust(drive, STEP_S)
        # What takes seconds is moved on ten times a second only.
        self._until_slow -= 1
        if self._until_slow <= 0:
            self._until_slow = SLOW_STEPS
            self._heat(STEP_S * SLOW_STEPS)
            if self.plant.diesel:
                self._aftertreatment(drive, STEP_S * SLOW_STEPS)

    def _manifold(self, drive: Drive, share: float, dt: float) -> None:
        """Fill and empty the manifold; `share` of what is in it is burnt.

        Implicit in the pressure: each flow gives way by its slope, so that mass and heat balance to
        the last figure whatever the step.
        """
        plant, c, flows = self.plant, self.condition, self.flows
        intake_k = self.ambient_c + self.soak_c + KELVIN
        gas_k = self.valve_gas_c + KELVIN
        root_rt = math.sqrt(R_AIR * intake_k)
        before = self._before_throttle(drive, dt)
        if self.heat * self._pressure_by_heat > before:
            self._blow_back(drive, before, dt)
        pressure = self.heat * self._pressure_by_heat
        kelvin = self.heat / self.mass_g
        area = PLATE_CD * (drive.plate_mm2 + drive.bypass_mm2)
        air = orifice_g_s(area, before, pressure, root_rt)
        leak = orifice_g_s(c.leak_mm2 * PASSAGE_CD, self.ambient_kpa, pressure, root_rt)
        passage = self.passage_cd_mm2(drive.valve_share)
        led_back = (
            orifice_g_s(passage, self.exhaust_kpa, pressure, math.sqrt(R_AIR * gas_k))
            if passage
            else 0.0
        )
        filling = plant.volumetric_efficiency * c.breathing * self._breath()
        sweep = plant.cylinder_m3_rad * self.speed
        taken = filling * pressure * sweep * 1e6 / (R_AIR * kelvin)
        air_slope = air / max(before - pressure, LEAST_DROP_KPA)
        leak_slope = leak / max(self.ambient_kpa - pressure, LEAST_DROP_KPA)
        back_slope = led_back / max(self.exhaust_kpa - pressure, LEAST_DROP_KPA)
        gain = dt * GAMMA * self._pressure_by_heat
        rate = (air + leak) * intake_k + led_back * gas_k - taken * kelvin
        slope = (air_slope + leak_slope) * intake_k + back_slope * gas_k + taken * kelvin / pressure
        rise = gain * rate / (1 + gain * slope)
        air -= air_slope * rise
        leak -= leak_slope * rise
        led_back -= back_slope * rise
        taken *= 1 + rise / pressure
        self.mass_g += dt * (air + leak + led_back - taken)
        self.heat += dt * GAMMA * ((air + leak) * intake_k + led_back * gas_k - taken * kelvin)
        self.burnt_g += dt * (led_back * self.exhaust_burnt - share * taken)
        flows.throttle, flows.leak, flows.recirculated = air, leak, led_back
        flows.cylinders, flows.fresh = taken, taken * (1 - share)

    def _blow_back(self, drive: Drive, before: float, dt: float) -> None:
        """Gas that leaves the manifold against the way of the air, once more is in it than
        before."""
        pressure, kelvin = self.heat * self._pressure_by_heat, self.heat / self.mass_g
        area = PLATE_CD * (drive.plate_mm2 + drive.bypass_mm2)
        back = orifice_g_s(area, pressure, before, math.sqrt(R_AIR * kelvin))
        balance = (pressure - before) / (self._pressure_by_heat * GAMMA * kelvin)
        gone = min(back * dt, 0.5 * balance)
        share = self.burnt_g / self.mass_g
        self.mass_g -= gone
        self.heat -= GAMMA * gone * kelvin
        self.burnt_g -= gone * share

    def _breath(self) -> float:
        """How the cylinders fill less at high speed (Heywood, 6.2.3; project figures)."""
        over = self.speed - 420.0
        return 1.0 - 0.0009 * over if over > 0 else 1.0

    def _before_throttle(self, drive: Drive, dt: float) -> float:
        """Pressure before the throttle: ambient less the filter's drop, or what the turbine
        makes."""
        plant, c = self.plant, self.condition
        flow = self.flows.throttle + self.flows.boost_leak
        full = plant.full_fuel_g_s * plant.stoich
        drop = min(0.3 * self.ambient_kpa, c.filter_kpa * (flow / full) ** 2)
        self.filter_drop_kpa += (drop - self.filter_drop_kpa) * dt / 0.15
        inlet = self.ambient_kpa - self.filter_drop_kpa
        if not plant.boost_kpa:
            return inlet
        made = plant.boost_kpa * drive.boost_share * c.turbo
        self.flows.boost_leak = 0.0
        if c.boost_leak_mm2:
            root_rt = math.sqrt(R_AIR * (self.intake_c + KELVIN))
            lost = orifice_g_s(
                PASSAGE_CD * c.boost_leak_mm2, self.charge_kpa, self.ambient_kpa, root_rt
            )
            self.flows.boost_leak = lost
            made *= max(0.1, self.flows.throttle) / (max(0.1, self.flows.throttle) + lost)
        slow = 0.35 + 0.9 * (1 - drive.boost_share)
        self.charge_kpa += (inlet + made - self.charge_kpa) * dt / slow
        return self.charge_kpa

    def _crank(self, drive: Drive, share: float, dt: float) -> None:
        plant, c, flows = self.plant, self.condition, self.flows
        speed = self.speed
        friction = plant.friction_nm * self._friction()
        displacement = plant.cylinder_m3_rad
        pumping = 0.0
        if plant.strokes == 4:
            pumping = max(0.0, self.exhaust_kpa - self.heat * self._pressure_by_heat) * displacement
            pumping *= 1e3
        work = 0.0
        if self.running and speed > 1.0:
            work = self._burnt(drive, share) * plant.efficiency * plant.heat_j_g / speed
            work *= drive.spark * c.power
            rough = plant.friction_nm * 0.05 + c.roughness_nm
            work += self.chance.gauss(0.0, rough)
        flows.torque_nm, flows.friction_nm = work - pumping, friction
        flows.load_nm = drive.load_nm
        torque = flows.torque_nm - drive.load_nm
        if drive.starter:
            torque += (
                max(0.0, 1 - self.rpm / STARTER_RPM)
                * STARTER_NM_L
                * (plant.cylinder_m3_rad * 4e3 * math.pi + 0.3)
            )
            if self.rpm > STARTER_RPM * 0.5 and drive.fuel_g_s > 0:
                self.running, self.stalled = True, False
        after = speed + dt * (torque - friction) / plant.inertia_kg_m2
        self.speed = max(0.0, after)
        limit = plant.idle_rpm * STALL_SHARE
        if self.running and not drive.starter and self.rpm < limit:
            self.running, self.stalled = False, True
        if drive.fuel_g_s <= 0 and self.running and self.rpm < limit * 1.3:
            self.running = False

    def _friction(self) -> float:
        """Friction against that at idle: grows with speed, more when cold (Heywood, 13.5)."""
        thousands = (self.rpm - self.plant.idle_rpm) / 1000
        cold = 1 + max(0.0, 80 - self.coolant_c) / 90
        return cold * max(0.7, 1 + 0.13 * thousands + 0.03 * thousands * max(thousands, 0.0))

    def _burnt(self, drive: Drive, share: float) -> float:
        """Fuel that burns, g/s."""
        plant, flows = self.plant, self.flows
        fuel = drive.fuel_g_s
        if fuel <= 1e-9:
            flows.air_fuel = 3.0
            return 0.0
        air_fuel = flows.fresh / (plant.stoich * fuel)
        flows.air_fuel = air_fuel
        dilution = max(0.0, 1 - DILUTION * share) if share < DILUTION_LIMIT else 0.0
        if plant.diesel:
            return min(fuel, fuel * air_fuel / 1.05) * max(0.3, 1 - 0.5 * share * share)
        if air_fuel >= LEAN_END or air_fuel <= RICH_END:
            return 0.0
        lean = 1.0 if air_fuel <= 1.05 else 1 - ((air_fuel - 1.05) / (LEAN_END - 1.05)) ** 2
        rich = 1.0 if air_fuel >= 0.85 else 1 - ((0.85 - air_fuel) / (0.85 - RICH_END)) ** 2
        return min(fuel, flows.fresh / plant.stoich) * dilution * lean * rich

    def _exhaust(self, drive: Drive, dt: float) -> None:
        plant, flows = self.plant, self.flows
        gas = max(0.0, flows.cylinders - flows.recirculated + drive.fuel_g_s)
        back = IDLE_EXHAUST_KPA * (gas / plant.idle_g_s) ** 0.9 if gas > 0 else 0.0
        if plant.diesel:
            back *= 1 + 0.6 * self.soot
            if drive.vanes and self.running:
                back = max(back, self.charge_kpa - self.ambient_kpa + EGR_MARGIN_KPA)
        elif plant.boost_kpa:
            back = max(back, 0.9 * (self.charge_kpa - self.ambient_kpa))
        self.exhaust_kpa += (self.ambient_kpa + back - self.exhaust_kpa) * min(1.0, dt / 0.08)
        if gas > 0 and self.running:
            burnt = (flows.cylinders - flows.fresh) + (plant.stoich + 1) * drive.fuel_g_s
            burnt /= max(flows.cylinders + drive.fuel_g_s, 1e-6)
            self.exhaust_burnt += (min(1.0, burnt) - self.exhaust_burnt) * dt / 0.1
        if self.running:
            rich = 1 / max(flows.air_fuel, 0.8)
            if plant.diesel:
                hot = 130 + 430 * rich + (LATE_C if drive.late else 0.0)
            else:
                hot = 420 + 9 * (gas / plant.idle_g_s) ** 0.8
        else:
            hot = self.ambient_c
        slow = dt / 6.0
        self.exhaust_c += (hot - self.exhaust_c) * slow
        if plant.passage_mm2:
            target = EGR_COOLED_C if plant.diesel else EGR_IDLE_C
            heat = target + 0.12 * (self.exhaust_c - (230 if plant.diesel else 429))
            if plant.diesel:
                heat += 90.0 * (1 - self.condition.cooler_open)
            if not self.running:
                heat = max(self.ambient_c, 0.4 * heat)
            self.valve_gas_c += (heat - self.valve_gas_c) * dt / 8.0

    def _aftertreatment(self, drive: Drive, dt: float) -> None:
        """Temperatures along catalyst and filter, and the soot in it."""
        self.before_catalyst_c += (self.exhaust_c - self.before_catalyst_c) * dt / 10.0
        lit = self.before_catalyst_c > LIGHT_OFF_C
        rise = 0.0
        if drive.burner_g_s > 0 and lit:
            rise = BURNER_RISE_C * drive.burner_g_s * self.condition.burner
        target = self.before_catalyst_c - 8 + rise
        self.before_filter_c += (target - self.before_filter_c) * dt / CATALYST_S
        burning = max(0.0, self.before_filter_c - 500.0) / 100.0 * self.soot
        self.after_filter_c += (
            (self.before_filter_c - 12 + 25 * burning - self.after_filter_c) * dt / FILTER_S
        )
        if self.running:
            sooting = 1.5e-5 / max(self.flows.air_fuel - 0.8, 0.2)
            self.soot += dt * (sooting - burning / 500.0)
        self.soot = min(1.5, max(0.02, self.soot))

    def _heat(self, dt: float) -> None:
        """Coolant and the air that the intake warms."""
        if self.running:
            goal = 92.0 if self.plant.family.cooling == "liquid" else 105.0
            self.coolant_c += (goal - self.coolant_c) * dt / 260.0
            flow = self.flows.throttle / self.plant.idle_g_s
            soak = SOAK_C * min(1.0, self.coolant_c / 90.0) / max(0.6, flow) ** 0.5
            if self.plant.boost_kpa:
                soak = soak * 0.6 + 0.16 * max(0.0, self.charge_kpa - self.ambient_kpa)
            self.soak_c += (soak - self.soak_c) * dt / 30.0
        else:
            self.coolant_c += (self.ambient_c - self.coolant_c) * dt / 7000.0
        if self.condition.coolant_loss:
            self.coolant = max(0.0, self.coolant - self.condition.coolant_loss * dt / 3600.0)
