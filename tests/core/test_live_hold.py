"""A hold judged by samples: in one go or in pieces it comes to the same, a gap never passes it."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.proof.live_hold import GuardLimit, Sample, judge_hold

PEDAL = GuardLimit(guard="pedal", column="pedal_pct", quantity="share", high=1.5, lasts_s=0.4)
CONTEXT_S = 4.0


def line(pedals: list[float], *, step: float = 0.2, rpm: float = 0.0) -> list[Sample]:
    return [
        Sample(at_s=round(step * k, 3), heard=True, figures={"rpm": rpm, "pedal_pct": pedal})
        for k, pedal in enumerate(pedals)
    ]


@given(
    st.lists(st.sampled_from([0.0, 0.0, 0.0, 30.0]), min_size=2, max_size=120),
    st.integers(min_value=1, max_value=119),
)
def test_in_pieces_it_comes_to_the_same(pedals: list[float], cut: int) -> None:
    samples = line(pedals)
    whole = judge_hold(samples, [PEDAL], "key_on")
    cut = min(cut, len(samples) - 1)
    first = judge_hold(samples[:cut], [PEDAL], "key_on")
    upto = samples[cut - 1].at_s
    rest = [s for s in samples if s.at_s >= upto - CONTEXT_S]
    second = judge_hold(rest, [PEDAL], "key_on", held_s=first.held_s, counts_from_s=upto)
    # A foot that was on for longer than the context is one break more: never one less.
    assert len(first.broken) + len(second.broken) >= len(whole.broken)
    if max(_longest(pedals), 1) * 0.2 < CONTEXT_S - 1:
        assert [b.at_s for b in (*first.broken, *second.broken)] == [b.at_s for b in whole.broken]
        assert second.held_s == pytest.approx(whole.held_s, abs=1e-6)


def _longest(pedals: list[float]) -> int:
    longest = run = 0
    for pedal in pedals:
        run = run + 1 if pedal else 0
        longest = max(longest, run)
    return longest


@given(st.floats(min_value=1.6, max_value=5000))
def test_a_gap_never_counts(gap: float) -> None:
    before = line([0.0] * 11)
    after = [Sample(at_s=2.0 + gap + 0.2 * k, heard=True, figures={"rpm": 0.0}) for k in range(11)]
    assert judge_hold([*before, *after], [PEDAL], "key_on").held_s == pytest.approx(4.0)


@pytest.mark.parametrize(
    ("wanted", "rpm", "heard", "held"),
    [
        ("running", 740, True, 2.0),
        ("running", 0, True, 0.0),
        ("key_on", 740, True, 0.0),
        ("silent", 0, True, 0.0),
        ("silent", 0, False, 2.0),
        ("key_on", 0, False, 0.0),
    ],
)
def test_only_the_wanted_state_counts(wanted: str, rpm: float, heard: bool, held: float) -> None:
    samples = [
        Sample(at_s=0.2 * k, heard=heard, figures={"rpm": rpm} if heard else {}) for k in range(11)
    ]
    assert judge_hold(samples, [], wanted).held_s == pytest.approx(held)


def test_a_foot_that_stays_is_one_break_and_nothing_counts_under_it() -> None:
    found = judge_hold(line([0.0] * 10 + [30.0] * 20 + [0.0] * 6), [PEDAL], "key_on")
    assert [b.guard for b in found.broken] == ["pedal"]
    assert found.held_s == pytest.approx(1.0, abs=0.21)
