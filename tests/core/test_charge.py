"""Charge pressure against its command in a log."""

import numpy as np
import pytest

from galene.core.logs.charge import charge_pull
from galene.core.logs.series import TimeSeries


def pull(reached: float, *, seconds: float = 6.0, peak: float = 220.0, lag_s: float = 1.5):
    """Idle, then a pull in which the charge builds up with a lag to a share of its command."""
    time = np.arange(0.0, 4.0 + seconds, 0.1)
    runs = time >= 4.0
    command = np.where(runs, peak, 101.0)
    target = np.where(runs, reached * peak, 101.0)
    boost = np.where(runs, 101.0 + (target - 101.0) * (1 - np.exp(-(time - 4.0) / lag_s)), 101.0)
    return TimeSeries(time, {"boost_kpa": boost, "boost_command_kpa": command})


@pytest.mark.parametrize(
    ("reached", "verdict"), [(1.0, "reached"), (0.97, "reached"), (0.85, "not_reached")]
)
def test_a_pull_says_what_is_reached_and_lag_is_no_fault(reached: float, verdict: str) -> None:
    found = charge_pull(pull(reached, seconds=12.0, lag_s=0.8))
    assert found is not None and found.verdict == verdict
    assert found.percent_of_command == pytest.approx(100 * reached, abs=1.0)
    assert found.commanded_kpa == 220


def test_no_pull_no_word() -> None:
    assert charge_pull(pull(1.0, peak=115.0)) is None
    assert charge_pull(pull(1.0, seconds=0.5)) is None
    series = pull(1.0)
    assert (
        charge_pull(TimeSeries(series.time_s, {"boost_kpa": series.channels["boost_kpa"]})) is None
    )
    gaps = {name: np.full_like(v, np.nan) for name, v in series.channels.items()}
    assert charge_pull(TimeSeries(series.time_s, gaps)) is None


def test_on_a_mountain_the_barometer_decides_what_a_pull_is() -> None:
    series = pull(1.0, peak=120.0, seconds=10.0)
    assert charge_pull(series) is None
    channels = {**series.channels, "barometer_kpa": np.full_like(series.time_s, 75.0)}
    assert charge_pull(TimeSeries(series.time_s, channels)) is not None
