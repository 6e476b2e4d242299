"""A heavy vehicle at the bridge: what it says by itself stands beside its answers, and is all there
is where it answers no question."""

import itertools
import threading
import time
from collections.abc import Callable, Iterator, Mapping

import can
import pytest

from galene.bridge.reader import Found, Reader
from galene.bus import j1939
from galene.bus.station import Station, station_of
from galene.exchange.live import Command
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle
from tests.live.conftest import until as waited

pytestmark = pytest.mark.live
BUSES = itertools.count()


def until(there: Callable[[], object]) -> None:
    waited(there, "what the test says")


class Read:
    """A reader at work, and what it found."""

    def __init__(self, open_bus: Callable[[], can.BusABC], family: str) -> None:
        self.found: list[Found] = []
        self.reader = Reader(open_bus, FAMILIES[family].bus, self.found.append)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self.reader.run, args=(self._stop,), daemon=True)
        self._thread.start()

    def row(self) -> dict[str, float | None]:
        """The newest row."""
        last = next((f for f in reversed(self.found) if f.rows), None)
        return dict(zip(last.columns, last.rows[-1][1:], strict=True)) if last else {}

    def state(self) -> str:
        return self.found[-1].state if self.found else ""

    def stop(self) -> None:
        self._stop.set()
        self._thread.join(10)


@pytest.fixture
def at_the_bridge() -> Iterator[Callable[..., tuple[Read, Station]]]:
    ends: list[Callable[[], None]] = []

    def make(
        family: str = "E", *, asked: bool = True, faults: Mapping[str, float] | None = None
    ) -> tuple[Read, Station]:
        channel = f"heavy-{next(BUSES)}"
        car = Vehicle(FAMILIES[family], dict(faults or {}))
        car.key_on()
        for _ in range(2000):
            car.step()
        car.start()
        for _ in range(1500):
            car.step()
        side = can.Bus(interface="virtual", channel=channel)
        station = station_of(car, side) if asked else Station(car, side, ())
        read = Read(lambda: can.Bus(interface="virtual", channel=channel), family)
        ends.extend((read.stop, station.close, side.shutdown))
        return read, station

    yield make
    for end in ends:
        end()


def test_what_it_says_stands_beside_what_it_answers(
    at_the_bridge: Callable[..., tuple[Read, Station]],
) -> None:
    read, _ = at_the_bridge()
    until(lambda: {"rpm", "exhaust_kpa", "load_pct"} <= set(read.row()))
    row = read.row()
    assert row["exhaust_kpa"] == pytest.approx(103, abs=5), "only asked for"
    assert row["manifold_kpa"] is not None


def test_one_that_answers_nothing_is_read_by_what_it_says(
    at_the_bridge: Callable[..., tuple[Read, Station]],
) -> None:
    read, station = at_the_bridge(asked=False)
    wanted = {"rpm", "boost_kpa", "air_g_s", "coolant_c", "speed_kmh", "soot_pct", "pedal_pct"}
    until(lambda: wanted <= set(read.row()))
    row = read.row()
    assert read.state() == "live"
    assert row["rpm"] == pytest.approx(655, abs=40)
    assert row["air_g_s"] == pytest.approx(44.7, abs=3)
    assert row["boost_kpa"] == pytest.approx(101, abs=3)
    assert row["speed_kmh"] == 0
    until(lambda: read.reader._only_listens())
    count, since = sum(len(f.rows) for f in read.found), time.monotonic()
    until(lambda: time.monotonic() - since > 1.0)
    rows = sum(len(f.rows) for f in read.found) - count
    assert rows > 5, "it is not waited for at every turn"
    with station.lock:
        station.vehicle.key_off()
    until(lambda: read.state() == "off")


@pytest.mark.parametrize(
    ("do", "words"), [("codes", "no active code"), ("hold", "can not be asked")]
)
def test_what_it_can_not_be_asked_is_said(
    at_the_bridge: Callable[..., tuple[Read, Station]], do: str, words: str
) -> None:
    read, _ = at_the_bridge(asked=False)
    until(lambda: read.reader._only_listens())
    asked = Command(id=7, issued_s=0, do=do, actuator="egr_valve", value=100)
    read.reader.command(asked, age_s=0.0)
    until(lambda: any(f.answers for f in read.found))
    (answer,) = (a for f in read.found for a in f.answers)
    assert not answer.done and words in answer.words


def test_its_active_codes_are_told_as_it_tells_them(
    at_the_bridge: Callable[..., tuple[Read, Station]],
) -> None:
    read, _ = at_the_bridge(asked=False, faults={"map_failed": 0.8, "exhaust_pressure_wiring": 1.0})
    until(lambda: read.reader._only_listens())
    talk = read.reader._talk
    assert talk is not None
    until(lambda: bool(talk.heavy.faults.get(j1939.DM1)))
    read.reader.command(Command(id=8, issued_s=0, do="codes"), age_s=0.0)
    until(lambda: any(f.answers for f in read.found))
    (answer,) = (a for f in read.found for a in f.answers)
    assert "SPN 102 FMI 2" in answer.words and "SPN 1209 FMI 4" in answer.words


def test_a_light_vehicle_says_nothing_by_itself(
    at_the_bridge: Callable[..., tuple[Read, Station]],
) -> None:
    read, _ = at_the_bridge("D")
    until(lambda: "rpm" in read.row())
    assert read.reader._talk is not None
    assert read.reader._talk.heavy.columns(60) == {}
