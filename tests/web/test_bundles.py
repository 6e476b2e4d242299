"""Bundles and tables over the web."""

import csv
import io
import json
import re
import zipfile
from collections.abc import Callable

import pytest
from sqlalchemy.orm import Session

from galene.jobs.tables import TABLES
from galene.store.models import Job
from tests.conftest import demo_jobs
from tests.jobs.test_bundles import STRANGE, edited, leaves, rezipped
from tests.web.conftest import Browser


@pytest.fixture
def web(as_person: Callable[[str], Browser]) -> Browser:
    """The foreman, whose this is to change."""
    return as_person("maren")


def test_a_job_goes_out_whole_with_its_report(web: Browser, db: Session) -> None:
    number = demo_jobs(db)["handover"]
    answer = web.get(f"/jobs/{number}/bundle.zip")
    assert answer.headers["content-type"] == "application/zip"
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        names = archive.namelist()
        assert f"jobs/{number}/job.json" in names and "manifest.json" in names
        assert archive.read(f"jobs/{number}/report.pdf").startswith(b"%PDF")
        assert json.loads(archive.read("manifest.json"))["jobs"] == [number]
    assert web.get("/jobs/99-0001/bundle.zip").status_code == 404
    assert zipfile.is_zipfile(io.BytesIO(web.get("/vehicles/QN114/bundle.zip").content))
    some = web.get(f"/bundles/some.zip?job={number}")
    assert zipfile.is_zipfile(io.BytesIO(some.content))
    assert web.get("/bundles/some.zip").status_code == 404
    assert web.get("/bundles/some.zip?job=nothing").status_code == 404


def test_a_foreman_looks_and_takes_in(as_person: Callable[[str], Browser], db: Session) -> None:
    number = demo_jobs(db)["handover"]
    web = as_person("maren")
    data = web.get(f"/jobs/{number}/bundle.zip").content
    changed = rezipped(data, edited("job.complaint", "quite another"), honest=True)
    before = db.query(Job).count()
    look = web.submit("/bundles/look", files={"file": ("b.zip", changed)})
    assert look.status_code == 200 and "its number is taken" in look.text
    assert db.query(Job).count() == before
    staged = re.search(r'name="staged" value="(\w+)"', look.text)
    assert staged
    refused = web.submit("/bundles", {"staged": staged[1]})
    assert refused.status_code == 422 and "has the number" in refused.text
    came = web.submit("/bundles", {"staged": staged[1], "renumber": "yes"})
    assert came.status_code == 200 and "came in from" in came.text
    assert db.query(Job).count() == before + 1
    new = re.search(r'<a class="num" href="/jobs/([\d-]+)">', came.text)
    assert new and "quite another" in web.get(f"/jobs/{new[1]}/report").text
    gone = web.submit("/bundles", {"staged": "0" * 64})
    assert gone.status_code == 422 and "waits no more" in gone.text
    same = web.submit("/bundles/look", files={"file": ("b.zip", data)})
    assert "here already" in same.text
    for bad in (b"", b"no zip", data[:-50]):
        answer = web.submit("/bundles/look", files={"file": ("b.zip", bad)})
        assert answer.status_code == 422 and "fault" in answer.text


def test_a_technician_takes_nothing_in(as_person: Callable[[str], Browser]) -> None:
    web = as_person("odd")
    answer = web.submit("/bundles/look", files={"file": ("b.zip", b"x")})
    assert answer.status_code == 403
    assert web.submit("/bundles", {"staged": "0" * 64}).status_code == 403
    assert "A foreman takes bundles in" in web.get("/bundles").text


def test_what_comes_in_changed_breaks_no_page(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    """Whatever is accepted is a job whose every page answers."""
    from random import Random

    web = as_person("maren")
    number = demo_jobs(db)["handover"]
    data = web.get(f"/jobs/{number}/bundle.zip").content
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        document = json.loads(archive.read(f"jobs/{number}/job.json"))
    document.pop("trace")
    places = [p for p in leaves(document) if not p.startswith(("family.", "steps."))]
    random, looked_at = Random(21), 0
    for _ in range(8):
        place, value = random.choice(places), random.choice(STRANGE)
        changed = rezipped(data, edited(place, value), honest=True)
        look = web.submit("/bundles/look", files={"file": ("b.zip", changed)})
        assert look.status_code in (200, 422), (place, value)
        staged = re.search(r'name="staged" value="(\w+)"', look.text)
        if not staged:
            continue
        came = web.submit("/bundles", {"staged": staged[1], "renumber": "yes"})
        new = re.search(r'<a class="num" href="/jobs/([\d-]+)">', came.text)
        assert came.status_code == 200 and new, (place, value)
        for page in ("intake", "evidence", "diagnosis", "plan", "work", "prove", "handover"):
            answer = web.get(f"/jobs/{new[1]}/{page}")
            assert answer.status_code < 500, (place, value, page)
        looked_at += 1
    assert looked_at
    assert web.get("/fleet").status_code == web.get("/").status_code == 200


@pytest.mark.parametrize("name", sorted(TABLES))
def test_every_table_goes_out(web: Browser, name: str) -> None:
    answer = web.get(f"/tables/{name}.csv")
    lines = list(csv.reader(io.StringIO(answer.text)))
    assert tuple(lines[0]) == TABLES[name].fields
    assert len(lines) > 1 and all(len(line) == len(lines[0]) for line in lines)


def test_no_other_table_goes_out(web: Browser) -> None:
    assert web.get("/tables/people.csv").status_code == 404
