"""What a kind of part is stands in its document, and nowhere else."""

import re
from pathlib import Path

import pytest

from galene.core.airpath import natures
from galene.core.airpath.natures import NATURES, any_is, kind_is, natures_of, tell_kinds
from galene.core.errors import InputError
from galene.knowledge.components import COMPONENTS

SOURCE = Path(__file__).parents[2] / "src" / "galene"
TRADE = ("knowledge", "demo")
"""Where kinds of part are spoken of by name."""
OTHER_WORDS = {
    # Monitors of a control unit by their public names, not parts.
    "bus/obd.py": {"oxygen_sensor", "particulate_filter"},
    "web/live/_road_run.html": {"oxygen_sensor", "particulate_filter"},
    # A place of the simulated engine's state.
    "simulation/condition.py": {"crankcase"},
    # Examples that stand in a contract's description or an empty worksheet.
    "exchange/plans.py": {"egr_valve"},
    "web/api/judgements.py": {"maf_sensor"},
    "web/api/plans.py": {"throttle_body"},
    "web/api/scopes.py": {"throttle_body", "maf_sensor"},
    "core/calculations/key_on_agreement.py": {"map_sensor", "barometric_sensor", "boost_sensor"},
}
NAMED = re.compile(r"[\"'](" + "|".join(COMPONENTS) + r")[\"']")


def test_nothing_outside_the_trade_knows_a_kind_by_its_name() -> None:
    named: dict[str, set[str]] = {}
    for path in sorted(SOURCE.rglob("*")):
        place = path.relative_to(SOURCE)
        if path.suffix not in (".py", ".html", ".js", ".mjs") or place.parts[0] in TRADE:
            continue
        if found := set(NAMED.findall(path.read_text())):
            named[str(place)] = found
    assert named == OTHER_WORDS


def test_every_nature_is_asked_for_and_some_kind_has_it() -> None:
    sources = "".join(
        p.read_text()
        for p in (*SOURCE.rglob("*.py"), *SOURCE.rglob("*.html"))
        if p.name != "natures.py"
    )
    had = {word for kind in COMPONENTS.values() for word in kind.nature}
    assert had == set(NATURES)
    assert not [word for word in NATURES if f'"{word}"' not in sources]


def test_a_kind_is_what_it_was_told_to_be() -> None:
    kinds = {k: c.nature for k, c in COMPONENTS.items()}
    try:
        tell_kinds({"swirl_pot": ("in_gas", "greased"), "lid": ()})
        assert kind_is("swirl_pot", "greased") and kind_is("swirl_pot", "sensor", "in_gas")
        assert not kind_is("lid", "greased") and not kind_is("never_told", "greased")
        assert any_is(["lid", "swirl_pot"], "in_gas") and not any_is(["lid"], "in_gas")
        assert natures_of(["lid", "swirl_pot"]) == {"in_gas", "greased"}
        assert not kind_is("maf_sensor", "sensor"), "what was told before is gone"
        with pytest.raises(InputError, match=r"lid\.nature"):
            tell_kinds({"lid": ("shiny",)})
        assert kind_is("swirl_pot", "greased"), "a word that is none changes nothing"
    finally:
        tell_kinds(kinds)


def test_a_rule_that_asks_before_anything_was_told_fails(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(natures, "_natures", {})
    with pytest.raises(RuntimeError, match="not told"):
        kind_is("maf_sensor", "sensor")
    with pytest.raises(RuntimeError, match="not told"):
        natures_of(["maf_sensor"])
