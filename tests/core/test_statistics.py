"""Student's t against printed tables, and units against their definitions."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.statistics import incomplete_beta, t_quantile
from galene.core.units import QUANTITIES, convert

TABLE = (
    (1, 0.90, 6.314),
    (1, 0.95, 12.706),
    (2, 0.95, 4.303),
    (4, 0.95, 2.776),
    (5, 0.99, 4.032),
    (10, 0.95, 2.228),
    (30, 0.95, 2.042),
    (120, 0.95, 1.980),
)
"""Degrees, central share and t, as printed in textbooks."""


@pytest.mark.parametrize(("degrees", "share", "t"), TABLE)
def test_t_is_that_of_the_tables(degrees: float, share: float, t: float) -> None:
    assert t_quantile(degrees, share) == pytest.approx(t, abs=5e-4)


def test_many_degrees_come_to_the_normal() -> None:
    assert t_quantile(1e8) == pytest.approx(1.959964, abs=1e-5)


@given(st.floats(0.6, 2000), st.floats(0.02, 0.99))
def test_t_holds_its_share(degrees: float, share: float) -> None:
    t = t_quantile(degrees, share)
    steps = 4000
    # Simpson's rule over the angle, where the density's tail does not matter.
    top = math.atan(t / math.sqrt(degrees))
    width = top / steps
    terms = (
        (1 if k in (0, steps) else 4 if k % 2 else 2) * math.cos(k * width) ** (degrees - 1)
        for k in range(steps + 1)
    )
    front = math.exp(math.lgamma((degrees + 1) / 2) - math.lgamma(degrees / 2))
    inside = 2 * front / math.sqrt(math.pi) * math.fsum(terms) * width / 3
    assert inside == pytest.approx(share, abs=1e-4)


@pytest.mark.parametrize(("degrees", "share"), [(0, 0.95), (math.nan, 0.95), (5, 1.0), (5, 0.0)])
def test_what_has_no_quantile_is_named(degrees: float, share: float) -> None:
    with pytest.raises(InputError):
        t_quantile(degrees, share)


def test_the_beta_function_at_its_ends() -> None:
    assert (incomplete_beta(2, 3, 0), incomplete_beta(2, 3, 1)) == (0, 1)
    assert incomplete_beta(1, 1, 0.3) == pytest.approx(0.3)


@pytest.mark.parametrize(
    ("quantity", "value", "source", "target", "wanted"),
    [
        ("pressure", 29.92, "inHg", "kPa", 101.3207),
        ("pressure", 14.5038, "psi", "bar", 1.0),
        ("temperature", -40, "degF", "degC", -40),
        ("temperature", 100, "degC", "degF", 212),
        ("airflow", 1, "lb/min", "g/s", 7.559873),
        ("torque", 100, "lb ft", "N m", 135.5818),
        ("distance", 100, "mi", "km", 160.9344),
        ("pressure_drop", 1, "inH2O", "Pa", 249.089),
        ("volume", 1, "fl oz", "ml", 29.57353),
        ("economy", 8.0, "l/100km", "mpg", 29.40182),
    ],
)
def test_units_are_those_of_their_definitions(
    quantity: str, value: float, source: str, target: str, wanted: float
) -> None:
    found = convert(QUANTITIES[quantity], value, source, target=target)
    assert found == pytest.approx(wanted, rel=1e-5)
    back = convert(QUANTITIES[quantity], found, target, target=source)
    assert back == pytest.approx(value, rel=1e-12)
