"""What a stage still needs leads to the place where it is entered."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs.act import Act
from galene.jobs.handover import missing_of
from galene.store.models import Job
from tests.jobs.hands import begun
from tests.web.conftest import Browser


def test_every_lack_of_every_open_job_has_its_place(web: Browser, db: Session, odd: Act) -> None:
    begun(odd, "E", "egr_valve", plate="LACK-1").sets.clear()
    odd.db.commit()
    asked: set[str] = set()
    for job in db.scalars(select(Job).where(Job.state == "open")).unique():
        for lack in missing_of(job):
            path, _, anchor = lack.place.partition("#")
            page = web.get(f"/jobs/{job.number}/{path}").text
            assert f'id="{anchor}"' in page, (job.number, lack)
            asked.add(lack.place)
    assert {"evidence#idle", "work#card", "work#strip", "prove#road", "handover#sign"} <= asked


def test_a_refusal_at_the_end_of_a_stage_links_to_what_is_missing(
    web: Browser, numbers: dict[str, str]
) -> None:
    number = numbers["work"]
    answer = web.submit(f"/jobs/{number}/advance", {"stage": "work"})
    assert answer.status_code == 409
    assert f'<a href="/jobs/{number}/work#card">' in answer.text
    here = web.get(f"/jobs/{number}/work").text
    assert f'<a href="/jobs/{number}/work#card">' in here[here.index('id="onward"') :]
