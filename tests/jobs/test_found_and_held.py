"""Finds of every kind on a running card, holds and who lifts them, parts that join in mid-card."""

import pytest

from galene.core.planning.verify import verify
from galene.jobs import found, gates, handover, intake, jobcard, plan, work
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, NotAllowed, Refused
from galene.jobs.planning import planned
from galene.jobs.rounds import rows_of_round
from galene.jobs.today import standing
from galene.knowledge.found import FOUND
from galene.knowledge.treatment import judged_use
from galene.store.models import Job, Workshop
from tests.jobs.hands import begun, finish_card, go_to, pass_, row_of


def holds(act: Act, job: Job) -> None:
    """The card from here on is a plan that the verifier takes."""
    made = planned(job, job.plans[0].document.works, act.db.get_one(Workshop, 1))
    assert verify(made.plan, family_of(job), job.card.start, judge=judged_use) == ()


def ids(job: Job) -> list[str]:
    return [r.document.id for r in rows_of_round(job)]


def find(act: Act, job: Job, kind: str, *, part: str = "throttle_body", **more: object) -> Job:
    one = FOUND[kind]
    retrieved = True if one.needs_retrieved else None
    minutes = 20.0 if one.own_words else None
    cost = 30.0 if one.needs_cost else None
    given = {"retrieved": retrieved, "minutes": minutes, **more}
    return found.report(act, job.number, kind, part=part, note="as it was seen", cost=cost, **given)


@pytest.mark.parametrize("kind", sorted(FOUND))
def test_every_find_changes_the_card_and_is_told(odd: Act, kind: str) -> None:
    one = FOUND[kind]
    # The family with flaps has no recirculation valve whose pintle could stick.
    family, more = ("C", "runner_actuator") if kind != "sticking_pintle" else ("B", "egr_valve")
    job = begun(odd, family, "throttle_body", more, plate=f"FD-{kind[:6]}")
    go_to(odd, job, "throttle_body:look")
    before, price = ids(job), job.plans[0].document.price
    job = find(odd, job, kind)
    if one.stops:
        assert job.card.held is not None
    else:
        assert ids(job) != before or job.plans[0].document.price != price
    note = job.plans[0].document.found[-1]
    assert note.kind == kind and note.note == "as it was seen"
    assert all(r.document.id in before for r in rows_of_round(job) if r.done_at)


def test_what_a_kind_does_not_ask_for_has_no_say(odd: Act) -> None:
    """A field that was filled in before another kind was chosen."""
    job = begun(odd, "A", "throttle_body", plate="FD-SAY")
    go_to(odd, job, "throttle_body:look")
    found.report(
        odd,
        job.number,
        "seized_clamp",
        part="",
        note="the wide clamp",
        cost=12.0,
        retrieved=False,
        minutes=90.0,
    )
    one = job.card.finds[-1]
    assert (one.retrieved, one.minutes, one.cost) == (None, 0.0, 12.0)


def test_what_lies_inside_forbids_cranking(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body", plate="FD-IN")
    go_to(odd, job, "throttle_body:look")
    job = find(odd, job, "dropped", retrieved=False)
    assert job.card.held is not None
    with pytest.raises(Refused):
        gates.start_engine(odd, job.number)
    assert not any(r.document.does.engine == "running" for r in rows_of_round(job) if not r.done_at)


def test_what_is_in_the_hand_again_does_not(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body", plate="FD-OUT")
    go_to(odd, job, "throttle_body:look")
    job = find(odd, job, "dropped", retrieved=True)
    assert job.card.held is None
    if job.plans[0].approved_at is None:
        plan.approve_plan(odd, job.number, job.plans[0].version, who="the keeper")
    finish_card(odd, job)
    assert job.engine_started_at is not None


@pytest.mark.parametrize(
    ("kind", "change", "field"),
    [
        ("no such find", {}, "found"),
        ("dropped", {"retrieved": None}, "found_retrieved"),
        ("dropped", {"part": "flux"}, "found_where"),
        ("stripped_thread", {"note": "x"}, "found_note"),
        ("stripped_thread", {"cost": -1.0}, "found_cost"),
    ],
)
def test_a_find_that_can_not_be_is_named(
    odd: Act, kind: str, change: dict[str, object], field: str
) -> None:
    job = begun(odd, "A", "maf_sensor", plate="FD-BAD")
    given = {"part": "maf_sensor", "note": "as it was seen", "cost": None, **change}
    part, note, cost = (given.pop(k) for k in ("part", "note", "cost"))
    with pytest.raises(Invalid) as caught:
        found.report(odd, job.number, kind, part=part, note=note, cost=cost, **given)
    assert field in caught.value.fields


def held_job(act: Act) -> Job:
    job = begun(act, "D", "egr_valve", plate="HE-001", grade=3, K="dismantle")
    pass_(act, job, go_to(act, job, "egr_valve:look"), pale="yes")
    assert job.card.held is not None
    return job


def test_a_hold_is_seen_by_everybody_and_no_way_leads_round_it(odd: Act, maren: Act) -> None:
    job = held_job(odd)
    seen = standing(job, odd.now)
    assert seen.do.startswith("Held:") and seen.urgency == 0
    for act in (odd, maren):
        with pytest.raises(Refused):
            gates.start_engine(act, job.number, "it will be all right for once")
    with pytest.raises(Refused):
        handover.sign(maren, job.number)
    with pytest.raises(NotAllowed):
        work.resolve(odd, job.number, "I have looked and it is nothing")
    assert job.card.held is not None


def test_a_foreman_lifts_it_with_a_reason_that_is_kept(odd: Act, maren: Act) -> None:
    job = held_job(odd)
    for short in ("", "ok", "x" * 401):
        with pytest.raises(Invalid):
            work.resolve(maren, job.number, short)
    maren.now = odd.now
    work.resolve(maren, job.number, "cooler pressed and tight, the crust is old")
    assert job.card.held is None
    lifted = job.card.resolved[-1]
    assert lifted.by == maren.person.name and "cooler pressed" in lifted.reason
    assert any(r.document.id == "egr_valve:clean" for r in rows_of_round(job))


def test_the_answer_taken_back_ends_the_hold(odd: Act) -> None:
    job = held_job(odd)
    jobcard.untick(odd, job.number, row_of(job, "egr_valve:look").id)
    assert job.card.held is None
    assert "egr_valve:clean" in ids(job)


def test_a_part_joins_while_it_is_open_and_nothing_opens_again(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body", plate="JO-001")
    go_to(odd, job, "throttle_body:look")
    before = [i for i in ids(job) if i.startswith("open:")]
    job = work.join(odd, job.number, "intake_tube")
    after = [i for i in ids(job) if i.startswith("open:")]
    assert any(i.startswith("intake_tube:") for i in ids(job))
    assert len(after) == len(set(after)) and set(before) <= set(after)
    with pytest.raises(Invalid):
        work.join(odd, job.number, "intake_tube")
    with pytest.raises(Invalid):
        work.join(odd, job.number, "flux")
    with pytest.raises(Invalid):
        work.join(odd, job.number, "map_sensor", work="polish")
    plan_of_now = job.plans[0]
    if plan_of_now.approved_at is None:
        plan.approve_plan(odd, job.number, plan_of_now.version, who="the keeper")
    finish_card(odd, job)


def test_the_plan_of_a_new_job_holds(odd: Act) -> None:
    for family, part in (("B", "egr_valve"), ("E", "egr_cooler"), ("F", "crankcase_pressure_hose")):
        holds(odd, begun(odd, family, part, plate=f"PH-{family}"))


def test_an_engine_that_may_hold_coolant_is_not_turned_before_it_is_pressed(odd: Act) -> None:
    job = begun(odd, "D", "egr_valve", plate="FD-COOL")
    assert "danger" not in {b.kind for b in gates.gate_blockers(job, "start", odd.now)}
    intake.observe(odd, job, "coolant_loss", state="present", source="said")
    odd.db.flush()
    odd.db.expire(job, ["observations"])
    told = [b for b in gates.gate_blockers(job, "start", odd.now) if b.kind == "danger"]
    assert len(told) == 1 and "not cranked, not run" in told[0].text
    intake.observe(odd, job, "coolant_pressure_falls", state="absent", source="check")
    odd.db.flush()
    odd.db.expire(job, ["observations"])
    assert "danger" not in {b.kind for b in gates.gate_blockers(job, "start", odd.now)}


def test_more_of_the_same_part_waits_for_a_yes_too(odd: Act) -> None:
    """Dearer is dearer: a part that is cleaned once more asks first, and goes on asking when
    another answer makes a further version."""
    job = begun(odd, "A", "throttle_body", plate="FD-MORE")
    job.plans[0].agreed_up_to = job.plans[0].document.price + 1
    row = go_to(odd, job, "throttle_body:check")
    bad = next(r for r in row.document.records if r.kind == "grade")
    pass_(odd, job, row, **{bad.name: "3:soot"})
    newest = job.plans[0]
    assert newest.approved_at is None and newest.document.price > job.plans[-1].document.price
    again = work.current_step(job)
    assert again is not None and again.document.part == "throttle_body"
    with pytest.raises(Refused, match="Ask first"):
        pass_(odd, job, again)
    work.add_step(odd, job.number, again.id, text="Look for the lost clip", minutes=20)
    assert job.plans[0].version == newest.version + 1
    with pytest.raises(Refused, match="Ask first"):
        pass_(odd, job, again)
    plan.approve_plan(odd, job.number, job.plans[0].version, who="the keeper, by phone")
    pass_(odd, job, again)
    assert again.done_at


def test_coolant_below_its_mark_holds_the_job(odd: Act, maren: Act) -> None:
    job = begun(odd, "D", "boost_sensor", plate="FD-COOL")
    pass_(odd, job, go_to(odd, job, "boost_sensor:level"), level="no")
    assert job.card.held is not None and "Coolant is lost" in job.card.held.why
    with pytest.raises(Refused):
        gates.start_engine(maren, job.number, "it will not matter")
