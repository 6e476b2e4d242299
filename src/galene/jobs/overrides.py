"""A foreman's word against a verdict of chemistry, kept for one product on one kind of part."""

from collections.abc import Sequence
from functools import lru_cache

from sqlalchemy.orm import Session

from galene.core.chemistry.judge import VERDICTS, WAYS, Agent, Judgement, Reason, judge
from galene.core.chemistry.rules import RULES
from galene.jobs.act import Act
from galene.jobs.errors import Invalid
from galene.jobs.intake import check_text
from galene.jobs.rights import Right
from galene.jobs.shelf import Overrides, agent_of, find_product
from galene.knowledge.agents import subject_of
from galene.knowledge.components import COMPONENTS
from galene.store.models import Override, Product
from galene.store.repositories import shelf as rows


def override(
    act: Act, product_id: int, component: str, *, way: str, verdict: str, source: str
) -> None:
    """A foreman's verdict against the rules, because this product's label says so; an empty verdict
    takes it back.

    Raises
    ------
    NotAllowed, Invalid
    """
    act.needs(Right.RULES)
    act.proves()
    product = find_product(act.db, product_id)
    faults = {}
    if component not in COMPONENTS:
        faults["component"] = "Choose a part of the list."
    if way not in WAYS:
        faults["way"] = "Choose a way of the list."
    if verdict and verdict not in VERDICTS:
        faults["verdict"] = "ok, with care, only after, or no."
    check_text({"source": source})
    if verdict and len(source.strip()) < 8:
        faults["source"] = "Say where it is written: label, data sheet, edition."
    if faults:
        raise Invalid(faults)
    row = rows.override(act.db, product.id, component, way=way)
    if not verdict:
        if row is not None:
            act.db.delete(row)
    elif row is None:
        act.db.add(
            Override(
                product_id=product.id,
                component=component,
                way=way,
                verdict=verdict,
                source=source.strip(),
                at=act.now,
                person_id=act.person.id,
            )
        )
    else:
        row.verdict, row.source, row.at, row.person_id = (
            verdict,
            source.strip(),
            act.now,
            act.person.id,
        )
    act.db.flush()
    act.trace(
        None,
        "override_set",
        product=product.id,
        component=component,
        way=way,
        verdict=verdict,
        source=source.strip(),
    )


def overrides_of(db: Session, product_id: int) -> dict[tuple[str, str], Override]:
    """Overrides of a product by component and way."""
    return overrides_by_product(db, [product_id]).get(product_id, {})


def overrides_by_product(
    db: Session, product_ids: Sequence[int]
) -> dict[int, dict[tuple[str, str], Override]]:
    """Overrides of each product, asked for together."""
    found: dict[int, dict[tuple[str, str], Override]] = {}
    for one in rows.overrides(db, product_ids):
        found.setdefault(one.product_id, {})[one.component, one.way] = one
    return found


def with_override(found: Judgement, row: Override | None) -> Judgement:
    """A judgement under a foreman's override, shown as one; the rules' reasons stay in sight."""
    if row is None:
        return found
    first = Reason(
        "override",
        f"By {row.person.name}, from {row.source}. The rules say"
        f" {found.verdict.replace('_', ' ')}.",
    )
    return Judgement(
        verdict=row.verdict,
        reasons=(first, *found.reasons),
        conditions=found.conditions,
        protective_equipment=found.protective_equipment,
        drying_minutes=found.drying_minutes,
    )


@lru_cache(maxsize=8192)
def _judged(
    agent: Agent, way: str, component: str, *, features: tuple[str, ...], state: tuple[str, ...]
) -> Judgement:
    """A product's page asks the same of every part each time it is shown."""
    return judge(RULES, agent, way, subject=subject_of(component), features=features, state=state)


def touching(
    product: Product,
    component: str,
    *,
    given: Overrides,
    features: Sequence[str],
    state: Sequence[str],
) -> list[tuple[str, Judgement]]:
    """What a product may do to a part, by each way that it is made for, the freest first.

    Parameters
    ----------
    given : what foremen judged otherwise of the product
    """
    agent = agent_of(product)
    found = [
        (
            way,
            with_override(
                _judged(agent, way, component, features=tuple(features), state=tuple(state)),
                given.get((component, way)),
            ),
        )
        for way in WAYS
        if way in agent.ways
    ]
    return sorted(found, key=lambda f: VERDICTS.index(f[1].verdict))
