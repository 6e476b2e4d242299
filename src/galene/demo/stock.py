"""The shed's shelf: cans with invented names, bought over the years so that the jobs' use can be booked."""

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from galene.jobs import shelf, spares
from galene.jobs.act import Act
from galene.store.models import Person

AEROSOL = ("GHS02", "GHS07")
CANS: tuple[tuple[shelf.ProductForm, float, int], ...] = (
    (shelf.ProductForm("Plover meter spray", "maf_cleaner", 200, 11.5, "red cabinet, top", 400, "", {}, AEROSOL, "H222 H229 H336 P210 P251"), 5, 500),
    (shelf.ProductForm("Gannet contact spray", "contact_cleaner", 400, 9.8, "red cabinet, top", 400, "", {}, AEROSOL, "H222 H229 H315 P210"), 3, 260),
    (shelf.ProductForm("Dunlin throttle spray", "throttle_cleaner", 500, 8.4, "red cabinet, middle", 500, "for cloth and brush", {"coating_safe": True}, AEROSOL, "H222 H229 H319 H336 P210 P280"), 4, 700),
    (shelf.ProductForm("Skerry soot remover", "egr_cleaner", 500, 7.9, "red cabinet, middle", 1000, "", {}, (*AEROSOL, "GHS08"), "H222 H229 H304 P260 P280"), 6, 420),
    (shelf.ProductForm("Harbour soap", "soap_and_water", 5000, 12.0, "wash place", 1000), 1, 0),
    (shelf.ProductForm("Tern brake spray, plastic-safe", "brake_cleaner_flammable", 600, 5.6, "red cabinet, bottom", 600, "", {"plastic_safe": True, "ketones": False}, AEROSOL, "H222 H229 H336 H411 P210 P273"), 2, 300),
    (shelf.ProductForm("Petrel carburettor spray", "carburettor_cleaner", 400, 6.1, "red cabinet, bottom", 0, "strong: not near sensors", {}, (*AEROSOL, "GHS08"), "H222 H229 H319 H361 P210 P280"), 1, 45),
    (shelf.ProductForm("Fulmar valve aerosol", "intake_valve_aerosol", 350, 13.9, "red cabinet, bottom", 350, "", {"oxygen_sensor_safe": True}, (*AEROSOL, "GHS05"), "H222 H229 H318 P260"), 1, 800),
    (shelf.ProductForm("Walnut grit, fine", "blast_walnut", 20_000, 38.0, "loft", 5000), 1, 0),
)  # fmt: skip

PARTS: tuple[tuple[str, str, int, str, int], ...] = (
    ("SK-1651", "Throttle body seal", 4, "drawer 3", 2),
    ("SK-2231", "Manifold pressure sensor O-ring", 6, "drawer 3", 2),
    ("SK-1610", "Air filter element", 2, "loft, left", 1),
    ("HO-2951", "Throttle gasket", 3, "drawer 4", 1),
    ("HO-2961", "Recirculation valve gasket", 2, "drawer 4", 1),
    ("TV-2276", "Cooler gasket set", 1, "drawer 5", 1),
    ("TV-2277", "Cooler O-rings", 0, "drawer 5", 2),
    ("TV-2271", "Recirculation valve gaskets", 2, "drawer 5", 1),
    ("FJ-2061", "Manifold gasket set", 1, "loft, right", 1),
    ("FJ-2051", "Throttle seal", 2, "drawer 6", 1),
    ("SS-2533", "Crankcase sensor O-ring", 5, "drawer 7", 2),
)
"""Number, name, pieces, place, fewest."""


def stock(db: Session, foreman: Person, now: datetime) -> None:
    """Put the shelf in order, three years ago and again last month, so that the jobs find their cans."""
    for form, cans, days in CANS:
        act = Act(db, foreman, now - timedelta(days=1100))
        product = shelf.save_product(act, None, form, 0)
        shelf.deliver(
            act,
            product.id,
            cans,
            f"{form.name[:2].upper()}-{len(form.name) * 37 % 900 + 100}",
            now + timedelta(days=days) if days else None,
        )
    db.flush()
    counted = Act(db, foreman, now - timedelta(days=40))
    for number, name, pieces, place, least in PARTS:
        spares.save_stock(counted, number, name, pieces, place, least, 0)
    db.flush()
