"""The demo world: what it must hold, and that its figures agree with the product's own physics."""

import random
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.flow import charge_flow_g_s
from galene.core.statistics import mean
from galene.demo.engine import EngineState, deposit_profile, idle_samples
from galene.demo.story import Story
from galene.jobs import gates, intake, waits
from galene.jobs.act import Act, family_of, find_job
from galene.jobs.evidence import measured, set_of
from galene.jobs.proof import told_of
from galene.knowledge.families import FAMILIES
from galene.store.models import Bulletin, Job, Vehicle
from tests.conftest import person


def jobs_of(db: Session) -> list[Job]:
    return list(db.scalars(select(Job).order_by(Job.opened_at)).unique())


def test_it_holds_every_family_and_jobs_at_every_stage(db: Session) -> None:
    jobs = jobs_of(db)
    assert {j.family_id for j in jobs} == set(FAMILIES)
    assert {j.stage for j in jobs if j.state == "open"} >= {
        "intake",
        "evidence",
        "diagnosis",
        "plan",
        "work",
        "prove",
    }
    assert len(db.scalars(select(Vehicle)).all()) == 17
    finished = [j for j in jobs if j.state == "finished"]
    assert len(finished) >= 4 and finished[-1].opened_at - finished[0].opened_at > timedelta(
        days=700
    )
    assert {b.kind for b in db.scalars(select(Bulletin))} == {"bulletin", "recall"}


def test_numbers_count_up_in_the_order_of_time(db: Session) -> None:
    for year in {j.number[:2] for j in jobs_of(db)}:
        numbers = [j.number for j in jobs_of(db) if j.number.startswith(year)]
        assert numbers == sorted(numbers)


def test_the_diesel_waits_for_its_cooler_with_the_engine_open(db: Session, now: datetime) -> None:
    diesel = next(j for j in jobs_of(db) if j.family_id == "D" and j.state == "open")
    running = waits.running_waits(diesel, now)
    assert [w.name for w in running if "bath" in w.name] and running[0].ends_at - now > timedelta(
        hours=8
    )
    assert any(i.kind == "coolant low" for i in gates.open_items(diesel)) and gates.gate_blockers(
        diesel, "start", now
    )


def test_one_job_went_back_after_a_proof_that_failed(db: Session) -> None:
    back = next(j for j in jobs_of(db) if j.vehicle.plate == "QN-152")
    assert (
        back.stage == "evidence"
        and set_of(back, "after", "idle") is not None
        and back.road_test.complaint == "there"
    )
    proof = told_of(db, back).proof
    assert proof.verdict == "not_better", proof.headline


def test_after_readings_of_finished_jobs_lie_in_the_familys_bands(db: Session) -> None:
    for job in (j for j in jobs_of(db) if j.state == "finished"):
        bands = family_of(job).bands
        after = measured(job, "after", "idle")
        assert after is not None
        for channel in bands.keys() & {c for row in after.rows for c in row}:
            found = mean(after.column(channel))
            assert bands[channel].low <= found <= bands[channel].high, (job.number, channel, found)


@pytest.mark.parametrize("family", FAMILIES.values(), ids=FAMILIES)
def test_a_sound_engine_idles_inside_its_own_bands(family) -> None:
    speed = (family.bands["idle_rpm"].low + family.bands["idle_rpm"].high) / 2
    found = idle_samples(family, EngineState(roughness_rpm=4), 3, rpm=speed)
    for channel, band in family.bands.items():
        values = [v for v in found.get(channel, []) if v is not None]
        if values and not (channel == "idle_map_kpa" and family.cycle == "two_stroke"):
            assert band.low <= mean(values) <= band.high, (channel, mean(values))


def test_the_simulated_meter_counts_what_speed_and_density_give() -> None:
    family = FAMILIES["A"]
    found = idle_samples(
        family, EngineState(roughness_rpm=5, meter_gain=0.8), 5, rpm=740, count=200
    )
    shown = mean([v for v in found["idle_airflow_g_s"] if v is not None])
    rpm, pressure = (
        mean([v for v in found[c] if v is not None]) for c in ("idle_rpm", "idle_map_kpa")
    )
    assert shown == pytest.approx(
        0.8
        * charge_flow_g_s(
            1.6, rpm, pressure, charge_c=31, volumetric_efficiency=family.volumetric_efficiency_idle
        ),
        rel=0.01,
    )


def test_deposit_profiles_are_thickest_where_oil_runs_to() -> None:
    profile = deposit_profile(6, 2, 12, seed=1)
    assert max(profile) == profile[6] or abs(max(profile) - profile[6]) < 0.7
    assert 1 < min(profile) < 3 and deposit_profile(6, 2, 12, seed=1) == profile


@pytest.mark.parametrize("family_id", FAMILIES)
def test_a_job_of_every_family_runs_to_its_signature(db: Session, family_id: str) -> None:
    """Three parts drawn at random, from intake to sign-off, through the use cases."""
    family = FAMILIES[family_id]
    reachable = sorted({p for o in family.operations for p in o.reaches})
    chosen = random.Random(family_id).sample(reachable, 3)
    odd, maren = person(db, "odd"), person(db, "maren")
    start = datetime.now(UTC) - timedelta(days=12)
    vehicle = intake.add_vehicle(
        Act(db=db, person=odd, now=start),
        intake.NewVehicle(
            plate=f"TW-{family_id}9",
            maker="Brinewell",
            model="Trial",
            year="2020",
            family=family_id,
        ),
    )
    speed = (family.bands["idle_rpm"].low + family.bands["idle_rpm"].high) / 2
    form = intake.IntakeForm(
        complaint="not as it was",
        recent_work="",
        distance_km=90_000.0,
        hours=900.0,
        coolant="ok",
        oil="ok",
        bulletins_source="list",
        bulletins_outcome="none open",
    )
    story = (
        Story(db, odd, start, vehicle=vehicle, form=form)
        .told(("rough_idle",))
        .later(10)
        .measured("before", EngineState(roughness_rpm=20), 1, rpm=speed)
    )
    story.planned(chosen, "the keeper").worked({}).relearned().later(5).measured(
        "after", EngineState(roughness_rpm=4), 2, rpm=speed
    )
    story.driven(10, "quiet").handed_over(maren, "ignition_or_fuel_fault", "", fed=False)
    job = find_job(db, story.number)
    assert job.state == "finished" and job.signed_by_id == maren.id
    assert all(i.closed_at for i in job.items) and all(s.done_at for s in job.steps)
    # Nothing of this work cures what lies outside of it: no test of ours passed.
    assert job.proof.verdict in ("proven", "better_to_confirm"), job.proof.headline
