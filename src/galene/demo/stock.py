"""The shed's shelf: cans with invented names, bought over the years so that the jobs' use can be
booked."""

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from galene.jobs import shelf, spares
from galene.jobs.act import Act
from galene.store.models import Person

AEROSOL = ("GHS02", "GHS07")
CANS: tuple[tuple[shelf.ProductForm, float, int], ...] = (
    (
        shelf.ProductForm(
            name="Plover meter spray",
            class_id="maf_cleaner",
            size_ml=200,
            price=11.5,
            place="red cabinet, top",
            least_ml=400,
            note="",
            properties={},
            pictograms=AEROSOL,
            statements="H222 H229 H336 P210 P251",
        ),
        5,
        500,
    ),
    (
        shelf.ProductForm(
            name="Gannet contact spray",
            class_id="contact_cleaner",
            size_ml=400,
            price=9.8,
            place="red cabinet, top",
            least_ml=400,
            note="",
            properties={},
            pictograms=AEROSOL,
            statements="H222 H229 H315 P210",
        ),
        3,
        260,
    ),
    (
        shelf.ProductForm(
            name="Dunlin throttle spray",
            class_id="throttle_cleaner",
            size_ml=500,
            price=8.4,
            place="red cabinet, middle",
            least_ml=500,
            note="for cloth and brush",
            properties={"coating_safe": True},
            pictograms=AEROSOL,
            statements="H222 H229 H319 H336 P210 P280",
        ),
        4,
        700,
    ),
    (
        shelf.ProductForm(
            name="Skerry soot remover",
            class_id="egr_cleaner",
            size_ml=500,
            price=7.9,
            place="red cabinet, middle",
            least_ml=1000,
            note="",
            properties={},
            pictograms=(*AEROSOL, "GHS08"),
            statements="H222 H229 H304 P260 P280",
        ),
        6,
        420,
    ),
    (
        shelf.ProductForm(
            name="Harbour soap",
            class_id="soap_and_water",
            size_ml=5000,
            price=12.0,
            place="wash place",
            least_ml=1000,
        ),
        1,
        0,
    ),
    (
        shelf.ProductForm(
            name="Tern brake spray, plastic-safe",
            class_id="brake_cleaner_flammable",
            size_ml=600,
            price=5.6,
            place="red cabinet, bottom",
            least_ml=600,
            note="",
            properties={"plastic_safe": True, "ketones": False},
            pictograms=AEROSOL,
            statements="H222 H229 H336 H411 P210 P273",
        ),
        2,
        300,
    ),
    (
        shelf.ProductForm(
            name="Petrel carburettor spray",
            class_id="carburettor_cleaner",
            size_ml=400,
            price=6.1,
            place="red cabinet, bottom",
            least_ml=0,
            note="strong: not near sensors",
            properties={},
            pictograms=(*AEROSOL, "GHS08"),
            statements="H222 H229 H319 H361 P210 P280",
        ),
        1,
        45,
    ),
    (
        shelf.ProductForm(
            name="Fulmar valve aerosol",
            class_id="intake_valve_aerosol",
            size_ml=350,
            price=13.9,
            place="red cabinet, bottom",
            least_ml=350,
            note="",
            properties={"oxygen_sensor_safe": True},
            pictograms=(*AEROSOL, "GHS05"),
            statements="H222 H229 H318 P260",
        ),
        1,
        800,
    ),
    (
        shelf.ProductForm(
            name="Walnut grit, fine",
            class_id="blast_walnut",
            size_ml=20_000,
            price=38.0,
            place="loft",
            least_ml=5000,
        ),
        1,
        0,
    ),
)


def _part(
    number: str,
    name: str,
    pieces: int,
    *,
    place: str,
    least: int,
    price: float,
    days: float,
    on_order: int = 0,
) -> spares.StockForm:
    """A part on the shelf; what is on order has no day yet."""
    return spares.StockForm(
        number=number,
        name=name,
        pieces=pieces,
        place=place,
        least=least,
        price=price,
        lead_days=days,
        on_order=on_order,
    )


PARTS: tuple[spares.StockForm, ...] = (
    _part("SK-1651", "Throttle body seal", 4, place="drawer 3", least=2, price=4.2, days=5),
    _part(
        "SK-2231",
        "Manifold pressure sensor O-ring",
        6,
        place="drawer 3",
        least=2,
        price=1.6,
        days=5,
    ),
    _part("SK-1610", "Air filter element", 2, place="loft, left", least=1, price=19, days=3),
    _part("HO-2951", "Throttle gasket", 3, place="drawer 4", least=1, price=5.4, days=8),
    _part("HO-2961", "Recirculation valve gasket", 2, place="drawer 4", least=1, price=6.8, days=8),
    _part("TV-2276", "Cooler gasket set", 1, place="drawer 5", least=1, price=38, days=14),
    _part("TV-2277", "Cooler O-rings", 0, place="drawer 5", least=2, price=11, days=14, on_order=4),
    _part(
        "TV-2271", "Recirculation valve gaskets", 2, place="drawer 5", least=1, price=9.5, days=14
    ),
    _part("FJ-2061", "Manifold gasket set", 1, place="loft, right", least=1, price=64, days=10),
    _part("FJ-2051", "Throttle seal", 2, place="drawer 6", least=1, price=7.2, days=10),
    _part("SS-2533", "Crankcase sensor O-ring", 5, place="drawer 7", least=2, price=2.4, days=6),
)
"""The cooler's O-rings are on back order: whoever plans a cooler is told before the first bolt."""


def stock(db: Session, foreman: Person, now: datetime) -> None:
    """Put the shelf in order, three years ago and again last month, so that the jobs find their
    cans."""
    for form, cans, days in CANS:
        act = Act(db=db, person=foreman, now=now - timedelta(days=1100))
        product = shelf.save_product(act, None, form, seen=0)
        shelf.deliver(
            act,
            product.id,
            cans,
            number=f"{form.name[:2].upper()}-{len(form.name) * 37 % 900 + 100}",
            expires_on=now + timedelta(days=days) if days else None,
        )
    db.flush()
    counted = Act(db=db, person=foreman, now=now - timedelta(days=40))
    for part in PARTS:
        spares.save_stock(counted, part, seen=0)
    db.flush()
