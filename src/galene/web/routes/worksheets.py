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


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A field of a worksheet: contract name, words, quantity (empty: a plain number), start value,
    and its list."""

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


@dataclass(frozen=True, kw_only=True)
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


BURN_ROWS = "\n".join(
    f"{60 * k},{min(380, 180 + 25 * k)},{min(600, 150 + 45 * k)},{min(585, 120 + 35 * k)}"
    for k in range(26)
)
SWEEP_ROWS = "\n".join(
    f"{c},{5 + 0.9 * c + (2 if down else 0):.0f}"
    for down, run in ((False, range(0, 101, 20)), (True, range(80, -1, -20)))
    for c in run
)
OXYGEN_ROWS = "\n".join(
    f"{k * 0.1:.1f},{0.1 + 0.7 * ((k % 20) in range(3, 13)):.2f}" for k in range(80)
)
AGENT_CHOICES = (
    ("maf_cleaner", "Meter cleaner (alkanes)"),
    ("contact_cleaner", "Contact cleaner (alkanes)"),
    ("isopropanol", "Isopropanol"),
    ("throttle_cleaner", "Throttle cleaner (aromatics)"),
    ("acetone", "Acetone"),
    ("water", "Water-based"),
)


def _comparison(given: dict[str, Any]) -> dict[str, Any]:
    """The worksheet of before and after in the contract's shape."""
    sides: dict[str, Any] = {}
    for side in ("before", "after"):
        sides[side] = [
            {"metric": r["metric"], "samples": r[side]} for r in given["metrics"] if r.get(side)
        ]
    conditions = {
        s: {
            "rpm": given[f"{s}_rpm"],
            "coolant_c": given[f"{s}_coolant"],
            "load": [],
            "codes_active": [],
        }
        for s in ("before", "after")
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

    actions = [
        {**a, "mends": many(a["mends"]), "access": many(a.get("access", ""))}
        for a in given["actions"]
    ]
    return {
        "actions": actions,
        "posterior": _pairs("posterior", given["posterior"]),
        "hourly_rate": given["hourly_rate"],
        "access_minutes": _pairs("access_minutes", given.get("access_minutes", "")),
    }


def _fills(given: dict[str, Any]) -> dict[str, Any]:
    return {
        s: [{"litres": f["litres"], "km": f["km"]} for f in given["fills"] if f["when"] == s]
        for s in ("before", "after")
    }


MEASURED = {
    "closed_map_kpa",
    "closed_rpm",
    "open_map_kpa",
    "open_rpm",
    "exhaust_kpa",
    "exhaust_c",
    "rpm",
    "map_kpa",
    "charge_c",
    "maf_g_s",
    "dp_pa",
    "gas_kpa",
    "gas_c",
    "expected_g_s",
    "measured_g_s",
    "intake_c",
    "supply_v",
    "coil_ohm",
    "current_a",
    "lamp_a",
    "volts",
}
"""Fields that are read on the vehicle: on a job they open empty, an example in them would pass for
a reading."""
SHEETS: dict[str, Worksheet] = {
    w.name: w
    for w in (
        Worksheet(
            name="idle-gap",
            entries=(
                Entry(name="bore_mm", label="Throttle bore", quantity="length", start="52"),
                Entry(
                    name="closed_angle_deg",
                    label="Plate angle when closed",
                    quantity="angle",
                    start="6",
                ),
                Entry(name="idle_air_g_s", label="Air at idle", quantity="airflow", start="2.6"),
                Entry(
                    name="intake_kpa",
                    label="Pressure before the plate",
                    quantity="pressure",
                    start="100.2",
                ),
                Entry(name="intake_c", label="Intake air", quantity="temperature", start="24"),
                Entry(
                    name="manifold_kpa",
                    label="Pressure behind the plate",
                    quantity="pressure",
                    start="33",
                ),
                Entry(
                    name="deposit_mm",
                    label="Deposit, bore and edge together",
                    quantity="length",
                    start="0.04",
                ),
                Entry(
                    name="deposit_tolerance_mm",
                    label="How sure, ±",
                    quantity="length",
                    start="0.01",
                ),
                Entry(
                    name="discharge_coefficient",
                    label="Discharge coefficient",
                    quantity="",
                    start="0.82",
                    hint="0.82 for a sharp plate edge",
                ),
            ),
            draw=drawings.idle_gap,
            picture="idle_gap",
        ),
        Worksheet(
            name="trim-split",
            entries=(
                Entry(name="barometer_kpa", label="Barometer", quantity="pressure", start="101.3"),
            ),
            table="points",
            columns=(
                Entry(name="airflow_g_s", label="Air meter", quantity="airflow"),
                Entry(name="trim_percent", label="Total trim, %"),
                Entry(name="map_kpa", label="Manifold", quantity="pressure", optional=True),
            ),
            rows=(("3.0", "18", ""), ("9.0", "9", ""), ("22", "6.2", ""), ("48", "5.1", "")),
            draw=drawings.trim_split,
            picture="trim_split",
        ),
        Worksheet(
            name="expected-airflow",
            entries=(
                Entry(
                    name="displacement_l",
                    label="Engine size",
                    quantity="",
                    start="1.6",
                    hint="litres",
                ),
                Entry(name="rpm", label="Engine speed", quantity="", start="740", hint="rpm"),
                Entry(name="map_kpa", label="Manifold pressure", quantity="pressure", start="33"),
                Entry(
                    name="intake_c", label="Air at the ports", quantity="temperature", start="38"
                ),
                Entry(
                    name="volumetric_efficiency",
                    label="Volumetric efficiency",
                    quantity="",
                    start="0.75",
                    hint="a share",
                ),
                Entry(
                    name="strokes",
                    label="Strokes",
                    quantity="",
                    start="4",
                    choices=(("4", "four-stroke"), ("2", "two-stroke")),
                ),
                Entry(
                    name="measured_g_s",
                    label="Meter shows",
                    quantity="airflow",
                    start="2.6",
                    optional=True,
                ),
            ),
            draw=drawings.expected_airflow,
            picture="gauge",
        ),
        Worksheet(
            name="key-on-agreement",
            entries=(
                Entry(
                    name="barometer_kpa",
                    label="Barometer",
                    quantity="pressure",
                    start="",
                    hint="wins over the height",
                    optional=True,
                ),
                Entry(
                    name="altitude_m",
                    label="Height above the sea",
                    quantity="height",
                    start="12",
                    optional=True,
                ),
                Entry(name="tolerance_kpa", label="Tolerance", quantity="pressure", start="2.5"),
            ),
            table="readings",
            columns=(
                Entry(name="component", label="Sensor"),
                Entry(name="pressure_kpa", label="Shows", quantity="pressure"),
            ),
            rows=(
                ("map_sensor", "101.0"),
                ("barometric_sensor", "101.4"),
                ("boost_sensor", "96.2"),
            ),
            draw=drawings.key_on,
            picture="key_on",
        ),
        Worksheet(
            name="drying-time",
            entries=(
                Entry(
                    name="base_minutes", label="Minutes by label, at 20 °C", quantity="", start="15"
                ),
                Entry(name="temperature_c", label="Bay", quantity="temperature", start="8"),
                Entry(
                    name="class",
                    label="Agent",
                    quantity="",
                    start="maf_cleaner",
                    choices=AGENT_CHOICES,
                ),
                Entry(
                    name="relative_humidity",
                    label="Humidity, a share",
                    quantity="",
                    start="",
                    hint="water-based only, 0.5 is usual",
                    optional=True,
                ),
            ),
            draw=drawings.drying,
            picture="drying",
        ),
        Worksheet(
            name="isa-pressure",
            entries=(
                Entry(
                    name="altitude_m", label="Height above the sea", quantity="height", start="640"
                ),
            ),
            draw=drawings.altitude,
            picture="altitude",
        ),
        Worksheet(
            name="before-after",
            entries=(
                Entry(
                    name="before_rpm", label="Speed before", quantity="", start="742", hint="rpm"
                ),
                Entry(name="after_rpm", label="Speed after", quantity="", start="741", hint="rpm"),
                Entry(
                    name="before_coolant",
                    label="Coolant before",
                    quantity="temperature",
                    start="91",
                ),
                Entry(
                    name="after_coolant", label="Coolant after", quantity="temperature", start="92"
                ),
            ),
            table="metrics",
            columns=(
                Entry(
                    name="metric",
                    label="What",
                    choices=(
                        ("learned_throttle_percent", "Throttle opening, %"),
                        ("trim_idle_percent", "Trim at idle, %"),
                        ("idle_airflow_g_s", "Air at idle, g/s"),
                        ("idle_map_kpa", "Manifold at idle, kPa"),
                        ("idle_rpm_spread", "Speed spread, rpm"),
                    ),
                ),
                Entry(name="before", label="Before, samples"),
                Entry(name="after", label="After, samples"),
            ),
            rows=(
                ("learned_throttle_percent", "6.1 6.3 6.2", "3.4 3.3 3.5"),
                ("trim_idle_percent", "7.1 6.6 7.4", "1.2 0.9 1.6"),
            ),
            draw=drawings.comparison,
            picture="comparison",
            shape=_comparison,
        ),
        Worksheet(
            name="egr-flow-test",
            entries=(
                Entry(
                    name="closed_map_kpa",
                    label="Manifold, valve shut",
                    quantity="pressure",
                    start="34",
                    optional=True,
                    part="points",
                ),
                Entry(
                    name="closed_rpm",
                    label="Speed, valve shut",
                    quantity="",
                    start="720",
                    hint="rpm",
                    optional=True,
                    part="points",
                ),
                Entry(
                    name="open_map_kpa",
                    label="Manifold, valve open",
                    quantity="pressure",
                    start="61",
                    optional=True,
                    part="points",
                ),
                Entry(
                    name="open_rpm",
                    label="Speed, valve open",
                    quantity="",
                    start="560",
                    hint="rpm; 0 when it stalled",
                    optional=True,
                    part="points",
                ),
                Entry(
                    name="csv",
                    label=(
                        "Or a trace: seconds, manifold kPa, rpm, and the command in percent where"
                        " it was logged"
                    ),
                    text="rows",
                    optional=True,
                ),
                Entry(
                    name="closed_from_s",
                    label="Shut from, s",
                    quantity="",
                    start="",
                    hint="found by the program where left empty",
                    optional=True,
                    part="trace",
                ),
                Entry(name="closed_to_s", label="Shut to, s", optional=True, part="trace"),
                Entry(name="open_from_s", label="Open from, s", optional=True, part="trace"),
                Entry(name="open_to_s", label="Open to, s", optional=True, part="trace"),
                Entry(name="ambient_kpa", label="Air outside", quantity="pressure", start="100.5"),
                Entry(
                    name="intake_c",
                    label="Air at the ports",
                    quantity="temperature",
                    start="38",
                    hint="intake air and about 12 °C more, where it is not measured",
                ),
                Entry(
                    name="exhaust_kpa",
                    label="Exhaust before the valve",
                    quantity="pressure",
                    start="103",
                    hint="about 2 kPa above the air outside at a warm idle",
                ),
                Entry(
                    name="exhaust_c",
                    label="Gas at the valve",
                    quantity="temperature",
                    start="190",
                    hint="150 to 250 °C at a warm idle",
                ),
                Entry(
                    name="displacement_l",
                    label="Engine size",
                    quantity="",
                    start="2.0",
                    hint="litres",
                ),
                Entry(
                    name="volumetric_efficiency",
                    label="Volumetric efficiency",
                    quantity="",
                    start="0.78",
                    hint="a share",
                ),
                Entry(
                    name="reference_area_mm2",
                    label="Clean passage",
                    quantity="area",
                    start="",
                    hint="from an engine that was known to be clean",
                    optional=True,
                ),
                Entry(
                    name="throttle_held",
                    label="Throttle",
                    start="held",
                    choices=(
                        ("held", "held still during the test"),
                        ("free", "the idle control moved it"),
                    ),
                ),
            ),
            draw=traces.passage,
            picture="passage",
            shape=_flow_test,
        ),
        Worksheet(
            name="egr-flow-crosscheck",
            entries=(
                Entry(name="rpm", label="Engine speed", quantity="", start="1200", hint="rpm"),
                Entry(name="map_kpa", label="Manifold pressure", quantity="pressure", start="118"),
                Entry(name="charge_c", label="Charge", quantity="temperature", start="55"),
                Entry(name="maf_g_s", label="Meter shows", quantity="airflow", start="70"),
                Entry(
                    name="dp_pa",
                    label="Differential pressure",
                    quantity="pressure_drop",
                    start="300",
                ),
                Entry(name="gas_kpa", label="Gas at the venturi", quantity="pressure", start="118"),
                Entry(name="gas_c", label="Gas", quantity="temperature", start="120"),
                Entry(name="pipe_mm", label="Pipe", quantity="length", start="50"),
                Entry(name="throat_mm", label="Throat", quantity="length", start="28"),
                Entry(
                    name="displacement_l",
                    label="Engine size",
                    quantity="",
                    start="7.8",
                    hint="litres",
                ),
                Entry(
                    name="volumetric_efficiency",
                    label="Volumetric efficiency",
                    quantity="",
                    start="0.88",
                    hint="a share",
                ),
                Entry(
                    name="expected_g_s",
                    label="Due at this load",
                    quantity="airflow",
                    start="",
                    hint="from the family's own figures",
                    optional=True,
                ),
            ),
            draw=traces.two_ways,
            picture="two_ways",
        ),
        Worksheet(
            name="actuator-drive-check",
            entries=(
                Entry(
                    name="other_wire_leads_to",
                    label="The coil's other wire leads to",
                    start="fuse",
                    choices=(
                        ("fuse", "a fuse"),
                        ("ground", "ground"),
                        ("unknown", "not traced yet"),
                    ),
                ),
                Entry(name="supply_v", label="Supply", quantity="voltage", start="12.6"),
                Entry(
                    name="coil_ohm",
                    label="Coil",
                    quantity="",
                    start="14.5",
                    hint="ohm; or the current below",
                    optional=True,
                ),
                Entry(
                    name="current_a",
                    label="Current",
                    quantity="",
                    start="",
                    hint="A, where it was measured",
                    optional=True,
                ),
                Entry(
                    name="wire_limit_a", label="The wire carries", quantity="", start="10", hint="A"
                ),
                Entry(
                    name="lamp_a",
                    label="A test lamp lets through",
                    quantity="",
                    start="0.1",
                    hint="A",
                    optional=True,
                ),
            ),
        ),
        Worksheet(
            name="sensor-line",
            entries=(
                Entry(name="volts", label="The meter shows", quantity="voltage", start="2.1"),
                Entry(name="supply_v", label="The sensor's supply", quantity="voltage", start="5"),
            ),
            table="points",
            columns=(
                Entry(name="volts_at", label="At volts"),
                Entry(name="kpa", label="it reads", quantity="pressure"),
            ),
            rows=(("0.5", "20"), ("4.5", "250")),
            shape=_line_points,
        ),
        Worksheet(
            name="ingestion-limit",
            entries=(
                Entry(
                    name="airflow_g_s",
                    label="Air at the held speed",
                    quantity="airflow",
                    start="9.0",
                ),
                Entry(
                    name="can_rate_g_s",
                    label="The can gives",
                    quantity="",
                    start="1.8",
                    hint="g/s: weigh it before and after ten seconds",
                ),
                Entry(name="burst_s", label="A burst lasts", quantity="", start="1", hint="s"),
                Entry(
                    name="displacement_l",
                    label="Engine size",
                    quantity="",
                    start="2.0",
                    hint="litres",
                ),
                Entry(name="cylinders", label="Cylinders", quantity="", start="4"),
                Entry(
                    name="compression_ratio", label="Compression ratio", quantity="", start="10.5"
                ),
                Entry(
                    name="can_g",
                    label="The can holds",
                    quantity="",
                    start="",
                    hint="g",
                    optional=True,
                ),
            ),
        ),
        Worksheet(
            name="blast-positions",
            entries=(
                Entry(
                    name="firing_order",
                    label="Firing order",
                    quantity="",
                    start="1-3-4-2",
                    text="line",
                ),
                Entry(
                    name="intake_opens_btdc_deg",
                    label="Intake opens before dead centre",
                    quantity="angle",
                    start="12",
                ),
                Entry(
                    name="intake_closes_abdc_deg",
                    label="Intake closes after dead centre",
                    quantity="angle",
                    start="52",
                ),
                Entry(name="margin_deg", label="Margin", quantity="angle", start="10"),
                Entry(name="start_deg", label="The crank stands at", quantity="angle", start="0"),
            ),
            draw=traces.cycle,
            picture="cycle",
            shape=_firing_order,
        ),
        Worksheet(
            name="regeneration-trace",
            entries=(
                Entry(
                    name="csv",
                    label="Rows: seconds, before catalyst, before filter, behind filter, °C",
                    quantity="",
                    start=BURN_ROWS,
                    text="rows",
                ),
                Entry(name="burn_c", label="Burns from", quantity="temperature", start="550"),
                Entry(
                    name="needed_minutes",
                    label="Needed through the filter, min",
                    quantity="",
                    start="8",
                ),
                Entry(name="usual_minutes", label="Usual, min", quantity="", start="25"),
            ),
            draw=traces.burn,
            picture="chart",
        ),
        Worksheet(
            name="runner-sweep",
            entries=(
                Entry(
                    name="csv",
                    label="Rows: command, position, percent",
                    quantity="",
                    start=SWEEP_ROWS,
                    text="rows",
                ),
                Entry(
                    name="expected_travel", label="Travel that is due", quantity="share", start="90"
                ),
            ),
            draw=traces.sweep,
            picture="chart",
        ),
        Worksheet(
            name="oxygen-response",
            entries=(
                Entry(
                    name="csv",
                    label="Rows: seconds, volts",
                    quantity="",
                    start=OXYGEN_ROWS,
                    text="rows",
                ),
            ),
            draw=traces.volts,
            picture="chart",
        ),
        Worksheet(
            name="repair-sequence",
            entries=(
                Entry(
                    name="posterior",
                    label="Causes with their chance",
                    quantity="",
                    start="egr_passage_plugged 0.7, egr_valve_electrical 0.2",
                    text="line",
                ),
                Entry(name="hourly_rate", label="Rate an hour", quantity="", start="72"),
                Entry(
                    name="access_minutes",
                    label="Minutes of access",
                    quantity="",
                    start="valve_off 25",
                    text="line",
                    optional=True,
                ),
            ),
            table="actions",
            columns=(
                Entry(name="id", label="What", text="line"),
                Entry(name="mends", label="Mends", text="line"),
                Entry(name="success", label="Succeeds, a share"),
                Entry(name="minutes", label="Minutes"),
                Entry(name="parts_cost", label="Parts"),
                Entry(name="access", label="Through", text="line", optional=True),
            ),
            rows=(
                ("clean the passage", "egr_passage_plugged", "0.9", "60", "12", "valve_off"),
                ("new valve", "egr_valve_electrical", "0.95", "30", "228", "valve_off"),
            ),
            shape=_actions,
        ),
        Worksheet(
            name="fuel-economy-change",
            entries=(),
            table="fills",
            columns=(
                Entry(
                    name="when", label="When", choices=(("before", "before"), ("after", "after"))
                ),
                Entry(name="litres", label="Litres"),
                Entry(name="km", label="Kilometres"),
            ),
            rows=(
                ("before", "41.2", "505"),
                ("before", "39.8", "496"),
                ("before", "40.5", "488"),
                ("after", "36.9", "512"),
                ("after", "35.8", "490"),
                ("after", "36.4", "503"),
            ),
            shape=_fills,
        ),
    )
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


def _value(form: Form, entry: Entry, name: str, *, typed: str) -> Any:
    if entry.text or (entry.choices and entry.name != "strokes"):
        return typed.strip()
    if entry.name == "component":
        return typed.strip()
    if entry.quantity:
        quantity = QUANTITIES[entry.quantity]
        unit = form.text(f"{entry.name}_unit") or quantity.kept.id
        if entry.quantity == "pressure" and (unit == "V" or re.search(r"\d\s*[vV]\s*$", typed)):
            return _by_line(form, name, typed)
        return parse_quantity(name, typed, quantity, default_unit=unit)
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
        given[entry.name] = _value(form, entry, entry.name, typed=typed)
    if sheet.table:
        columns = {c.name: form.texts(c.name) for c in sheet.columns}
        count = max((len(v) for v in columns.values()), default=0)
        rows = []
        for i in range(min(count, 40)):
            cells = {
                c.name: columns[c.name][i] if i < len(columns[c.name]) else ""
                for c in sheet.columns
            }
            if not any(v.strip() for c, v in cells.items() if c not in ("metric", "when")):
                continue
            rows.append(
                {
                    c.name: _cell(form, sheet, c, typed=cells[c.name], row=i)
                    for c in sheet.columns
                    if cells[c.name].strip() or not c.optional
                }
            )
        given[sheet.table] = rows
    return sheet.shape(given) if sheet.shape else given


def _cell(form: Form, sheet: Worksheet, column: Entry, *, typed: str, row: int) -> Any:
    where = f"{sheet.table}[{row}].{column.name}"
    if sheet.name == "before-after" and column.name != "metric":
        return [parse_number(where, x) for x in typed.replace(";", " ").split()]
    return _value(form, column, where, typed=typed)


def outcome(sheet: Worksheet, form: Form) -> dict[str, Any]:
    """Result and drawing of a worksheet, or the fault."""
    try:
        given = given_of(sheet, form)
        result = calculate(sheet.name, given)
    except InputError as fault:
        words = {e.name: e.label for e in sheet.entries}.get(fault.field, fault.field)
        return {"result": None, "drawing": None, "fault": fault, "fault_words": words}
    return {
        "result": result,
        "drawing": sheet.draw(given, result) if sheet.draw else None,
        "fault": None,
    }


def opening_form(visit: Any, sheet: Worksheet, filled: Mapping[str, Any] | None = None) -> Form:
    """The worksheet as it opens, in the workshop's units: start values, or on a job what its family
    knows and nothing else."""
    from starlette.datastructures import FormData

    from galene.web.templating import bare_number

    def shown(entry: Entry, value: str) -> str:
        return (
            bare_number(float(value), entry.quantity, visit.shop.system)
            if entry.quantity and value
            else value
        )

    def start(entry: Entry) -> str:
        if filled is None or entry.choices:
            return entry.start
        known = filled.get(entry.name)
        return (
            known
            if isinstance(known, str)
            else (
                f"{known:g}"
                if known is not None
                else ""
                if entry.text or not entry.start or entry.name in MEASURED
                else entry.start
            )
        )

    pairs: list[Any] = [(e.name, shown(e, start(e))) for e in sheet.entries]
    pairs += [
        (f"{e.name}_unit", in_system(QUANTITIES[e.quantity], visit.shop.system).id)
        for e in (*sheet.entries, *sheet.columns)
        if e.quantity
    ]
    pairs += [
        (c.name, shown(c, cell))
        for row in sheet.rows
        for c, cell in zip(sheet.columns, row, strict=True)
    ]
    return Form(FormData(pairs), lambda: visit.shop.system)


@router.get("/worksheets")
def index(visit: Signed) -> HTMLResponse:
    return visit.page(
        "worksheets.html", calculations=list(CALCULATIONS.values()), place="worksheets"
    )


@router.get("/worksheets/{name}")
def show(visit: Signed, name: str) -> HTMLResponse:
    if name not in SHEETS:
        raise Missing(f"worksheet {name[:40]}")
    sheet = SHEETS[name]
    form = opening_form(visit, sheet)
    return visit.page(
        "worksheet.html",
        sheet=sheet,
        calculation=CALCULATIONS[name],
        calculations=list(CALCULATIONS.values()),
        form=form,
        place="worksheets",
        line_fields=LINE_FIELDS,
        **outcome(sheet, form),
    )


@router.post("/worksheets/{name}")
def live(visit: Signed, name: str, form: Sent) -> HTMLResponse:
    if name not in SHEETS:
        raise Missing(f"worksheet {name[:40]}")
    return visit.part(
        "worksheet.html",
        "outcome",
        sheet=SHEETS[name],
        calculation=CALCULATIONS[name],
        **outcome(SHEETS[name], form),
    )
