"""When something at the car counts as made."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from galene.core.jobcard.moments import DRIFT, FLUSHED_IN, Away, believable

NOON = datetime(2026, 11, 26, 12, tzinfo=UTC)
SECONDS = st.integers(-(10**6), 10**6).map(lambda s: timedelta(seconds=s))


def test_a_wrong_clock_is_wrong_twice() -> None:
    """A tablet an hour behind, out of reach for a while: what it made ten minutes before it sent
    was made ten minutes ago."""
    out = Away(begin=NOON - timedelta(minutes=30), end=NOON)
    behind = timedelta(hours=1)
    made = believable(
        NOON - behind - timedelta(minutes=10), sent=NOON - behind, received=NOON, away=out
    )
    assert made == NOON - timedelta(minutes=10)


@given(claimed=SECONDS, sent=st.none() | SECONDS, begin=SECONDS, length=SECONDS)
def test_never_the_future_and_never_where_the_server_knows_better(
    claimed: timedelta, sent: timedelta | None, begin: timedelta, length: timedelta
) -> None:
    away = Away(begin=NOON - abs(begin) - abs(length), end=NOON - abs(begin))
    made = believable(
        NOON + claimed,
        sent=None if sent is None else NOON + sent,
        received=NOON,
        away=away,
    )
    assert made <= NOON
    vouched = NOON - away.end <= FLUSHED_IN and away.begin - DRIFT <= made
    assert NOON - made <= DRIFT or vouched
