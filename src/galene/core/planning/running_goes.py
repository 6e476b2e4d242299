"""Liquid into a running engine and media onto valves: `ingestion-limit`, `blast-positions`."""

import math
from dataclasses import dataclass

from galene.core.calculations.ingestion_limit import IngestionInput, ingestion_limit
from galene.core.errors import require_range

HELD_RPM = 2000.0
"""Speed that a helper holds while an agent is drawn in (usual on labels of intake aerosols)."""
CAN_RATE_G_S = 2.0
"""What a can with its tube gives a second (project default; weighed before and after ten seconds it
is known)."""


def held_airflow(
    idle_low_g_s: float,
    idle_high_g_s: float,
    rpm_low: float,
    *,
    rpm_high: float,
    held_rpm: float = HELD_RPM,
) -> tuple[float, float]:
    """Air in g/s at a held speed without load, from the idle's bands: least and most.

    Parameters
    ----------
    idle_low_g_s, idle_high_g_s : band of the air at idle, g/s
    rpm_low, rpm_high : band of the idle speed, 1/min
    held_rpm : the speed that is held, 1/min

    Notes
    -----
    Without load the manifold stands near its idle pressure, so that the air goes with the speed.
    Both bands are carried whole: the least air at the highest idle, the most at the lowest.
    """
    require_range("rpm_low", rpm_low, 200, high=5000, unit="rpm")
    require_range("rpm_high", rpm_high, rpm_low, high=5000, unit="rpm")
    return idle_low_g_s * held_rpm / rpm_high, idle_high_g_s * held_rpm / rpm_low


@dataclass(frozen=True, kw_only=True)
class RunningBursts:
    """A plan of bursts: seconds of one and between two, minutes in all, share of one cylinder's
    clearance in a burst."""

    burst_s: float
    pause_s: float
    minutes: float
    share: float
    held_rpm: float
    can_rate_g_s: float


def running_bursts(
    airflow_g_s: float,
    displacement_l: float,
    cylinders: int,
    *,
    compression_ratio: float,
    amount_ml: float,
    water_based: bool,
    longest_s: float = 3.0,
    fuel: str = "petrol",
) -> RunningBursts:
    """The longest bursts, in half seconds up to `longest_s`, that `ingestion_limit` neither warns
    of nor refuses.

    Parameters
    ----------
    airflow_g_s : air at the held speed, g/s
    displacement_l : litres
    cylinders : how many
    compression_ratio : 4 to 30
    amount_ml : the whole dose, ml
    water_based : whether it burns not at all
    longest_s : the longest burst that is practical, s
    fuel : petrol or diesel

    Raises
    ------
    InputError
        Figures outside of what engines and cans have.
    """
    density = 1.0 if water_based else 0.74
    for halves in range(round(longest_s * 2), 0, -1):
        burst = halves / 2
        given = IngestionInput(
            airflow_g_s=airflow_g_s,
            can_rate_g_s=CAN_RATE_G_S,
            burst_s=burst,
            displacement_l=displacement_l,
            cylinders=cylinders,
            compression_ratio=compression_ratio,
            density_g_ml=density,
            can_g=amount_ml * density,
            fuel=fuel,
            water_based=water_based,
        )
        found = ingestion_limit(given)
        if found.verdict == "ok" or halves == 1:
            break
    return RunningBursts(
        burst_s=burst,
        pause_s=found.pause_s,
        minutes=found.minutes_for_can or 0.0,
        share=found.clearance_share,
        held_rpm=HELD_RPM,
        can_rate_g_s=CAN_RATE_G_S,
    )


@dataclass(frozen=True, kw_only=True)
class VacuumGoes:
    """A dose through a vacuum line: ml in one go, how many, seconds of a go and between two,
    minutes in all."""

    go_ml: float
    goes: int
    go_s: float
    pause_s: float
    minutes: float


def vacuum_goes(
    *, airflow_g_s: float, amount_ml: float, go_s: float = 30.0, pause_s: float = 30.0
) -> VacuumGoes:
    """A dose in goes through a vacuum line, each no more than the mixture control takes back.

    Parameters
    ----------
    airflow_g_s : air at the held speed, 0.2 to 1000 g/s
    amount_ml : the whole dose, 1 to 5000 ml
    go_s, pause_s : seconds of a go and between two, 5 to 300 s

    Raises
    ------
    InputError
        A figure outside of its range.

    Notes
    -----
    What the control takes back on average is authority * air / stoichiometric ratio, as in
    `ingestion_limit`; a go may bring that of its own time and of the pause behind it. Half a minute
    in, half a minute out is the usual practice of such products (project default; the label
    decides).
    """
    require_range("airflow_g_s", airflow_g_s, 0.2, high=1000, unit="g/s")
    require_range("amount_ml", amount_ml, 1, high=5000, unit="ml")
    require_range("go_s", go_s, 5, high=300, unit="s")
    require_range("pause_s", pause_s, 5, high=300, unit="s")
    solvent = IngestionInput  # its defaults: solvent of 0.74 g/ml, a quarter of the fuel taken back
    sustained = solvent.trim_authority * airflow_g_s / solvent.stoichiometric_ratio
    most = sustained * (go_s + pause_s) / solvent.density_g_ml
    goes = math.ceil(amount_ml / most)
    minutes = (goes * (go_s + pause_s) - pause_s) / 60
    return VacuumGoes(
        go_ml=amount_ml / goes, goes=goes, go_s=go_s, pause_s=pause_s, minutes=minutes
    )
