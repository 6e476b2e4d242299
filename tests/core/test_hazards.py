"""Whatever can hurt carries its caution: every step, check, relearn phase and worksheet is gone
through."""

import re
from collections.abc import Iterator
from random import Random

import pytest

from galene.core.calculations.catalogue import every as every_calculation
from galene.core.planning.car import Car, after, car_at
from galene.core.planning.hazards import engine_during
from galene.core.planning.marks import DEEDS
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Step
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.families import FAMILIES
from galene.knowledge.hazards import (
    HAZARDS,
    WORKSHEET_HAZARDS,
    cautions_of_check,
    cautions_of_phase,
)
from galene.knowledge.relearns import RELEARNS
from tests.core.planning.cards import Card, work
from tests.core.planning.cases import drawn

Met = tuple[str, str, Step, Car]


def plans() -> Iterator[Met]:
    """Steps of random plans: the fuel of the engine, its injection, the step, the car before it."""
    random = Random(20261125)
    seen = 0
    while seen < 120:
        case = drawn(random)
        if case is None:
            continue
        seen += 1
        car = car_at(case.case.start)
        for step in make_plan(case.case, case.trade).steps:
            yield case.case.family.fuel, case.case.family.injection, step, car
            car = after(car, step)


@pytest.fixture(scope="module")
def steps() -> list[Met]:
    return list(plans())


@pytest.mark.parametrize(
    ("deed", "caution"),
    [
        ("blast", "dust"),
        ("scrape", "dust"),
        ("tilt", "cab"),
        ("untilt", "cab"),
        ("press_air", "air"),
        ("jumper", "jumper"),
        ("drive", "road"),
        ("ride", "road"),
        ("power_off", "battery"),
        ("jack", "lifting"),
        ("open_fuel", "fire"),
        ("handle_fuel", "fire"),
    ],
)
def test_a_deed_that_hurts_has_its_caution_wherever_it_is_done(
    steps: list[Met], deed: str, caution: str
) -> None:
    done = [step for _, _, step, _ in steps if deed in step.acts]
    assert done, "it is done"
    assert not [s.id for s in done if caution not in s.cautions]


def test_nothing_warns_that_is_not_there(steps: list[Met]) -> None:
    for fuel, injection, step, _ in steps:
        if {"cab", "jumper", "battery", "road"} & set(step.cautions):
            assert {"tilt", "untilt", "jumper", "power_off", "drive", "ride"} & set(step.acts)
        if "rail" in step.cautions:
            assert fuel == "diesel" or injection == "direct"
        if "fire" in step.cautions:
            burns = step.agent is not None and "flammable" in step.agent.properties
            fuels = {"open_fuel", "handle_fuel", "let_pressure"} & set(step.acts)
            assert burns or fuels or step.relearn == "fuel_venting", step.id


def test_states_and_agents_that_hurt_have_their_caution(steps: list[Met]) -> None:
    ran = fed = lines = cooled = 0
    for fuel, injection, step, car in steps:
        if engine_during(step, car) == "running":
            ran += 1
            assert {"exhaust", "rotating"} <= set(step.cautions), step.id
        if step.agent and step.agent.way == "running_ingestion" and fuel == "diesel":
            fed += 1
            assert "runaway" in step.cautions, step.id
        if (
            step.agent
            and step.agent.way != "running_ingestion"
            and "flammable" in step.agent.properties
        ):
            assert {"fire", "fumes", "eyes"} <= set(step.cautions), step.id
        if step.does.fuel_line == "opened":
            lines += 1
            assert "fire" in step.cautions
            assert ("rail" in step.cautions) == (fuel == "diesel" or injection == "direct"), step.id
        if step.does.coolant is not None:
            cooled += 1
            assert {"hot_coolant", "coolant"} <= set(step.cautions), step.id
    assert min(ran, fed, lines, cooled) > 0, "each occurs"


def test_every_check_names_what_can_hurt() -> None:
    for check in KNOWLEDGE.checks.values():
        assert check.acts and set(check.acts) <= set(DEEDS)
        family = next(f for f in FAMILIES.values() if set(check.components) <= f.components)
        held = cautions_of_check(check, family)
        assert all(c in CAUTIONS for c in held)
        if re.search(r"[Ii]dle|[Ww]arm|[Ss]teady", check.how):
            assert "exhaust" in held or "road" in held, check.id
        if re.search(r"[Cc]ommand|press the pedal", check.how) and "exhaust" not in held:
            assert "fingers" in held, check.id


def test_a_plate_on_a_cable_has_no_motor() -> None:
    for name in ("look_throttle", "throttle_sweep"):
        check = KNOWLEDGE.checks[name]
        assert "fingers" in cautions_of_check(check, FAMILIES["A"])
        assert "fingers" not in cautions_of_check(check, FAMILIES["B"])


def test_every_phase_of_a_relearn_names_what_can_hurt() -> None:
    for template in RELEARNS.values():
        for phase in template.phases:
            held = cautions_of_phase(template.id, phase, FAMILIES["D"])
            assert all(c in CAUTIONS for c in held)
            assert not phase.engine_on or "exhaust" in held
            assert "Drive" not in phase.text or "road" in held
    burn = RELEARNS["particulate_burn_off"]
    assert all("burn_off" in cautions_of_phase(burn.id, p, FAMILIES["D"]) for p in burn.phases)


def test_worksheets_and_hazards_name_what_there_is() -> None:
    assert set(WORKSHEET_HAZARDS) <= set(every_calculation())
    assert {c for held in WORKSHEET_HAZARDS.values() for c in held} <= set(CAUTIONS)
    assert {h.caution for h in HAZARDS} <= set(CAUTIONS)


def test_coolant_is_never_opened_hot() -> None:
    bleed, hot = RELEARNS["coolant_bleed_and_watch"].phases
    assert "80 °C" in bleed.text and "cap goes on and stays on" in bleed.text
    assert [g.id for g in bleed.guards] == ["coolant_open"] and "cap on" in hot.text.lower()


def test_the_plate_that_a_motor_moves_is_wedged_by_a_tool() -> None:
    card = Card("A", work("throttle_body", grade=2), policy={"D": "never"})
    wedge = card.step("throttle_body:wedge")
    assert "No finger in the bore" in wedge["text"] and "long handle" in wedge["text"]
    assert "fingers" in wedge["cautions"]


def test_nothing_that_burns_is_sprayed_at_a_running_engine_to_find_a_leak() -> None:
    spray = KNOWLEDGE.checks["leak_spray"]
    assert "never anything that burns" in spray.how and spray.last_resort
