"""A car on the line through a whole job: codes read from it, its passage tested while a hand holds
the control, cleaned on the card, learned by its own word, proven and signed without one typed
reading."""

import math
import re
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

import can
import pytest
from playwright.sync_api import Page, Route, expect
from sqlalchemy.orm import Session

from galene.bridge.link import paired
from galene.bridge.program import Program, buffer_in
from galene.bridge.reader import Found
from galene.bus.station import station_of
from galene.demo.cars import Car, CarStory, follow
from galene.jobs import intake, prove
from galene.jobs.act import Act
from galene.knowledge.families import FAMILIES
from galene.simulation.road import Road
from galene.simulation.vehicle import Vehicle
from tests.browser.conftest import Server, sign_in
from tests.browser.test_flow import tick_everything
from tests.conftest import person
from tests.jobs.hands import short_holds

PATIENCE_MS = 120_000
HOLD_S, SIGN_S = 5.0, 0.5
"""How long the control is held, and how much of that goes by from one sign of the hand to the next:
less than it may be silent."""


class Clock:
    """The bridge's clock: it runs, can be put forward, and stands while a hand is waited for."""

    def __init__(self) -> None:
        self._ahead, self._stands = 0.0, None

    def __call__(self) -> float:
        if self._stands is None:
            return time.monotonic() + self._ahead
        self._stands += 0.001  # no two rows are of one moment
        return self._stands

    def forward(self, seconds: float) -> None:
        """So much goes by."""
        if self._stands is None:
            self._ahead += seconds
        else:
            self._stands += seconds

    @contextmanager
    def standing(self) -> Iterator[None]:
        """Only what it is put forward by goes by."""
        self._stands = self()
        yield
        self._ahead, self._stands = self._stands - time.monotonic(), None


@dataclass(kw_only=True)
class ReadCar(Car):
    """A car on the line with the server that it is read for and its bridge's clock."""

    server: Server
    clock: Clock
    say: Callable[[Found], None]
    passed: list[tuple[float, float]] = field(default_factory=list)
    """Between which moments all that was read is what `passes` told."""

    def told_by_the_reader(self, found: Found) -> None:
        """Hand on what the bridge itself read, but for what has been told for it: no car is read
        twice in one moment."""
        rows = tuple(
            row
            for row in found.rows
            if not any(begun <= found.at_s - row[0] <= ended for begun, ended in self.passed)
        )
        self.say(replace(found, rows=rows))

    @contextmanager
    def hand_waited_for(self) -> Iterator[None]:
        """The clock stands, and goes on by what passes only."""
        with self.clock.standing():
            place = len(self.passed)
            self.passed.append((self.clock(), math.inf))
            yield
            self.passed[place] = (self.passed[place][0], self.clock())

    def passes(self, seconds: float) -> None:
        """So much goes by at once: the car is moved on and was read ten times a second, and the
        server's clock goes with it."""
        rows: list[tuple[float, dict[str, float]]] = []
        begun = self.clock()
        with self.station.in_hand() as vehicle:
            for _ in range(round(10 * seconds)):
                for _ in range(10):
                    vehicle.step()
                self.clock.forward(0.1)
                rows.append((self.clock(), vehicle.row()))
            heard = vehicle.wishes.key
        self.passed.append((begun, self.clock()))
        self.server.later(seconds / 60)
        for at in range(0, len(rows), 20):
            part = rows[at : at + 20]
            names, ends = tuple(n for n in part[0][1] if n != "time_s"), part[-1][0]
            self.say(
                Found(
                    at_s=ends,
                    state="live" if heard else "off",
                    words="",
                    columns=names if heard else (),
                    rows=tuple((ends - s, *(r[n] for n in names)) for s, r in part if heard),
                )
            )


@pytest.fixture(autouse=True)
def held_shortly(monkeypatch: pytest.MonkeyPatch) -> None:
    """Relearns with holds of some seconds."""
    monkeypatch.setattr(prove, "with_holds", short_holds(0.1))


@pytest.fixture
def job(server: Server) -> str:
    """A V6 that has come in."""
    with Session(server.engine) as db:
        act = Act(db=db, person=person(db, "odd"), now=server.clock())
        vehicle = intake.add_vehicle(
            act,
            intake.NewVehicle(
                plate="LV-600",
                maker="Hollinvar",
                model="Tarnback pickup",
                year="2010",
                family="B",
                keeper="Harbour office",
            ),
        )
        number = intake.open_job(act, vehicle, "Light is on, shakes at a steady foot").number
        db.commit()
    return number


@pytest.fixture
def car_of(server: Server, tmp_path: Path) -> Iterator[Callable[[str, str], ReadCar]]:
    """Puts a plugged V6 on the line of a job by the code of its page, and follows its card."""
    over, made, threads = threading.Event(), list[ReadCar](), list[threading.Thread]()

    def put(number: str, code: str) -> ReadCar:
        vehicle = Vehicle(FAMILIES["B"], {"egr_passage_plugged": 0.9})
        vehicle.key_on()
        vehicle.start()
        for _ in range(3000):
            vehicle.step()
        vehicle.road = Road(vehicle, "town", 900)
        while vehicle.road is not None:
            vehicle.step()
        for _ in range(2000):
            vehicle.step()
        channel = f"live-{number}"
        station = station_of(vehicle, can.Bus(interface="virtual", channel=channel))
        buffer = buffer_in(tmp_path / "bridge")
        pairing = paired(server.address, code, "cart")
        buffer.pair(pairing)
        clock = Clock()
        program = Program(
            pairing,
            buffer,
            lambda: can.Bus(interface="virtual", channel=channel),
            clock=clock,
        )
        car = ReadCar(
            server=server,
            clock=clock,
            say=program.reader._say,
            story=CarStory(plate="LV-600", faults={}),
            number=number,
            vehicle=vehicle,
            station=station,
            program=program,
            channel=channel,
        )
        program.reader._say = car.told_by_the_reader
        program.start()

        def hand() -> None:
            while not over.wait(0.3):
                with Session(server.engine) as db:
                    follow(db, car)

        threads.append(threading.Thread(target=hand, daemon=True))
        threads[-1].start()
        made.append(car)
        return car

    yield put
    over.set()
    for thread in threads:
        thread.join(10)
    for car in made:
        car.close()


def in_the_seat(car: ReadCar, do: Callable[[Vehicle], object]) -> None:
    """The one in the car does something."""
    with car.station.in_hand() as vehicle:
        do(vehicle)


def reads(page: Page, car: ReadCar, seconds: float) -> None:
    """Let the car be read for a while, which is over at once."""
    expect(page.locator("[data-live-strip]")).to_have_attribute(
        "data-state", "live", timeout=PATIENCE_MS
    )
    car.passes(seconds)
    arrived(page, car)


def arrived(page: Page, car: ReadCar) -> None:
    """Wait until what was read is at the server."""
    ends = time.monotonic() + PATIENCE_MS / 1000
    while car.program.buffer.count() > 2:
        assert time.monotonic() < ends, "the server does not take it"
        page.wait_for_timeout(20)


def hold_the_control(page: Page, car: ReadCar, seconds: float) -> None:
    """Everything seen to, then the control held so long, or until the car gives up. However late a
    sign of the hand comes, no more goes by in the car than a hand may be silent."""
    for box in page.locator("[name=asked]").all():
        box.check()
    expect(page.locator("[data-lamp].lamp-broken")).to_have_count(0, timeout=PATIENCE_MS)
    button, reader = page.locator("[data-hold]"), car.program.reader
    button.scroll_into_view_if_needed()
    box = button.bounding_box()
    assert box
    with car.hand_waited_for():
        page.mouse.move(box["x"] + 30, box["y"] + 30)
        page.mouse.down()
        expect(page.locator("[data-hold-says]")).to_contain_text("Held for", timeout=PATIENCE_MS)
        for _ in range(round(seconds / SIGN_S)):
            car.passes(SIGN_S)
            held, passed = reader._held, car.clock()
            while held is not None and held is reader._held and held.heard_s < passed:
                page.wait_for_timeout(20)
    with page.expect_navigation(timeout=PATIENCE_MS):
        page.mouse.up()


def answered_last(page: Page, car: ReadCar, route: Route) -> None:
    """The server's answer to the press comes when the car's own is long there."""
    answer = route.fetch()
    ends = time.monotonic() + PATIENCE_MS / 1000
    while car.program.reader._held is None:
        assert time.monotonic() < ends, "the car is not held"
        page.wait_for_timeout(20)
    arrived(page, car)
    page.wait_for_timeout(500)
    route.fulfill(response=answer)


def take_idle(page: Page, car: ReadCar, form: str = "form#idle") -> None:
    """Half a minute of idle, then one touch."""
    reads(page, car, 20)
    with page.expect_navigation():
        page.locator(form).get_by_role("button", name="Take it from the car").click()
    expect(page.locator(form)).to_contain_text("from the car")


def learn_live(page: Page, car: ReadCar) -> None:
    """The relearn that is due, hold by hold, by the car's own word; the one in the seat does what
    the page says."""
    for box in page.locator("#relearn input[type=checkbox]").all():
        box.check()
    page.get_by_role("button", name="Begin the relearn").press("Enter")
    measure = page.get_by_role("button", name="Measure it on the car")
    for _ in range(8):
        expect(page.locator("#relearn .step-now")).to_be_visible(timeout=PATIENCE_MS)
        if measure.count():
            reads(page, car, 6)
            with page.expect_navigation():
                measure.press("Enter")
            return
        words = page.locator("#relearn .step-now h3").inner_text()
        if "Ignition off" in words:
            in_the_seat(car, lambda v: v.key_off())
        elif "Ignition on" in words:
            in_the_seat(car, lambda v: v.key_on())
        else:
            in_the_seat(car, lambda v: v.start())
        car.passes(8)
        held = page.get_by_role("button", name="Held undisturbed, go on")
        expect(held).to_be_visible(timeout=PATIENCE_MS)
        with page.expect_navigation():
            held.press("Enter")
    pytest.fail("the relearn does not end")


def drives(vehicle: Vehicle) -> None:
    """Twelve minutes of town, at once."""
    vehicle.road = Road(vehicle, "town", 720)
    for _ in range(74_000):
        vehicle.step()


def prove_live(page: Page, server: Server, car: ReadCar, at: str) -> None:
    """Everything behind the work, in the page's order, by the car's own word."""
    for _ in range(40):
        page.goto(f"{at}/prove")
        due = page.locator("#in-order [aria-current=step]")
        if not due.count():
            return
        step = due.inner_text()
        if page.locator("#in-order a[href$='/work']").count():
            page.goto(f"{at}/work")
            tick_everything(page, server)
        elif "Clear the codes" in step:
            in_the_seat(car, lambda v: (v.key_off(), v.key_on()))
            reads(page, car, 4)
            with page.expect_navigation():
                page.get_by_role("button", name="Clear them on the car").press("Enter")
        elif "First start" in step:
            with page.expect_navigation():
                page.get_by_role("button", name="It is started").press("Enter")
        elif "same readings" in step:
            in_the_seat(car, lambda v: v.start())
            take_idle(page, car)
        elif "Road test" in step:
            in_the_seat(car, lambda v: v.start())
            reads(page, car, 2)
            with page.expect_navigation():
                page.get_by_role("button", name="Record the road run").press("Enter")
            in_the_seat(car, lambda v: setattr(v, "road", Road(v, "town", 26)))
            car.passes(28)
            arrived(page, car)
            with page.expect_navigation():
                page.get_by_role("button", name="It is driven: read it").press("Enter")
            assert float(page.get_by_label("Driven", exact=True).input_value()) >= 0
            page.get_by_label("Driven", exact=True).fill("9")
            for symptom in page.locator("#road input[value=gone]").all():
                symptom.check()
            with page.expect_navigation():
                page.get_by_role("button", name="Save the road test").press("Enter")
        elif "pending" in step:
            # The rest of the drive, at once: the monitors need their minutes.
            in_the_seat(car, drives)
            reads(page, car, 2)
            with page.expect_navigation():
                page.get_by_role("button", name="Read codes and monitors from the car").press(
                    "Enter"
                )
        else:
            learn_live(page, car)
    pytest.fail("the proof does not end")


def test_a_plugged_passage_from_codes_to_a_signed_report(
    page: Page,
    server: Server,
    job: str,
    car_of: Callable[[str, str], ReadCar],
    faults: list[str],
) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    at = f"{server.address}/jobs/{job}"
    sign_in(page, server, "odd", at=f"/jobs/{job}/bridge")
    page.get_by_role("button", name="Show a code").click()
    code = page.locator("[data-pair-code]").inner_text().replace(" ", "")
    car = car_of(job, code)
    # The page that showed the code goes on by itself.
    expect(page.locator("[data-pair-code]")).to_have_count(0, timeout=PATIENCE_MS)
    expect(page.locator("[data-way-says=live]")).to_be_visible(timeout=PATIENCE_MS)
    # Intake: the codes come from the car.
    page.goto(f"{at}/intake")
    reads(page, car, 0.5)
    page.get_by_role("button", name="Read the codes from the car").click()
    expect(page.locator("#codes")).to_contain_text("P0401")
    page.get_by_role("button", name="Rough idle: not asked").click()
    expect(page.get_by_role("button", name="Rough idle: there")).to_be_visible()
    page.get_by_label("Odometer", exact=True).fill("154300")
    page.get_by_role("button", name="Save, on to the evidence").click()
    # Evidence: half a minute of idle, taken by one touch.
    take_idle(page, car)
    page.get_by_role("button", name="On to diagnosis").click()
    # The flow test, held from the page: the engine hardly sags.
    page.goto(f"{at}/checks/egr_flow_test")
    reads(page, car, 13)
    # An opened valve, for as long as it takes: the drawing says which part restricts.
    in_the_seat(car, lambda v: v.command("egr_valve", 100.0))
    mark = page.locator('svg.air .part.live-restricts[data-part="egr_passage"] .says')
    expect(mark).to_contain_text("passes", timeout=PATIENCE_MS)
    in_the_seat(car, lambda v: v.release("egr_valve"))
    expect(mark).to_have_count(0, timeout=PATIENCE_MS)
    reads(page, car, 13)
    page.route("**/live/press/*", partial(answered_last, page, car))
    hold_the_control(page, car, HOLD_S)
    expect(page.locator("#kept")).to_contain_text("Plugged")
    expect(page.locator("#kept")).to_contain_text("from the car")
    page.goto(f"{at}/diagnosis")
    expect(page.get_by_role("heading", level=1)).to_contain_text("passage", ignore_case=True)
    page.get_by_role("button", name="On to plan").click()
    # Plan, approval, card.
    page.get_by_role("button", name="Save this plan").click()
    page.get_by_label(re.compile("who agreed")).fill("the harbour office, by phone")
    page.get_by_label("How", exact=True).select_option("phone")
    page.get_by_role("button", name="Record the approval").click()
    page.get_by_label("Looked up in").fill("the maker's list")
    page.get_by_label("What came of it").fill("none open")
    page.get_by_role("button", name="Record", exact=True).click()
    page.get_by_role("button", name="On to work").click()
    page.get_by_role("button", name="Make the card").click()
    with page.expect_navigation():
        page.get_by_role("button", name="All of it is here").click()
    tick_everything(page, server)
    # What the card says was cleaned is clean.
    ends = time.monotonic() + 60
    while "egr_passage_plugged" in car.vehicle.faults and time.monotonic() < ends:
        page.wait_for_timeout(200)
    assert car.vehicle.faults == {}
    page.goto(f"{at}/work")
    with page.expect_navigation():
        page.get_by_role("button", name="On to relearn and prove").click()
    prove_live(page, server, car, at)
    # The same test again: now it stalls.
    page.goto(f"{at}/checks/egr_flow_test?after=true")
    in_the_seat(car, lambda v: v.start())
    reads(page, car, 14)
    hold_the_control(page, car, HOLD_S)
    expect(page.locator("#kept")).to_contain_text("Stalled")
    in_the_seat(car, lambda v: v.start())
    page.goto(f"{at}/prove")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Proven")
    page.get_by_role("button", name="On to handover").click()
    page.get_by_role("checkbox", name=re.compile("passage", re.IGNORECASE)).first.check()
    page.locator("select[name='found:egr_passage_plugged']").select_option(index=1)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#sign")).to_contain_text("A foreman looks at it and signs")
    page.context.clear_cookies()
    sign_in(page, server, "maren", at=f"/jobs/{job}/handover")
    page.locator("#sign-password").fill("slipway-maren")
    page.get_by_role("button", name="Sign and finish the job").click()
    expect(page.get_by_text("read-only")).to_be_visible()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Proven")
