"""A control unit's answers, and its refusals: every request gets one of both or silence."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from galene.bus.unit import ControlUnit
from galene.knowledge.families import FAMILIES
from galene.simulation.monitors import Code
from galene.simulation.vehicle import Vehicle
from tests.often import walks


def unit_of(family: str, faults: dict[str, float] | None = None, seconds: float = 0) -> ControlUnit:
    vehicle = Vehicle(FAMILIES[family], faults or {})
    vehicle.key_on()
    if seconds:
        vehicle.start()
        on(vehicle, seconds)
    return ControlUnit(vehicle, name="ENGINE")


def on(vehicle: Vehicle, seconds: float) -> None:
    for _ in range(round(seconds * 100)):
        vehicle.step()


def said(unit: ControlUnit, request: str) -> list[str]:
    return [answer.hex() for answer in unit.answer(bytes.fromhex(request))]


def test_live_figures_one_or_several() -> None:
    unit = unit_of("A", seconds=20)
    (one,) = unit.answer(b"\x01\x0c")
    assert one[:2] == b"\x41\x0c" and 700 < int.from_bytes(one[2:], "big") / 4 < 780
    (three,) = unit.answer(bytes.fromhex("010c0d05"))
    assert len(three) == 1 + 3 + 2 + 2 and three[4:6] == b"\x0d\x00" and three[6] == 0x05


@pytest.mark.parametrize("family", "ABCDEF")
def test_what_is_said_to_be_there_is_answered(family: str) -> None:
    unit = unit_of(family)
    for number in unit.supported:
        (answer,) = unit.answer(bytes([0x01, number]))
        assert answer[:2] == bytes([0x41, number])


@pytest.mark.parametrize(
    ("request_", "answer"),
    [
        ("05", "7f0511"),  # a service that nobody has
        ("01", "7f0113"),
        ("010c0d0f10110405", "7f0113"),  # seven parameters
        ("01fe", "7f0112"),
        ("0902ff", "7f0913"),
        ("1002", "7f1012"),
        ("222099", "7f2231"),
        ("2220", "7f2213"),
        ("2f3001031388", "7f2f7f"),  # not in this session
        ("31010101", "7f317f"),
        ("14000000", "7f1431"),
        ("1903", "7f1912"),
        ("3e01", "7f3e12"),
        ("3e80", None),
    ],
)
def test_refusals_have_their_reason(request_: str, answer: str | None) -> None:
    assert said(unit_of("B"), request_) == ([answer] if answer else [])


def test_codes_from_pending_to_permanent_and_cleared() -> None:
    unit = unit_of("A", {"maf_wiring": 1.0}, seconds=10)
    assert said(unit, "03") == ["43010102"] and said(unit, "07") == ["4700"]
    unit.watch()
    assert said(unit, "0a") == ["4a010102"]
    assert said(unit, "190208") == ["5902" + "0d" + "010200" + "09"]
    assert said(unit, "020200")[0].startswith("4202000102")
    assert said(unit, "020c00")[0].startswith("420c00")
    assert said(unit, "0101")[0][4:6] == "81", "one code, and the lamp"
    assert said(unit, "04") == ["7f0422"], "the engine runs"
    unit.vehicle.key_off()
    assert said(unit, "03") == [], "without the key nothing answers"
    on(unit.vehicle, 5)
    unit.vehicle.key_on()
    assert said(unit, "04") == ["44"] and said(unit, "03") == ["4300"]
    assert said(unit, "0a") == ["4a010102"], "a permanent one stays"


def test_an_output_is_held_in_its_session_and_let_go_when_nobody_speaks() -> None:
    unit = unit_of("B", {"egr_passage_plugged": 0.8}, seconds=15)
    held = unit.vehicle.wishes.commands
    assert said(unit, "1003")[0].startswith("5003")
    assert said(unit, "2f3001032710")[0].startswith("6f300103") and held == {"egr_valve": 100.0}
    for _ in range(4):
        on(unit.vehicle, 2)
        unit.watch()
        assert said(unit, "3e00") == ["7e00"]
    assert held == {"egr_valve": 100.0}, "somebody is there"
    on(unit.vehicle, 5.5)
    unit.watch()
    assert held == {} and unit.session == 1
    said(unit, "1003")
    said(unit, "2f3001032710")
    assert said(unit, "2f300100")[0].startswith("6f300100") and held == {}
    said(unit, "2f3001032710")
    assert said(unit, "1001") and held == {}, "the default session holds nothing"


@pytest.mark.parametrize(
    ("request_", "reason"),
    [
        ("2f3002031388", "31"),  # its throttle hangs on a cable
        ("2f3099031388", "31"),
        ("2f3001032711", "31"),  # above a hundred percent
        ("2f30010327", "13"),
        ("2f300107", "12"),
        ("31010199", "31"),
        ("31050103", "12"),
    ],
)
def test_what_can_not_be_held_is_refused(request_: str, reason: str) -> None:
    unit = unit_of("B", seconds=10)
    said(unit, "1003")
    assert said(unit, request_) == [f"7f{request_[:2]}{reason}"]


def test_nothing_is_held_while_it_drives_or_protects_itself() -> None:
    unit = unit_of("B", seconds=10)
    said(unit, "1003")
    unit.vehicle.wishes.speed_kmh = 5.0
    assert said(unit, "2f3001032710") == ["7f2f22"]
    unit.vehicle.wishes.speed_kmh, unit.vehicle.control.protective = 0.0, True
    assert said(unit, "2f3001032710") == ["7f2f22"]


def test_a_routine_is_pending_then_begun_and_can_be_asked() -> None:
    unit = unit_of("E", seconds=10)
    said(unit, "1003")
    assert said(unit, "31010104") == ["7f3178", "71010104"]
    assert said(unit, "31030104") == ["7103010401"]
    assert unit.vehicle.control.routine == "regeneration"


def test_another_unit_has_its_own_figures_only() -> None:
    body = ControlUnit(unit_of("A", seconds=5).vehicle, name="BODY", engine=False)
    assert body.supported == [0x01, 0x0D, 0x42]
    assert said(body, "03") == ["4300"] and said(body, "010c") == ["7f0112"]
    assert body.answer(b"\x01\x0c", to_all=True) == [], "asked of all it keeps silent"


@settings(max_examples=walks(100), suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.binary(max_size=12), max_size=12))
def test_no_bytes_break_it(requests: list[bytes]) -> None:
    unit = unit_of("E")
    for request in requests:
        for answer in unit.answer(request):
            refused = answer[0] == 0x7F and answer[1] == request[0]
            assert refused or answer[0] == request[0] + 0x40


def test_a_permanent_code_goes_when_its_monitor_has_run_and_found_nothing() -> None:
    unit = unit_of("B")
    vehicle = unit.vehicle
    vehicle.memory.codes["P0401"] = Code(code="P0401", stored=True)
    unit.watch()
    vehicle.memory.clear()
    unit.watch()
    assert said(unit, "0a") == ["4a010401"]
    vehicle.memory.ready.add("P0401")
    unit.watch()
    assert said(unit, "0a") == ["4a00"]
