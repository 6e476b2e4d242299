"""The shelf: products, what each may touch, stock, what runs out; the matrix of agents against
parts."""

from functools import lru_cache
from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from pydantic import Field

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.chemistry.judge import (
    FEATURES,
    PROPERTIES,
    STATES,
    VERDICTS,
    WAYS,
    EngineFacts,
    Judgement,
    engine_of,
    judge,
)
from galene.core.chemistry.rules import RULES
from galene.core.errors import InputError
from galene.jobs import overrides, shelf
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.families import families
from galene.knowledge.agents import AGENTS, subject_of
from galene.knowledge.components import COMPONENTS
from galene.knowledge.labels import PICTOGRAMS, STATEMENTS
from galene.knowledge.methods import PREPARED
from galene.store.models import Product
from galene.store.repositories import shelf as shelf_rows
from galene.web.shared.forms import Day, Form, FormModel, number, quantity
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
WORDS = {"ok": "may", "with_care": "with care", "only_after": "only after", "no": "no"}


def _parts(family: EngineFamily | None) -> list[tuple[str, str, tuple[str, ...]]]:
    """Rows of the matrix: key, name, features; a family's own parts, else every kind."""
    if family is None:
        return [
            (c.id, c.title, ()) for c in COMPONENTS.values() if not kind_is(c.id, "not_cleaned")
        ]
    rows: dict[tuple[str, tuple[str, ...]], tuple[str, str, tuple[str, ...]]] = {}
    for part in family.parts:
        features = tuple(f for f in part.features if f in FEATURES)
        if not kind_is(part.component, "not_cleaned"):
            rows.setdefault((part.component, features), (part.component, part.label, features))
    return list(rows.values())


@lru_cache(maxsize=32)
def _cells(
    rows: tuple[tuple[str, str, tuple[str, ...]], ...], state: tuple[str, ...], engine: EngineFacts
) -> tuple[tuple[tuple[str, str], ...], ...]:
    """Verdict of each agent's freest way on each row, and that way; on any engine where none is
    chosen."""
    table = []
    for component, _, features in rows:
        subject = subject_of(component)
        line = []
        for kind in AGENTS.values():
            best = min(
                (
                    (
                        judge(
                            RULES,
                            kind.agent,
                            way,
                            subject=subject,
                            features=features,
                            state=state,
                            engine=engine,
                        ).verdict,
                        way,
                    )
                    for way in WAYS
                    if way in kind.agent.ways
                ),
                key=lambda f: VERDICTS.index(f[0]),
            )
            line.append(best)
        table.append(tuple(line))
    return tuple(table)


def _engine(family: EngineFamily | None) -> EngineFacts:
    return engine_of(family) if family else EngineFacts()


def _state(given: list[str]) -> tuple[str, ...]:
    return tuple(s for s in STATES if s in given)


@router.get("/shelf/matrix")
def matrix(visit: Signed) -> HTMLResponse:
    """Agents against parts, from the rules alone."""
    asked = visit.request.query_params
    known = families(visit.db)
    family = known.get(asked.get("family", ""))
    state = _state(asked.getlist("state")) if "set" in asked else PREPARED
    faults: dict[str, str] = {}
    rows, engine = tuple(_parts(family)), _engine(family)
    try:
        cells = _cells(rows, state, engine)
    except InputError as fault:
        faults["state"], state = f"{fault.value}: {fault.allowed}.", PREPARED
        cells = _cells(rows, state, engine)
    return visit.page(
        "matrix.html",
        place="shelf",
        families=known,
        family=family,
        rows=list(enumerate(rows)),
        cells=cells,
        agents=list(AGENTS.values()),
        state=state,
        states=STATES,
        words=WORDS,
        ways=WAYS,
        faults=faults,
    )


@router.get("/shelf/matrix/cell")
def cell(visit: Signed) -> HTMLResponse:
    """The reasons of one cell, by each way."""
    asked = visit.request.query_params
    agent, component = AGENTS.get(asked.get("agent", "")), asked.get("component", "")
    if agent is None or component not in COMPONENTS:
        raise Missing("cell of the matrix")
    features = [f for f in asked.getlist("feature") if f in FEATURES]
    engine, state = (
        _engine(families(visit.db).get(asked.get("family", ""))),
        _state(asked.getlist("state")),
    )
    found = _ways(
        agent.agent.ways,
        lambda way: judge(
            RULES,
            agent.agent,
            way,
            subject=subject_of(component),
            features=features,
            state=state,
            engine=engine,
        ),
    )
    return visit.part(
        "matrix.html",
        "cell",
        title=f"{agent.title}: {COMPONENTS[component].title}",
        found=found,
        ways=WAYS,
        words=WORDS,
        states=STATES,
    )


def _ways(ways: Any, run: Any) -> list[tuple[str, Judgement]]:
    return sorted(
        ((way, run(way)) for way in WAYS if way in ways), key=lambda f: VERDICTS.index(f[1].verdict)
    )


def _list(visit: Visit, status: int = 200, form: Form | None = None, **extra: Any) -> HTMLResponse:
    asked = visit.request.query_params
    component, words = asked.get("component", ""), asked.get("q", "").strip().lower()
    shown = []
    kept = list(shelf.products(visit.db))
    narrowed = component in COMPONENTS
    given = overrides.overrides_by_product(visit.db, [p.id for p in kept]) if narrowed else {}
    for product in kept:
        if (
            words
            and words
            not in f"{product.name} {AGENTS[product.class_id].title} {product.place}".lower()
        ):
            continue
        best = None
        if narrowed:
            best = overrides.touching(
                product,
                component,
                given=given.get(product.id, {}),
                features=(),
                state=(*PREPARED, "removed"),
            )[0]
            if best[1].verdict == "no":
                continue
        left = shelf.left_ml(product, visit.now)
        expiries = [lot.expires_on for lot in product.lots if lot.expires_on and lot.left_ml > 0]
        shown.append(
            {
                "product": product,
                "agent": AGENTS[product.class_id],
                "left": left,
                "short": left < product.least_ml,
                "best": best,
                "expired": any(e <= visit.now for e in expiries),
                "soon": any(visit.now < e <= visit.now + shelf.SOON for e in expiries),
            }
        )
    return visit.page(
        "shelf.html",
        status,
        place="shelf",
        shown=shown,
        component=component,
        components=[c for c in COMPONENTS.values() if not kind_is(c.id, "not_cleaned")],
        words=WORDS,
        ways=WAYS,
        asked=asked.get("q", ""),
        classes=list(AGENTS.values()),
        entered=form,
        product=None,
        **_label_words(),
        **extra,
    )


def _label_words() -> dict[str, Any]:
    return {"properties": PROPERTIES, "pictograms": PICTOGRAMS, "statements": STATEMENTS}


@router.get("/shelf")
def index(visit: Signed) -> HTMLResponse:
    return _list(visit)


@router.get("/shelf/reorder.csv")
def reorder(visit: Signed) -> Response:
    return Response(
        shelf.reorder_csv(visit.db, visit.now),
        media_type="text/csv",
        headers={"content-disposition": 'attachment; filename="reorder.csv"'},
    )


class ProductFields(FormModel):
    """A product as typed."""

    name: str = ""
    class_id: str = ""
    size_ml: Annotated[float | None, quantity("volume", "Size")] = None
    price: Annotated[float | None, number("Price")] = None
    place: str = ""
    least_ml: Annotated[float | None, quantity("volume", "Least stock")] = None
    note: str = ""
    pictograms: list[str] = Field(default_factory=list)
    statements: str = ""


def _product_form(form: Form) -> shelf.ProductForm:
    chosen = {
        k.removeprefix("property."): v == "yes"
        for k, v in form.pairs
        if k.startswith("property.") and v in ("yes", "no")
    }
    given = form.read(ProductFields)
    return shelf.ProductForm(**given.model_dump(exclude={"seen"}), properties=chosen)


@router.post("/shelf")
def add(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> str:
        given = _product_form(form)
        product = shelf.save_product(act, None, given, seen=0)
        return f"/shelf/{product.id}"

    return visit.submit(
        form, write, to="/shelf", shown=lambda faults: _list(visit, 422, form, faults=faults)
    )


def page(
    visit: Visit, product: Product, status: int = 200, *, form: Form | None = None, **extra: Any
) -> HTMLResponse:
    """One product; `form` gives back what was typed."""
    given = overrides.overrides_of(visit.db, product.id)
    touching = [
        (
            c,
            overrides.touching(
                product, c.id, given=given, features=(), state=(*PREPARED, "removed")
            ),
        )
        for c in COMPONENTS.values()
        if not kind_is(c.id, "not_cleaned")
    ]
    return visit.page(
        "product.html",
        status,
        place="shelf",
        product=product,
        agent=AGENTS[product.class_id],
        effective=shelf.agent_of(product),
        left=shelf.left_ml(product, visit.now),
        touching=sorted(touching, key=lambda t: VERDICTS.index(t[1][0][1].verdict)),
        overrides=given,
        sheets=shelf.sheets_of(visit.db, product.id),
        words=WORDS,
        ways=WAYS,
        classes=list(AGENTS.values()),
        components=list(COMPONENTS.values()),
        states=STATES,
        entered=form,
        **_label_words(),
        **extra,
    )


@router.get("/shelf/{product_id}")
def show(visit: Signed, product_id: int) -> HTMLResponse:
    return page(visit, shelf.find_product(visit.db, product_id))


@router.post("/shelf/{product_id}")
def save(visit: Signed, product_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = _product_form(form)
        shelf.save_product(act, product_id, given, seen=form.integer("seen"))

    return visit.submit(
        form,
        write,
        to=f"/shelf/{product_id}",
        shown=lambda faults: page(
            visit, shelf.find_product(visit.db, product_id), 422, form=form, faults=faults
        ),
    )


class DeliveryForm(FormModel):
    """Cans that came."""

    cans: Annotated[float, number("Cans")] = 0.0
    lot: str = ""
    expires_on: Day = None


@router.post("/shelf/{product_id}/lots")
def deliver(visit: Signed, product_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(DeliveryForm)
        shelf.deliver(act, product_id, given.cans, number=given.lot, expires_on=given.expires_on)

    return visit.submit(
        form,
        write,
        to=f"/shelf/{product_id}#stock",
        shown=lambda faults: page_again(visit, product_id, form, faults=faults),
    )


def page_again(
    visit: Visit, product_id: int, form: Form, *, faults: dict[str, str]
) -> HTMLResponse:
    """A product's page with what could not be taken."""
    product = shelf.find_product(visit.db, product_id)
    return page(visit, product, 422, form=form, faults=faults)


class CountForm(FormModel):
    """What is left of a lot."""

    found_ml: Annotated[float | None, quantity("volume", "Left")] = None


@router.post("/shelf/{product_id}/lots/{lot_id}")
def count(visit: Signed, product_id: int, lot_id: int, *, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(CountForm)
        if given.found_ml is None:
            raise Invalid({"found_ml": "Say what is left."})
        shelf.count(act, product_id, lot_id, found_ml=given.found_ml)

    return visit.submit(
        form,
        write,
        to=f"/shelf/{product_id}#stock",
        shown=lambda faults: page_again(visit, product_id, form, faults=faults),
    )


@router.post("/shelf/{product_id}/sheets")
def attach(visit: Signed, product_id: int, form: SentFile) -> Response:
    def write(act: Act) -> None:
        shelf.attach(act, product_id, form.text("kind"), name=form.file_name, data=form.file)

    return visit.submit(
        form,
        write,
        to=f"/shelf/{product_id}#sheets",
        shown=lambda faults: page(
            visit, shelf.find_product(visit.db, product_id), 422, form=form, faults=faults
        ),
    )


@router.get("/shelf/{product_id}/sheets/{sheet_id}")
def sheet(visit: Signed, product_id: int, sheet_id: int) -> Response:
    row = shelf_rows.sheet(visit.db, sheet_id)
    if row is None or row.product_id != product_id:
        raise Missing(f"sheet {sheet_id}")
    return Response(
        row.data,
        media_type=row.media,
        headers={"content-disposition": f'attachment; filename="{row.name}"'},
    )


@router.post("/shelf/{product_id}/overrides")
def override(visit: Signed, product_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        overrides.override(
            act,
            product_id,
            form.text("component"),
            way=form.text("way"),
            verdict=form.text("verdict"),
            source=form.text("source"),
        )

    return visit.submit(
        form,
        write,
        to=f"/shelf/{product_id}#touches",
        shown=lambda faults: page(
            visit, shelf.find_product(visit.db, product_id), 422, form=form, faults=faults
        ),
    )


@router.post("/shelf/{product_id}/retire")
def retire(visit: Signed, product_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        shelf.retire(act, product_id)

    return visit.submit(form, write, to="/shelf")


@router.get("/jobs/{number}/waste.csv")
def waste(visit: Signed, number: str) -> Response:
    return Response(
        shelf.waste_csv(visit.db, visit.job(number)),
        media_type="text/csv",
        headers={"content-disposition": f'attachment; filename="waste-{number}.csv"'},
    )
