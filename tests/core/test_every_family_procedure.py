"""Procedures over all families: whatever the scope, what is opened is closed and nothing wet is shut or powered."""

from hypothesis import given, settings
from hypothesis import strategies as st

from galene.core.procedures import Air, PartPlan, Policy, Step, compile_steps, schedule
from galene.knowledge.agents import AGENTS
from galene.knowledge.families import FAMILIES
from galene.knowledge.methods import METHODS
from galene.knowledge.procedures import CLOSING, PROCEDURES
from galene.knowledge.schools import DEFAULT_POLICY, SCHOOLS, tags_of


@st.composite
def compiled(draw: st.DrawFn) -> tuple[str, tuple[Step, ...]]:
    """A random scope of a random family under a random policy in random air."""
    family = FAMILIES[draw(st.sampled_from(sorted(FAMILIES)))]
    reachable = sorted({p for o in family.operations for p in o.reaches})
    parts = draw(st.lists(st.sampled_from(reachable), min_size=1, max_size=6, unique=True))
    policy = Policy({s.letter: draw(st.sampled_from([c for c, _ in s.choices])) for s in SCHOOLS})
    plans = []
    for p in parts:
        grade = draw(st.sampled_from([None, 0, 2, 3, 4]))
        tags = tags_of(family, family.part(p), grade, draw(st.sampled_from([None, 40_000, 200_000])), policy.choices)
        plans.append(PartPlan(p, grade, draw(st.booleans()) and any(o.removes == p for o in family.operations), tags))
    air = Air(draw(st.floats(-5, 35)), draw(st.floats(0.2, 0.9)))
    return family.id, compile_steps(family, plans, PROCEDURES, policy, air, CLOSING)


@settings(max_examples=120, deadline=None)
@given(compiled())
def test_every_opened_item_is_closed_later_and_once(case: tuple[str, tuple[Step, ...]]) -> None:
    family, steps = case
    opened: dict[str, int] = {}
    closed: set[str] = set()
    for i, step in enumerate(steps):
        for item in step.opens:
            assert item.key not in opened, (family, item.key)
            opened[item.key] = i
        for key in step.closes:
            assert key in opened and opened[key] < i, (family, key)
            assert key not in closed, (family, key)
            closed.add(key)
    assert closed == set(opened), (family, set(opened) - closed)


@settings(max_examples=80, deadline=None)
@given(compiled())
def test_nothing_wet_is_shut_or_powered_before_its_time(case: tuple[str, tuple[Step, ...]]) -> None:
    family, steps = case
    ends: dict[str, float] = {}
    clock = 0.0
    for step in steps:
        clock = max([clock, *(ends.get(w, 0.0) for w in step.after_waits)])
        if step.key.startswith("close:") or step.key == "battery_on":
            wet = [w for w, end in ends.items() if end > clock and "drying" in w and step.part and w.startswith(step.part)]
            assert not wet, (family, step.key, wet)
        clock += step.minutes
        if step.wait_name:
            ends[step.wait_name] = clock + step.wait_minutes
    assert max((s.start + s.minutes for s in schedule(steps)), default=0) >= sum(s.minutes for s in steps) - 1e-6


def test_every_kind_that_is_cleaned_has_a_method_and_an_agent_that_is_known() -> None:
    assert set(METHODS) == set(PROCEDURES) - {"inspect_only"}
    for procedure in PROCEDURES.values():
        for step in procedure.steps:
            assert not step.agent or step.agent in AGENTS, (procedure.component, step.key)
            assert not step.agent or step.agent_ml > 0
            assert step.text and step.minutes > 0
    for method in METHODS.values():
        assert not method.agent or method.agent in AGENTS


def test_what_is_computed_at_a_step_is_this_engines() -> None:
    """The liquid that one cylinder bears, and the crank's positions, stand on the steps where they bite."""

    def steps(family: str, part: str, grade: int, **schools: str) -> dict[str, Step]:
        held = {**DEFAULT_POLICY, **schools}
        engine = FAMILIES[family]
        plan = PartPlan(part, grade, tags=tags_of(engine, engine.part(part), grade, None, held))
        return {s.key: s for s in compile_steps(engine, [plan], PROCEDURES, Policy(held), Air(18), CLOSING)}

    soak = steps("C", "intake_ports", 2)["intake_ports:clean"]
    whole = 2000 / (4 * (9.8 - 1))
    assert (
        f"At most {whole / 10:.1f} ml" in soak.note and f"clearance of {whole:.0f} ml" in soak.note and soak.worksheet == "ingestion-limit"
    )
    blast = steps("C", "intake_ports", 4)
    assert blast["intake_ports:shut"].worksheet == "blast-positions"
    assert blast["intake_ports:blast"].opens[0].dangerous and blast["intake_ports:media_out"].closes == (
        blast["intake_ports:blast"].opens[0].key,
    )
    spray = steps("B", "throttle_body", 2, E="direct")["throttle_body:spray"]
    assert "clearance" in spray.note and spray.needs == ()
    for compiled_steps in (blast, steps("A", "maf_sensor", 2)):
        order = list(compiled_steps)
        assert order.index("leaks") > max(i for i, k in enumerate(order) if k.startswith("close:")) and order[-1] == "walk", (
            "leaks are sought when all is closed"
        )
