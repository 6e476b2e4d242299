"""The shelf: products and what they may touch, stock by lot, use booked from job steps, what runs
out."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from galene.core.chemistry.judge import Agent, refined
from galene.core.errors import InputError
from galene.exchange.csv_table import write_table
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Stale
from galene.jobs.intake import check_text
from galene.knowledge.agents import AGENTS
from galene.knowledge.labels import PICTOGRAMS
from galene.store.models import Job, Lot, Movement, Override, Product, Sheet
from galene.store.repositories import shelf as rows

SOON = timedelta(days=60)
STATEMENT = re.compile(r"[HP]\d{3}[A-Za-z]{0,2}(\+[HP]\d{3}[A-Za-z]{0,2})*|EUH\d{3}")
MEDIA = {b"%PDF": "application/pdf", b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}


@dataclass(frozen=True, kw_only=True)
class ProductForm:
    """What stands on a can. `properties` are words that the label affirms or denies over its
    class."""

    name: str
    class_id: str
    size_ml: float | None
    price: float | None = None
    place: str = ""
    least_ml: float | None = None
    note: str = ""
    properties: Mapping[str, bool] = field(default_factory=dict)
    pictograms: Sequence[str] = ()
    statements: str = ""


def agent_of(product: Product) -> Agent:
    """A product as the rules see it: its class with what its label says, by its own name."""
    agent = refined(AGENTS[product.class_id].agent, product.properties)
    return Agent(
        id=str(product.id),
        title=product.name,
        properties=agent.properties,
        ways=agent.ways,
        drying=agent.drying,
        protection=agent.protection,
    )


def agents_on_shelf(db: Session) -> dict[str, Agent]:
    """The shelf's products as agents, by id."""
    return {str(p.id): agent_of(p) for p in rows.products(db)}


def products(db: Session) -> list[Product]:
    """What stands on the shelf, by class and name."""
    return rows.products(db)


def find_product(db: Session, product_id: int) -> Product:
    """A product.

    Raises
    ------
    Missing
    """
    product = rows.product(db, product_id)
    if product is None:
        raise Missing(f"product {product_id}")
    return product


def left_ml(product: Product, now: datetime) -> float:
    """What is left of a product in lots that are not out of date."""
    return sum(
        lot.left_ml for lot in product.lots if lot.expires_on is None or lot.expires_on > now
    )


def statements_of(form: ProductForm) -> list[str]:
    """Statement numbers as typed, in capitals."""
    return [s.upper() for s in re.split(r"[,;\s]+", form.statements.strip()) if s]


def product_faults(act: Act, product_id: int | None, form: ProductForm) -> dict[str, str]:
    """What is wrong with a product's label as typed, by field."""
    faults: dict[str, str] = {}
    name = form.name.strip()
    if not 2 <= len(name) <= 80:
        faults["name"] = "A name from 2 to 80 characters."
    if form.class_id not in AGENTS:
        faults["class_id"] = "Choose a class of the list."
    if form.size_ml is None or not 1 <= form.size_ml <= 250_000:
        faults["size_ml"] = "A size from 1 ml to 250 l."
    if form.price is not None and not 0 <= form.price <= 10_000:
        faults["price"] = "A price from 0 to 10 000."
    if form.least_ml is not None and not 0 <= form.least_ml <= 1_000_000:
        faults["least_ml"] = "From 0 to 1 000 l."
    wrong = [s for s in statements_of(form) if not STATEMENT.fullmatch(s)]
    if wrong:
        faults["statements"] = (
            f"{wrong[0][:20]} is no statement number: H222, P210, P305+P351+P338."
        )
    if any(p not in PICTOGRAMS for p in form.pictograms):
        faults["pictograms"] = "A code from GHS01 to GHS09."
    if "class_id" not in faults:
        try:
            refined(AGENTS[form.class_id].agent, form.properties)
        except InputError as fault:
            faults["properties"] = f"{fault.value}: {fault.allowed}."
    if rows.named(act.db, name, but=product_id) is not None:
        faults["name"] = "There is a product of this name."
    return faults


def save_product(act: Act, product_id: int | None, form: ProductForm, *, seen: int) -> Product:
    """Put a product on the shelf, or change what its label says.

    Raises
    ------
    Invalid
        By field: a class that is not known, properties that can not hold together, a size that no
        can has.
    Stale
        Somebody changed it meanwhile.
    """
    check_text({"name": form.name, "place": form.place, "note": form.note})
    if faults := product_faults(act, product_id, form):
        raise Invalid(faults)
    name, statements = form.name.strip(), statements_of(form)
    if product_id is None:
        product = Product(
            name=name,
            class_id=form.class_id,
            properties={},
            pictograms=[],
            statements=[],
            size_ml=0,
            retired_at=None,
        )
        act.db.add(product)
    else:
        found = rows.product_locked(act.db, product_id)
        if found is None:
            raise Missing(f"product {product_id}")
        if found.revision != seen:
            raise Stale("this product", "somebody", act.now)
        product, product.revision = found, found.revision + 1
    product.name, product.class_id, product.properties = name, form.class_id, dict(form.properties)
    product.pictograms, product.statements = sorted(set(form.pictograms)), statements
    product.size_ml, product.price = float(form.size_ml or 0), form.price or 0.0
    product.place, product.least_ml, product.note = (
        form.place.strip(),
        form.least_ml or 0.0,
        form.note.strip(),
    )
    act.db.flush()
    act.trace(
        None,
        "product_saved",
        product=product.id,
        name=name,
        class_id=form.class_id,
        properties=dict(form.properties),
    )
    return product


def retire(act: Act, product_id: int) -> None:
    """Take a product off the shelf; its use stays on record."""
    product = find_product(act.db, product_id)
    if product.retired_at is None:
        product.retired_at = act.now
        act.trace(None, "product_retired", product=product.id, name=product.name)


def deliver(
    act: Act, product_id: int, cans: float, *, number: str, expires_on: datetime | None
) -> Product:
    """Put a delivery on the shelf.

    Raises
    ------
    Invalid
        ``cans`` or ``expires_on``.
    """
    product = rows.product_locked(act.db, product_id)
    if product is None:
        raise Missing(f"product {product_id}")
    faults = {}
    if not 0 < cans <= 1000:
        faults["cans"] = "From one to 1 000."
    if expires_on is not None and expires_on <= act.now:
        faults["expires_on"] = "A day that is still to come."
    check_text({"lot": number})
    if len(number) > 60:
        faults["lot"] = "At most 60 characters."
    if faults:
        raise Invalid(faults)
    lot = Lot(
        number=number.strip(),
        expires_on=expires_on,
        opened_at=None,
        left_ml=cans * product.size_ml,
        at=act.now,
    )
    product.lots.append(lot)
    act.db.flush()
    _moved(act, product, lot, ml=lot.left_ml, why="delivery")
    return product


def count(act: Act, product_id: int, lot_id: int, *, found_ml: float) -> Product:
    """What a count found in a lot, against what the book says.

    Raises
    ------
    Invalid, Missing
    """
    lot = rows.lot_locked(act.db, product_id, lot_id)
    if lot is None:
        raise Missing(f"lot {lot_id}")
    if not 0 <= found_ml <= 1_000_000:
        raise Invalid({"found_ml": "From 0 to 1 000 l."})
    product = find_product(act.db, product_id)
    _moved(act, product, lot, ml=found_ml - lot.left_ml, why="count")
    lot.left_ml = found_ml
    return product


def _moved(
    act: Act,
    product: Product,
    lot: Lot | None,
    *,
    ml: float,
    why: str,
    job: Job | None = None,
    step_key: str = "",
) -> None:
    act.db.add(
        Movement(
            product_id=product.id,
            lot_id=lot.id if lot else None,
            job_id=job.id if job else None,
            step_key=step_key,
            ml=ml,
            why=why,
            at=act.now,
            person_id=act.person.id,
        )
    )


def take_for_step(
    act: Act, job: Job, step_key: str, *, class_id: str, ml: float, label: Sequence[str] = ()
) -> float:
    """Book an agent that a step used, from the lots that run out of date first; what could be
    booked.

    Only products whose label affirms what the step asks for are booked. A shelf that holds too
    little stops nobody here: the step was done. The rest stays unbooked.
    """
    rest = ml
    for lot, product in rows.lots_of_class(act.db, class_id):
        if rest <= 0:
            break
        if lot.expires_on is not None and lot.expires_on <= act.now:
            continue
        if not set(label) <= refined(AGENTS[class_id].agent, product.properties).properties:
            continue
        taken = min(rest, lot.left_ml)
        lot.left_ml -= taken
        lot.opened_at = lot.opened_at or act.now
        rest -= taken
        _moved(act, product, lot, ml=-taken, why="step", job=job, step_key=step_key)
    return ml - rest


def give_back(act: Act, job: Job, step_key: str) -> None:
    """Undo what a step booked, when its tick is undone."""
    booked: dict[tuple[int, int], float] = {}
    for row in rows.movements_of_step(act.db, job.id, step_key):
        if row.lot_id is not None:
            booked[row.product_id, row.lot_id] = (
                booked.get((row.product_id, row.lot_id), 0.0) + row.ml
            )
    for (product_id, lot_id), ml in booked.items():
        if ml < 0:
            lot = rows.lot(act.db, lot_id)
            lot.left_ml -= ml
            _moved(
                act,
                find_product(act.db, product_id),
                lot,
                ml=-ml,
                why="step undone",
                job=job,
                step_key=step_key,
            )


def attach(act: Act, product_id: int, kind: str, *, name: str, data: bytes) -> Sheet:
    """Keep a safety data sheet or a label as a file.

    Raises
    ------
    Invalid
        ``file``: neither PDF nor picture, or empty.
    """
    product = find_product(act.db, product_id)
    media = next((m for start, m in MEDIA.items() if data.startswith(start)), None)
    if kind not in ("safety data sheet", "label"):
        raise Invalid({"kind": "A safety data sheet or a label."})
    if media is None:
        raise Invalid({"file": "A PDF, PNG or JPEG file."})
    sheet = Sheet(
        product_id=product.id,
        kind=kind,
        name=re.sub(r"[^A-Za-z0-9_. -]", "_", name)[-80:] or kind,
        media=media,
        data=data,
        at=act.now,
        person_id=act.person.id,
    )
    act.db.add(sheet)
    act.db.flush()
    act.trace(None, "sheet_attached", product=product.id, kind=kind, name=sheet.name)
    return sheet


def sheets_of(db: Session, product_id: int) -> list[Sheet]:
    """Files of a product, newest first."""
    return rows.sheets(db, product_id)


Overrides = Mapping[tuple[str, str], Override]
"""Overrides of one product by component and way."""


def reorder_csv(db: Session, now: datetime) -> str:
    """What is below its least stock, as CSV: name, class, left, least, cans to order, price."""
    lines: list[tuple[object, ...]] = []
    for product in products(db):
        left = left_ml(product, now)
        if left < product.least_ml:
            cans = -(-(product.least_ml - left) // product.size_ml)
            lines.append(
                (
                    product.name,
                    product.class_id,
                    round(left),
                    round(product.least_ml),
                    int(cans),
                    round(product.size_ml),
                    f"{product.price:.2f}",
                )
            )
    heading = ("product", "class", "left_ml", "least_ml", "cans_to_order", "can_ml", "price_each")
    return write_table(heading, lines)


def waste_csv(db: Session, job: Job) -> str:
    """Agents that a job used, for the workshop's waste log: what, how much, what becomes of it."""
    return write_table(
        ("job", "agent", "ml", "waste"),
        (
            (job.number, name, round(ml), AGENTS[class_id].waste)
            for name, class_id, ml in used_on(db, job)
        ),
    )


def used_on(db: Session, job: Job) -> list[tuple[str, str, float]]:
    """Products that a job used: name, class, ml."""
    return rows.used_on(db, job.id)
