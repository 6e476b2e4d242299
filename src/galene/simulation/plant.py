"""The engine as physics needs it: one set of figures, made of what its family says."""

import math
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is, natures_of
from galene.core.calculations.idle_gap import plate_open_area_mm2
from galene.core.flow import charge_flow_g_s, orifice_area_mm2

REFERENCE_KPA, REFERENCE_C = 101.1, 19.0
"""The air in which a family's bands were read."""
PETROL_STOICH, DIESEL_STOICH = 14.7, 14.5
PETROL_J_G, DIESEL_J_G = 43_500.0, 42_800.0
"""Air to fuel by mass and lower heating values (Heywood, table D.4)."""
PLATE_CD = 0.82
"""Discharge coefficient of the plate, as `idle-gap` takes it."""
PASSAGE_CD = 0.8
"""Of the recirculation passage, as `egr-flow-test` takes it."""
IDLE_EXHAUST_KPA = 2.0
"""Exhaust above ambient at a warm idle, as `egr-flow-test` says."""
SOAK_C = 12.0
"""How much the intake warms the air at a warm idle, as `egr-flow-test` says."""
TWO_STROKE_IDLE_KPA = 60.0
"""Mean pressure behind the throttle of a small two-stroke at idle (project default)."""
BYPASS_SHARE = 0.4
"""Share of the idle air that goes through the idle air valve of a sound engine, and how far the
valve stands open then."""
PLATE_END_DEG = 84.0
"""Where a plate stops when it is fully open."""
STEPS = 180
"""Steps of the table of plate angles, half a degree each."""


@dataclass(frozen=True, kw_only=True)
class Plant:
    """Constants of one engine.

    Parameters
    ----------
    strokes : 2 or 4
    cylinder_m3_rad : volume that the cylinders sweep for a charge, a radian of crank, m3
    manifold_m3 : volume behind the throttle, m3
    inertia_kg_m2 : of crank, wheel and what turns with them
    friction_nm : at idle, without pumping: what the family's own idle leaves over
    idle_g_s : fresh air of a sound idle, g/s
    idle_fuel_g_s : fuel of a sound idle, g/s
    plate_mm, closed_deg, degrees_per_percent : of the throttle; `plate_mm` None without one
    idle_area_mm2 : open area that the idle needs
    stop_area_mm2 : what a cable throttle's stop screw leaves open
    passage_mm2 : clean recirculation passage, 0 where there is none
    boost_kpa : charge pressure over ambient at full load, 0 without turbine
    full_fuel_g_s : fuel at full load where that boost is reached, g/s
    """

    family: EngineFamily
    natures: frozenset[str]
    diesel: bool
    strokes: int
    cylinder_m3_rad: float
    manifold_m3: float
    volumetric_efficiency: float
    inertia_kg_m2: float
    friction_nm: float
    efficiency: float
    idle_rpm: float
    idle_kpa: float
    idle_g_s: float
    idle_fuel_g_s: float
    plate_mm: float | None
    closed_deg: float
    degrees_per_percent: float
    idle_area_mm2: float
    stop_area_mm2: float
    open_area_mm2: float
    passage_mm2: float
    venturi: bool
    boost_kpa: float
    full_fuel_g_s: float
    full_rpm: float
    battery_v: float

    @property
    def stoich(self) -> float:
        """Air to fuel by mass."""
        return DIESEL_STOICH if self.diesel else PETROL_STOICH

    @property
    def heat_j_g(self) -> float:
        """Heat of the fuel, J/g."""
        return DIESEL_J_G if self.diesel else PETROL_J_G

    @property
    def has_lambda(self) -> bool:
        """Whether an oxygen sensor closes the loop."""
        return "oxygen" in self.natures

    def plate_table(self, deposit_mm: float) -> tuple[float, ...]:
        """Open area in mm2 by plate angle, from the closed angle on in half degrees.

        Parameters
        ----------
        deposit_mm : deposit of bore and plate edge together, mm
        """
        if self.plate_mm is None:
            return ()
        return tuple(
            plate_open_area_mm2(
                self.plate_mm,
                self.closed_deg,
                min(89.9, self.closed_deg + step / 2),
                deposit_mm=deposit_mm,
            )
            for step in range(STEPS)
        )


def _middle(family: EngineFamily, band: str, otherwise: float) -> float:
    found = family.bands.get(band)
    if found is None or found.low is None or found.high is None:
        return otherwise
    return (found.low + found.high) / 2


def _plate(family: EngineFamily) -> float | None:
    return next((p.bore_mm for p in family.parts if kind_is(p.component, "plate")), None)


def plant_of(family: EngineFamily) -> Plant:
    """The plant of a family.

    Friction is what is left of the indicated work at the family's own idle, so that a sound engine
    idles where its bands say. Inertia by displacement and the rest of the defaults are the
    project's.

    Parameters
    ----------
    family : shipped or a workshop's own
    """
    natures = natures_of(p.component for p in family.parts)
    diesel = family.fuel == "diesel"
    strokes = 2 if family.cycle == "two_stroke" else 4
    idle_rpm = _middle(family, "idle_rpm", 1450.0 if strokes == 2 else 740.0)
    otherwise = TWO_STROKE_IDLE_KPA if strokes == 2 else 33.0
    idle_kpa = REFERENCE_KPA - 0.2 if diesel else _middle(family, "idle_map_kpa", otherwise)
    charge_c = REFERENCE_C + SOAK_C
    idle_g_s = charge_flow_g_s(
        family.displacement_l,
        idle_rpm,
        idle_kpa,
        charge_c=charge_c,
        volumetric_efficiency=family.volumetric_efficiency_idle,
        strokes=strokes,
    )
    efficiency = 0.36 if diesel else 0.2 if strokes == 2 else 0.28
    speed = idle_rpm * math.pi / 30
    displacement_m3 = family.displacement_l * 1e-3
    pumping = 0.0 if strokes == 2 else 1 / (4 * math.pi)
    pumping *= (REFERENCE_KPA + IDLE_EXHAUST_KPA - idle_kpa) * 1e3 * displacement_m3
    if diesel:
        friction = 150e3 * displacement_m3 / (4 * math.pi)
        idle_fuel = (friction + pumping) * speed / (efficiency * DIESEL_J_G)
    else:
        idle_fuel = idle_g_s / PETROL_STOICH
        friction = efficiency * PETROL_J_G * idle_fuel / speed - pumping
    needed = (
        0.0
        if diesel
        else orifice_area_mm2(
            idle_g_s,
            REFERENCE_KPA,
            idle_kpa,
            up_c=charge_c,
            discharge_coefficient=PLATE_CD,
        )
    )
    plate = _plate(family)
    cable = family.throttle == "cable"
    bypass = "spool" in natures
    passage = next(
        (p.bore_mm for p in family.parts if kind_is(p.component, "passage") and p.bore_mm), None
    )
    area = _middle(family, "egr_area_mm2", math.pi / 4 * (passage or 0.0) ** 2 * 0.35)
    turbo = "wheel" in natures
    boost = _middle(family, "boost_kpa", 205.0 if diesel else 175.0) - REFERENCE_KPA
    full_rpm = 1400.0 if family.displacement_l > 4 else 2400.0
    full_air = charge_flow_g_s(
        family.displacement_l,
        full_rpm,
        REFERENCE_KPA + (boost if turbo else 0.0),
        charge_c=45.0 if turbo else charge_c,
        volumetric_efficiency=family.volumetric_efficiency_idle,
        strokes=strokes,
    )
    full_fuel = full_air / (DIESEL_STOICH * 1.35 if diesel else PETROL_STOICH)
    return Plant(
        family=family,
        natures=natures,
        diesel=diesel,
        strokes=strokes,
        cylinder_m3_rad=displacement_m3 / (4 * math.pi if strokes == 4 else 2 * math.pi),
        manifold_m3=displacement_m3 * (1.6 if not diesel else 1.1) + 2e-4,
        volumetric_efficiency=family.volumetric_efficiency_idle,
        inertia_kg_m2=displacement_m3 * (180.0 if diesel else 95.0) + 0.004,
        friction_nm=friction,
        efficiency=efficiency,
        idle_rpm=idle_rpm,
        idle_kpa=idle_kpa,
        idle_g_s=idle_g_s,
        idle_fuel_g_s=idle_fuel,
        plate_mm=plate,
        closed_deg=family.closed_angle_deg,
        degrees_per_percent=family.degrees_per_percent,
        idle_area_mm2=needed,
        stop_area_mm2=needed * (1 - BYPASS_SHARE if bypass else 1.0) if cable else 0.0,
        open_area_mm2=math.pi / 4 * (plate or 15.0 * math.sqrt(family.displacement_l) * 2) ** 2,
        passage_mm2=area if "gas_valve" in natures else 0.0,
        venturi="dp_sensor" in natures,
        boost_kpa=boost if turbo else 0.0,
        full_fuel_g_s=full_fuel,
        full_rpm=full_rpm,
        battery_v=family.battery_v,
    )
