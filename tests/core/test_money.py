"""What pays: cleaning against a new part, spares on the shelf, fuel that is saved."""

import math
from random import Random
from typing import Any

import numpy as np
import pytest

from galene.core.calculations.spares_level import backorders
from galene.core.errors import InputError
from galene.exchange.calculations import calculate

KEEP: dict[str, Any] = {
    "cleanings": 18,
    "returns": 3,
    "clean_cost": 120,
    "replace_cost": 430,
    "return_cost": 60,
    "clean_holds_km": 45_000,
    "new_holds_km": 120_000,
}
SPARE: dict[str, Any] = {
    "use_per_year": 9,
    "lead_days": 30,
    "off_road_cost_per_day": 40,
    "price": 240,
}
SAVED: dict[str, Any] = {
    "cost": 310,
    "before_l_100km": 8.4,
    "after_l_100km": 7.7,
    "km_per_month": 2600,
    "price_per_litre": 1.7,
}


def test_cleaning_is_kept_while_it_holds() -> None:
    found = calculate("keep-or-replace", KEEP)
    assert found["holds"] == pytest.approx(19 / 23) and found["verdict"] == "either"
    assert found["clean_total_low"] < found["clean_total"] < found["clean_total_high"]
    # Paid whole: one new part lasts the distance out, cleanings are three, each perhaps twice.
    assert found["replace_total"] == pytest.approx(430)
    assert found["clean_total"] == pytest.approx(3 * (120 + 4 / 23 * (120 + KEEP["return_cost"])))
    holds = {**KEEP, "cleanings": 400, "returns": 4, "clean_holds_km": 80_000}
    assert calculate("keep-or-replace", holds)["verdict"] == "clean"
    fails = {**KEEP, "cleanings": 60, "returns": 40}
    assert calculate("keep-or-replace", fails)["verdict"] == "replace"
    with pytest.raises(InputError) as fault:
        calculate("keep-or-replace", {**KEEP, "returns": 19})
    assert fault.value.field == "returns"


def test_the_interval_of_what_holds_is_the_beta_distributions() -> None:
    found = calculate("keep-or-replace", KEEP)
    random = Random(3)
    drawn = sorted(random.betavariate(19, 4) for _ in range(20_000))
    assert found["holds_low"] == pytest.approx(drawn[2000], abs=0.01)
    assert found["holds_high"] == pytest.approx(drawn[18_000], abs=0.01)


def test_the_cheapest_level_is_found_and_ordered() -> None:
    found = calculate("spares-level", SPARE)
    costs = {x["level"]: x["cost_per_year"] for x in found["levels"]}
    assert found["cost_per_year"] == min(costs.values()) == costs[found["level"]]
    mean = 9 * 30 / 365
    assert calculate("spares-level", SPARE)["risk_out"] == pytest.approx(
        1 - sum(math.exp(-mean) * mean**k / math.factorial(k) for k in range(found["level"]))
    )
    short = calculate("spares-level", {**SPARE, "stock": 0})
    assert short["order"] == found["level"] and short["verdict"] == "order_now"
    assert calculate("spares-level", {**SPARE, "stock": 9})["verdict"] == "enough"


@pytest.mark.parametrize(
    ("change", "level"),
    [
        ({"use_per_year": 0}, 0),
        ({"off_road_cost_per_day": 0}, 0),
        ({"use_per_year": 0.2, "price": 4000}, 0),
        ({"lead_days": 0}, 0),
    ],
)
def test_what_is_not_worth_keeping_is_not_kept(change: dict[str, Any], level: int) -> None:
    found = calculate("spares-level", {**SPARE, **change})
    assert found["level"] == level and found["verdict"] == "order_when_needed"


@pytest.mark.parametrize("level", [0, 1, 2, 4])
def test_days_waited_are_those_of_a_store_that_is_run(level: int) -> None:
    """Vehicles that come by chance, each piece ordered again at once: the n-th gets what was
    ordered when the one `level` before it came."""
    rng, years, lead = np.random.default_rng(5), 20_000, 60.0
    came = np.cumsum(rng.exponential(365 / 12, 12 * years))
    ordered = came if level == 0 else came[:-level]
    waited = np.maximum(0.0, ordered + lead - came[level:])
    assert 365 * backorders(12 * lead / 365, level) == pytest.approx(
        waited.sum() / (came[-1] / 365), rel=0.02
    )


def test_a_level_that_no_shelf_holds_is_refused() -> None:
    with pytest.raises(InputError) as fault:
        calculate("spares-level", {**SPARE, "use_per_year": 5000, "lead_days": 730})
    assert fault.value.field == "use_per_year"


def test_a_dearer_day_never_lowers_the_level() -> None:
    levels = [
        calculate("spares-level", {**SPARE, "off_road_cost_per_day": c})["level"]
        for c in (1, 10, 50, 200, 1000, 9000)
    ]
    assert levels == sorted(levels) and levels[-1] > levels[0]


def test_a_saving_is_claimed_only_where_it_is_shown() -> None:
    shown = calculate("payback", {**SAVED, "saved_low_l_100km": 0.3, "saved_high_l_100km": 1.1})
    assert shown["verdict"] == "pays"
    assert shown["saved_per_month"] == pytest.approx(0.7 * 26 * 1.7)
    assert shown["months_low"] < shown["months"] < shown["months_high"]
    for interval in ({}, {"saved_low_l_100km": -0.2, "saved_high_l_100km": 1.6}):
        found = calculate("payback", {**SAVED, **interval})
        assert found["verdict"] == "not_shown" and found["months"] is None
    worse = {**SAVED, "after_l_100km": 9, "saved_low_l_100km": -0.9, "saved_high_l_100km": -0.3}
    assert calculate("payback", worse)["verdict"] == "never"
    for wrong, field in (
        ({"saved_low_l_100km": 0.3}, "saved_high_l_100km"),
        ({"saved_low_l_100km": 0.9, "saved_high_l_100km": 1.1}, "saved_low_l_100km"),
    ):
        with pytest.raises(InputError) as fault:
            calculate("payback", {**SAVED, **wrong})
        assert fault.value.field == field
