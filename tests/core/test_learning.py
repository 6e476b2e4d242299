"""Rankings against confirmed causes."""

import random

import pytest

from galene.core.diagnosis.calibration import Confirmed, calibration, wilson
from galene.core.errors import InputError


def test_counts_of_a_few_jobs() -> None:
    jobs = [
        Confirmed((("a", 0.8), ("b", 0.1)), frozenset("a")),
        Confirmed((("a", 0.6), ("b", 0.3)), frozenset("b")),
        Confirmed((("b", 0.5), ("c", 0.4)), frozenset("d")),
    ]
    found = calibration(jobs)
    assert (found.jobs, found.first_right, found.first_two_right) == (3, 1, 2)
    assert {c.cause: (c.confirmed, c.first, c.in_vain) for c in found.causes} == {
        "a": (1, 1, 1),
        "b": (1, 0, 1),
        "d": (1, 0, 0),
    }
    assert found.brier == pytest.approx((0.04 + 0.01 + 0.36 + 0.49 + 0.25 + 0.16) / 6)


@pytest.mark.parametrize(("bias", "off"), [(0.0, False), (0.35, True)])
def test_wrong_numbers_are_seen_and_right_ones_are_not_blamed(bias: float, off: bool) -> None:
    chance = random.Random(7)
    jobs = []
    for _ in range(600):
        stated = chance.uniform(0.55, 0.72)
        jobs.append(
            Confirmed(
                (("a", stated),),
                frozenset({"a" if chance.random() < stated - bias else "other"}),
            )
        )
    assert [b.off for b in calibration(jobs).bins] == [off]


def test_what_can_not_be_counted_is_refused() -> None:
    with pytest.raises(InputError, match="jobs"):
        calibration([])
    with pytest.raises(InputError, match=r"ranking\.a"):
        calibration([Confirmed((("a", 1.2),), frozenset("a"))])
    low, high = wilson(0, 5)
    assert low == pytest.approx(0) and 0.4 < high < 0.6
