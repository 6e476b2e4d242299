"""Every fault that a family can have shows, more the graver it is, and goes by the work that mends
it."""

from functools import cache
from itertools import pairwise
from statistics import pstdev

import pytest

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.families import FAMILIES
from galene.simulation.condition import EFFECTS, condition_of, possible_faults
from galene.simulation.road import Road
from galene.simulation.vehicle import Vehicle
from tests.simulation.rides import STARTED, Deed, Rows, command, over, run

DRIVEN: tuple[tuple[float, Deed], ...] = (
    *STARTED,
    (40.0, lambda v: setattr(v, "road", Road(v, "pull", 100.0))),
)
SHORT_DRIVE: tuple[tuple[float, Deed], ...] = (
    *STARTED,
    (14.0, lambda v: setattr(v, "road", Road(v, "pull", 82.0))),
)
ASKED: list[tuple[float, Deed]] = [
    (1.0, lambda v: v.key_on()),
    *((2.0 + 2 * i, command("runner_actuator", 50.0 * x)) for i, x in enumerate((0, 1, 2, 1, 0))),
]
KEY_ON_FIRST: list[tuple[float, Deed]] = [
    (0.5, lambda v: v.key_on()),
    (12.0, lambda v: v.start()),
]
BURNING: list[tuple[float, Deed]] = [
    *STARTED,
    (10.0, lambda v: v.control.begin("regeneration")),
]
SIGNS: dict[str, tuple[str, str]] = {
    "throttle_deposit": ("A", "throttle_pct"),
    "idle_valve_deposit": ("B", "idle_valve_pct"),
    "maf_dust": ("E", "air_g_s"),
    "maf_oil_film": ("C", "air_g_s"),
    "map_fouled": ("A", "manifold_kpa"),
    "boost_sensor_fouled": ("D", "boost_kpa"),
    "exhaust_pressure_tube_blocked": ("E", "exhaust_kpa"),
    "manifold_coked": ("D", "air_g_s"),
    "ports_coked": ("E", "air_g_s"),
    "crankcase_sensor_seal_leak": ("F", "crankcase_kpa"),
    "filter_restricted": ("E", "air_g_s"),
    "unmetered_air_leak": ("A", "air_g_s"),
    "secondary_air_sensor_dirty": ("B", "secondary_air_g_s"),
    "secondary_air_valve_coked": ("B", "secondary_air_g_s"),
    "barometric_failed": ("F", "baro_kpa"),
    "egr_valve_stuck_open": ("D", "egr_position_pct"),
    "boost_leak": ("D", "boost_kpa"),
    "turbo_control_fault": ("D", "boost_kpa"),
    "turbo_seal_leak": ("E", "boost_kpa"),
}
"""A cause, a family that can have it, and a column whose mean it moves on a drive."""


def drive(family: str, faults: dict[str, float]) -> Rows:
    """The rows of a drive, twice a second."""
    return run(family, faults, SHORT_DRIVE, seconds=96, every=50)[1]


@cache
def sound_drive(family: str) -> Rows:
    """That of a sound car, which every fault of its family is held against."""
    return drive(family, {})


def test_every_cause_of_the_trade_has_an_effect() -> None:
    assert set(EFFECTS) == set(KNOWLEDGE.causes)
    for family in FAMILIES.values():
        for cause in possible_faults(family):
            assert condition_of(family, {cause: 0.8}) != condition_of(family, {}), cause


@pytest.mark.parametrize("cause", SIGNS)
def test_the_graver_the_more_it_shows(cause: str) -> None:
    family, column = SIGNS[cause]
    shown = [
        over(sound_drive(family) if not s else drive(family, {cause: s}), column, 9, 95)
        for s in (0.0, 0.3, 0.65, 1.0)
    ]
    steps = [b - a for a, b in pairwise(shown)]
    assert all(d > 0 for d in steps) or all(d < 0 for d in steps), shown


@pytest.mark.parametrize("cause", ["runner_actuator_sensor_dirty", "oxygen_sensor_fouled"])
def test_the_graver_the_more_it_scatters(cause: str) -> None:
    column = "runner_position_pct" if cause.startswith("runner") else "short_trim_pct"
    deeds = ASKED if cause.startswith("runner") else STARTED

    def scatter(severity: float) -> float:
        rows: Rows = run("C", {cause: severity} if severity else {}, deeds, seconds=45)[1]
        return pstdev(r[column] for r in rows[300:])

    shown = [scatter(s) for s in (0.0, 0.3, 0.65, 1.0)]
    assert shown == sorted(shown) and shown[-1] > 1.5 * shown[0] + 0.5


def test_a_fouled_doser_heats_less_the_worse_it_is() -> None:
    hottest = [
        max(
            r["before_filter_c"]
            for r in run("E", {"doser_fouled": s} if s else {}, BURNING, seconds=300, every=100)[1]
        )
        for s in (0.0, 0.3, 0.65, 1.0)
    ]
    assert hottest == sorted(hottest, reverse=True) and hottest[0] > 550 > hottest[2]


@pytest.mark.parametrize(
    ("family", "faults", "deeds", "code"),
    [
        ("A", {"unmetered_air_leak": 0.7}, STARTED, "P0171"),
        ("A", {"maf_wiring": 1.0}, STARTED, "P0102"),
        ("B", {"egr_passage_plugged": 0.9}, DRIVEN, "P0401"),
        ("B", {"idle_valve_deposit": 1.0}, STARTED, "P0506"),
        ("C", {"runner_flaps_stuck": 0.8}, DRIVEN, "P2004"),
        ("D", {"egr_valve_electrical": 1.0}, DRIVEN, "P0404"),
        ("D", {"boost_sensor_wiring": 1.0}, STARTED, "P0237"),
        ("E", {"map_failed": 0.8}, KEY_ON_FIRST, "P0069"),
        ("F", {"crankcase_sensor_wiring": 1.0}, KEY_ON_FIRST, "P051B"),
    ],
)
def test_monitors_set_pending_then_stored_with_a_frame(
    family: str, faults: dict[str, float], deeds: list[tuple[float, Deed]], code: str
) -> None:
    vehicle, _ = run(family, faults, deeds, seconds=140)
    found = vehicle.memory.codes[code]
    assert found.stored and "rpm" in found.frame
    vehicle.memory.clear()
    assert vehicle.memory.codes == {} and vehicle.memory.ready == set()


@pytest.mark.parametrize("family", "ABCDEF")
def test_a_sound_car_sets_no_code_on_a_drive(family: str) -> None:
    vehicle, rows = run(family, {}, DRIVEN, seconds=160)
    assert vehicle.memory.codes == {}
    assert vehicle.engine.running and rows[-1]["speed_kmh"] == 0
    assert max(r["speed_kmh"] for r in rows) > 40
    assert {m.code for m in vehicle.memory.monitors} & vehicle.memory.ready


@pytest.mark.parametrize("family", "ABCDEF")
def test_no_mild_fault_keeps_it_from_running(family: str) -> None:
    for cause in possible_faults(FAMILIES[family]):
        vehicle, _ = run(family, {cause: 0.25}, seconds=15, every=500)
        assert vehicle.engine.running, cause


def part_of(family: EngineFamily, component: str) -> str:
    return next(p.id for p in family.parts if p.component == component)


def test_cleaning_takes_deposits_and_leaves_what_is_broken() -> None:
    vehicle = Vehicle(FAMILIES["A"], {"maf_dust": 0.6, "maf_failed": 0.4, "map_fouled": 0.5})
    meter = part_of(vehicle.family, "maf_sensor")
    vehicle.mend(meter)
    assert set(vehicle.faults) == {"maf_failed", "map_fouled"}
    vehicle.mend(meter, new=True)
    assert set(vehicle.faults) == {"map_fouled"}
    assert vehicle.senses.meter.state.gain == 1.0, "the sensor itself is whole again"


def test_a_wrong_agent_ruins_and_a_missing_seal_leaks() -> None:
    vehicle = Vehicle(FAMILIES["A"], {"throttle_deposit": 0.5})
    vehicle.mend(part_of(vehicle.family, "maf_sensor"), how="wrong_agent")
    assert vehicle.senses.meter.state.dead is not None
    vehicle.mend(part_of(vehicle.family, "throttle_body"), how="no_seal")
    assert vehicle.condition.leak_mm2 > 1 and vehicle.condition.plate_deposit_mm == 0


def test_what_a_car_does_not_have_is_refused() -> None:
    with pytest.raises(InputError, match="family A can have"):
        Vehicle(FAMILIES["A"], {"egr_passage_plugged": 0.5})
    with pytest.raises(InputError, match="cause of the vocabulary"):
        Vehicle(FAMILIES["A"], {"gremlins": 0.5})
    with pytest.raises(InputError, match="0 to 1"):
        Vehicle(FAMILIES["A"], {"maf_dust": 1.5})
    vehicle = Vehicle(FAMILIES["B"], {})
    with pytest.raises(InputError, match="egr_valve, idle_air_valve"):
        vehicle.command("throttle_body", 10)  # it hangs on a cable


def test_a_car_has_learned_the_mixture_that_its_faults_ask() -> None:
    vehicle, _ = run("A", {"unmetered_air_leak": 0.6}, seconds=6)
    assert vehicle.control.long_trim == pytest.approx(19.0, abs=4), "from the first second"


def test_a_stored_throttle_code_takes_the_power_back() -> None:
    deeds = [*STARTED, (30.0, lambda v: setattr(v.wishes, "pedal", 50.0))]
    asked = []
    for faults in ({"throttle_actuator_fault": 1.0}, {}):
        vehicle, _ = run("A", faults, deeds, seconds=50, every=100)
        assert vehicle.control.protective == bool(faults)
        asked.append(vehicle.control.throttle.command)
    assert asked[0] < 36 < 48 < asked[1]


def test_zeroing_a_valve_that_carbon_holds_open_hides_it() -> None:
    deeds = [*STARTED, (30.0, lambda v: v.control.begin("egr_valve_zero"))]
    vehicle, rows = run("D", {"egr_valve_stuck_open": 0.5}, deeds, seconds=40)
    assert over(rows, "egr_position_pct", 20, 30) > 10
    assert over(rows, "egr_position_pct", 35, 40) < 1 < vehicle.control.valve.position
