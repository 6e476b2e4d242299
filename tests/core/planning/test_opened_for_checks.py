"""What a check opens is open on the car: a plan begins from there, opens nothing twice, and closes
all of it."""

from collections import Counter
from random import Random

import pytest

from galene.core.diagnosis.records import Check
from galene.core.errors import InputError
from galene.core.planning.car import car_after
from galene.core.planning.case import Case
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, DoneStep, PartWork, StateWords
from galene.core.planning.verify import verify
from galene.jobs.checks import why_not
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.check_access import access_of, closed_again
from galene.knowledge.families import FAMILIES
from galene.knowledge.policy import DEFAULT_POLICY
from galene.knowledge.treatment import Circumstances, judged_use, trade_for

READ_WARM = StateWords(before_set=True, heat="warm")
AIR = Air(temperature_c=20.0, humidity=0.5)
OPENING = [
    (name, check)
    for name, family in FAMILIES.items()
    for check in KNOWLEDGE.checks.values()
    if check.reaches and not why_not(check, family)
]


@pytest.mark.parametrize(("name", "check"), OPENING, ids=lambda x: getattr(x, "id", x))
def test_a_plan_goes_on_from_what_a_check_has_opened(name: str, check: Check) -> None:
    family, random = FAMILIES[name], Random(f"{name} {check.id}")
    trade = trade_for(family, Circumstances(policy=DEFAULT_POLICY))
    way = access_of(check, family, start=READ_WARM, done=(), policy=DEFAULT_POLICY)
    opened = [DoneStep(step=s) for s in way.steps]
    shut = closed_again(family, start=READ_WARM, done=opened, policy=DEFAULT_POLICY)
    closed = [*opened, *(DoneStep(step=s) for s in shut)]
    car = car_after(READ_WARM, closed)
    assert not car.open and car.battery == "on" and car.coolant == "full"
    assert all(where == "mounted" for where in car.place.values())
    planned = 0
    for part in random.sample(family.parts, 8):
        work = random.choice(("clean", "replace", "inspect"))
        case = Case(
            family=family,
            works=(PartWork(part=part.id, work=work, grade=3, kind="soot"),),
            policy=DEFAULT_POLICY,
            air=AIR,
            start=READ_WARM,
        )
        try:
            make_plan(case, trade)
        except InputError:
            continue
        for done in (opened, closed):
            try:
                plan = make_plan(case, trade, done)
            except InputError as fault:
                assert "running engine" in fault.allowed
                continue
            planned += 1
            assert not verify(plan, family, READ_WARM, judge=judged_use)
            after = plan.steps[len(done) :]
            begun = Counter(s.opening for s in after if s.opening)
            if done is opened:
                assert not set(begun) & {s.opening for s in way.openings}
            assert not any(n > 1 for n in begun.values())
    assert planned


def test_a_check_that_takes_something_off_is_made_safe_as_the_work_would_be() -> None:
    family = FAMILIES["D"]
    sweep = KNOWLEDGE.checks["runner_sweep_by_hand"]
    way = access_of(sweep, family, start=READ_WARM, done=(), policy=DEFAULT_POLICY)
    assert [s.id for s in way.safe] == ["ignition", "battery_off"]
    assert "T25 driver" in way.tools
    assert {"battery", "spring"} <= set(way.cautions)
    opening = sum(o.minutes_off + o.minutes_on for o in family.operations if o.id in _opens(way))
    assert way.minutes > opening
    cooler = KNOWLEDGE.checks["look_egr_cooler"]
    deep = access_of(cooler, family, start=READ_WARM, done=(), policy=DEFAULT_POLICY)
    assert deep.safe[0].wait and deep.safe[0].does.heat == "cold"
    done = [DoneStep(step=s) for s in deep.steps]
    again = access_of(cooler, family, start=READ_WARM, done=done, policy=DEFAULT_POLICY)
    assert not again.steps and again.minutes < deep.minutes / 5, "it is open"


def _opens(way: object) -> set[str]:
    return {s.opening for s in way.openings}  # type: ignore[attr-defined]
