"""The shelf: products from label to reorder list, use booked by ticks, overrides, the matrix, the
judgement's routes."""

from collections.abc import Callable
from datetime import timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs import jobcard, shelf
from galene.jobs.act import Act
from galene.jobs.errors import Invalid
from galene.jobs.planning import planned, works_of
from galene.store.models import Job, Lot, Movement, Product, Workshop
from tests.jobs.hands import begun, go_to, pass_
from tests.web.conftest import HOST, Browser

CAN = {
    "name": "Avocet meter spray",
    "class_id": "maf_cleaner",
    "size_ml": "200",
    "least_ml": "400",
    "price": "12,50",
    "place": "red cabinet",
    "statements": "H222, h229 P210",
    "pictograms": "GHS02",
}


@pytest.fixture
def web(as_person: Callable[[str], Browser]) -> Browser:
    """The foreman, whose this is to change."""
    return as_person("maren")


def added(web: Browser, **change: str) -> str:
    answer = web.submit("/shelf", {**CAN, **change})
    assert answer.status_code == 303, answer.text
    return str(answer.headers["location"])


def test_a_product_from_its_label_to_the_reorder_list(web: Browser, db: Session) -> None:
    where = added(web)
    page = web.get(where).text
    assert "Extremely flammable aerosol" in page and "H229" in page and "None left" in page
    assert "Avocet meter spray,maf_cleaner,0,400,2,200,12.50" in web.get("/shelf/reorder.csv").text
    assert (
        web.submit(
            f"{where}/lots", {"cans": "3", "lot": "AV-1", "expires_on": "2031-05-01"}
        ).status_code
        == 303
    )
    assert "Avocet" not in web.get("/shelf/reorder.csv").text and "600" in web.get(where).text
    lot = db.scalars(select(Lot).where(Lot.number == "AV-1")).one()
    assert web.submit(f"{where}/lots/{lot.id}", {"found_ml": "150"}).status_code == 303
    db.expire_all()
    assert db.get_one(Lot, lot.id).left_ml == 150 and [
        m.why
        for m in db.scalars(select(Movement).where(Movement.lot_id == lot.id).order_by(Movement.id))
    ] == ["delivery", "count"]
    listed = web.get("/shelf?component=maf_sensor").text
    assert "Avocet meter spray" in listed and "Petrel carburettor spray" not in listed, (
        "only what may touch the meter"
    )


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": "x"}, "2 to 80 characters"),
        ({"name": "dunlin THROTTLE spray"}, "There is a product of this name"),
        ({"class_id": "soup"}, "Choose a class"),
        ({"size_ml": "0"}, "from 1 ml"),
        ({"size_ml": "much"}, "Size"),
        ({"price": "-1"}, "0 to 10 000"),
        ({"statements": "H999999"}, "no statement number"),
        ({"pictograms": "GHS42"}, "GHS01 to GHS09"),
        (
            {"property.residue_free": "yes", "property.leaves_film": "yes"},
            "they can not hold together",
        ),
    ],
)
def test_a_label_that_can_not_be_is_refused_at_its_field(
    web: Browser, db: Session, change: dict[str, str], words: str
) -> None:
    answer = web.submit("/shelf", {**CAN, **change})
    assert answer.status_code == 422 and words in answer.text
    assert db.scalar(select(Product).where(Product.name == CAN["name"])) is None


def test_two_people_do_not_overwrite_each_other(web: Browser) -> None:
    where = added(web)
    assert web.submit(where, {**CAN, "place": "loft", "seen": "1"}).status_code == 303
    assert web.submit(where, {**CAN, "place": "van", "seen": "1"}).status_code == 409
    assert "loft" in web.get("/shelf").text


def test_ticks_book_what_they_used_and_undoing_gives_it_back(odd: Act) -> None:
    db = odd.db
    job = begun(odd, "B", "throttle_body", "egr_valve", grade=3)
    class_id = next(s.document.agent.class_id for s in job.steps if s.document.agent)
    before = {
        lot.id: lot.left_ml
        for lot in db.scalars(select(Lot).join(Product).where(Product.class_id == class_id))
    }
    first = next(s for s in job.steps if s.document.agent and s.document.agent.class_id == class_id)
    step = go_to(odd, job, first.document.id)
    pass_(odd, job, step)
    assert step is not None
    used = sum(before.values()) - sum(db.get_one(Lot, i).left_ml for i in before)
    assert step.document.agent is not None and used == pytest.approx(step.document.agent.ml)
    assert [(name, round(ml)) for name, _, ml in shelf.used_on(db, job)] == [
        (db.scalars(select(Product.name).where(Product.class_id == class_id)).one(), round(used))
    ]
    assert class_id in {"egr_cleaner", "throttle_cleaner"} and "rags" in shelf.waste_csv(db, job)
    jobcard.tick(odd, job.number, step.id, records={})
    assert sum(before.values()) - sum(db.get_one(Lot, i).left_ml for i in before) == pytest.approx(
        used
    ), "a second tick books nothing"
    jobcard.untick(odd, job.number, step.id)
    assert {i: db.get_one(Lot, i).left_ml for i in before} == before and shelf.used_on(
        db, job
    ) == []


def test_the_first_to_run_out_of_date_is_taken_first_and_none_that_has(maren: Act) -> None:
    form = shelf.ProductForm(name="Only soak", class_id="parts_wash_solvent", size_ml=1000)
    product = shelf.save_product(maren, None, form, seen=0)
    for number, days in (("late", 300), ("soon", 10), ("none", 0)):
        shelf.deliver(
            maren,
            product.id,
            1,
            number=number,
            expires_on=maren.now + timedelta(days=days) if days else None,
        )
    job = maren.db.scalars(select(Job).where(Job.state == "open").limit(1)).unique().one()
    assert shelf.take_for_step(maren, job, "x:y", class_id="parts_wash_solvent", ml=1500) == 1500
    maren.db.flush()
    maren.db.expire_all()
    assert {lot.number: lot.left_ml for lot in shelf.find_product(maren.db, product.id).lots} == {
        "soon": 0,
        "late": 500,
        "none": 1000,
    }
    maren.now += timedelta(days=400)
    assert shelf.take_for_step(maren, job, "x:z", class_id="parts_wash_solvent", ml=1500) == 1000, (
        "what is out of date stays; what is missing is not booked"
    )
    with pytest.raises(Invalid):
        shelf.deliver(maren, product.id, 1, number="old", expires_on=maren.now - timedelta(days=1))


def test_an_override_is_the_foremans_with_its_source(as_person, db: Session) -> None:
    web = as_person("maren")
    product = db.scalars(select(Product).where(Product.name == "Petrel carburettor spray")).one()
    given = {
        "component": "maf_sensor",
        "way": "direct_spray",
        "verdict": "with_care",
        "source": "label, edition 4, third line",
    }
    path = f"/shelf/{product.id}/overrides"
    assert web.submit(path, {**given, "source": "so"}).status_code == 422
    assert web.submit(path, given).status_code == 303
    page = web.get(f"/shelf/{product.id}").text
    assert (
        "By Maren Tolk, from label, edition 4, third line. The rules say no." in page
        and "bakes on the element" in page
        and "hot_element.residue" not in page
    )
    assert as_person("odd").submit(path, {**given, "verdict": "ok"}).status_code == 403


def test_files_of_a_product(web: Browser, db: Session) -> None:
    where = added(web)
    for name, data, status in (
        ("sheet.pdf", b"%PDF-1.4 x", 303),
        ("evil.html", b"<script>alert(1)</script>", 422),
        ("none.pdf", b"", 422),
    ):
        answer = web.post(
            f"{where}/sheets",
            data={"once": f"sheet-{name}", "kind": "safety data sheet"},
            files={"file": (name, data)},
            headers={"origin": HOST},
            follow_redirects=False,
        )
        assert answer.status_code == status, name
    import re

    link = re.search(rf'href="({where}/sheets/\d+)"', web.get(where).text)
    assert link
    got = web.get(link[1])
    assert (
        got.content == b"%PDF-1.4 x"
        and got.headers["content-type"] == "application/pdf"
        and got.headers["content-disposition"].startswith("attachment")
    )


def test_the_matrix_is_what_the_rules_give(web: Browser) -> None:
    page = web.get("/shelf/matrix?family=C").text
    assert page.count('class="cell ') == page.count('scope="row"') * 19
    assert "Intake manifold, Soot remover, metal only: no" in page
    cell = web.get(
        "/shelf/matrix/cell?agent=carburettor_cleaner&component=throttle_body"
        "&feature=electronic&state=battery_off"
    ).text
    assert "Liquid creeps along the shaft" in cell and "<html" not in cell
    assert "throttle.shaft" not in cell
    assert (
        "they can not hold together"
        in web.get("/shelf/matrix?set=1&state=engine_cold&state=engine_warm_running").text
    )
    assert web.get("/shelf/matrix/cell?agent=soup&component=throttle_body").status_code == 404


def test_judgements_by_the_api(visitor: Browser, db: Session) -> None:
    product = db.scalars(
        select(Product).where(Product.name == "Tern brake spray, plastic-safe")
    ).one()
    asked = {
        "product": str(product.id),
        "application": "direct_spray",
        "component": "map_sensor",
        "state": ["removed", "ventilated", "engine_cold"],
    }
    found = visitor.post("/api/v1/judgements", json=asked)
    assert found.status_code == 200 and found.json()["verdict"] == "with_care"
    wrong = visitor.post("/api/v1/judgements", json={**asked, "product": "9999"})
    assert wrong.status_code == 422 and wrong.json()["field"] == "product"


def test_a_plan_says_what_the_rules_say(db: Session) -> None:
    job = db.scalars(select(Job).where(Job.family_id == "C", Job.state == "open")).unique().one()
    workshop = db.get_one(Workshop, 1)
    found = planned(job, works_of(job, ["intake_manifold", "map_sensor"]), workshop)
    manifold = next(p for p in found.document.parts if p.part == "intake_manifold")
    assert (
        manifold.agent == "soap_and_water"
        and manifold.verdict == "with_care"
        and manifold.reasons[0].rule == "water.dry_first"
    )
    used = {s.agent.class_id for s in found.plan.steps if s.part == "intake_manifold" and s.agent}
    assert used == {"soap_and_water"}, "the card uses what the plan says"


def test_one_scope_under_two_schools_side_by_side(web: Browser, db: Session) -> None:
    number = db.scalars(select(Job.number).where(Job.family_id == "C", Job.state == "open")).one()
    page = web.get(f"/jobs/{number}/plan").text
    link = f"/jobs/{number}/plan/compare?letter=M&amp;choice=aerosol_only&amp;parts=intake_ports"
    assert link.split("&amp;parts")[0] in page, (
        "each other choice of the schools in the plan can be asked about"
    )
    found = web.get(
        f"/jobs/{number}/plan/compare?letter=M&choice=aerosol_only&parts=intake_ports"
    ).text
    assert (
        "seal the nozzle to the port" in found
        and "one-second bursts with their pauses" in found
        and "Hard carbon stays." in found
    )
    same = web.get(f"/jobs/{number}/plan/compare?letter=R&choice=by_hand&parts=intake_ports").text
    assert "On this scope the two do not differ." in same
    assert (
        web.submit(
            f"/jobs/{number}/plan/school", {"letter": "M", "choice": "aerosol_only", "reason": "no"}
        ).status_code
        == 422
    )
    assert (
        web.submit(
            f"/jobs/{number}/plan/school",
            {"letter": "M", "choice": "aerosol_only", "reason": "the owner sells it in spring"},
        ).status_code
        == 303
    )
    assert "the owner sells it in spring" in web.get(f"/jobs/{number}/plan").text
    assert web.get(f"/jobs/{number}/plan/compare?letter=R&choice=soup").status_code == 404
