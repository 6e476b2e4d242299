"""A signed job's ticks move what the next plan says it will take."""

from pytest import approx

from galene.jobs import minutes
from galene.jobs.act import Act, family_of
from galene.jobs.planning import planned, works_of
from galene.jobs.workshop import WorkshopForm, save_workshop
from galene.knowledge.policy import DEFAULT_POLICY
from galene.store.models import Job
from galene.store.repositories import minutes as rows
from galene.store.repositories import people
from tests.jobs.hands import begun, finish_card


def timed_in_all(act: Act, job: Job) -> int:
    plan = planned(job, works_of(job, ["map_sensor"]), people.workshop(act.db)).plan
    return sum(t.count for t in minutes.timed_steps(job, plan).values())


def test_signing_keeps_the_times_and_opening_again_lets_go_of_them(odd: Act, maren: Act) -> None:
    job = begun(odd, "A", "map_sensor", plate="MN-001")
    before = timed_in_all(odd, job)
    finish_card(odd, job)
    told = minutes.told_of(job)
    assert told and told.steps > 5 and told.minutes > 0
    assert timed_in_all(odd, job) == before
    minutes.learn_from(odd, job)
    odd.db.flush()
    assert timed_in_all(odd, job) == before + told.steps
    minutes.learn_from(odd, job)
    odd.db.flush()
    assert timed_in_all(odd, job) == before + told.steps
    mine = next(j for j in minutes.jobs_told(odd.db) if j.number == job.number)
    assert (mine.steps, mine.paused) == (told.steps, told.paused)
    minutes.forget(odd, job)
    assert timed_in_all(odd, job) == before


def test_the_price_goes_by_own_minutes_where_the_foreman_says_so(odd: Act, maren: Act) -> None:
    shop = people.workshop(maren.db)
    job = begun(odd, "A", "throttle_body", plate="MN-002")
    works = works_of(job, ["throttle_body"])
    book = planned(job, works, shop).document.bill
    assert book.by == "book" and book.own is not None and 0 < book.own.timed <= book.own.steps
    assert book.own.low < book.own.minutes < book.own.high
    form = WorkshopForm(
        system="metric",
        name=shop.name,
        currency=shop.currency,
        bays=shop.bays,
        hourly_rate=shop.hourly_rate,
        off_road_per_day=180,
        minutes_by="own",
        fuel_price=None,
        due_by="grade",
        altitude_m=12,
        bay_temperature_c=14,
        bay_humidity=0.6,
        policy={**DEFAULT_POLICY, **shop.policy},
    )
    save_workshop(maren, form, shop.revision)
    own = planned(job, works, people.workshop(maren.db)).document.bill
    assert own.by == "own"
    assert own.labour + own.proof_labour == (approx(book.own.minutes / 60 * shop.hourly_rate))
    assert own.total - own.labour - own.proof_labour == approx(
        book.total - book.labour - book.proof_labour
    )


def test_where_time_is_lost_stands_first(odd: Act) -> None:
    told = minutes.steps_told(odd.db, {"A": family_of(begun(odd, "A", "map_sensor"))})
    lost = [s.lost for s in told]
    assert lost == sorted(lost, reverse=True) and lost[0] > 0
    assert all(s.own.count for s in told)
    assert rows.losses(odd.db, 3)[0].lost == lost[0]
