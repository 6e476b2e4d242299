"""Worksheets: each calculation live, with a drawing of what is measured."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse
from starlette.datastructures import FormData

from galene.core.calculations.catalogue import every as every_calculation
from galene.core.calculations.declaring import Calculation, FormEntry, InputForm
from galene.core.calculations.forms import form_of, value_of
from galene.core.errors import InputError
from galene.core.units import QUANTITIES, in_system, parse_number
from galene.exchange.calculations import calculate
from galene.jobs.errors import Missing
from galene.knowledge.components import COMPONENTS
from galene.knowledge.worksheets import GROUPS
from galene.web.shared.forms import Form
from galene.web.shared.templating import bare_number
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute
from galene.web.worksheets import drawings, traces

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
MOST_ROWS = 40


@dataclass(frozen=True, kw_only=True)
class Drawing:
    """What a worksheet draws: the figure of input and result, and the picture that shows it."""

    draw: Callable[[Any, Any], Any]
    picture: str


DRAWINGS: dict[str, Drawing] = {
    "idle-gap": Drawing(draw=drawings.idle_gap, picture="idle_gap"),
    "trim-split": Drawing(draw=drawings.trim_split, picture="trim_split"),
    "expected-airflow": Drawing(draw=drawings.expected_airflow, picture="gauge"),
    "key-on-agreement": Drawing(draw=drawings.key_on, picture="key_on"),
    "drying-time": Drawing(draw=drawings.drying, picture="drying"),
    "isa-pressure": Drawing(draw=drawings.altitude, picture="altitude"),
    "before-after": Drawing(draw=drawings.comparison, picture="comparison"),
    "egr-flow-test": Drawing(draw=traces.passage, picture="passage"),
    "egr-flow-crosscheck": Drawing(draw=traces.two_ways, picture="two_ways"),
    "blast-positions": Drawing(draw=traces.cycle, picture="cycle"),
    "regeneration-trace": Drawing(draw=traces.burn, picture="chart"),
    "runner-sweep": Drawing(draw=traces.sweep, picture="chart"),
    "oxygen-response": Drawing(draw=traces.volts, picture="chart"),
}
"""Drawings of those calculations that have one; the others show their figures."""
WITH_PAGE_OF_ITS_OWN = frozenset({"bore-restriction"})


@dataclass(frozen=True, kw_only=True)
class Worksheet:
    """A calculation's page: its form and its drawing."""

    calculation: Calculation
    form: InputForm
    drawing: Drawing | None

    @property
    def name(self) -> str:
        """The contract name."""
        return self.calculation.name

    @property
    def picture(self) -> str:
        """The picture of its drawing, empty where it has none."""
        return self.drawing.picture if self.drawing else ""

    @property
    def reads_volts(self) -> bool:
        """Whether a pressure may be given as the volts that a meter shows."""
        asked = (e.asked.quantity for e in (*self.form.entries, *self.form.columns))
        return self.name != "sensor-line" and "pressure" in asked


SHEETS: dict[str, Worksheet] = {
    name: Worksheet(calculation=calculation, form=form_of(calculation), drawing=DRAWINGS.get(name))
    for name, calculation in every_calculation().items()
    if name not in WITH_PAGE_OF_ITS_OWN
}


LINE_FIELDS = (
    ("line_v1", "At volts"),
    ("line_kpa1", "it reads, kPa"),
    ("line_v2", "and at volts"),
    ("line_kpa2", "kPa"),
)
"""Two points of a sensor's line, for pressures that the meter shows as volts."""


def _by_line(form: Form, name: str, typed: str) -> float:
    """A pressure that was read in volts, through the sensor's line.

    Raises
    ------
    InputError
        The line is not known, or the volts are at a rail: a wire or sensor fault, no pressure.
    """
    points = [
        {"volts": parse_number(v, form.text(v)), "kpa": parse_number(k, form.text(k))}
        for v, k in (("line_v1", "line_kpa1"), ("line_v2", "line_kpa2"))
    ]
    volts = parse_number(name, re.sub(r"\s*[vV]\s*$", "", typed))
    try:
        read = calculate("sensor-line", {"points": points, "volts": volts})
    except InputError as fault:
        raise InputError(
            name if fault.field == "volts" else "line_v2", fault.value, fault.allowed
        ) from fault
    if not read["in_range"]:
        raise InputError(name, typed, f"volts inside the rails: {read['sentence']}")
    return float(read["kpa"])


def _value(form: Form, entry: FormEntry, where: str, *, typed: str) -> Any:
    unit = form.text(f"{entry.name}_unit")
    in_volts = unit == "V" or re.search(r"\d\s*[vV]\s*$", typed)
    if entry.asked.quantity == "pressure" and in_volts:
        return _by_line(form, where, typed)
    return value_of(entry, where, typed, unit=unit)


def given_of(sheet: Worksheet, form: Form) -> dict[str, Any]:
    """The calculation's input from a sent worksheet.

    Raises
    ------
    InputError
        A field that is empty or no number, by its contract name.
    """
    given: dict[str, Any] = {}
    for entry in sheet.form.entries:
        typed = form.text(entry.name)
        if typed.strip():
            given[entry.name] = _value(form, entry, entry.name, typed=typed)
        elif not entry.optional:
            raise InputError(entry.name, "", "a figure")
    if sheet.form.table:
        given[sheet.form.table] = list(_rows(sheet.form, form))
    return sheet.form.shape(given)


def _rows(asked: InputForm, form: Form) -> list[dict[str, Any]]:
    """The table's rows that were filled in."""
    columns = {c.name: form.texts(c.name) for c in asked.columns}
    count = max((len(v) for v in columns.values()), default=0)
    rows = []
    for i in range(min(count, MOST_ROWS)):
        cells = {name: texts[i] if i < len(texts) else "" for name, texts in columns.items()}
        if not any(cells[c.name].strip() for c in asked.columns if not c.asked.choices):
            continue
        rows.append(
            {
                c.name: _value(form, c, f"{asked.table}[{i}].{c.name}", typed=cells[c.name])
                for c in asked.columns
                if cells[c.name].strip() or not c.optional
            }
        )
    return rows


def outcome(sheet: Worksheet, form: Form) -> dict[str, Any]:
    """Result and drawing of a worksheet, or the fault."""
    try:
        given = given_of(sheet, form)
        result = calculate(sheet.name, given)
    except InputError as fault:
        words = {e.name: e.asked.label for e in sheet.form.entries}.get(fault.field, fault.field)
        return {"result": None, "drawing": None, "fault": fault, "fault_words": words}
    return {
        "result": result,
        "drawing": sheet.drawing.draw(given, result) if sheet.drawing else None,
        "fault": None,
    }


def opening_form(visit: Visit, sheet: Worksheet, filled: Mapping[str, Any] | None = None) -> Form:
    """The worksheet as it opens, in the workshop's units: start values, or on a job what its family
    knows and nothing else."""
    system = visit.shop.system

    def shown(entry: FormEntry, value: str) -> str:
        quantity = entry.asked.quantity
        return bare_number(float(value), quantity, system) if quantity and value else value

    asked = sheet.form
    pairs: list[Any] = [(e.name, shown(e, _start(e, filled))) for e in asked.entries]
    pairs += [
        (f"{e.name}_unit", in_system(QUANTITIES[e.asked.quantity], system).id)
        for e in (*asked.entries, *asked.columns)
        if e.asked.quantity
    ]
    pairs += [
        (c.name, shown(c, cell))
        for row in asked.rows
        for c, cell in zip(asked.columns, row, strict=True)
    ]
    return Form(FormData(pairs), lambda: system)


def _start(entry: FormEntry, filled: Mapping[str, Any] | None) -> str:
    """What a field opens with; on a job no example of what is read on the vehicle."""
    asked = entry.asked
    if filled is None or asked.choices:
        return asked.start
    known = filled.get(entry.name)
    if isinstance(known, str):
        return known
    if known is not None:
        return f"{known:g}"
    return "" if asked.text or asked.measured else asked.start


@router.get("/worksheets")
def index(visit: Signed) -> HTMLResponse:
    return visit.page(
        "worksheets.html",
        calculations=every_calculation(),
        groups=GROUPS,
        SENSOR_KINDS={c.id for c in COMPONENTS.values() if c.sensor},
        place="worksheets",
    )


def _sheet(name: str) -> Worksheet:
    if name not in SHEETS:
        raise Missing(f"worksheet {name[:40]}")
    return SHEETS[name]


@router.get("/worksheets/{name}")
def show(visit: Signed, name: str) -> HTMLResponse:
    sheet = _sheet(name)
    form = opening_form(visit, sheet)
    return visit.page(
        "worksheet.html",
        sheet=sheet,
        calculation=sheet.calculation,
        calculations=list(every_calculation().values()),
        form=form,
        place="worksheets",
        line_fields=LINE_FIELDS,
        **outcome(sheet, form),
    )


@router.post("/worksheets/{name}")
def live(visit: Signed, name: str, form: Sent) -> HTMLResponse:
    sheet = _sheet(name)
    return visit.part(
        "worksheet.html",
        "outcome",
        sheet=sheet,
        calculation=sheet.calculation,
        **outcome(sheet, form),
    )
