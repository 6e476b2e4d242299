"""Worksheets: each calculation live, with a drawing of what is measured."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.core.calculations import CALCULATIONS
from galene.core.errors import InputError
from galene.core.units import QUANTITIES, in_system, parse_number, parse_quantity
from galene.exchange.cases import calculate
from galene.jobs.errors import Missing
from galene.web.drawings import traces
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
    text: str = ""
    """Words instead of a number: line, or rows for a trace."""
    part: str = ""
    """points or trace, where a trace may stand in for typed points."""


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
    shape: Callable[[dict[str, Any]], dict[str, Any]] | None = None
    """From the fields as typed to the contract's shape, where they differ."""


BURN_ROWS = "\n".join(f"{60 * k},{min(380, 180 + 25 * k)},{min(600, 150 + 45 * k)},{min(585, 120 + 35 * k)}" for k in range(26))
SWEEP_ROWS = "\n".join(
    f"{c},{5 + 0.9 * c + (2 if down else 0):.0f}" for down, run in ((False, range(0, 101, 20)), (True, range(80, -1, -20))) for c in run
)
OXYGEN_ROWS = "\n".join(f"{k * 0.1:.1f},{0.1 + 0.7 * ((k % 20) in range(3, 13)):.2f}" for k in range(80))
AGENT_CHOICES = (("maf_cleaner", "Meter cleaner (alkanes)"), ("contact_cleaner", "Contact cleaner (alkanes)"), ("isopropanol", "Isopropanol"),
                 ("throttle_cleaner", "Throttle cleaner (aromatics)"), ("acetone", "Acetone"), ("water", "Water-based"))  # fmt: skip


def _comparison(given: dict[str, Any]) -> dict[str, Any]:
    """The worksheet of before and after in the contract's shape."""
    sides: dict[str, Any] = {}
    for side in ("before", "after"):
        sides[side] = [{"metric": r["metric"], "samples": r[side]} for r in given["metrics"] if r.get(side)]
    conditions = {
        s: {"rpm": given[f"{s}_rpm"], "coolant_c": given[f"{s}_coolant"], "load": [], "codes_active": []} for s in ("before", "after")
    }
    return {**sides, "conditions": conditions}


STATES = ("closed_map_kpa", "closed_rpm", "open_map_kpa", "open_rpm")


def _flow_test(given: dict[str, Any]) -> dict[str, Any]:
    """Both states of the valve as the contract nests them, or the trace in their place."""
    flat = {k: v for k, v in given.items() if k not in STATES}
    flat["throttle_held"] = given.get("throttle_held") != "free"
    if given.get("csv"):
        return flat
    for name in STATES:
        if name not in given:
            raise InputError(name, "", "a figure, or a trace in its place")
    return {k: v for k, v in flat.items() if not k.endswith("_s")} | {
        s: {"map_kpa": given[f"{s}_map_kpa"], "rpm": given[f"{s}_rpm"]} for s in ("closed", "open")
    }


def _line_points(given: dict[str, Any]) -> dict[str, Any]:
    return {**given, "points": [{"volts": p["volts_at"], "kpa": p["kpa"]} for p in given["points"]]}


def _firing_order(given: dict[str, Any]) -> dict[str, Any]:
    return {**given, "firing_order": [int(n) for n in re.findall(r"\d+", given["firing_order"])]}


def _pairs(field: str, typed: str) -> dict[str, float]:
    """``name 0.7, other 0.2`` as a table."""
    found = {}
    for piece in filter(None, (p.strip() for p in typed.split(","))):
        name, _, number = piece.rpartition(" ")
        found[name.strip() or number] = parse_number(field, number if name else "")
    return found


def _actions(given: dict[str, Any]) -> dict[str, Any]:
    def many(text: str) -> list[str]:
        return [p.strip() for p in text.split(",") if p.strip()]

    actions = [{**a, "mends": many(a["mends"]), "access": many(a.get("access", ""))} for a in given["actions"]]
    return {"actions": actions, "posterior": _pairs("posterior", given["posterior"]), "hourly_rate": given["hourly_rate"],
            "access_minutes": _pairs("access_minutes", given.get("access_minutes", ""))}  # fmt: skip


def _fills(given: dict[str, Any]) -> dict[str, Any]:
    return {s: [{"litres": f["litres"], "km": f["km"]} for f in given["fills"] if f["when"] == s] for s in ("before", "after")}


MEASURED = {
    "closed_map_kpa", "closed_rpm", "open_map_kpa", "open_rpm", "exhaust_kpa", "exhaust_c", "rpm", "map_kpa", "charge_c", "maf_g_s", "dp_pa", "gas_kpa", "gas_c",
    "expected_g_s", "measured_g_s", "intake_c", "supply_v", "coil_ohm", "current_a", "lamp_a", "volts",
}  # fmt: skip
"""Fields that are read on the vehicle: on a job they open empty, an example in them would pass for a reading."""
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
        ), (("learned_throttle_percent", "6.1 6.3 6.2", "3.4 3.3 3.5"), ("trim_idle_percent", "7.1 6.6 7.4", "1.2 0.9 1.6")), drawings.comparison, "comparison", _comparison),
        Worksheet("egr-flow-test", (
            Entry("closed_map_kpa", "Manifold, valve shut", "pressure", "34", optional=True, part="points"), Entry("closed_rpm", "Speed, valve shut", "", "720", "rpm", optional=True, part="points"),
            Entry("open_map_kpa", "Manifold, valve open", "pressure", "61", optional=True, part="points"), Entry("open_rpm", "Speed, valve open", "", "560", "rpm; 0 when it stalled", optional=True, part="points"),
            Entry("csv", "Or a trace: seconds, manifold kPa, rpm, and the command in percent where it was logged", text="rows", optional=True),
            Entry("closed_from_s", "Shut from, s", "", "", "found by the program where left empty", optional=True, part="trace"), Entry("closed_to_s", "Shut to, s", optional=True, part="trace"),
            Entry("open_from_s", "Open from, s", optional=True, part="trace"), Entry("open_to_s", "Open to, s", optional=True, part="trace"),
            Entry("ambient_kpa", "Air outside", "pressure", "100.5"), Entry("intake_c", "Air at the ports", "temperature", "38", "intake air and about 12 °C more, where it is not measured"),
            Entry("exhaust_kpa", "Exhaust before the valve", "pressure", "103", "about 2 kPa above the air outside at a warm idle"), Entry("exhaust_c", "Gas at the valve", "temperature", "190", "150 to 250 °C at a warm idle"),
            Entry("displacement_l", "Engine size", "", "2.0", "litres"), Entry("volumetric_efficiency", "Volumetric efficiency", "", "0.78", "a share"),
            Entry("reference_area_mm2", "Clean passage", "area", "", "from an engine that was known to be clean", optional=True),
            Entry("throttle_held", "Throttle", start="held", choices=(("held", "held still during the test"), ("free", "the idle control moved it"))),
        ), draw=traces.passage, picture="passage", shape=_flow_test),
        Worksheet("egr-flow-crosscheck", (
            Entry("rpm", "Engine speed", "", "1200", "rpm"), Entry("map_kpa", "Manifold pressure", "pressure", "118"), Entry("charge_c", "Charge", "temperature", "55"),
            Entry("maf_g_s", "Meter shows", "airflow", "70"), Entry("dp_pa", "Differential pressure", "pressure_drop", "300"),
            Entry("gas_kpa", "Gas at the venturi", "pressure", "118"), Entry("gas_c", "Gas", "temperature", "120"),
            Entry("pipe_mm", "Pipe", "length", "50"), Entry("throat_mm", "Throat", "length", "28"),
            Entry("displacement_l", "Engine size", "", "7.8", "litres"), Entry("volumetric_efficiency", "Volumetric efficiency", "", "0.88", "a share"),
            Entry("expected_g_s", "Due at this load", "airflow", "", "from the family's own figures", optional=True),
        ), draw=traces.two_ways, picture="two_ways"),
        Worksheet("actuator-drive-check", (
            Entry("other_wire_leads_to", "The coil's other wire leads to", start="fuse", choices=(("fuse", "a fuse"), ("ground", "ground"), ("unknown", "not traced yet"))),
            Entry("supply_v", "Supply", "voltage", "12.6"), Entry("coil_ohm", "Coil", "", "14.5", "ohm; or the current below", optional=True),
            Entry("current_a", "Current", "", "", "A, where it was measured", optional=True), Entry("wire_limit_a", "The wire carries", "", "10", "A"),
            Entry("lamp_a", "A test lamp lets through", "", "0.1", "A", optional=True),
        )),
        Worksheet("sensor-line", (Entry("volts", "The meter shows", "voltage", "2.1"), Entry("supply_v", "The sensor's supply", "voltage", "5")), "points",
                  (Entry("volts_at", "At volts"), Entry("kpa", "it reads", "pressure")), (("0.5", "20"), ("4.5", "250")), shape=_line_points),
        Worksheet("ingestion-limit", (
            Entry("airflow_g_s", "Air at the held speed", "airflow", "9.0"), Entry("can_rate_g_s", "The can gives", "", "1.8", "g/s: weigh it before and after ten seconds"),
            Entry("burst_s", "A burst lasts", "", "1", "s"), Entry("displacement_l", "Engine size", "", "2.0", "litres"), Entry("cylinders", "Cylinders", "", "4"),
            Entry("compression_ratio", "Compression ratio", "", "10.5"), Entry("can_g", "The can holds", "", "", "g", optional=True),
        )),
        Worksheet("blast-positions", (
            Entry("firing_order", "Firing order", "", "1-3-4-2", text="line"), Entry("intake_opens_btdc_deg", "Intake opens before dead centre", "angle", "12"),
            Entry("intake_closes_abdc_deg", "Intake closes after dead centre", "angle", "52"), Entry("margin_deg", "Margin", "angle", "10"), Entry("start_deg", "The crank stands at", "angle", "0"),
        ), draw=traces.cycle, picture="cycle", shape=_firing_order),
        Worksheet("regeneration-trace", (
            Entry("csv", "Rows: seconds, before catalyst, before filter, behind filter, °C", "", BURN_ROWS, text="rows"), Entry("burn_c", "Burns from", "temperature", "550"),
            Entry("needed_minutes", "Needed through the filter, min", "", "8"), Entry("usual_minutes", "Usual, min", "", "25"),
        ), draw=traces.burn, picture="chart"),
        Worksheet("runner-sweep", (
            Entry("csv", "Rows: command, position, percent", "", SWEEP_ROWS, text="rows"), Entry("expected_travel", "Travel that is due", "share", "90"),
        ), draw=traces.sweep, picture="chart"),
        Worksheet("oxygen-response", (Entry("csv", "Rows: seconds, volts", "", OXYGEN_ROWS, text="rows"),), draw=traces.volts, picture="chart"),
        Worksheet("repair-sequence", (
            Entry("posterior", "Causes with their chance", "", "egr_passage_plugged 0.7, egr_valve_electrical 0.2", text="line"), Entry("hourly_rate", "Rate an hour", "", "72"),
            Entry("access_minutes", "Minutes of access", "", "valve_off 25", text="line", optional=True),
        ), "actions", (
            Entry("id", "What", text="line"), Entry("mends", "Mends", text="line"), Entry("success", "Succeeds, a share"), Entry("minutes", "Minutes"),
            Entry("parts_cost", "Parts"), Entry("access", "Through", text="line", optional=True),
        ), (("clean the passage", "egr_passage_plugged", "0.9", "60", "12", "valve_off"), ("new valve", "egr_valve_electrical", "0.95", "30", "228", "valve_off")), shape=_actions),
        Worksheet("fuel-economy-change", (), "fills", (
            Entry("when", "When", choices=(("before", "before"), ("after", "after"))), Entry("litres", "Litres"), Entry("km", "Kilometres"),
        ), (("before", "41.2", "505"), ("before", "39.8", "496"), ("before", "40.5", "488"), ("after", "36.9", "512"), ("after", "35.8", "490"), ("after", "36.4", "503")), shape=_fills),
    )
}  # fmt: skip


LINE_FIELDS = (("line_v1", "At volts"), ("line_kpa1", "it reads, kPa"), ("line_v2", "and at volts"), ("line_kpa2", "kPa"))
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
        raise InputError(name if fault.field == "volts" else "line_v2", fault.value, fault.allowed) from fault
    if not read["in_range"]:
        raise InputError(name, typed, f"volts inside the rails: {read['sentence']}")
    return float(read["kpa"])


def _value(form: Form, entry: Entry, name: str, typed: str) -> Any:
    if entry.text or (entry.choices and entry.name != "strokes"):
        return typed.strip()
    if entry.name == "component":
        return typed.strip()
    if entry.quantity:
        quantity = QUANTITIES[entry.quantity]
        unit = form.text(f"{entry.name}_unit") or quantity.kept.id
        if entry.quantity == "pressure" and (unit == "V" or re.search(r"\d\s*[vV]\s*$", typed)):
            return _by_line(form, name, typed)
        return parse_quantity(name, typed, quantity, unit)
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
            if not any(v.strip() for c, v in cells.items() if c not in ("metric", "when")):
                continue
            rows.append({c.name: _cell(form, sheet, c, cells[c.name], i) for c in sheet.columns if cells[c.name].strip() or not c.optional})
        given[sheet.table] = rows
    return sheet.shape(given) if sheet.shape else given


def _cell(form: Form, sheet: Worksheet, column: Entry, typed: str, row: int) -> Any:
    where = f"{sheet.table}[{row}].{column.name}"
    if sheet.name == "before-after" and column.name != "metric":
        return [parse_number(where, x) for x in typed.replace(";", " ").split()]
    return _value(form, column, where, typed)


def outcome(sheet: Worksheet, form: Form) -> dict[str, Any]:
    """Result and drawing of a worksheet, or the fault."""
    try:
        given = given_of(sheet, form)
        result = calculate(sheet.name, given)
    except InputError as fault:
        words = {e.name: e.label for e in sheet.entries}.get(fault.field, fault.field)
        return {"result": None, "drawing": None, "fault": fault, "fault_words": words}
    return {"result": result, "drawing": sheet.draw(given, result) if sheet.draw else None, "fault": None}


def opening_form(visit: Any, sheet: Worksheet, filled: Mapping[str, Any] | None = None) -> Form:
    """The worksheet as it opens, in the workshop's units: start values, or on a job what its family knows and nothing else."""
    from starlette.datastructures import FormData

    from galene.web.templating import bare_number

    def shown(entry: Entry, value: str) -> str:
        return bare_number(float(value), entry.quantity, visit.shop.system) if entry.quantity and value else value

    def start(entry: Entry) -> str:
        if filled is None or entry.choices:
            return entry.start
        known = filled.get(entry.name)
        return (
            known
            if isinstance(known, str)
            else f"{known:g}"
            if known is not None
            else ""
            if entry.text or not entry.start or entry.name in MEASURED
            else entry.start
        )

    pairs: list[Any] = [(e.name, shown(e, start(e))) for e in sheet.entries]
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
    form = opening_form(visit, sheet)
    return visit.page(
        "worksheet.html", sheet=sheet, calculation=CALCULATIONS[name], calculations=list(CALCULATIONS.values()), form=form, place="worksheets", line_fields=LINE_FIELDS,
        **outcome(sheet, form),
    )  # fmt: skip


@router.post("/worksheets/{name}")
def live(visit: Signed, name: str, form: Sent) -> HTMLResponse:
    if name not in SHEETS:
        raise Missing(f"worksheet {name[:40]}")
    return visit.part("worksheet.html", "outcome", sheet=SHEETS[name], calculation=CALCULATIONS[name], **outcome(SHEETS[name], form))
