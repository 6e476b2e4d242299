"""The air path of a family with a job's marks on it: codes, evidence, deposits, scope, what is
open."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import count
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached

from galene.core.airpath.family import EngineFamily, Part
from galene.core.diagnosis.records import Evidence
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.codes import GROUPS, code_meaning
from galene.store.models import Job
from galene.web.shared.airpath_layout import NARROW, WIDE, Layout, lay_out

STRAINED_BELOW = 80.0
"""Open area in percent below which flow lines crowd and break, as at grade 3 and above."""
LOW = 560.0
"""Drawings lower than this stand above the words of a page, higher ones below them."""
_SERIAL = count(1)


@dataclass(frozen=True, kw_only=True)
class Mark:
    """What is known of one part on this job."""

    part: Part
    codes: tuple[str, ...] = ()
    evidence: tuple[str, ...] = ()
    grade: int | None = None
    deposit: str = ""
    open_percent: float | None = None
    in_scope: bool = False
    is_open: bool = False
    lit: bool = False

    @property
    def strained(self) -> bool:
        """Whether the gas has a hard way through it."""
        return (self.grade or 0) >= 3 or (
            self.open_percent is not None and self.open_percent < STRAINED_BELOW
        )


@dataclass(frozen=True, kw_only=True)
class Picture:
    """A drawing ready for the template, in two foldings: wide, and folded for a narrow screen."""

    wide: Layout
    narrow: Layout
    family: EngineFamily
    serial: int
    marks: Mapping[str, Mark] = field(default_factory=dict)

    @property
    def key(self) -> tuple[Any, ...]:
        """All that decides the drawing: the family's layout and every mark on it."""
        return (self.serial, *self.marks.values())

    @property
    def low(self) -> bool:
        """Whether it leaves room on a first screen for what stands under it."""
        return self.wide.height < LOW


@cached(LRUCache(maxsize=64), key=id, lock=Lock())
def _kept_layouts(family: EngineFamily) -> tuple[EngineFamily, Layout, Layout, int]:
    # The family is held beside its layouts, so that its identity stays its own.
    return family, lay_out(family, WIDE), lay_out(family, NARROW), next(_SERIAL)


def layouts_of(family: EngineFamily) -> tuple[Layout, Layout, int]:
    """Both foldings of a family, kept as long as the family's record is the same one, and a number
    that no other pair has."""
    _, wide, narrow, serial = _kept_layouts(family)
    return wide, narrow, serial


def part_of_code(family: EngineFamily, code: str) -> Part | None:
    """The part that a code's group points at: the first of its kind on this engine."""
    group = code_meaning(code).group
    kind = GROUPS[group].component if group else None
    return next((p for p in family.parts if kind and p.component == kind), None)


def parts_of_evidence(family: EngineFamily, kind: Evidence) -> list[Part]:
    """The parts that a piece of evidence is about."""
    return [p for p in family.parts if p.component in kind.needs]


def marks_of(
    family: EngineFamily, job: Job | None, scope: Sequence[str], *, lit: Sequence[str] = ()
) -> dict[str, Mark]:
    """Codes, evidence, grades, scope and open parts of a job, by part id."""
    codes: dict[str, list[str]] = {}
    evidence: dict[str, list[str]] = {}
    looks: dict[str, tuple[int, str, float | None]] = {}
    opened: set[str] = set()
    if job is not None:
        for row in job.codes:
            part = part_of_code(family, row.code) if row.phase == "before" else None
            if part and row.code not in codes.get(part.id, []):
                codes.setdefault(part.id, []).append(row.code)
        for seen in job.observations:
            kind = KNOWLEDGE.evidence.get(seen.evidence)
            if kind and seen.state == "present" and kind.group != "code":
                for part in parts_of_evidence(family, kind):
                    evidence.setdefault(part.id, []).append(kind.text)
        order = {"before": 0, "work": 1, "after": 2}
        for look in sorted(job.looks, key=lambda k: order[k.phase]):
            looks[look.part] = (look.grade, look.deposit, look.open_area_percent)
        if not scope and job.plans:
            scope = [p.part for p in job.plans[0].document.parts]
        opened = {i.part for i in job.items if i.closed_at is None and i.part}
    found = {}
    for part in family.parts:
        grade, deposit, percent = looks.get(part.id, (None, "", None))
        found[part.id] = Mark(
            part=part,
            codes=tuple(codes.get(part.id, ())),
            evidence=tuple(evidence.get(part.id, ())),
            grade=grade,
            deposit=deposit,
            open_percent=percent,
            in_scope=part.id in scope,
            is_open=part.id in opened,
            lit=part.id in lit,
        )
    return found


def picture_of(
    family: EngineFamily,
    job: Job | None = None,
    scope: Sequence[str] = (),
    *,
    lit: Sequence[str] = (),
) -> Picture:
    """The drawing of a family, with a job's marks on it; `lit` parts are the ones looked for."""
    wide, narrow, serial = layouts_of(family)
    return Picture(
        wide=wide,
        narrow=narrow,
        family=family,
        serial=serial,
        marks=marks_of(family, job, scope, lit=lit),
    )
