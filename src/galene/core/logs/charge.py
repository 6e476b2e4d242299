"""Whether the charge pressure that was commanded is reached in a pull of a log."""

from dataclasses import dataclass

import numpy as np

from galene.core.logs.series import TimeSeries

PULL_KPA = 25.0
"""Command above the outside air from which an engine is asked for charge (project default)."""
OUTSIDE_KPA = 101.3
"""Outside air where the log has no barometer."""
NEAR_PEAK = 0.9
"""Share of the highest command above the outside air from which a sample belongs to the pull."""
LEAST_SAMPLES, LEAST_S = 5, 1.0
"""Samples, and seconds between the first and the last of them, that a pull asks for."""
REACHED_PERCENT = 95.0
"""Of the command, absolute: what regulation and sensors leave open (project default)."""


@dataclass(frozen=True, kw_only=True)
class ChargePull:
    """A pull: highest command, what was reached of it (the middle of its samples), kPa absolute."""

    commanded_kpa: float
    reached_kpa: float
    percent_of_command: float

    @property
    def verdict(self) -> str:
        """Reached or not reached."""
        return "reached" if self.percent_of_command >= REACHED_PERCENT else "not_reached"


def charge_pull(series: TimeSeries) -> ChargePull | None:
    """The pull of a log with charge pressure and its command, None where it has none.

    Notes
    -----
    Charge builds up late: of the samples near the highest command the later half counts, so that
    the lag of a sound turbine is no fault.
    """
    boost, command = (series.channels.get(c) for c in ("boost_kpa", "boost_command_kpa"))
    if boost is None or command is None:
        return None
    barometer = series.channels.get("barometer_kpa")
    known = barometer[np.isfinite(barometer)] if barometer is not None else np.array([])
    outside = float(np.median(known)) if known.size else OUTSIDE_KPA
    there = np.isfinite(boost) & np.isfinite(command)
    if not there.any():
        return None
    peak = float(command[there].max())
    if peak - outside < PULL_KPA:
        return None
    pull = np.flatnonzero(there & (command - outside >= NEAR_PEAK * (peak - outside)))
    late = pull[pull.size // 2 :]
    if late.size < LEAST_SAMPLES or series.time_s[pull[-1]] - series.time_s[pull[0]] < LEAST_S:
        return None
    share = float(np.median(boost[late] / command[late]))
    return ChargePull(
        commanded_kpa=peak,
        reached_kpa=float(np.median(boost[late])),
        percent_of_command=100 * share,
    )
