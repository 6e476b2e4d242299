"""The metrics and conditions of a proof, out of the reading sets before and after the work."""

import math
from collections.abc import Sequence

from galene.core.calculations.before_after import MetricValue
from galene.core.calculations.conditions import Conditions
from galene.core.diagnosis.measured import MeasuredSet
from galene.core.statistics import mean, variance

IDLE_METRICS: tuple[str, ...] = (
    "idle_rpm",
    "idle_airflow_g_s",
    "idle_map_kpa",
    "learned_throttle_percent",
    "trim_idle_percent",
)
SPREAD_FROM_ROWS = 3
"""Rows from which their spread in speed says something."""
RANGE_OF_FIVE = 2.326
"""Range of five readings, in standard deviations (d2 of the control chart tables)."""


def metrics_of(
    idle: MeasuredSet | None, trims: MeasuredSet | None, *, open_areas: Sequence[float] = ()
) -> list[MetricValue]:
    """The metrics of one side of a proof.

    Parameters
    ----------
    idle, trims : the sets of that side
    open_areas : open area of each part that was measured, percent; the worst counts
    """
    idle, trims = idle or MeasuredSet(), trims or MeasuredSet()
    found = [
        MetricValue(metric=channel, samples=values)
        for channel in IDLE_METRICS
        if (values := idle.column(channel))
    ]
    speeds = idle.column("idle_rpm")
    if len(speeds) >= SPREAD_FROM_ROWS:
        # By the deviation: the plain range grows with the count of rows, which differs by side.
        spread = RANGE_OF_FIVE * math.sqrt(variance(speeds))
        found.append(MetricValue(metric="idle_rpm_spread", value=spread))
    flows, at_flows = trims.column("airflow_g_s"), trims.column("trim_percent")
    if flows and len(flows) == len(at_flows):
        cruise = max(zip(flows, at_flows, strict=True))[1]
        found.append(MetricValue(metric="trim_cruise_percent", value=cruise))
    if open_areas:
        found.append(MetricValue(metric="open_area_percent", value=min(open_areas)))
    return found


def conditions_of(idle: MeasuredSet, *, codes_active: list[str] | None = None) -> Conditions:
    """What held while an idle set was taken.

    Parameters
    ----------
    codes_active : codes that limit the control unit; None where it was said not to be limited
    """
    kept, speeds = idle.conditions, idle.column("idle_rpm")
    return Conditions(
        rpm=mean(speeds) if speeds else None,
        coolant_c=kept.coolant_c,
        warm=kept.warm,
        intake_c=kept.intake_c,
        load=list(kept.load),
        codes_active=codes_active,
        protective_mode=kept.protective_mode,
    )
