"""What is given into a running engine: bursts or goes that its air allows, and their minutes."""

from dataclasses import replace

from galene.core.airpath.family import EngineFamily
from galene.core.planning.records import (
    Step,
)
from galene.core.planning.running_goes import HELD_RPM, held_airflow, running_bursts, vacuum_goes


def ingested(step: Step, family: EngineFamily, *, ml: float, water: bool) -> Step:
    """Bursts and pauses for this engine's air at the held speed, and the minutes of the whole
    amount.

    Parameters
    ----------
    ml : what is drawn in all, millilitres
    water : a water-based agent, else a solvent of 0.74 g/ml

    Notes
    -----
    See `running_bursts`; without a family's idle air and speed the step says what is read first.
    """
    air, idle = family.bands.get("idle_airflow_g_s"), family.bands.get("idle_rpm")
    if air is None or idle is None:
        note = "Read the air at the held speed and compute bursts and pauses before the first one."
        return replace(step, worksheet="ingestion-limit", note=note)
    low, high = held_airflow(air.low, air.high, idle.low, rpm_high=idle.high)
    # A solvent is given a second at a time: shorter bursts need shorter pauses.
    longest_s = 3.0 if water else 1.0
    bursts = running_bursts(
        low,
        family.displacement_l,
        family.cylinders,
        compression_ratio=family.compression_ratio,
        amount_ml=ml,
        water_based=water,
        longest_s=longest_s,
        fuel=family.fuel,
    )
    note = (
        f"Bursts of {bursts.burst_s:g} s with {bursts.pause_s:.0f} s between them:"
        f" {bursts.minutes:.0f} min in all. Reckoned for the least of {low:.1f} to {high:.1f} g/s"
        f" of air at {bursts.held_rpm:.0f} rpm and a can that gives {bursts.can_rate_g_s:g} g/s; a"
        f" burst is {bursts.share:.0%} of one cylinder's clearance."
    )
    minutes = max(step.minutes, float(round(bursts.minutes)))
    return replace(step, worksheet="ingestion-limit", minutes=minutes, note=note)


def drawn_in(step: Step, family: EngineFamily, *, ml: float) -> Step:
    """Goes through a vacuum line for this engine's air at the held speed, and the minutes of the
    dose.

    Parameters
    ----------
    ml : the whole dose, millilitres

    Notes
    -----
    See `vacuum_goes`; without a family's idle air and speed the step says what is read first.
    """
    air, idle = family.bands.get("idle_airflow_g_s"), family.bands.get("idle_rpm")
    if air is None or idle is None:
        note = "Read the air at the held speed and compute the goes before the first one."
        return replace(step, worksheet="ingestion-limit", note=note)
    low, high = held_airflow(air.low, air.high, idle.low, rpm_high=idle.high)
    goes = vacuum_goes(airflow_g_s=low, amount_ml=ml)
    note = (
        f"{goes.goes} goes of {goes.go_s:.0f} s, {goes.pause_s:.0f} s between them, about "
        f"{goes.go_ml:.0f} ml in each: {goes.minutes:.0f} min in all. Reckoned for the least of "
        f"{low:.1f} to {high:.1f} g/s of air at {HELD_RPM:.0f} rpm and {ml:.0f} ml; "
        "the label's dose decides."
    )
    minutes = max(step.minutes, float(round(goes.minutes)))
    return replace(step, worksheet="ingestion-limit", minutes=minutes, note=note)
