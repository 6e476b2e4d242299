"""Once only, newest only, traced, read-only when finished."""

import threading
from dataclasses import replace
from datetime import UTC, datetime

import pytest
from sqlalchemy import Engine, func, select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from galene.jobs import evidence, gates, intake, jobcard, plan
from galene.jobs.act import Act, find_job, revision
from galene.jobs.errors import AlreadyDone, Invalid, Missing, NotAllowed, ReadOnly, Refused, Stale
from galene.jobs.handover import reopen, sign
from galene.store.cluster import Cluster
from galene.store.database import make_engine
from galene.store.models import AuditEntry, ItemRow, Job, Person, StepRow
from tests.conftest import demo_jobs, person

ARRIVING = WORKING = PROVING = FINISHED = ""


@pytest.fixture(autouse=True)
def numbers(db: Session) -> None:
    """The demo numbers its jobs within the year that it is loaded in; tests name them by their
    place."""
    global ARRIVING, WORKING, PROVING, FINISHED
    by_stage = demo_jobs(db)
    ARRIVING, WORKING, PROVING, FINISHED = (
        by_stage[s] for s in ("intake", "work", "prove", "handover")
    )


def form(job_number: str, db: Session, **change: object) -> intake.IntakeForm:
    job = find_job(db, job_number)
    base = {"complaint": job.complaint, "distance_km": job.distance_km}
    return intake.IntakeForm(**{**base, **change})


def planned_job(act: Act) -> Job:
    """A job of its own with a plan that nobody has agreed to."""
    vehicle = intake.add_vehicle(
        act,
        intake.NewVehicle(plate="T-77", maker="Brinewell", model="Testbed", family="A", year=""),
    )
    number = intake.open_job(act, vehicle, "soot").number
    evidence.save_inspection(
        act, number, "before", part_id="throttle_body", deposit="varnish", grade=2
    )
    return plan.save_plan(act, number, ["throttle_body"], extra_spares=[], seen=0, kinds={})


def test_a_form_sent_twice_is_written_once(odd: Act) -> None:
    odd.claim_key("token-0001", "/there")
    odd.db.commit()
    with pytest.raises(AlreadyDone) as again:
        odd.claim_key("token-0001", "/elsewhere")
    assert again.value.location == "/there"


def test_a_failed_write_gives_its_token_back(odd: Act) -> None:
    odd.claim_key("token-0002", "/there")
    odd.db.rollback()
    odd.claim_key("token-0002", "/elsewhere")
    with pytest.raises(AlreadyDone) as again:
        odd.claim_key("token-0002", "/there")
    assert again.value.location == "/elsewhere", "the first claim left nothing behind"


def test_twins_in_flight_wait_for_each_other(engine: Engine) -> None:
    """Two threads send the same form at once: one job is opened, the other is led to it."""
    outcomes: list[str] = []
    gate = threading.Barrier(2)

    def send() -> None:
        with Session(engine, expire_on_commit=False) as db:
            act = Act(db=db, person=person(db, "odd"), now=datetime.now(UTC))
            vehicle = intake.find_vehicles(db, "QN-207")[0]
            gate.wait()
            try:
                act.claim_key("twin-token", "/")
                job = intake.open_job(act, vehicle, "double click")
                act.leads_to("twin-token", f"/jobs/{job.number}")
                db.commit()
                outcomes.append("written")
            except AlreadyDone as done:
                outcomes.append(done.location)

    threads = [threading.Thread(target=send) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert "written" in outcomes
    assert next(o for o in outcomes if o != "written").startswith("/jobs/")


def test_a_newer_change_is_never_overwritten(odd: Act, pia: Act) -> None:
    job = find_job(odd.db, ARRIVING)
    seen = revision(job, "intake")
    intake.save_intake(pia, ARRIVING, form(ARRIVING, pia.db, recent_work="new plugs"), seen=seen)
    pia.db.commit()
    with pytest.raises(Stale) as stale:
        intake.save_intake(odd, ARRIVING, form(ARRIVING, odd.db, recent_work="nothing"), seen=seen)
    assert stale.value.who == "Pia Skarn"
    odd.db.rollback()
    assert find_job(odd.db, ARRIVING).recent_work == "new plugs"


def test_a_tap_on_a_state_that_is_gone_is_not_carried_out(odd: Act, pia: Act) -> None:
    assert intake.tap(pia, ARRIVING, "high_idle", was="unknown", state="absent") == ("absent", None)
    state, note = intake.tap(odd, ARRIVING, "high_idle", was="unknown", state="present")
    assert state == "absent" and note is not None
    assert intake.tap(odd, ARRIVING, "high_idle", was="unknown", state="absent") == (
        "absent",
        None,
    ), "the same tap again is harmless"


def test_every_write_leaves_who_and_what(odd: Act) -> None:
    before = odd.db.scalar(select(func.count()).select_from(AuditEntry))
    intake.add_codes(odd, ARRIVING, "P0101")
    odd.db.flush()
    newest = (
        odd.db.scalars(select(AuditEntry).order_by(AuditEntry.id.desc()).limit(1)).unique().one()
    )
    assert odd.db.scalar(select(func.count()).select_from(AuditEntry)) == (before or 0) + 1
    assert (newest.action, newest.person_id, newest.detail["codes"]) == (
        "codes_added",
        odd.person.id,
        ["P0101"],
    )


@pytest.mark.parametrize(
    "statement", ["update trace set action = 'x'", "delete from trace", "truncate trace"]
)
def test_the_trace_can_not_be_changed(cluster: Cluster, db: Session, statement: str) -> None:
    with pytest.raises(DBAPIError, match="permission denied"):
        db.execute(text(statement))
    db.rollback()
    # Nor by the owner of the tables, whom the trigger stops.
    owner = make_engine(cluster.url(db.get_bind().engine.url.database), 2)
    with owner.connect() as connection, pytest.raises(DBAPIError, match="append-only"):
        connection.execute(text(statement))
    owner.dispose()


@pytest.mark.parametrize(
    "statement",
    [
        "alter table trace disable trigger all",
        "drop table trace",
        "set session_replication_role = replica",
        "create function f() returns trigger language plpgsql as $$ begin end $$",
        "update alembic_version set version_num = '0001'",
    ],
)
def test_the_application_can_not_lift_the_guard(db: Session, statement: str) -> None:
    with pytest.raises(DBAPIError, match=r"must be owner|permission denied"):
        db.execute(text(statement))


def test_a_finished_job_is_read_only_until_opened_with_a_reason(odd: Act, maren: Act) -> None:
    for write in (
        lambda: intake.tap(odd, FINISHED, "rough_idle", was="present", state="absent"),
        lambda: intake.add_codes(odd, FINISHED, "P0171"),
        lambda: jobcard.add_item(odd, FINISHED, "plug", kind="connector"),
        lambda: intake.save_intake(odd, FINISHED, form(FINISHED, odd.db), seen=1),
    ):
        with pytest.raises(ReadOnly):
            write()
    with pytest.raises(NotAllowed):
        reopen(odd, FINISHED, "a technician may not")
    with pytest.raises(Invalid, match="password_again"):
        reopen(replace(maren, proven=False), FINISHED, "no password came with it")
    with pytest.raises(Invalid):
        reopen(maren, FINISHED, " ")
    was = find_job(odd.db, FINISHED)
    signed_at, headline = was.signed_at, was.proof.headline
    job = reopen(maren, FINISHED, "stalled again on the ramp", stage="prove")
    assert (job.state, job.stage, job.signed_at) == ("open", "prove", None)
    kept = job.signatures[-1]
    assert (kept.by, kept.at, kept.headline) == ("Maren Tolk", signed_at, headline)
    assert (kept.opened_by, kept.reason) == ("Maren Tolk", "stalled again on the ramp")
    intake.tap(odd, FINISHED, "hesitation", was="unknown", state="present")
    assert sign(maren, FINISHED).state == "finished", (
        "everything is still there, so it can be signed again"
    )


def test_untold_things_are_missing(odd: Act) -> None:
    for call in (
        lambda: find_job(odd.db, "99-9999"),
        lambda: intake.tap(odd, ARRIVING, "no_such_thing", was="unknown", state="present"),
        lambda: jobcard.tick(odd, WORKING, 10**8, records={}),
        lambda: jobcard.acknowledge(odd, WORKING, "dragons"),
    ):
        with pytest.raises(Missing):
            call()


def test_a_tick_by_two_people_counts_once(engine: Engine, db: Session) -> None:
    job = find_job(db, WORKING)
    step = next(s for s in job.steps if s.done_at is None)
    fresh: list[bool] = []
    gate = threading.Barrier(2)

    def send(name: str) -> None:
        with Session(engine, expire_on_commit=False) as own:
            act = Act(db=own, person=person(own, name), now=datetime.now(UTC))
            gate.wait()
            _, first = jobcard.tick(
                act,
                WORKING,
                step.id,
                records={"grade_after": "0", "moisture": "yes"},
                early_reason="air-dried with the fan",
            )
            own.commit()
            fresh.append(first)

    threads = [threading.Thread(target=send, args=(n,)) for n in ("odd", "pia")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(fresh) == [False, True]
    db.expire_all()
    assert (
        db.scalar(
            select(func.count())
            .select_from(AuditEntry)
            .where(
                AuditEntry.action == "step_done",
                AuditEntry.detail["step"].astext == step.document.id,
                AuditEntry.job_id == job.id,
            )
        )
        == 1
    )


def test_other_jobs_steps_and_items_stay_out_of_reach(odd: Act) -> None:
    foreign = (
        odd.db.scalars(select(StepRow).join_from(StepRow, Person, isouter=True).limit(1))
        .unique()
        .first()
    )
    assert foreign is not None
    with pytest.raises(Missing):
        jobcard.tick(odd, ARRIVING, foreign.id, records={})
    item = odd.db.scalars(select(ItemRow).limit(1)).unique().one()
    with pytest.raises(Missing):
        jobcard.close_item(odd, ARRIVING, item.key)


def test_only_who_has_a_job_or_a_foreman_hands_it_on(odd: Act, pia: Act, maren: Act) -> None:
    job = find_job(odd.db, WORKING)
    holder, other = (odd, "pia") if job.technician_id == odd.person.id else (pia, "odd")
    stranger = pia if holder is odd else odd
    with pytest.raises(Refused, match="Not yours"):
        gates.offer_job(stranger, WORKING, stranger.person.sign_in)
    assert gates.offer_job(holder, WORKING, other).passing.name
    assert gates.offer_job(maren, WORKING, "maren").passing.name == "Maren Tolk"


@pytest.mark.parametrize(
    ("name", "way", "field"),
    [
        ("nobody asked", "phone", "approved_by"),
        ("No one", "person", "approved_by"),
        ("not asked", "written", "approved_by"),
        ("n/a", "phone", "approved_by"),
        ("..", "phone", "approved_by"),
        ("", "phone", "approved_by"),
        ("Ms Holm", "", "approved_how"),
        ("Ms Holm", "dream", "approved_how"),
        ("Ms Holm", "standing", "approved_how"),
    ],
)
def test_an_owners_yes_names_a_person_and_a_way(odd: Act, name: str, way: str, field: str) -> None:
    job = planned_job(odd)
    with pytest.raises(Invalid) as fault:
        plan.agree(odd, job.number, job.plans[0].version, name=name, way=way)
    assert set(fault.value.fields) == {field}


def test_an_owners_yes_is_entered_by_who_has_the_job(odd: Act, pia: Act, maren: Act) -> None:
    job = planned_job(odd)
    version = job.plans[0].version
    with pytest.raises(Refused, match="Not yours"):
        plan.agree(pia, job.number, version, name="Ms Holm", way="phone")
    agreed = plan.agree(maren, job.number, version, name=" Ms  Holm ", way="standing")
    assert agreed.plans[0].approved_by == "Ms Holm, by a standing agreement"
