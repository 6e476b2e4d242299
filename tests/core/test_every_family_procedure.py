"""Procedures over all families: whatever the scope, what is opened is closed and nothing wet is shut or powered."""

from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from galene.core.ingestion import WARN_SHARE, clearance_ml, held_airflow, running_bursts
from galene.core.procedures import Air, PartPlan, Policy, Step, compile_steps, schedule
from galene.knowledge.agents import AGENTS
from galene.knowledge.families import FAMILIES
from galene.knowledge.methods import METHODS
from galene.knowledge.procedures import CLOSING, PROCEDURES
from galene.knowledge.schools import DEFAULT_POLICY, SCHOOLS, tags_of, way_in_place


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
        off = draw(st.booleans()) and any(o.removes == p for o in family.operations)
        plans.append(PartPlan(p, grade, off, tags, by=way_in_place(tags)))
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
    assert set(METHODS) == set(PROCEDURES)
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
        tags = tags_of(engine, engine.part(part), grade, None, held)
        plan = PartPlan(part, grade, tags=tags, by=way_in_place(tags))
        return {s.key: s for s in compile_steps(engine, [plan], PROCEDURES, Policy(held), Air(18), CLOSING)}

    soak = steps("D", "intake_ports", 4)["intake_ports:clean"]
    whole = 2200 / (4 * (16.2 - 1))
    assert (
        f"At most {whole / 10:.1f} ml" in soak.note and f"clearance of {whole:.0f} ml" in soak.note and soak.worksheet == "ingestion-limit"
    )
    blast = steps("C", "intake_ports", 4)
    first = blast["intake_ports:blast_1"].opens[0]
    assert first.dangerous and blast["intake_ports:media_out"].closes == (first.key,)
    spray = steps("B", "throttle_body", 2, E="direct")["throttle_body:spray"]
    assert "clearance" in spray.note and spray.needs == ()
    assert "open_plate" in " ".join(steps("B", "throttle_body", 2, D="free"))
    for compiled_steps in (blast, steps("A", "maf_sensor", 2)):
        order = list(compiled_steps)
        assert order.index("leaks") > max(i for i, k in enumerate(order) if k.startswith("close:")) and order[-1] == "walk", (
            "leaks are sought when all is closed"
        )


def card(family: str, *parts: tuple[str, int | None], off: tuple[str, ...] = (), **schools: str) -> tuple[Step, ...]:
    """The card of parts with their grades under the default schools and others."""
    engine, held = FAMILIES[family], {**DEFAULT_POLICY, **schools}
    plans = []
    for part, grade in parts:
        tags = tags_of(engine, engine.part(part), grade, None, held)
        plans.append(PartPlan(part, grade, part in off, tags, by=way_in_place(tags)))
    return compile_steps(engine, plans, PROCEDURES, Policy(held), Air(18), CLOSING)


def test_every_cylinder_is_blasted_once_in_a_position_in_which_it_is_shut() -> None:
    engine = FAMILIES["C"]
    steps = [s for s in card("C", ("intake_ports", 4)) if s.key.startswith("intake_ports:blast_")]
    assert sorted(c for s in steps for c in s.cylinders) == [1, 2, 3, 4]
    opens, shuts = 360 - (engine.intake_opens_btdc_deg or 0) - 10, 540 + (engine.intake_closes_abdc_deg or 0) + 10
    for step in steps:
        assert step.crank_deg is not None
        for cylinder in step.cylinders:
            angle = (step.crank_deg - 180 * engine.firing_order.index(cylinder)) % 720
            assert angle <= opens or angle >= shuts, (cylinder, step.crank_deg)
        keys = [s.key for s in card("C", ("intake_ports", 4))]
        assert keys.index(step.key) == keys.index(step.key.replace("blast", "shut")) + 1, "turned and looked at before it is blasted"
    assert sum(s.agent_ml for s in steps) == 3000
    unknown = replace(engine, firing_order=(), intake_opens_btdc_deg=None, intake_closes_abdc_deg=None)
    plan = PartPlan("intake_ports", 4, tags=frozenset({"opened", "blast"}))
    once = [
        s for s in compile_steps(unknown, [plan], PROCEDURES, Policy(DEFAULT_POLICY), Air(18), CLOSING) if s.key == "intake_ports:blast"
    ]
    assert len(once) == 1 and once[0].worksheet == "blast-positions" and once[0].crank_deg is None


def test_the_running_engine_comes_before_anything_is_opened_and_one_flush_treats_all() -> None:
    steps = card("D", ("egr_passage", 2), ("egr_valve", 1), ("intake_ports", 2), ("boost_sensor", 2))
    keys = [s.key for s in steps]
    bursts = [s for s in steps if s.key == "running_flush:bursts"]
    assert len(bursts) == 1, "one go"
    assert keys.index("running_flush:road") < keys.index("ignition") < keys.index("open:boost_sensor_out")
    assert not any(k.startswith(("open:egr", "open:manifold")) for k in keys), "nothing is opened for what is flushed"
    assert "running_flush:command" in keys, "the valve is exercised by the scan tool"
    assert "Bursts of" in bursts[0].note and bursts[0].minutes > 8
    alone = [s.key for s in card("C", ("intake_ports", 2))]
    assert not {"ignition", "battery", "cool"} & set(alone) and alone[-1] == "walk"


def test_bursts_never_come_near_what_one_cylinder_bears() -> None:
    for family in FAMILIES.values():
        for ml, water in ((300, False), (400, True)):
            if "idle_airflow_g_s" not in family.bands:
                continue
            air = held_airflow(*(getattr(family.bands[b], e) for b in ("idle_airflow_g_s", "idle_rpm") for e in ("low", "high")))
            assert air[0] < air[1]
            found = running_bursts(air[0], family.displacement_l, family.cylinders, family.compression_ratio, ml, water)
            clearance = clearance_ml(family.displacement_l, family.cylinders, family.compression_ratio)
            assert found.burst_s * found.can_rate_g_s / (1.0 if water else 0.74) <= WARN_SHARE * clearance + 1e-9, family.id
            on_average = found.can_rate_g_s * found.burst_s / (found.burst_s + found.pause_s)
            assert on_average <= 0.25 * air[0] / 14.2 + 1e-9


def test_a_plate_that_is_never_moved_by_hand_is_opened_by_its_motor_before_the_battery_comes_off() -> None:
    for family, off in (("A", ()), ("C", ("throttle_body",)), ("D", ("throttle_body",))):
        keys = [s.key for s in card(family, ("throttle_body", 3), off=off, D="never")]
        wedge = keys.index("throttle_body:wedge")
        assert (
            wedge
            < keys.index("battery")
            < keys.index("throttle_body:brush")
            < keys.index("throttle_body:wedge_out")
            < keys.index("battery_on")
        )
        assert any(k.startswith("open:") for k in keys[:wedge]), "laid open first"
        assert "throttle_body:open_plate" not in keys
    assert "throttle_body:wedge" not in [s.key for s in card("B", ("throttle_body", 2), D="never")], "a cable plate has no motor"


def test_school_n_chooses_how_the_valve_is_commanded_and_power_is_back_by_then() -> None:
    for choice, there in (
        ("scan_tool", {"command"}),
        ("jumper", {"jumper_on", "jumper", "jumper_off"}),
        ("both", {"command", "jumper_on", "jumper", "jumper_off"}),
    ):
        steps = card("D", ("egr_valve", 3), N=choice)
        keys = [s.key for s in steps]
        found = {k.removeprefix("egr_valve:") for k in keys if k.startswith(("egr_valve:command", "egr_valve:jumper"))}
        assert found == there
        assert all(keys.index(f"egr_valve:{k}") > keys.index("battery_on") for k in there)
        assert all(s.worksheet == "actuator-drive-check" for s in steps if s.key in ("egr_valve:jumper_on", "egr_valve:jumper"))
