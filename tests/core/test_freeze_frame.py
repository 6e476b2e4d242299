"""What the frame of a code says."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.diagnosis.freeze_frame import (
    RANGES,
    FreezeFrame,
    check_frame,
    evidence_of_frame,
)
from galene.core.errors import InputError

LEAN = ("code_lean",)


@pytest.mark.parametrize(
    ("groups", "frame", "said"),
    [
        (LEAN, FreezeFrame(rpm=700, speed_km_h=0, load_percent=22), ("code_lean_at_idle",)),
        (LEAN, FreezeFrame(rpm=700), ("code_lean_at_idle",)),
        (LEAN, FreezeFrame(rpm=700, speed_km_h=40), ()),
        (LEAN, FreezeFrame(rpm=700, load_percent=60), ()),
        (LEAN, FreezeFrame(rpm=2600, speed_km_h=90, load_percent=55), ("code_lean_off_idle",)),
        (LEAN, FreezeFrame(rpm=2600), ("code_lean_off_idle",)),
        (LEAN, FreezeFrame(rpm=2600, speed_km_h=0, load_percent=20), ()),
        (LEAN, FreezeFrame(rpm=1000, speed_km_h=20), ()),
        (LEAN, FreezeFrame(rpm=0), ()),
        (LEAN, FreezeFrame(speed_km_h=90), ()),
        (("code_rich",), FreezeFrame(rpm=700), ()),
        (("code_rich",), FreezeFrame(coolant_c=12), ("worse_when_cold",)),
        (LEAN, FreezeFrame(coolant_c=12, rpm=700), ("worse_when_cold", "code_lean_at_idle")),
        (LEAN, FreezeFrame(coolant_c=90), ()),
        (LEAN, FreezeFrame(), ()),
    ],
)
def test_a_frame_says_what_follows_from_it(
    groups: tuple[str, ...], frame: FreezeFrame, said: tuple[str, ...]
) -> None:
    assert evidence_of_frame(groups, frame, 750) == said


FIGURE = st.none() | st.floats(-500, 20_000)


@given(FIGURE, FIGURE, FIGURE, FIGURE)
def test_no_frame_says_both_and_what_can_not_be_is_named(
    coolant: float | None, rpm: float | None, load: float | None, speed: float | None
) -> None:
    frame = FreezeFrame(coolant_c=coolant, rpm=rpm, load_percent=load, speed_km_h=speed)
    said = evidence_of_frame(LEAN, frame, None)
    assert not {"code_lean_at_idle", "code_lean_off_idle"} <= set(said)
    odd = [
        name
        for name, (low, high) in RANGES.items()
        if (value := getattr(frame, name)) is not None and not low <= value <= high
    ]
    if odd:
        with pytest.raises(InputError) as caught:
            check_frame(frame)
        assert caught.value.field in odd
    else:
        check_frame(frame)
