"""Vehicles outside a job: changed, merged, retired; a keeper's data given out and erased."""

from collections.abc import Callable

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.planning.records import PartWork
from galene.jobs.act import Act
from galene.jobs.errors import Refused
from galene.jobs.intake import open_job
from galene.jobs.plan import check_scope
from galene.store.models import AuditEntry, Job, Person, Vehicle
from galene.web.shared.forms import field_words
from galene.web.shared.templating import plain_words
from tests.web.conftest import Browser, flat

GIVEN = {
    "plate": "QN-114",
    "maker": "Brinewell",
    "model": "Causeway 12-seat",
    "year": "2017",
    "family": "A",
    "keeper": "Quillness school run",
    "contact": "mornings at the quay office",
}


def vehicle(db: Session, key: str) -> Vehicle | None:
    db.expire_all()
    return db.scalar(select(Vehicle).where(Vehicle.plate_key == key))


def changed(browser: Browser, db: Session, key: str, **values: object) -> int:
    found = vehicle(db, key)
    assert found is not None
    sent = {**GIVEN, "seen": str(found.revision), **values}
    return browser.submit(f"/vehicles/{key}/record", sent).status_code


@pytest.fixture
def idle(db: Session) -> Vehicle:
    """A vehicle of family A that was here and is not now."""
    return next(
        v
        for v in db.scalars(select(Vehicle).where(Vehicle.family_id == "A")).unique()
        if v.jobs and all(j.state == "finished" for j in v.jobs)
    )


def test_a_plate_changes_and_the_old_one_still_leads_there(web: Browser, db: Session) -> None:
    assert changed(web, db, "QN114", plate="QN 900") == 303
    assert vehicle(db, "QN114") is None and vehicle(db, "QN900") is not None
    page = web.get("/vehicles/QN114")
    assert "QN 900" in page.text and "mornings at the quay office" in page.text
    assert "QN-114" in web.get("/vehicles/QN900/record").text
    again = {**GIVEN, "plate": "QN114"}
    assert web.submit("/vehicles/new", again).status_code == 303, "a new one may have it"
    assert "QN 900" not in web.get("/vehicles/QN114").text


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"plate": "QN-207"}, "is another vehicle"),
        ({"plate": "!"}, "2 to 12"),
        ({"family": "Z"}, "Choose the engine family"),
        ({"year": "1066"}, "A year from"),
        ({"model": ""}, "Say what vehicle"),
        ({"keeper": "k" * 200}, "At most 120"),
    ],
)
def test_what_can_not_be_is_named(
    web: Browser, idle: Vehicle, values: dict[str, str], words: str
) -> None:
    sent = {**GIVEN, "plate": idle.plate, "seen": str(idle.revision), **values}
    answer = web.submit(f"/vehicles/{idle.plate_key}/record", sent)
    assert answer.status_code == 422 and words in answer.text


def test_somebody_was_faster(web: Browser, db: Session) -> None:
    assert changed(web, db, "QN114", keeper="one") == 303
    answer = web.submit("/vehicles/QN114/record", {**GIVEN, "seen": "1", "keeper": "other"})
    assert answer.status_code == 409 and "Odd Hessel" in answer.text


def test_a_family_stays_while_a_job_is_open(web: Browser, db: Session) -> None:
    job = db.scalars(select(Job).where(Job.state == "open", Job.family_id == "A")).first()
    assert job is not None
    key = job.vehicle.plate_key
    assert changed(web, db, key, plate=job.vehicle.plate, family="B") == 422


def test_families_are_told_apart_by_what_stands_on_the_engine(web: Browser) -> None:
    for path in ("/vehicles/new", "/jobs/new?plate=zz900&add=1"):
        page = flat(web.get(path)).replace("\u202f", " ")
        for words in (
            "petrol, 1.6 l, 4 cylinders",
            "petrol, direct, 2 l, 4 cylinders",
            "diesel, 7.8 l, 6 cylinders",
            "petrol two-stroke, 0.25 l, 1 cylinder<",
        ):
            assert words in page, (path, words)


def test_a_mark_of_danger_is_taken_away_by_a_foreman_only(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    assert changed(as_person("odd"), db, "QN114", hazards="hybrid") == 303
    assert changed(as_person("odd"), db, "QN114") == 422
    assert changed(as_person("maren"), db, "QN114") == 303


def test_only_who_is_qualified_plans_a_marked_vehicle(odd: Act, db: Session) -> None:
    found = vehicle(db, "QN114")
    assert found is not None
    found.hazards = ["hybrid"]
    job = open_job(odd, found, "it stalls")
    works = (PartWork(part="throttle_body", work="clean"),)
    with pytest.raises(Refused, match="Odd Hessel is not entered as qualified"):
        check_scope(job, works)
    odd.person.skills = ["airbag"]
    with pytest.raises(Refused):
        check_scope(job, works)
    odd.person.skills = ["airbag", "hybrid"]
    check_scope(job, works)


def test_twins_are_merged(as_person: Callable[[str], Browser], db: Session, idle: Vehicle) -> None:
    web, path = as_person("maren"), f"/vehicles/{idle.plate_key}/merge"
    twin = {**GIVEN, "plate": "QN-11A", "model": "twin"}
    assert web.submit("/vehicles/new", twin).status_code == 303
    opened = web.submit("/jobs/new", {"plate": "QN-11A", "complaint": "it stalls"})
    number = opened.headers["location"].split("/")[2]
    proof = {"password_again": "slipway-maren"}
    for bad in (idle.plate, "NO-SUCH", "QN-088", ""):
        answer = web.submit(path, {"twin": bad, **proof})
        assert answer.status_code in (404, 422), bad
    assert web.submit(path, {"twin": "QN-11A"}).status_code == 422
    done = web.submit(path, {"twin": "qn 11a", **proof})
    assert done.status_code == 303
    assert vehicle(db, "QN11A") is None
    job = db.scalars(select(Job).where(Job.number == number)).one()
    assert job.vehicle_id == idle.id
    assert "QN-11A" in web.get("/vehicles/QN11A/record").text
    assert db.scalars(select(AuditEntry).where(AuditEntry.action == "vehicles_merged")).one()


def test_a_retired_one_is_due_no_more_and_not_taken_in(
    as_person: Callable[[str], Browser], db: Session, idle: Vehicle
) -> None:
    web = as_person("maren")
    busy = next(
        v for v in db.scalars(select(Vehicle)).unique() if any(j.state == "open" for j in v.jobs)
    )
    key, plate = idle.plate_key, idle.plate
    assert web.submit(f"/vehicles/{busy.plate_key}/retire").status_code == 409
    due = {row["plate"] for row in web.get("/api/v1/fleet").json()}
    for _ in range(2):
        assert web.submit(f"/vehicles/{key}/retire").status_code == 303
    left = {row["plate"] for row in web.get("/api/v1/fleet").json()}
    assert left == due - {plate}
    refused = web.submit("/jobs/new", {"plate": plate, "complaint": "it stalls"})
    assert refused.status_code == 409 and "out of the fleet" in refused.text
    assert web.submit(f"/vehicles/{key}/bring-back").status_code == 303
    assert web.submit("/jobs/new", {"plate": plate, "complaint": "it stalls"}).status_code == 303


def test_a_keepers_data_goes_out_and_is_erased_but_for_what_must_stay(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    web = as_person("maren")
    keeper = "Quillness school run"
    assert changed(web, db, "QN114") == 303
    web.submit("/fleet/calendars", {"keeper": keeper})
    data = web.get("/keepers/data.json", params={"keeper": keeper}).json()
    contacts = {v["plate"]: v["contact"] for v in data["vehicles"]}
    assert contacts["QN-114"] == "mornings at the quay office" and "QN-266" in contacts
    assert len(data["calendars"]) == 1
    page = web.get("/keepers", params={"keeper": keeper}).text
    assert "The trace of who did what when" in page, "what stays is told before"
    jobs = db.scalars(select(Job.number)).all()
    assert web.submit("/keepers/erase", {"keeper": keeper}).status_code == 422
    done = web.submit("/keepers/erase", {"keeper": keeper, "password_again": "slipway-maren"})
    assert done.status_code == 303
    db.expire_all()
    assert db.scalars(select(Job.number)).all() == jobs
    for path in ("/vehicles/QN114", "/fleet", "/keepers", "/vehicles"):
        assert keeper not in web.get(path).text and "quay office" not in web.get(path).text, path
    assert web.get("/keepers/data.json", params={"keeper": keeper}).status_code == 404
    assert db.scalars(select(Person)).first() is not None


def test_a_field_is_told_by_the_page_s_own_word() -> None:
    assert field_words("keeper") == "Owner" and plain_words("keeper") == "owner"
    assert field_words("work:throttle_body") == "Work: throttle body"
