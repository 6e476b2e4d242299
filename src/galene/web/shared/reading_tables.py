"""Tables and forms of readings, as the before set and the after set show them."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from galene.core.airpath.family import Part
from galene.core.airpath.natures import kind_is
from galene.core.jobcard.job_records import SetConditions
from galene.core.units import QUANTITIES, in_system
from galene.jobs import evidence
from galene.jobs.act import family_of, revision
from galene.knowledge import reading_channels
from galene.store.models import Job, ReadingSet
from galene.web.shared.forms import Form
from galene.web.shared.templating import bare_number
from galene.web.shared.visit import Visit

ROWS = {"idle": 5, "trim": 4}


def table_of(
    visit: Visit, job: Job, phase: str, *, kind: str, form: Form | None = None
) -> dict[str, Any]:
    """What a reading table shows: typed values after a fault, else the saved set, else empty
    rows."""
    saved = evidence.set_of(job, phase, kind)
    mine = form is not None and form.text("kind") == kind and form.text("phase") == phase
    system = visit.shop.system
    channels: list[dict[str, Any]] = []
    for channel in reading_channels.channels_of(family_of(job), kind):
        quantity = QUANTITIES[channel.quantity]
        unit = (form.text(f"{channel.id}_unit") if mine and form else "") or in_system(
            quantity, system
        ).id
        values = (
            form.texts(channel.id)
            if mine and form
            else _column(saved, channel.id, channel.quantity, system=system)
        )
        channels.append(
            {
                "id": channel.id,
                "label": channel.label,
                "quantity": channel.quantity,
                "unit": unit,
                "values": values,
                "required": channel.required,
            }
        )
    rows = max([ROWS[kind], *(len(c["values"]) for c in channels)])
    return {
        "phase": phase,
        "kind": kind,
        "channels": channels,
        "rows": rows,
        "saved": saved,
        "seen": revision(job, f"readings_{phase}_{kind}"),
        "conditions": saved.conditions if saved else SetConditions(),
        "mine": mine,
    }


def _column(saved: ReadingSet | None, channel: str, quantity: str, *, system: str) -> list[str]:
    if saved is None:
        return []
    rows = max((r.position for r in saved.readings), default=-1) + 1
    column = [""] * rows
    for reading in saved.readings:
        if reading.channel == channel:
            column[reading.position] = bare_number(reading.value, quantity, system)
    return column


@dataclass(frozen=True, kw_only=True)
class KeyOnSheet:
    """The form of a key-on reading: its sensors, what is kept, and the revision it was shown at."""

    sensors: tuple[Part, ...]
    kept: Mapping[str, float]
    phase: str
    seen: int

    @property
    def saved(self) -> bool:
        """Whether readings are kept."""
        return bool(self.kept)


def key_on_of_job(job: Job, phase: str) -> KeyOnSheet:
    """The key-on readings of a job before or after the work."""
    kept = evidence.set_of(job, phase, "key_on")
    return KeyOnSheet(
        sensors=tuple(p for p in family_of(job).parts if kind_is(p.component, "absolute")),
        kept={r.channel: r.value for r in kept.readings} if kept else {},
        phase=phase,
        seen=revision(job, f"readings_{phase}_key_on"),
    )
