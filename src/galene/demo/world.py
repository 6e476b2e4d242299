"""Load the demo: people, workshop, three vehicles, four jobs."""

from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.procedures import Air
from galene.demo.engine import EngineState, idle_samples, trim_samples
from galene.jobs import evidence, handover, intake, plan, prove, stages, work
from galene.jobs.act import Act, find_job
from galene.jobs.people import add_person
from galene.knowledge.families import FAMILIES
from galene.knowledge.schools import DEFAULT_POLICY
from galene.store.models import Job, Person, Workshop

SIGN_INS = (("maren", "foreman", "slipway-maren"), ("odd", "technician", "slipway-odd"), ("pia", "technician", "slipway-pia"))
FAMILY = FAMILIES["A"]
WARM = evidence.SetConditions(91.0, 19.0, (), False)


def is_empty(db: Session) -> bool:
    """Whether nothing has been set up yet."""
    return db.scalar(select(Workshop.id).limit(1)) is None


def set_up_workshop(db: Session) -> dict[str, Person]:
    """The co-operative and its people."""
    db.add(
        Workshop(id=1, name="Quillness Transport Co-operative, ferry-slip shed", currency="mk", hourly_rate=72.0, altitude_m=12.0,
                 bay_temperature_c=14.0, bay_humidity=0.68, bays=["slip bay", "yard bay"], policy=dict(DEFAULT_POLICY))
    )  # fmt: skip
    names = {"maren": ("Maren Tolk", ""), "odd": ("Odd Hessel", "slip bay"), "pia": ("Pia Skarn", "yard bay")}
    people = {name: add_person(db, name, names[name][0], role, password, names[name][1]) for name, role, password in SIGN_INS}
    db.flush()
    return people


def load(db: Session, now: datetime) -> None:
    """Everything, seen from `now`."""
    people = set_up_workshop(db)
    odd, pia, maren = people["odd"], people["pia"], people["maren"]
    act = Act(db, odd, now - timedelta(days=340))
    causeway = intake.add_vehicle(act, intake.NewVehicle("QN-114", "Brinewell", "Causeway 12-seat", "2017", "A", "Quillness school run"))
    carrier = intake.add_vehicle(act, intake.NewVehicle("QN-207", "Hollinvar", "Drayman van", "2015", "A", "Slipside bakery"))
    hatch = intake.add_vehicle(act, intake.NewVehicle("QN-331", "Brinewell", "Curlstone", "2016", "A", "District nurse"))
    _handed_over(db, causeway, odd, maren, now - timedelta(days=338, hours=6))
    _proving(db, hatch, pia, now - timedelta(hours=26))
    _working(db, carrier, odd, now)
    _arriving(db, causeway, pia, now - timedelta(minutes=35), now)


def _begin(
    act: Act, vehicle: Any, words: str, km: float, taps: dict[str, str], codes: str, due: datetime | None = None, **fields: str
) -> Job:
    job = intake.open_job(act, vehicle, words, act.person.bay, due)
    form = intake.IntakeForm(words, distance_km=km)
    for name, value in fields.items():
        setattr(form, name, value)
    intake.save_intake(act, job.number, form, 0)
    for name, state in taps.items():
        intake.tap(act, job.number, name, "unknown", state)
    if codes:
        intake.add_codes(act, job.number, codes)
    act.db.flush()
    act.db.expire_all()
    return find_job(act.db, job.number)


def _measure(act: Act, number: str, phase: str, state: EngineState, seed: int, rpm: float = 740.0, trims: bool = True) -> None:
    evidence.save_readings(act, number, phase, "idle", idle_samples(FAMILY, state, seed, rpm), WARM, 0)
    if trims:
        evidence.save_readings(act, number, phase, "trim", trim_samples(FAMILY, state, seed + 1), WARM, 0)


def _plan(act: Act, number: str, parts: list[str], who: str) -> None:
    stages.advance(act, number, "intake")
    stages.advance(act, number, "evidence")
    stages.advance(act, number, "diagnosis")
    plan.save_plan(act, number, parts, [], 0)
    plan.approve_plan(act, number, 1, who)
    act.db.flush()
    act.db.expire_all()
    stages.advance(act, number, "plan")


def _answers(step: Any, grades: dict[str, tuple[int, str]], left: int) -> dict[str, str]:
    given: dict[str, str] = {}
    for record in step.document["records"]:
        if record["kind"] == "grade":
            grade, deposit = grades.get(step.document["part"], (1, "")) if record["id"] == "grade_before" else (left, "")
            given[record["id"]] = str(grade)
            given[record["id"] + "_deposit"] = deposit
        else:
            given[record["id"]] = "no" if record["bad_answer"] == "yes" else "yes"
    return given


def _work(act: Act, number: str, grades: dict[str, tuple[int, str]], until: str = "", left: int = 0) -> None:
    """Tick the card at its own pace, waits kept, up to and including the step `until`."""
    db = act.db
    work.begin_work(act, number, 14.0, 0.68, 0)
    for step in list(find_job(db, number).steps):
        act.now += timedelta(minutes=max(0.5, step.document["minutes"]))
        job = find_job(db, number)
        ends = [w.ends_at for w in job.waits if w.name in step.document["after_waits"]]
        act.now = max([act.now, *ends])
        for caution in ("fire", "hot_coolant", "fingers", "objects"):
            if caution in step.document["cautions"]:
                work.acknowledge(act, number, caution)
        work.tick(act, number, step.id, _answers(step, grades, left))
        db.flush()
        if step.document["key"] == until:
            break


def _relearn(act: Act, number: str) -> None:
    prove.clear_codes(act, number)
    prove.relearn_begin(act, number, {c: True for c, _ in prove.template_of(find_job(act.db, number)).conditions})
    template = prove.template_of(find_job(act.db, number))
    for k, phase in enumerate(template.phases):
        act.now += timedelta(minutes=phase.hold_minutes, seconds=20)
        if k == 1:
            work.start_engine(act, number)
        prove.relearn_next(act, number, k)
    prove.relearn_finish(act, number, True)


def _handed_over(db: Session, vehicle: Any, odd: Person, maren: Person, start: datetime) -> None:
    act = Act(db, odd, start)
    fouled = EngineState(deposit_mm=0.085, roughness_rpm=19)
    job = _begin(
        act, vehicle, "Dies at the ferry ramp when I roll to a stop, starts again at once.", 96_400,
        {"rough_idle": "present", "stalls_coming_to_stop": "present", "whistle_or_hiss": "absent", "short_trips": "present"}, "p0506",
        coolant="ok", oil="ok", bulletins_source="maker's bulletin list, letter of March", bulletins_outcome="none open",
    )  # fmt: skip
    n = job.number
    act.now += timedelta(minutes=22)
    _measure(act, n, "before", fouled, 11, 716)
    evidence.save_key_on(act, n, {"map_sensor": 100.8, "barometric_sensor": 101.2}, 101.1, 0)
    evidence.save_look(act, n, "before", "throttle_body", "varnish", 3, "brown band all round at the closed plate")
    act.now += timedelta(minutes=25)
    _plan(act, n, ["throttle_body", "intake_tube", "air_filter"], "school run office, by phone")
    _work(act, n, {"throttle_body": (3, "varnish"), "intake_tube": (2, "oil_film"), "air_filter": (1, "")}, left=0)
    stages.advance(act, n, "work")
    _relearn(act, n)
    act.now += timedelta(minutes=6)
    _measure(act, n, "after", EngineState(roughness_rpm=7), 12, 741)
    prove.save_road_test(act, n, 14.0, "No stall in nine stops on the ramp.", "gone", 0)
    prove.read_pending(act, n, "", 0)
    stages.advance(act, n, "prove")
    handover.save_handover(act, n, "throttle_deposit", "Oil film in the breather hose: look at the breather valve next time.", True, 0)
    db.flush()
    db.expire_all()
    act.person = maren
    act.now += timedelta(minutes=40)
    handover.sign(act, n)


def _proving(db: Session, vehicle: Any, pia: Person, start: datetime) -> None:
    act = Act(db, pia, start)
    fouled = EngineState(deposit_mm=0.06, roughness_rpm=16, intake_c=18)
    job = _begin(
        act, vehicle, "Idle shakes at the lights, worse since autumn. Almost stalls with the lamps on.", 118_250,
        {"rough_idle": "present", "hesitation": "absent", "stalls_coming_to_stop": "present", "short_trips": "present"}, "P0506 pending",
        start + timedelta(hours=30), coolant="ok", oil="ok", bulletins_source="maker's bulletin list", bulletins_outcome="none open",
    )  # fmt: skip
    n = job.number
    act.now += timedelta(minutes=18)
    _measure(act, n, "before", fouled, 21, 722)
    evidence.save_look(act, n, "before", "throttle_body", "oil_carbon", 2)
    act.now += timedelta(minutes=15)
    _plan(act, n, ["throttle_body", "intake_tube"], "district nurse, in person")
    _work(act, n, {"throttle_body": (2, "oil_carbon"), "intake_tube": (2, "oil_film")}, left=1)
    stages.advance(act, n, "work")
    _relearn(act, n)
    act.now += timedelta(minutes=5)
    _measure(act, n, "after", EngineState(roughness_rpm=7, intake_c=19), 22, 742)


def _working(db: Session, vehicle: Any, odd: Person, now: datetime) -> None:
    act = Act(db, odd, now - timedelta(hours=2))
    job = _begin(
        act, vehicle, "No pull up the hill to the bakery, and it drinks more than it did.", 171_900,
        {"hesitation": "present", "low_power_all_range": "present", "fuel_economy_down": "present", "rough_idle": "absent",
         "oiled_filter_fitted": "present", "dusty_use": "present"}, "p0171c;P0101",
        now + timedelta(hours=3), coolant="ok", oil="ok", bulletins_source="maker's bulletin list", bulletins_outcome="none open",
    )  # fmt: skip
    n = job.number
    act.now += timedelta(minutes=20)
    _measure(act, n, "before", EngineState(meter_gain=0.82, roughness_rpm=8), 31, 739)
    evidence.save_key_on(act, n, {"map_sensor": 101.0, "barometric_sensor": 101.3}, 101.2, 0)
    evidence.save_look(act, n, "before", "maf_sensor", "oil_film", 2, "shines at a slant, dust stuck to it")
    _plan(act, n, ["maf_sensor"], "bakery, by phone")
    # Begin so that the meter was sprayed four minutes ago.
    steps = plan.steps_for(find_job(db, n), ["maf_sensor"], db.get_one(Workshop, 1), Air(14.0, 0.68))
    upto = next(i for i, s in enumerate(steps) if s.key == "maf_sensor:spray")
    act.now = now - timedelta(minutes=4 + sum(max(0.5, s.minutes) for s in steps[: upto + 1]))
    _work(act, n, {"maf_sensor": (2, "oil_film")}, "maf_sensor:spray")


def _arriving(db: Session, vehicle: Any, pia: Person, start: datetime, now: datetime) -> None:
    act = Act(db, pia, start)
    _begin(
        act, vehicle, "It hums high after start, then drops and shakes at every stop. The kettle light came on yesterday.", 114_800,
        {"rough_idle": "present", "hunting_idle": "present", "whistle_or_hiss": "present", "short_trips": "present", "cleaned_before_helped": "present"},
        "P0171, p0507 pending", now + timedelta(hours=5), coolant="ok", oil="high",
    )  # fmt: skip
