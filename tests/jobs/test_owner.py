"""The owner's address: one job, its time, what is said there, once."""

from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import select

from galene.jobs import evidence, intake, owner, plan
from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid, Refused
from galene.store.models import AuditEntry, Job, OwnerLink
from tests.jobs.hands import begun, finish_card

SAYS = owner.OwnerAnswer(
    once="first-of-all", plan_version=1, kind="approve", name="Runa Vell", words=""
)


def offered(act: Act, plate: str) -> Job:
    """A planned job that waits for a yes."""
    van = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate=plate,
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family="A",
            keeper="Runa Vell",
        ),
    )
    number = intake.open_job(act, van, "it shakes").number
    evidence.save_inspection(
        act, number, "before", part_id="throttle_body", deposit="soot", grade=3
    )
    return plan.save_plan(act, number, ["throttle_body"], extra_spares=[], seen=0)


def link(act: Act, job: Job, days: int = 14) -> tuple[str, OwnerLink]:
    secret = owner.open_link(act, job.number, days)
    found = owner.link_of(act.db, secret, act.now)
    assert found is not None
    return secret, found


def test_a_yes_approves_the_plan_by_name_and_the_trace_says_who(odd: Act) -> None:
    job = offered(odd, "OW-001")
    _, found = link(odd, job)
    owner.answer(odd.db, found, SAYS, odd.now)
    owner.answer(odd.db, found, SAYS, odd.now)
    newest = find_job(odd.db, job.number).plans[0]
    assert newest.approved_by == "Runa Vell, on the owner's page"
    assert [w.kind for w in owner.words_of(odd.db, job)] == ["approve"]
    traced = odd.db.scalars(
        select(AuditEntry).where(
            AuditEntry.job_id == job.id, AuditEntry.action.in_(["plan_approved", "owner_approve"])
        )
    ).all()
    assert len(traced) == 2
    assert all(t.person_id is None and t.detail["owner"] == "Runa Vell" for t in traced)


def test_a_changed_plan_is_not_agreed_to_unseen(odd: Act) -> None:
    job = offered(odd, "OW-002")
    _, found = link(odd, job)
    plan.save_plan(odd, job.number, ["throttle_body", "air_filter"], extra_spares=[], seen=1)
    with pytest.raises(Refused, match="changed meanwhile"):
        owner.answer(odd.db, found, SAYS, odd.now)
    assert find_job(odd.db, job.number).plans[0].approved_at is None


def test_a_no_leaves_the_plan_unapproved_and_a_question_is_answered(odd: Act) -> None:
    job = offered(odd, "OW-003")
    _, found = link(odd, job)
    said = {"once": "second-of-all", "plan_version": 1, "name": "Runa Vell"}
    owner.answer(
        odd.db, found, owner.OwnerAnswer(**said, kind="decline", words="too dear"), odd.now
    )
    asked = owner.OwnerAnswer(**{**said, "once": "third-of-all"}, kind="ask", words="And later?")
    owner.answer(odd.db, found, asked, odd.now)
    assert find_job(odd.db, job.number).plans[0].approved_at is None
    question, no = owner.words_of(odd.db, job)
    assert (no.kind, question.kind) == ("decline", "ask")
    assert question in owner.unanswered(odd.db)
    owner.reply(odd, job.number, question.id, "In spring.")
    assert question not in owner.unanswered(odd.db)
    with pytest.raises(Invalid):
        owner.reply(odd, job.number, question.id, " ")


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"name": "x"}, "name"),
        ({"name": "x" * 81}, "name"),
        ({"kind": "sell"}, "kind"),
        ({"kind": "ask", "words": ""}, "words"),
        ({"words": "w" * 1001}, "words"),
        ({"words": "nul\x00"}, "words"),
        ({"once": "short"}, "kind"),
    ],
)
def test_what_can_not_be_said_is_named(odd: Act, change: dict[str, Any], field: str) -> None:
    job = offered(odd, "OW-004")
    _, found = link(odd, job)
    given = {**vars(SAYS), **change}
    with pytest.raises(Invalid) as caught:
        owner.answer(odd.db, found, owner.OwnerAnswer(**given), odd.now)
    assert field in caught.value.fields
    assert owner.words_of(odd.db, job) == []


def test_an_address_ends_by_its_time_by_closing_and_by_too_much_talk(odd: Act) -> None:
    job = offered(odd, "OW-005")
    secret, found = link(odd, job, days=2)
    assert owner.link_of(odd.db, secret, odd.now + timedelta(days=1)) is not None
    assert owner.link_of(odd.db, secret, odd.now + timedelta(days=2)) is None
    assert owner.link_of(odd.db, secret + "x", odd.now) is None
    assert owner.link_of(odd.db, "ü" * 30, odd.now) is None
    for n in range(owner.MOST_WORDS):
        asked = owner.OwnerAnswer(
            once=f"ask-number-{n}", plan_version=1, kind="ask", name="Runa", words="And now?"
        )
        owner.answer(odd.db, found, asked, odd.now)
    with pytest.raises(Invalid, match="ring the workshop"):
        owner.answer(odd.db, found, SAYS, odd.now)
    owner.close_link(odd, job.number, found.id)
    owner.close_link(odd, job.number, found.id)
    assert owner.link_of(odd.db, secret, odd.now) is None
    for days in (0, 91, None):
        with pytest.raises(Invalid):
            owner.open_link(odd, job.number, days)


def test_what_is_agreed_to_or_done_is_not_answered_again(odd: Act) -> None:
    job = begun(odd, "A", "map_sensor", plate="OW-006")
    _, found = link(odd, job)
    with pytest.raises(Refused, match="agreed to already"):
        owner.answer(odd.db, found, SAYS, odd.now)
    finish_card(odd, job)
    job.state = "finished"
    odd.db.flush()
    with pytest.raises(Refused, match="nothing to answer"):
        owner.answer(odd.db, found, SAYS, odd.now)


def test_what_is_left_is_told_by_what_a_new_part_costs(odd: Act) -> None:
    from galene.store.repositories import people

    job = offered(odd, "OW-007")
    told = owner.left_undone(odd.db, job, people.workshop(odd.db)).told
    assert [k.label for k in told] == ["Throttle body"]
    assert told[0].replace and told[0].replace > told[0].clean
