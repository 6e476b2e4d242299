"""A dose through a vacuum line: as much as the mixture control takes back, no more."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.planning.running_goes import vacuum_goes


def test_by_hand() -> None:
    # 0.25 * 14.2 g/s / 14.2 = 0.25 g/s; a minute of go and pause bears 15 g, 20.27 ml: five goes of
    # 20 ml.
    found = vacuum_goes(airflow_g_s=14.2, amount_ml=100)
    assert (found.goes, found.go_ml, found.minutes) == (5, 20.0, 4.5)


@given(
    air=st.floats(0.2, 1000), ml=st.floats(1, 5000), go=st.floats(5, 300), pause=st.floats(5, 300)
)
def test_all_of_the_dose_and_never_faster_than_the_control(
    air: float, ml: float, go: float, pause: float
) -> None:
    found = vacuum_goes(airflow_g_s=air, amount_ml=ml, go_s=go, pause_s=pause)
    assert found.goes * found.go_ml == pytest.approx(ml)
    assert found.go_ml * 0.74 / (go + pause) <= 0.25 * air / 14.2 * (1 + 1e-9)
    assert found.minutes * 60 == pytest.approx(found.goes * go + (found.goes - 1) * pause)


@pytest.mark.parametrize(
    ("field", "value"),
    [("airflow_g_s", 0.1), ("amount_ml", float("nan")), ("go_s", 301), ("pause_s", 0)],
)
def test_what_is_out_of_range_is_named(field: str, value: float) -> None:
    figures = {"airflow_g_s": 10.0, "amount_ml": 100.0, field: value}
    with pytest.raises(InputError, match=field):
        vacuum_goes(**figures)
