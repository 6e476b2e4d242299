"""The hours ahead on Today: legible with twelve jobs."""

import itertools

from hypothesis import given, settings
from hypothesis import strategies as st

from galene.web.day.drawing import LEFT, WIDTH, lanes_of
from tests.often import walks


@settings(max_examples=walks(100), deadline=None)
@given(
    st.lists(
        st.tuples(st.floats(LEFT, LEFT + WIDTH), st.floats(60, 190)), min_size=1, max_size=14
    ).map(lambda marks: sorted(marks, key=lambda m: m[0]))
)
def test_no_words_overlap_and_no_line_runs_through_them(marks: list[tuple[float, float]]) -> None:
    places, rooms = [p for p, _ in marks], [r for _, r in marks]
    drawn = lanes_of(places, rooms)
    spans = [
        (p - r, p) if leftward else (p, p + r)
        for p, r, (_, leftward) in zip(places, rooms, drawn, strict=True)
    ]
    assert all(a >= 0 and b <= LEFT + WIDTH + 20 for a, b in spans)
    for i, j in itertools.permutations(range(len(marks)), 2):
        (a, b), (c, d) = spans[i], spans[j]
        if a < d and c < b:
            assert drawn[i][0] != drawn[j][0], "words in one row overlap"
        if a < places[j] < b:
            assert drawn[j][0] > drawn[i][0], "a line runs through words above its own"
