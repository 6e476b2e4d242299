"""Figures that claim something, held against engines of which the truth is known."""

from random import Random

import pytest

from galene.core.calculations.before_after import BeforeAfterInput, MetricValue, before_after
from galene.core.calculations.conditions import BothConditions, Conditions
from galene.core.calculations.metrics import METRICS
from galene.core.learning.bands import Prior, learned_band
from galene.exchange.calculations import calculate

SOUND = {
    "idle_rpm_spread": (24.0, 2.0),
    "idle_map_kpa": (33.0, 0.3),
    "idle_airflow_g_s": (2.6, 0.03),
    "learned_throttle_percent": (3.2, 0.1),
    "trim_idle_percent": (1.0, 0.5),
    "meter_ratio_percent": (98.0, 0.8),
}
"""Metric to a sound engine's mean and the scatter of its readings within one sitting."""
ALIKE = Conditions(rpm=740, coolant_c=90, load=[], codes_active=[])


def _set(random: Random, days: float) -> list[MetricValue]:
    """Five readings of every metric on one day."""
    found = []
    for metric, (mean, scatter) in SOUND.items():
        today = random.gauss(mean, days * METRICS[metric].daily_from(mean))
        found.append(
            MetricValue(metric=metric, samples=[random.gauss(today, scatter) for _ in range(5)])
        )
    return found


def test_where_nothing_was_done_one_in_twenty_at_most_is_called_better_or_worse() -> None:
    random, runs = Random(5), 600
    called = 0
    for _ in range(runs):
        found = before_after(
            BeforeAfterInput(
                before=_set(random, 1.0),
                after=_set(random, 1.0),
                conditions=BothConditions(before=ALIKE, after=ALIKE),
            )
        )
        called += found.verdict in ("improved", "worse")
    assert called / runs <= 0.05, called / runs


def test_a_real_gain_is_still_found() -> None:
    random, runs = Random(6), 100
    found = 0
    for _ in range(runs):
        dirty = [
            MetricValue(
                metric="learned_throttle_percent",
                samples=[random.gauss(6.0, 0.1) for _ in range(5)],
            )
        ]
        clean = [
            MetricValue(
                metric="learned_throttle_percent",
                samples=[random.gauss(3.4, 0.1) for _ in range(5)],
            )
        ]
        told = before_after(
            BeforeAfterInput(
                before=dirty, after=clean, conditions=BothConditions(before=ALIKE, after=ALIKE)
            )
        )
        found += told.verdict == "improved"
    assert found == runs


def test_an_idle_that_shakes_more_is_worse_and_single_readings_prove_nothing() -> None:
    def told(before: object, after: object) -> str:
        found = calculate(
            "before-after",
            {
                "before": [{"metric": "idle_rpm_spread", **before}],
                "after": [{"metric": "idle_rpm_spread", **after}],
                "conditions": {
                    side: {"rpm": 740, "coolant_c": 90, "load": [], "codes_active": []}
                    for side in ("before", "after")
                },
            },
        )
        return str(found["verdict"])

    assert told({"samples": [11, 12, 13]}, {"samples": [30, 31, 32]}) == "worse"
    assert told({"samples": [31, 30, 32]}, {"samples": [12, 11, 13]}) == "improved"
    assert told({"samples": [60, 62, 64]}, {"samples": [50, 52, 54]}) == "unchanged", "under half"
    assert told({"value": 12}, {"value": 31}) == "changed"


@pytest.mark.parametrize("count", [10, 14, 30])
@pytest.mark.parametrize("share", [0.3, 1.0, 3.0])
def test_bands_of_narrow_and_of_wide_engines_cover_what_they_say(count: int, share: float) -> None:
    random, runs, inside = Random(count), 1500, 0
    entry = Prior(low=700.0, high=780.0)
    for _ in range(runs):
        own = [random.gauss(748.0, 20.0 * share) for _ in range(count)]
        band = learned_band(own, entry)
        inside += band.low <= random.gauss(748.0, 20.0 * share) <= band.high
    assert abs(inside / runs - 0.90) <= 0.05, inside / runs


def test_two_sick_engines_that_agree_are_questioned() -> None:
    sound = [2.61, 2.74, 2.55, 2.69, 2.83, 2.58]
    for entry in (None, Prior(low=2.2, high=3.0)):
        found = learned_band([*sound, 4.6, 4.6], entry)
        assert found.odd == (6, 7) and found.high < 4.0
    low = learned_band([0.9, *sound, 0.9])
    assert low.odd == (0, 7) and low.low > 1.5


def test_a_saving_that_may_be_nothing_is_not_paid_back() -> None:
    given = {
        "cost": 310,
        "before_l_100km": 8.4,
        "after_l_100km": 8.1,
        "saved_low_l_100km": -0.1,
        "saved_high_l_100km": 0.7,
        "km_per_month": 2600,
        "price_per_litre": 1.7,
    }
    found = calculate("payback", given)
    assert found["verdict"] == "not_shown" and found["months"] is None
    assert "may be nothing" in found["sentence"]
    assert calculate("payback", {**given, "saved_low_l_100km": 0.05})["verdict"] == "pays"
