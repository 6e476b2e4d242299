"""Nothing but the screen reads a sentence: with every text of the trade in random words, plans,
orders, cautions, drawings, bills and proofs stay what they were."""

from collections.abc import Iterator
from dataclasses import fields, is_dataclass, replace
from random import Random
from typing import Any

import pytest

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.planning.case import Case
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, PartWork, Plan, StateWords
from galene.knowledge.bill import PriceList, bill_of
from galene.knowledge.families import FAMILIES
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.relearns import RELEARNS
from galene.knowledge.treatment import Circumstances, trade_for
from galene.web.card.in_hand import motion_of

SAID = frozenset(
    {"text", "text_back", "why", "label", "title", "success", "failure", "normal", "reason", "what"}
)
"""Fields that hold sentences, or names of things as the screen shows them."""
LETTERS = "abcdefghijklmnopqrstuvwxyz"


class Babel:
    """Other words for every text, the same for the same."""

    def __init__(self, seed: int) -> None:
        self.random, self.known = Random(seed), dict[str, str]()

    def of(self, text: str) -> str:
        """Random words."""
        if text not in self.known:
            words = ["".join(self.random.choices(LETTERS, k=6)) for _ in range(4)]
            self.known[text] = " ".join(words)
        return self.known[text]

    def reworded(self, thing: Any, name: str = "") -> Any:
        """A record with all that it says in other words. What a template closes is named by what it
        has opened."""
        if isinstance(thing, str):
            return self.of(thing) if thing and name in SAID | {"closes"} else thing
        if isinstance(thing, tuple):
            return tuple(self.reworded(x, name) for x in thing)
        if is_dataclass(thing) and not isinstance(thing, type):
            kept = {f.name: getattr(thing, f.name) for f in fields(thing) if f.init}
            return replace(thing, **{k: self.reworded(v, k) for k, v in kept.items()})
        return thing


def told_by_marks(plan: Plan) -> Iterator[tuple[Any, ...]]:
    """All of a plan but its words; ids of items and waits by the order in which they come."""
    numbers: dict[str, int] = {}

    def number(name: str) -> int:
        return numbers.setdefault(name, len(numbers))

    for step in plan.steps:
        motion = motion_of(step)
        yield (
            step.id if not step.closes or step.name not in ("uncover", "look_in", "cover") else "",
            step.phase,
            step.minutes,
            step.needs,
            step.does,
            tuple((number(i.id), i.kind, i.mouth, i.of, i.inside, i.before) for i in step.opens),
            tuple(number(c) for c in step.closes),
            (step.takes_off, step.refits, step.sends, step.receives),
            tuple(number(w) for w in step.waits_for),
            (number(step.wait.id), step.wait.minutes) if step.wait else None,
            step.agent,
            step.cautions,
            step.tools,
            step.consumes,
            step.marks,
            motion.drawing if motion else "",
            tuple((r.name, r.kind, tuple(c.kind for c in r.consequences)) for r in step.records),
        )


def planned(
    family: EngineFamily, works: tuple[PartWork, ...], policy: dict[str, str], babel: Babel | None
) -> Plan:
    procedures, relearns = dict(PROCEDURES), dict(RELEARNS)
    if babel:
        family = replace(
            family,
            operations=babel.reworded(family.operations),
            parts=babel.reworded(family.parts),
        )
        procedures = {k: babel.reworded(p) for k, p in procedures.items()}
        relearns = {k: babel.reworded(r) for k, r in relearns.items()}
    trade = trade_for(
        family, Circumstances(policy=policy), procedures=procedures, relearns=relearns
    )
    case = Case(
        family=family,
        works=works,
        policy=policy,
        air=Air(temperature_c=17.0),
        start=StateWords(heat="warm"),
    )
    return make_plan(case, trade)


@pytest.mark.parametrize("name", FAMILIES)
def test_other_words_change_nothing_but_the_words(name: str) -> None:
    random, family, tried = Random(name), FAMILIES[name], 0
    while tried < 12:
        policy = {s.letter: random.choice([c for c, _ in s.choices]) for s in POLICY_QUESTIONS}
        parts = random.sample([p.id for p in family.parts], 3)
        works = tuple(
            PartWork(
                part=p,
                work=random.choice(("clean", "clean", "replace", "repair", "inspect")),
                grade=random.choice((None, 1, 3)),
            )
            for p in parts
        )
        try:
            plain = planned(family, works, policy, None)
        except InputError:
            continue
        tried += 1
        other = planned(family, works, policy, Babel(tried))
        assert list(told_by_marks(other)) == list(told_by_marks(plain))
        bills = [bill_of(p, family, PriceList()) for p in (plain, other)]
        assert bills[0].total == bills[1].total and bills[0].tools == bills[1].tools
        assert plain.proof == other.proof


def test_the_words_are_others() -> None:
    plain = planned(FAMILIES["A"], (PartWork(part="maf_sensor"),), {}, None)
    said = {s.text for s in plain.steps if s.owner == "maf_sensor" or s.opening}
    other = planned(FAMILIES["A"], (PartWork(part="maf_sensor"),), {}, Babel(1))
    assert said and not said & {s.text for s in other.steps}
