"""Growth and due dates hold what they say, and bands cover what they claim."""

import math
from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.learning.bands import Prior, learned_band
from galene.core.learning.growth import (
    BETWEEN,
    FED_FACTOR,
    FED_SURE,
    READ_TO,
    SINCE_NEW,
    WITHIN,
    Visit,
    due,
    duty_prior,
    learned_rate,
    pooled,
)
from galene.core.statistics import t_quantile
from galene.exchange.calculations import calculate


def area(*visits: tuple[float, float, float]) -> dict[str, Any]:
    return {
        "history": [
            {"distance_km": at, "open_area_percent": found, "left_open_area_percent": left}
            for at, found, left in visits
        ],
        "threshold_percent": 20,
    }


def simulated(random: Random, visits: int, *, cured: bool = False) -> tuple[float, float, float]:
    """The interval of a vehicle that is made as the model says, and when it was truly due."""
    prior = duty_prior(["short_trips"], "area", hours=False)
    log_rate = random.gauss(prior.mean, BETWEEN)
    at, left, held = 0.0, 0.0, []
    for i in range(visits):
        spread = SINCE_NEW if i == 0 else WITHIN
        driven = random.uniform(20_000, 60_000)
        grown = driven * math.exp(random.gauss(log_rate, spread))
        at += driven
        # What is read is off by what a reading may be off.
        read = max(0.0, left + grown + random.gauss(0, READ_TO["area"]))
        held.append(Visit(at=at, found=read, left=0.0))
        left = 0.0
    rate = learned_rate(prior, held, "area")
    found = due(rate, since=at, left=0.0, limit=15.0, cured=cured)
    slower = random.gauss(math.log(FED_FACTOR), FED_SURE) if cured else 0.0
    true = at + 15.0 / math.exp(random.gauss(log_rate - slower, WITHIN))
    return found.low, true, found.high


@pytest.mark.parametrize(("visits", "cured"), [(0, False), (1, False), (3, False), (3, True)])
def test_the_interval_of_a_due_date_holds_as_often_as_it_says(visits: int, cured: bool) -> None:
    random = Random(7 + visits)
    drawn = [simulated(random, visits, cured=cured) for _ in range(4000)]
    held = sum(low <= true <= high for low, true, high in drawn) / len(drawn)
    assert abs(held - 0.80) <= 0.04, held


def test_more_visits_make_it_narrower_and_own_growth_counts_more_than_the_duty() -> None:
    one = calculate("next-due", area((60_000, 90, 100)))
    three = calculate("next-due", area((60_000, 90, 100), (90_000, 95, 100), (120_000, 95, 100)))
    assert three["high"] - three["low"] < one["high"] - one["low"]
    often = [(60_000 + 20_000 * k, 80, 100) for k in range(8)]
    fast = calculate("next-due", area(*often))
    assert fast["due_at"] - often[-1][0] == pytest.approx(20_000, rel=0.15)
    assert fast["low"] < fast["due_at"] < fast["high"]
    hard = calculate("next-due", {**area((60_000, 90, 100)), "duty": "dusty_use"})
    assert hard["due_at"] < one["due_at"]


def test_two_flushes_that_left_a_grade_each() -> None:
    held = [Visit(at=141_000, found=2, left=1), Visit(at=186_000, found=2, left=1)]
    rate = learned_rate(duty_prior(["short_trips"], "grade", hours=False), held, "grade")
    found = due(rate, since=186_000, left=1, limit=2)
    assert [round(x, -2) for x in (found.low, found.at, found.high)] == [205_500, 220_900, 248_400]


def test_a_cured_feed_makes_it_last_and_says_so() -> None:
    history = area((60_000, 85, 100), (90_000, 85, 100))
    fed = calculate("next-due", history)
    history["history"][1]["cured"] = True
    cured = calculate("next-due", history)
    assert cured["due_at"] > fed["due_at"] and "mended" in cured["reason"]
    assert cured["rate"] == pytest.approx(fed["rate"] / FED_FACTOR)


def test_hours_and_grades_stay_on_their_scale() -> None:
    history = [{"hours": 900, "grade": 2}, {"hours": 1500, "grade": 2, "left_grade": 0}]
    found = calculate("next-due", {"history": history, "threshold_grade": 3})
    assert 1500 < found["low"] < found["due_at"] < found["high"] < 6000
    assert found["rate_unit"] == "grades per h"
    over = calculate("next-due", {"history": [{"hours": 9, "grade": 4, "left_grade": 3}]})
    assert over["verdict"] == "due_now" and over["due_at"] == 9


@pytest.mark.parametrize(
    ("case", "field"),
    [
        ({"history": []}, "history"),
        ({"history": [{"distance_km": 5}]}, "history"),
        ({"history": [{"open_area_percent": 90}]}, "history[0].distance_km"),
        ({"history": [{"distance_km": 5, "hours": 2, "grade": 1}]}, "history[0].hours"),
        (area((60_000, 90, 100), (50_000, 90, 100)), "history[1].distance_km"),
        (area((60_000, 90, 80)), "history[0].left_open_area_percent"),
        ({**area((60_000, 90, 100)), "threshold_grade": 2}, "threshold_grade"),
        ({**area((60_000, 90, 100)), "duty": "racing"}, "duty"),
        (
            {"history": [{"distance_km": 5, "grade": 1, "open_area_percent": 90}]},
            "history[0].grade",
        ),
        ({"history": [{"distance_km": -5, "grade": 1}]}, "history[0].distance_km"),
        ({"history": [{"distance_km": i + 1, "grade": 1} for i in range(501)]}, "history"),
    ],
)
def test_a_history_that_can_not_be_is_named(case: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as fault:
        calculate("next-due", case)
    assert fault.value.field == field


def test_a_familys_own_rate_moves_a_new_vehicles() -> None:
    prior = duty_prior([], "grade", hours=False)
    slow = [
        learned_rate(
            prior, [Visit(at=60_000.0 * k, found=0.5, left=0.0) for k in (1, 2, 3)], "grade"
        )
        for _ in range(8)
    ]
    family = pooled(prior, slow)
    assert family.mean < prior.mean and family.variance < 2 * BETWEEN**2
    assert pooled(prior, []).mean == prior.mean


@pytest.mark.parametrize(
    ("count", "prior"),
    [(5, None), (12, None), (0, "right"), (4, "right"), (20, "right"), (60, "shifted")],
)
def test_a_band_covers_new_samples_as_it_says(count: int, prior: str | None) -> None:
    random = Random(11 + count)
    inside = 0
    runs = 3000
    for _ in range(runs):
        mean, spread = 740.0, 15.0
        known = None
        if prior == "right":
            # As the prior itself says: spread and mean are drawn from what it stands for.
            half = t_quantile(6.0, 0.9) * math.sqrt(7 / 6) * spread
            known = Prior(low=mean - half, high=mean + half, weight=6.0)
            spread = math.sqrt(1 / random.gammavariate(3.0, 1 / (3.0 * spread**2)))
            mean = random.gauss(mean, spread / math.sqrt(6.0))
        elif prior == "shifted":
            known = Prior(low=700.0, high=760.0)
        band = learned_band([random.gauss(mean, spread) for _ in range(count)], known)
        inside += band.low <= random.gauss(mean, spread) <= band.high
    assert abs(inside / runs - 0.90) <= 0.02, inside / runs


def test_an_odd_sample_is_shown_and_does_not_widen_the_band() -> None:
    good = [2.61, 2.74, 2.55, 2.69, 2.83, 2.58, 2.66]
    prior = Prior(low=2.2, high=3.0)
    clean = learned_band(good, prior)
    one = learned_band([*good, 9.9], prior)
    assert one.odd == (7,) and (one.low, one.high) == (clean.low, clean.high)
    two = learned_band([*good, 9.9, 9.8, 9.7, 9.9], prior)
    assert two.odd == () and two.high > clean.high, "several of a kind speak for each other"


@given(st.lists(st.floats(100, 900), min_size=0, max_size=30), st.floats(1, 200))
def test_a_band_is_a_band(samples: list[float], half: float) -> None:
    band = learned_band(samples, Prior(low=500 - half, high=500 + half))
    assert band.low < band.mean < band.high and band.spread > 0
    assert band.counted + len(band.odd) == len(samples)
    assert len(band.odd) * 3 <= max(len(samples), 1)


def test_a_band_moves_with_own_work_and_grows_sure() -> None:
    prior = {"low": 2.2, "high": 3.0}
    none = calculate("reference-band", {"samples": [], "prior": prior})
    assert (none["low"], none["high"]) == pytest.approx((2.2, 3.0))
    assert none["verdict"] == "entry_only"
    samples = [2.9, 2.95, 2.88, 2.93, 2.97, 2.91, 2.9, 2.94] * 3
    many = calculate("reference-band", {"samples": samples, "prior": prior})
    assert many["mean"] > none["mean"] and many["high"] - many["low"] < none["high"] - none["low"]
    for wrong, field in (
        ({"samples": [1.0]}, "samples"),
        ({"samples": [1.0, 1.0]}, "samples"),
        ({"samples": [], "prior": {"low": 3, "high": 2}}, "prior.low"),
        ({"samples": [], "prior": {"low": 1, "high": 2, "weight": 0}}, "prior.weight"),
        ({"samples": [1e308, -1e308, 3]}, "samples[0]"),
        ({"samples": [], "prior": {"low": -1e300, "high": 2}}, "prior.low"),
        ({"samples": [1.0] * 5001}, "samples"),
    ):
        with pytest.raises(InputError) as fault:
            calculate("reference-band", wrong)
        assert fault.value.field == field
