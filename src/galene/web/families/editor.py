"""The editor of an engine family: one form per part, operation and table, on a draft that may have
faults until it is published."""

import re
from dataclasses import replace
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath.family import (
    CIRCUITS,
    Band,
    BusEntry,
    EngineFamily,
    Fastener,
    OpenedItem,
    Operation,
    Part,
    Pipe,
)
from galene.core.airpath.faults import STATES
from galene.core.airpath.must_go_back import BEFORE, KINDS
from galene.core.calculations.metrics import METRICS
from galene.core.chemistry.judge import FEATURES
from galene.core.errors import InputError
from galene.core.planning.marks import DEEDS
from galene.core.text_gate import digits
from galene.core.units import parse_number
from galene.exchange.families import faults_of
from galene.jobs import families, family_edits
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.family_edits import Change
from galene.knowledge.bus_names import BUS_NAMES
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.knowledge.relearns import RELEARNS
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(
    route_class=VisitRoute, include_in_schema=False, prefix="/reference/families/{family_id}/edit"
)
OPENED_COLUMNS = (
    "opens",
    "opens_kind",
    "opens_count",
    "opens_before",
    "opens_of",
    "opens_carries",
    "opens_mouth",
    "opens_row",
)
SECTIONS = ("facts", "part", "operation", "bands", "spares", "bus")


def _selection(family: EngineFamily, query: dict[str, str]) -> dict[str, Any]:
    """What the right-hand side edits."""
    part = next((p for p in family.parts if p.id == query.get("part")), None)
    operation = next((o for o in family.operations if o.id == query.get("operation")), None)
    section = (
        "part"
        if part
        else (
            "operation"
            if operation or query.get("operation") == "new"
            else query.get("section", "facts")
        )
    )
    return {
        "part": part,
        "operation": operation,
        "section": section if section in SECTIONS else "facts",
    }


def _place_link(family: EngineFamily, place: str) -> str:
    """Where in the editor a fault is mended."""
    found = re.match(r"(parts|operations|taps|fasteners|pipes)\[(\d+)\]", place)
    if found:
        what, i = found[1], int(found[2])
        if what == "parts":
            return f"part={family.parts[i].id}"
        if what == "operations":
            return f"operation={family.operations[i].id}"
        if what == "taps":
            return f"part={family.taps[i].sensor}"
        if what == "fasteners":
            return f"part={family.fasteners[i].part}"
        return f"part={family.pipes[i].source}"
    return "section=" + (
        "bands"
        if place.startswith("bands")
        else "spares"
        if place.startswith("spares")
        else "bus"
        if place.startswith("bus")
        else "facts"
    )


def page(
    visit: Visit,
    family_id: str,
    status: int = 200,
    *,
    form: Form | None = None,
    faults: dict[str, str] | None = None,
    query: dict[str, str] | None = None,
) -> HTMLResponse:
    draft = families.draft_of(visit.db, family_id)
    if draft is None:
        raise Missing(f"draft of engine family {family_id[:20]}")
    family = families.family_in_draft(draft)
    chosen = _selection(family, query or dict(visit.request.query_params))
    part = chosen["part"]
    wrong = faults_of(family)
    return visit.page(
        "family_editor.html",
        status,
        family=family,
        draft=draft,
        picture=picture_of(family, lit=[part.id] if part else []),
        wrong=[(f, _place_link(family, f.place)) for f in wrong],
        faults=faults or {},
        entered=form,
        place="reference",
        components=COMPONENTS,
        features=FEATURES,
        circuits=CIRCUITS,
        states=STATES,
        kinds=KINDS,
        befores=BEFORE,
        cautions=CAUTIONS,
        deeds=[(d, f"{d.replace('_', ' ')}: {words}") for d, words in DEEDS.items()],
        metrics=METRICS,
        relearns=RELEARNS,
        bus_names=BUS_NAMES,
        schools=POLICY_QUESTIONS,
        published=families.versions_of(visit.db, family_id)[:1],
        tapped_on=next((t.on or "" for t in family.taps if part and t.sensor == part.id), None),
        **chosen,
    )


@router.get("")
def show(visit: Signed, family_id: str) -> Response:
    if families.draft_of(visit.db, family_id) is None:
        return visit.go(f"/reference/families/{family_id}")
    return page(visit, family_id)


@router.post("/begin")
def begin(visit: Signed, family_id: str, form: Sent) -> Response:
    location = f"/reference/families/{family_id}/edit"

    def write(act: Act) -> None:
        families.begin_draft(act, family_id)

    return visit.submit(form, write, to=location)


def _save(
    visit: Visit, family_id: str, form: Form, *, what: str, change: Change, at: str
) -> Response:
    """Change the draft and show the same place again, with faults at their fields where it can not
    be."""
    query = dict(p.split("=", 1) for p in at.split("&"))

    def write(act: Act) -> None:
        try:
            families.edit_draft(act, family_id, form.integer("seen"), what=what, change=change)
        except InputError as fault:
            words = f"{fault.value!r} is not possible; allowed: {fault.allowed}"
            raise Invalid({fault.field: words}) from fault

    return visit.submit(
        form,
        write,
        to=f"/reference/families/{family_id}/edit?{at}#edit",
        shown=lambda faults: page(visit, family_id, 422, form=form, faults=faults, query=query),
    )


def _family(visit: Visit, family_id: str) -> EngineFamily:
    draft = families.draft_of(visit.db, family_id)
    if draft is None:
        raise Missing(f"draft of engine family {family_id[:20]}")
    return families.family_in_draft(draft)


@router.post("/add")
def add(visit: Signed, family_id: str, form: Sent) -> Response:
    component = form.text("component")
    new = family_edits.free_id(component, (p.id for p in _family(visit, family_id).parts))
    return _save(
        visit,
        family_id,
        form,
        what=f"added {component.replace('_', ' ')}",
        change=family_edits.add_part(component, form.text("after")),
        at=f"part={new}",
    )


@router.post("/remove-part")
def remove_part(visit: Signed, family_id: str, form: Sent) -> Response:
    return _save(
        visit,
        family_id,
        form,
        what=f"took out {form.text('part')}",
        change=family_edits.remove_part(form.text("part")),
        at="section=facts",
    )


def _rows(form: Form, *names: str) -> list[dict[str, str]]:
    """A table's rows as sent; rows whose first cell is empty are left out."""
    columns = {n: form.texts(n) for n in names}
    count = max((len(v) for v in columns.values()), default=0)
    rows = [
        {n: columns[n][i].strip() if i < len(columns[n]) else "" for n in names}
        for i in range(min(count, 60))
    ]
    return [r for r in rows if r[names[0]]]


def _whole(form: Form, name: str, text: str, *, label: str, low: int, high: int) -> int:
    if digits(text) and low <= int(text) <= high:
        return int(text)
    form.faults[name] = f"{label}: a whole number from {low} to {high}."
    return low


def _number(form: Form, name: str, label: str, *, start: float = 0.0) -> float:
    value = form.number(name, label)
    if value is None:
        form.faults.setdefault(name, f"{label}: enter a figure.")
    return start if value is None else value


def _chosen(old: tuple[str, ...], ticked: list[str]) -> tuple[str, ...]:
    """What is ticked, those that were there before in their old order."""
    return (*(x for x in old if x in ticked), *(x for x in dict.fromkeys(ticked) if x not in old))


def _fasteners(form: Sent, part: str) -> tuple[Fastener, ...]:
    """The rows of fasteners in a form, of a part or of an operation at it."""
    by_hand = set(form.texts("hand_tool_only"))
    return tuple(
        Fastener(
            part=part,
            what=row["fastener"],
            count=_whole(form, f"count.{i}", row["count"], label="How many", low=1, high=99),
            driver=row["driver"],
            torque_nm=(
                form.quantity("torque", "torque", "Torque", text=row["torque"])
                if row["torque"]
                else None
            ),
            hand_tool_only=row["row"] in by_hand,
            place=row["place"].strip(),
        )
        for i, row in enumerate(
            _rows(form, "fastener", "count", "driver", "torque", "place", "row")
        )
    )


@router.post("/part")
def save_part(visit: Signed, family_id: str, form: Sent) -> Response:
    old = next((p for p in _family(visit, family_id).parts if p.id == form.text("part")), None)
    if old is None:
        raise Missing(f"part {form.text('part')[:40]}")
    part = Part(
        id=old.id,
        component=old.component,
        label=form.text("label").strip(),
        features=_chosen(old.features, [f for f in form.texts("features") if f in FEATURES]),
        where=form.text("where").strip(),
        quirk=form.text("quirk").strip(),
        part_number=form.text("part_number").strip(),
        bore_mm=form.quantity("bore_mm", "length", "Bore"),
        picture=old.picture,
        may_be_unplugged=form.text("may_be_unplugged") == "yes",
    )
    pipes = [Pipe(old.id, r["target"], r["circuit"]) for r in _rows(form, "target", "circuit")]
    fasteners = _fasteners(form, old.id)
    sits = form.text("on") if COMPONENTS[old.component].sensor else None
    return _save(
        visit,
        family_id,
        form,
        what=f"changed {part.label.lower()}",
        change=family_edits.save_part(part, sits, pipes, fasteners=fasteners),
        at=f"part={old.id}",
    )


@router.post("/operation")
def save_operation(visit: Signed, family_id: str, form: Sent) -> Response:
    family = _family(visit, family_id)
    old = form.text("operation")
    was = next((o for o in family.operations if o.id == old), None)

    def ticked(name: str) -> tuple[str, ...]:
        return _chosen(getattr(was, name) if was else (), form.texts(name))

    operation_id = (
        old
        if old != "new"
        else family_edits.free_id(form.text("text"), (o.id for o in family.operations))
    )
    inside = set(form.texts("dangerous"))
    opens = tuple(
        OpenedItem(
            what=r["opens"],
            kind=r["opens_kind"],
            count=_whole(
                form, f"opens_count.{i}", r["opens_count"] or "1", label="How many", low=1, high=99
            ),
            before=r["opens_before"],
            dangerous=r["opens_row"] in inside,
            while_running=next(
                (o.while_running for o in (was.opens if was else ()) if o.what == r["opens"]), False
            ),
            of=r["opens_of"],
            carries=r["opens_carries"],
            mouth=r["opens_mouth"].strip(),
        )
        for i, r in enumerate(_rows(form, *OPENED_COLUMNS))
    )
    operation = Operation(
        id=operation_id,
        text=form.text("text").strip(),
        text_back=form.text("text_back").strip(),
        part=form.text("part"),
        minutes_off=_number(form, "minutes_off", "Minutes off"),
        minutes_on=_number(form, "minutes_on", "Minutes on"),
        after=ticked("after"),
        reaches=ticked("reaches"),
        removes=form.text("removes"),
        opens=opens,
        consumes=ticked("consumes"),
        tools=tuple(t.strip() for t in form.text("tools").split(",") if t.strip()),
        needs=ticked("needs"),
        wait_minutes=_number(form, "wait_minutes", "Wait before"),
        cautions=ticked("cautions"),
        undoes=ticked("undoes"),
        hangs=form.text("hangs") == "yes",
        own=_fasteners(form, form.text("part")),
        acts=ticked("acts"),
        acts_back=ticked("acts_back"),
        sight_of=ticked("sight_of"),
    )
    return _save(
        visit,
        family_id,
        form,
        what=f"changed “{operation.text[:40]}”",
        change=family_edits.save_operation(operation),
        at=f"operation={operation_id if not form.faults else old}",
    )


@router.post("/operation-place")
def operation_place(visit: Signed, family_id: str, form: Sent) -> Response:
    operation_id, do = form.text("operation"), form.text("do")
    if do == "remove":
        return _save(
            visit,
            family_id,
            form,
            what=f"took out {operation_id}",
            change=family_edits.remove_operation(operation_id),
            at="section=facts",
        )
    return _save(
        visit,
        family_id,
        form,
        what=f"moved {operation_id}",
        change=family_edits.move_operation(operation_id, -1 if do == "up" else 1),
        at=f"operation={operation_id}",
    )


@router.post("/facts")
def save_facts(visit: Signed, family_id: str, form: Sent) -> Response:
    displacement = form.quantity("displacement_l", "engine_size", "Engine size") or 0.0
    cylinders = _whole(
        form, "cylinders", form.text("cylinders").strip(), label="Cylinders", low=1, high=24
    )
    ratio, filling = (
        _number(form, "compression_ratio", "Compression ratio"),
        _number(form, "volumetric_efficiency_idle", "Filling at idle"),
    )
    angle, fan = (
        _number(form, "closed_angle_deg", "Closed plate's angle"),
        form.quantity("fan_on_c", "temperature", "Fan cuts in"),
    )
    step = _number(form, "degrees_per_percent", "Degrees a percent")
    order = form.text("firing_order").replace(",", " ").replace("-", " ").split()
    if not all(digits(c) for c in order):
        form.faults["firing_order"] = (
            "Firing order: cylinder numbers with spaces between, such as 1 3 4 2."
        )
    opens, shuts = (
        form.number("intake_opens_btdc_deg", "Intake opens"),
        form.number("intake_closes_abdc_deg", "Intake shuts"),
    )
    holds = (
        {
            p.id: m
            for p in RELEARNS[form.text("relearn")].phases
            if (m := form.number(f"hold.{p.id}", p.id)) is not None
        }
        if form.text("relearn") in RELEARNS
        else {}
    )
    notes = tuple(n.strip() for n in form.text("notes").splitlines() if n.strip())
    maker = {
        s.letter: choice for s in POLICY_QUESTIONS if (choice := form.text(f"maker.{s.letter}"))
    }

    def change(family: EngineFamily) -> EngineFamily:
        return replace(
            family,
            name=form.text("name").strip(),
            fuel=form.text("fuel"),
            injection=form.text("injection"),
            cycle=form.text("cycle"),
            throttle=form.text("throttle"),
            displacement_l=displacement,
            cylinders=cylinders,
            compression_ratio=ratio,
            volumetric_efficiency_idle=filling,
            closed_angle_deg=angle,
            degrees_per_percent=step,
            fan_on_c=98.0 if fan is None else fan,
            relearn=form.text("relearn"),
            relearn_holds=holds,
            notes=notes,
            maker_says=maker,
            firing_order=tuple(int(c) for c in order if digits(c)),
            intake_opens_btdc_deg=opens,
            intake_closes_abdc_deg=shuts,
            battery_v=24.0 if form.text("battery_v") == "24" else 12.0,
            cooling=form.text("cooling") or family.cooling,
        )

    return _save(
        visit, family_id, form, what="changed the engine's facts", change=change, at="section=facts"
    )


@router.post("/bands")
def save_bands(visit: Signed, family_id: str, form: Sent) -> Response:
    bands = {}
    for metric in METRICS.values():
        low = form.quantity(f"low.{metric.id}", metric.quantity, metric.label)
        high = form.quantity(f"high.{metric.id}", metric.quantity, metric.label)
        if low is None and high is None:
            continue
        if low is None or high is None:
            form.faults[f"{'low' if low is None else 'high'}.{metric.id}"] = (
                f"{metric.label}: both ends, or neither."
            )
            continue
        bands[metric.id] = Band(low, high, form.text(f"source.{metric.id}").strip())
    return _save(
        visit,
        family_id,
        form,
        what="changed the reference values",
        change=family_edits.save_bands(bands),
        at="section=bands",
    )


@router.post("/spares")
def save_spares(visit: Signed, family_id: str, form: Sent) -> Response:
    rows = []
    for i, row in enumerate(_rows(form, "spare", "number", "price", "spare_id")):
        try:
            price = float(row["price"].replace(",", ".") or "0")
        except ValueError:
            form.faults[f"price.{i}"] = f"{row['spare']}: the price is not a number."
            price = 0.0
        rows.append((row["spare_id"], row["spare"], row["number"], price))
    return _save(
        visit,
        family_id,
        form,
        what="changed the spare parts",
        change=family_edits.save_spares(rows),
        at="section=spares",
    )


@router.post("/bus")
def save_bus(visit: Signed, family_id: str, form: Sent) -> Response:
    """The maker's own identifiers: a row without a name is left out."""
    entries = []
    for i, row in enumerate(_rows(form, "entry", "identifier", "size", "scale", "offset")):
        kind, _, name = row["entry"].partition(":")
        identifier, size = row["identifier"].strip(), row["size"].strip() or "2"
        if not re.fullmatch(r"[0-9A-Fa-f]{1,4}", identifier):
            form.faults[f"identifier.{i}"] = f"{name}: up to four hexadecimal figures."
        if not digits(size, 1):
            form.faults[f"size.{i}"] = f"{name}: 1 to 4 bytes."
        numbers = []
        for field, default in (("scale", "1"), ("offset", "0")):
            try:
                numbers.append(parse_number(field, row[field].strip() or default))
            except InputError:
                form.faults[f"{field}.{i}"] = f"{name}: the {field} is not a number."
        if not form.faults:
            entries.append(
                BusEntry(
                    kind=kind,
                    name=name,
                    identifier=int(identifier, 16),
                    size=int(size),
                    scale=numbers[0],
                    offset=numbers[1],
                )
            )
    return _save(
        visit,
        family_id,
        form,
        what="changed the identifiers on the bus",
        change=family_edits.save_bus(entries),
        at="section=bus",
    )


@router.post("/picture")
def save_picture(visit: Signed, family_id: str, form: SentFile) -> Response:
    part_id = form.text("part")
    store = visit.request.app.state.pictures
    name = ""
    try:
        if not form.text("remove"):
            name = store.keep(form.file) if form.file else ""
            if not name:
                raise InputError("picture", "nothing", "a JPEG, PNG or WebP picture")
    except InputError as fault:
        form.faults["picture"] = f"{fault.value}: wanted is {fault.allowed}."

    def change(family: EngineFamily) -> EngineFamily:
        return replace(
            family,
            parts=tuple(replace(p, picture=name) if p.id == part_id else p for p in family.parts),
        )

    return _save(
        visit, family_id, form, what="changed a picture", change=change, at=f"part={part_id}"
    )


@router.post("/undo")
def undo(visit: Signed, family_id: str, form: Sent) -> Response:
    location = f"/reference/families/{family_id}/edit"

    def write(act: Act) -> None:
        families.undo_draft(act, family_id, form.integer("seen"))

    return visit.submit(form, write, to=location)


@router.post("/drop")
def drop(visit: Signed, family_id: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        families.drop_draft(act, family_id, form.integer("seen"))

    return visit.submit(form, write, to="/reference#families")


@router.post("/publish")
def publish(visit: Signed, family_id: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        families.publish(act, family_id, form.integer("seen"), note=form.text("note"))

    def shown(faults: dict[str, str], status: int = 422) -> HTMLResponse:
        query = {"section": "facts"}
        return page(visit, family_id, status, form=form, faults=faults, query=query)

    try:
        return visit.submit(form, write, to=f"/reference/families/{family_id}", shown=shown)
    except Refused as fault:
        return shown({"publish": "; ".join(fault.reasons[:3])}, 409)
