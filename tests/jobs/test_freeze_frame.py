"""A code's frame becomes evidence, and leaves with what it came from."""

import pytest

from galene.core.diagnosis.freeze_frame import FreezeFrame
from galene.jobs import intake
from galene.jobs.act import Act
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Invalid, Missing
from galene.store.models import Job, Vehicle
from galene.store.repositories import vehicles


def fresh(act: Act) -> Job:
    van = vehicles.by_key(act.db, "QN114")
    assert isinstance(van, Vehicle)
    job = intake.open_job(act, van, "it shakes")
    intake.add_codes(act, job.number, "P0171")
    return job


def sources(job: Job) -> dict[str, str]:
    return {o.evidence: o.source for o in job.observations}


def chance(job: Job, cause: str) -> float:
    return next(c.probability for c in assess_job(job, 70).causes if c.id == cause)


def test_a_lean_code_at_idle_points_to_a_leak_and_under_way_to_the_meter(odd: Act) -> None:
    job = fresh(odd)
    before = chance(job, "unmetered_air_leak"), chance(job, "maf_dust")
    idle = FreezeFrame(coolant_c=88, rpm=700, load_percent=24, speed_km_h=0)
    intake.save_frame(odd, job.number, "P0171", idle)
    assert sources(job)["code_lean_at_idle"] == "frame"
    assert chance(job, "unmetered_air_leak") > before[0]
    away = FreezeFrame(coolant_c=88, rpm=2700, load_percent=60, speed_km_h=95)
    intake.save_frame(odd, job.number, "P0171", away)
    assert "code_lean_at_idle" not in sources(job)
    assert chance(job, "maf_dust") > before[1]
    intake.remove_code(odd, job.number, "P0171")
    assert "frame" not in sources(job).values()


def test_what_somebody_said_stays(odd: Act) -> None:
    job = fresh(odd)
    intake.tap(odd, job.number, "worse_when_cold", was="unknown", state="absent")
    intake.save_frame(odd, job.number, "P0171", FreezeFrame(coolant_c=5))
    said = next(o for o in job.observations if o.evidence == "worse_when_cold")
    assert (said.state, said.source) == ("absent", "tap")


def test_what_can_not_be_is_named(odd: Act) -> None:
    job = fresh(odd)
    with pytest.raises(Invalid) as caught:
        intake.save_frame(odd, job.number, "P0171", FreezeFrame(rpm=20_000))
    assert "frame_rpm" in caught.value.fields
    with pytest.raises(Missing):
        intake.save_frame(odd, job.number, "P0420", FreezeFrame(rpm=700))
