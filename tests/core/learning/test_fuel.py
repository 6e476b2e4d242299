"""Fills as legs, odd ones, loads, and what a day's work changed."""

import math
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.learning.fuel import (
    Leg,
    Load,
    TankFill,
    change_at,
    flat_whatever_the_load,
    legs_of,
    per_month,
    use_of,
)


def tank(day: float, litres: float, km: float, *, full: bool = True, load: Load = "") -> TankFill:
    return TankFill(day=day, litres=litres, reading=km, full=full, load=load)


def legs(uses: list[float], *, load: Load = "", start: float = 0.0) -> list[Leg]:
    return [
        Leg(began=start + 10 * i, ended=start + 10 * i + 10, litres=5 * u, distance=500, load=load)
        for i, u in enumerate(uses)
    ]


def test_what_is_filled_in_part_belongs_to_the_leg_that_the_next_full_tank_ends() -> None:
    found = legs_of(
        [
            tank(0, 50, 1000),
            tank(5, 20, 1400, full=False),
            tank(9, 30, 1600),
            tank(12, 40, 2000, load="heavy"),
        ]
    )
    assert [(x.litres, x.distance, x.load) for x in found] == [(50, 600, ""), (40, 400, "heavy")]
    # What was in the tank before the first full one says nothing.
    assert legs_of([tank(0, 9, 10, full=False), tank(1, 50, 600)]) == ()


def test_a_leg_of_two_loads_has_none() -> None:
    mixed = legs_of(
        [tank(0, 50, 0), tank(4, 9, 200, full=False, load="light"), tank(8, 40, 600, load="heavy")]
    )
    assert [x.load for x in mixed] == [""]


@pytest.mark.parametrize(
    ("fills", "field"),
    [
        ([tank(0, 50, 900), tank(2, 40, 900)], "reading"),
        ([tank(0, 50, 900), tank(2, 40, 800)], "reading"),
        ([tank(0, 0, 900)], "litres"),
        ([tank(0, 5001, 900)], "litres"),
    ],
)
def test_what_can_not_be_is_named(fills: list[TankFill], field: str) -> None:
    with pytest.raises(InputError) as caught:
        legs_of(fills)
    assert caught.value.field == field


def test_a_forgotten_fill_is_odd_and_does_not_count() -> None:
    km, fills = 0.0, [tank(0, 50, 1)]
    for i, use in enumerate([8.1, 8.0, 7.9, 16.0, 8.2, 8.0, 7.8]):
        km += 500
        fills.append(tank(10 * (i + 1), 5 * use, km + 1))
    found = legs_of(fills)
    assert [x.odd for x in found] == [False, False, False, True, False, False, False]
    mean = use_of(found, hours=False)
    assert mean and mean.value == pytest.approx(8.0, abs=0.05) and mean.legs == 6


@given(st.lists(st.floats(5, 60), min_size=1, max_size=30), st.floats(3, 40))
def test_total_over_total_whatever_the_legs(litres: list[float], per_100: float) -> None:
    fills, km = [tank(0, 30, 0)], 0.0
    for i, amount in enumerate(litres):
        km += amount / per_100 * 100
        fills.append(tank(i + 1, amount, km))
    use = use_of(legs_of(fills), hours=False)
    assert use is not None and use.value == pytest.approx(per_100)


def test_hours_count_by_the_hour() -> None:
    use = use_of(legs([10, 10]), hours=True)
    assert use is not None and use.value == pytest.approx(0.1)


def test_the_leg_across_the_work_counts_on_neither_side() -> None:
    run = [*legs([9.0, 9.2, 8.8, 9.0]), *legs([8.0, 8.1, 7.9, 8.0], start=45)]
    found = change_at(run, 42)
    assert found is not None and found.verdict == "improved"
    assert found.before_l_100km == pytest.approx(9.0)
    assert change_at(run, 200) is None


def test_an_empty_summer_proves_nothing() -> None:
    heavy = legs([12, 12.1, 11.9], load="heavy")
    light = legs([9, 9.1, 8.9], load="light", start=40)
    assert change_at([*heavy, *light], 35) is None
    both = [*heavy, *legs([9], load="light", start=30), *legs([9, 9.1], load="light", start=60)]
    found = change_at(both, 45)
    assert found is not None and found.before_l_100km == pytest.approx(9.0)


def test_flat_is_said_only_where_the_fills_say_it() -> None:
    light = legs([9, 9.1, 8.9, 9.0], load="light")
    assert flat_whatever_the_load([*light, *legs([9.0, 9.1, 8.95, 9], load="heavy")]) is True
    assert flat_whatever_the_load([*light, *legs([11, 11.2, 10.9, 11], load="heavy")]) is False
    assert flat_whatever_the_load([*light, *legs([9, 13, 9.5, 14], load="heavy")]) is None
    assert flat_whatever_the_load(light) is None


def test_the_interval_holds_as_often_as_it_says() -> None:
    random, inside = Random(3), 0
    for _ in range(2000):
        uses = [8 * math.exp(random.gauss(0, 0.04)) for _ in range(8)]
        use = use_of(legs(uses), hours=False)
        assert use and use.low is not None and use.high is not None
        inside += use.low <= 8 * math.exp(0.04**2 / 2) <= use.high
    assert 0.93 < inside / 2000 < 0.97


def test_a_month_asks_for_a_fortnight() -> None:
    assert per_month(legs([8])) is None
    assert per_month(legs([8, 8, 8])) == pytest.approx(1500 / 30 * 30.44)
