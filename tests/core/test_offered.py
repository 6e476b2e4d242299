"""What is offered applies: over random engines, no cause, evidence, check or code of a part or a
fuel that is not there."""

from hypothesis import given, settings
from hypothesis import strategies as st

from galene.core.diagnosis.assess import assess, is_heard, is_offered
from galene.core.diagnosis.model import causes_of
from galene.core.diagnosis.records import Case, EngineOutline, Observation
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.codes import KNOWN, code_meaning
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES
from tests.often import walks

engines = st.builds(
    lambda parts, kind: EngineOutline(
        components=frozenset(parts) | {"air_filter"},
        fuel=kind[0],
        injection=kind[1],
        cycle=kind[2],
        throttle=kind[3],
        banks=kind[4],
    ),
    st.sets(st.sampled_from(sorted(COMPONENTS))),
    st.sampled_from(
        [
            ("petrol", "port", "four_stroke", "cable", 1),
            ("petrol", "port", "four_stroke", "electronic", 2),
            ("petrol", "direct", "four_stroke", "electronic", 1),
            ("diesel", "direct", "four_stroke", "electronic", 1),
            ("diesel", "direct", "four_stroke", "none", 1),
            ("petrol", "port", "two_stroke", "cable", 1),
        ]
    ),
)
PETROL_ONLY = {
    "throttle_deposit",
    "throttle_sticking",
    "idle_adaptation_lost",
    "unmetered_air_leak",
}
TRIMS = {"trim_survey", "idle_readings", "throttle_sweep", "look_throttle"}


@settings(max_examples=walks(60), deadline=None)
@given(engine=engines, data=st.data())
def test_what_is_offered_applies(engine: EngineOutline, data: st.DataObject) -> None:
    heard = [e for e in KNOWLEDGE.evidence.values() if is_heard(e, engine, KNOWLEDGE)]
    for kind in heard:
        assert set(kind.needs) <= engine.components
    for check in KNOWLEDGE.checks.values():
        if is_offered(check, engine, KNOWLEDGE):
            assert set(check.components) <= engine.components
            assert not check.yields or any(KNOWLEDGE.evidence[e] in heard for e in check.yields)
    shown = data.draw(st.lists(st.sampled_from([e.id for e in heard]), max_size=4, unique=True))
    found = assess(
        Case(engine=engine, evidence={e: Observation("present") for e in shown}), KNOWLEDGE
    )
    for ranked in found.causes:
        needs = KNOWLEDGE.causes[ranked.id].components
        assert set(needs) <= engine.components
        assert engine.fuel == "petrol" or ranked.id not in PETROL_ONLY
    for check in found.next_checks:
        assert is_offered(KNOWLEDGE.checks[check.id], engine, KNOWLEDGE)
        assert engine.fuel == "petrol" or check.id not in TRIMS
    for repair in found.repair_order:
        assert (
            repair.action == "refer_on"
            or repair.component in engine.components
            or not (KNOWLEDGE.causes[repair.cause].components)
        )


def test_every_code_that_can_be_read_on_a_family_is_heard_there() -> None:
    """A code of a part that the engine has never falls on deaf ears."""
    deaf = []
    for family in FAMILIES.values():
        engine = outline_of(family)
        for code in KNOWN:
            meaning = code_meaning(code)
            if meaning.evidence is None:
                continue
            kind = KNOWLEDGE.evidence[meaning.evidence]
            if (
                kind.needs
                and set(kind.needs) <= engine.components
                and not is_heard(kind, engine, KNOWLEDGE)
            ):
                deaf.append((family.id, code))
    assert deaf == []


def test_what_nobody_heard_is_heard() -> None:
    for family in "ABCF":
        heard = is_heard(
            KNOWLEDGE.evidence["coolant_loss"], outline_of(FAMILIES[family]), KNOWLEDGE
        )
        assert heard == (FAMILIES[family].cooling == "liquid"), "an air-cooled engine has none"
    assert is_heard(KNOWLEDGE.evidence["code_map"], outline_of(FAMILIES["D"]), KNOWLEDGE)
    for one in FAMILIES.values():
        if "barometric_sensor" in one.components:
            odd = KNOWLEDGE.evidence["key_on_one_off:barometric_sensor"]
            assert is_heard(odd, outline_of(one), KNOWLEDGE)


def test_a_diesel_has_no_throttle_deposit_and_a_two_stroke_no_recirculation() -> None:
    for family in "DE":
        assert not PETROL_ONLY & {c.id for c in causes_of(outline_of(FAMILIES[family]), KNOWLEDGE)}
    assert not any("egr" in c.id for c in causes_of(outline_of(FAMILIES["F"]), KNOWLEDGE))
