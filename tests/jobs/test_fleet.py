"""What is due when: from what grew on the vehicle, in its own days, and as a calendar."""

from datetime import date, timedelta
from typing import Any

import pytest
from icalendar import Calendar
from sqlalchemy.orm import Session

from galene.core.learning.growth import FED_FACTOR
from galene.exchange.calendar import calendar_of
from galene.jobs import fleet, handover, intake
from galene.jobs.act import Act, family_of, find_job
from galene.jobs.errors import Invalid, Missing
from galene.jobs.growth import LIMIT_GRADE, life_of, next_look_for, next_look_of
from galene.store.models import Job, Vehicle
from galene.store.repositories import jobs as rows
from galene.store.repositories import people, vehicles


def vehicle_of(db: Session, key: str) -> Vehicle:
    found = vehicles.by_key(db, key)
    assert found
    return found


def visited(db: Session, key: str) -> list[Job]:
    found = rows.of_vehicle(db, vehicle_of(db, key).id, limit=60)
    return [j for j in reversed(found) if j.state == "finished"]


def test_the_demo_shows_a_fleet_over_three_years(odd: Act) -> None:
    today = odd.now.date()
    due = {v.plate: v for v in fleet.due_vehicles(odd.db, today)}
    assert due["QN-118"].standing == "overdue" and due["QN-118"].on < today
    assert due["QN-114"].standing == "here", "it stands in the workshop"
    assert due["QN-F5"].look.hours and due["QN-F5"].parts == ("Crankcase hose",)
    assert next(iter(due)) == "QN-118", "overdue first"
    for one in due.values():
        assert one.low <= one.on <= one.high
    own = fleet.due_vehicles(odd.db, today, "Beach patrol")
    assert [v.plate for v in own] == ["QN-F5"]


def test_a_cured_feed_slows_what_is_to_come_and_says_so(odd: Act) -> None:
    cured = visited(odd.db, "QN121")
    life = life_of(odd.db, cured, family_of(cured[-1]))
    assert life
    line = life.lines[0]
    assert line.cured and [v.cured for v in line.visits] == [False, True, False]
    assert "mended" in cured[-1].handover.next_look.reason
    fed = life_of(odd.db, cured[:1], family_of(cured[0]))
    assert fed and not fed.lines[0].cured
    room = LIMIT_GRADE / line.rate.usual
    assert line.due.at - line.visits[-1].at == pytest.approx(room * FED_FACTOR)


def test_a_worse_find_brings_the_date_nearer(odd: Act) -> None:
    job = visited(odd.db, "QN118")[-1]
    before = next_look_for(odd.db, job, fed=False)
    row = next(k for k in job.looks if k.phase == "before")
    row.grade = 4
    after = next_look_for(odd.db, job, fed=False)
    assert before and after and after.at < before.at
    assert after.low < after.at < after.high


def test_a_part_that_was_only_looked_at_has_no_date(odd: Act) -> None:
    cleaned = visited(odd.db, "QN114")
    life = life_of(odd.db, cleaned, family_of(cleaned[-1]))
    assert life and "throttle_body" in [line.part for line in life.lines]
    looked_at = {k.part for j in cleaned for k in j.looks} - {
        k.part for j in cleaned for k in j.looks if k.phase == "after"
    }
    assert looked_at and not looked_at & {line.part for line in life.lines}


def test_a_vehicle_without_odometer_and_hours_has_no_date(odd: Act) -> None:
    job = visited(odd.db, "QN118")[-1]
    job.distance_km = None
    job.hours = None
    assert next_look_for(odd.db, job, fed=False) is not None, "its earlier visits have one"
    for one in visited(odd.db, "QN118"):
        one.distance_km = None
    assert next_look_for(odd.db, job, fed=False) is None


def events(db: Session, today: date, keeper: str = "") -> dict[str, Any]:
    due = fleet.due_vehicles(db, today, keeper)
    made = calendar_of(due, "Due", next(v.signed_at for v in due))
    read = Calendar.from_ical(made)
    return {str(e["summary"]).partition(":")[0]: e for e in read.walk("VEVENT")}


def test_a_calendar_is_read_back_and_follows_the_job(odd: Act, maren: Act) -> None:
    today = odd.now.date()
    first = events(odd.db, today)
    one = first["QN-118"]
    due = {v.plate: v for v in fleet.due_vehicles(odd.db, today)}
    assert one["dtstart"].dt == due["QN-118"].on
    assert one["dtend"].dt == due["QN-118"].on + timedelta(days=1)
    assert one["status"] == "CONFIRMED" and first["QN-114"]["status"] == "CANCELLED"
    # It is taken in: the event falls away under the same id. It goes out: the date comes back.
    intake.open_job(odd, vehicle_of(odd.db, "QN118"), "It is its time")
    again = events(odd.db, today)["QN-118"]
    assert again["uid"] == one["uid"] and again["status"] == "CANCELLED"
    assert "Beach" not in str(events(odd.db, today, "Quillness school run"))


def test_a_calendars_address_is_secret_and_can_be_closed(odd: Act) -> None:
    with pytest.raises(Invalid):
        fleet.open_feed(odd, "Nobody")
    secret = fleet.open_feed(odd, "Beach patrol")
    feed = fleet.feed_by_secret(odd.db, secret)
    assert feed and feed.keeper == "Beach patrol" and secret not in feed.secret_hash
    assert fleet.feed_by_secret(odd.db, secret + "x") is None
    assert fleet.feed_by_secret(odd.db, "x" * 9000) is None
    fleet.close_feed(odd, feed.id)
    fleet.close_feed(odd, feed.id)
    assert fleet.feed_by_secret(odd.db, secret) is None and fleet.feeds_of(odd.db) == []
    with pytest.raises(Missing):
        fleet.close_feed(odd, 999_999)


def test_a_reopened_job_is_not_what_the_next_date_comes_from(odd: Act, maren: Act) -> None:
    job = visited(odd.db, "QN118")[-1]
    family, today = family_of(job), odd.now.date()
    before = fleet.due_vehicle(odd.db, job.vehicle, today, family=family, here=False)
    handover.reopen(maren, job.number, "it came back", stage="handover")
    after = fleet.due_vehicle(odd.db, job.vehicle, today, family=family, here=True)
    assert before and after and before.number != after.number and after.standing == "here"
    assert find_job(odd.db, job.number).state == "open"


def test_a_shop_may_go_by_what_waiting_costs(odd: Act) -> None:
    van = vehicles.by_key(odd.db, "QN118")
    assert van is not None
    visited = list(reversed(rows.of_vehicle(odd.db, van.id, 60)))
    family = family_of(visited[-1])
    shop = people.workshop(odd.db)
    by_grade = life_of(odd.db, visited, family)
    shop.due_by, shop.off_road_per_day = "cost", 5000.0
    odd.db.flush()
    by_cost = life_of(odd.db, visited, family)
    assert by_grade and by_cost
    assert by_grade.lines[0].limit == 2.0
    assert by_cost.lines[0].limit < 2.0 and by_cost.lines[0].due.at < by_grade.lines[0].due.at
    look = next_look_of(by_cost)
    assert look and "where waiting costs more than cleaning" in look.reason
