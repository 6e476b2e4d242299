"""The seven stages by their use cases: a job from end to end, and what each stage refuses."""

from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.jobcard.job_records import ConfirmedCause, SetConditions
from galene.demo.engine import EngineState, idle_samples, trim_samples
from galene.jobs import (
    diagnosis,
    evidence,
    gates,
    handover,
    intake,
    jobcard,
    plan,
    planning,
    prove,
    stages,
    waits,
    work,
)
from galene.jobs.act import Act, find_job, revision
from galene.jobs.errors import Invalid, NotAllowed, Refused
from galene.jobs.planning import planned, policy_of, works_of
from galene.jobs.proof import symptoms_of, told_of
from galene.jobs.today import board
from galene.jobs.workshop import WorkshopForm, save_workshop
from galene.knowledge.families import FAMILIES
from galene.knowledge.policy import DEFAULT_POLICY
from galene.store.models import AuditEntry, Workshop
from tests.conftest import demo_jobs, person
from tests.jobs.hands import begun, go_to, learn, pass_

A = FAMILIES["A"]
WARM = SetConditions(coolant_c=90.0, intake_c=20.0)


def job_at(db: Session, stage: str) -> str:
    return demo_jobs(db)[stage]


@pytest.fixture
def fresh(odd: Act) -> str:
    """A new job of a new vehicle with its intake done."""
    vehicle = intake.add_vehicle(
        odd,
        intake.NewVehicle(
            plate="TS-900",
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family="A",
            keeper="the shed",
        ),
    )
    job = intake.open_job(odd, vehicle, "shakes at the lights")
    intake.save_intake(
        odd,
        job.number,
        intake.IntakeForm(
            complaint="shakes at the lights",
            distance_km=120000,
            bulletins_source="list",
            bulletins_outcome="none",
        ),
        seen=0,
    )
    return job.number


def measured(
    act: Act, number: str, phase: str, *, state: EngineState, rpm: float = 740, seed: int = 1
) -> None:
    evidence.save_readings(
        act,
        number,
        phase,
        kind="idle",
        values=idle_samples(A, state, seed, rpm=rpm),
        conditions=WARM,
        seen=revision(find_job(act.db, number), f"readings_{phase}_idle"),
    )


def present(act: Act, number: str) -> dict[str, str]:
    return {o.evidence: o.state for o in find_job(act.db, number).observations}


def to_work(act: Act, number: str, parts: list[str]) -> None:
    for stage in ("intake", "evidence", "diagnosis"):
        stages.advance(act, number, stage)
    plan.save_plan(act, number, parts, extra_spares=[], seen=0)
    plan.approve_plan(act, number, 1, who="the keeper")
    stages.advance(act, number, "plan")
    work.begin_work(act, number, 18, humidity=0.5, seen=0)
    jobcard.check_pick(act, number, {})


def test_from_intake_to_a_signed_handover(odd: Act, maren: Act, fresh: str) -> None:
    fouled = EngineState(deposit_mm=0.09, roughness_rpm=15)
    intake.tap(odd, fresh, "rough_idle", was="unknown", state="present")
    intake.add_codes(odd, fresh, "p0506")
    measured(odd, fresh, "before", state=fouled, rpm=716)
    assert present(odd, fresh)["learned_opening_high"] == "present"
    assert diagnosis.assess_job(find_job(odd.db, fresh), 70).causes[0].id == "throttle_deposit"
    to_work(odd, fresh, ["throttle_body"])
    job = find_job(odd.db, fresh)
    go_to(odd, job, "clear")
    stages.advance(odd, fresh, "work")
    go_to(odd, job, "after_set")
    assert prove.relearns_done(job) == {"throttle_manual": "learned"}
    measured(odd, fresh, "after", state=EngineState(roughness_rpm=6), rpm=740, seed=2)
    proof = told_of(odd.db, find_job(odd.db, fresh)).proof
    assert proof.verdict == "better_to_confirm" and proof.missing == ("drive",)
    with pytest.raises(Invalid):
        prove.save_road_test(odd, fresh, 12, notes="calm", complaint_gone="gone", seen=0)
    prove.save_road_test(odd, fresh, 12, notes="calm", symptoms={"rough_idle": "gone"}, seen=0)
    prove.read_pending(odd, fresh, "", seen=0)
    stages.advance(odd, fresh, "prove")
    shown = ConfirmedCause(id="throttle_deposit", found=handover.BROKEN)
    it_was = handover.ItWas(causes=(shown,))
    handover.save_handover(odd, fresh, it_was, advice="", fed=False, seen=0)
    with pytest.raises(NotAllowed):
        handover.sign(odd, fresh)
    job = handover.sign(maren, fresh)
    look = job.handover.next_look
    assert job.state == "finished" and look and look.part == "throttle_body"
    assert job.distance_km and job.distance_km < look.low < look.at < look.high
    assert job.proof.verdict == "proven" and job.proof.missing == ()


def test_vehicles_are_found_by_two_signs_and_refused_twice(odd: Act) -> None:
    assert [v.plate for v in intake.find_vehicles(odd.db, "qn 1")] == [
        "QN-114",
        "QN-118",
        "QN-121",
        "QN-124",
        "QN-152",
    ]
    assert intake.find_vehicles(odd.db, "%") == []
    for wrong, field in (
        (intake.NewVehicle(plate="QN 114", model="x", family="A"), "plate"),
        (intake.NewVehicle(plate="ZZ-1", model="x", family="Q"), "family"),
        (intake.NewVehicle(plate="ZZ-1", model="", family="A"), "model"),
        (intake.NewVehicle(plate="ZZ-1", model="x", family="A", year="1066"), "year"),
        (intake.NewVehicle(plate="!", model="x", family="A"), "plate"),
    ):
        with pytest.raises(Invalid) as fault:
            intake.add_vehicle(odd, wrong)
        assert field in fault.value.fields


def test_intake_refuses_what_can_not_be(odd: Act) -> None:
    number = job_at(odd.db, "intake")
    seen = revision(find_job(odd.db, number), "intake")
    for form, field in (
        (intake.IntakeForm(complaint=""), "complaint"),
        (intake.IntakeForm(complaint="x", distance_km=-1), "distance"),
        (intake.IntakeForm(complaint="x", distance_km=500), "distance"),
        (intake.IntakeForm(complaint="x", hours=1e9), "hours"),
        (intake.IntakeForm(complaint="x", oil="plenty"), "oil"),
        (intake.IntakeForm(complaint="x", bulletins_outcome="one open"), "bulletins_source"),
        (intake.IntakeForm(complaint="x" * 5000), "complaint"),
        (intake.IntakeForm(complaint="nul \x00"), "complaint"),
    ):
        with pytest.raises(Invalid) as fault:
            intake.save_intake(odd, number, form, seen=seen)
        assert field in fault.value.fields


def test_codes_become_evidence_and_go_with_their_code(odd: Act, fresh: str) -> None:
    intake.add_codes(odd, fresh, "P0171 pending, P0506")
    job = find_job(odd.db, fresh)
    assert {o.evidence: o.confidence for o in job.observations} == {
        "code_lean": 0.8,
        "code_idle_low": 1.0,
    }
    intake.remove_code(odd, fresh, "P0171")
    assert set(present(odd, fresh)) == {"code_idle_low"}
    for wrong in ("P9999", "nothing here", ""):
        with pytest.raises(Invalid):
            intake.add_codes(odd, fresh, wrong)


def test_readings_become_evidence_through_the_calculations(odd: Act, fresh: str) -> None:
    measured(odd, fresh, "before", state=EngineState(leak_g_s=0.6))
    evidence.save_readings(
        odd,
        fresh,
        "before",
        kind="trim",
        values=trim_samples(A, EngineState(leak_g_s=0.6), 3),
        conditions=WARM,
        seen=0,
    )
    seen = present(odd, fresh)
    assert seen["trim_leak_shape"] == "present" and seen["learned_opening_high"] == "absent"
    evidence.save_inspection(
        odd, fresh, "before", part_id="throttle_body", deposit="varnish", grade=3
    )
    assert present(odd, fresh)["look_throttle_clean"] == "absent"
    evidence.save_inspection(odd, fresh, "before", part_id="throttle_body", deposit="", grade=0)
    assert present(odd, fresh)["look_throttle_clean"] == "present"
    evidence.save_key_on(
        odd, fresh, {"map_sensor": 93.0, "barometric_sensor": 101.2}, barometer_kpa=101.1, seen=0
    )
    assert present(odd, fresh)["key_on_one_off:map_sensor"] == "present"


def test_a_cold_engine_is_not_judged_by_its_warm_bands(odd: Act, fresh: str) -> None:
    evidence.save_readings(
        odd,
        fresh,
        "before",
        kind="idle",
        values=idle_samples(A, EngineState(deposit_mm=0.1), 1),
        conditions=SetConditions(coolant_c=40.0),
        seen=0,
    )
    assert "learned_opening_high" not in present(odd, fresh)


@pytest.mark.parametrize(
    ("values", "conditions", "field"),
    [
        ({}, WARM, "rows"),
        ({"idle_rpm": [None, None]}, WARM, "rows"),
        ({"idle_rpm": [740.0, 99999.0]}, WARM, "idle_rpm.1"),
        ({"idle_rpm": [740.0, None], "idle_map_kpa": [33.0, 33.0]}, WARM, "idle_rpm.1"),
        ({"idle_rpm": [740.0], "idle_map_kpa": [-3.0]}, WARM, "idle_map_kpa.0"),
        ({"idle_rpm": [740.0]}, SetConditions(coolant_c=300.0), "coolant_c"),
        (
            {"idle_rpm": [740.0]},
            SetConditions(coolant_c=90.0, intake_c=None, load=("jacuzzi",)),
            "load",
        ),
    ],
)
def test_impossible_readings_are_named_by_row(
    odd: Act, fresh: str, values: dict, conditions: SetConditions, field: str
) -> None:
    with pytest.raises(Invalid) as fault:
        evidence.save_readings(
            odd, fresh, "before", kind="idle", values=values, conditions=conditions, seen=0
        )
    assert field in fault.value.fields


def test_the_before_rule(odd: Act, fresh: str) -> None:
    with pytest.raises(Refused, match="before set"):
        prove.clear_codes(odd, fresh)
    with pytest.raises(Refused, match="idle readings"):
        stages.advance(odd, fresh, "intake")
        stages.advance(odd, fresh, "evidence")
    evidence.set_before_missing(odd, fresh, "towed in, does not run", seen=0)
    with pytest.raises(Refused, match="the card comes first"):
        prove.clear_codes(odd, fresh)
    to_work(odd, fresh, ["maf_sensor"])
    with pytest.raises(Refused, match="before set is closed"):
        measured(odd, fresh, "before", state=EngineState())
    with pytest.raises(Refused, match="not been started"):
        measured(odd, fresh, "after", state=EngineState())


def test_the_plan_stops_at_danger(odd: Act, fresh: str) -> None:
    with pytest.raises(Invalid):
        plan.save_plan(odd, fresh, [], extra_spares=[], seen=0)
    with pytest.raises(Invalid):
        plan.save_plan(odd, fresh, ["egr_valve"], extra_spares=[], seen=0)
    evidence.save_inspection(
        odd, fresh, "before", part_id="throttle_body", deposit="coolant_residue", grade=2
    )
    with pytest.raises(Refused, match="coolant"):
        plan.save_plan(odd, fresh, ["throttle_body"], extra_spares=[], seen=0)
    find_job(odd.db, fresh).vehicle.hazards = ["hybrid"]
    with pytest.raises(Refused, match="qualified"):
        plan.save_plan(odd, fresh, ["maf_sensor"], extra_spares=[], seen=0)


def test_the_plan_adds_up(odd: Act, fresh: str) -> None:
    measured(odd, fresh, "before", state=EngineState())
    evidence.save_inspection(
        odd, fresh, "before", part_id="throttle_body", deposit="varnish", grade=3
    )
    document = (
        plan.save_plan(
            odd, fresh, ["throttle_body", "maf_sensor"], extra_spares=["hose_clamp"], seen=0
        )
        .plans[0]
        .document
    )
    bill = document.bill
    spares, agents = sum(s.price or 0 for s in bill.spares), sum(a.price for a in bill.agents)
    assert document.price == pytest.approx(bill.labour + bill.proof_labour + spares + agents)
    assert {s.id for s in bill.spares} == {
        "throttle_seal",
        "hose_clamp",
    }, "grade 3 comes off the engine and gets its seal"
    assert document.elapsed_minutes >= document.hands_minutes
    assert document.parts[0].where == "laid aside", (
        "on its coolant hoses: no coolant is lost for a throttle"
    )
    with pytest.raises(Refused, match="newer version"):
        plan.approve_plan(odd, fresh, 0, who="the keeper")
    with pytest.raises(Invalid):
        plan.approve_plan(odd, fresh, 1, who=" ")


def test_the_card_keeps_order_cautions_records_and_waits(odd: Act, fresh: str) -> None:
    measured(odd, fresh, "before", state=EngineState())
    to_work(odd, fresh, ["maf_sensor"])
    steps = {s.document.id: s for s in find_job(odd.db, fresh).steps}
    with pytest.raises(Refused, match="Not this step yet"):
        jobcard.tick(odd, fresh, steps["open:meter_out"].id, records={})
    for key in ("secure", "ignition", "open:meter_out"):
        jobcard.tick(odd, fresh, steps[key].id, records={})
    assert {i.what for i in gates.open_items(find_job(odd.db, fresh))} == {
        "Air meter connector",
        "Air meter screws",
        "Tape over the port of: air meter",
        "Tape over the port of: intake temperature sensor",
    }
    with pytest.raises(Invalid) as fault:
        jobcard.tick(odd, fresh, steps["maf_sensor:look"].id, records={"grade_before": "3"})
    assert set(fault.value.fields) == {"maf_sensor:look/grade_before", "maf_sensor:look/whole"}
    jobcard.tick(
        odd,
        fresh,
        steps["maf_sensor:look"].id,
        records={"grade_before": "2", "grade_before_deposit": "dust", "whole": "yes"},
    )
    with pytest.raises(Refused, match="caution"):
        jobcard.tick(odd, fresh, steps["maf_sensor:spray"].id, records={})
    jobcard.acknowledge(odd, fresh, "fire")
    jobcard.tick(odd, fresh, steps["maf_sensor:spray"].id, records={})
    with pytest.raises(Refused, match="Too early") as early:
        jobcard.tick(
            odd,
            fresh,
            steps["maf_sensor:check"].id,
            records={"grade_after": "0", "moisture": "yes"},
        )
    assert early.value.override
    with pytest.raises(Refused, match="Do not start"):
        gates.start_engine(odd, fresh)
    jobcard.tick(
        odd,
        fresh,
        steps["maf_sensor:check"].id,
        records={"grade_after": "0", "moisture": "yes"},
        early_reason="warm air, looked bone dry",
    )
    assert next(
        s for s in find_job(odd.db, fresh).steps if s.document.id == "maf_sensor:check"
    ).early_reason.startswith("warm air")


def test_undo_takes_back_what_the_tick_did(odd: Act) -> None:
    number = job_at(odd.db, "work")
    last = [s for s in find_job(odd.db, number).steps if s.done_at][-1]
    first = next(s for s in find_job(odd.db, number).steps if s.done_at)
    with pytest.raises(Refused, match="last tick"):
        jobcard.untick(odd, number, first.id)
    assert len(waits.running_waits(find_job(odd.db, number), odd.now)) == 1
    jobcard.untick(odd, number, last.id)
    assert waits.running_waits(find_job(odd.db, number), odd.now) == []
    step = work.current_step(find_job(odd.db, number))
    assert step is not None and step.id == last.id


def test_the_first_start_is_gated_and_only_a_foreman_overrides(odd: Act, maren: Act) -> None:
    number = job_at(odd.db, "work")
    with pytest.raises(Refused) as why:
        gates.start_engine(odd, number, "I am in a hurry")
    assert any("Air meter connector" in r for r in why.value.reasons)
    job = gates.start_engine(maren, number, "test run with the spare meter fitted")
    assert job.gates["start"].by and job.engine_started_at


def stands(act: Act, number: str, word: str) -> dict[str, str]:
    """Every symptom of the complaint standing alike."""
    return dict.fromkeys(symptoms_of(find_job(act.db, number)), word)


def test_hand_written_items_hold_the_gate_too(odd: Act) -> None:
    number = job_at(odd.db, "prove")
    for what, kind, before in (
        ("x" * 121, "connector", "start"),
        ("x", "banana", "start"),
        ("x", "connector", "never"),
    ):
        with pytest.raises(Invalid):
            jobcard.add_item(odd, number, what, kind=kind, before=before)
    jobcard.add_item(odd, number, "Lamp on the strut", kind="tool inside", before="road test")
    with pytest.raises(Refused, match="Lamp"):
        prove.save_road_test(odd, number, 5, notes="", symptoms=stands(odd, number, "gone"), seen=0)
    item = gates.open_items(find_job(odd.db, number))[0]
    jobcard.close_item(odd, number, item.key)
    assert item.looked_by and item.closed_at is None, (
        "inside the engine: the first look does not close it"
    )
    with pytest.raises(Refused, match="Lamp"):
        prove.save_road_test(odd, number, 5, notes="", symptoms=stands(odd, number, "gone"), seen=0)
    jobcard.close_item(odd, number, item.key)
    prove.save_road_test(odd, number, 5, notes="", symptoms=stands(odd, number, "gone"), seen=0)


def test_pending_codes_wait_for_the_road_and_spoil_the_verdict(odd: Act) -> None:
    number = job_at(odd.db, "prove")
    with pytest.raises(Refused, match="Road test first"):
        prove.read_pending(odd, number, "", seen=0)
    prove.save_road_test(odd, number, 8, notes="", symptoms=stands(odd, number, "same"), seen=0)
    prove.read_pending(odd, number, "p0506 pending", seen=0)
    proof = told_of(odd.db, find_job(odd.db, number)).proof
    assert proof.verdict == "not_better" and "code:P0506" in proof.missing
    assert "as it was" in proof.headline


def test_a_job_that_goes_back_gets_a_second_round(odd: Act) -> None:
    number = job_at(odd.db, "prove")
    with pytest.raises(Invalid):
        stages.go_back(odd, number, "plan", reason="")
    with pytest.raises(Refused):
        stages.go_back(odd, number, "handover", reason="forward is not back")
    stages.go_back(odd, number, "plan", reason="idle still rough, meter next")
    plan.save_plan(odd, number, ["maf_sensor"], extra_spares=[], seen=1)
    plan.approve_plan(odd, number, 2, who="the keeper")
    before = len(find_job(odd.db, number).steps)
    stages.advance(odd, number, "plan")
    work.begin_work(odd, number, 18, humidity=0.5, seen=revision(find_job(odd.db, number), "work"))
    job = find_job(odd.db, number)
    assert len(job.steps) > before and job.engine_started_at is None
    again = work.begin_work(odd, number, 18, humidity=0.5, seen=0)
    assert len(again.steps) == len(job.steps), "begun twice is begun once"


def test_today_says_what_is_next(odd: Act) -> None:
    standings = {s.job.stage: s for s in board(odd.db, odd.now)}
    assert standings["prove"].do == "Drive the road test"
    assert standings["work"].do == "Wait: air meter drying" and standings["work"].open_count == 4
    assert standings["intake"].place == "evidence"
    assert [s.urgency for s in board(odd.db, odd.now)] == sorted(
        s.urgency for s in board(odd.db, odd.now)
    )


def test_settings_belong_to_the_foreman(odd: Act, maren: Act) -> None:
    form = WorkshopForm(
        system="imperial",
        name="Shed",
        currency="mk",
        bays=["slip bay"],
        hourly_rate=80,
        off_road_per_day=200,
        minutes_by="book",
        fuel_price=1.7,
        due_by="grade",
        altitude_m=12,
        bay_temperature_c=15,
        bay_humidity=0.6,
        policy=dict(DEFAULT_POLICY),
    )
    with pytest.raises(NotAllowed):
        save_workshop(odd, form, 1)
    assert save_workshop(maren, form, 1).system == "imperial"
    with pytest.raises(Invalid) as fault:
        save_workshop(
            maren,
            WorkshopForm(
                system="cubits",
                name="Shed",
                currency="mk",
                bays=[],
                hourly_rate=-1,
                off_road_per_day=200,
                minutes_by="book",
                fuel_price=1.7,
                due_by="grade",
                altitude_m=12,
                bay_temperature_c=15,
                bay_humidity=0.6,
                policy={**DEFAULT_POLICY, "C": "hope"},
            ),
            2,
        )
    assert set(fault.value.fields) == {"system", "hourly_rate", "school_C"}
    assert maren.db.get_one(Workshop, 1).hourly_rate == 80


def test_a_job_follows_another_school_with_a_reason(odd: Act, fresh: str) -> None:
    shop = odd.db.get_one(Workshop, 1)
    for letter, choice, reason, field in (
        ("Z", "x", "because", "school"),
        ("F", "sideways", "because", "school"),
        ("F", "always_off", "no", "reason"),
    ):
        with pytest.raises(Invalid) as fault:
            plan.override_school(odd, fresh, letter, choice=choice, reason=reason, seen=0)
        assert set(fault.value.fields) == {field}
    scope = works_of(find_job(odd.db, fresh), ["throttle_body"])
    before = planned(find_job(odd.db, fresh), scope, shop).document
    job = plan.override_school(
        odd, fresh, "F", choice="always_off", reason="the seal weeps anyway", seen=0
    )
    after = planned(job, scope, shop).document
    assert before.parts[0].where == "on the engine" and after.parts[0].where == "laid aside"
    assert (
        after.policy["F"] == "always_off"
        and "the seal weeps anyway" in after.sources["F"]
        and after.sources["C"] == "the shop"
    )
    assert (
        plan.override_school(odd, fresh, "F", choice="", reason="", seen=1).schools == {}
        and policy_of(job, shop)["F"] == "by_grade"
    )


def test_what_the_maker_says_stands_over_the_shop_and_under_the_job(
    odd: Act, fresh: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    job, shop = find_job(odd.db, fresh), odd.db.get_one(Workshop, 1)
    says = {"F": "always_on", "C": "fixed_hour"}
    monkeypatch.setattr(planning, "family_of", lambda _: replace(A, maker_says=says))
    assert (
        policy_of(job, shop)["F"] == "always_on"
        and planning.school_sources(job)["F"] == "the maker"
    )
    plan.override_school(
        odd, fresh, "F", choice="always_off", reason="the seal weeps anyway", seen=0
    )
    assert policy_of(job, shop)["F"] == "always_off" and policy_of(job, shop)["C"] == "fixed_hour"


def test_schools_that_advise_speak_by_distance_and_code(odd: Act, fresh: str) -> None:
    shop, job = odd.db.get_one(Workshop, 1), find_job(odd.db, fresh)

    def advice(part: str, distance: float, **schools: str) -> str:
        job.distance_km = distance
        policy = {**DEFAULT_POLICY, **schools}
        return planned(job, works_of(job, [part]), shop, policy=policy).document.parts[0].advice

    assert advice("maf_sensor", 90_000) == "" and advice("maf_sensor", 90_000, O="replace") == ""
    assert "School O" in advice("maf_sensor", 190_000, O="replace")
    intake.add_codes(odd, fresh, "P0101")
    assert "clean once" in advice("maf_sensor", 90_000) and "replace it at once" in advice(
        "maf_sensor", 90_000, B="replace"
    )


def test_a_part_that_no_agent_may_touch_is_only_looked_at(
    odd: Act, fresh: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    job, shop = find_job(odd.db, fresh), odd.db.get_one(Workshop, 1)
    forbidden = tuple(
        (
            replace(p, features=("electronic", "coated_bore", "hot_element"))
            if p.id == "throttle_body"
            else p
        )
        for p in A.parts
    )
    monkeypatch.setattr(planning, "family_of", lambda _: replace(A, parts=forbidden))
    found = planned(job, works_of(job, ["throttle_body"]), shop)
    part = found.document.parts[0]
    assert part.work == "inspect" and part.inspect_only and part.agent == ""
    assert not [s for s in found.plan.steps if s.agent], (
        "the card offers nothing that the rules forbid"
    )


def test_by_school_a_sensor_is_fitted_new(odd: Act, fresh: str) -> None:
    """Schools B and O lead to replacing: steps, spare and price are those of a new part."""
    shop, job = odd.db.get_one(Workshop, 1), find_job(odd.db, fresh)
    intake.add_codes(odd, fresh, "P0101")
    cleaned = planned(job, works_of(job, ["maf_sensor"]), shop)
    policy = {**DEFAULT_POLICY, "B": "replace"}
    fitted = planned(job, works_of(job, ["maf_sensor"]), shop, policy=policy)
    assert cleaned.document.parts[0].work == "clean" and fitted.document.parts[0].work == "replace"
    assert not [s for s in fitted.plan.steps if s.agent], "a new meter is never sprayed"
    assert [s.id for s in fitted.document.bill.spares] == ["maf_sensor"]
    assert fitted.document.price > cleaned.document.price + 100


def test_a_running_card_keeps_its_schools(odd: Act) -> None:
    number = demo_jobs(odd.db)["work"]
    with pytest.raises(Refused, match="begun"):
        plan.override_school(
            odd, number, "C", choice="fixed_hour", reason="we have the time", seen=0
        )


def test_several_relearns_are_run_one_after_another(odd: Act) -> None:
    """A diesel's cooler and valve: each learned or left out with a reason, in its order, or not at
    all."""
    job = begun(odd, "D", "egr_cooler", "egr_valve", grade=3)
    due = [t.id for t in prove.relearns_of(job)]
    assert due == [
        "egr_valve_zero",
        "coolant_bleed_and_watch",
        "memory_reset",
        "particulate_burn_off",
    ]
    with pytest.raises(Refused, match="Not this relearn yet"):
        prove.relearn_begin(odd, job.number, {}, shown=due[0])
    with pytest.raises(Refused, match="Not this relearn yet"):
        prove.relearn_skip(odd, job.number, "it works without")
    go_to(odd, job, "relearn:egr_valve_zero")
    prove.relearn_skip(odd, job.number, "the valve was not unplugged", shown=due[0])
    assert prove.relearns_done(job) == {due[0]: "the valve was not unplugged"}
    prove.relearn_begin(odd, job.number, {"filled": True, "heater": True}, shown=due[0])
    assert job.relearn.phase is None, "a second sending does not reach the next relearn"
    for template_id in due[1:]:
        go_to(odd, job, f"relearn:{template_id}")
        template = prove.template_of(job)
        assert template is not None and template.id == template_id
        with pytest.raises(Invalid):
            prove.relearn_begin(odd, job.number, {})
        prove.relearn_begin(odd, job.number, {c: True for c, _ in template.conditions})
        for k, phase in enumerate(template.phases):
            with pytest.raises(Refused, match="Hold on"):
                prove.relearn_next(odd, job.number, k)
            if phase.guards and k == 0:
                odd.now += timedelta(minutes=phase.hold_minutes / 2)
                prove.relearn_guard(odd, job.number, phase.guards[0].id, phase=k)
            odd.now += timedelta(minutes=phase.hold_minutes)
            prove.relearn_next(odd, job.number, k)
            prove.relearn_next(odd, job.number, k)
        prove.relearn_finish(odd, job.number, False)
        again = prove.template_of(job)
        assert job.relearn.outcome == "failed" and again is not None and again.id == template_id, (
            "what failed is begun again"
        )
        learn(odd, job)
    assert set(prove.relearns_done(job)) == set(due) and prove.due_relearn(job) is None


def test_the_card_is_changed_on_the_job_with_a_trace(odd: Act) -> None:
    job = begun(odd, "B", "throttle_body")
    first = job.steps[0]
    for text, minutes, field in (
        ("no", 5.0, "step_text"),
        ("tie the loom aside", None, "step_minutes"),
        ("tie the loom aside", 0.0, "step_minutes"),
    ):
        with pytest.raises(Invalid) as fault:
            work.add_step(odd, job.number, first.id, text=text, minutes=minutes)
        assert set(fault.value.fields) == {field}
    count = len(job.steps)
    work.add_step(odd, job.number, first.id, text="tie the loom aside", minutes=5.0)
    job = find_job(odd.db, job.number)
    assert len(job.steps) == count + 1 and job.steps[1].document.text == "tie the loom aside"
    with pytest.raises(Refused, match="Not this step yet"):
        jobcard.leave_out(odd, job.number, job.steps[1].id, reason="it holds by itself")
    pass_(odd, job, first)
    with pytest.raises(Invalid):
        jobcard.leave_out(odd, job.number, job.steps[1].id, reason="no")
    jobcard.leave_out(odd, job.number, job.steps[1].id, reason="it holds by itself")
    assert (
        job.steps[1].records.left_out == "it holds by itself" and job.steps[1].done_by is not None
    )
    jobcard.untick(odd, job.number, job.steps[1].id)
    assert job.steps[1].done_at is None and job.steps[1].records.left_out == ""
    jobcard.leave_out(odd, job.number, job.steps[1].id, reason="it holds by itself")
    with pytest.raises(Refused, match="behind us"):
        work.add_step(odd, job.number, first.id, text="look under the cover", minutes=2.0)
    odd.db.expire_all()
    job = find_job(odd.db, job.number)
    here = work.current_step(job)
    assert here is not None
    with pytest.raises(Refused, match="Making safe"):
        jobcard.leave_out(odd, job.number, here.id, reason="done by the owner before")
    opened = go_to(odd, job, "open:engine_cover")
    odd.person = person(odd.db, "maren")
    with pytest.raises(Refused, match="not left out"):
        jobcard.leave_out(odd, job.number, opened.id, reason="we will remember it")
    actions = list(odd.db.scalars(select(AuditEntry.action).where(AuditEntry.job_id == job.id)))
    assert "step_added" in actions and "step_left_out" in actions
