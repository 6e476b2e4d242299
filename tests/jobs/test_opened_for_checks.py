"""Checks, plan and card share one car: what a check opened is not opened twice and stops no
start."""

from datetime import timedelta

import pytest

from galene.jobs import card, checks, evidence, intake, jobcard, plan, work
from galene.jobs.act import Act, find_job, revision
from galene.jobs.diagnosis import opened_of
from galene.jobs.errors import Invalid, Refused
from galene.store.models import Job
from tests.jobs.hands import finish_card, go_to, pass_

LOOKS = (
    ("A", "look_throttle", "throttle_body"),
    ("D", "runner_sweep_by_hand", "runner_actuator"),
    ("D", "look_egr_valve", "egr_valve"),
    ("E", "look_egr_dp_ports", "egr_dp_sensor"),
    ("F", "blow_through_crankcase_hose", "crankcase_pressure_sensor"),
)


def opened(act: Act, family: str, plate: str) -> str:
    vehicle = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate=plate,
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family=family,
            keeper="the shed",
        ),
    )
    number = intake.open_job(act, vehicle, "it shakes").number
    find_job(act.db, number).before_missing_reason = "came on a trailer"
    return number


def to_card(act: Act, number: str, part: str) -> Job:
    evidence.save_inspection(act, number, "before", part_id=part, deposit="soot", grade=3)
    job = plan.save_plan(act, number, [part], extra_spares=[], seen=0)
    plan.approve_plan(act, number, job.plans[0].version, who="the keeper")
    work.begin_work(act, number, 18, humidity=0.5, seen=0)
    return jobcard.check_pick(act, number, {})


@pytest.mark.parametrize(("family", "check", "part"), LOOKS)
def test_what_a_check_left_open_is_the_cards_to_close(
    odd: Act, family: str, check: str, part: str
) -> None:
    number = opened(odd, family, f"CK-{family}{check[-3:]}")
    checks.open_for(odd, number, check)
    job = checks.open_for(odd, number, check)
    stands = opened_of(job)
    assert stands and len({i.key for i in job.items}) == len(job.items), "twice is harmless"
    job = to_card(odd, number, part)
    ahead = [s.document for s in job.steps if s.done_at is None]
    assert not {s.opening for s in ahead if s.opening} & set(stands), "nothing is opened twice"
    assert {s.closing for s in ahead} >= set(stands)
    finish_card(odd, job)
    assert job.engine_started_at and card.first_left(job) is None
    assert all(i.closed_at for i in job.items if not i.key.startswith("hand:"))


@pytest.mark.parametrize(("family", "check", "part"), LOOKS)
def test_what_was_closed_again_is_as_it_came(odd: Act, family: str, check: str, part: str) -> None:
    number = opened(odd, family, f"CL-{family}{check[-3:]}")
    checks.open_for(odd, number, check)
    job = checks.close_after(odd, number)
    assert not opened_of(job) and not checks.stands_open(job)
    assert all(i.closed_at for i in job.items if not i.key.startswith("hand:"))
    finish_card(odd, to_card(odd, number, part))
    assert job.engine_started_at


def test_a_check_in_the_middle_of_a_card_opens_for_the_card(odd: Act) -> None:
    number = opened(odd, "D", "CM-1")
    job = to_card(odd, number, "boost_sensor")
    pass_(odd, job, go_to(odd, job, "ignition"))
    checks.open_for(odd, number, "look_filter")
    closing = [s.document.closing for s in job.steps if s.done_at is None]
    assert "air_box_open" in closing
    with pytest.raises(Refused):
        checks.close_after(odd, number)
    finish_card(odd, job)
    assert all(i.closed_at for i in job.items)


def test_a_second_round_begins_with_what_was_opened_since(odd: Act) -> None:
    number = opened(odd, "A", "CR-1")
    job = to_card(odd, number, "maf_sensor")
    finish_card(odd, job)
    checks.open_for(odd, number, "look_throttle")
    assert opened_of(job)
    again = plan.save_plan(
        odd, number, ["throttle_body"], extra_spares=[], seen=revision(job, "plan")
    )
    plan.approve_plan(odd, number, again.plans[0].version, who="the keeper")
    work.begin_work(odd, number, 18, humidity=0.5, seen=revision(job, "work"))
    jobcard.check_pick(odd, number, {})
    ahead = [s.document for s in job.steps if s.done_at is None]
    assert "intake_tube_off" not in {s.opening for s in ahead}
    assert "intake_tube_off" in {s.closing for s in ahead}


def test_work_through_the_shut_engine_says_what_lies_open(odd: Act) -> None:
    number = opened(odd, "D", "CS-1")
    checks.open_for(odd, number, "look_filter")
    evidence.save_inspection(odd, number, "before", part_id="egr_valve", deposit="soot", grade=2)
    with pytest.raises(Invalid) as found:
        plan.save_plan(odd, number, ["egr_valve"], extra_spares=[], seen=0)
    assert "close it first" in found.value.fields["parts"]
    job = checks.close_after(odd, number)
    seen = revision(job, "plan")
    assert plan.save_plan(odd, number, ["egr_valve"], extra_spares=[], seen=seen).plans


def test_what_was_opened_for_a_check_is_no_tick_to_undo(odd: Act) -> None:
    number = opened(odd, "A", "CU-1")
    checks.open_for(odd, number, "look_throttle")
    odd.now += timedelta(minutes=1)
    job = to_card(odd, number, "throttle_body")
    last = max((s for s in job.steps if s.done_at), key=lambda s: s.position)
    with pytest.raises(Refused, match="not a tick"):
        jobcard.untick(odd, number, last.id)
