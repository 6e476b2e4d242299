"""What an address of the net may ask, and when it may ask again."""

from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

from galene.web.shared.limits import GUESSING_S, MOST_GUESSES, Limits

MOMENT = [0.0]


def limits_of(requests: int, seconds: float = 60.0) -> Limits:
    MOMENT[0] = 1_000.0
    return Limits(requests, seconds, clock=lambda: MOMENT[0])


def test_the_rest_is_that_of_the_window_and_asking_does_not_prolong_it() -> None:
    limits = limits_of(3)
    assert [limits.wait("a") for _ in range(4)] == [0, 0, 0, 60]
    MOMENT[0] += 41.5
    assert limits.wait("a") == 19 and limits.wait("b") == 0
    MOMENT[0] += 19
    assert limits.wait("a") == 0


def test_somebody_who_asks_steadily_within_the_limit_is_never_refused() -> None:
    limits = limits_of(30)
    for _ in range(200):
        MOMENT[0] += 2.5
        assert limits.wait("a") == 0


def test_computing_counts_as_time() -> None:
    limits = limits_of(100, seconds=2.0)
    assert limits.wait("a") == 0
    limits.spent("a", 2.5)
    assert limits.wait("a") == 60


def test_many_guesses_at_once_are_not_all_the_first() -> None:
    limits, together = limits_of(10_000), Barrier(40)

    def guess(_: int) -> int:
        together.wait()
        return limits.guess("a")

    with ThreadPoolExecutor(40) as pool:
        assert sum(rest == 0 for rest in pool.map(guess, range(40))) == MOST_GUESSES
    MOMENT[0] += GUESSING_S + 1
    assert limits.guess("a") == 0


def test_a_right_one_is_not_counted() -> None:
    limits = limits_of(10_000)
    for _ in range(3 * MOST_GUESSES):
        assert limits.guess("a") == 0
        limits.right("a")
