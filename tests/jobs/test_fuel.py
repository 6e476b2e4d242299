"""Fills of a vehicle: in by file, in their order, evidence of a job, and what a job saved."""

from datetime import timedelta

import pytest

from galene.exchange.fills import FillLine, read_fills, write_fills
from galene.jobs import fuel, intake
from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid
from galene.store.models import Vehicle
from galene.store.repositories import jobs as job_rows
from galene.store.repositories import people, vehicles


def vehicle(act: Act, plate: str) -> Vehicle:
    found = vehicles.by_key(act.db, plate)
    assert found is not None
    return found


def test_out_and_in_again_gives_the_same_and_twice_is_harmless(odd: Act) -> None:
    bus = vehicle(odd, "QN266")
    text = fuel.exported(odd.db, bus)
    assert fuel.preview(odd.db, bus, text, odd.now.date()).new == ()
    assert fuel.take_in(odd, bus, text) == 0
    assert write_fills(read_fills(text)) == text


def test_gallons_and_miles_come_in_as_litres_and_km() -> None:
    lines = read_fills("date;gallons;miles;full\n24.11.2026;10;1000;no\n")
    assert [(x.litres, x.km, x.full) for x in lines] == [(37.85411784, 1609.344, False)]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("date,km\n2026-01-01,100\n", "a column of litres or gallons"),
        ("date,litres,km\n2026-13-01,40,100\n", "line 2, date"),
        ("date,litres,km\n2026-01-01,many,100\n", "line 2, litres"),
        ("date,litres,km\n2026-01-01,40,\n", "line 2, km"),
        ("date,litres,km,load\n2026-01-01,40,9,full of cats\n", "line 2, load"),
        ("date,litres,km\n2026-01-01,4000,100\n", "Line 2: 4000 litres"),
        ("date,litres,km\n2099-01-01,40,100\n", "2099-01-01 is no day"),
        ("date,litres,km\n2026-01-02,40,200\n2026-01-03,40,100\n", "does not follow"),
        ("date,litres,km\n2026-01-02,40,100\n2026-01-03,40,100\n", "does not follow"),
        ("date,litres,km,hours\n2026-01-02,40,100,\n2026-01-03,40,,9\n", "one kind"),
        ("", "nothing"),
        ("date,litres,km\n2026-01-01,40\x00,100\n", "no text has"),
    ],
)
def test_a_file_that_can_not_be_is_refused_whole(odd: Act, text: str, words: str) -> None:
    bus = vehicle(odd, "QN114")
    with pytest.raises(Invalid) as caught:
        fuel.take_in(odd, bus, text)
    assert words in caught.value.fields["file"]
    assert fuel.book_of(odd.db, bus.id).fills == ()


def test_a_typed_fill_must_lie_between_its_neighbours(odd: Act) -> None:
    bus = vehicle(odd, "QN266")
    last = fuel.book_of(odd.db, bus.id).fills[-1]
    assert last.km
    line = FillLine(
        line=0, day=odd.now.date(), litres=40, km=last.km - 5, hours=None, full=True, load=""
    )
    with pytest.raises(Invalid):
        fuel.add(odd, bus, line)


def test_the_demos_minibus_saves_and_says_how_much(odd: Act) -> None:
    bus = vehicle(odd, "QN266")
    job = next(j for j in job_rows.of_vehicle(odd.db, bus.id, 9) if j.state == "finished")
    shop = people.workshop(odd.db)
    found = fuel.change_by(odd.db, job, shop)
    assert found is not None and found.change.verdict == "improved"
    assert found.saves is not None and found.saves.verdict == "pays"
    assert found.saves.saved_low and 0 < found.saves.saved_low < found.saves.saved_per_month
    shop.fuel_price = None
    dear = fuel.change_by(odd.db, job, shop)
    assert dear is not None and dear.saves is None


def test_flat_fills_are_evidence_of_the_job_and_what_was_said_stays(odd: Act) -> None:
    hauler = vehicle(odd, "QN501")
    assert fuel.book_of(odd.db, hauler.id).flat is True
    job = intake.open_job(odd, hauler, "weak")
    fuel.say_flat(odd, job)
    said = next(o for o in job.observations if o.evidence == fuel.FLAT)
    assert (said.state, said.source) == ("present", "calculation")
    intake.tap(odd, job.number, fuel.FLAT, was="present", state="absent")
    fuel.say_flat(odd, find_job(odd.db, job.number))
    said = next(o for o in job.observations if o.evidence == fuel.FLAT)
    assert said.state == "absent"


def test_a_fill_is_taken_out_and_stays_in_the_trace(odd: Act) -> None:
    bus = vehicle(odd, "QN266")
    fills = fuel.book_of(odd.db, bus.id).fills
    fuel.remove(odd, bus, fills[3].id)
    odd.db.flush()
    assert len(fuel.book_of(odd.db, bus.id).fills) == len(fills) - 1


def test_a_second_work_ends_what_the_first_one_is_judged_by(odd: Act) -> None:
    bus = vehicle(odd, "QN266")
    job = next(j for j in job_rows.of_vehicle(odd.db, bus.id, 9) if j.state == "finished")
    shop = people.workshop(odd.db)
    before = fuel.change_by(odd.db, job, shop)
    later = intake.open_job(odd, bus, "again")
    later.work_began_at = job.work_began_at + timedelta(days=200)
    odd.db.flush()
    after = fuel.change_by(odd.db, job, shop)
    assert before and after
    assert after.change.after_low != before.change.after_low
