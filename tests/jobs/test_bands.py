"""A signed job moves its band, and nothing of it is ever lost."""

import json
from collections.abc import Iterator

import pytest
from sqlalchemy import select

from galene.core.jobcard.job_records import ConfirmedCause
from galene.jobs import bands, handover, stages, work
from galene.jobs.act import Act, family_of, find_job
from galene.jobs.errors import Invalid, Missing, NotAllowed
from galene.jobs.handover import BROKEN, ItWas
from galene.jobs.proof import told_of
from galene.store.models import BandSample, Job
from tests.jobs.hands import begun, do


@pytest.fixture
def signed(odd: Act, maren: Act) -> Iterator[Job]:
    """A throttle cleaned, proven and signed."""
    job = begun(odd, "A", "throttle_body", plate="BN-1")
    while (row := work.current_step(job)) is not None:
        do(odd, job, row)
    it_was = ItWas(causes=(ConfirmedCause(id="throttle_deposit", found=BROKEN),))
    job.stage = "handover"
    job.bulletins = job.bulletins.__class__(source="list", outcome="none")
    job.complaint, job.distance_km = "it shakes", 90_000.0
    handover.save_handover(odd, job.number, it_was, advice="", fed=False, seen=0)
    maren.now = odd.now
    handover.sign(maren, job.number)
    yield find_job(odd.db, job.number)


def test_a_signed_job_moves_its_band(odd: Act, maren: Act, signed: Job) -> None:
    family = family_of(signed)
    own = {
        s.metric: s
        for s in odd.db.scalars(select(BandSample).where(BandSample.job_id == signed.id))
    }
    assert signed.proof.verdict == "proven" and "idle_rpm" in own
    with_it = bands.bands_of(odd.db, family)["idle_rpm"]
    assert "proven job" in with_it.source
    bands.set_aside(maren, "A", own["idle_rpm"].id, why="the lamps were on")
    without = bands.bands_of(odd.db, family)["idle_rpm"]
    assert (without.low, without.high) != (with_it.low, with_it.high)
    story = next(s for s in bands.stories_of(odd.db, family) if s.metric == "idle_rpm")
    assert own["idle_rpm"] in story.samples and own["idle_rpm"] not in story.counted
    bands.set_aside(maren, "A", own["idle_rpm"].id, why="")
    assert bands.bands_of(odd.db, family)["idle_rpm"] == with_it
    with pytest.raises(NotAllowed):
        bands.set_aside(odd, "A", own["idle_rpm"].id, why="no")
    with pytest.raises(Missing):
        bands.set_aside(maren, "B", own["idle_rpm"].id, why="no")
    with pytest.raises(Invalid):
        bands.set_aside(maren, "A", own["idle_rpm"].id, why="x" * 201)


def test_a_signed_report_goes_by_the_bands_of_its_day(odd: Act, signed: Job) -> None:
    family = family_of(signed)
    then = bands.bands_of(odd.db, family, before=signed.signed_at)
    assert then["idle_rpm"] != bands.bands_of(odd.db, family)["idle_rpm"]
    shown = {r.metric: r.band for r in told_of(odd.db, signed).proof.readings}
    assert shown["idle_rpm"] == then["idle_rpm"]


def test_nothing_is_too_steady(signed: Job, odd: Act) -> None:
    band = bands.bands_of(odd.db, family_of(signed))["idle_rpm_spread"]
    assert band.low == 0 < band.high and "proven" in band.source


def test_a_job_that_is_opened_again_is_no_sample(odd: Act, maren: Act, signed: Job) -> None:
    counted = len(bands.exported(odd.db, "A", "shed")["samples"])
    handover.reopen(maren, signed.number, "came back", stage="handover")
    aside = [
        s
        for s in odd.db.scalars(select(BandSample).where(BandSample.job_id == signed.id))
        if s.set_aside_why
    ]
    assert aside and {s.set_aside_why for s in aside} == {"the job was opened again"}
    assert len(bands.exported(odd.db, "A", "shed")["samples"]) == counted - len(aside)
    assert not find_job(odd.db, signed.number).proof.verdict
    handover.sign(maren, signed.number)
    assert len(bands.exported(odd.db, "A", "shed")["samples"]) == counted
    assert stages.STAGES[-1] == "handover"


def test_samples_go_out_and_come_in_once(odd: Act, maren: Act, signed: Job) -> None:
    document = bands.exported(odd.db, "A", "the other shed")
    assert all("shed" in s["source"] for s in document["samples"])
    new = bands.take_in(maren, "A", json.dumps(document))
    assert new == len(document["samples"]) > 0
    assert bands.take_in(maren, "A", json.dumps(document)) == 0
    with pytest.raises(NotAllowed):
        bands.take_in(odd, "A", json.dumps(document))
