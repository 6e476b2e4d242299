"""Everything that a step's words use is on its list, is priced and is counted, once."""

import re
from itertools import product

import pytest

from galene.core.errors import InputError
from galene.core.planning.case import Case
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, PartWork, Plan, StateWords
from galene.core.planning.uses import uses_of
from galene.knowledge.bill import PriceList, bill_of
from galene.knowledge.families import FAMILIES
from galene.knowledge.policy import DEFAULT_POLICY
from galene.knowledge.treatment import Circumstances, trade_for

GOES_IN_NEW = re.compile(
    r"\bnew (?:\w+ )?(ring|seal|gasket|o-ring|element|washer|clamp|clip)", re.IGNORECASE
)
LIKE = {
    "ring": ("ring", "seal"),
    "o-ring": ("ring",),
    "seal": ("seal", "ring", "gasket"),
    "gasket": ("gasket",),
    "element": ("element", "filter"),
    "washer": ("washer",),
    "clamp": ("clamp", "clip"),
    "clip": ("clip", "clamp"),
}
"""A word of a step to what a spare's name says for it."""
WORKS = ("clean", "replace", "inspect", "upkeep", "repair", "adjust")


def plans_of(name: str, seals: str) -> list[tuple[str, str, Plan]]:
    family = FAMILIES[name]
    trade = trade_for(family, Circumstances(policy={**DEFAULT_POLICY, "G": seals}))
    found = []
    for part, work, grade in product(family.parts, WORKS, (1, 4)):
        case = Case(
            family=family,
            works=(PartWork(part=part.id, work=work, grade=grade, kind="soot"),),
            policy={**DEFAULT_POLICY, "G": seals},
            air=Air(temperature_c=20.0, humidity=0.5),
            start=StateWords(before_set=True, heat="warm"),
        )
        try:
            found.append((part.id, work, make_plan(case, trade)))
        except InputError:
            continue
    assert len(found) > 20
    return found


@pytest.mark.parametrize("seals", ["new", "reuse"])
@pytest.mark.parametrize("name", sorted(FAMILIES))
def test_what_goes_in_new_is_on_the_list_and_has_its_price(name: str, seals: str) -> None:
    family = FAMILIES[name]
    for part, work, plan in plans_of(name, seals):
        where = (name, part, work)
        bill = bill_of(plan, family, PriceList())
        used = [c for s in plan.steps for c in s.consumes]
        billed = [s.id for s in bill.spares]
        assert sorted(billed) == sorted(set(used)), where
        assert all(s.price is not None and s.number for s in bill.spares), (where, billed)
        if work == "replace" and any(p.work == "replace" for p in plan.parts):
            assert part in used, where
        names = " ".join(s.name.lower() for s in bill.spares)
        for step in plan.steps:
            for word in GOES_IN_NEW.findall(step.text):
                assert any(x in names for x in LIKE[word.lower()]), (where, step.text, names)
        within = {c for s in family.spares if s.id in billed for c in s.contains}
        assert not within & set(billed), (where, within)
        in_hand = {u.id for s in plan.steps for u in uses_of(s)}
        at_hand = {*billed, *(a.class_id for a in bill.agents), *bill.tools}
        assert in_hand == at_hand, (where, in_hand ^ at_hand)
        kinds = {i.kind for s in plan.steps for i in s.opens if i.inside}
        assert "cover" not in kinds or "clean caps" in bill.tools
        assert "tape" not in kinds or "masking tape" in bill.tools
        assert "rag inside" not in kinds or "counted cloths" in bill.tools


def test_a_new_manifold_brings_its_flaps() -> None:
    family = FAMILIES["D"]
    trade = trade_for(family, Circumstances(policy=DEFAULT_POLICY))
    works = tuple(PartWork(part=p, work="replace") for p in ("intake_manifold", "runner_flaps"))
    case = Case(
        family=family,
        works=works,
        policy=DEFAULT_POLICY,
        air=Air(temperature_c=20.0, humidity=0.5),
        start=StateWords(before_set=True, heat="warm"),
    )
    used = [c for s in make_plan(case, trade).steps for c in s.consumes]
    assert used.count("intake_manifold") == 1 and "runner_flaps" not in used


def test_what_is_cast_in_is_not_replaced() -> None:
    for name, part in (("A", "intake_ports"), ("E", "egr_dp_ports"), ("B", "egr_passage")):
        family = FAMILIES[name]
        trade = trade_for(family, Circumstances(policy=DEFAULT_POLICY))
        with pytest.raises(InputError, match="cast in"):
            make_plan(
                Case(
                    family=family,
                    works=(PartWork(part=part, work="replace"),),
                    policy=DEFAULT_POLICY,
                    air=Air(temperature_c=20.0, humidity=0.5),
                ),
                trade,
            )
