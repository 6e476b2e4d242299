"""What is sent in JSON, in the shape of its contract, or the first thing that is wrong with it."""

from dataclasses import is_dataclass
from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from galene.core.calculations.declaring import check_sizes
from galene.core.errors import InputError
from galene.core.text_gate import check_values

MOST_NAMES = 200
"""How many names of parts, codes, findings a list of a contract may hold."""
Names = Annotated[list[str], Field(max_length=MOST_NAMES)]


class Strict(BaseModel):
    """No field that the contract does not know, no figure that is not one."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


def first_fault(fault: ValidationError) -> InputError:
    error = fault.errors()[0]
    place = ""
    for step in error["loc"]:
        if isinstance(step, int):
            place += f"[{step}]"
        elif not (step[:1].isupper() or step.startswith("literal")):
            place += ("." if place else "") + step
    allowed = {"missing": "a value: this field is needed", "extra_forbidden": "no such field"}.get(
        error["type"], error["msg"]
    )
    value = None if error["type"] == "missing" else error["input"]
    return InputError(place or "(input)", value, allowed)


M = TypeVar("M", bound=BaseModel)


def shaped(model: type[M], given: Any) -> M:
    """What was sent, in the contract's shape.

    Raises
    ------
    InputError
        No JSON object, a figure that is not finite, a field that is missing, unknown or of another
        kind.
    """
    if not isinstance(given, dict):
        raise InputError("(input)", type(given).__name__, "a JSON object")
    check_values(given)
    try:
        found = model.model_validate(given)
    except ValidationError as fault:
        raise first_fault(fault) from fault
    _check_records(found, "")
    return found


def _check_records(model: BaseModel, where: str) -> None:
    """Hold the lists of records that a contract has in it against what they may hold."""
    for name in type(model).model_fields:
        value = getattr(model, name)
        inner = enumerate(value) if isinstance(value, list) else [(-1, value)]
        for i, one in inner:
            place = f"{where}{name}" + (f"[{i}]" if i >= 0 else "")
            if isinstance(one, BaseModel):
                _check_records(one, f"{place}.")
            elif is_dataclass(one):
                check_sizes(one, f"{place}.")
