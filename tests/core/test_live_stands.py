"""What an idle says of a part is said of the part that is at fault, and nothing is said of a sound
car."""

from collections.abc import Mapping

import pytest

from galene.core.diagnosis.live_stands import Stand, stands
from galene.knowledge.families import FAMILIES
from galene.simulation.condition import possible_faults
from galene.simulation.vehicle import Vehicle

RESTRICTING: Mapping[str, set[str]] = {
    "gap": {"throttle_deposit"},
    "passage": {"egr_passage_plugged"},
    "does_not_open": {"egr_valve_sluggish", "egr_valve_electrical"},
}
"""The causes by which a part may be said to restrict."""


def idle(family: str, faults: Mapping[str, float]) -> Vehicle:
    car = Vehicle(FAMILIES[family], dict(faults))
    car.key_on()
    car.start()
    run(car, 36.0)
    return car


def run(car: Vehicle, seconds: float) -> dict[str, float]:
    """Means of so many seconds."""
    rows = []
    for k in range(round(100 * seconds)):
        car.step()
        if k % 5 == 0:
            rows.append(car.row())
    return {name: sum(r[name] for r in rows) / len(rows) for name in rows[0]}


def said(family: str, means: Mapping[str, float], **more: Mapping[str, float]) -> tuple[Stand, ...]:
    engine = FAMILIES[family]
    return stands(engine, engine.bands, means, **more)


@pytest.mark.parametrize("family", sorted(FAMILIES))
def test_a_sound_car_says_nothing(family: str) -> None:
    assert said(family, run(idle(family, {}), 3.0)) == ()


@pytest.mark.parametrize("family", sorted(FAMILIES))
def test_no_part_is_said_to_restrict_that_does_not(family: str) -> None:
    for fault in possible_faults(FAMILIES[family]):
        for stand in said(family, run(idle(family, {fault: 0.7}), 3.0)):
            assert not stand.restricts or fault in RESTRICTING[stand.rule], (fault, stand)


@pytest.mark.parametrize(
    ("family", "fault", "rule", "part"),
    [
        ("A", "throttle_deposit", "gap", "throttle_body"),
        ("C", "throttle_deposit", "gap", "throttle_body"),
        ("B", "egr_valve_stuck_open", "stands_open", "egr_valve"),
        ("D", "egr_valve_stuck_open", "stands_open", "egr_valve"),
        ("E", "maf_dust", "meter_low", "maf_sensor"),
        ("A", "map_wiring", "meter_high", "maf_sensor"),
    ],
)
def test_the_part_at_fault_is_named(family: str, fault: str, rule: str, part: str) -> None:
    (found,) = said(family, run(idle(family, {fault: 0.8}), 3.0))
    assert found.rule == rule
    assert FAMILIES[family].part(found.part).component == part


@pytest.mark.parametrize(("plugged", "passes"), [(0.8, (5, 40)), (0.55, (30, 75))])
def test_an_opened_valve_tells_of_its_passage(plugged: float, passes: tuple[float, float]) -> None:
    car = idle("B", {"egr_passage_plugged": plugged})
    shut = run(car, 6.0)
    car.command("egr_valve", 100.0)
    run(car, 3.0)
    (found,) = said("B", run(car, 2.0), shut=shut)
    assert found.rule == "passage" and found.restricts
    assert passes[0] < found.read < passes[1]


def test_a_clear_passage_stalls_and_nothing_is_said() -> None:
    car = idle("B", {})
    shut = run(car, 6.0)
    car.command("egr_valve", 100.0)
    run(car, 3.0)
    assert said("B", run(car, 2.0), shut=shut) == ()


def test_a_valve_that_does_not_follow_is_told_with_both_figures() -> None:
    means = run(idle("B", {}), 3.0) | {"egr_command_pct": 40.0, "egr_position_pct": 6.0}
    (found,) = said("B", means)
    assert (found.rule, found.read, found.clean) == ("does_not_open", 6.0, 40.0)


@pytest.mark.parametrize(
    "instead",
    [{"coolant_c": 40.0}, {"pedal_pct": 12.0}, {"speed_kmh": 30.0}, {"rpm": 2200.0}, {"rpm": 0.0}],
)
def test_nothing_is_said_but_at_a_warm_idle(instead: Mapping[str, float]) -> None:
    dirty = run(idle("A", {"throttle_deposit": 0.9}), 3.0)
    assert said("A", dirty)
    assert said("A", {**dirty, **instead}) == ()
