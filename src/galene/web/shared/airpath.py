"""The air path of a family with a job's marks on it: codes, evidence, deposits, scope, what is
open."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import count
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached

from galene.core.airpath.family import EngineFamily, Part
from galene.core.diagnosis.records import Assessment, Evidence
from galene.core.planning.words import WORKS
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.codes import GROUPS, code_meaning
from galene.store.models import Inspection, Job
from galene.web.shared.airpath_layout import Layout, lay_out

STRAINED_BELOW = 80.0
"""Open area in percent below which flow lines crowd and break, as at grade 3 and above."""
GROWTH_PX = (0.0, 1.2, 3.0, 5.5, 8.5)
"""Thickness at which a deposit of each grade is drawn, in a way 24 wide."""
HALF_WAY_PX = 12.0
CROP = (420.0, 190.0)
"""Width and height of the section of the drawing that a step of the card shows."""
BADGES: Mapping[str, str] = {
    **{str(work): words for work, words in WORKS.items()},
    "inspect": "look",
    "relearn": "relearn",
    "upkeep": "upkeep",
}
"""What the plan does to a part, short enough to stand on it."""
_SERIAL = count(1)


@dataclass(frozen=True, kw_only=True)
class Mark:
    """What is known of one part on this job.

    Parameters
    ----------
    chance : probability that its cause is at work, 0 where none is told
    work : what the plan does to it, empty where it is not planned
    open_items : what must go back on it
    """

    part: Part
    codes: tuple[str, ...] = ()
    evidence: tuple[str, ...] = ()
    grade: int | None = None
    deposit: str = ""
    open_percent: float | None = None
    chance: float = 0.0
    work: str = ""
    open_items: tuple[str, ...] = ()
    lit: bool = False

    @property
    def in_scope(self) -> bool:
        """Whether the plan does something to it."""
        return bool(self.work)

    @property
    def is_open(self) -> bool:
        """Whether something of it must go back."""
        return bool(self.open_items)

    @property
    def strained(self) -> bool:
        """Whether the gas has a hard way through it."""
        return (self.grade or 0) >= 3 or (
            self.open_percent is not None and self.open_percent < STRAINED_BELOW
        )

    @property
    def growth(self) -> float:
        """Thickness of the deposit in the drawing: by the measured bore where there is one, else by
        the grade that was seen; nothing where nothing was."""
        if self.open_percent is not None:
            share = min(1.0, max(0.0, self.open_percent / 100))
            return round(HALF_WAY_PX * (1 - math.sqrt(share)), 1)
        return GROWTH_PX[self.grade or 0]


@dataclass(frozen=True, kw_only=True)
class Picture:
    """A drawing ready for the template."""

    layout: Layout
    family: EngineFamily
    serial: int
    marks: Mapping[str, Mark] = field(default_factory=dict)
    probe: str = ""
    """What the lit parts are measured or looked at with, empty where nothing is."""

    @property
    def key(self) -> tuple[Any, ...]:
        """All that decides the drawing: the family's layout and every mark on it."""
        return (self.serial, self.probe, *self.marks.values())

    @property
    def plate_open(self) -> bool:
        """Whether the plate stands open while the engine is off: a diesel's flap does."""
        return self.family.fuel == "diesel"

    @property
    def first(self) -> str:
        """The part that matters most now, to be in sight where not all is: the one looked for, one
        that is open, the likeliest."""

        def weight(mark: Mark) -> tuple[bool, bool, float, bool]:
            return mark.lit, mark.is_open, mark.chance, mark.in_scope

        return max(self.marks.values(), key=weight).part.id if self.marks else ""

    def crop(self, part: str) -> str:
        """The view box of a small section round a part; empty for none of this engine."""
        spots = {n.id: n.box for n in self.layout.nodes}
        spots |= {s.id: s.box for s in self.layout.stalks}
        if part not in spots:
            return ""
        width, height = CROP
        box = spots[part]
        x = min(max(0.0, box.x - width / 2), max(0.0, self.layout.width - width))
        y = min(max(0.0, box.y - height / 2), max(0.0, self.layout.height - height))
        return f"{x:.0f} {y:.0f} {width:.0f} {height:.0f}"

    @property
    def has_chances(self) -> bool:
        """Whether causes are weighed on it."""
        return any(m.chance for m in self.marks.values())

    @property
    def has_scope(self) -> bool:
        """Whether something is planned on it."""
        return any(m.work for m in self.marks.values())


@cached(LRUCache(maxsize=64), key=id, lock=Lock())
def _kept_layout(family: EngineFamily) -> tuple[EngineFamily, Layout, int]:
    # The family is held beside its layout, so that its identity stays its own.
    return family, lay_out(family), next(_SERIAL)


def chances_of(family: EngineFamily, ranking: Assessment) -> dict[str, float]:
    """The likeliest cause of each part, by part id."""
    chance: dict[str, float] = {}
    for cause in ranking.causes:
        for part in family.parts:
            if part.component == KNOWLEDGE.causes[cause.id].component:
                chance[part.id] = max(chance.get(part.id, 0.0), cause.probability)
    return chance


def part_of_code(family: EngineFamily, code: str) -> Part | None:
    """The part that a code's group points at: the first of its kind on this engine."""
    group = code_meaning(code).group
    kind = GROUPS[group].component if group else None
    return next((p for p in family.parts if kind and p.component == kind), None)


def parts_of_evidence(family: EngineFamily, kind: Evidence) -> list[Part]:
    """The parts that a piece of evidence is about."""
    return [p for p in family.parts if p.component in kind.needs]


@dataclass(kw_only=True)
class _Told:
    """What a job tells of its parts, by part id."""

    codes: dict[str, list[str]] = field(default_factory=dict)
    evidence: dict[str, list[str]] = field(default_factory=dict)
    looks: dict[str, Inspection] = field(default_factory=dict)
    opened: dict[str, list[str]] = field(default_factory=dict)


def _told_by(family: EngineFamily, job: Job, *, before_only: bool) -> _Told:
    told = _Told()
    for row in job.codes:
        part = part_of_code(family, row.code) if row.phase == "before" else None
        if part and row.code not in told.codes.get(part.id, []):
            told.codes.setdefault(part.id, []).append(row.code)
    for seen in job.observations:
        kind = KNOWLEDGE.evidence.get(seen.evidence)
        if kind and seen.state == "present" and kind.group != "code":
            for part in parts_of_evidence(family, kind):
                told.evidence.setdefault(part.id, []).append(kind.text)
    order = {"before": 0, "work": 1, "after": 2}
    for look in sorted(job.looks, key=lambda k: order[k.phase]):
        if look.phase == "before" or not before_only:
            told.looks[look.part] = look
    for item in job.items:
        if item.closed_at is None and item.part:
            told.opened.setdefault(item.part, []).append(item.what)
    return told


def marks_of(
    family: EngineFamily,
    job: Job | None,
    works: Mapping[str, str] | None,
    *,
    lit: Sequence[str] = (),
    chances: Mapping[str, float],
    before_only: bool,
) -> dict[str, Mark]:
    """Codes, evidence, grades, works and open parts of a job, by part id."""
    told = _told_by(family, job, before_only=before_only) if job is not None else _Told()
    if works is None and job is not None and job.plans:
        works = {w.part: w.work for w in job.plans[0].document.works}
    found = {}
    for part in family.parts:
        look, work = told.looks.get(part.id), (works or {}).get(part.id, "")
        found[part.id] = Mark(
            part=part,
            codes=tuple(told.codes.get(part.id, ())),
            evidence=tuple(told.evidence.get(part.id, ())),
            grade=look.grade if look else None,
            deposit=look.deposit if look else "",
            open_percent=look.open_area_percent if look else None,
            chance=round(chances.get(part.id, 0.0), 3),
            work=BADGES.get(work, work),
            open_items=tuple(told.opened.get(part.id, ())),
            lit=part.id in lit,
        )
    return found


def picture_of(
    family: EngineFamily,
    job: Job | None = None,
    works: Mapping[str, str] | None = None,
    *,
    lit: Sequence[str] = (),
    chances: Mapping[str, float] | None = None,
    before_only: bool = False,
    probe: str = "",
) -> Picture:
    """The drawing of a family, with a job's marks on it.

    Parameters
    ----------
    works : kind of work by part id; of the newest plan where none are given
    lit : the parts that are looked for
    chances : probability of a fault by part id
    before_only : show what was seen before the work, whatever was seen since
    probe : what the parts that are looked for are measured with
    """
    _, layout, serial = _kept_layout(family)
    return Picture(
        layout=layout,
        family=family,
        serial=serial,
        probe=probe,
        marks=marks_of(family, job, works, lit=lit, chances=chances or {}, before_only=before_only),
    )
