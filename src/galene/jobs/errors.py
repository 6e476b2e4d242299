"""What a use case may refuse with. The web shows each in its own way; nothing is written when one
is raised."""

from collections.abc import Mapping
from datetime import datetime


class Invalid(Exception):
    """Values that can not be taken, by field."""

    def __init__(self, fields: dict[str, str]) -> None:
        self.fields = fields
        super().__init__("; ".join(f"{k}: {v}" for k, v in fields.items()))


class Stale(Exception):
    """Somebody saved a newer version of what this form shows."""

    def __init__(self, what: str, who: str, when: datetime) -> None:
        self.what, self.who, self.when = what, who, when
        super().__init__(f"{what} was changed by {who}")


class ReadOnly(Exception):
    """The job is finished: it changes only after it is opened again with a reason."""


class Refused(Exception):
    """The step can not be taken now, with the reasons, and for those that something can be done
    about the address of its place."""

    def __init__(
        self,
        title: str,
        reasons: list[str],
        override: bool = False,
        at: Mapping[str, str] | None = None,
    ) -> None:
        self.title, self.reasons, self.override = title, reasons, override
        self.at = dict(at or {})
        super().__init__(title + ": " + "; ".join(reasons))


class NotAllowed(Exception):
    """Only a foreman may do this."""


class Missing(Exception):
    """No such job, vehicle or step."""


class AlreadyDone(Exception):
    """The same form was sent before; its write is durable and its answer leads to `location`."""

    def __init__(self, location: str) -> None:
        self.location = location
        super().__init__(location)
