"""Minutes out of ticks, and the book's figure moved by them."""

import math
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.learning.minutes import (
    BETWEEN,
    PAUSE_FACTOR,
    PAUSE_MINUTES,
    WITHIN,
    Tick,
    Timed,
    own_time,
    spent,
    together,
)


def test_each_step_takes_what_passed_since_the_one_before() -> None:
    ticks = [Tick(step="a", book=5, at=4), Tick(step="b", book=10, at=18)]
    assert [s.minutes for s in spent(ticks, 0)] == [4, 14]


def test_a_pause_says_nothing_and_the_next_step_counts_again() -> None:
    limit = PAUSE_FACTOR * 5 + PAUSE_MINUTES
    ticks = [
        Tick(step="a", book=5, at=limit),
        Tick(step="b", book=5, at=2 * limit + 1),
        Tick(step="c", book=5, at=2 * limit + 7),
    ]
    assert [s.minutes for s in spent(ticks, 0)] == [limit, None, 6]


def test_a_wait_is_nobodys_work() -> None:
    ticks = [Tick(step="a", book=5, at=5), Tick(step="b", book=4, at=68, free_from=65)]
    assert [s.minutes for s in spent(ticks, 0)] == [5, 3]
    # Ticked before the wait was over: nothing is known of its time.
    early = [Tick(step="a", book=5, at=5), Tick(step="b", book=4, at=60, free_from=65)]
    assert [s.minutes for s in spent(early, 0)] == [5, None]


def test_ticks_made_together_share_their_time_by_the_book() -> None:
    ticks = [Tick(step="a", book=2, at=9), Tick(step="b", book=4, at=9.1)]
    assert [s.minutes for s in spent(ticks, 0)] == pytest.approx([9.1 / 3, 9.1 * 2 / 3])


@pytest.mark.parametrize(
    ("ticks", "field"),
    [
        ([Tick(step="a", book=0, at=3)], "book"),
        ([Tick(step="a", book=3, at=9), Tick(step="b", book=3, at=4)], "at"),
        ([Tick(step="a", book=3, at=-1)], "at"),
    ],
)
def test_what_can_not_be_is_named(ticks: list[Tick], field: str) -> None:
    with pytest.raises(InputError) as caught:
        spent(ticks, 0)
    assert caught.value.field == field


@given(
    st.floats(0.5, 240),
    st.integers(0, 300),
    st.floats(0.5, 240),
)
def test_own_figures_lie_between_the_book_and_what_was_timed(
    book: float, count: int, usual: float
) -> None:
    found = own_time(book, Timed(count=count, log_sum=count * math.log(usual)))
    # The expected time lies above the usual one by what single doings stray.
    stray = math.exp((BETWEEN**2 + WITHIN**2) / 2)
    assert min(book, usual) / stray <= found.expected <= max(book, usual) * stray
    assert found.low < found.expected < found.high * 1.2


def test_four_in_five_next_doings_lie_inside() -> None:
    random, inside, tries = Random(5), 0, 4000
    for _ in range(tries):
        usual = random.gauss(math.log(12) - (BETWEEN**2 + WITHIN**2) / 2, BETWEEN)
        logs = [random.gauss(usual, WITHIN) for _ in range(random.randrange(1, 9))]
        found = own_time(12, Timed(count=len(logs), log_sum=sum(logs)))
        inside += found.low <= math.exp(random.gauss(usual, WITHIN)) <= found.high
    assert 0.77 < inside / tries < 0.83


def test_a_plan_adds_up_and_is_surer_than_its_steps() -> None:
    one = own_time(10, Timed(count=3, log_sum=3 * math.log(12)))
    many = together([one] * 9)
    assert many.expected == pytest.approx(9 * one.expected)
    assert (many.high - many.low) / many.expected < 0.5 * (one.high - one.low) / one.expected
    assert together([own_time(5, Timed())]).count == 0
