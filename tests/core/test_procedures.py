"""Compiled steps: whatever the scope, all that is opened is closed, nothing wet is shut, waits run beside the work."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from galene.core.errors import InputError
from galene.core.must_go_back import OpenItem, RunningWait, blockers, worst_first
from galene.core.next_visit import next_visit
from galene.core.procedures import CAPACITORS, Air, PartPlan, Policy, Step, compile_steps, schedule
from galene.core.relearn import advance, begin, finish, guard_broken, seconds_left
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.families import FAMILIES
from galene.knowledge.procedures import CLOSING, PROCEDURES
from galene.knowledge.relearns import RELEARNS, relearn_of, relearns_for
from galene.knowledge.schools import DEFAULT_POLICY, SCHOOLS, tags_of, way_in_place

A = FAMILIES["A"]
REACHABLE = sorted({p for o in A.operations for p in o.reaches})
NOW = datetime(2026, 11, 24, 9, tzinfo=UTC)


def compiled(*parts: PartPlan, air: Air = Air(18), **policy: str) -> tuple[Step, ...]:
    held = {**DEFAULT_POLICY, **policy}
    tagged = []
    for p in parts:
        tags = tags_of(A, A.part(p.part), p.grade, None, held)
        tagged.append(replace(p, tags=tags, by=way_in_place(tags)))
    return compile_steps(A, tagged, PROCEDURES, Policy(held), air, CLOSING)


PLANS = st.lists(
    st.builds(PartPlan, st.sampled_from(REACHABLE), st.sampled_from([None, 0, 1, 2, 3, 4]), st.booleans()),
    min_size=1,
    max_size=5,
    unique_by=lambda p: p.part,
)
POLICIES = st.fixed_dictionaries({s.letter: st.sampled_from([c for c, _ in s.choices]) for s in SCHOOLS})


@settings(max_examples=150, deadline=None)
@given(PLANS, POLICIES, st.floats(-5, 35))
def test_every_procedure_holds_the_rules(plans: list[PartPlan], policy: dict[str, str], temperature: float) -> None:
    steps = compiled(*plans, air=Air(temperature), **policy)
    opened: dict[str, int] = {}
    closed: set[str] = set()
    waits: dict[str, int] = {}
    for i, step in enumerate(steps):
        for name in step.after_waits:
            assert name in waits or name in ("Engine cooling", CAPACITORS), f"{step.key} waits for what nobody started"
            assert waits.get(name, -1) < i
        for key in step.closes:
            assert key in opened, f"{key} is closed before it is opened"
            closed.add(key)
        for item in step.opens:
            assert item.key not in opened, f"{item.key} is opened twice"
            opened[item.key] = i
        if step.wait_name:
            waits[step.wait_name] = i
        assert set(step.cautions) <= set(CAUTIONS)
    assert set(opened) == closed, "everything that is opened is closed"
    for plan in plans:
        wet = next((s.wait_name for s in steps if s.part == plan.part and s.phase == "clean" and s.wait_name), None)
        shut = [
            s
            for s in steps
            if s.key.startswith("close:") and plan.part in next(o for o in A.operations if s.key == f"close:{o.id}").reaches
        ]
        for step in shut:
            assert wet is None or wet in step.after_waits, f"{plan.part} is shut while wet"
    assert steps[-1].key == "walk"


@settings(max_examples=60, deadline=None)
@given(PLANS)
def test_the_strip_has_no_gaps_and_waits_only_for_what_work_does_not_fill(plans: list[PartPlan]) -> None:
    steps = compiled(*plans)
    segments = schedule(steps)
    clock = 0.0
    for segment in segments:
        assert segment.start == pytest.approx(clock, abs=0.02)
        clock = segment.start + segment.minutes
    hands = sum(s.minutes for s in segments if s.kind == "hands")
    assert hands == pytest.approx(sum(s.minutes for s in steps))
    assert clock <= hands + sum(s.wait_minutes for s in steps) + 0.02


def test_battery_comes_off_before_the_plate_is_touched() -> None:
    keys = [s.key for s in compiled(PartPlan("throttle_body", 2))]
    assert keys.index("battery") < keys.index("throttle_body:unplug") < keys.index("throttle_body:wipe") < keys.index("battery_on")
    assert CAPACITORS in next(s for s in compiled(PartPlan("throttle_body", 2)) if s.key == "throttle_body:unplug").after_waits
    assert "battery" not in [s.key for s in compiled(PartPlan("maf_sensor", 2))]


def test_grade_chooses_cloth_or_brush_and_off_the_engine_a_new_seal() -> None:
    light, heavy = compiled(PartPlan("throttle_body", 2)), compiled(PartPlan("throttle_body", 3, True))
    assert "throttle_body:wipe" in [s.key for s in light] and "throttle_body:brush" in [s.key for s in heavy]
    assert [c for s in light for c in s.consumes] == []
    assert "throttle_seal" in [c for s in heavy for c in s.consumes]
    assert any(s.key.startswith("look:throttle_off") for s in heavy), "the rag in the manifold gets a look of its own"


@pytest.mark.parametrize(("choice", "minutes"), [("label_factor", 23), ("fixed_hour", 60), ("short_with_check", 5)])
def test_school_c_decides_the_drying(choice: str, minutes: float) -> None:
    step = next(s for s in compiled(PartPlan("maf_sensor", 2), air=Air(12), C=choice) if s.key == "maf_sensor:spray")
    assert step.wait_minutes == minutes
    assert step.wait_reason.startswith("Solvent on a powered element burns it")


def test_longest_drying_is_started_first() -> None:
    steps = compiled(PartPlan("throttle_body", 2), PartPlan("maf_sensor", 2), air=Air(10))
    keys = [s.key for s in steps]
    assert keys.index("maf_sensor:spray") < keys.index("throttle_body:wipe")


def test_a_scope_that_can_not_be_is_refused() -> None:
    for plans in ((), (PartPlan("maf_sensor"), PartPlan("maf_sensor")), (PartPlan("egr_valve"),)):
        with pytest.raises(InputError):
            compiled(*plans)


def item(what: str, kind: str, before: str = "start", dangerous: bool = False) -> OpenItem:
    return OpenItem(what, kind, "", 1, before, dangerous, "Odd", NOW)


def test_gates() -> None:
    cover, plug, rag = item("cover", "cover", "handover"), item("plug", "connector"), item("rag", "rag inside", dangerous=True)
    assert [i.what for i in worst_first([cover, plug, rag])] == ["rag", "plug", "cover"]
    assert [b.text for b in blockers("start", [cover, plug, rag], [], [], NOW)] == ["rag", "plug"]
    assert [b.text for b in blockers("handover", [cover], [], [], NOW)] == ["cover"]
    wet = RunningWait("Air meter drying", NOW + timedelta(minutes=3), "wet")
    assert [b.kind for b in blockers("start", [], [wet], ["walk round"], NOW)] == ["wait", "step"]
    assert blockers("start", [], [wet], [], NOW + timedelta(minutes=4)) == ()


TEMPLATE = relearn_of(A)
READY = {c: True for c, _ in TEMPLATE.conditions}


def test_relearn_runs_through_its_holds_in_order() -> None:
    moment, state = NOW, begin(TEMPLATE, READY, NOW)
    for phase in TEMPLATE.phases:
        assert TEMPLATE.phases[state.phase].id == phase.id
        assert seconds_left(TEMPLATE, state, moment) == phase.hold_minutes * 60
        moment += timedelta(minutes=phase.hold_minutes)
        state = advance(TEMPLATE, state, moment)
    assert state.outcome == "testing"
    assert finish(state, True).outcome == "learned"
    assert finish(state, False).outcome == "failed"


def test_relearn_does_not_skip_nor_forget() -> None:
    state = begin(TEMPLATE, READY, NOW)
    with pytest.raises(InputError, match="1 s left"):
        advance(TEMPLATE, state, NOW + timedelta(minutes=2, seconds=-1))
    broken = guard_broken(TEMPLATE, state, "pedal", NOW + timedelta(seconds=90))
    assert seconds_left(TEMPLATE, broken, NOW + timedelta(seconds=90)) == 120
    assert [r.guard for r in broken.restarts] == ["pedal"]
    with pytest.raises(InputError):
        guard_broken(TEMPLATE, state, "fan", NOW)
    with pytest.raises(InputError, match="voltage"):
        begin(TEMPLATE, {**READY, "voltage": False}, NOW)
    with pytest.raises(InputError):
        finish(state, True)


def test_next_visit_prefers_the_vehicles_own_history() -> None:
    usual = next_visit(100_000, ("short_trips",), 2, None, False)
    assert usual.at_km == 130_000 and "usual distance for short trips" in usual.reason
    own = next_visit(100_000, ("short_trips",), 4, 20_000, False)
    assert own.at_km == 110_000 and "grew to grade 4 in 20 000 km" in own.reason
    assert next_visit(100_000, (), 2, None, True).interval_km == next_visit(100_000, (), 2, None, False).interval_km / 2


def test_the_scope_decides_the_relearns_and_their_order() -> None:
    def ids(family: str, *components: str, fuel: bool = False, clearing: str = "guided") -> list[str]:
        return [t.id for t in relearns_for(FAMILIES[family], components, fuel, clearing)]

    assert ids("A", "throttle_body") == ["throttle_manual"]
    assert ids("A", "throttle_body", clearing="battery_reset") == ["memory_reset"]
    assert ids("C", "intake_ports", "runner_flaps", fuel=True)[:2] == ["fuel_venting", "runner_flap_adaptation"]
    assert ids("D", "egr_cooler", "egr_valve")[-2:] == ["coolant_bleed_and_watch", "particulate_burn_off"] and "egr_valve_zero" in ids(
        "D", "egr_cooler", "egr_valve"
    )
    assert ids("E", "egr_dp_ports")[0] == "differential_zero"
    assert "particulate_burn_off" not in ids("D", "boost_sensor")
    for family in FAMILIES.values():
        found = relearns_for(family, {p.component for p in family.parts}, True)
        assert len({t.id for t in found}) == len(found) and relearn_of(family) in found


def test_every_relearn_has_a_test_of_success_and_says_what_failure_means() -> None:
    asked_for = {"throttle_guided", "throttle_manual", "cable_none", "memory_reset", "runner_flap_adaptation", "egr_valve_zero", "fuel_venting", "particulate_burn_off",
                 "coolant_bleed_and_watch", "differential_zero", "readiness_drive"}  # fmt: skip
    assert asked_for <= RELEARNS.keys()
    for template in RELEARNS.values():
        assert template.success and template.failure and template.conditions and template.phases
        assert all(p.hold_minutes > 0 and p.normal for p in template.phases)
    watch = RELEARNS["coolant_bleed_and_watch"]
    assert watch.attended_minutes < sum(p.hold_minutes for p in watch.phases), "the cooling waits by itself"
