"""Worked examples, refusals and properties of the calculations."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.calculations.catalogue import as_plain
from galene.core.calculations.catalogue import every as every_calculation
from galene.core.calculations.drying_time import DryingTimeInput, drying_time
from galene.core.calculations.expected_airflow import ExpectedAirflowInput, expected_airflow
from galene.core.calculations.idle_gap import IdleGapInput, idle_gap, plate_open_area_mm2
from galene.core.calculations.isa_pressure import IsaPressureInput, isa_pressure
from galene.core.calculations.key_on_agreement import KeyOnInput, PressureReading, key_on_agreement
from galene.core.calculations.trim_split import TrimPoint, TrimSplitInput, trim_split
from galene.core.errors import InputError
from galene.core.flow import CRITICAL_RATIO, PSI_MAX, orifice_area_mm2, psi

CLOSE = 0.003


def test_isa_pressure() -> None:
    assert isa_pressure(IsaPressureInput(640)).pressure_kpa == pytest.approx(93.869, rel=1e-5)
    assert isa_pressure(IsaPressureInput(0)).pressure_kpa == pytest.approx(101.325)
    with pytest.raises(InputError, match=r"altitude_m: 12000 .* -430 to 11000"):
        isa_pressure(IsaPressureInput(12000))


def test_orifice_flow_is_choked_below_the_critical_ratio() -> None:
    assert pytest.approx(0.528, abs=5e-4) == CRITICAL_RATIO
    assert pytest.approx(0.6847, abs=5e-5) == PSI_MAX
    assert psi(0.2) == psi(0.5) == PSI_MAX
    assert psi(1.0) == 0.0
    assert psi(CRITICAL_RATIO + 1e-9) == pytest.approx(PSI_MAX, rel=1e-6)


@given(st.floats(0.53, 0.999), st.floats(0.0005, 0.4))
def test_orifice_flow_falls_with_the_pressure_ratio(ratio: float, step: float) -> None:
    assert psi(min(1.0, ratio + step)) < psi(ratio)


@given(st.floats(0.1, 50), st.floats(20, 95), st.floats(-20, 60))
def test_orifice_area_gives_the_flow_back(mass: float, down: float, temperature: float) -> None:
    area = orifice_area_mm2(mass, 100.0, down, up_c=temperature, discharge_coefficient=0.8)
    back = (
        0.8
        * area
        * 1e-6
        * 100e3
        / math.sqrt(287.05 * (temperature + 273.15))
        * psi(down / 100.0)
        * 1e3
    )
    assert back == pytest.approx(mass, rel=1e-9)


def test_expected_airflow() -> None:
    assert expected_airflow(
        ExpectedAirflowInput(
            displacement_l=2.2, rpm=2500, map_kpa=100, intake_c=25, volumetric_efficiency=0.85
        )
    ).expected_g_s == pytest.approx(45.52, rel=CLOSE)
    assert expected_airflow(
        ExpectedAirflowInput(
            displacement_l=0.25,
            rpm=3000,
            map_kpa=60,
            intake_c=30,
            volumetric_efficiency=0.7,
            strokes=2,
        )
    ).expected_g_s == pytest.approx(6.033, rel=CLOSE)


@pytest.mark.parametrize(
    ("measured", "verdict"),
    [(45.5, "agree"), (36.0, "reads_low"), (55.0, "reads_high"), (None, "no_measurement")],
)
def test_expected_airflow_verdict(measured: float | None, verdict: str) -> None:
    result = expected_airflow(
        ExpectedAirflowInput(
            displacement_l=2.2,
            rpm=2500,
            map_kpa=100,
            intake_c=25,
            volumetric_efficiency=0.85,
            strokes=4,
            measured_g_s=measured,
        )
    )
    assert result.verdict == verdict
    assert result.expected_low_g_s < result.expected_g_s < result.expected_high_g_s


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"displacement_l": -1}, "displacement_l"),
        ({"rpm": 0}, "rpm"),
        ({"map_kpa": 0}, "map_kpa"),
        ({"intake_c": -300}, "intake_c"),
        ({"volumetric_efficiency": 0}, "volumetric_efficiency"),
        ({"strokes": 3}, "strokes"),
        ({"measured_g_s": -2}, "measured_g_s"),
        ({"map_kpa": math.nan}, "map_kpa"),
    ],
)
def test_expected_airflow_names_the_impossible_field(change: dict[str, float], field: str) -> None:
    base = {
        "displacement_l": 2.2,
        "rpm": 2500,
        "map_kpa": 100,
        "intake_c": 25,
        "volumetric_efficiency": 0.85,
    }
    with pytest.raises(InputError) as fault:
        expected_airflow(ExpectedAirflowInput(**{**base, **change}))
    assert fault.value.field == field
    assert fault.value.allowed


EXAMPLE = [TrimPoint(3.0, 18.0), TrimPoint(9.0, 9.0), TrimPoint(22.0, 6.2), TrimPoint(48, 5.1)]


def test_trim_split_worked_example() -> None:
    result = trim_split(TrimSplitInput(EXAMPLE))
    assert result.meter_gain == pytest.approx(0.9585, rel=CLOSE)
    assert result.leak_g_s == pytest.approx(0.4112, rel=CLOSE)
    assert result.verdict == "both"
    assert result.meter_gain_low is not None and result.meter_gain_high is not None
    assert result.meter_gain_low < result.meter_gain < result.meter_gain_high < 1
    assert result.leak_g_s_low is not None and result.leak_g_s_low > 0


@given(st.floats(0.75, 1.3), st.floats(0.0, 1.0))
def test_trim_split_finds_what_was_put_in(gain: float, leak: float) -> None:
    points = [TrimPoint(m, ((1 / gain - 1) + leak / m) * 100) for m in (3.0, 8.0, 20.0, 45.0)]
    result = trim_split(TrimSplitInput(points))
    assert result.meter_gain == pytest.approx(gain, rel=1e-6)
    assert result.leak_g_s == pytest.approx(leak, abs=1e-6)


def test_trim_split_counts_the_leak_less_near_open_throttle() -> None:
    baro, leak = 100.0, 0.5
    points = []
    for flow, pressure in ((3.0, 33.0), (9.0, 40.0), (22.0, 75.0), (30.0, 90.0)):
        share = psi(pressure / baro) / PSI_MAX
        points.append(TrimPoint(flow, leak * share / flow * 100, pressure))
    result = trim_split(TrimSplitInput(points, baro))
    assert result.leak_g_s == pytest.approx(leak, rel=1e-6)
    assert result.verdict == "leak"


@pytest.mark.parametrize(
    ("points", "verdict"),
    [
        ([(3, 0.5), (9, -0.4), (22, 0.3), (45, -0.2)], "neither"),
        ([(3, 12.1), (9, 11.8), (22, 12.2), (45, 12.0)], "meter"),
        ([(3, 15.0), (9, 5.1), (22, 2.0), (45, 1.0)], "leak"),
        ([(3, 18), (9, 9)], "not_enough"),
        ([(3, 10), (3.4, 9), (4, 9.5)], "not_enough"),
    ],
)
def test_trim_split_verdicts(points: list[tuple[float, float]], verdict: str) -> None:
    assert trim_split(TrimSplitInput([TrimPoint(*p) for p in points])).verdict == verdict


@pytest.mark.parametrize(
    ("points", "field"),
    [
        ([], "points"),
        ([TrimPoint(3, 5)], "points"),
        ([TrimPoint(3, 5), TrimPoint(3, 6)], "points"),
        ([TrimPoint(3, 5), TrimPoint(0, 6)], "points[1].airflow_g_s"),
        ([TrimPoint(3, 500), TrimPoint(9, 6)], "points[0].trim_percent"),
        ([TrimPoint(3, 5, 101.4), TrimPoint(9, 6)], "points[0].map_kpa"),
    ],
)
def test_trim_split_refuses(points: list[TrimPoint], field: str) -> None:
    with pytest.raises(InputError) as fault:
        trim_split(TrimSplitInput(points))
    assert fault.value.field == field


GAP = IdleGapInput(
    bore_mm=58,
    closed_angle_deg=6,
    idle_air_g_s=2.6,
    intake_kpa=100.2,
    intake_c=24,
    manifold_kpa=33,
    discharge_coefficient=0.82,
    deposit_mm=0.04,
)


def test_idle_gap_worked_example() -> None:
    result = idle_gap(GAP)
    assert result.area_needed_mm2 == pytest.approx(13.497, rel=CLOSE)
    assert result.mean_gap_um == pytest.approx(74, rel=0.005)
    assert result.angle_clean_deg == pytest.approx(8.333, rel=CLOSE)
    assert result.angle_fouled_deg == pytest.approx(9.173, rel=CLOSE)
    assert result.learned_offset_deg == pytest.approx(0.840, rel=CLOSE)
    assert result.airflow_ratio_without_relearn == pytest.approx(1.439, rel=CLOSE)
    assert result.verdict == "relearn_needed"


def test_a_tenth_of_a_millimetre_doubles_the_idle_air() -> None:
    result = idle_gap(
        IdleGapInput(
            bore_mm=58,
            closed_angle_deg=6,
            idle_air_g_s=2.6,
            intake_kpa=100.2,
            intake_c=24,
            manifold_kpa=33,
            discharge_coefficient=0.82,
            deposit_mm=0.1,
        )
    )
    assert result.airflow_ratio_without_relearn > 2


@given(st.floats(0, 0.3), st.floats(0.01, 0.2))
def test_more_deposit_means_a_larger_offset(deposit: float, more: float) -> None:
    thin = idle_gap(
        IdleGapInput(
            bore_mm=58,
            closed_angle_deg=6,
            idle_air_g_s=2.6,
            intake_kpa=100.2,
            intake_c=24,
            manifold_kpa=33,
            discharge_coefficient=0.82,
            deposit_mm=deposit,
        )
    )
    thick = idle_gap(
        IdleGapInput(
            bore_mm=58,
            closed_angle_deg=6,
            idle_air_g_s=2.6,
            intake_kpa=100.2,
            intake_c=24,
            manifold_kpa=33,
            discharge_coefficient=0.82,
            deposit_mm=deposit + more,
        )
    )
    assert thick.learned_offset_deg > thin.learned_offset_deg
    assert thick.angle_clean_deg == thin.angle_clean_deg


def test_idle_gap_carries_the_deposits_uncertainty() -> None:
    sure, unsure = (
        idle_gap(GAP),
        idle_gap(
            IdleGapInput(
                bore_mm=58,
                closed_angle_deg=6,
                idle_air_g_s=2.6,
                intake_kpa=100.2,
                intake_c=24,
                manifold_kpa=33,
                discharge_coefficient=0.82,
                deposit_mm=0.04,
                deposit_tolerance_mm=0.02,
            )
        ),
    )
    assert sure.learned_offset_low_deg == sure.learned_offset_deg == sure.learned_offset_high_deg
    assert (
        unsure.learned_offset_low_deg < unsure.learned_offset_deg < unsure.learned_offset_high_deg
    )


def test_plate_is_closed_at_its_closed_angle() -> None:
    assert plate_open_area_mm2(58, 6, 6) == pytest.approx(0, abs=1e-9)
    assert plate_open_area_mm2(58, 6, 5) == 0
    assert plate_open_area_mm2(58, 6, 89.99) == pytest.approx(math.pi * 29**2, rel=0.002)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"manifold_kpa": 100.2}, "manifold_kpa"),
        ({"bore_mm": -58}, "bore_mm"),
        ({"deposit_mm": -0.1}, "deposit_mm"),
        ({"deposit_mm": 20}, "deposit_mm"),
        ({"idle_air_g_s": 0}, "idle_air_g_s"),
        ({"discharge_coefficient": 2}, "discharge_coefficient"),
        ({"bore_mm": 20, "idle_air_g_s": 60}, "idle_air_g_s"),
    ],
)
def test_idle_gap_refuses(change: dict[str, float], field: str) -> None:
    with pytest.raises(InputError) as fault:
        idle_gap(IdleGapInput(**{**as_plain(GAP), **change}))
    assert fault.value.field == field


def test_drying_time() -> None:
    result = drying_time(DryingTimeInput(base_minutes=15, temperature_c=5, class_="alkane"))
    assert result.factor == pytest.approx(2.247, rel=CLOSE)
    assert result.minutes == pytest.approx(15 * 2.247, rel=CLOSE)
    assert (
        drying_time(DryingTimeInput(base_minutes=15, temperature_c=5, class_="maf_cleaner")).factor
        == result.factor
    )


def test_warm_air_never_shortens_the_label() -> None:
    result = drying_time(DryingTimeInput(base_minutes=15, temperature_c=35, class_="acetone"))
    assert result.factor < 1
    assert result.minutes == 15
    assert result.held_at_base and result.verdict == "label_time"


@given(st.floats(-15, 55), st.floats(0.5, 20))
def test_colder_air_dries_slower(temperature: float, colder: float) -> None:
    warm = drying_time(DryingTimeInput(base_minutes=10, temperature_c=temperature, class_="water"))
    cold = drying_time(
        DryingTimeInput(
            base_minutes=10, temperature_c=max(-20, temperature - colder), class_="water"
        )
    )
    assert cold.factor > warm.factor
    assert cold.minutes >= warm.minutes >= 10


def test_damp_air_slows_only_water() -> None:
    assert drying_time(
        DryingTimeInput(
            base_minutes=10,
            temperature_c=20,
            class_="water",
            vaporisation_kj_mol=None,
            relative_humidity=0.75,
        )
    ).factor == pytest.approx(2.0)
    with_humidity = drying_time(
        DryingTimeInput(
            base_minutes=10,
            temperature_c=20,
            class_="alkane",
            vaporisation_kj_mol=None,
            relative_humidity=0.75,
        )
    )
    assert with_humidity.factor == pytest.approx(1.0)
    for wrong in (
        DryingTimeInput(
            base_minutes=10,
            temperature_c=20,
            class_="water",
            vaporisation_kj_mol=None,
            relative_humidity=1.0,
        ),
        DryingTimeInput(base_minutes=10, temperature_c=20, class_="petrol"),
        DryingTimeInput(base_minutes=10, temperature_c=20),
        DryingTimeInput(base_minutes=0, temperature_c=20, class_="water"),
    ):
        with pytest.raises(InputError):
            drying_time(wrong)


def readings(**values: float) -> list[PressureReading]:
    return [PressureReading(k, v) for k, v in values.items()]


@pytest.mark.parametrize(
    ("given_", "verdict", "suspect"),
    [
        (
            KeyOnInput(
                readings=readings(map_sensor=101.0, boost_sensor=100.4), barometer_kpa=101.2
            ),
            "agree",
            None,
        ),
        (
            KeyOnInput(readings=readings(map_sensor=101.0, boost_sensor=95.4), barometer_kpa=101.2),
            "one_off",
            "boost_sensor",
        ),
        (
            KeyOnInput(readings=readings(map_sensor=90.0, boost_sensor=95.4), barometer_kpa=101.2),
            "several_off",
            None,
        ),
        (KeyOnInput(readings=readings(map_sensor=101.0, boost_sensor=95.4)), "undecided", None),
        (KeyOnInput(readings=readings(map_sensor=101.0, boost_sensor=100.4)), "agree", None),
        (KeyOnInput(readings=readings(map_sensor=101.0)), "undecided", None),
        (KeyOnInput(readings=readings(a=101.0, b=101.3, c=94.0)), "one_off", "c"),
        (
            KeyOnInput(readings=readings(map_sensor=93.8), barometer_kpa=None, altitude_m=640),
            "agree",
            None,
        ),
    ],
)
def test_key_on_agreement(given_: KeyOnInput, verdict: str, suspect: str | None) -> None:
    result = key_on_agreement(given_)
    assert (result.verdict, result.suspect) == (verdict, suspect)
    assert (result.reference_kpa is None) == (verdict == "undecided")


def test_key_on_reference_order() -> None:
    three = readings(a=90.0, b=90.5, c=91.0)
    assert key_on_agreement(KeyOnInput(readings=three)).reference_kpa == 90.5
    assert (
        key_on_agreement(
            KeyOnInput(readings=three, barometer_kpa=100.0, altitude_m=640)
        ).reference_kpa
        == 100.0
    )
    assert key_on_agreement(
        KeyOnInput(readings=three, barometer_kpa=None, altitude_m=640)
    ).reference_kpa == pytest.approx(93.869, rel=1e-4)


@pytest.mark.parametrize(
    "wrong",
    [
        KeyOnInput(readings=[]),
        KeyOnInput(readings=[PressureReading("a", 101), PressureReading("a", 100)]),
        KeyOnInput(readings=[PressureReading("a", -3)]),
        KeyOnInput(readings=[PressureReading("a", 101)], barometer_kpa=20),
        KeyOnInput(readings=[PressureReading("a", 101)], barometer_kpa=None, altitude_m=20000),
        KeyOnInput(
            readings=[PressureReading("a", 101)],
            barometer_kpa=101,
            altitude_m=None,
            tolerance_kpa=0,
        ),
    ],
)
def test_key_on_refuses(wrong: KeyOnInput) -> None:
    with pytest.raises(InputError):
        key_on_agreement(wrong)


def test_every_calculation_has_a_question_and_a_docstring_with_its_source() -> None:
    for calculation in every_calculation().values():
        assert calculation.question.endswith("?")
        assert "Raises" in (calculation.run.__doc__ or ""), calculation.name
