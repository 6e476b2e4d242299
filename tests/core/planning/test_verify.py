"""The verifier finds what is broken by hand in a plan that holds: one break a rule."""

from collections.abc import Callable
from dataclasses import replace

import pytest

from galene.core.planning.case import Case
from galene.core.planning.laws import Violation
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, Held, OpenItem, PartWork, Plan, StateWords, Step
from galene.core.planning.verify import verify
from galene.knowledge.families import FAMILIES
from galene.knowledge.hazards import HAZARDS
from galene.knowledge.policy import DEFAULT_POLICY
from galene.knowledge.treatment import Circumstances, judged_use, trade_for

Break = Callable[[Plan], Plan]


def plan_of(family_id: str, *parts: str, grade: int = 3) -> Plan:
    family = FAMILIES[family_id]
    case = Case(
        family=family,
        works=tuple(PartWork(part=p, grade=grade) for p in parts),
        policy=DEFAULT_POLICY,
        air=Air(temperature_c=18.0),
    )
    return make_plan(case, trade_for(family, Circumstances(policy=DEFAULT_POLICY)))


def faults(family_id: str, plan: Plan) -> tuple[Violation, ...]:
    return verify(plan, FAMILIES[family_id], StateWords(), judge=judged_use, hazards=HAZARDS)


def index(plan: Plan, words: str) -> int:
    return next(i for i, s in enumerate(plan.steps) if words in s.id)


def without(words: str) -> Break:
    """The plan with a step left out."""

    def done(plan: Plan) -> Plan:
        i = index(plan, words)
        return replace(plan, steps=plan.steps[:i] + plan.steps[i + 1 :])

    return done


def moved(words: str, before: str) -> Break:
    """The plan with a step put before another."""

    def done(plan: Plan) -> Plan:
        steps = list(plan.steps)
        step = steps.pop(index(plan, words))
        at = next(i for i, s in enumerate(steps) if before in s.id)
        return replace(plan, steps=(*steps[:at], step, *steps[at:]))

    return done


def changed(words: str, change: Callable[[Step], Step]) -> Break:
    """The plan with a step changed."""

    def done(plan: Plan) -> Plan:
        i = index(plan, words)
        return replace(plan, steps=(*plan.steps[:i], change(plan.steps[i]), *plan.steps[i + 1 :]))

    return done


def idly_capped(plan: Plan) -> Plan:
    """The plan with a cap that goes on and comes off with nothing between."""
    i = index(plan, "leaks")
    cap = OpenItem(
        id="idle cap", what="Cap", kind="cover", inside=True, mouth="throttle_body/intake_tube"
    )
    on = replace(plan.steps[i], opens=(cap,))
    off = replace(plan.steps[i + 1], closes=("idle cap",))
    return replace(plan, steps=(*plan.steps[:i], on, off, *plan.steps[i + 2 :]))


def with_what_it_contains(plan: Plan) -> Plan:
    """The plan with the spares that come with another used beside it."""
    spare = next(s for s in FAMILIES["E"].spares if s.contains)
    i = index(plan, "close:")
    step = replace(plan.steps[i], consumes=(spare.id, *spare.contains))
    return replace(plan, steps=(*plan.steps[:i], step, *plan.steps[i + 1 :]))


def twice(words: str, change: Callable[[Step], Step] = lambda s: s) -> Break:
    """The plan with a step done once more at once, as it is or changed."""

    def done(plan: Plan) -> Plan:
        i = index(plan, words)
        again = change(
            replace(plan.steps[i], id=f"{plan.steps[i].id}~2", turn=2, records=(), wait=None)
        )
        return replace(plan, steps=(*plan.steps[: i + 1], again, *plan.steps[i + 1 :]))

    return done


def hasty(plan: Plan) -> Plan:
    """The plan with no wait held."""
    return replace(plan, steps=tuple(replace(s, waits_for=()) for s in plan.steps))


BREAKS: tuple[tuple[str, str, tuple[str, ...], Break, int], ...] = (
    ("never closed", "A", ("map_sensor",), without("close:map_sensor_out"), 1),
    (
        "closed before opened",
        "A",
        ("map_sensor",),
        moved("close:engine_cover", "open:engine_cover"),
        1,
    ),
    (
        "closed twice in one step",
        "A",
        ("map_sensor",),
        changed("close:engine_cover", lambda s: replace(s, closes=(*s.closes, *s.closes))),
        1,
    ),
    (
        "a wait that nothing starts",
        "A",
        ("maf_sensor",),
        changed("maf_sensor:check", lambda s: replace(s, waits_for=("No such wait",))),
        1,
    ),
    ("worked before it is off", "B", ("egr_valve",), without("open:egr_valve_off"), 2),
    (
        "bath leaves with the flap motor on it",
        "D",
        ("intake_manifold",),
        without("flap_motor_off"),
        2,
    ),
    ("wet and at once refitted", "B", ("egr_valve",), hasty, 3),
    (
        "sprayed and not wet",
        "A",
        ("maf_sensor",),
        changed("maf_sensor:spray", lambda s: replace(s, wets=())),
        3,
    ),
    (
        "started with the tube off",
        "A",
        ("throttle_body",),
        moved("first_start", "close:intake_tube"),
        4,
    ),
    (
        "fumes in a shut bay",
        "A",
        ("maf_sensor",),
        changed("secure", lambda s: replace(s, brings=())),
        4,
    ),
    ("started with coolant low", "D", ("egr_cooler",), without("close:coolant_low"), 4),
    ("coolant never watched", "D", ("egr_cooler",), lambda p: replace(p, relearns=()), 5),
    ("coolant never looked at cold", "D", ("egr_cooler",), without("cold_look"), 5),
    ("unplugged under power", "A", ("throttle_body",), without("battery_off"), 6),
    ("unplugged before the hold", "A", ("throttle_body",), hasty, 6),
    ("battery left off", "E", ("egr_valve",), without("battery_on"), 6),
    ("cleared before the readings", "A", ("maf_sensor",), without("before_set"), 7),
    ("road run before clearing", "A", ("maf_sensor",), moved("road", "clear"), 7),
    ("pending before the run", "A", ("maf_sensor",), moved("pending", "road"), 7),
    (
        "a question without a consequence",
        "A",
        ("maf_sensor",),
        changed(
            "maf_sensor:look",
            lambda s: replace(s, records=tuple(replace(r, consequences=()) for r in s.records)),
        ),
        8,
    ),
    (
        "started after a stop",
        "A",
        ("maf_sensor",),
        lambda p: replace(p, held=Held(record="maf_sensor:look/whole", why="cracked")),
        8,
    ),
    (
        "several covers as one item",
        "D",
        ("intake_manifold",),
        changed(
            "open:manifold_off",
            lambda s: replace(
                s, opens=tuple(replace(i, count=4) if i.inside else i for i in s.opens)
            ),
        ),
        9,
    ),
    (
        "an uncovered mouth",
        "B",
        ("egr_valve",),
        changed(
            "open:egr_valve_off",
            lambda s: replace(s, opens=tuple(i for i in s.opens if not i.inside)),
        ),
        9,
    ),
    (
        "a neighbour's screws",
        "A",
        ("maf_sensor",),
        changed("open:meter_out", lambda s: replace(s, fasteners=("9 × bolt, M12",))),
        10,
    ),
    (
        "a motor where a cable is",
        "B",
        ("throttle_body",),
        changed("throttle_body:look", lambda s: replace(s, speaks_of=("electronic",))),
        23,
    ),
    (
        "a vacuum hose on a diesel",
        "D",
        ("boost_sensor",),
        changed("boost_sensor:look", lambda s: replace(s, speaks_of=("vacuum_hose",))),
        23,
    ),
    (
        "through a hole that wears a cap",
        "B",
        ("egr_passage",),
        changed("egr_passage:look", lambda s: replace(s, closes=())),
        13,
    ),
    (
        "scraped after the last look",
        "D",
        ("intake_manifold", "runner_flaps"),
        moved("intake_manifold:check", "runner_flaps:clean"),
        14,
    ),
    (
        "a new seal under solvent",
        "A",
        ("map_sensor",),
        moved("map_sensor:check", "map_sensor:spray"),
        15,
    ),
    (
        "covered before the leak look",
        "A",
        ("map_sensor",),
        moved("close:engine_cover", "leaks"),
        16,
    ),
    ("a cap that guards nothing", "A", ("map_sensor",), idly_capped, 17),
    (
        "a cold level on the lift",
        "D",
        ("boost_sensor",),
        moved("boost_sensor:level", "boost_sensor:look"),
        18,
    ),
    ("a ring beside its set", "E", ("egr_dp_sensor",), with_what_it_contains, 19),
    ("once more unasked", "A", ("map_sensor",), twice("map_sensor:look"), 20),
    (
        "once more something else",
        "A",
        ("map_sensor",),
        twice("map_sensor:check", lambda s: replace(s, acts=("look", "dry"))),
        20,
    ),
    (
        "proven before the coolant was watched",
        "D",
        ("egr_cooler",),
        moved("after_set", "relearn:coolant_bleed"),
        21,
    ),
    (
        "no word of what burns",
        "A",
        ("maf_sensor",),
        changed("maf_sensor:spray", lambda s: replace(s, cautions=())),
        22,
    ),
    (
        "a warning of what can not happen",
        "A",
        ("maf_sensor",),
        changed("maf_sensor:spray", lambda s: replace(s, cautions=(*s.cautions, "runaway"))),
        22,
    ),
    (
        "an idle valve that it does not have",
        "F",
        ("throttle_body",),
        changed("throttle_body:look", lambda s: replace(s, speaks_of=("idle_air_valve",))),
        23,
    ),
)


@pytest.mark.parametrize(
    ("family", "parts", "broken_by", "rule"),
    [b[1:] for b in BREAKS],
    ids=[b[0] for b in BREAKS],
)
def test_what_is_broken_is_found(
    family: str, parts: tuple[str, ...], broken_by: Break, rule: int
) -> None:
    plan = plan_of(family, *parts, grade=4 if "intake_manifold" in parts else 3)
    assert faults(family, plan) == ()
    found = faults(family, broken_by(plan))
    assert rule in {v.rule for v in found}, found
    assert all(v.text for v in found)


def test_what_was_done_by_an_earlier_table_stops_no_job() -> None:
    """Neither a repeat of a deed that its procedure calls another now, nor a caution of then."""
    plan = plan_of("A", "map_sensor")
    other = twice("map_sensor:check", lambda s: replace(s, acts=("look", "dry")))(plan)
    warned = changed("map_sensor:spray", lambda s: replace(s, cautions=(*s.cautions, "runaway")))
    for spoiled, rule in ((other, 20), (warned(plan), 22)):
        for done, wanted in ((0, {rule}), (len(spoiled.steps), set[int]())):
            found = verify(
                spoiled, FAMILIES["A"], StateWords(), judge=judged_use, hazards=HAZARDS, done=done
            )
            assert {v.rule for v in found} & {rule} == wanted


def test_a_lifted_stop_is_no_stop() -> None:
    plan = plan_of("A", "maf_sensor")
    held = replace(plan, held=Held(record="maf_sensor:look/whole", why="cracked"))
    assert faults("A", held) != ()
    assert faults("A", plan) == ()
