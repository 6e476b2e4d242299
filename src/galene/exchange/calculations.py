"""The JSON contract of the calculations: only the one that is asked for is loaded."""

from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from galene.core.calculations.catalogue import as_plain, calculation
from galene.core.calculations.declaring import check_sizes
from galene.core.errors import InputError
from galene.core.text_gate import check_values
from galene.core.units import with_contract_units
from galene.exchange.shapes import first_fault


@lru_cache(maxsize=32)
def _adapter(name: str) -> TypeAdapter[Any]:
    return TypeAdapter(calculation(name).takes)


def calculate(name: str, given: Any) -> Any:
    """Run the calculation `name` on plain data, quantities as numbers in the field's unit or as
    texts with a unit.

    Raises
    ------
    InputError
        Unknown name, wrong shape, or figures that can not be.
    """
    found = calculation(name)
    if not isinstance(given, dict):
        raise InputError("(input)", type(given).__name__, "a JSON object")
    check_values(given)
    try:
        record = _adapter(name).validate_python(with_contract_units(given))
    except ValidationError as fault:
        raise first_fault(fault) from fault
    check_sizes(record)
    return as_plain(found.run(record))
