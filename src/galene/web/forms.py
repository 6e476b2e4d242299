"""What comes out of a form: texts, numbers, quantities in whatever unit the meter shows."""

from collections.abc import Callable, Iterable

from starlette.datastructures import FormData

from galene.core.errors import InputError
from galene.core.units import QUANTITIES, in_system, parse_number, parse_quantity
from galene.jobs.errors import Invalid


class Form:
    """A sent form: every value a text, faults gathered so that all are shown at once; `file` is the
    one file that came with it."""

    def __init__(self, data: FormData, system: Callable[[], str]) -> None:
        self.pairs: list[tuple[str, str]] = [
            (k, v) for k, v in data.multi_items() if isinstance(v, str)
        ]
        self._system = system
        self.faults: dict[str, str] = {}
        self.file, self.file_name = b"", ""

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
    def token(self) -> str:
        """The form's token, by which a second sending is known."""
        token = self.text("once")
        if not 8 <= len(token) <= 80:
            raise Invalid({"once": "This form is not complete. Load the page again."})
        return token

    def integer(self, name: str, default: int = 0) -> int:
        """A whole number that the page itself put into the form."""
        text = self.text(name)
        return int(text) if text.isdigit() and len(text) < 10 else default

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

    def check(self) -> None:
        """Raise `Invalid` with all faults gathered so far."""
        if self.faults:
            raise Invalid(self.faults)

    def shown(self) -> Iterable[tuple[str, str]]:
        """Fields with something in them that a person typed or chose, for pages that give them
        back."""
        return [(k, v) for k, v in self.pairs if v and k not in ("once", "seen")]
