"""Clean or replace, by own returns and this job's prices."""

from galene.jobs import intake
from galene.jobs.act import Act, family_of
from galene.jobs.keep import kept_or_replaced
from galene.store.models import Inspection, Job
from galene.store.repositories import people
from tests.jobs.hands import begun


def visits(act: Act, *grades: tuple[float, int]) -> None:
    """A van of family A that was here at these km, its throttle found at these grades."""
    van = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate=f"KR-{len(grades)}{round(grades[-1][0]) % 997}",
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family="A",
            keeper="the shed",
        ),
    )
    for km, grade in grades:
        job: Job = intake.open_job(act, van, "soot")
        job.distance_km, job.state, job.finished_at = km, "finished", act.now
        for phase, seen in (("before", grade), ("after", 0)):
            job.looks.append(
                Inspection(
                    phase=phase,
                    part="throttle_body",
                    deposit="soot",
                    grade=seen,
                    at=act.now,
                    person_id=act.person.id,
                )
            )
    act.db.flush()


def test_cleaning_is_cheaper_while_it_holds_and_dearer_where_it_comes_back(odd: Act) -> None:
    shop = people.workshop(odd.db)
    job = begun(odd, "A", "throttle_body", plate="KP-001")
    found = kept_or_replaced(odd.db, job, shop, "throttle_body")
    assert found is not None and found.result is not None
    assert found.replace and found.replace > found.clean
    assert found.result.verdict == "clean"
    # Twelve vans at which it held, and six whose throttles had clogged again at once.
    for n in range(12):
        visits(odd, (30_000, 3), (80_000 + n, 2))
    for n in range(6):
        visits(odd, (30_000, 3), (31_000 + n, 3))
    worse = kept_or_replaced(odd.db, job, shop, "throttle_body")
    assert worse is not None and worse.result is not None
    assert (worse.cleanings, worse.returns) == (found.cleanings + 18, found.returns + 6)
    assert worse.result.holds < found.result.holds
    assert worse.result.clean_total / worse.result.replace_total > (
        found.result.clean_total / found.result.replace_total
    )


def test_what_can_not_be_replaced_is_not_weighed_and_no_price_no_verdict(odd: Act) -> None:
    shop = people.workshop(odd.db)
    job = begun(odd, "A", "throttle_body", plate="KP-002")
    assert kept_or_replaced(odd.db, job, shop, "intake_ports") is None
    told = [kept_or_replaced(odd.db, job, shop, p.id) for p in family_of(job).parts]
    known = [one for one in told if one is not None]
    assert known and all((one.result is None) == (one.replace is None) for one in known)
