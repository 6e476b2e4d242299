"""Parts on the shelf: short before the first bolt, held when agreed to, taken by the step."""

from datetime import UTC, datetime
from typing import Any

import pytest
from sqlalchemy import select

from galene.jobs import plan, spares
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Stale
from galene.knowledge.bill import spare_of
from galene.store.models import SpareReserved, SpareStock
from galene.store.repositories import people
from tests.jobs.hands import begun, finish_card


def stock_of(act: Act, number: str) -> SpareStock:
    return act.db.scalars(select(SpareStock).where(SpareStock.number == number)).one()


def lines(act: Act) -> dict[str, spares.StockLine]:
    found = spares.stock_lines(act.db, people.workshop(act.db), act.now)
    return {line.stock.number: line for line in found}


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
    spares.count(odd, row.id, 0, seen=row.revision)
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
    spares.count(odd, row.id, mine + 1, seen=row.revision)
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
        ({"price": -1.0}, "price"),
        ({"lead_days": 731.0}, "lead_days"),
        ({"on_order": -1}, "on_order"),
        ({"expected_on": datetime(2026, 12, 1, tzinfo=UTC)}, "expected_on"),
    ],
)
def test_a_count_that_can_not_be_is_named(odd: Act, change: dict[str, object], field: str) -> None:
    given: dict[str, Any] = {"number": "ZZ-1", "name": "A ring", "pieces": 1, "least": 0, **change}
    with pytest.raises(Invalid) as caught:
        spares.save_stock(odd, spares.StockForm(**given), seen=0)
    assert field in caught.value.fields


def test_a_count_over_somebody_elses_is_refused(odd: Act, pia: Act) -> None:
    row = stock_of(odd, "SK-1651")
    seen = row.revision
    spares.count(pia, row.id, 9, seen=seen)
    for again in (
        lambda: spares.count(odd, row.id, 3, seen=seen),
        lambda: spares.arrive(odd, row.id, 3, seen=seen),
        lambda: spares.save_stock(
            odd,
            spares.StockForm(number=row.number, name=row.name, pieces=3, least=1),
            seen=seen,
        ),
    ):
        with pytest.raises(Stale):
            again()
    assert stock_of(odd, "SK-1651").pieces == 9


def test_what_is_on_order_comes_in_parts(odd: Act) -> None:
    rings = stock_of(odd, "TV-2277")
    assert (rings.pieces, rings.on_order, rings.expected_on) == (0, 4, None)
    spares.arrive(odd, rings.id, 3, seen=rings.revision)
    assert (rings.pieces, rings.on_order) == (3, 1)
    spares.arrive(odd, rings.id, 1, seen=rings.revision)
    assert (rings.pieces, rings.on_order, rings.ordered_at) == (4, 0, None)


def test_a_plan_says_what_is_short_and_when_it_comes(odd: Act) -> None:
    job = begun(odd, "D", "egr_cooler", plate="SP-006")
    bill = job.plans[0].document.bill
    found = {h.spare.number: h for h in spares.against_stock(odd.db, job, bill.spares)}
    assert found["TV-2277"].short
    assert (found["TV-2277"].on_order, found["TV-2277"].lead_days) == (4, 14)


def test_use_makes_the_level_and_a_dear_day_raises_it(odd: Act) -> None:
    shop = people.workshop(odd.db)
    ring = next(x for x in spares.stock_lines(odd.db, shop, odd.now) if x.stock.number == "SK-2231")
    job = begun(odd, "A", "map_sensor", plate="SP-007")
    finish_card(odd, job)
    after = spares.part_life(odd.db, ring.stock.id, shop, odd.now)
    assert after.line.use_per_year > ring.use_per_year
    assert job.number in {j.number for j, _ in after.fitted}
    cheap = spares.level_of(ring.stock, 6.0, 0.0)
    dear = spares.level_of(ring.stock, 6.0, 500.0)
    assert cheap and dear and cheap.level == 0 < dear.level
    ring.stock.lead_days = None
    assert spares.level_of(ring.stock, 6.0, 500.0) is None


@pytest.mark.parametrize(("used", "days", "rate"), [(0, 10, 2.007), (9, 3 * 365.25, 3.167)])
def test_use_a_year_is_counted_with_what_is_not_known(used: int, days: float, rate: float) -> None:
    assert spares.use_per_year(used, days) == pytest.approx(rate, abs=0.005)
