"""Treated parts as they were found and as they were left, for the head of the report."""

from collections.abc import Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.store.models import Inspection
from galene.web.shared.airpath import Mark

MOST = 3
"""Parts on one row of the paper."""


@dataclass(frozen=True, kw_only=True)
class Inside:
    """One part in section, twice."""

    found: Mark
    left: Mark


def insides_of(
    family: EngineFamily, findings: Mapping[str, Mapping[str, Inspection]]
) -> tuple[Inside, ...]:
    """Parts with a deposit that were looked at before and after, the most changed first.

    Parameters
    ----------
    findings : looks by part and phase: ``before``, ``work`` (as it lay open), ``after``
    """
    parts = {p.id: p for p in family.parts}

    def mark(part: str, look: Inspection) -> Mark:
        return Mark(
            part=parts[part],
            grade=look.grade,
            deposit=look.deposit,
            open_percent=look.open_area_percent,
        )

    found = []
    for part, looks in findings.items():
        before, after = looks.get("work") or looks.get("before"), looks.get("after")
        if part in parts and before and after:
            found.append(Inside(found=mark(part, before), left=mark(part, after)))
    coated = [i for i in found if i.found.growth or i.left.growth]
    return tuple(sorted(coated, key=lambda i: i.left.growth - i.found.growth)[:MOST])
