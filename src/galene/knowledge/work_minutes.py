"""Hands-on minutes of mending each cause on one engine, as its plan has them: the diagnosis and the
plan agree."""

from collections.abc import Mapping

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.planning.case import Case
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, PartWork, StateWords
from galene.core.planning.words import Work
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.treatment import Circumstances, trade_for

WORKS: Mapping[str, Work] = {"clean": "clean", "repair": "repair", "replace": "replace"}


def work_minutes(family: EngineFamily, policy: Mapping[str, str]) -> dict[str, float]:
    """Cause id to the minutes of its part's own steps, without access; only where a plan can be
    made.

    Parameters
    ----------
    family : the engine
    policy : schools by letter
    """
    trade = trade_for(family, Circumstances(policy=policy))
    known: dict[tuple[str, Work], float] = {}
    found: dict[str, float] = {}
    for cause in KNOWLEDGE.causes.values():
        work = WORKS.get(cause.action)
        part = next((p for p in family.parts if p.component == cause.component), None)
        if work is None or part is None:
            continue
        if (part.id, work) not in known:
            case = Case(
                family=family,
                works=(PartWork(part=part.id, work=work),),
                policy=policy,
                air=Air(temperature_c=20.0),
                start=StateWords(before_set=True),
            )
            try:
                known[(part.id, work)] = make_plan(case, trade).parts[0].minutes
            except InputError:
                continue
        if minutes := known.get((part.id, work)):
            found[cause.id] = minutes
    return found
