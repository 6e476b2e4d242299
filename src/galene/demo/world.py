"""Load the demo: a real month in a shed by a ferry slip, told in the order of time."""

from collections.abc import Callable
from datetime import datetime, timedelta
from functools import partial

from sqlalchemy.orm import Session

from galene.core.workshop.hours import WeekHours
from galene.demo.archive import book_visits
from galene.demo.engine import EngineState
from galene.demo.fuel import fuel_cards
from galene.demo.logger import EXHAUST_C, EXHAUST_KPA, recorded
from galene.demo.stock import stock
from galene.demo.story import Story
from galene.jobs import families, intake, owner, stages
from galene.jobs.act import Act, family_of
from galene.jobs.people import add_person
from galene.jobs.planning import planned
from galene.knowledge.policy import DEFAULT_POLICY
from galene.store.models import Person, Vehicle, Workshop
from galene.store.repositories import people as people_rows

SIGN_INS = (
    ("maren", "foreman", "slipway-maren"),
    ("odd", "technician", "slipway-odd"),
    ("pia", "technician", "slipway-pia"),
)
LISTED = ("maker's bulletin list", "none open")
FLEET = (
    intake.NewVehicle(
        plate="QN-114",
        maker="Brinewell",
        model="Causeway 12-seat",
        year="2017",
        family="A",
        keeper="Quillness school run",
    ),
    intake.NewVehicle(
        plate="QN-207",
        maker="Hollinvar",
        model="Drayman van",
        year="2015",
        family="A",
        keeper="Slipside bakery",
    ),
    intake.NewVehicle(
        plate="QN-331",
        maker="Brinewell",
        model="Curlstone",
        year="2016",
        family="A",
        keeper="District nurse",
    ),
    intake.NewVehicle(
        plate="QN-124",
        maker="Hollinvar",
        model="Drayman pickup",
        year="2016",
        family="A",
        keeper="Slipside bakery",
    ),
    intake.NewVehicle(
        plate="QN-088",
        maker="Hollinvar",
        model="Tarnback pickup",
        year="2009",
        family="B",
        keeper="Harbour office",
    ),
    intake.NewVehicle(
        plate="QN-152",
        maker="Hollinvar",
        model="Tarnback estate",
        year="2011",
        family="B",
        keeper="Lighthouse keepers' trust",
    ),
    intake.NewVehicle(
        plate="QN-412",
        maker="Osterlane",
        model="Meridel 20T",
        year="2018",
        family="C",
        keeper="Island doctor",
    ),
    intake.NewVehicle(
        plate="QN-260",
        maker="Brinewell",
        model="Lugger van",
        year="2016",
        family="D",
        keeper="Quillness parcels",
    ),
    intake.NewVehicle(
        plate="QN-266",
        maker="Brinewell",
        model="Lugger minibus",
        year="2019",
        family="D",
        keeper="Quillness school run",
    ),
    intake.NewVehicle(
        plate="QN-501",
        maker="Grundvik",
        model="Hauler 78",
        year="2014",
        family="E",
        keeper="Island roads and ferries",
    ),
    intake.NewVehicle(
        plate="QN-F3",
        maker="Sandpiper",
        model="Beach 250",
        year="2020",
        family="F",
        keeper="Beach patrol",
    ),
)


def _said(
    words: str,
    km: float | None,
    hours: float | None = None,
    *,
    coolant: str = "ok",
    oil: str = "ok",
    bulletins: tuple[str, str] = LISTED,
) -> intake.IntakeForm:
    return intake.IntakeForm(
        complaint=words,
        recent_work="",
        distance_km=km,
        hours=hours,
        coolant=coolant,
        oil=oil,
        bulletins_source=bulletins[0],
        bulletins_outcome=bulletins[1],
    )


def is_empty(db: Session) -> bool:
    """Whether nothing has been set up yet."""
    return people_rows.workshop_or_none(db) is None


def set_up_workshop(db: Session) -> dict[str, Person]:
    """The co-operative and its people."""
    db.add(
        Workshop(
            id=1,
            name="Quillness Transport Co-operative, ferry-slip shed",
            demo=True,
            idle_minutes=14 * 60,
            currency="mk",
            hourly_rate=72.0,
            fuel_price=1.74,
            altitude_m=12.0,
            bay_temperature_c=14.0,
            bay_humidity=0.68,
            bays=["slip bay", "yard bay"],
            policy=dict(DEFAULT_POLICY),
        )
    )
    names = {
        "maren": ("Maren Tolk", ""),
        "odd": ("Odd Hessel", "slip bay"),
        "pia": ("Pia Skarn", "yard bay"),
    }
    people = {
        name: add_person(db, name, names[name][0], role=role, password=password, bay=names[name][1])
        for name, role, password in SIGN_INS
    }
    week = (7 * 60, 15 * 60 + 30)
    for name, days in (("maren", 5), ("odd", 5), ("pia", 4)):
        people[name].hours = WeekHours(days=(week,) * days + (None,) * (7 - days))
    db.flush()
    return people


def load(db: Session, now: datetime) -> None:
    """Everything, seen from `now`."""
    people = set_up_workshop(db)
    families.install_shipped(db, now - timedelta(days=1200))
    act = Act(db=db, person=people["maren"], now=now - timedelta(days=1150))
    fleet = {v.plate: intake.add_vehicle(act, v) for v in FLEET}
    families.add_bulletin(
        act,
        "bulletin",
        "Idle after battery work: relearn before any part is replaced",
        source="maker's bulletin list, letter of March",
        outcome="known in the shed, followed",
        family_id="A",
    )
    families.add_bulletin(
        act,
        "bulletin",
        "Revised breather separator against ports that coke",
        source="maker's bulletin list",
        outcome="ask for it at the next parts order",
        family_id="C",
    )
    act.now = now - timedelta(days=200)
    families.add_bulletin(
        act,
        "recall",
        "Recirculation cooler: exchange where it loses coolant",
        source="maker's hotline",
        outcome="covers cooler and labour until ten years of age",
        family_id=None,
        vehicle=fleet["QN-266"],
    )
    stock(db, people["maren"], now)
    # Numbers count up in the order of time: the shed's own jobs and those of its book in one row.
    told = [*_history(db, people, fleet, now=now), *book_visits(db, people["maren"], now)]
    for _, enter in sorted(told, key=lambda one: -one[0]):
        enter()
    fuel_cards(Act(db=db, person=people["maren"], now=now), fleet)
    _came_back(db, people["pia"], fleet["QN-152"], now=now)
    _to_be_learned(db, people["pia"], fleet["QN-124"], start=now - timedelta(hours=27))
    _proving(db, people["pia"], fleet["QN-331"], start=now - timedelta(hours=26))
    _cooler_away(db, people["pia"], fleet["QN-260"], now=now)
    _coked_ports(db, people["odd"], fleet["QN-412"], now=now)
    _plugged_passage(db, people["odd"], fleet["QN-088"], now=now)
    _held(db, people["odd"], fleet["QN-266"], now=now)
    _heavy_service(db, people["pia"], fleet["QN-501"], now=now)
    _working(db, people["odd"], fleet["QN-207"], now=now)
    _beach(db, people["odd"], fleet["QN-F3"], now=now)
    _arriving(db, people["pia"], fleet["QN-114"], now=now)


def _history(
    db: Session, people: dict[str, Person], fleet: dict[str, Vehicle], *, now: datetime
) -> list[tuple[float, Callable[[], None]]]:
    """Finished visits over three years: the same van's throttle three times, a diesel's charge
    pressure sensor. Each with how many days ago it was."""
    van, minibus = fleet["QN-114"], fleet["QN-266"]
    told: list[tuple[float, Callable[[], None]]] = [
        (
            days,
            partial(_shaking, db, people, van, now - timedelta(days=days), km, deposit, seed=days),
        )
        for days, km, deposit in ((1050, 61_300, 0.05), (690, 79_900, 0.06))
    ]
    told.append((520, partial(_no_power, db, people, minibus, now - timedelta(days=520))))
    ramp = now - timedelta(days=338, hours=6)
    told.append((338.25, partial(_dies_at_the_ramp, db, people, van, ramp)))
    return told


def _shaking(
    db: Session,
    people: dict[str, Person],
    vehicle: Vehicle,
    start: datetime,
    km: float,
    deposit: float,
    *,
    seed: int,
) -> None:
    """The van's throttle, grade 2."""
    (
        Story(
            db,
            people["odd"],
            start,
            vehicle=vehicle,
            form=_said("Shakes at the stops, worst when cold.", km),
        )
        .told(("rough_idle", "short_trips"), ("hesitation",), "p0506")
        .later(20)
        .measured("before", EngineState(deposit_mm=deposit, roughness_rpm=15), seed, rpm=720)
        .saw("throttle_body", "varnish", 2)
        .planned(["throttle_body", "intake_tube"], "school run office, by phone")
        .worked({"throttle_body": (2, "varnish")}, left=0)
        .relearned()
        .later(5)
        .measured("after", EngineState(roughness_rpm=7), seed + 7, rpm=741)
        .driven(11, "Even idle at every stop.")
        .handed_over(people["maren"], "throttle_deposit", "", fed=False)
    )


def _no_power(db: Session, people: dict[str, Person], vehicle: Vehicle, start: datetime) -> None:
    """A diesel's charge pressure sensor."""
    (
        Story(
            db,
            people["pia"],
            start,
            vehicle=vehicle,
            form=_said("Warning light, no power on the hill.", 88_400),
        )
        .told(
            ("reduced_power_mode", "low_power_all_range", "short_trips"),
            ("coolant_loss",),
            "P0236 P2101",
        )
        .later(15)
        .measured("before", EngineState(roughness_rpm=9), 51, rpm=812)
        .key_on(101.0, boost_sensor=96.2, barometric_sensor=101.1)
        .saw("boost_sensor", "soot", 3, note="snout caked, tab whole")
        .planned(["boost_sensor", "charge_air_pipe"], "school run office, by phone")
        .worked({"boost_sensor": (3, "soot"), "charge_air_pipe": (2, "oil_film")})
        .relearned()
        .later(5)
        .measured("after", EngineState(roughness_rpm=8), 52, rpm=810)
        .driven(18, "Full power on the hill, light stays off.")
        .handed_over(
            people["maren"],
            "boost_sensor_fouled",
            "Oil film in the charge pipe: look at the breather separator next time.",
            fed=True,
        )
    )


def _dies_at_the_ramp(
    db: Session, people: dict[str, Person], vehicle: Vehicle, start: datetime
) -> None:
    """The same van's throttle once more, grade 3."""
    (
        Story(
            db,
            people["odd"],
            start,
            vehicle=vehicle,
            form=_said(
                "Dies at the ferry ramp when I roll to a stop, starts again at once.",
                96_400,
                bulletins=("maker's bulletin list, letter of March", "none open"),
            ),
        )
        .told(("rough_idle", "stalls_coming_to_stop", "short_trips"), ("whistle_or_hiss",), "p0506")
        .later(22)
        .measured("before", EngineState(deposit_mm=0.085, roughness_rpm=19), 11, rpm=716)
        .key_on(101.1, map_sensor=100.8, barometric_sensor=101.2)
        .saw("throttle_body", "varnish", 3, note="brown band all round at the closed plate")
        .later(25)
        .planned(["throttle_body", "intake_tube", "air_filter"], "school run office, by phone")
        .worked(
            {"throttle_body": (3, "varnish"), "intake_tube": (2, "oil_film"), "air_filter": (1, "")}
        )
        .relearned()
        .later(6)
        .measured("after", EngineState(roughness_rpm=7), 12, rpm=741)
        .driven(14, "No stall in nine stops on the ramp.")
        .handed_over(
            people["maren"],
            "throttle_deposit",
            "Oil film in the breather hose: look at the breather valve next time.",
            fed=True,
        )
    )


def _proving(db: Session, pia: Person, vehicle: Vehicle, *, start: datetime) -> None:
    (
        Story(
            db,
            pia,
            start,
            vehicle=vehicle,
            form=_said(
                "Idle shakes at the lights, worse since autumn. Almost stalls with the lamps on.",
                118_250,
            ),
            due=start + timedelta(hours=30),
        )
        .told(
            ("rough_idle", "stalls_coming_to_stop", "short_trips"), ("hesitation",), "P0506 pending"
        )
        .later(18)
        .measured(
            "before", EngineState(deposit_mm=0.06, roughness_rpm=16, intake_c=18), 21, rpm=722
        )
        .saw("throttle_body", "oil_carbon", 2)
        .later(15)
        .planned(["throttle_body", "intake_tube"], "district nurse, in person")
        .worked({"throttle_body": (2, "oil_carbon"), "intake_tube": (2, "oil_film")}, left=1)
        .relearned()
        .later(5)
        .measured("after", EngineState(roughness_rpm=7, intake_c=19), 22, rpm=742)
    )


def _to_be_learned(db: Session, pia: Person, vehicle: Vehicle, *, start: datetime) -> None:
    """A clean throttle that has to be learned: the card stands at the relearn."""
    story = (
        Story(
            db,
            pia,
            start,
            vehicle=vehicle,
            form=_said("Idle sags at the lights, worst with the lamps on.", 131_900),
            due=start + timedelta(hours=30),
        )
        .told(("rough_idle", "short_trips"), ("hesitation",), "P0506")
        .later(18)
        .measured("before", EngineState(deposit_mm=0.06, roughness_rpm=15), 171, rpm=724)
        .saw("throttle_body", "varnish", 2)
        .planned(["throttle_body"], "slipside bakery, by phone")
        .worked({"throttle_body": (2, "varnish")}, left=0)
    )
    story.reached("prove").until("relearn")


def _cooler_away(db: Session, pia: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """The light diesel waits for its cooler, which is at the bath over night."""
    story = (
        Story(
            db,
            pia,
            now - timedelta(hours=9),
            vehicle=vehicle,
            form=_said(
                "Black smoke up the quay road and no pull. It was at the dealer's, the valve is"
                " new.",
                164_700,
            ),
            due=now + timedelta(hours=20),
        )
        .told(
            ("black_smoke", "low_power_all_range", "valve_already_replaced", "short_trips"),
            ("coolant_loss",),
            "P0401 P2457",
        )
        .later(15)
        .measured("before", EngineState(roughness_rpm=14, recirculated=0.06), 61, rpm=805)
        .checked(
            "egr_position_sweep",
            egr_position_follows="present",
            egr_position_reaches_zero="present",
        )
        .saw("egr_cooler", "hard_carbon", 4, note="three tubes in four shut at the inlet")
        .saw("egr_passage", "oil_carbon", 3)
        .gauged("before", "egr_passage", "oil_carbon", bores=(("passage", 5.4, 2.6),), seed=5)
        .later(12)
        .planned(["egr_cooler", "egr_valve", "egr_passage"], "parcels office, by phone")
    )
    story.worked(
        {
            "egr_cooler": (4, "hard_carbon"),
            "egr_valve": (2, "soot"),
            "egr_passage": (3, "oil_carbon"),
        },
        "egr_cooler:send",
        bay=(13.0, 0.7),
    )


def _came_back(db: Session, pia: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """The after test failed: the idle is worse, so the job went back from proof to evidence."""
    story = (
        Story(
            db,
            pia,
            now - timedelta(days=1, hours=7),
            vehicle=vehicle,
            form=_said("Hunts at the lights and hisses under the bonnet.", 141_800),
            due=now + timedelta(hours=9),
        )
        .told(("hunting_idle", "rough_idle"), ("stalls_coming_to_stop",), "P0505")
        .later(20)
        .measured("before", EngineState(roughness_rpm=17, leak_g_s=0.5), 71, rpm=672)
        .saw("idle_air_valve", "varnish", 2)
        .planned(["idle_air_valve", "throttle_body"], "keepers' trust, by phone")
        .worked({"idle_air_valve": (2, "varnish"), "throttle_body": (2, "varnish")})
        .relearned()
        .later(5)
        .measured("after", EngineState(roughness_rpm=16, leak_g_s=0.6), 72, rpm=676)
        .driven(
            6,
            "Still hunts at the lights; the hiss is at the plenum.",
            "there",
            codes="P0171 pending",
        )
    )
    stages.go_back(
        story.act,
        story.number,
        "evidence",
        reason="the after test shows no gain and a hiss at the plenum: look for a leak",
    )


def _coked_ports(db: Session, odd: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """Direct injection: ports measured side by side, planned, waits for the doctor's yes, who reads
    the owner's page and asks."""
    story = (
        Story(
            db,
            odd,
            now - timedelta(hours=5),
            vehicle=vehicle,
            form=_said("Cold it stumbles and the light blinks, warm it is only weak.", 132_600),
            due=now + timedelta(days=1),
        )
        .told(
            ("rough_idle", "weak_low_end", "high_distance_never_cleaned"),
            ("whistle_or_hiss",),
            "P0300 P0303",
        )
        .later(25)
        .measured("before", EngineState(roughness_rpm=21), 81, rpm=748)
        .key_on(101.2, map_sensor=101.0, boost_sensor=101.4, barometric_sensor=101.1)
        .gauged(
            "before",
            "intake_ports",
            "hard_carbon",
            bores=(
                ("cylinder 1", 4.1, 1.6),
                ("cylinder 2", 4.8, 1.9),
                ("cylinder 3", 6.9, 2.8),
                ("cylinder 4", 3.9, 1.5),
            ),
            seed=15,
        )
        .saw("intake_manifold", "oil_carbon", 2)
        .later(20)
        .planned(["intake_ports", "intake_manifold", "runner_flaps"], "")
    )
    link = owner.link_of(db, owner.open_link(story.act, story.number, 14), now)
    assert link is not None
    asked = owner.OwnerAnswer(
        once="the-doctors-question",
        plan_version=None,
        kind="ask",
        name="The island doctor",
        words="Can it wait until after the winter clinic, or will it leave me on the road?",
    )
    owner.answer(db, link, asked, now - timedelta(minutes=40))


def _heavy_service(db: Session, pia: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """Heavy diesel past its usual distance: the pressure sensor pulled first, caked, so everything
    behind it is asked."""
    (
        Story(
            db,
            pia,
            now - timedelta(hours=3),
            vehicle=vehicle,
            form=_said(
                "Weak with the gravel on, and it burns off the filter every second day.",
                412_000,
                9_850.0,
            ),
            due=now + timedelta(days=2),
        )
        .told(
            (
                "low_power_all_range",
                "frequent_regeneration",
                "fuel_economy_flat",
                "long_idle_or_pto",
                "high_distance_never_cleaned",
            ),
            ("coolant_loss",),
            "P0401 P2002",
        )
        .later(25)
        .measured(
            "before", EngineState(roughness_rpm=9, recirculated=0.03), 91, rpm=652, coolant_c=84.0
        )
        .key_on(
            101.2,
            map_sensor=98.1,
            boost_sensor=101.0,
            barometric_sensor=101.1,
            exhaust_pressure_sensor=101.6,
        )
        .saw(
            "map_sensor", "oil_carbon", 4, note="caked over the cage, the port behind it half shut"
        )
        .gauged(
            "before",
            "egr_dp_ports",
            "hard_carbon",
            bores=(("upstream", 0.9, 0.5), ("downstream", 1.3, 0.8)),
            seed=25,
            points=4,
        )
        .reached("diagnosis")
    )


def _plugged_passage(db: Session, odd: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """V6: flow low, valve new, position follows: the passage is planned, the harbour has agreed,
    work can begin."""
    state = EngineState(roughness_rpm=8)
    story = Story(
        db,
        odd,
        now - timedelta(hours=4),
        vehicle=vehicle,
        form=_said("The light is back a week after the new valve. Pinks on the hill.", 148_000),
        due=now + timedelta(hours=7),
    )
    (
        story.told(("valve_already_replaced", "short_trips"), ("rough_idle",), "P0401")
        .later(18)
        .logged(
            "idle-2500-valve.csv",
            recorded(family_of(story.job), state, 101, idle_rpm=688, passage_mm2=7.0),
            "idle",
            "trim",
        )
        .later(6)
        .flow_tested(EXHAUST_KPA, EXHAUST_C, state.intake_c + 12, barometer_kpa=state.barometer_kpa)
        .checked(
            "egr_position_sweep",
            egr_position_follows="present",
            egr_position_reaches_zero="present",
        )
        .saw("egr_passage", "hard_carbon", 4, note="wire stops a finger deep")
        .planned(["egr_passage", "egr_valve", "throttle_body"], "harbour office, in person")
    )


def _working(db: Session, odd: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """The van whose air meter was sprayed four minutes ago."""
    story = (
        Story(
            db,
            odd,
            now - timedelta(hours=2),
            vehicle=vehicle,
            form=_said(
                "No pull up the hill to the bakery, and it drinks more than it did.", 171_900
            ),
            due=now + timedelta(hours=3),
        )
        .told(
            (
                "hesitation",
                "low_power_all_range",
                "fuel_economy_down",
                "oiled_filter_fitted",
                "dusty_use",
            ),
            ("rough_idle",),
            "p0171c;P0101",
        )
        .later(20)
        .measured("before", EngineState(meter_gain=0.82, roughness_rpm=8), 31, rpm=739)
        .key_on(101.2, map_sensor=101.0, barometric_sensor=101.3)
        .saw("maf_sensor", "oil_film", 2, note="shines at a slant, dust stuck to it")
        .planned(["maf_sensor"], "bakery, by phone")
    )
    shop = people_rows.workshop(db)
    steps = planned(story.job, story.job.plans[0].document.works, shop).plan.steps
    upto = next(i for i, s in enumerate(steps) if s.id == "maf_sensor:spray")
    story.act.now = now - timedelta(minutes=4 + sum(max(0.5, s.minutes) for s in steps[: upto + 1]))
    story.worked({"maf_sensor": (2, "oil_film")}, "maf_sensor:spray")


def _beach(db: Session, odd: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """The two-stroke of the beach patrol: bogs at high revs, the crankcase hose is asked next."""
    (
        Story(
            db,
            odd,
            now - timedelta(hours=1),
            vehicle=vehicle,
            form=_said(
                "Dies away when I open it along the beach, idles fine.", None, 1_240.0, coolant=""
            ),
            due=now + timedelta(hours=8),
        )
        .told(("bogs_high_rpm", "dusty_use"), ("hard_start",), "P051B")
        .later(10)
        .measured("before", EngineState(roughness_rpm=30), 111, rpm=1440)
        .key_on(101.1, crankcase_pressure_sensor=100.9, barometric_sensor=101.2)
    )


def _arriving(db: Session, pia: Person, vehicle: Vehicle, *, now: datetime) -> None:
    Story(
        db,
        pia,
        now - timedelta(minutes=35),
        vehicle=vehicle,
        form=_said(
            "It hums high after start, then drops and shakes at every stop. The kettle light came"
            " on yesterday.",
            114_800,
            oil="high",
            bulletins=("", ""),
        ),
        due=now + timedelta(hours=5),
    ).told(
        ("rough_idle", "hunting_idle", "whistle_or_hiss", "short_trips", "cleaned_before_helped"),
        (),
        "P0171, p0507 pending",
    )


def _held(db: Session, odd: Person, vehicle: Vehicle, *, now: datetime) -> None:
    """The valve came out pale and crusty: the answer holds the job until the foreman has looked."""
    story = Story(
        db,
        odd,
        now - timedelta(hours=3, minutes=30),
        vehicle=vehicle,
        form=_said("White smoke in the morning, and it wants coolant every fortnight.", 121_400),
        due=now + timedelta(hours=6),
    )
    story.told(("coolant_loss", "low_power_all_range"), (), "P0401").later(15)
    story.measured("before", EngineState(roughness_rpm=9), 121, rpm=806)
    story.saw("egr_valve", "soot", 3)
    story.planned(["egr_valve"], "school run office, by phone", kinds={"egr_valve": "clean"})
    story.worked(
        {"egr_valve": (3, "soot")}, "egr_valve:look", answers={"egr_valve:look/pale": "yes"}
    )
