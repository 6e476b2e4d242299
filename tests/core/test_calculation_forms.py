"""Every calculation declares itself: its ranges are kept, its form gives what it takes."""

import dataclasses
from typing import Any

import pytest

from galene.core.calculations.catalogue import every as every_calculation
from galene.core.calculations.declaring import Asked, Calculation, FormEntry, asked_of
from galene.core.calculations.forms import example_of, form_of, value_of
from galene.core.errors import InputError
from galene.core.units import QUANTITIES
from galene.exchange.calculations import calculate

FORMS = {name: form_of(c) for name, c in every_calculation().items()}
WITH_FORM = [name for name, form in FORMS.items() if form.entries or form.table]


@pytest.mark.parametrize("name", WITH_FORM)
def test_a_form_opens_with_an_example_that_computes(name: str) -> None:
    result = calculate(name, example_of(every_calculation()[name]))
    assert result["verdict"] and result["sentence"]


@pytest.mark.parametrize("name", WITH_FORM)
def test_every_field_has_words_and_a_quantity_that_is_known(name: str) -> None:
    form = FORMS[name]
    names = [e.name for e in (*form.entries, *form.columns)]
    assert len(set(names)) == len(names), "a name twice would be read once"
    for entry in (*form.entries, *form.columns):
        assert entry.asked.label
        assert entry.asked.quantity in ("", *QUANTITIES)
        if entry.asked.choices and entry.asked.start:
            assert entry.asked.start in dict(entry.asked.choices)
    assert all(len(row) == len(form.columns) for row in form.rows)


def declared(calculation: Calculation) -> list[tuple[str, Asked]]:
    fields = dataclasses.fields(calculation.takes)
    found = [(one.name, how) for one in fields if (how := asked_of(one))]
    return [(name, how) for name, how in found if how.low is not None and how.high is not None]


RANGES = [
    (name, field, how)
    for name, calculation in every_calculation().items()
    if name in WITH_FORM
    for field, how in declared(calculation)
]


@pytest.mark.parametrize(
    ("name", "field", "how"), RANGES, ids=[f"{name}-{field}" for name, field, _ in RANGES]
)
def test_a_figure_out_of_its_declared_range_is_named(name: str, field: str, how: Asked) -> None:
    assert how.low is not None and how.high is not None and how.low < how.high
    for wrong in (how.low - 1, how.high + 1):
        with pytest.raises(InputError) as fault:
            calculate(name, {**example_of(every_calculation()[name]), field: wrong})
        assert fault.value.field == field
        assert f"{how.low:g} to {how.high:g}" in fault.value.allowed


def test_rows_are_held_against_their_columns_ranges() -> None:
    for name, field, column, wrong in (
        ("trim-split", "points", "trim_percent", 101),
        ("key-on-agreement", "readings", "pressure_kpa", 601),
        ("repair-sequence", "actions", "success", 1.1),
        ("fuel-economy-change", "after", "km", 0),
    ):
        given = example_of(every_calculation()[name])
        given[field][1][column] = wrong
        with pytest.raises(InputError) as fault:
            calculate(name, given)
        assert fault.value.field == f"{field}[1].{column}"


@pytest.mark.parametrize(
    ("kind", "how", "typed", "value"),
    [
        (float, {}, " 2,5 ", 2.5),
        (int, {}, "4", 4),
        (str, {"text": "line"}, " map_sensor ", "map_sensor"),
        (bool, {"choices": (("yes", "held"), ("no", "free"))}, "no", False),
        (list[int], {"text": "line"}, "1-3-4-2", [1, 3, 4, 2]),
        (list[float], {}, "6.1 6.3; 6.2", [6.1, 6.3, 6.2]),
        (list[str], {"text": "line"}, "a b, c ,", ["a b", "c"]),
        (dict[str, float], {"text": "line"}, "egr passage 0.7, valve 0.2", None),
        (float, {"quantity": "pressure"}, "1 bar", 100.0),
    ],
)
def test_typed_texts_become_the_fields_values(
    kind: Any, how: dict[str, Any], typed: str, value: Any
) -> None:
    entry = FormEntry(name="x", asked=Asked(label="X", **how), kind=kind)
    wanted = {"egr passage": 0.7, "valve": 0.2} if value is None else value
    assert value_of(entry, "x", typed) == wanted


@pytest.mark.parametrize(
    ("kind", "how", "typed"),
    [
        (float, {}, "much"),
        (bool, {"choices": (("yes", "held"), ("no", "free"))}, "held"),
        (str, {"choices": (("fuse", "a fuse"),)}, "ground"),
        (dict[str, float], {"text": "line"}, "0.7"),
        (float, {"quantity": "pressure"}, "3 rpm"),
    ],
)
def test_what_a_field_can_not_hold_is_named(kind: Any, how: dict[str, Any], typed: str) -> None:
    entry = FormEntry(name="x", asked=Asked(label="X", **how), kind=kind)
    with pytest.raises(InputError) as fault:
        value_of(entry, "points[2].x", typed)
    assert fault.value.field == "points[2].x" and fault.value.allowed
