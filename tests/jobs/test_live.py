"""Figures taken from what a bridge read: the batches are a simulated car's own rows."""

import itertools
from collections.abc import Callable
from datetime import timedelta

import pytest
from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from galene.exchange.live import Answer, Batch, CodesRead, FrameRead
from galene.jobs import (
    evidence,
    intake,
    live,
    live_codes,
    live_relearn,
    live_road,
    live_taking,
    live_tests,
    log_traces,
    logs,
    prove,
)
from galene.jobs.act import Act, family_of, find_job
from galene.jobs.errors import Invalid, Refused
from galene.jobs.live_stands import Standing, standing_of
from galene.knowledge.families import FAMILIES
from galene.knowledge.live_channels import AT, LOG_CHANNELS, SIGNALS, signals_at
from galene.knowledge.log_channels import CHANNELS
from galene.knowledge.reading_channels import channels_of
from galene.simulation.road import Road
from galene.simulation.vehicle import Vehicle
from galene.store.models import (
    AuditEntry,
    Bridge,
    CheckResult,
    Job,
    LiveBatch,
    LiveCommand,
    LogFile,
)
from galene.store.repositories import live as rows
from tests.jobs.hands import short_holds
from tests.jobs.live_line import Do, Line
from tests.simulation.test_agreement import CLEAN_MM2


@pytest.fixture
def new_job(odd: Act) -> Callable[[str], Job]:
    """A new job on a family."""

    def make(family: str) -> Job:
        vehicle = intake.add_vehicle(
            odd,
            intake.NewVehicle(
                plate=f"LV-{family}{len(odd.person.name)}",
                maker="Brinewell",
                model="Testbed",
                year="2018",
                family=family,
                keeper="the shed",
            ),
        )
        return find_job(odd.db, intake.open_job(odd, vehicle, "shakes").number)

    return make


def take(line: Line, kind: str, phase: str = "before") -> Job:
    return live_taking.take_set(
        line.act,
        line.job.number,
        phase=phase,
        kind=kind,
        load=(),
        warm=False,
        protective_mode=False,
        seen=0,
    )


# ---- sets


@pytest.mark.parametrize("family", list("ABCDEF"))
def test_half_a_minute_of_idle_is_a_whole_set(
    odd: Act, new_job: Callable[[str], Job], family: str
) -> None:
    line = Line(odd, new_job(family)).runs(34)
    job = take(line, "idle")
    kept = evidence.set_of(job, "before", "idle")
    assert kept.source == "live"
    wanted = {c.id for c in channels_of(family_of(job), "idle")}
    assert {r.channel for r in kept.readings} == wanted
    assert all(sum(r.channel == c for r in kept.readings) == 5 for c in wanted)
    truth = line.car.plant.idle_rpm
    speeds = [r.value for r in kept.readings if r.channel == "idle_rpm"]
    assert abs(sum(speeds) / 5 - truth) < 0.06 * truth
    times = [r.at_s for r in kept.readings if r.channel == "idle_rpm"]
    assert all(4 < b - a < 9 for a, b in itertools.pairwise(times))
    if family_of(job).cooling == "liquid":
        assert 80 < kept.conditions.coolant_c < 100


def test_the_window_stays_with_the_job_as_a_log_once(
    odd: Act, new_job: Callable[[str], Job]
) -> None:
    line = Line(odd, new_job("A")).runs(34)
    take(line, "idle")
    log = odd.db.scalars(select(LogFile).where(LogFile.job_id == line.job.id)).one()
    assert log.kind == "live" and log.mapped and log.rows > 300
    assert {"rpm", "map_kpa", "maf_g_s"} <= log.mapping.channels.keys()
    window = live_taking.window_of(odd.db, line.job, odd.now - timedelta(seconds=36), odd.now)
    again = live_taking.keep_window(odd, line.job, window, "again")
    assert again.id == log.id
    trace = log_traces.trace_of(odd.db, log)
    assert trace.mean("rpm", 0, 30) == pytest.approx(line.car.plant.idle_rpm, rel=0.06)


@pytest.mark.parametrize(
    ("seconds", "do", "words"),
    [
        (5, None, "Only 5 s were read"),
        (34, lambda car, at: car.key_off(), "The engine does not run"),
        (34, lambda car, at: setattr(car.wishes, "hold_rpm", 2200), "It does not idle: "),
        (
            34,
            lambda car, at: (
                setattr(car.wishes, "pedal", 9.0 if at % 5 < 1.5 else 0.0),
                setattr(car.wishes, "speed_kmh", 8.0),
            ),
            "",
        ),
    ],
)
def test_what_is_no_idle_is_not_taken_and_says_why(
    odd: Act, new_job: Callable[[str], Job], seconds: float, do: Do | None, words: str
) -> None:
    line = Line(odd, new_job("A")).runs(seconds, do)
    with pytest.raises(Invalid) as fault:
        take(line, "idle")
    assert words in fault.value.fields["rows"]


@pytest.mark.parametrize("number", [-1, 2**53, 10**30])
def test_numbers_that_not_every_reader_holds_are_refused(number: int) -> None:
    with pytest.raises(ValidationError):
        Batch(seq=number, at_s=0, state="live")
    with pytest.raises(ValidationError):
        Answer(id=number, done=True)
    assert Batch(seq=2**53 - 1, at_s=0, state="live").seq == 2**53 - 1


def test_nothing_read_is_nothing_taken(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("A"))
    with pytest.raises(Refused, match="Nothing to take"):
        take(line, "idle")
    with pytest.raises(Refused, match="Nothing to take"):
        live_taking.take_key_on(odd, line.job.number, phase="before", seen=0)
    line.runs(20)
    odd.now += timedelta(seconds=90)
    with pytest.raises(Refused, match="Nothing to take"):
        take(line, "idle")


def test_held_speeds_are_trim_points(odd: Act, new_job: Callable[[str], Job]) -> None:
    def foot(car: Vehicle, at: float) -> None:
        car.wishes.hold_rpm = None if at < 20 else 1500 if at < 40 else 2500

    line = Line(odd, new_job("B"), {"unmetered_air_leak": 0.5}).runs(60, foot)
    kept = evidence.set_of(take(line, "trim"), "before", "trim")
    speeds = sorted(r.value for r in kept.readings if r.channel == "rpm")
    assert len(speeds) >= 3
    assert any(abs(s - 1500) < 60 for s in speeds) and any(abs(s - 2500) < 80 for s in speeds)


def test_key_on_reads_every_absolute_sensor(odd: Act, new_job: Callable[[str], Job]) -> None:
    job = new_job("A")
    line = Line(odd, job)
    line.car.key_on()
    line.read(6)
    kept = evidence.set_of(
        live_taking.take_key_on(odd, job.number, phase="before", seen=0), "before", "key_on"
    )
    found = {r.channel: r.value for r in kept.readings}
    assert set(found) == {"map_sensor", "barometric_sensor"}
    assert all(value == pytest.approx(101.1, abs=0.6) for value in found.values())
    assert kept.source == "live"


def test_key_on_with_the_engine_running_is_refused(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("A")).runs(6)
    with pytest.raises(Invalid, match="The engine turns"):
        live_taking.take_key_on(odd, line.job.number, phase="before", seen=0)


def test_figures_of_a_check_stand_on_the_line(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("A")).runs(6)
    found = live_taking.figures_of(odd.db, line.job, "airflow_against_expected", odd.now)
    assert set(found) == {"rpm", "map_kpa", "measured_g_s", "intake_c"}
    assert live_taking.figures_of(odd.db, line.job, "throttle_inspection", odd.now) == {}


def test_an_opened_valve_speaks_of_its_passage(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": 0.8}).runs(8)
    assert standing_of(odd.db, line.job, odd.now) == Standing(idles=True)
    line.car.command("egr_valve", 100.0)
    line.read(5)
    (found,) = standing_of(odd.db, line.job, odd.now).stands
    assert (found.rule, found.restricts) == ("passage", True)
    line.car.release("egr_valve")
    line.read(5)
    assert standing_of(odd.db, line.job, odd.now) == Standing(idles=True)


def test_a_valve_on_its_way_is_not_said_to_stand_wrong(
    odd: Act, new_job: Callable[[str], Job]
) -> None:
    line = Line(odd, new_job("B"), {"egr_valve_sluggish": 1.0, "egr_passage_plugged": 1.0}).runs(8)
    line.car.command("egr_valve", 100.0)
    line.read(1)
    found = windowed_means(line)
    assert found["egr_command_pct"] - found["egr_position_pct"] > 10
    assert not standing_of(odd.db, line.job, odd.now).stands


def windowed_means(line: Line) -> dict[str, float]:
    """Means of the last three seconds."""
    now = line.act.now
    window = live_taking.window_of(line.act.db, line.job, now - timedelta(seconds=3), now)
    return {name: float(window.last(name, 3).mean()) for name in window.columns}


def test_what_was_said_is_not_said_of_a_car_that_is_silent(
    odd: Act, new_job: Callable[[str], Job]
) -> None:
    line = Line(odd, new_job("A"), {"throttle_deposit": 0.9}).runs(6)
    assert standing_of(odd.db, line.job, odd.now).stands
    odd.now += timedelta(seconds=3)
    assert standing_of(odd.db, line.job, odd.now) == Standing()


# ---- codes

TOLD = CodesRead(
    stored=("P0401",),
    pending=("P0401", "P0171"),
    permanent=("P0401", "P0300"),
    frame=FrameRead(code="P0401", figures={"rpm": 1812.25, "coolant_c": 88, "load_pct": 31.4}),
)


def test_codes_come_with_their_states_and_frame(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B")).runs(2)
    command = live.ask(odd, line.job, "codes")
    with pytest.raises(Refused, match="No answer"):
        live_codes.take_codes(odd, line.job.number, command)
    line.answer(command, codes=TOLD)
    assert live_codes.take_codes(odd, line.job.number, command) == 3
    found = {c.code: c.status for c in line.job.codes}
    assert found == {"P0401": "stored", "P0171": "pending", "P0300": "permanent"}
    frame = next(c for c in line.job.codes if c.code == "P0401").frame
    assert (frame.rpm, frame.coolant_c, frame.load_percent) == (1812.2, 88, 31.4)


def test_no_codes_leave_a_trace_and_no_row(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B")).runs(2)
    command = live.ask(odd, line.job, "codes")
    line.answer(command, codes=CodesRead(stored=(), pending=(), permanent=()))
    assert live_codes.take_codes(odd, line.job.number, command) == 0
    assert not line.job.codes
    actions = odd.db.scalars(select(AuditEntry.action).where(AuditEntry.job_id == line.job.id))
    assert "codes_read_none" in set(actions)


def test_codes_are_not_cleared_on_the_car_before_the_before_set(
    odd: Act, new_job: Callable[[str], Job]
) -> None:
    with pytest.raises(Refused, match="Do not clear the codes yet"):
        prove.require_clearable(new_job("B"))


# ---- commanded tests

ALL_SEEN = {"brake", "key", "air", "codes"}


def held(line: Line, seconds: float, value: float = 100.0) -> LiveCommand:
    """A flow test pressed, held so long, let go, and its tail read."""
    command = live_tests.press(line.act, line.job.number, "egr_flow_test", asked=ALL_SEEN)
    line.car.command("egr_valve", value)
    line.seq += 1
    line.hand(
        Batch(
            seq=line.seq,
            at_s=line.clock,
            state="live",
            answers=(Answer(id=command.id, phase="began", done=True),),
        )
    )
    line.read(seconds)
    line.car.release("egr_valve")
    line.answer(command, words="Let go: the hand is off.")
    line.read(5)
    return command


@pytest.mark.parametrize(
    ("severity", "verdicts"), [(0.95, {"plugged"}), (0.6, {"restricted", "plugged"})]
)
def test_a_held_valve_says_what_its_passage_is(
    odd: Act, new_job: Callable[[str], Job], severity: float, verdicts: set[str]
) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": severity}).runs(16)
    command = held(line, 7)
    live_tests.keep_run(odd, line.job.number, "egr_flow_test", command.id, phase="before")
    kept = odd.db.scalars(select(CheckResult).where(CheckResult.job_id == line.job.id)).one()
    assert kept.result["verdict"] in verdicts
    assert kept.given["form"] == "live"
    truth = CLEAN_MM2 * (1 - 0.97 * severity)
    assert kept.result["passage_area_mm2"] == pytest.approx(truth, rel=0.12)


def test_a_clean_passage_stalls_it(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B")).runs(16)
    command = held(line, 6)
    assert line.car.engine.rpm < 100
    live_tests.keep_run(odd, line.job.number, "egr_flow_test", command.id, phase="before")
    kept = odd.db.scalars(select(CheckResult).where(CheckResult.job_id == line.job.id)).one()
    assert kept.result["verdict"] == "stalled"


def test_too_short_a_hold_says_nothing(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": 0.9}).runs(16)
    command = held(line, 1.2)
    with pytest.raises(Invalid, match=r"Held for 1\.2 s"):
        live_tests.keep_run(odd, line.job.number, "egr_flow_test", command.id, phase="before")


def test_a_run_of_another_test_is_not_this_one(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": 0.9}).runs(16)
    command = live.ask(odd, line.job, "hold", actuator="idle_air_valve", value=20)
    line.answer(command)
    with pytest.raises(Invalid, match="another test"):
        live_tests.keep_run(odd, line.job.number, "egr_flow_test", command.id, phase="before")


@pytest.mark.parametrize(
    ("do", "asked", "words"),
    [
        (None, ALL_SEEN - {"key"}, "Somebody sits at the key"),
        (lambda car, at: setattr(car.wishes, "speed_kmh", 12.0), ALL_SEEN, "The car stands: 12.0"),
        (lambda car, at: car.key_off(), ALL_SEEN, "It idles: 0.0"),
        (lambda car, at: setattr(car.wishes, "hold_rpm", 2500), ALL_SEEN, "It idles: 2"),
    ],
)
def test_nothing_is_driven_before_every_condition_holds(
    odd: Act, new_job: Callable[[str], Job], do: Do | None, asked: set[str], words: str
) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": 0.9}).runs(8, do)
    with pytest.raises(Refused) as no:
        live_tests.press(odd, line.job.number, "egr_flow_test", asked=asked)
    assert any(words in reason for reason in no.value.reasons)
    assert odd.db.scalars(select(LiveCommand)).all() == []


def test_nothing_is_driven_cold(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": 0.9})
    line.car = Vehicle(FAMILIES["B"], {}, warm=False)
    line.runs(8, warm=4)
    with pytest.raises(Refused, match="Coolant warm"):
        live_tests.press(odd, line.job.number, "egr_flow_test", asked=ALL_SEEN)


def test_nothing_is_driven_in_a_protective_mode(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B"), {"egr_passage_plugged": 0.9}).runs(8)
    intake.tap(odd, line.job.number, "reduced_power_mode", was="unknown", state="present")
    with pytest.raises(Refused, match="Not in a protective mode"):
        live_tests.press(odd, line.job.number, "egr_flow_test", asked=ALL_SEEN)


@pytest.mark.parametrize(
    ("family", "check", "there"),
    [
        ("B", "egr_flow_test", True),
        ("A", "egr_flow_test", False),
        ("C", "runner_sweep_commanded", True),
        ("F", "runner_sweep_commanded", False),
        ("B", "throttle_inspection", False),
    ],
)
def test_a_test_is_offered_where_the_document_names_its_output(
    new_job: Callable[[str], Job], family: str, check: str, there: bool
) -> None:
    assert (live_tests.commanded(new_job(family), check) is not None) == there


def test_a_lost_bridge_is_asked_nothing(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("B")).runs(8)
    odd.now += timedelta(seconds=4)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "lost"
    with pytest.raises(Refused, match="not heard of"):
        live.ask(odd, line.job, "codes")


# ---- relearns


@pytest.fixture
def learning(db: Session, pia: Act) -> Line:
    """The demo's four at its relearn: its plate is clean and not yet learned."""
    job = next(j for j in db.scalars(select(Job)).unique() if j.vehicle.plate == "QN-124")
    line = Line(pia, job, {"throttle_deposit": 0.6})
    line.car.key_on()
    line.car.start()
    for _ in range(6000):
        line.car.step()
    line.car.key_off()
    line.car.mend("throttle_body")
    line.car.key_on()
    return line


def begun(line: Line) -> None:
    template = prove.template_of(line.job)
    prove.relearn_begin(line.act, line.job.number, {c: True for c, _ in template.conditions})


def test_a_hold_runs_by_the_cars_word_and_waits_while_it_is_not_heard_of(learning: Line) -> None:
    line = learning
    line.read(2)
    begun(line)
    line.read(30)
    told = live_relearn.listen(line.act, line.job.number)
    assert told.held_s == pytest.approx(30, abs=0.5) and not told.waits and not told.done
    # Half a minute in which nobody is heard of: the clock runs, the hold does not.
    line.act.now += timedelta(seconds=30)
    line.clock += 30
    told = live_relearn.listen(line.act, line.job.number)
    assert told.held_s == pytest.approx(30, abs=0.5)
    assert told.waits.startswith("The hold waits. The bridge is not heard of")
    with pytest.raises(Refused, match="Hold on"):
        prove.relearn_next(line.act, line.job.number, 0)
    line.read(60)
    assert live_relearn.listen(line.act, line.job.number).held_s == pytest.approx(90, abs=1)
    # Two minutes and more have gone by the clock; by the car's word they have not.
    with pytest.raises(Refused, match="the car held it for 90 of 120 s"):
        prove.relearn_next(line.act, line.job.number, 0)
    line.read(31)
    assert live_relearn.listen(line.act, line.job.number).done
    assert prove.relearn_next(line.act, line.job.number, 0).relearn.phase == 1


def test_a_touched_pedal_begins_the_hold_anew_once(learning: Line) -> None:
    line = learning
    line.read(2)
    begun(line)
    line.read(20)
    live_relearn.listen(line.act, line.job.number)

    def touch(car: Vehicle, at: float) -> None:
        car.wishes.pedal = 20.0 if at < 3 else 0.0

    for k in range(8):  # looked at every second, as the page does
        line.read(1, lambda car, at, k=k: touch(car, k + at))
        told = live_relearn.listen(line.act, line.job.number)
    assert told.restarts == 1
    assert line.job.relearn.restarts[0].guard == "pedal"
    assert told.held_s == pytest.approx(5, abs=1.0)


def test_a_single_odd_sample_breaks_nothing(learning: Line) -> None:
    line = learning
    line.read(2)
    begun(line)
    line.read(10, lambda car, at: setattr(car.wishes, "pedal", 20.0 if 5 <= at < 5.1 else 0.0))
    assert live_relearn.listen(line.act, line.job.number).restarts == 0


def test_the_hold_with_the_ignition_off_is_told_by_silence(learning: Line) -> None:
    line = learning
    line.read(2)
    begun(line)
    line.read(121)
    live_relearn.listen(line.act, line.job.number)
    prove.relearn_next(line.act, line.job.number, 0)
    line.read(10)
    told = live_relearn.listen(line.act, line.job.number)
    assert told.held_s == 0
    assert told.waits == "The hold waits for the ignition to be off: the car still answers."
    line.silent(61)
    told = live_relearn.listen(line.act, line.job.number)
    assert told.done and not told.waits


def test_by_hand_remains(learning: Line) -> None:
    line = learning
    line.read(2)
    begun(line)
    line.read(5)
    live_relearn.listen(line.act, line.job.number)
    live_relearn.by_hand(line.act, line.job.number)
    assert live_relearn.listen(line.act, line.job.number) is None
    line.act.now += timedelta(minutes=2, seconds=1)
    assert prove.relearn_next(line.act, line.job.number, 0).relearn.phase == 1


def test_a_condition_that_the_car_contradicts_is_refused(learning: Line) -> None:
    line = learning
    line.car.battery = True
    line.car.engine.coolant_c = 40.0
    line.car.key_on()
    line.read(5)
    with pytest.raises(Invalid) as no:
        live_relearn.require_conditions(line.act, line.job.number)
    assert no.value.fields["warm"].startswith("Coolant stands at 4")


@pytest.mark.parametrize(("learned", "codes"), [(True, ()), (False, ("P0507",))])
def test_success_is_measured(
    learning: Line, monkeypatch: pytest.MonkeyPatch, *, learned: bool, codes: tuple[str, ...]
) -> None:
    monkeypatch.setattr(prove, "with_holds", short_holds(1.5))
    line = learning
    line.read(2)
    begun(line)
    job = line.job
    template = prove.template_of(job)
    for k, phase in enumerate(template.phases):
        if phase.id == "key_off":
            line.silent(60 * phase.hold_minutes + 1)
        elif phase.engine_on:
            line.car.start()
            if learned:
                line.car.control.begin("idle_adaptation")  # it learns six times as quickly
            else:
                line.car.control.forget()
            line.read(60 * phase.hold_minutes + 5)
        else:
            line.read(60 * phase.hold_minutes + 1)
        live_relearn.listen(line.act, job.number)
        prove.relearn_next(line.act, job.number, k)
    command = live.ask(line.act, job, "codes")
    line.answer(command, codes=CodesRead(stored=(), pending=codes, permanent=()))
    found = live_relearn.measured(line.act, job, command)
    assert [a.label for a in found.aims] == ["Idle speed", "Throttle opening"]
    assert found.learned == learned
    prove.relearn_finish(line.act, job.number, found.learned, measured=found)
    if learned:
        assert all(a.met for a in found.aims)
        assert job.relearn.phase is None
    else:
        assert job.relearn.outcome == "failed" and job.relearn.codes == codes


# ---- the road


def test_a_road_run_is_read_and_kept(learning: Line) -> None:
    line = learning
    line.car.start()
    line.read(10)
    live_road.begin(line.act, line.job.number)
    line.read(40)
    line.car.road = Road(line.car, "town", 300)
    line.read(320)
    job = live_road.end(line.act, line.job.number, ready={"catalyst": False})
    run = job.road_test.run
    assert run.km == pytest.approx(line.car.odometer_km, rel=0.03)
    assert run.pulls >= 2 and run.coasts >= 2 and run.stops >= 2 and run.idle_s > 30
    assert run.ready == {"catalyst": False}
    assert logs.find_log(line.act.db, job, run.log_id).kind == "live"
    assert job.road_test.run_began is None
    # Ended twice it is read once.
    assert live_road.end(line.act, line.job.number, ready=None).road_test.run == run


def test_too_short_a_run_is_told(learning: Line) -> None:
    line = learning
    line.read(5)
    live_road.begin(line.act, line.job.number)
    line.read(8)
    with pytest.raises(Refused, match="only 8 s were read"):
        live_road.end(line.act, line.job.number, ready=None)


# ---- vocabulary


def test_every_column_has_its_place() -> None:
    assert set(LOG_CHANNELS.values()) <= CHANNELS.keys()
    assert {s for stage in AT.values() for s in stage} <= SIGNALS.keys()
    for family in FAMILIES.values():
        sensed = {n for n in Vehicle(family, {}).row() if n != "time_s"}
        for stage in AT:
            for signal in signals_at(family, stage):
                assert set(signal.columns) <= sensed, (family.id, stage, signal.id)


def test_one_bay_has_one_bridge(odd: Act, new_job: Callable[[str], Job]) -> None:
    first, second = new_job("A"), new_job("B")
    first.bay = second.bay = "slip bay"
    former = Line(odd, first)
    Line(odd, second)
    open_now = odd.db.scalars(select(Bridge).where(Bridge.ended_at.is_(None))).all()
    assert [b.job_id for b in open_now] == [second.id]
    assert rows.bridge_of_job(odd.db, first.id) is None
    with pytest.raises(live.NotLetIn, match="Another bridge"):
        live.let_in(odd.db, former.key)


# ---- which car


FIRST, SECOND = "GALENE00000000011", "GALENE00000000022"


def says(line: Line, serial: str) -> Line:
    """The car begins to answer with its number, and is read on."""
    line.seq += 1
    line.clock += 0.1
    line.hand(Batch(seq=line.seq, at_s=line.clock, state="live", serial=serial))
    return line.read(2)


def count(db: Session, job: Job) -> int:
    asked = select(func.count()).select_from(LiveBatch).where(LiveBatch.job_id == job.id)
    return db.scalar(asked) or 0


def test_another_car_on_the_line_is_neither_read_nor_driven(
    odd: Act, new_job: Callable[[str], Job]
) -> None:
    line = Line(odd, new_job("B")).runs(8)
    says(line, FIRST)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "live"
    kept = count(odd.db, line.job)
    says(line, SECOND)
    told = live.line_of_job(odd.db, line.job, odd.now)
    assert told.state == "other"
    assert told.other == "Its number ends in 0022, that of this vehicle in 0011."
    assert count(odd.db, line.job) == kept
    with pytest.raises(Refused, match="not on the line"):
        live.ask(odd, line.job, "hold", actuator="egr_valve", value=100.0)
    # A new pairing does not make it the right one.
    again = Line(odd, line.job)
    again.car.key_on()
    assert live.line_of_job(odd.db, line.job, odd.now).state == "waiting"
    says(again, SECOND)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "other"
    says(again, FIRST)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "live"


def test_who_looked_says_that_it_is_the_car(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("A")).runs(2)
    says(says(line, FIRST), SECOND)
    live.same_car(odd, line.job.number)
    live.same_car(odd, line.job.number)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "live"
    traced = odd.db.scalars(select(AuditEntry).where(AuditEntry.action == "car_is_this_one")).all()
    assert len(traced) == 1 and "0022" in traced[0].detail["against"]
    says(line, FIRST)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "other", "the newer number counts"


def test_a_car_that_was_read_for_another_vehicle_is_known(odd: Act, db: Session) -> None:
    first, second = (
        next(j for j in db.scalars(select(Job)).unique() if j.vehicle.plate == plate)
        for plate in ("QN-088", "QN-152")
    )
    says(Line(odd, first).runs(1), FIRST)
    says(Line(odd, second).runs(1), FIRST)
    told = live.line_of_job(db, second, odd.now)
    assert (told.state, told.other) == (
        "other",
        "Its number ends in 0011: it was read for QN-088 before.",
    )


def test_a_car_without_a_number_is_taken_as_it_is(odd: Act, new_job: Callable[[str], Job]) -> None:
    line = Line(odd, new_job("F")).runs(2)
    assert live.line_of_job(odd.db, line.job, odd.now).state == "live"
