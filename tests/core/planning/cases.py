"""Random cases for the property tests and the bench, families of our own too."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from random import Random
from types import MappingProxyType
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.planning.case import Case, Trade
from galene.core.planning.laws import Violation
from galene.core.planning.planner import make_plan, planned
from galene.core.planning.records import Air, PartWork, Plan, StateWords
from galene.core.planning.verify import verify
from galene.knowledge.components import DEPOSIT_KINDS
from galene.knowledge.families import FAMILIES
from galene.knowledge.hazards import HAZARDS
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.knowledge.treatment import Circumstances, judged_use, trade_for

WORKS = ("clean", "replace", "repair", "inspect", "adjust", "relearn", "upkeep")
MOST_PARTS = 9
WALK = 4
"""Bad answers that a walk gives one after another."""


@dataclass(frozen=True, kw_only=True)
class Drawn:
    """A case with the trade that plans it."""

    case: Case
    trade: Trade


def own_family(random: Random) -> EngineFamily:
    """A family as a workshop could keep it: one of ours, renamed, perhaps without tools."""
    family = random.choice(list(FAMILIES.values()))
    change: dict[str, Any] = {"id": "own", "name": "Ours"}
    if family.throttle == "electronic" and random.random() < 0.3:
        # A workshop may not know its fasteners; the card then says nothing.
        change["operations"] = tuple(replace(o, tools=()) for o in family.operations)
    if random.random() < 0.5:
        change["cylinders"] = family.cylinders
    return replace(family, **change)


def drawn(random: Random) -> Drawn | None:
    """A case, or None where what was drawn is no work on such a part."""
    family = own_family(random) if random.random() < 0.3 else random.choice(list(FAMILIES.values()))
    chosen = random.sample(
        [p.id for p in family.parts], random.randint(1, min(MOST_PARTS, len(family.parts)))
    )
    policy = {s.letter: random.choice([c for c, _ in s.choices]) for s in POLICY_QUESTIONS}
    trade = trade_for(
        family,
        Circumstances(policy=policy, distance_km=random.choice([None, 40_000.0, 200_000.0])),
    )
    start = StateWords(
        heat=random.choice([None, "cold", "warm"]), before_set=random.choice([None, True])
    )
    air = Air(temperature_c=random.choice([2.0, 14.0, 31.0]), humidity=random.choice([0.3, 0.9]))
    works: list[PartWork] = []
    for part in chosen:
        wanted = PartWork(
            part=part,
            work=random.choice(("clean",) * 5 + WORKS),
            grade=random.choice([None, 0, 1, 2, 3, 4]),
            kind=random.choice(["", *DEPOSIT_KINDS]),
        )
        alone = Case(family=family, works=(wanted,), policy=policy, air=air, start=start)
        try:
            make_plan(alone, trade)
        except InputError:
            continue
        works.append(wanted)
    if not works:
        return None
    case = Case(family=family, works=tuple(works), policy=policy, air=air, start=start)
    return Drawn(case=case, trade=trade)


def broken(
    drawn: Drawn, plan: Plan, answers: Mapping[str, str] = MappingProxyType({})
) -> tuple[Violation, ...]:
    """What does not hold of a plan of the case, after these answers."""
    asked = [i for i, s in enumerate(plan.steps, 1) if {r.id for r in s.records} & set(answers)]
    return verify(
        plan,
        drawn.case.family,
        drawn.case.start,
        judge=judged_use,
        hazards=HAZARDS,
        done=max(asked, default=0),
    )


def answered(
    drawn: Drawn, plan: Plan, answers: Mapping[str, str], *, random: Random
) -> dict[str, str]:
    """The answers with one bad one more, none where no question is left."""
    asked = [r for s in plan.steps for r in s.records if r.consequences and r.id not in answers]
    if plan.held or not asked:
        return dict(answers)
    record = random.choice(asked)
    return {**answers, record.id: random.choice(record.consequences).answer}


def walk(drawn: Drawn, random: Random) -> list[tuple[Plan, dict[str, str]]]:
    """The plan, and the plans after one bad answer after another."""
    answers: dict[str, str] = {}
    found = [(make_plan(drawn.case, drawn.trade), answers)]
    for _ in range(WALK):
        more = answered(drawn, found[-1][0], answers, random=random)
        if more == answers:
            break
        answers = more
        try:
            found.append((planned(drawn.case, drawn.trade, answers), answers))
        except InputError as error:
            # It stops the plan before a step that was answered, which is not asked then.
            if error.field != "answers":
                raise
            break
    return found
