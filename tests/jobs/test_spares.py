"""Parts on the shelf: short before the first bolt, held when agreed to, taken by the step."""

import pytest
from sqlalchemy import select

from galene.jobs import plan, spares
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Stale
from galene.knowledge.bill import spare_of
from galene.store.models import SpareReserved, SpareStock
from tests.jobs.hands import begun, finish_card


def stock_of(act: Act, number: str) -> SpareStock:
    return act.db.scalars(select(SpareStock).where(SpareStock.number == number)).one()


def lines(act: Act) -> dict[str, spares.StockLine]:
    return {line.stock.number: line for line in spares.stock_lines(act.db)}


def test_what_is_agreed_to_is_held_and_what_is_fitted_is_taken(odd: Act) -> None:
    ring = "SK-2231"
    before = lines(odd)[ring]
    pieces = before.stock.pieces
    job = begun(odd, "A", "map_sensor", plate="SP-001")
    held = lines(odd)[ring]
    assert (held.reserved - before.reserved, held.stock.pieces) == (1, pieces)
    finish_card(odd, job)
    after = lines(odd)[ring]
    assert after.stock.pieces == pieces - 1
    assert after.reserved == before.reserved


def test_short_parts_are_told_before_the_first_bolt(odd: Act) -> None:
    ring = "SK-2231"
    row = stock_of(odd, ring)
    spares.save_stock(
        odd, ring, row.name, pieces=0, place=row.place, least=row.least, seen=row.revision
    )
    job = begun(odd, "A", "map_sensor", plate="SP-002")
    bill = job.plans[0].document.bill
    found = {h.spare.number: h for h in spares.against_stock(odd.db, job, bill.spares)}
    assert found[ring].short and found[ring].place == row.place
    other = [h for n, h in found.items() if n != ring]
    assert not any(h.short for h in other if h.known)


def test_two_jobs_do_not_count_on_one_piece(odd: Act) -> None:
    ring = "SK-2231"
    row = stock_of(odd, ring)
    mine = lines(odd)[ring].reserved
    spares.save_stock(
        odd, ring, row.name, pieces=mine + 1, place=row.place, least=row.least, seen=row.revision
    )
    begun(odd, "A", "map_sensor", plate="SP-003")
    second = begun(odd, "A", "map_sensor", plate="SP-004")
    found = spares.against_stock(odd.db, second, second.plans[0].document.bill.spares)
    assert [h.short for h in found if h.spare.number == ring] == [True]


def test_a_new_plan_lets_go_of_what_it_no_longer_needs(odd: Act) -> None:
    job = begun(odd, "A", "map_sensor", plate="SP-005")
    numbers = select(SpareReserved.number).where(SpareReserved.job_id == job.id)
    assert "SK-2231" in set(odd.db.scalars(numbers))
    job = plan.save_plan(
        odd, job.number, ["air_filter"], extra_spares=[], seen=job.plans[0].version
    )
    plan.approve_plan(odd, job.number, job.plans[0].version, who="the keeper")
    assert "SK-2231" not in set(odd.db.scalars(numbers))
    assert spare_of(family_of(job), "map_o_ring").number == "SK-2231"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"number": ""}, "number"),
        ({"number": "x" * 41}, "number"),
        ({"name": "y"}, "name"),
        ({"pieces": None}, "pieces"),
        ({"pieces": -1}, "pieces"),
        ({"pieces": 10_000}, "pieces"),
        ({"least": None}, "least"),
        ({"place": "z" * 81}, "place"),
    ],
)
def test_a_count_that_can_not_be_is_named(odd: Act, change: dict[str, object], field: str) -> None:
    given = {
        "number": "ZZ-1",
        "name": "A ring",
        "pieces": 1,
        "place": "",
        "least": 0,
        "seen": 0,
        **change,
    }
    with pytest.raises(Invalid) as caught:
        spares.save_stock(odd, **given)
    assert field in caught.value.fields


def test_a_count_over_somebody_elses_is_refused(odd: Act, pia: Act) -> None:
    row = stock_of(odd, "SK-1651")
    seen = row.revision
    spares.save_stock(
        pia, row.number, row.name, pieces=9, place=row.place, least=row.least, seen=seen
    )
    with pytest.raises(Stale):
        spares.save_stock(
            odd, row.number, row.name, pieces=3, place=row.place, least=row.least, seen=seen
        )
    assert stock_of(odd, "SK-1651").pieces == 9
