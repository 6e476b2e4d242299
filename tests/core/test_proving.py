"""Before and after: comparability first, then the interval, then the size that counts."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.calculations.before_after import BeforeAfterInput, MetricValue, before_after
from galene.core.calculations.conditions import BothConditions, Conditions
from galene.core.errors import InputError
from galene.core.statistics import fit_line, t_quantile, welch

SAME = Conditions(rpm=740, coolant_c=90, intake_c=20, load=[], codes_active=[])
THROTTLE = "learned_throttle_percent"


def compared(
    before: list[MetricValue],
    after: list[MetricValue],
    old: Conditions = SAME,
    *,
    new: Conditions = SAME,
    **more: dict[str, float],
):
    return before_after(
        BeforeAfterInput(before=before, after=after, conditions=BothConditions(old, new), **more)
    )


def samples(metric: str, *values: float, unit: str | None = None) -> MetricValue:
    return MetricValue(metric=metric, samples=list(values), unit=unit)


def test_a_clear_gain_is_improved() -> None:
    result = compared([samples(THROTTLE, 6.1, 6.3, 6.2)], [samples(THROTTLE, 3.4, 3.3, 3.5)])
    change = result.metrics[0]
    assert result.verdict == change.verdict == "improved"
    assert change.change == pytest.approx(-2.8)
    assert change.change_percent == pytest.approx(-45.16, abs=0.01)
    assert (
        change.low is not None and change.high is not None and change.low < -2.8 < change.high < 0
    )


def test_a_change_smaller_than_counts_is_unchanged() -> None:
    result = compared([samples(THROTTLE, 3.50, 3.51, 3.52)], [samples(THROTTLE, 3.30, 3.31, 3.32)])
    assert result.verdict == "unchanged"
    assert "smallest change" in result.metrics[0].reason


def test_scatter_as_large_as_the_change_is_unchanged() -> None:
    result = compared([samples(THROTTLE, 3, 9, 6)], [samples(THROTTLE, 2, 8, 5)])
    assert result.verdict == "unchanged"
    assert "scatter" in result.metrics[0].reason


def test_worse_beats_improved() -> None:
    result = compared(
        [samples(THROTTLE, 6.1, 6.2, 6.3), samples("trim_idle_percent", 1.0, 1.1, 0.9)],
        [samples(THROTTLE, 3.1, 3.2, 3.3), samples("trim_idle_percent", 9.0, 9.1, 8.9)],
    )
    assert [m.verdict for m in result.metrics] == ["improved", "worse"]
    assert result.verdict == "worse"


def test_trims_improve_toward_zero_from_both_sides() -> None:
    for start in (9.0, -9.0):
        result = compared(
            [samples("trim_idle_percent", start, start + 0.2)],
            [samples("trim_idle_percent", 0.5, 0.3)],
        )
        assert result.verdict == "improved"


def test_speed_is_judged_only_against_a_target() -> None:
    before, after = [samples("idle_rpm", 715, 716, 717)], [samples("idle_rpm", 741, 742, 743)]
    assert compared(before, after).verdict == "unchanged"
    assert compared(before, after, targets={"idle_rpm": 745.0}).verdict == "improved"


def test_units_are_converted_before_they_are_compared() -> None:
    result = compared(
        [samples("idle_map_kpa", 11.0, 11.02, unit="inHg")],
        [samples("idle_map_kpa", 33.0, 33.1, unit="kPa")],
    )
    assert result.metrics[0].before == pytest.approx(37.28, abs=0.05)
    assert result.verdict == "improved"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"rpm": 790}, "speed differs"),
        ({"coolant_c": 78}, "coolant differs"),
        ({"coolant_c": 65}, "must be above 70"),
        ({"load": ["lamps"]}, "different loads"),
        ({"rpm": None}, "speed was not recorded"),
        ({"coolant_c": None}, "coolant temperature was not recorded"),
        ({"load": None}, "load switches were not recorded"),
        ({"protective_mode": True}, "protective mode"),
        ({"codes_active": ["P2106"]}, "P2106"),
    ],
)
def test_sets_under_other_conditions_are_not_compared(
    change: dict[str, object], words: str
) -> None:
    result = compared(
        [samples(THROTTLE, 6.1, 6.2)],
        [samples(THROTTLE, 3.1, 3.2)],
        SAME,
        new=replace(SAME, **change),
    )
    assert result.verdict == result.metrics[0].verdict == "not_comparable"
    assert words in " ".join(result.reasons)
    assert result.metrics[0].change == pytest.approx(-3.0), "the figures are still shown"


def test_a_lean_code_does_not_stand_in_the_way() -> None:
    result = compared(
        [samples(THROTTLE, 6.1, 6.2)],
        [samples(THROTTLE, 3.1, 3.2)],
        replace(SAME, codes_active=["P0171"]),
    )
    assert result.comparable


def test_other_intake_air_is_noted_only() -> None:
    result = compared(
        [samples(THROTTLE, 6.1, 6.2)],
        [samples(THROTTLE, 3.1, 3.2)],
        SAME,
        new=replace(SAME, intake_c=40),
    )
    assert result.comparable and "intake air" in result.notes[0]


def test_a_metric_that_only_one_set_has_is_not_comparable() -> None:
    result = compared(
        [samples(THROTTLE, 6.1, 6.2)], [samples(THROTTLE, 3.1, 3.2), samples("boost_kpa", 150, 151)]
    )
    assert {m.metric: m.verdict for m in result.metrics} == {
        THROTTLE: "improved",
        "boost_kpa": "not_comparable",
    }


@pytest.mark.parametrize(
    ("before", "after", "field"),
    [
        (
            [MetricValue(metric="warp", value=1)],
            [MetricValue(metric="warp", value=1)],
            "before[0].metric",
        ),
        ([], [samples(THROTTLE, 1, 2)], "before"),
        (
            [MetricValue(metric=THROTTLE, value=1), MetricValue(metric=THROTTLE, value=2)],
            [samples(THROTTLE, 1)],
            "before[1].metric",
        ),
        ([MetricValue(metric=THROTTLE)], [samples(THROTTLE, 1)], "before[0].value"),
        (
            [MetricValue(metric=THROTTLE, value=1, samples=[1.0])],
            [samples(THROTTLE, 1)],
            "before[0].value",
        ),
        ([MetricValue(metric=THROTTLE, value=190)], [samples(THROTTLE, 1)], "before[0].value"),
        ([MetricValue(metric=THROTTLE, value=5, unit="kPa")], [samples(THROTTLE, 1)], "unit"),
    ],
)
def test_refusals_name_the_field(
    before: list[MetricValue], after: list[MetricValue], field: str
) -> None:
    with pytest.raises(InputError) as fault:
        compared(before, after)
    assert fault.value.field == field


def test_students_t_and_welch_against_tables() -> None:
    assert t_quantile(2) == pytest.approx(4.303, abs=1e-3)
    assert t_quantile(10) == pytest.approx(2.228, abs=1e-3)
    # Two groups of five with unit steps: pooled by hand, variance 2.5 each, standard error 1, 8
    # degrees of freedom.
    result = welch([1, 2, 3, 4, 5], [3, 4, 5, 6, 7])
    assert result.change == 2
    assert result.high - result.change == pytest.approx(2.306, abs=1e-3)


@given(st.lists(st.floats(1, 100), min_size=2, max_size=8), st.floats(-50, 50))
def test_welch_moves_with_a_shift_and_keeps_its_width(values: list[float], shift: float) -> None:
    plain, moved = welch(values, values), welch(values, [v + shift for v in values])
    assert moved.change == pytest.approx(shift, abs=1e-6)
    assert moved.high - moved.low == pytest.approx(plain.high - plain.low, abs=1e-6)


def test_line_through_two_points_has_no_interval() -> None:
    line = fit_line([0, 1], [2, 5])
    assert (line.intercept, line.slope, line.slope_half) == (2, 3, None)
