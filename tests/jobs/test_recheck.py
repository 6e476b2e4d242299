"""What is still to come of a signed job stands on Today until somebody says what came of it."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from galene.core.jobcard.job_records import ConfirmedCause
from galene.jobs import handover, recheck, work
from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid, Refused
from galene.jobs.handover import BROKEN, ItWas
from galene.jobs.intake import add_codes
from galene.store.models import BandSample, Job
from tests.jobs.hands import begun, do


@pytest.fixture
def unsure(odd: Act, maren: Act) -> Job:
    """Signed, with the monitors not ready: a code was the complaint."""
    job = begun(odd, "A", "throttle_body", plate="RC-1")
    add_codes(odd, job.number, "P0506")
    while (row := work.current_step(job)) is not None:
        do(odd, job, row)
    job.monitors_ready = False
    job.stage, job.complaint, job.distance_km = "handover", "light on", 90_000.0
    job.bulletins = job.bulletins.__class__(source="list", outcome="none")
    it_was = ItWas(causes=(ConfirmedCause(id="throttle_deposit", found=BROKEN),))
    handover.save_handover(odd, job.number, it_was, advice="", fed=False, seen=0)
    maren.now = odd.now
    return handover.sign(maren, job.number)


def samples(act: Act, job: Job) -> int:
    return len(act.db.scalars(select(BandSample).where(BandSample.job_id == job.id)).all())


def test_it_stands_on_today_until_it_is_said(odd: Act, unsure: Job) -> None:
    assert unsure.proof.verdict == "better_to_confirm" and unsure.proof.missing == ("monitors",)
    assert unsure.proof.recheck_on == unsure.signed_at + timedelta(days=7)
    odd.db.flush()
    assert [r.late for r in recheck.rechecks(odd.db, odd.now) if r.job is unsure] == [False]
    later = odd.now + timedelta(days=8)
    assert [r.late for r in recheck.rechecks(odd.db, later) if r.job is unsure] == [True]
    assert samples(odd, unsure) == 0, "what is not proven moves no band"
    for note in ("", "x" * 301):
        with pytest.raises(Invalid):
            recheck.confirm(odd, unsure.number, holds=True, note=note)
    recheck.confirm(odd, unsure.number, holds=True, note="monitors ready, no code")
    recheck.confirm(odd, unsure.number, holds=False, note="second answer changes nothing")
    odd.db.flush()
    assert unsure.proof.holds and unsure.proof.confirmed_by == odd.person.name
    assert samples(odd, unsure) > 0
    assert unsure not in [r.job for r in recheck.rechecks(odd.db, later)]


def test_what_came_back_moves_no_band(odd: Act, unsure: Job) -> None:
    recheck.confirm(odd, unsure.number, holds=False, note="light is on again")
    assert unsure.proof.holds is False and samples(odd, unsure) == 0


def test_only_what_is_open_can_be_confirmed(odd: Act) -> None:
    whole = odd.db.scalars(select(Job).where(Job.state == "finished")).unique().first()
    assert whole
    with pytest.raises(Refused, match="Nothing to confirm"):
        recheck.confirm(odd, whole.number, holds=True, note="fine")
    assert find_job(odd.db, whole.number).proof.holds is None
