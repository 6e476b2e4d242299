"""What people type: units, numbers, trouble codes, pasted rows."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.diagnosis.codes import read_codes
from galene.core.errors import InputError
from galene.core.units import (
    QUANTITIES,
    convert,
    parse_number,
    parse_quantity,
    shown,
    with_contract_units,
)
from galene.exchange.rows import Column, parse_rows
from galene.knowledge.codes import GROUPS, KNOWN, code_meaning
from galene.knowledge.evidence import EVIDENCE

PRESSURE = QUANTITIES["pressure"]


@pytest.mark.parametrize(
    ("quantity", "value", "source", "target", "wanted"),
    [
        ("pressure", 29.92, "inHg", "kPa", 101.32),
        ("pressure", 1013.25, "mbar", "kPa", 101.325),
        ("pressure", 14.696, "psi", "kPa", 101.325),
        ("airflow", 1.0, "lb/min", "g/s", 7.560),
        ("airflow", 36.0, "kg/h", "g/s", 10.0),
        ("temperature", 32.0, "degF", "degC", 0.0),
        ("temperature", 100.0, "degC", "degF", 212.0),
        ("distance", 100.0, "mi", "km", 160.934),
        ("torque", 10.0, "lb ft", "N m", 13.558),
        ("length", 2.0, "in", "mm", 50.8),
        ("economy", 30.0, "mpg", "l/100km", 7.8405),
    ],
)
def test_conversions(quantity: str, value: float, source: str, target: str, wanted: float) -> None:
    assert convert(QUANTITIES[quantity], value, source, target=target) == pytest.approx(
        wanted, rel=2e-4, abs=1e-6
    )


@given(st.sampled_from(sorted(QUANTITIES)), st.floats(0.1, 5000), st.data())
def test_every_unit_goes_there_and_back(
    quantity_id: str, value: float, data: st.DataObject
) -> None:
    quantity = QUANTITIES[quantity_id]
    a, b = (data.draw(st.sampled_from(quantity.units)).id for _ in range(2))
    assert convert(quantity, convert(quantity, value, a, target=b), b, target=a) == pytest.approx(
        value, rel=1e-9
    )


@pytest.mark.parametrize(
    ("typed", "wanted"),
    [
        ("33,1", 33.1),
        (" 33.1 kPa", 33.1),
        ("0.331 bar", 33.1),
        ("331 mbar", 33.1),
        ("\u22125", -5.0),
        ("29,92 INHG", 101.32),
    ],
)
def test_quantities_as_typed(typed: str, wanted: float) -> None:
    assert parse_quantity("map_kpa", typed, PRESSURE, default_unit="kPa") == pytest.approx(
        wanted, rel=2e-4
    )


@pytest.mark.parametrize("typed", ["", "abc", "33 furlong", "3 3", "1e", "--3", "33.1.2"])
def test_what_is_no_quantity_is_refused_by_field(typed: str) -> None:
    with pytest.raises(InputError) as fault:
        parse_quantity("map_kpa", typed, PRESSURE, default_unit="kPa")
    assert fault.value.field == "map_kpa"


def test_shown_in_the_workshops_choice() -> None:
    assert shown("pressure", 101.325, "imperial") == "29.92\u202finHg"
    assert shown("distance", 118250, "metric") == "118\u202f250\u202fkm"
    assert shown("temperature", -5, "metric") == "\u22125\u202f°C"
    with pytest.raises(InputError):
        parse_number("x", "12 kPa")


def test_contract_fields_take_a_unit_at_any_depth() -> None:
    given_ = {
        "barometer_kpa": "29.92 inHg",
        "points": [{"airflow_g_s": "36 kg/h", "trim_percent": 3}],
        "class": "5 kPa",
    }
    done = with_contract_units(given_)
    assert done["barometer_kpa"] == pytest.approx(101.32, rel=1e-3)
    assert done["points"][0]["airflow_g_s"] == pytest.approx(10)
    assert done["class"] == "5 kPa"
    with pytest.raises(InputError) as fault:
        with_contract_units({"points": [{"airflow_g_s": "3 kPa"}]})
    assert fault.value.field == "points[0].airflow_g_s"


@pytest.mark.parametrize(
    ("text", "codes"),
    [
        ("P0171", [("P0171", "stored")]),
        (
            "p0171,P0506;p2135/U0100",
            [("P0171", "stored"), ("P0506", "stored"), ("P2135", "stored"), ("U0100", "stored")],
        ),
        ("P0171P0300", [("P0171", "stored"), ("P0300", "stored")]),
        ("P0171P P0300", [("P0171", "pending"), ("P0300", "stored")]),
        (
            "p0171c\tp0506 pending\nP0101-1A",
            [("P0171", "stored"), ("P0506", "pending"), ("P0101", "stored")],
        ),
        ("PO17I P O300", []),
        ("1. P 0171 - Confirmed  2. P 0507 (pd)", [("P0171", "stored"), ("P0507", "pending")]),
        ("P0171 pending ... P0171 stored", [("P0171", "stored")]),
        ("Engine 4 faults found, PIN 1234", []),
        ("", []),
    ],
)
def test_codes_in_any_form(text: str, codes: list[tuple[str, str]]) -> None:
    found = [(c.code, c.status) for c in read_codes(text).codes]
    if text.startswith("PO17I"):
        assert ("P0300", "stored") in found
    else:
        assert found == codes


def test_what_looks_like_a_code_but_can_not_be_one_is_said() -> None:
    assert read_codes("P9999 and P017 and P0171").not_understood == ("P9999", "P017")


@given(
    st.lists(st.sampled_from(sorted(KNOWN)), min_size=1, max_size=6, unique=True),
    st.sampled_from([" ", ",", ";", "\n", "\t", " / ", ""]),
)
def test_a_list_of_codes_survives_any_separator_and_case(codes: list[str], separator: str) -> None:
    assert [c.code for c in read_codes(separator.join(codes)).codes] == codes
    assert [c.code for c in read_codes(separator.join(codes).lower()).codes] == codes


def test_every_group_has_its_evidence_and_every_known_code_a_group() -> None:
    ids = {e.id for e in EVIDENCE}
    assert set(GROUPS) <= ids
    assert {m.group for m in KNOWN.values()} == set(GROUPS)
    assert {m.evidence for m in KNOWN.values()} - {None} <= ids
    assert code_meaning("P1234").group is None and "Maker" in code_meaning("P1234").text
    assert "network" in code_meaning("U0100").text


COLUMNS = (
    Column(channel="rpm", quantity="speed", unit="rpm", words=("rpm", "speed")),
    Column(channel="map_kpa", quantity="pressure", unit="kPa", words=("map", "manifold")),
)


@pytest.mark.parametrize(
    "text",
    [
        "740\t33.1\n742\t33.4",
        "740;33,1\n742;33,4",
        "740, 33.1\n742, 33.4",
        "rpm\tMAP (kPa)\n740\t33.1\n742\t33.4",
        "Manifold [mbar];Engine speed\n331;740\n334;742",
        "\r\n740 33.1\r\n742 33.4\r\n\r\n",
    ],
)
def test_rows_as_spreadsheets_give_them(text: str) -> None:
    found = parse_rows(text, COLUMNS)
    assert found["rpm"] == [740, 742]
    assert found["map_kpa"] == pytest.approx([33.1, 33.4])


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("", "rows"),
        ("740\tabc", "line 1, column 2"),
        ("rpm\tMAP\n740\t33\n741\t", "line 3, column 2"),
        ("colour\tweight\n1\t2", "line 1"),
        ("rpm\tMAP (furlong)\n740\t33", "line 1, column 2"),
        ("rpm\tMAP", "rows"),
    ],
)
def test_rows_that_can_not_be_read_name_line_and_column(text: str, field: str) -> None:
    with pytest.raises(InputError) as fault:
        parse_rows(text, COLUMNS)
    assert fault.value.field == field
