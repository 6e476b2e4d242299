"""Worksheets: each calculation live, with a drawing of what is measured."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.core.calculations import CALCULATIONS
from galene.core.errors import InputError
from galene.core.units import QUANTITIES, in_system, parse_number, parse_quantity
from galene.exchange.cases import calculate
from galene.jobs.errors import Missing
from galene.web.drawings import worksheets as drawings
from galene.web.forms import Form
from galene.web.visit import Sent, Signed, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


@dataclass(frozen=True)
class Entry:
    """A field of a worksheet: contract name, words, quantity (empty: a plain number), start value, and its list."""

    name: str
    label: str
    quantity: str = ""
    start: str = ""
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    optional: bool = False


@dataclass(frozen=True)
class Worksheet:
    """A calculation's page: single fields, and for some a table whose rows repeat."""

    name: str
    entries: tuple[Entry, ...]
    table: str = ""
    columns: tuple[Entry, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    draw: Callable[[Any, Any], Any] | None = None
    picture: str = ""


AGENT_CHOICES = (("maf_cleaner", "Meter cleaner (alkanes)"), ("contact_cleaner", "Contact cleaner (alkanes)"), ("isopropanol", "Isopropanol"),
                 ("throttle_cleaner", "Throttle cleaner (aromatics)"), ("acetone", "Acetone"), ("water", "Water-based"))  # fmt: skip
SHEETS: dict[str, Worksheet] = {
    w.name: w
    for w in (
        Worksheet("idle-gap", (
            Entry("bore_mm", "Throttle bore", "length", "52"), Entry("closed_angle_deg", "Plate angle when closed", "angle", "6"),
            Entry("idle_air_g_s", "Air at idle", "airflow", "2.6"), Entry("intake_kpa", "Pressure before the plate", "pressure", "100.2"),
            Entry("intake_c", "Intake air", "temperature", "24"), Entry("manifold_kpa", "Pressure behind the plate", "pressure", "33"),
            Entry("deposit_mm", "Deposit, bore and edge together", "length", "0.04"), Entry("deposit_tolerance_mm", "How sure, ±", "length", "0.01"),
            Entry("discharge_coefficient", "Discharge coefficient", "", "0.82", "0.82 for a sharp plate edge"),
        ), draw=drawings.idle_gap, picture="idle_gap"),
        Worksheet("trim-split", (Entry("barometer_kpa", "Barometer", "pressure", "101.3"),), "points", (
            Entry("airflow_g_s", "Air meter", "airflow"), Entry("trim_percent", "Total trim, %"), Entry("map_kpa", "Manifold", "pressure", optional=True),
        ), (("3.0", "18", ""), ("9.0", "9", ""), ("22", "6.2", ""), ("48", "5.1", "")), drawings.trim_split, "trim_split"),
        Worksheet("expected-airflow", (
            Entry("displacement_l", "Engine size", "", "1.6", "litres"), Entry("rpm", "Engine speed", "", "740", "rpm"),
            Entry("map_kpa", "Manifold pressure", "pressure", "33"), Entry("intake_c", "Air at the ports", "temperature", "38"),
            Entry("volumetric_efficiency", "Volumetric efficiency", "", "0.75", "a share"),
            Entry("strokes", "Strokes", "", "4", choices=(("4", "four-stroke"), ("2", "two-stroke"))),
            Entry("measured_g_s", "Meter shows", "airflow", "2.6", optional=True),
        ), draw=drawings.expected_airflow, picture="gauge"),
        Worksheet("key-on-agreement", (
            Entry("barometer_kpa", "Barometer", "pressure", "", "wins over the height", optional=True), Entry("altitude_m", "Height above the sea", "height", "12", optional=True),
            Entry("tolerance_kpa", "Tolerance", "pressure", "2.5"),
        ), "readings", (Entry("component", "Sensor"), Entry("pressure_kpa", "Shows", "pressure")),
            (("map_sensor", "101.0"), ("barometric_sensor", "101.4"), ("boost_sensor", "96.2")), drawings.key_on, "key_on"),
        Worksheet("drying-time", (
            Entry("base_minutes", "Minutes by label, at 20 °C", "", "15"), Entry("temperature_c", "Bay", "temperature", "8"),
            Entry("class", "Agent", "", "maf_cleaner", choices=AGENT_CHOICES), Entry("relative_humidity", "Humidity, a share", "", "", "water-based only, 0.5 is usual", optional=True),
        ), draw=drawings.drying, picture="drying"),
        Worksheet("isa-pressure", (Entry("altitude_m", "Height above the sea", "height", "640"),), draw=drawings.altitude, picture="altitude"),
        Worksheet("before-after", (
            Entry("before_rpm", "Speed before", "", "742", "rpm"), Entry("after_rpm", "Speed after", "", "741", "rpm"),
            Entry("before_coolant", "Coolant before", "temperature", "91"), Entry("after_coolant", "Coolant after", "temperature", "92"),
        ), "metrics", (
            Entry("metric", "What", choices=(("learned_throttle_percent", "Throttle opening, %"), ("trim_idle_percent", "Trim at idle, %"),
                                             ("idle_airflow_g_s", "Air at idle, g/s"), ("idle_map_kpa", "Manifold at idle, kPa"), ("idle_rpm_spread", "Speed spread, rpm"))),
            Entry("before", "Before, samples"), Entry("after", "After, samples"),
        ), (("learned_throttle_percent", "6.1 6.3 6.2", "3.4 3.3 3.5"), ("trim_idle_percent", "7.1 6.6 7.4", "1.2 0.9 1.6")), drawings.comparison, "comparison"),
    )
}  # fmt: skip


def _value(form: Form, entry: Entry, name: str, typed: str) -> Any:
    if entry.choices and entry.name != "strokes":
        return typed
    if entry.name == "component":
        return typed.strip()
    if entry.quantity:
        quantity = QUANTITIES[entry.quantity]
        return parse_quantity(name, typed, quantity, form.text(f"{entry.name}_unit") or quantity.kept.id)
    number = parse_number(name, typed)
    return int(number) if entry.name == "strokes" else number


def given_of(sheet: Worksheet, form: Form) -> dict[str, Any]:
    """The calculation's input from a sent worksheet.

    Raises
    ------
    InputError
        A field that is empty or no number, by its contract name.
    """
    given: dict[str, Any] = {}
    for entry in sheet.entries:
        typed = form.text(entry.name)
        if not typed.strip():
            if entry.optional:
                continue
            raise InputError(entry.name, "", "a figure")
        given[entry.name] = _value(form, entry, entry.name, typed)
    if sheet.table:
        columns = {c.name: form.texts(c.name) for c in sheet.columns}
        count = max((len(v) for v in columns.values()), default=0)
        rows = []
        for i in range(min(count, 40)):
            cells = {c.name: columns[c.name][i] if i < len(columns[c.name]) else "" for c in sheet.columns}
            if not any(v.strip() for c, v in cells.items() if c not in ("metric",)):
                continue
            rows.append({c.name: _cell(form, sheet, c, cells[c.name], i) for c in sheet.columns if cells[c.name].strip() or not c.optional})
        given[sheet.table] = rows
    return _comparison(given) if sheet.name == "before-after" else given


def _cell(form: Form, sheet: Worksheet, column: Entry, typed: str, row: int) -> Any:
    where = f"{sheet.table}[{row}].{column.name}"
    if sheet.name == "before-after" and column.name != "metric":
        return [parse_number(where, x) for x in typed.replace(";", " ").split()]
    return _value(form, column, where, typed)


def _comparison(given: dict[str, Any]) -> dict[str, Any]:
    """The worksheet of before and after in the contract's shape."""
    sides: dict[str, Any] = {}
    for side in ("before", "after"):
        sides[side] = [{"metric": r["metric"], "samples": r[side]} for r in given["metrics"] if r.get(side)]
    conditions = {
        s: {"rpm": given[f"{s}_rpm"], "coolant_c": given[f"{s}_coolant"], "load": [], "codes_active": []} for s in ("before", "after")
    }
    return {**sides, "conditions": conditions}


def outcome(sheet: Worksheet, form: Form) -> dict[str, Any]:
    """Result and drawing of a worksheet, or the fault."""
    try:
        given = given_of(sheet, form)
        result = calculate(sheet.name, given)
    except InputError as fault:
        return {"result": None, "drawing": None, "fault": fault}
    return {"result": result, "drawing": sheet.draw(given, result) if sheet.draw else None, "fault": None}


def _start(visit: Any, sheet: Worksheet) -> Form:
    """The worksheet as it opens: start values in the workshop's units."""
    from starlette.datastructures import FormData

    from galene.web.templating import bare_number

    def shown(entry: Entry, value: str) -> str:
        return bare_number(float(value), entry.quantity, visit.shop.system) if entry.quantity and value else value

    pairs: list[Any] = [(e.name, shown(e, e.start)) for e in sheet.entries]
    pairs += [
        (f"{e.name}_unit", in_system(QUANTITIES[e.quantity], visit.shop.system).id) for e in (*sheet.entries, *sheet.columns) if e.quantity
    ]
    pairs += [(c.name, shown(c, cell)) for row in sheet.rows for c, cell in zip(sheet.columns, row, strict=True)]
    return Form(FormData(pairs), lambda: visit.shop.system)


@router.get("/worksheets")
def index(visit: Signed) -> HTMLResponse:
    return visit.page("worksheets.html", calculations=list(CALCULATIONS.values()), place="worksheets")


@router.get("/worksheets/{name}")
def show(visit: Signed, name: str) -> HTMLResponse:
    if name not in SHEETS:
        raise Missing(f"worksheet {name[:40]}")
    sheet = SHEETS[name]
    form = _start(visit, sheet)
    return visit.page(
        "worksheet.html", sheet=sheet, calculation=CALCULATIONS[name], calculations=list(CALCULATIONS.values()), form=form, place="worksheets",
        **outcome(sheet, form),
    )  # fmt: skip


@router.post("/worksheets/{name}")
def live(visit: Signed, name: str, form: Sent) -> HTMLResponse:
    if name not in SHEETS:
        raise Missing(f"worksheet {name[:40]}")
    return visit.part("worksheet.html", "outcome", sheet=SHEETS[name], calculation=CALCULATIONS[name], **outcome(SHEETS[name], form))
