"""The bay's use cases: entries taken once and in order, waits, looks and counts, gates, handing
over, finds, the pick list."""

from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

import psycopg
import pytest
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from galene.core.jobcard.job_records import PickCheck
from galene.core.jobcard.moments import Away
from galene.core.jobcard.ready import steps_before
from galene.jobs import entries, found, gates, handover, jobcard, plan, waits, work
from galene.jobs.act import Act, find_job
from galene.jobs.card import card_of
from galene.jobs.entries import Entry, Taken
from galene.jobs.errors import Invalid, Missing, Refused
from galene.knowledge.found import FOUND
from galene.store.models import AuditEntry, Job, StepRow, WaitRow
from tests.conftest import demo_jobs
from tests.jobs.hands import begun, finish_card, go_to, pass_
from tests.often import often


@pytest.fixture
def number(db: Session) -> str:
    """The demo's job whose air meter dries."""
    return demo_jobs(db)["work"]


IDS = iter(range(10**6))


def sent(
    act: Act,
    number: str,
    kind: str,
    /,
    at: datetime | None = None,
    entry_id: str = "",
    away: Away | None = None,
    **data: Any,
) -> Taken:
    return entries.take(
        act.db,
        act.person,
        act.now,
        number=number,
        entry=Entry(
            id=entry_id or f"test-entry-{next(IDS)}", kind=kind, at=at or act.now, data=data
        ),
        away=away,
    )


def step_now(db: Session, number: str) -> StepRow:
    row = work.current_step(find_job(db, number))
    assert row is not None
    return row


def test_an_entry_is_taken_once_however_often_it_is_sent(odd: Act, number: str) -> None:
    row = step_now(odd.db, number)
    data = {
        "step": row.id,
        "record:grade_after": "0",
        "record:moisture": "yes",
        "early_reason": "warm air, dry to the touch",
    }
    assert sent(odd, number, "tick", entry_id="one-and-only", **data).outcome == "done"
    assert sent(odd, number, "tick", entry_id="one-and-only", **data).outcome == "before"
    ticks = odd.db.scalar(
        select(func.count())
        .select_from(AuditEntry)
        .where(
            AuditEntry.action == "step_done", AuditEntry.detail["step"].astext == row.document.id
        )
    )
    assert ticks == 1


def test_a_tick_that_somebody_else_made_is_said_with_what_stands(
    odd: Act, pia: Act, number: str
) -> None:
    row = step_now(odd.db, number)
    assert (
        sent(
            pia,
            number,
            "tick",
            step=row.id,
            early_reason="it is dry",
            **{"record:grade_after": "1", "record:moisture": "yes"},
        ).outcome
        == "done"
    )
    answer = sent(
        odd,
        number,
        "tick",
        step=row.id,
        early_reason="it is dry",
        **{"record:grade_after": "0", "record:moisture": "yes"},
    )
    assert (
        answer.outcome == "same"
        and pia.person.name in answer.lines[0]
        and "grade after 1 (here 0)" in answer.lines[1]
    )
    stands = find_job(odd.db, number).steps[row.position].records.of("grade_after")
    assert stands is not None and stands.answer == "1", "the first one stands"


def test_what_can_not_be_taken_says_why_and_leaves_nothing(odd: Act, number: str) -> None:
    row = step_now(odd.db, number)
    before = odd.db.scalar(select(func.count()).select_from(AuditEntry))
    for kind, data, words in (
        ("tick", {"step": row.id}, "Too early"),
        ("tick", {"step": "x"}, "Something is missing"),
        ("tick", {"step": 10**8}, "This can not be"),
        ("sail", {}, "Something is missing"),
        ("item", {"kind": "banana", "what": "x"}, "Something is missing"),
        ("item", {"kind": "hose", "what": "x" * 300}, "Something is missing"),
        ("close", {"key": "hand:nothing"}, "This can not be"),
        (
            "wait",
            {"wait_name": "soak", "wait_minutes": "soon", "wait_reason": "it works"},
            "Something is missing",
        ),
        ("count", {"what": "cloths", "way": "out", "pieces": 1}, "Something is missing"),
        (
            "extend",
            {"wait_name": "nothing", "wait_minutes": "5", "wait_reason": "cold"},
            "This can not be",
        ),
    ):
        answer = sent(odd, number, kind, **data)
        assert answer.outcome == "refused" and answer.title == words, (kind, answer)
    assert odd.db.scalar(select(func.count()).select_from(AuditEntry)) == before
    assert (
        sent(odd, demo_jobs(odd.db)["handover"], "item", kind="hose", what="x").title
        == "This job is finished"
    )


def wait_begun(act: Act, number: str, name: str, at: datetime, away: Away | None = None) -> WaitRow:
    answer = sent(
        act,
        number,
        "wait",
        at=at,
        away=away,
        wait_name=name,
        wait_minutes="60",
        wait_reason="for this test",
    )
    assert answer.outcome == "done"
    return act.db.scalars(select(WaitRow).where(WaitRow.name == name)).one()


def test_a_wait_that_began_out_of_reach_keeps_its_moment(odd: Act, number: str) -> None:
    ago = odd.now - timedelta(minutes=40)
    out = Away(begin=odd.now - timedelta(hours=2), end=odd.now - timedelta(seconds=5))
    row = wait_begun(odd, number, "Soak", ago, out)
    assert row.ends_at == ago + timedelta(minutes=60), "it began at the car"
    told = odd.db.scalars(select(AuditEntry).order_by(AuditEntry.id.desc())).first()
    assert told is not None
    assert (told.at, told.claimed_at) == (odd.now, ago), "both moments stay, ordered by arrival"


def test_no_clock_makes_a_drying_that_is_over(odd: Act, number: str) -> None:
    """A card that was in reach says two days ago, a drawer says so after three months, a clock runs
    ahead: the wait begins when the server hears of it."""
    back = Away(begin=odd.now - timedelta(hours=3), end=odd.now - timedelta(hours=1))
    for name, at, away in (
        ("Two days", odd.now - timedelta(days=2), None),
        ("A drawer", odd.now - timedelta(days=90), back),
        ("Out long ago", odd.now - timedelta(hours=2), back),
        ("Ahead", odd.now + timedelta(days=2), None),
    ):
        assert wait_begun(odd, number, name, at, away).started_at == odd.now, name
    entered = odd.db.scalars(select(AuditEntry).where(AuditEntry.job_id.is_not(None)))
    newest = sorted(entered, key=lambda e: e.id)[-4:]
    assert {e.at for e in newest} == {odd.now}
    assert newest[0].claimed_at == odd.now - timedelta(days=2)


def test_a_days_entries_are_none_lost_and_none_twice(odd: Act, number: str) -> None:
    many = often(200, 500)
    lost = many // 2, many * 3 // 5
    queue = [
        Entry(
            id=f"queued-{i:04d}",
            kind="count",
            at=odd.now,
            data={"what": "caps", "way": "in" if i % 2 == 0 else "out", "pieces": 1},
        )
        for i in range(many)
    ]

    def taken(part: list[Entry]) -> list[str]:
        return [
            entries.take(odd.db, odd.person, odd.now, number=number, entry=e).outcome for e in part
        ]

    first = taken(queue[: lost[1]])
    # The answer to the last of these was lost: the sender begins again a little earlier.
    again = taken(queue[lost[0] :])
    assert set(first) == {"done"}
    twice = lost[1] - lost[0]
    assert again == ["before"] * twice + ["done"] * (many - lost[1])
    assert find_job(odd.db, number).counted == {"caps": [many // 2, many // 2]}


def test_waits_by_hand_side_by_side_lengthened_and_ended(odd: Act, number: str) -> None:
    for name, minutes in (("Soak", 20), ("Bath", 90), ("Oil draining", 5)):
        jobcard.start_wait(odd, number, name, minutes=minutes, reason="for this test")
    job = find_job(odd.db, number)
    assert [w.name for w in waits.running_waits(job, odd.now)] == [
        "Oil draining",
        "Soak",
        "Air meter drying",
        "Bath",
    ], "the next to end first"
    for name, minutes, reason in (
        ("S", 5, "why so"),
        ("Soak", 5, "why so"),
        ("New", None, "why so"),
        ("New", 0, "why so"),
        ("New", 9000, "why so"),
        ("New", 5, ""),
    ):
        with pytest.raises(Invalid):
            jobcard.start_wait(odd, number, name, minutes=minutes, reason=reason)
    end = next(w for w in job.waits if w.name == "Soak").ends_at
    jobcard.extend_wait(odd, number, "Soak", minutes=10, reason="cold bay")
    soak = next(w for w in job.waits if w.name == "Soak")
    assert soak.ends_at == end + timedelta(minutes=10) and "10 min more: cold bay" in soak.reason
    odd.now = soak.ends_at + timedelta(minutes=30)
    jobcard.extend_wait(odd, number, "Soak", minutes=5, reason="still wet")
    assert soak.ends_at == odd.now + timedelta(minutes=5), "one that is over is lengthened from now"
    jobcard.stop_wait(odd, number, "Soak", reason="looked: dry")
    jobcard.stop_wait(odd, number, "Soak", reason="looked: dry")
    assert "Soak" not in [w.name for w in waits.running_waits(job, odd.now)]
    with pytest.raises(Missing):
        jobcard.stop_wait(odd, number, "Nothing", reason="no reason")
    with pytest.raises(Invalid):
        jobcard.extend_wait(odd, number, "Bath", minutes=None, reason="")


def test_inside_the_engine_two_looks_with_their_names(odd: Act, pia: Act, number: str) -> None:
    jobcard.add_item(odd, number, "", kind="rag inside")
    item = next(i for i in gates.open_items(find_job(odd.db, number)) if i.kind == "rag inside")
    assert item.what == "Rag inside" and item.dangerous, "two touches: the kind is name enough"
    jobcard.close_item(odd, number, item.key)
    assert item.looked_by_id == odd.person.id and item.closed_at is None
    jobcard.close_item(pia, number, item.key)
    assert item.closed_at and item.closed_by_id == pia.person.id
    with pytest.raises(Refused, match="A step of the card"):
        jobcard.close_item(
            odd,
            number,
            next(
                i.key for i in gates.open_items(find_job(odd.db, number)) if i.kind == "connector"
            ),
        )


def test_what_went_in_must_come_out_before_the_walk_and_the_start(odd: Act) -> None:
    job = begun(odd, "A", "maf_sensor")
    jobcard.count(odd, job.number, "cloths", way="in", pieces=3)
    jobcard.count(odd, job.number, "cloths", way="out", pieces=2)
    for what, way, pieces in (
        ("cloths", "out", 2),
        ("cloths", "in", -4),
        ("sails", "in", 1),
        ("cloths", "up", 1),
        ("cloths", "in", 0),
    ):
        with pytest.raises(Invalid):
            jobcard.count(odd, job.number, what, way=way, pieces=pieces)
    walk = go_to(odd, job, "walk")
    with pytest.raises(Refused, match="Count again"):
        pass_(odd, job, walk)
    assert "Cloths: 1 not counted out" in [
        b.text for b in gates.gate_blockers(job, "start", odd.now)
    ]
    jobcard.count(odd, job.number, "cloths", way="out", pieces=1)
    pass_(odd, job, walk)


def test_gates_are_opened_by_the_foreman_with_a_reason_only(
    odd: Act, maren: Act, number: str
) -> None:
    with pytest.raises(Refused) as why:
        gates.start_engine(odd, number, "I know it is fine")
    assert not why.value.override
    with pytest.raises(Refused) as why:
        gates.start_engine(maren, number)
    assert why.value.override
    job = gates.start_engine(maren, number, "compression test with the coil off")
    assert (
        job.gates["start"].by == maren.person.name and "Air meter drying" in job.gates["start"].held
    )


def test_handover_is_held_by_what_is_open(odd: Act, maren: Act, db: Session) -> None:
    number = demo_jobs(db)["prove"]
    jobcard.add_item(odd, number, "Engine cover", kind="cover", before="handover")
    job = find_job(db, number)
    with pytest.raises(Refused):
        handover.sign(maren, number)
    assert [
        b.text for b in gates.gate_blockers(job, "handover", maren.now) if b.kind == "item"
    ] == ["Engine cover"]
    assert not [b for b in gates.gate_blockers(job, "road test", maren.now) if b.kind == "item"]


def test_a_job_changes_hands_when_what_is_open_was_read(
    odd: Act, pia: Act, maren: Act, number: str
) -> None:
    job = find_job(odd.db, number)
    owner, other = (odd, pia) if job.technician_id == odd.person.id else (pia, odd)
    with pytest.raises(Invalid):
        gates.offer_job(owner, number, owner.person.sign_in)
    with pytest.raises(Invalid):
        gates.offer_job(owner, number, "nobody")
    with pytest.raises(Refused, match="Not handed to you"):
        gates.accept_job(other, number, [])
    gates.offer_job(owner, number, other.person.sign_in)
    with pytest.raises(Refused, match="offered to"):
        gates.accept_job(maren, number, [])
    keys = [i.key for i in gates.open_items(job)]
    assert len(keys) > 1
    with pytest.raises(Invalid) as fault:
        gates.accept_job(other, number, keys[:1])
    assert "read" in fault.value.fields
    gates.accept_job(other, number, keys)
    assert job.technician.id == other.person.id and job.passing.to is None
    gates.accept_job(other, number, [])


def test_the_pick_list_stands_before_the_first_step(odd: Act, db: Session) -> None:
    job = begun(odd, "A", "throttle_body", "maf_sensor")
    job.pick = PickCheck()
    words = card_of(job).picks
    assert {k.split(":")[0] for k in words} == {"agent", "tool"} or {
        k.split(":")[0] for k in words
    } == {"spare", "agent", "tool"}
    with pytest.raises(Refused, match="pick list"):
        pass_(odd, job, job.steps[0])
    some = next(iter(words))
    for missing, place in (({some: "no"}, some), ({"tool:moon": "there is none"}, "tool:moon")):
        with pytest.raises(Invalid) as fault:
            jobcard.check_pick(odd, job.number, missing)
        assert set(fault.value.fields) == {f"pick:{place}"}
    assert (
        sent(
            odd, job.number, "pick", **{f"missing:{some}": "the old one is cleaned instead"}
        ).outcome
        == "done"
    )
    assert job.pick.missing == {some: "the old one is cleaned instead"}
    pass_(odd, job, job.steps[0])


def test_parts_are_booked_as_used_by_the_steps_that_use_them(odd: Act) -> None:
    job = begun(odd, "A", "map_sensor")
    assert work.parts_used(job) == []
    finish_card(odd, job)
    wanted = [c for s in job.steps for c in s.document.consumes]
    assert wanted and work.parts_used(job) == wanted
    job.plans[0].document = replace(job.plans[0].document, extra_spares=("air_filter",))
    assert work.parts_used(job) == [*wanted, "air_filter"], "what was planned to go in new"
    job.steps[-1].done_at = None
    assert work.parts_used(job) == wanted


def before(job: Job, row: StepRow) -> list[StepRow]:
    """Rows that must be done before this one."""
    card = card_of(job)
    at = card.step(row.id)
    assert at is not None
    wanted = {s.id for s in steps_before(card, at)}
    return [s for s in job.steps if s.id in wanted]


def test_one_parts_cleaning_may_be_done_before_anothers_and_the_rest_keeps_its_order(
    odd: Act,
) -> None:
    job = begun(odd, "A", "throttle_body", "maf_sensor", "air_filter")
    first_clean = next(s for s in job.steps if s.document.phase == "clean")
    go_to(odd, job, first_clean.document.id)
    later = next(
        s
        for s in job.steps
        if s.document.phase == "clean"
        and s.document.part != first_clean.document.part
        and not before(job, s)
    )
    pass_(odd, job, later)
    assert first_clean in work.skipped(job)
    closing = next(
        s for s in job.steps if s.document.phase == "close" and s.position > later.position
    )
    with pytest.raises(Refused, match="Not this step yet"):
        jobcard.tick(odd, job.number, closing.id, records={})
    same_part = [
        s
        for s in job.steps
        if s.document.part == later.document.part
        and s.document.phase == "clean"
        and s.done_at is None
    ]
    if len(same_part) > 1:
        assert same_part[0] in before(job, same_part[1])
    jobcard.untick(odd, job.number, later.id)
    assert later.done_at is None


STEPS_ONLY = [k for k, f in FOUND.items() if f.steps and not f.replaces and not f.joins]


@pytest.mark.parametrize("kind", STEPS_ONLY)
def test_a_find_adds_its_steps_minutes_and_cost_and_asks_above_the_limit(
    odd: Act, kind: str
) -> None:
    job = begun(odd, "B" if FOUND[kind].on else "A", "throttle_body")
    row = go_to(odd, job, "throttle_body:look")
    old, steps = job.plans[0], len(job.steps)
    find = FOUND[kind]
    cost = 5.0 if find.needs_cost else None
    found.report(
        odd,
        job.number,
        kind,
        part="throttle_body",
        note="left of the plate",
        cost=cost,
        retrieved=True if find.needs_retrieved else None,
        minutes=9.0 if find.own_words else None,
    )
    new = job.plans[0]
    # Work beside a mouth that would have been bare for a look alone asks for its cap.
    capped = [s.document for s in job.steps if s.document.name == "cover"]
    assert len(job.steps) == steps + len(find.steps) + len(capped)
    assert new.version == old.version + 1 and len(capped) <= 1
    added = [s for s in job.steps if s.document.find]
    assert [s.document.text for s in added] == [s.text for s in find.steps]
    assert added[-1].position < row.position, "before the step at which it was found"
    minutes = sum(s.minutes for s in find.steps) or 9.0
    minutes += sum(s.minutes for s in capped)
    assert new.document.hands_minutes == old.document.hands_minutes + minutes
    assert new.document.found[0].more == pytest.approx(new.document.price - old.document.price)
    assert old.agreed_up_to is not None
    within = new.document.price <= old.agreed_up_to
    assert (new.approved_at is not None) == within
    if not within:
        with pytest.raises(Refused, match="Ask first"):
            pass_(odd, job, added[0])
        plan.approve_plan(odd, job.number, new.version, who="the keeper, by phone")
    pass_(odd, job, added[0])
    assert [p.version for p in job.plans] == [2, 1]


def test_a_find_that_can_not_be_is_refused_at_its_field(odd: Act) -> None:
    job = begun(odd, "A", "maf_sensor")
    for (kind, part, note, cost), field in (
        (("dragon", "", "a big one", None), "found"),
        (("snapped_bolt", "moon", "left one", None), "found_where"),
        (("snapped_bolt", "", "", None), "found_note"),
        (("stripped_thread", "maf_sensor", "at the tab", None), "found_cost"),
        (("stripped_thread", "maf_sensor", "at the tab", -1.0), "found_cost"),
        (("cracked_body", "", "at the tab", None), "found_where"),
        (("dropped", "maf_sensor", "a screw", None), "found_retrieved"),
        (("own_words", "maf_sensor", "a wasps' nest", None), "found_minutes"),
    ):
        with pytest.raises(Invalid) as fault:
            found.report(odd, job.number, kind, part=part, note=note, cost=cost)
        assert field in fault.value.fields
    with pytest.raises(Invalid) as fault:
        plan.approve_plan(odd, job.number, job.plans[0].version, who="the keeper", up_to=1.0)
    assert "agreed_up_to" in fault.value.fields


def test_every_change_is_told_when_it_is_durable_and_not_before(
    odd: Act, engine: Engine, number: str
) -> None:
    address = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    job_id = str(find_job(odd.db, number).id)
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("listen galene_job")
        jobcard.add_item(odd, number, "Dipstick", kind="cover", before="start")
        assert list(connection.notifies(timeout=0.2)) == [], "not before it is durable"
        odd.db.commit()
        assert [n.payload for n in connection.notifies(timeout=3.0, stop_after=1)] == [job_id]


def test_a_reading_is_kept_in_its_own_unit_whatever_the_meter_shows(odd: Act) -> None:
    job = begun(odd, "D", "egr_cooler", grade=3)
    row = go_to(odd, job, "egr_cooler:pressure")
    odd.db.commit()
    given = {"record:tight": "yes"}
    answer = sent(odd, job.number, "tick", step=row.id, **given, **{"record:held": "two"})
    assert answer.outcome == "refused" and "kPa, bar" in answer.faults["egr_cooler:pressure/held"]
    assert (
        sent(
            odd,
            job.number,
            "tick",
            step=row.id,
            **given,
            **{"record:held": "29", "record:held_unit": "psi"},
        ).outcome
        == "done"
    )
    held = row.records.of("held")
    assert held is not None and held.figure == pytest.approx(199.9, abs=0.1)
