"""What comes out of a form: texts, numbers, quantities in whatever unit the meter shows.

A route reads a form by a model whose fields say what they are: `number`, `whole`, `quantity`,
`Day`, `Moment`, `Yes`, or plain texts.
"""

import re
from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from functools import cached_property
from typing import Annotated, Any, TypeVar, get_origin

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError, ValidationInfo
from starlette.datastructures import FormData, UploadFile

from galene.core.errors import InputError
from galene.core.text_gate import digits
from galene.core.units import QUANTITIES, UNIT_SIGNS, in_system, parse_number, parse_quantity
from galene.jobs.errors import Invalid

NOT_KEPT = frozenset({"password", "password_again", "new_password", "pin"})
"""Fields that are never kept."""
NOT_SHOWN = NOT_KEPT | {"once", "seen"}
"""Fields that are never given back on a page."""
SILENT = frozenset({"back", "onward", "stage", "phase", "kind", "version", "step", "round", "page"})
"""Fields that a page carries without a person's doing."""
SAID = {"keeper": "owner"}
"""What a page says for a kept name, where that is another word."""
M = TypeVar("M", bound="FormModel")


class Form:
    """A sent form: every value a text, faults gathered so that all are shown at once; `file` is the
    one file that came with it."""

    def __init__(self, data: FormData, system: Callable[[], str]) -> None:
        self.pairs: list[tuple[str, str]] = [
            (k, v) for k, v in data.multi_items() if isinstance(v, str)
        ]
        self._system = system
        self.faults: dict[str, str] = {}
        self._upload: UploadFile | None = None

    def take(self, upload: UploadFile) -> None:
        """The one file that came with the form: it lies on the disk until it is asked for."""
        self._upload = upload

    @cached_property
    def file(self) -> bytes:
        """What is in the file that came with the form, empty where none did."""
        if self._upload is None:
            return b""
        self._upload.file.seek(0)
        return self._upload.file.read()

    @property
    def file_name(self) -> str:
        """What the file was called, empty where none came."""
        return (self._upload.filename or "") if self._upload else ""

    @property
    def system(self) -> str:
        """The workshop's choice of units."""
        return self._system()

    def text(self, name: str) -> str:
        """The first value of a field, empty where it was not sent."""
        return next((v for k, v in self.pairs if k == name), "")

    def texts(self, name: str) -> list[str]:
        """All values of a field."""
        return [v for k, v in self.pairs if k == name]

    @property
    def idempotency_key(self) -> str:
        """The form's token, by which a second sending is known."""
        token = self.text("once")
        if not 8 <= len(token) <= 80:
            raise Invalid({"once": "This form is not complete. Load the page again."})
        return token

    def integer(self, name: str, default: int = 0) -> int:
        """A whole number that the page itself put into the form."""
        text = self.text(name)
        return int(text) if digits(text) else default

    def number(self, name: str, label: str) -> float | None:
        """A plain number, None where the field was left empty; a fault is gathered."""
        if not self.text(name).strip():
            return None
        try:
            return parse_number(name, self.text(name))
        except InputError:
            self.faults[name] = f"{label}: not a number."
            return None

    def quantity(
        self, name: str, quantity_id: str, label: str, *, text: str | None = None
    ) -> float | None:
        """A quantity in kept units. Its unit: typed with it, else chosen in ``<name>_unit``, else
        the workshop's."""
        typed = self.text(name) if text is None else text
        if not typed.strip():
            return None
        quantity = QUANTITIES[quantity_id]
        unit = self.text(f"{name}_unit") or in_system(quantity, self.system).id
        try:
            return parse_quantity(name, typed, quantity, default_unit=unit)
        except InputError as fault:
            self.faults[name] = f"{label}: {fault.allowed}."
            return None

    def read(self, model: type[M]) -> M:
        """The form as a model reads it.

        Raises
        ------
        Invalid
            With every field that can not be, and the faults gathered before.
        """
        given: dict[str, Any] = {}
        for name, info in model.model_fields.items():
            sent = info.alias or name
            if get_origin(info.annotation) in (list, tuple):
                given[sent] = self.texts(sent)
            elif self.text(sent).strip():
                given[sent] = self.text(sent)
        try:
            found = model.model_validate(given, context=self)
        except ValidationError as fault:
            self.faults |= {str(e["loc"][0]): _words(e) for e in fault.errors()}
            raise Invalid(self.faults) from fault
        self.check()
        return found

    def check(self) -> None:
        """Raise `Invalid` with all faults gathered so far."""
        if self.faults:
            raise Invalid(self.faults)

    def shown(self) -> Iterable[tuple[str, str]]:
        """Fields with something in them that a person typed or chose, for pages that give them
        back."""
        return [(k, v) for k, v in self.pairs if v and k not in NOT_SHOWN]

    def told(self) -> list[tuple[str, str]]:
        """What was typed in a person's words: names of fields as words, a figure with its unit."""
        shown = list(self.shown())
        names = {k for k, _ in shown}
        units = {k.removesuffix("_unit"): v for k, v in shown if k.endswith("_unit")}
        return [
            (field_words(k), f"{v} {UNIT_SIGNS.get(units[k], units[k])}" if k in units else v)
            for k, v in shown
            if not (k.endswith("_unit") and k.removesuffix("_unit") in names) and k not in SILENT
        ]


def field_words(name: str) -> str:
    """The name of a form's field as words: `work:throttle_body` is "Work: throttle body"."""
    words = re.sub(r"[_.]", " ", SAID.get(name, name)).replace(":", ": ")
    return re.sub(r"\s+", " ", words).strip().capitalize()


class FormModel(BaseModel):
    """A form's fields. `seen` is the revision of the section that the page showed."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)
    seen: Annotated[int, Field(ge=0, lt=10**9)] = 0


def _words(error: Any) -> str:
    """A validation's fault in words for the page."""
    own = error.get("ctx", {}).get("error")
    if own is not None:
        return str(own)
    return "Enter a figure." if error["type"] == "missing" else "This can not be."


def _number(label: str, *, least: float, most: float, whole: bool) -> BeforeValidator:
    kind = "whole number" if whole else "number"

    def read(value: Any, info: ValidationInfo) -> Any:
        if not isinstance(value, str):
            return value
        try:
            number = parse_number(info.field_name or "", value)
        except InputError:
            raise ValueError(f"{label}: not a number.") from None
        if not least <= number <= most or (whole and number != int(number)):
            raise ValueError(f"{label}: a {kind} from {least:g} to {most:g}.")
        return int(number) if whole else number

    return BeforeValidator(read)


def number(label: str, least: float = -1e12, most: float = 1e12) -> BeforeValidator:
    """A plain number, with a point or a comma."""
    return _number(label, least=least, most=most, whole=False)


def whole(label: str, least: int = 0, most: int = 10**9) -> BeforeValidator:
    """A whole number."""
    return _number(label, least=least, most=most, whole=True)


def quantity(quantity_id: str, label: str) -> BeforeValidator:
    """A quantity in kept units. Its unit: typed with it, else chosen in ``<name>_unit``, else the
    workshop's."""

    def read(value: Any, info: ValidationInfo) -> Any:
        if not isinstance(value, str) or not isinstance(info.context, Form):
            return value
        found, form = QUANTITIES[quantity_id], info.context
        unit = form.text(f"{info.field_name}_unit") or in_system(found, form.system).id
        try:
            return parse_quantity(info.field_name or "", value, found, default_unit=unit)
        except InputError as fault:
            raise ValueError(f"{label}: {fault.allowed}.") from None

    return BeforeValidator(read)


def _read_day(value: Any) -> Any:
    try:
        return datetime.strptime(value, "%Y-%m-%d").replace(tzinfo=UTC)
    except (TypeError, ValueError):
        raise ValueError("A day: year, month, day.") from None


def _read_moment(value: Any) -> Any:
    try:
        return datetime.fromisoformat(value).astimezone()
    except (TypeError, ValueError, OverflowError):
        raise ValueError("A day and time.") from None


Day = Annotated[datetime | None, BeforeValidator(_read_day)]
"""A day, None where it was left empty."""
Moment = Annotated[datetime | None, BeforeValidator(_read_moment)]
"""A day and time, None where it was left empty."""
Yes = Annotated[bool, BeforeValidator(lambda value: value == "yes")]
"""A box that is ticked, or a choice of yes and no."""
