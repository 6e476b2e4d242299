"""Products, their lots, labels' sheets, and what moved."""

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from galene.store.models import Lot, Movement, Override, Product, Sheet


def products(db: Session) -> list[Product]:
    """What stands on the shelf, by class and name."""
    return list(
        db.scalars(
            select(Product)
            .where(Product.retired_at.is_(None))
            .order_by(Product.class_id, Product.name)
        )
    )


def product(db: Session, product_id: int) -> Product | None:
    """One product, retired or not."""
    return db.get(Product, product_id)


def product_locked(db: Session, product_id: int) -> Product | None:
    """One product, locked until the write ends."""
    return db.scalar(select(Product).where(Product.id == product_id).with_for_update())


def named(db: Session, name: str, *, but: int | None) -> Product | None:
    """Another product of this name."""
    return db.scalar(
        select(Product).where(func.lower(Product.name) == name.lower(), Product.id != (but or 0))
    )


def lot(db: Session, lot_id: int) -> Lot:
    """One lot."""
    return db.get_one(Lot, lot_id)


def lot_locked(db: Session, product_id: int, lot_id: int) -> Lot | None:
    """One lot of a product, locked until the write ends."""
    return db.scalar(
        select(Lot).where(Lot.id == lot_id, Lot.product_id == product_id).with_for_update()
    )


def lots_of_class(db: Session, class_id: str) -> Sequence[tuple[Lot, Product]]:
    """Lots that are left of a class of agent, the first to run out of date first, locked."""
    rows = db.execute(
        select(Lot, Product)
        .join(Product)
        .where(Product.class_id == class_id, Product.retired_at.is_(None), Lot.left_ml > 0)
        .order_by(Lot.expires_on.asc().nulls_last(), Lot.id)
        .with_for_update(of=Lot)
    )
    return [(lot_row, product_row) for lot_row, product_row in rows]


def movements_of_step(db: Session, job_id: int, step_key: str) -> Sequence[Movement]:
    """What a step of a job booked."""
    return db.scalars(
        select(Movement).where(Movement.job_id == job_id, Movement.step_key == step_key)
    ).all()


def used_on(db: Session, job_id: int) -> list[tuple[str, str, float]]:
    """Products used on a job: name, class, ml."""
    rows = db.execute(
        select(Product.name, Product.class_id, -func.sum(Movement.ml))
        .join(Product, Product.id == Movement.product_id)
        .where(Movement.job_id == job_id)
        .group_by(Product.name, Product.class_id)
        .order_by(Product.name)
    )
    return [(name, class_id, float(ml)) for name, class_id, ml in rows if ml and ml > 0]


def sheets(db: Session, product_id: int) -> list[Sheet]:
    """Files of a product, the newest first."""
    return list(
        db.scalars(select(Sheet).where(Sheet.product_id == product_id).order_by(Sheet.id.desc()))
    )


def sheet(db: Session, sheet_id: int) -> Sheet | None:
    """One file of a product."""
    return db.get(Sheet, sheet_id)


def overrides(db: Session, product_ids: Sequence[int]) -> Sequence[Override]:
    """What foremen judged otherwise of products."""
    return db.scalars(select(Override).where(Override.product_id.in_(product_ids))).all()


def override(db: Session, product_id: int, component: str, *, way: str) -> Override | None:
    """What a foreman judged otherwise of a product on a kind of part, in a way."""
    return db.scalar(
        select(Override).where(
            Override.product_id == product_id,
            Override.component == component,
            Override.way == way,
        )
    )
