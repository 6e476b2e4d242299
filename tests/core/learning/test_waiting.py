"""The grade at which a part is due by what waiting costs."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.learning.waiting import (
    LEAST_GRADE,
    MOST_GRADE,
    STEP,
    WaitingCost,
    limit_by_cost,
    waiting_a_week,
)

MONEY = st.floats(0, 5000)
GROWTH = st.floats(0.001, 0.2)


def cost(**change: float) -> WaitingCost:
    return WaitingCost(
        **{
            "grades_a_week": 0.02,
            "cleaning": 150.0,
            "fuel_a_week": 60.0,
            "off_road_a_day": 180.0,
            **change,
        }
    )


def average_if_cleaned_at(given: WaitingCost, limit: float) -> float:
    """Money a week over a life of cleanings at this grade, summed finely."""
    weeks, step = limit / given.grades_a_week, limit / 4000
    waits = sum(waiting_a_week(given, (k + 0.5) * step) for k in range(4000))
    return (given.cleaning + waits * step / given.grades_a_week) / weeks


def test_the_dearer_the_waiting_the_sooner_and_the_dearer_the_cleaning_the_later() -> None:
    usual = limit_by_cost(cost())
    assert limit_by_cost(cost(fuel_a_week=400)) < usual
    assert limit_by_cost(cost(off_road_a_day=3000)) < usual
    dear = cost(fuel_a_week=400)
    assert limit_by_cost(cost(fuel_a_week=400, cleaning=400)) > limit_by_cost(dear)
    assert limit_by_cost(cost(fuel_a_week=0, off_road_a_day=0, cleaning=900)) >= usual


@given(GROWTH, st.floats(20, 2000), MONEY, MONEY)
def test_no_other_grade_costs_less_over_the_life_before_a_cleaning_deepens(
    grades: float, cleaning: float, fuel: float, off_road: float
) -> None:
    given = WaitingCost(
        grades_a_week=grades, cleaning=cleaning, fuel_a_week=fuel, off_road_a_day=off_road
    )
    best = limit_by_cost(given)
    assert LEAST_GRADE <= best <= MOST_GRADE
    money = average_if_cleaned_at(given, best)
    for other in (best - 0.5, best + 0.5):
        # Beyond grade 2 a cleaning grows dearer by a step: there the rule stops at the step.
        if LEAST_GRADE <= other <= MOST_GRADE and (other <= 2 or best > 2 + STEP):
            assert money <= average_if_cleaned_at(given, other) * 1.02


@pytest.mark.parametrize(
    ("change", "field"),
    [({"grades_a_week": 0}, "grades_a_week"), ({"cleaning": -1}, "cleaning")],
)
def test_what_can_not_be_is_named(change: dict[str, float], field: str) -> None:
    with pytest.raises(InputError) as caught:
        limit_by_cost(cost(**change))
    assert caught.value.field == field
