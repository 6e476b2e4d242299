"""The scope as it is now, and how each part of it is treated where it will lie."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from galene.core.planning.making.part_steps import link
from galene.core.planning.making.state import Planning
from galene.core.planning.making.ways import find_ways
from galene.core.planning.records import PartWork
from galene.core.planning.words import Place


def works_now(planning: Planning) -> list[PartWork]:
    works = {
        w.part: w
        for w in ((replace(w, part=planning.family.part(w.part).id)) for w in planning.case.works)
    }
    for kind in planning.changes.joined:
        for part in planning.family.parts:
            if kind in (part.id, part.component):
                works.setdefault(part.id, PartWork(part=part.id))
    for find in planning.case.finds:
        kind_of = planning.trade.find_kinds[find.kind]
        if kind_of.replaces and find.part:
            works[find.part] = replace(
                works.get(find.part, PartWork(part=find.part)), work="replace"
            )
        for part in planning.family.parts:
            if part.component in kind_of.joins:
                works.setdefault(part.id, PartWork(part=part.id))
    for part_id, work in planning.changes.works.items():
        works[part_id] = replace(works.get(part_id, PartWork(part=part_id)), work=work)
    for part_id, (grade, kind) in planning.changes.grades.items():
        if part_id in works:
            works[part_id] = replace(works[part_id], grade=grade, kind=kind)
    return list(works.values())


def settle(planning: Planning, works: Sequence[PartWork]) -> None:
    """Treatments, the operations that they need, and where each part lies meanwhile, settled
    together."""
    left = [w for w in works if w.part not in planning.changes.left and w.work != "relearn"]
    lies = {w.part: planning.lies_now(w.part) for w in left}
    for _ in range(5):
        planning.treatments = [
            planning.trade.treat(
                w,
                off={lies[w.part], planning.worked_at.get(w.part)} & {"off", "loose"} != set(),
                opened=lies_open(planning, w, lies) or w.part in planning.worked_at,
            )
            for w in left
        ]
        before = list(planning.to_open)
        link(planning)
        find_ways(planning)
        settled = {w.part: planning.lies(w.part) for w in left}
        if settled == lies and before == planning.to_open:
            return
        lies = settled


def lies_open(planning: Planning, work: PartWork, lies: Mapping[str, Place]) -> bool:
    operations = [planning.by_id[o] for o in (*planning.open_now, *planning.to_open)]
    reached = any(work.part in o.reaches or work.part == o.removes for o in operations)
    return reached or lies[work.part] != "mounted"
