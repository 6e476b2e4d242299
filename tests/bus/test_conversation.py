"""Tester and car on one bus, frame by frame, and everything that goes wrong on a line."""

import itertools
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress

import can
import pytest

from galene.bus import j1939
from galene.bus import station as station_module
from galene.bus.heavy import HeavyListener
from galene.bus.line import bus_of
from galene.bus.station import Station, play, station_of
from galene.bus.tester import Conversation, Garbled, Refused, Silent
from galene.bus.unit import WRONG_LENGTH, Refusal
from galene.core.errors import InputError
from galene.knowledge.families import FAMILIES
from galene.simulation.run import read_case
from galene.simulation.vehicle import Vehicle

CHANNELS = itertools.count()
Connect = Callable[[], can.BusABC]


@pytest.fixture
def connect() -> Iterator[Connect]:
    """Another tap of one virtual bus."""
    channel, taps = f"test {next(CHANNELS)}", []

    def tap() -> can.BusABC:
        taps.append(can.Bus(interface="virtual", channel=channel))
        return taps[-1]

    yield tap
    for bus in taps:
        bus.shutdown()


@pytest.fixture
def parked(connect: Connect) -> Iterator[Callable[..., Station]]:
    """Puts a car on the bus that has idled for a while."""
    stations = []

    def park(family: str, faults: dict[str, float] | None = None, seconds: float = 20.0) -> Station:
        vehicle = Vehicle(FAMILIES[family], faults or {})
        vehicle.key_on()
        if seconds:
            vehicle.start()
        for _ in range(round(seconds * 100)):
            vehicle.step()
        stations.append(station_of(vehicle, connect()))
        return stations[-1]

    yield park
    for station in stations:
        station.close()


@pytest.fixture
def tester(connect: Connect) -> Iterator[Conversation]:
    every = {(e.kind, e.name): e for f in FAMILIES.values() for e in f.bus}
    made = Conversation(connect(), own=list(every.values()))
    yield made
    made.close()


def until(true: Callable[[], bool], seconds: float = 30.0) -> None:
    """Wait for an event; the limit only ends a test that hangs."""
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not happen"
        time.sleep(0.02)


def patiently(ask: Callable[[], object]) -> object:
    """Ask again where a busy machine was too slow to answer."""
    for _ in range(40):
        try:
            return ask()
        except Silent:
            continue
    pytest.fail("it never answers")


def test_a_car_that_nobody_asks_computes_nothing_and_is_where_it_would_be(
    parked: Callable[..., Station], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(station_module, "BEAT_S", 3600.0)
    station = parked("A", seconds=20)
    until(lambda: time.monotonic() - station._last_s > 0.8)
    assert station.vehicle.time_s < 20.1, "it stands meanwhile"
    stood_since = station._last_s
    with station.in_hand() as vehicle:
        assert 20.7 < vehicle.time_s < 20.2 + time.monotonic() - stood_since


def test_a_car_is_read_through_its_frames(
    parked: Callable[..., Station], tester: Conversation
) -> None:
    station = parked("B")
    figures = patiently(lambda: tester.read(["rpm", "manifold_kpa", "air_g_s", "voltage_v"]))
    assert isinstance(figures, dict)
    assert figures["rpm"] == pytest.approx(station.vehicle.engine.rpm, abs=60)
    assert figures["manifold_kpa"] == pytest.approx(34, abs=2)
    assert set(figures) == {"rpm", "manifold_kpa", "air_g_s", "voltage_v"}
    assert patiently(tester.serial) == "GALENE00000000000"
    assert patiently(lambda: tester.codes()) == []
    near = patiently(lambda: tester.identified(["manifold_kpa", "idle_valve_pct", "boost_kpa"]))
    assert isinstance(near, dict) and set(near) == {"manifold_kpa", "idle_valve_pct"}


def test_a_cars_own_figures_come_in_one_answer_or_one_by_one_where_a_unit_takes_but_one(
    parked: Callable[..., Station], tester: Conversation
) -> None:
    unit, asked = parked("B").seats[0].unit, list[int]()
    answer = unit._by_identifier

    def counted(request: bytes) -> list[bytes]:
        asked.append((len(request) - 1) // 2)
        return answer(request)

    def single(request: bytes) -> list[bytes]:
        asked.append((len(request) - 1) // 2)
        if len(request) > 3:
            raise Refusal(reason=WRONG_LENGTH)
        return answer(request)

    own = ["manifold_kpa", "air_g_s", "idle_valve_pct"]
    unit._services = {**unit._services, 0x22: counted}
    assert set(patiently(lambda: tester.identified(own))) == set(own)
    assert set(asked) == {3}
    asked.clear()
    unit._services = {**unit._services, 0x22: single}
    assert set(patiently(lambda: tester.identified(own))) == set(own)
    once = asked.count(3)
    for _ in range(2):
        assert set(patiently(lambda: tester.identified(own))) == set(own)
    assert asked.count(3) == once, "it is not asked for all of them again"


def test_codes_their_frame_and_clearing(
    parked: Callable[..., Station], tester: Conversation
) -> None:
    station = parked("A", {"unmetered_air_leak": 0.7}, seconds=70)
    assert patiently(tester.codes) == ["P0171"]
    frame = patiently(tester.frozen)
    assert frame is not None and frame.code == "P0171"  # type: ignore[attr-defined]
    assert frame.figures["rpm"] > 500  # type: ignore[attr-defined]
    with pytest.raises(Refused, match="conditions"):
        patiently(tester.clear)
    with station.lock:
        station.vehicle.key_off()
        for _ in range(400):
            station.vehicle.step()
        station.vehicle.key_on()
    patiently(tester.clear)
    assert patiently(tester.codes) == []


def test_a_held_valve_sags_the_engine_and_is_let_go(
    parked: Callable[..., Station], tester: Conversation
) -> None:
    station = parked("B", {"egr_passage_plugged": 0.7})
    with pytest.raises(Refused, match="session"):
        patiently(lambda: tester.hold("egr_valve", 100.0))
    patiently(lambda: tester.session(3))
    patiently(lambda: tester.hold("egr_valve", 100.0))

    def sags() -> bool:
        tester.session(3)  # on a busy machine it may have ended meanwhile
        tester.hold("egr_valve", 100.0)
        return station.vehicle.engine.rpm < 610

    until(lambda: bool(patiently(sags)))
    patiently(lambda: tester.let_go("egr_valve"))
    until(lambda: station.vehicle.engine.rpm > 650)


def test_who_says_nothing_more_holds_nothing(
    parked: Callable[..., Station], tester: Conversation
) -> None:
    station = parked("B", {"egr_passage_plugged": 0.9})
    patiently(lambda: tester.session(3))
    patiently(lambda: tester.hold("egr_valve", 100.0))
    assert station.vehicle.wishes.commands == {"egr_valve": 100.0}
    until(lambda: station.vehicle.wishes.commands == {})
    assert station.seats[0].unit.session == 1


def test_a_routine_that_is_pending_first(
    parked: Callable[..., Station], tester: Conversation
) -> None:
    station = parked("E")
    patiently(lambda: tester.session(3))
    patiently(lambda: tester.begin("regeneration"))
    assert station.vehicle.control.routine == "regeneration"
    assert patiently(lambda: tester.runs("regeneration")) is True


def test_two_units_answer_what_is_asked_of_all(
    parked: Callable[..., Station], connect: Connect
) -> None:
    parked("A")
    line, heard = connect(), set()
    line.send(
        can.Message(
            arbitration_id=0x7DF, is_extended_id=False, data=bytes.fromhex("02010d5555555555")
        )
    )

    def both() -> bool:
        message = line.recv(0.1)
        if message is not None and bytes(message.data[:3]) == b"\x03\x41\x0d":
            heard.add(message.arbitration_id)
        return heard == {0x7E8, 0x7E9}

    until(both)


def test_a_case_is_played_on_the_bus(connect: Connect, tester: Conversation) -> None:
    script = [{"at": 0, "do": "key_on"}, {"at": 0.2, "do": "start"}]
    case = read_case({"family": "A", "seconds": 600, "script": script})
    line, stop = connect(), threading.Event()
    playing = threading.Thread(target=play, args=(case, FAMILIES["A"], line, stop), daemon=True)
    playing.start()
    try:

        def runs() -> bool:
            with suppress(Silent):
                return tester.read(["rpm"])["rpm"] > 500
            return False

        until(runs)
    finally:
        stop.set()
        playing.join(10)
    with pytest.raises(Silent):
        tester.read(["rpm"])


def test_a_bus_that_does_not_open_is_named() -> None:
    for named in ("nothing:here", "socketcan:nowhere0", ""):
        with pytest.raises(InputError, match="socketcan:can0"):
            bus_of(named)


def test_a_car_that_is_off_is_silent(parked: Callable[..., Station], tester: Conversation) -> None:
    station = parked("A", seconds=0)
    with station.lock:
        station.vehicle.key_off()
    with pytest.raises(Silent):
        tester.read(["rpm"])


class Odd:
    """A control unit that answers as it likes."""

    def __init__(self, bus: can.BusABC, answer: Callable[[bytes], list[tuple[float, str]]]) -> None:
        self.bus, self.answer, self.stop = bus, answer, threading.Event()
        self.thread = threading.Thread(target=self.run, daemon=True)
        self.thread.start()

    def run(self) -> None:
        while not self.stop.is_set():
            message = self.bus.recv(0.02)
            if message is None or message.arbitration_id != 0x7E0:
                continue
            for pause, data in self.answer(bytes(message.data)):
                time.sleep(pause)
                frame = bytes.fromhex(data)
                self.bus.send(can.Message(arbitration_id=0x7E8, is_extended_id=False, data=frame))


@pytest.fixture
def odd(connect: Connect) -> Iterator[Callable[[Callable[[bytes], list[tuple[float, str]]]], None]]:
    units: list[Odd] = []
    yield lambda answer: units.append(Odd(connect(), answer))
    for unit in units:
        unit.stop.set()
        unit.thread.join(5)


OddUnit = Callable[[Callable[[bytes], list[tuple[float, str]]]], None]


@pytest.mark.parametrize(
    ("answers", "fault"),
    [
        ([], Silent),
        ([(0.0, "037f0322")], Refused),
        ([(0.0, "0443020171")], Garbled),  # two codes said, one sent
        ([(0.0, "0143")], Garbled),
        ([(0.0, "ffffffffffffffff"), (0.0, "00"), (0.0, "0241")], Silent),  # no frames of ours
        ([(0.7, "024300")], Silent),  # too late
    ],
)
def test_what_a_unit_may_answer_amiss(
    odd: OddUnit, tester: Conversation, answers: list[tuple[float, str]], fault: type[Exception]
) -> None:
    odd(lambda request: answers)
    with pytest.raises(fault):
        # Where a busy machine was too slow for the answer it is asked again.
        tester.codes() if fault is Silent else patiently(tester.codes)


def test_late_and_twice_are_told_apart_from_the_next_answer(
    odd: OddUnit, tester: Conversation
) -> None:
    def answer(request: bytes) -> list[tuple[float, str]]:
        if request[1] == 0x03:  # an older question's answer, then this one's, and once more
            return [(0.0, "024700"), (0.0, "0443010171"), (0.0, "0443010171")]
        return [(0.0, "024700")]

    odd(answer)
    assert patiently(tester.codes) == ["P0171"]
    assert patiently(lambda: tester.codes(0x07)) == []


def test_pending_gives_it_time(odd: OddUnit, tester: Conversation) -> None:
    odd(lambda request: [(0.0, "037f0378"), (0.6, "024300")])
    assert patiently(tester.codes) == []


def test_a_flooded_bus_is_read_all_the_same(
    parked: Callable[..., Station], connect: Connect, tester: Conversation
) -> None:
    parked("A")
    flood, stop = connect(), threading.Event()

    def pour() -> None:
        for k in itertools.count():
            if stop.is_set():
                return
            noise = bytes((k * 7 + i) & 0xFF for i in range(8))
            flood.send(
                can.Message(arbitration_id=0x100 + k % 0x600, data=noise, is_extended_id=False)
            )
            time.sleep(0.0005)

    pouring = threading.Thread(target=pour, daemon=True)
    pouring.start()
    try:
        figures = patiently(lambda: tester.read(["rpm", "coolant_c"]))
        assert isinstance(figures, dict) and figures["rpm"] > 600
    finally:
        stop.set()
        pouring.join(5)


def test_a_heavy_vehicle_tells_by_itself(parked: Callable[..., Station], connect: Connect) -> None:
    station = parked("E", {"map_failed": 0.8, "exhaust_pressure_wiring": 1.0}, seconds=0)
    with station.lock:
        for _ in range(2000):
            station.vehicle.step()
        assert {"P0069", "P0472"} <= set(station.vehicle.memory.codes)
        station.vehicle.start()
        for _ in range(1500):
            station.vehicle.step()
    listener = HeavyListener(connect())
    wanted = {"rpm", "coolant_c", "boost_gauge_kpa", "soot_pct", "air_kg_h", "voltage_v"}

    def heard() -> bool:
        listener.listen(0.3)
        return wanted <= set(listener.figures) and j1939.DM1 in listener.faults

    until(heard)
    assert listener.figures["rpm"] == pytest.approx(655, abs=40)
    assert listener.figures["air_kg_h"] == pytest.approx(160, abs=15)
    assert {(102, 2), (1209, 4)} <= set(listener.faults[j1939.DM1]), "in several frames"
    listener.ask(j1939.DM2)
    until(lambda: (listener.listen(0.2), j1939.DM2 in listener.faults)[1])
    listener.ask(j1939.DM11)
    until(lambda: (listener.listen(0.2), j1939.DM11 in listener.acknowledged)[1])
    assert listener.acknowledged[j1939.DM11] == 1, "not while it runs"
