"""The maker's own identifiers in a family's document: what can not be is named, what is kept comes
back."""

from dataclasses import replace

import pytest

from galene.core.airpath.family import BusEntry, EngineFamily
from galene.exchange.families import document_of, family_of_document, faults_of
from galene.knowledge.bus_names import BUS_NAMES
from galene.knowledge.families import FAMILIES

GOOD = BusEntry(kind="figure", name="manifold_kpa", identifier=0x2001, scale=0.01)


@pytest.mark.parametrize(
    ("entries", "place"),
    [
        ([replace(GOOD, kind="wish")], "bus[0].kind"),
        ([replace(GOOD, name="moonlight")], "bus[0].name"),
        ([replace(GOOD, kind="output")], "bus[0].name"),
        ([replace(GOOD, identifier=0)], "bus[0].identifier"),
        ([replace(GOOD, identifier=0x10000)], "bus[0].identifier"),
        ([replace(GOOD, size=5)], "bus[0].size"),
        ([replace(GOOD, scale=0.0)], "bus[0].scale"),
        ([replace(GOOD, offset=float("nan"))], "bus[0].scale"),
        ([GOOD, replace(GOOD, identifier=0x2002)], "bus[1].name"),
        ([GOOD, replace(GOOD, name="air_g_s")], "bus[1].identifier"),
    ],
)
def test_what_can_not_be_is_named(entries: list[BusEntry], place: str) -> None:
    faults = faults_of(replace(FAMILIES["A"], bus=tuple(entries)))
    assert [f.place for f in faults] == [place]


def test_one_number_may_stand_for_a_figure_and_for_an_output() -> None:
    output = BusEntry(kind="output", name="egr_valve", identifier=0x2001)
    assert faults_of(replace(FAMILIES["B"], bus=(GOOD, output))) == []


@pytest.mark.parametrize("family", FAMILIES.values(), ids=list(FAMILIES))
def test_the_document_keeps_them(family: EngineFamily) -> None:
    assert family.bus
    assert family_of_document(document_of(family)) == family
    older = {k: v for k, v in document_of(family).items() if k != "bus"}
    assert family_of_document(older).bus == (), "a document of before has none"


def test_every_name_has_its_words() -> None:
    assert all(words for names in BUS_NAMES.values() for words in names.values())
