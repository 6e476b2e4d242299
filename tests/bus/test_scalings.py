"""Bit by bit against the public standards, and there and back for every figure."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.bus import j1939
from galene.bus.codes import code_from_bytes, code_to_bytes
from galene.bus.obd import BY_NUMBER, PIDS, masks, supported_in
from galene.core.errors import InputError

# Figure, parameter, column, bytes as SAE J1979 writes them.
EXAMPLES = [
    (0x04, "load_pct", 100.0, "ff"),
    (0x04, "load_pct", 0.0, "00"),
    (0x05, "coolant_c", -40.0, "00"),
    (0x05, "coolant_c", 83.0, "7b"),
    (0x06, "short_trim_pct", -100.0, "00"),
    (0x06, "short_trim_pct", 0.0, "80"),
    (0x07, "long_trim_pct", 25.0, "a0"),
    (0x0B, "manifold_kpa", 33.0, "21"),
    (0x0C, "rpm", 1726.0, "1af8"),
    (0x0C, "rpm", 16383.75, "ffff"),
    (0x0D, "speed_kmh", 50.0, "32"),
    (0x0F, "intake_c", 20.0, "3c"),
    (0x10, "air_g_s", 655.35, "ffff"),
    (0x10, "air_g_s", 2.75, "0113"),
    (0x11, "throttle_pct", 20.0, "33"),
    (0x14, "lambda_v", 0.45, "5aff"),
    (0x1F, "running_s", 600.0, "0258"),
    (0x33, "baro_kpa", 101.0, "65"),
    (0x42, "voltage_v", 14.1, "3714"),
    (0x70, "boost_kpa", 200.0, "02000019000000000000"),
    (0x73, "exhaust_kpa", 110.0, "012af80000"),
]


@pytest.mark.parametrize(("number", "column", "figure", "data"), EXAMPLES)
def test_a_parameter_is_written_as_the_standard_writes_it(
    number: int, column: str, figure: float, data: str
) -> None:
    pid = BY_NUMBER[number]
    assert pid.encode({column: figure}).hex() == data
    assert pid.decode(bytes.fromhex(data))[column] == pytest.approx(figure, abs=1e-6)


def test_several_figures_in_one_parameter_say_which_are_there() -> None:
    gases = BY_NUMBER[0x78]
    whole = gases.encode({"before_catalyst_c": 300.0, "after_filter_c": 250.5})
    assert whole[0] == 0b101 and whole.hex() == "050d4800000b59" + "0000"
    assert gases.decode(whole) == pytest.approx({"before_catalyst_c": 300, "after_filter_c": 250.5})
    valve = BY_NUMBER[0x69].encode({"egr_command_pct": 100.0, "egr_position_pct": 40.0})
    assert valve.hex() == "03ff6600000000"


@given(st.data())
def test_there_and_back_within_half_a_step(data: st.DataObject) -> None:
    pid = data.draw(st.sampled_from(PIDS))
    field = data.draw(st.sampled_from(pid.fields))
    low, high = field.offset, field.offset + field.scale * (256**field.size - 1)
    figure = data.draw(st.floats(low, high))
    back = pid.decode(pid.encode({field.column: figure}))[field.column]
    assert abs(back - figure) <= field.scale / 2 + 1e-9


@given(st.floats(-1e9, 1e9))
def test_what_is_out_of_range_stands_at_the_end(figure: float) -> None:
    for pid in PIDS:
        assert len(pid.encode({f.column: figure for f in pid.fields})) == pid.size


@given(st.sets(st.integers(1, 0xBF).filter(lambda n: n % 0x20), min_size=1))
def test_masks_name_what_is_there(numbers: set[int]) -> None:
    found = masks(numbers)
    named = {n for base, mask in found.items() for n in supported_in(base, mask)}
    assert {n for n in named if n % 0x20} == numbers
    assert {n for n in named if n % 0x20 == 0} == set(found) - {0}, "each further mask is named"


def test_the_masks_of_the_standard() -> None:
    # BE1FB813: 01 03 04 05 06 07 0C 0D 0E 0F 10 11 13 14 15 1C 1F 20
    asked = supported_in(0, bytes.fromhex("be1fb813"))
    assert asked == [1, 3, 4, 5, 6, 7, 12, 13, 14, 15, 16, 17, 19, 20, 21, 28, 31, 32]
    assert masks([*asked[:-1], 0x21])[0].hex() == "be1fb813"


@given(st.binary(min_size=2, max_size=2))
def test_every_two_bytes_are_one_code(two: bytes) -> None:
    assert code_to_bytes(code_from_bytes(two)) == two


@pytest.mark.parametrize(
    ("code", "data"), [("P0143", "0143"), ("P2BAD", "2bad"), ("C0123", "4123"), ("U0001", "c001")]
)
def test_codes_of_the_standard(code: str, data: str) -> None:
    assert code_to_bytes(code).hex() == data and code_from_bytes(bytes.fromhex(data)) == code


@pytest.mark.parametrize("wrong", ["", "P01", "X0123", "P4123", "p0171", "P017G"])
def test_no_such_code(wrong: str) -> None:
    with pytest.raises(InputError):
        code_to_bytes(wrong)


@pytest.mark.parametrize(
    ("pgn", "row", "data"),
    [
        (0xF004, {"rpm": 650.0}, "ffffff5014ffffff"),
        (0xF003, {"pedal_pct": 40.0, "load_pct": 55.0}, "ff6437ffffffffff"),
        (0xFEF1, {"speed_kmh": 80.5}, "ff8050ffffffffff"),
        (0xFEEE, {"coolant_c": 88.0}, "80ffffffffffffff"),
        (0xFEF6, {"boost_gauge_kpa": 100.0, "intake_c": 40.0}, "ff3250ffffffffff"),
        (0xFEF5, {"baro_kpa": 101.0}, "caffffffffffffff"),
        (0xFEF7, {"voltage_v": 28.2}, "ffffffff3402ffff"),
        (0xF00A, {"air_kg_h": 160.0}, "ffff800cffffffff"),
    ],
)
def test_groups_of_heavy_vehicles(pgn: int, row: dict[str, float], data: str) -> None:
    group = j1939.BY_PGN[pgn]
    assert group.encode(row).hex() == data
    assert group.decode(bytes.fromhex(data)) == pytest.approx(row), "what is missing is no figure"


def test_faults_of_heavy_vehicles() -> None:
    # SPN 1208, kind 3, as the example of J1939-73: b8 04 03, once.
    assert j1939.encode_faults([(1208, 3)], lamp=False).hex() == "00ffb8040301"
    assert j1939.encode_faults([], lamp=False).hex() == "00ff00000000"
    many = [(100 + k, k % 32) for k in range(5)]
    assert j1939.decode_faults(j1939.encode_faults(many, lamp=True)) == many


@given(st.binary(min_size=9, max_size=300))
def test_long_bodies_come_together_again(body: bytes) -> None:
    assembly = j1939.Assembly()
    first, *rest = j1939.announced(j1939.DM1, body)
    assert assembly.take(j1939.ANNOUNCE, 0, first) is None
    done = [assembly.take(j1939.TRANSFER, 0, frame) for frame in rest]
    assert done[-1] == (j1939.DM1, body) and not any(done[:-1])


def test_a_lost_frame_loses_the_body_and_no_more() -> None:
    assembly = j1939.Assembly()
    first, *rest = j1939.announced(j1939.DM1, bytes(30))
    assembly.take(j1939.ANNOUNCE, 0, first)
    assert not any(assembly.take(j1939.TRANSFER, 0, f) for f in [rest[0], *rest[2:]])
    assembly.take(j1939.ANNOUNCE, 0, first)
    swapped = [rest[1], rest[0], *rest[2:]]
    assert not any(assembly.take(j1939.TRANSFER, 0, f) for f in swapped), "out of order"
    assembly.take(j1939.ANNOUNCE, 0, first)
    assert [assembly.take(j1939.TRANSFER, 0, f) for f in rest][-1] == (j1939.DM1, bytes(30))
