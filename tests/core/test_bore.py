"""The bore gauge's arithmetic."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.calculations.bore_restriction import BoreInput, bore_restriction, grade_of
from galene.core.errors import InputError
from galene.exchange.calculations import calculate


def test_worked_examples() -> None:
    even = bore_restriction(BoreInput(50, [5] * 8))
    assert even.open_area_percent == pytest.approx(
        64.0, rel=0.005
    ) and even.pressure_loss_ratio == pytest.approx(2.441, rel=0.005)
    given_ = {
        "bore_mm": 46,
        "thickness_mm": [2.0, 2.5, 3.5, 4.5, 5.0, 5.5, 6, 5.5, 4.5, 3.5, 2.5, 2.0],
    }
    found = calculate("bore-restriction", given_)
    wanted = {
        "open_area_mm2": 1149.8,
        "open_area_percent": 69.19,
        "equivalent_diameter_mm": 38.26,
        "pressure_loss_ratio": 2.089,
    }
    assert {k: found[k] for k in wanted} == pytest.approx(wanted, rel=0.005)
    assert (found["verdict"], found["grade"]) == ("nearly_closed", 4)


PROFILES = st.lists(st.floats(0, 20), min_size=4, max_size=24)


@given(PROFILES, st.integers(0, 23), st.floats(0.01, 2))
def test_more_deposit_never_opens_the_bore(profile: list[float], at: int, more: float) -> None:
    thicker = list(profile)
    thicker[at % len(profile)] += more
    before, after = (bore_restriction(BoreInput(50, p)) for p in (profile, thicker))
    assert after.open_area_mm2 < before.open_area_mm2 <= math.pi * 25**2 + 1e-9
    assert after.pressure_loss_ratio > before.pressure_loss_ratio and after.grade >= before.grade


@given(PROFILES, st.integers(0, 23))
def test_turning_the_clock_changes_nothing(profile: list[float], by: int) -> None:
    turned = profile[by % len(profile) :] + profile[: by % len(profile)]
    assert bore_restriction(BoreInput(50, turned)).open_area_mm2 == pytest.approx(
        bore_restriction(BoreInput(50, profile)).open_area_mm2
    )


def test_an_uncertain_thickness_gives_an_uncertain_area() -> None:
    found = bore_restriction(BoreInput(40, [2.0] * 6, 0.3))
    assert found.open_area_percent_low < found.open_area_percent < found.open_area_percent_high
    assert found.open_area_percent_low == pytest.approx(100 * (17.7 / 20) ** 2)


@pytest.mark.parametrize(
    ("bore", "thickness", "field"),
    [
        (50, [1, 1, 1], "thickness_mm"),
        (50, [1, 1, 25, 1], "thickness_mm[2]"),
        (50, [1, -1, 1, 1], "thickness_mm[1]"),
        (1, [0] * 4, "bore_mm"),
        (50, [float("nan")] * 4, "thickness_mm[0]"),
    ],
)
def test_impossible_figures_are_named(bore: float, thickness: list[float], field: str) -> None:
    with pytest.raises(InputError) as fault:
        bore_restriction(BoreInput(bore, thickness))
    assert fault.value.field == field


def test_grades_fall_with_the_open_area() -> None:
    assert [grade_of(p) for p in (100, 98, 95, 85, 60)] == [0, 1, 2, 3, 4]
