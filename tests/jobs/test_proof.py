"""What a job proves: tests run again change no diagnosis, and what it was may be much."""

from datetime import timedelta
from typing import Any

import pytest

from galene.core.jobcard.job_records import ConfirmedCause, Handover
from galene.jobs import checks, evidence, handover, intake, learning, logs, prove, work
from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid, Refused
from galene.jobs.handover import BROKEN, ItWas
from galene.jobs.proof import causes_to_prove, told_of
from galene.store.models import Job, Vehicle
from galene.store.repositories import vehicles
from tests.jobs.hands import begun, do, finish_card, go_to, pass_

FLOW: dict[str, Any] = {
    "displacement_l": 2.9,
    "volumetric_efficiency": 0.72,
    "intake_c": 38,
    "ambient_kpa": 101,
    "closed": {"map_kpa": 34, "rpm": 690},
    "open": {"map_kpa": 36, "rpm": 688},
    "exhaust_kpa": 103,
    "exhaust_c": 190,
    "reference_area_mm2": 32,
}
OPEN: dict[str, Any] = {**FLOW, "open": {"map_kpa": 85, "rpm": 520}}


def observed(job: Job) -> dict[str, tuple[str, float]]:
    return {o.evidence: (o.state, o.confidence) for o in job.observations}


def test_a_test_after_the_work_proves_it_and_leaves_the_diagnosis(odd: Act) -> None:
    job = begun(odd, "B", "egr_passage")
    with pytest.raises(Invalid):
        checks.look_after(odd, job.number, "look_egr_passage", results={"hose_clear": "present"})
    checks.keep_check(odd, job.number, "egr_flow_test", given=FLOW)
    found = observed(job)
    assert found["egr_test_area_small"][0] == "present"
    assert "egr_passage_plugged" in causes_to_prove(job, 70.0)
    odd.now += timedelta(hours=2)
    checks.keep_check(odd, job.number, "egr_flow_test", given=OPEN, phase="after")
    checks.look_after(
        odd, job.number, "look_egr_passage", results={"egr_passage_blocked_seen": "absent"}
    )
    assert observed(job) == found, "the diagnosis stays as it was found"
    proof = told_of(odd.db, job).proof
    said = {t.test: t.verdict for t in proof.tests}
    assert said["egr_flow_test"] == "passed" and said["look_egr_passage"] == "passed"
    assert [k.phase for k in checks.results_of(odd.db, job, "egr_flow_test", phase="after")] == [
        "after"
    ]


def test_no_test_after_the_work_before_there_is_work(odd: Act) -> None:
    job = begun(odd, "B", "egr_passage")
    job.work_began_at = None
    with pytest.raises(Refused, match="Not after the work"):
        checks.keep_check(odd, job.number, "egr_flow_test", given=OPEN, phase="after")


def test_what_proved_an_earlier_round_is_how_the_next_one_finds_the_car(odd: Act) -> None:
    job = begun(odd, "B", "egr_passage")
    checks.keep_check(odd, job.number, "egr_flow_test", given=FLOW)
    odd.now += timedelta(hours=1)
    checks.keep_check(odd, job.number, "egr_flow_test", given=OPEN, phase="after")
    assert told_of(odd.db, job).proof.tests[0].verdict == "passed"
    job.work_began_at = odd.now + timedelta(hours=1)
    assert told_of(odd.db, job).proof.tests == ()


def test_key_on_after_the_work_is_a_side_of_its_own(odd: Act) -> None:
    job = begun(odd, "C", "map_sensor")
    evidence_before = observed(job)
    go_to(odd, job, "after_set")
    readings = {"map_sensor": 100.1, "boost_sensor": 100.4}
    evidence.save_key_on(odd, job.number, readings, barometer_kpa=100.2, seen=0, phase="after")
    assert observed(job) == evidence_before
    told = told_of(odd.db, find_job(odd.db, job.number))
    assert [t.verdict for t in told.proof.tests if t.test == "key_on_agreement"] == ["passed"]


@pytest.mark.parametrize(
    "it_was",
    [
        ItWas(),
        ItWas(causes=(ConfirmedCause(id="gremlins"),)),
        ItWas(causes=(ConfirmedCause(id="doser_fouled"),)),
        ItWas(causes=(ConfirmedCause(id="maf_dust", found="a hunch"),)),
        ItWas(causes=(ConfirmedCause(id="maf_dust"), ConfirmedCause(id="maf_dust"))),
    ],
)
def test_what_it_can_not_have_been(odd: Act, it_was: ItWas) -> None:
    job = begun(odd, "A", "maf_sensor")
    with pytest.raises(Invalid):
        handover.save_handover(odd, job.number, it_was, advice="", fed=False, seen=0)
    assert not job.handover.said


def test_many_causes_and_words_and_only_found_things_train(odd: Act) -> None:
    job = begun(odd, "A", "maf_sensor", "throttle_body")
    things = handover.found_things(odd.db, job)
    assert things[:2] == ["Air meter: grade 2", "Throttle body: grade 2"] and things[-1] == BROKEN
    it_was = ItWas(
        causes=(
            ConfirmedCause(id="maf_dust", found=things[0]),
            ConfirmedCause(id="throttle_deposit"),
        ),
        words="a mouse in the air box",
    )
    handover.save_handover(odd, job.number, it_was, advice="", fed=False, seen=0)
    assert job.handover.confirmed == {"maf_dust"}
    assert causes_to_prove(job, 70.0) == ("maf_dust", "throttle_deposit")
    job.state, job.finished_at = "finished", odd.now
    odd.db.flush()
    before = len(learning.confirmed_jobs(odd.db))
    unsure = ItWas(causes=it_was.causes, unsure=True)
    job.state = "open"
    seen = 1
    handover.save_handover(odd, job.number, unsure, advice="", fed=False, seen=seen)
    job.state = "finished"
    odd.db.flush()
    assert len(learning.confirmed_jobs(odd.db)) == before - 1


def test_what_nobody_knows_is_not_proven_and_own_words_are_by_the_road(odd: Act) -> None:
    job = begun(odd, "A", "maf_sensor")
    while (row := work.current_step(job)) is not None:
        do(odd, job, row)
    words = ItWas(words="a mouse in the air box")
    handover.save_handover(odd, job.number, words, advice="", fed=False, seen=0)
    told = told_of(odd.db, job)
    assert [c.title for c in told.causes] == ["a mouse in the air box"]
    assert told.proof.verdict == "proven" and "mouse" in told.proof.headline
    handover.save_handover(odd, job.number, ItWas(unsure=True), advice="", fed=False, seen=1)
    proof = told_of(odd.db, job).proof
    assert proof.verdict == "better_to_confirm" and proof.missing == ("cause",)
    assert "Still to come: what it was" in proof.headline


def test_monitors_that_have_not_run_are_still_to_come(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body")
    go_to(odd, job, "pending")
    prove.read_pending(odd, job.number, "", seen=0, monitors_ready=False)
    assert job.monitors_ready is False


def pull_csv(reached: float) -> bytes:
    """A log of a pull that reaches this share of its command."""
    rows = ["Time (s),Boost pressure (kPa),Desired boost pressure (kPa),Engine speed (rpm)"]
    for k in range(160):
        t = k * 0.1
        target = 101.0 if t < 3 else 215.0
        rows.append(f"{t:.1f},{101.0 if t < 3 else reached * target:.1f},{target:.1f},{1800 + k}")
    return "\n".join(rows).encode()


def test_logs_before_and_after_prove_the_charge_pressure(odd: Act) -> None:
    number = intake.open_job(odd, vehicle_d(odd), "no power").number
    first = logs.take_in(odd, number, "before.csv", data=pull_csv(0.8))
    assert {"boost_kpa", "boost_command_kpa"} <= first.mapping.channels.keys()
    job = find_job(odd.db, number)
    job.handover = Handover(causes=(ConfirmedCause(id="boost_leak"),))
    assert not any(t.test == "charge_pressure" for t in told_of(odd.db, job).proof.tests)
    job.work_began_at = odd.now + timedelta(minutes=1)
    odd.now += timedelta(minutes=30)
    logs.take_in(odd, number, "after.csv", data=pull_csv(0.99))
    told = next(t for t in told_of(odd.db, job).proof.tests if t.test == "charge_pressure")
    assert told.verdict == "passed" and "80" in told.text and "99" in told.text
    odd.now += timedelta(minutes=30)
    logs.take_in(odd, number, "again.csv", data=pull_csv(0.82))
    told = next(t for t in told_of(odd.db, job).proof.tests if t.test == "charge_pressure")
    assert told.verdict != "passed"


def vehicle_d(act: Act) -> Vehicle:
    found = vehicles.by_key(act.db, "QN260")
    assert found is not None
    return found


def test_two_runs_of_a_test_that_contradict_each_other_are_said(odd: Act) -> None:
    job = begun(odd, "B", "egr_passage")
    checks.keep_check(odd, job.number, "egr_flow_test", given=FLOW)
    finish_card(odd, job)
    for given in (FLOW, OPEN):
        odd.now += timedelta(minutes=10)
        checks.keep_check(odd, job.number, "egr_flow_test", given=given, phase="after")
    proof = told_of(odd.db, job).proof
    assert proof.verdict != "proven"
    assert any(m.startswith("open:“Recirculation flow test” once more") for m in proof.missing)


def test_nothing_is_proven_while_the_coolant_stands_low(odd: Act, maren: Act) -> None:
    job = begun(odd, "D", "boost_sensor", plate="LO-1")
    pass_(odd, job, go_to(odd, job, "boost_sensor:level"), level="no")
    maren.now = odd.now
    work.resolve(maren, job.number, "topped up, no loss found on the pressure test")
    finish_card(odd, job)
    missing = told_of(odd.db, job).proof.missing
    assert "open:the coolant at its mark, and where it went" in missing
