"""Air through restrictions and into cylinders: the physics that the calculations share.

Sources: isentropic orifice flow after Heywood, *Internal Combustion Engine Fundamentals*, appendix
C; standard atmosphere after ISO 2533 (troposphere).
"""

import math

R_AIR = 287.05
"""Gas constant of dry air, J/(kg K)."""
GAMMA: float = 1.4
"""Ratio of specific heats of air."""
STANDARD_KPA = 101.325
"""Standard pressure at sea level, kPa."""
KELVIN = 273.15
CRITICAL_RATIO: float = (2 / (GAMMA + 1)) ** (GAMMA / (GAMMA - 1))
"""Downstream over upstream pressure below which the flow is choked, 0.528."""
PSI_MAX: float = math.sqrt(GAMMA) * (2 / (GAMMA + 1)) ** ((GAMMA + 1) / (2 * (GAMMA - 1)))
"""Flow function of choked flow, 0.6847."""


def psi(ratio: float) -> float:
    """Flow function of an orifice.

    Parameters
    ----------
    ratio : float
        Downstream over upstream absolute pressure, 0 to 1.

    Returns
    -------
    float
        Psi, dimensionless: mass flow = Cd A p_up / sqrt(R T_up) * Psi.

    Examples
    --------
    >>> round(psi(0.3), 4), psi(1.0)
    (0.6847, 0.0)
    """
    if ratio <= CRITICAL_RATIO:
        return PSI_MAX
    if ratio >= 1:
        return 0.0
    difference: float = ratio ** (2 / GAMMA) - ratio ** ((GAMMA + 1) / GAMMA)
    return math.sqrt(2 * GAMMA / (GAMMA - 1) * difference)


def orifice_area_mm2(
    mass_g_s: float, up_kpa: float, down_kpa: float, *, up_c: float, discharge_coefficient: float
) -> float:
    """Geometric area in mm2 that passes `mass_g_s` (g/s) from `up_kpa` to `down_kpa` (kPa
    absolute).

    `up_c` is the upstream temperature in degrees C. The pressures must differ (``down_kpa <
    up_kpa``).

    Parameters
    ----------
    mass_g_s : flow, g/s
    up_kpa, down_kpa : pressures before and behind, kPa absolute
    up_c : temperature before it, degrees C
    discharge_coefficient : 0.3 to 1
    """
    speed = math.sqrt(R_AIR * (up_c + KELVIN))
    area: float = (
        (mass_g_s * 1e-3)
        * speed
        / (discharge_coefficient * up_kpa * 1e3 * psi(down_kpa / up_kpa))
        * 1e6
    )
    return area


def charge_flow_g_s(
    displacement_l: float,
    rpm: float,
    map_kpa: float,
    *,
    charge_c: float,
    volumetric_efficiency: float,
    strokes: int = 4,
) -> float:
    """Gas that the cylinders take in, g/s (speed-density: VE p V N / (c 60 R T), c = 2 four-stroke,
    1 two-stroke).

    Parameters
    ----------
    displacement_l : litres
    rpm : engine speed, 1/min
    map_kpa : manifold pressure, kPa absolute
    charge_c : of the charge at the ports, degrees C
    volumetric_efficiency : a share
    strokes : 2 or 4
    """
    turns_per_charge = 2 if strokes == 4 else 1
    volume_m3_s = displacement_l * 1e-3 * rpm / (60 * turns_per_charge)
    return volumetric_efficiency * map_kpa * 1e3 * volume_m3_s / (R_AIR * (charge_c + KELVIN)) * 1e3


def standard_pressure_kpa(altitude_m: float) -> float:
    """Pressure of the standard atmosphere in kPa at `altitude_m` metres (ISO 2533, troposphere).

    Parameters
    ----------
    altitude_m : height above the sea, -430 to 11000 m
    """
    pressure: float = STANDARD_KPA * (1 - 2.25577e-5 * altitude_m) ** 5.25588
    return pressure
