"""A bridge between a car and a server, and what goes wrong between them."""

import itertools
import json
import random
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import can
import httpx2 as httpx
import psycopg
import pytest
from sqlalchemy import select

from galene.bridge.buffer import Buffer, Pairing
from galene.bridge.link import Link, Offset, paired, server_of
from galene.bridge.reader import RESTING, SLOW_TURN_S
from galene.bus.station import serial_of, station_of
from galene.core.errors import InputError
from galene.exchange.live import LOOK_S, Command
from galene.jobs import live
from galene.jobs.act import find_job
from galene.jobs.errors import Invalid, Refused
from galene.jobs.signing_in import open_session
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle
from galene.store.models import Job, LiveCommand
from galene.store.repositories import live as rows
from galene.web.shared.caller import SESSION
from tests.conftest import person
from tests.live.conftest import Bay, until

RUNNING_RPM = 500


def ask(bay: Bay, do: str, **fields: object) -> int:
    """A command as a page gives it; its number."""
    with bay.db() as db:
        act = bay.act(db)
        command = live.ask(act, find_job(db, bay.number), do, **fields)
        db.commit()
        return command.id


def command(bay: Bay, number: int) -> LiveCommand:
    with bay.db() as db:
        return db.get(LiveCommand, number)


def answered(bay: Bay, number: int) -> LiveCommand:
    """The command once its answer is durable."""
    until(lambda: command(bay, number).answered_at, "an answer")
    return command(bay, number)


@pytest.fixture
def hand(request: pytest.FixtureRequest) -> Iterator[Callable[[Bay, int], threading.Event]]:
    """A hand on a control: says that it is there until its event is set."""
    off: list[threading.Event] = []

    def hold(bay: Bay, number: int) -> threading.Event:
        away = threading.Event()
        off.append(away)

        def press() -> None:
            while not away.wait(0.2):
                with bay.db() as db:
                    now = bay.server.clock()
                    live.still_held(db, find_job(db, bay.number), number, now)
                    db.commit()

        threading.Thread(target=press, daemon=True).start()
        return away

    yield hold
    for away in off:
        away.set()


def times(bay: Bay) -> list[float]:
    """When each row was read, by the server's clock."""
    return [b.at.timestamp() - row[0] for b in bay.batches() for row in b.rows]


JITTER_S = 5.0
"""How much longer one request may take than the one before it on a busy machine: a row's moment
counts back from when it came."""


def in_order(bay: Bay) -> bool:
    """Whether rows lie in the order in which they were read."""
    return all(b > a - JITTER_S for a, b in itertools.pairwise(times(bay)))


def kept_by(bay: Bay) -> set[int]:
    """Numbers of the batches with rows that the bridge keeps from now on, as they come."""
    own, seen = bay.buffer.keep, set()

    def keep(body: str) -> int:
        number = own(body)
        if json.loads(body)["rows"]:
            seen.add(number)
        return number

    bay.buffer.keep = keep
    return seen


def running(bay: Bay) -> Bay:
    """The same bay once its car idles and is read."""
    until(lambda: bay.car.engine.rpm > RUNNING_RPM and len(bay.batches()) > 5, "a car that idles")
    return bay


def test_what_is_read_is_kept_in_order_and_once(bay_of) -> None:
    bay = bay_of()
    until(lambda: len(bay.batches()) > 20, "twenty batches")
    seqs = [b.seq for b in bay.batches()]
    assert seqs == sorted(set(seqs))
    assert bay.bridge().state == "live"
    columns = {c for b in bay.batches() for c in b.columns}
    assert {"rpm", "manifold_kpa", "air_g_s", "coolant_c", "egr_position_pct"} <= columns
    assert in_order(bay)
    assert abs(times(bay)[-1] - bay.server.clock().timestamp()) < 5


class Ahead:
    """A bridge's clock that can be put forward."""

    def __init__(self) -> None:
        self.seconds = 0.0

    def __call__(self) -> float:
        return time.monotonic() + self.seconds


def rests(bay: Bay) -> bool:
    """Whether the bridge said that it rests a while."""
    return bay.bridge().rests_s == SLOW_TURN_S


def test_a_car_is_read_at_a_slow_beat_until_somebody_looks(bay_of) -> None:
    clock = Ahead()
    bay = running(bay_of(clock=clock))
    clock.seconds += LOOK_S + 1
    until(lambda: rests(bay), "the slow beat")
    until(lambda: set(bay.batches()[-1].columns) <= set(RESTING), "a few figures")
    bridge = bay.bridge()
    assert bridge.state == "live"
    resting = bridge.seen_at + timedelta(seconds=SLOW_TURN_S)
    assert live.line_of(bridge, resting + live.SILENT) == "live"
    assert live.line_of(bridge, resting + 2 * live.SILENT) == "lost"
    with bay.db() as db:
        live.look(db, find_job(db, bay.number).id, bay.server.clock())
        db.commit()
    until(lambda: not rests(bay), "full pace")
    until(lambda: "air_g_s" in bay.batches()[-1].columns, "all that is shown")
    bridge = bay.bridge()
    assert live.line_of(bridge, bridge.seen_at + 2 * live.SILENT) == "lost"


def test_a_page_that_shows_the_car_and_a_drive_that_is_recorded_count_as_looks(bay_of) -> None:
    clock = Ahead()
    bay = running(bay_of(clock=clock))
    reader = bay.program.reader

    def looks() -> bool:
        return reader._looks_until > clock() + LOOK_S / 2

    def forgets() -> None:
        clock.seconds += LOOK_S + 1
        until(lambda: not looks(), "nobody who looks")

    forgets()
    with bay.db() as db:
        secret = open_session(db, person(db, "odd"), bay.server.clock())
        db.commit()
    cookies = {SESSION: secret}
    address = f"{bay.server.address}/jobs/{bay.number}/live/events"
    with httpx.stream("GET", address, cookies=cookies, timeout=60):
        until(looks, "the page's look")
    forgets()
    with bay.db() as db:
        job, bridge = find_job(db, bay.number), rows.bridge_of_job(db, bay.bridge().job_id)
        live.look_where_recorded(db, bridge, bay.server.clock())
        db.commit()
        assert not looks(), "nothing is recorded"
        job.road_test = replace(job.road_test, run_began=bay.server.clock())
        live.look_where_recorded(db, bridge, bay.server.clock())
        db.commit()
    until(looks, "the look of a drive")


def test_an_output_is_held_while_the_hand_is_on_and_no_longer(bay_of, hand) -> None:
    bay = running(bay_of("26-0003", {"egr_passage_plugged": 0.9}))
    number = ask(bay, "hold", actuator="egr_valve", value=60, longest_s=30)
    away = hand(bay, number)
    until(lambda: bay.car.control.valve.position > 55, "an open valve")
    time.sleep(1.5)  # longer than a hand may be silent
    assert bay.car.wishes.commands == {"egr_valve": 60}
    assert command(bay, number).began_at
    away.set()
    done = answered(bay, number)
    assert bay.car.wishes.commands == {}
    assert done.answer["words"] == "Let go: nobody held it any more."


def test_let_go_is_let_go_at_once(bay_of, hand) -> None:
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    hand(bay, number)
    until(lambda: bay.car.wishes.commands, "a held valve")
    with bay.db() as db:
        live.let_go(db, find_job(db, bay.number), bay.server.clock())
        db.commit()
    assert answered(bay, number).answer["words"] == "Let go: the hand is off."
    assert bay.car.wishes.commands == {}


def test_a_hold_ends_by_its_time(bay_of, hand) -> None:
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40, longest_s=1.5)
    hand(bay, number)
    assert answered(bay, number).answer["words"] == "Let go: its time was over."


def test_the_line_to_the_page_is_lost_in_mid_test(bay_of, hand) -> None:
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    away = hand(bay, number)
    until(lambda: bay.car.wishes.commands, "a held valve")
    away.set()
    bay.server.kill()
    until(lambda: not bay.car.wishes.commands, "a valve that was let go")
    bay.server.start()
    assert answered(bay, number).answer["done"]


def test_the_adapter_is_pulled_in_mid_test(bay_of, hand) -> None:
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    hand(bay, number)
    until(lambda: bay.car.wishes.commands, "a held valve")
    bay.adapter.pulled = True
    done = answered(bay, number)
    assert not done.answer["done"]
    assert done.answer["words"].startswith("The adapter was pulled.")
    assert bay.bridge().state == "adapter"
    until(lambda: not bay.car.wishes.commands, "the control unit to let go by itself")
    bay.adapter.pulled = False
    until(lambda: bay.bridge().state == "live", "an adapter that sits again")


def test_the_vehicle_is_switched_off(bay_of, hand) -> None:
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    hand(bay, number)
    until(lambda: bay.car.wishes.commands, "a held valve")
    with bay.station.lock:
        bay.car.key_off()
    assert answered(bay, number).answer["words"].startswith("Nobody in the car answers any more.")
    until(lambda: bay.bridge().state == "off", "a car that is off")
    with pytest.raises(Refused, match="Nobody in the car answers"):
        ask(bay, "codes")
    with bay.station.lock:
        bay.car.key_on()
    until(lambda: bay.bridge().state == "live", "a car that answers again")


def test_a_flooded_bus_still_gives_figures(bay_of) -> None:
    bay = bay_of()
    over, other = threading.Event(), can.Bus(interface="virtual", channel=bay.adapter.channel)
    chance = random.Random(4)

    def flood() -> None:
        while not over.wait(0.001):
            number = chance.randrange(0x100, 0x700)
            other.send(can.Message(arbitration_id=number, data=chance.randbytes(8)))

    thread = threading.Thread(target=flood)
    thread.start()
    try:
        began = len(bay.batches())
        until(lambda: len(bay.batches()) > began + 15, "figures through the flood")
        assert bay.bridge().state == "live"
    finally:
        over.set()
        thread.join()
        other.shutdown()


def test_garbage_in_the_place_of_answers_is_said_and_passes(bay_of) -> None:
    bay = running(bay_of())
    over, other = threading.Event(), can.Bus(interface="virtual", channel=bay.adapter.channel)
    chance = random.Random(5)

    def garble() -> None:
        # What looks like an answer and is none: a wrong parameter, a wrong length.
        while not over.wait(0.0005):
            data = bytes([7, 0x41, chance.randrange(256), *chance.randbytes(5)])
            other.send(can.Message(arbitration_id=0x7E8, data=data, is_extended_id=False))

    thread = threading.Thread(target=garble)
    thread.start()
    try:
        until(lambda: bay.bridge().state == "bus", "a bus that can not be read")
        assert bay.bridge().words.startswith("What comes from the bus can not be read")
    finally:
        over.set()
        thread.join()
        other.shutdown()
    until(lambda: bay.bridge().state == "live", "figures after the garbage")


def test_a_server_that_is_away_loses_nothing(bay_of) -> None:
    bay = running(bay_of())
    seen = kept_by(bay)
    bay.server.kill()
    before = bay.buffer.count()
    until(lambda: bay.buffer.count() > before + 30, "what waits on the disk")
    bay.server.start()
    until(lambda: bay.buffer.count() < 5, "all of it sent")
    bay.program.stop()
    assert in_order(bay)
    with_rows = [b.seq for b in bay.batches()]
    assert with_rows == sorted(set(with_rows)), "none twice"
    waiting = {seq for seq, _ in bay.buffer.oldest(1000)}
    assert len(seen) > 20 and seen - waiting <= set(with_rows), "none lost"


def test_a_bridge_that_is_killed_goes_on_where_it_was(bay_of) -> None:
    bay = running(bay_of())
    bay.server.kill()
    before = bay.buffer.count()
    until(lambda: bay.buffer.count() > before + 5, "what waits on the disk")
    bay.restart()
    bay.server.start()
    count = len(bay.batches())
    until(lambda: len(bay.batches()) > count + 20, "what comes after")
    seqs = [b.seq for b in bay.batches()]
    assert seqs == sorted(set(seqs))
    assert in_order(bay)


def test_a_batch_that_comes_twice_counts_and_is_told_once(bay_of) -> None:
    bay = running(bay_of())
    bay.program.stop()
    url = bay.server.engine.url.set(drivername="postgresql")
    news = psycopg.connect(url.render_as_string(hide_password=False), autocommit=True)
    news.execute(f"listen {rows.CHANNEL}")
    key = bay.buffer.pairing().key
    body = {
        "now_s": 100.0,
        "batches": [
            {
                "seq": 900_000,
                "at_s": 99.9,
                "state": "live",
                "columns": ["rpm"],
                "rows": [[0.0, 755.0]],
            }
        ],
    }
    for _ in range(3):
        answer = httpx.post(
            f"{bay.server.address}/api/bridge/batches",
            json=body,
            headers={"authorization": f"Bearer {key}"},
        )
        assert answer.json()["kept_to"] == 900_000
    assert [b.seq for b in bay.batches()].count(900_000) == 1
    with news:
        told = [n.payload for n in news.notifies(timeout=1.0) if "[[0.0,755.0]]" in n.payload]
    assert len(told) == 1


def test_a_second_bridge_takes_the_bay_and_the_first_is_told(bay_of) -> None:
    first, second = bay_of("26-0003"), bay_of("26-0003")
    until(lambda: first.program.link.ended, "the first to be told")
    assert first.program.link.ended == live.TOOK_OVER
    count = len(second.batches())
    until(lambda: len(second.batches()) > count + 5, "the second to go on")


def test_a_laptop_whose_clock_is_wrong_by_an_hour(bay_of, hand) -> None:
    bay = running(bay_of(clock=lambda: time.monotonic() + 3600))
    assert abs(times(bay)[-1] - bay.server.clock().timestamp()) < 5
    number = ask(bay, "hold", actuator="egr_valve", value=40, longest_s=2)
    hand(bay, number)
    assert answered(bay, number).began_at


def test_a_server_whose_clock_is_wrong_by_an_hour(bay_of, hand) -> None:
    bay = bay_of()
    bay.server.ahead = timedelta(hours=1)
    bay.program.link._offset = Offset()
    running(bay)
    until(lambda: abs(times(bay)[-1] - bay.server.clock().timestamp()) < 5, "the server's time")
    number = ask(bay, "hold", actuator="egr_valve", value=40, longest_s=2)
    hand(bay, number)
    assert answered(bay, number).began_at


def test_a_command_older_than_two_seconds_is_never_carried_out(bay_of) -> None:
    bay = running(bay_of())
    sent: list[Command] = []
    bay.program.link._take = lambda command, age: sent.append(command)
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    until(lambda: sent, "the command to come")
    bay.program.reader.command(sent[0], age_s=2.1)
    done = answered(bay, number)
    assert done.answer == {
        "id": number,
        "phase": "over",
        "done": False,
        "words": "It came too late and was not done. Ask again.",
        "codes": None,
        "ready": None,
    }
    assert done.began_at is None
    # Of an age that nobody can tell it is not done either.
    bay.program.reader.command(sent[0].model_copy(update={"id": number + 1}), age_s=None)
    time.sleep(0.5)
    assert bay.car.wishes.commands == {}


def test_codes_are_read_and_cleared_only_while_the_engine_stands(bay_of) -> None:
    bay = running(bay_of("26-0003", {"egr_passage_plugged": 1.0}))
    read = answered(bay, ask(bay, "codes")).answer
    assert read["done"] and set(read["codes"]) == {"stored", "pending", "permanent", "frame"}
    refused = answered(bay, ask(bay, "clear")).answer
    assert not refused["done"]
    assert refused["words"] == "The control unit refuses: the conditions are not right."
    with bay.station.lock:
        bay.car.key_off()
    until(lambda: bay.car.engine.rpm == 0, "an engine that stands")
    with bay.station.lock:
        bay.car.key_on()
    until(lambda: bay.bridge().state == "live", "a car that answers again")
    assert answered(bay, ask(bay, "clear")).answer["done"]


def test_what_the_cars_document_does_not_name_is_refused_before_it_is_sent(bay_of) -> None:
    bay = running(bay_of())
    for do, fields in (
        ("hold", {"actuator": "runner_actuator", "value": 50}),
        ("hold", {"actuator": "egr_valve", "value": 101}),
        ("routine", {"routine": "regeneration"}),
    ):
        with pytest.raises(Invalid):
            ask(bay, do, **fields)


@pytest.mark.parametrize(
    "typed", ["http://galene.example", "galene.example", "ftp://127.0.0.1", "", "https://"]
)
def test_a_bridge_speaks_in_the_open_to_nobody_but_this_machine(typed: str) -> None:
    with pytest.raises(InputError, match="an https address"):
        server_of(typed)


@pytest.mark.parametrize("code", ["12345", "1234567", "12345a", "²23456", ""])
def test_a_code_is_six_figures(code: str) -> None:
    with pytest.raises(InputError, match="six figures"):
        paired("http://127.0.0.1:1", code, "cart")


def test_a_code_counts_once_and_for_ten_minutes(bay_of) -> None:
    bay = bay_of()
    with bay.db() as db:
        code = live.offer_code(bay.act(db), bay.number)
        db.commit()
    bay.server.later(11)
    with pytest.raises(InputError, match="do not count"):
        paired(bay.server.address, code, "cart")
    with bay.db() as db:
        code = live.offer_code(bay.act(db), bay.number)
        db.commit()
    paired(bay.server.address, code, "cart")
    with pytest.raises(InputError, match="do not count"):
        paired(bay.server.address, code, "cart")


def test_guessing_a_code_is_slowed_down(bay_of) -> None:
    bay = bay_of()
    words = set()
    for guess in range(12):
        try:
            paired(bay.server.address, f"{guess:06d}", "cart")
        except InputError as fault:
            words.add(str(fault.allowed)[:14])
    assert "Too many tries" in words


def test_old_streams_thin_out(bay_of) -> None:
    bay = bay_of()
    until(lambda: len(bay.batches()) > 20, "twenty batches")
    bay.program.stop()
    count = len(bay.batches())
    with bay.db() as db:
        later = bay.server.clock() + timedelta(minutes=1)
        rows.thin_out(db, thinned_before=later, gone_before=later - timedelta(days=9))
        db.commit()
    kept = bay.batches()
    assert 0 < len(kept) < count
    assert all(b.seq % 10 == 0 for b in kept)
    with bay.db() as db:
        rows.thin_out(db, thinned_before=later, gone_before=later)
        db.commit()
    assert bay.batches() == []


def test_a_batch_that_can_never_be_taken_stops_nothing(bay_of) -> None:
    bay = running(bay_of())
    seen = kept_by(bay)
    bay.server.kill()
    until(lambda: len(seen) > 5, "what comes before it")
    bay.buffer._db.execute('insert into batch (body) values (\'{"at_s": "nonsense"}\')')
    until(lambda: len(seen) > 12, "what comes after it")
    bay.server.start()
    until(lambda: bay.buffer.count() < 3, "all but that one sent")
    waiting = {seq for seq, _ in bay.buffer.oldest(1000)}
    until(lambda: seen - waiting <= {b.seq for b in bay.batches()}, "every other one to be kept")


def test_the_age_of_a_command_needs_an_exchange_first() -> None:
    offset = Offset()
    assert offset.age(10.0, 5.0) is None
    offset.exchanged(100.0, 100.4, 5000.0)  # slow: off by up to 0.2 s
    offset.exchanged(101.0, 101.02, 5001.11)
    assert offset.age(5001.11, 101.01) == pytest.approx(0.0, abs=1e-9)


def test_a_wrong_key_is_told_that_it_is_wrong(bay_of, tmp_path) -> None:
    bay = bay_of()
    buffer = Buffer(tmp_path / "other.sqlite")
    buffer.keep('{"at_s": 1.0, "state": "off"}')
    wrong = Pairing(server=bay.server.address, key="x" * 43, job="26-0003", entries="[]")
    link = Link(wrong, buffer, take=lambda c, a: None, lost=lambda: None)
    stop = threading.Event()
    link.send_all(stop)
    assert link.ended == "This bridge is not known here: pair it again."
    assert stop.is_set()
    buffer.close()


def test_a_control_unit_that_answers_late_is_asked_again(bay_of, hand) -> None:
    """Every second word is met with silence."""
    bay = running(bay_of())
    unit = bay.station.seats[0].unit
    own, words = unit.answer, itertools.count()

    def deaf(request: bytes, *, to_all: bool = False) -> list[bytes]:
        maker = request[:1] in (b"\x10", b"\x2f")
        return [] if maker and next(words) % 2 == 0 else own(request, to_all=to_all)

    unit.answer = deaf
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    away = hand(bay, number)
    until(lambda: bay.car.wishes.commands, "a held valve")
    away.set()
    assert answered(bay, number).answer["done"]
    assert bay.car.wishes.commands == {}


def test_a_full_disk_of_the_laptop_is_said_and_guards_go_on(bay_of, hand) -> None:
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40)
    away = hand(bay, number)
    until(lambda: bay.car.wishes.commands, "a held valve")
    own = bay.buffer.keep

    def full(body: str) -> int:
        raise sqlite3.OperationalError("database or disk is full")

    bay.buffer.keep = full
    until(lambda: bay.program.trouble, "that it is said")
    away.set()
    until(lambda: not bay.car.wishes.commands, "a valve that was let go")
    bay.buffer.keep = own
    count = len(bay.batches())
    until(lambda: len(bay.batches()) > count + 5, "figures again")
    assert not bay.program.trouble


def test_a_word_from_the_future_holds_no_longer_than_one_of_now(bay_of) -> None:
    """A server whose clock was set back: what it says looks as if it came an hour early."""
    bay = running(bay_of())
    number = ask(bay, "hold", actuator="egr_valve", value=40, longest_s=50)
    until(lambda: bay.car.wishes.commands, "a held valve")
    word = Command(id=0, issued_s=0.0, do="held", of=number)
    bay.program.reader.command(word, age_s=-3600.0)
    assert answered(bay, number).answer["words"] == "Let go: nobody held it any more."


def test_the_cable_in_another_car_is_found_out(bay_of: Callable[..., Bay]) -> None:
    """The bridge asks the car its number when it begins to answer."""
    bay = running(bay_of("26-0003"))
    until(lambda: bay.bridge().serial == serial_of("26-0003"), "the car's number")
    bay.station.close()
    until(lambda: bay.bridge().state == "off", "the silence")
    other = Vehicle(FAMILIES["B"], {})
    other.key_on()
    station = station_of(other, bay.station.bus, plate="another")
    try:
        until(lambda: bay.bridge().stranger == serial_of("another"), "the other car")
        with bay.db() as db:
            job = db.scalars(select(Job).where(Job.number == "26-0003")).one()
            assert live.line_of_job(db, job, datetime.now(UTC)).state == "other"
    finally:
        station.close()
