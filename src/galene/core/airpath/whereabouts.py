"""Where is it? A part found by what a technician types, told apart from its namesakes, with the way
to reach it."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galene.core.airpath.access import minutes_of, operations_for
from galene.core.airpath.family import EngineFamily, Fastener, Operation, Part

COMMON = frozenset({"sensor", "intake", "upstream", "downstream", "left", "right", "body"})
"""Words that many parts share and that mix nobody up."""


@dataclass(frozen=True)
class Namesake:
    """A part with a like name: which, and what it is instead."""

    part: Part
    what: str


@dataclass(frozen=True, kw_only=True)
class Found:
    """A part, what it is, how it is held, what comes off to reach it (None: no way is known), and
    its namesakes."""

    part: Part
    what: str
    fasteners: tuple[Fastener, ...]
    operations: tuple[Operation, ...] | None
    minutes: float
    namesakes: tuple[Namesake, ...]


def _words(text: str) -> list[str]:
    return re.findall(r"[a-z0-9]+", text.lower())


def _rank(part: Part, title: str, what: str, *, wanted: list[str], whole: str) -> int:
    """How well a part answers, 0 not at all."""
    number = re.sub(r"[^a-z0-9]", "", part.part_number.lower())
    if number and whole and number.startswith(whole):
        return 6
    for rank, text in (
        (5, part.label),
        (4, title),
        (3, part.id.replace("_", " ")),
        (1, what + " " + part.where),
    ):
        there = _words(text)
        if wanted and all(any(t.startswith(w) for t in there) for w in wanted):
            return rank
    return 0


def find_parts(
    family: EngineFamily, typed: str, kinds: Mapping[str, tuple[str, str]]
) -> list[Part]:
    """Parts that answer to what was typed, the best first.

    Parameters
    ----------
    family : EngineFamily
    typed : words of the name, the place or the part number, as far as they are typed
    kinds : component id to its title and the sentence that says what it is
    """
    wanted, whole = _words(typed), "".join(_words(typed))
    ranked = [
        (_rank(p, *kinds[p.component], wanted=wanted, whole=whole), -i, p)
        for i, p in enumerate(family.parts)
    ]
    return [p for rank, _, p in sorted(ranked, key=lambda r: r[:2], reverse=True) if rank]


def whereabouts(
    family: EngineFamily,
    part_id: str,
    kinds: Mapping[str, tuple[str, str]],
    *,
    done: Iterable[str] = (),
) -> Found:
    """All that leads to a part.

    Raises
    ------
    InputError
        The family does not carry it.
    """
    part = family.part(part_id)
    title, what = kinds[part.component]
    mine = set(_words(part.label + " " + title)) - COMMON
    alike = tuple(
        Namesake(p, kinds[p.component][1])
        for p in family.parts
        if p.id != part.id
        and {w for w in mine & set(_words(p.label + " " + kinds[p.component][0])) if len(w) > 4}
    )
    reachable = any(part.id in o.reaches for o in family.operations)
    operations = operations_for(family, [part.id], done) if reachable else None
    return Found(
        part=part,
        what=what,
        fasteners=family.fasteners_of(part.id),
        operations=operations,
        minutes=minutes_of(operations or ()),
        namesakes=alike,
    )
