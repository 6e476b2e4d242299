"""May this agent, applied this way, touch this part in this state? `judge` gathers what every rule
says."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.errors import InputError, require

VERDICTS: tuple[str, ...] = ("ok", "with_care", "only_after", "no")
"""From free to forbidden; the strictest rule decides."""
WAYS: dict[str, str] = {
    "direct_spray": "sprayed on",
    "on_cloth": "on a cloth",
    "on_brush": "on a brush",
    "drip_soak": "dripped on to soak",
    "bath": "in a bath",
    "running_ingestion": "drawn in by the running engine",
    "blast": "blasted",
    "dry_wipe": "wiped dry",
    "soft_brush": "brushed dry, soft",
    "scraper": "scraped",
    "pick_or_wire": "cleared with a pick or wire",
    "compressed_air": "blown out",
    "vacuum": "vacuumed",
}
DRY_WAYS = frozenset(
    {"dry_wipe", "soft_brush", "scraper", "pick_or_wire", "compressed_air", "vacuum"}
)
"""Ways that bring no agent."""
STATES: dict[str, str] = {
    "battery_off": "battery off",
    "ignition_off": "ignition off",
    "engine_cold": "engine cold",
    "engine_warm_running": "engine warm and running",
    "removed": "part off the engine",
    "hand_warm": "held in the hand, no warmer than it",
    "electronics_removed": "electronics parted from the metal",
    "sensor_removed": "sensor out",
    "seal_removed": "seal taken off",
    "plate_open": "plate held open",
    "port_shut": "the cylinder's valves shut",
    "bare_bore": "the bore known to be bare metal",
    "ventilated": "doors open or extraction on",
}
FEATURES: dict[str, str] = {
    "cable": "cable-driven",
    "electronic": "motor-driven",
    "coated_bore": "coated bore",
    "faces_down": "faces down",
    "plastic": "plastic",
    "aluminium": "aluminium",
    "hot_element": "hot element",
    "membrane": "pressure membrane",
    "hall_sensor": "Hall sensor",
    "seal_nbr": "NBR seal",
    "seal_fkm": "FKM seal",
    "seal_epdm": "EPDM seal",
    "seal_silicone": "silicone seal",
    "upstream": "upstream of the catalyst",
    "downstream": "downstream of the catalyst",
}
PROPERTIES: dict[str, str] = {
    "residue_free": "leaves no residue",
    "plastic_safe": "plastic-safe",
    "flammable": "flammable",
    "chlorinated": "chlorinated",
    "water_based": "water-based",
    "alkaline": "alkaline",
    "aluminium_safe": "aluminium-safe by label",
    "coating_safe": "coating-safe by label",
    "oxygen_sensor_safe": "safe for oxygen sensors by label",
    "catalyst_safe": "catalyst-safe by label",
    "ketones": "with ketones",
    "aromatics": "with aromatics",
    "alkanes": "light alkanes",
    "mineral_oil": "with mineral oil",
    "silicone": "with silicone",
    "amine": "amine detergent",
    "metal_only": "for metal only",
    "leaves_film": "leaves a film",
    "ingested": "made to be drawn in running",
    "fuel_dosed": "dosed to the fuel",
    "abrasive": "a blasting medium",
    "assembly_aid": "an assembly aid",
}


@dataclass(frozen=True, kw_only=True)
class Agent:
    """A class of agent or a product on the shelf: its properties (words of `PROPERTIES`) and the
    ways that it is made for."""

    id: str
    title: str
    properties: frozenset[str]
    ways: frozenset[str]
    drying: str = ""
    """Its kind for drying-time, empty where nothing evaporates."""
    protection: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class EngineFacts:
    """What of an engine decides what may come near its parts; None where it is not known.

    `charged`: its air is pressed by a compressor, with or without a cooler behind it.
    """

    fuel: str | None = None
    injection: str | None = None
    cycle: str | None = None
    charged: bool | None = None

    @property
    def known(self) -> bool:
        """Whether nothing is left open."""
        return None not in (self.fuel, self.injection, self.cycle, self.charged)


POSSIBLE_ENGINES: tuple[EngineFacts, ...] = (
    EngineFacts(fuel="diesel", injection="direct", cycle="four_stroke", charged=True),
    EngineFacts(fuel="diesel", injection="direct", cycle="four_stroke", charged=False),
    EngineFacts(fuel="petrol", injection="direct", cycle="four_stroke", charged=True),
    EngineFacts(fuel="petrol", injection="direct", cycle="four_stroke", charged=False),
    EngineFacts(fuel="petrol", injection="port", cycle="four_stroke", charged=True),
    EngineFacts(fuel="petrol", injection="port", cycle="four_stroke", charged=False),
    EngineFacts(fuel="petrol", injection="direct", cycle="two_stroke", charged=False),
    EngineFacts(fuel="petrol", injection="port", cycle="two_stroke", charged=False),
)
"""Engines that there are, the strictest first: what is not known may be any of them."""


@lru_cache(maxsize=256)
def possible_engines(facts: EngineFacts) -> tuple[EngineFacts, ...]:
    """The engines that what is known leaves open.

    Raises
    ------
    InputError
        An engine that there is not, as a diesel two-stroke here.
    """
    found = tuple(
        e
        for e in POSSIBLE_ENGINES
        if facts.fuel in (None, e.fuel)
        and facts.injection in (None, e.injection)
        and facts.cycle in (None, e.cycle)
        and facts.charged in (None, e.charged)
    )
    told = " ".join(str(x) for x in (facts.fuel, facts.injection, facts.cycle) if x)
    require(
        bool(found),
        "engine",
        told,
        allowed="a petrol engine, or a diesel with direct injection, four-stroke",
    )
    return found


def engine_of(family: EngineFamily) -> EngineFacts:
    """What of a family decides; its charging shows by its parts."""
    charged = any(kind_is(p.component, "charged_only") for p in family.parts)
    return EngineFacts(
        fuel=family.fuel,
        injection="direct" if family.fuel == "diesel" else family.injection,
        cycle=family.cycle,
        charged=charged,
    )


@dataclass(frozen=True, kw_only=True)
class Situation:
    """What is to be judged. `agent` is None for dry ways; `engine` is one of `POSSIBLE_ENGINES`."""

    agent: Agent | None
    way: str
    component: str
    features: frozenset[str]
    state: frozenset[str]
    engine: EngineFacts = POSSIBLE_ENGINES[0]

    def has(self, *words: str) -> bool:
        """Whether the agent has one of these properties."""
        return self.agent is not None and bool(self.agent.properties & set(words))

    def is_a(self, *natures: str) -> bool:
        """Whether the part is of one of these natures (`natures.NATURES`)."""
        return kind_is(self.component, *natures)

    @property
    def asks_engine(self) -> bool:
        """Whether the engine can matter: what it draws in, and what washes a two-stroke's
        bearings."""
        return self.way == "running_ingestion" or self.is_a("crank_chamber", "crank_hose")

    @property
    def wet(self) -> bool:
        """Whether something liquid comes near."""
        return self.agent is not None and self.way not in DRY_WAYS and self.way != "blast"


@dataclass(frozen=True, kw_only=True)
class Finding:
    """What one rule says: its verdict, the reason, the states that are missing, what to wear."""

    rule: str
    verdict: str
    text: str
    conditions: tuple[str, ...] = ()
    protection: tuple[str, ...] = ()


Rule = Callable[[Situation], Iterable[Finding]]


@dataclass(frozen=True)
class Reason:
    """A rule's id and its words."""

    rule: str
    text: str


@dataclass(frozen=True, kw_only=True)
class Judgement:
    """The strictest verdict with every reason, the missing conditions, protective equipment, and
    base minutes of drying at 20 C."""

    verdict: str
    reasons: tuple[Reason, ...]
    conditions: tuple[str, ...] = ()
    protective_equipment: tuple[str, ...] = ()
    drying_minutes: float = 0.0


@dataclass(frozen=True)
class Subject:
    """A kind of component as chemistry sees it: default features and base minutes of drying (s.
    `drying-time`)."""

    component: str
    features: frozenset[str] = field(default_factory=frozenset)
    drying_minutes: float = 5.0


def _strictest(findings: Sequence[Finding]) -> str:
    return max((f.verdict for f in findings), key=VERDICTS.index, default="ok")


def _strictest_engine(
    rules: Sequence[Rule], plain: Situation, engines: Sequence[EngineFacts]
) -> tuple[str, list[Finding]]:
    """The verdict on the engine that is judged hardest of those that it may be, and what is found
    on it; where they differ, that is said too."""
    situations = [replace(plain, engine=e) for e in (engines if plain.asks_engine else engines[:1])]
    found_for = [[f for rule in rules for f in rule(s)] for s in situations]
    verdicts = [_strictest(found) for found in found_for]
    verdict = max(verdicts, key=VERDICTS.index)
    findings = list(found_for[verdicts.index(verdict)])
    if len(set(verdicts)) > 1:
        findings.append(_unknown_engine(situations[verdicts.index(verdict)].engine, verdict))
    if len(situations) > 1:
        # What any engine that it may be must have first is asked for.
        alike = [found for found, v in zip(found_for, verdicts, strict=True) if v == verdict]
        findings = list(dict.fromkeys((*findings, *(f for found in alike for f in found))))
    return verdict, findings


def _unknown_engine(engine: EngineFacts, verdict: str) -> Finding:
    charged = "charged " if engine.charged else ""
    stroke = "two-stroke" if engine.cycle == "two_stroke" else "engine"
    kind = f"{charged}{engine.fuel} {stroke}"
    return Finding(
        rule="engine.not_named",
        verdict=verdict,
        text=(
            f"The engine is not named: of all that it may be the strictest decides, here a {kind}."
        ),
    )


def check_words(field_name: str, words: Sequence[str], known: Mapping[str, str]) -> None:
    """Raise `InputError` for a word that the vocabulary does not have."""
    for word in words:
        require(word in known, field_name, word, allowed=", ".join(known))


def refined(agent: Agent, properties: Mapping[str, bool]) -> Agent:
    """An agent with properties that its label affirms or denies.

    Raises
    ------
    InputError
        An unknown property, or two that can not hold together.
    """
    check_words("properties", list(properties), PROPERTIES)
    held = set(agent.properties)
    for name, holds in properties.items():
        held = held | {name} if holds else held - {name}
    # What the label affirms stands over what its class usually has.
    for a, b in CONTRADICTIONS:
        if properties.get(a) and not properties.get(b):
            held.discard(b)
        elif properties.get(b) and not properties.get(a):
            held.discard(a)
    check_together("properties", sorted(held))
    return replace(agent, properties=frozenset(held))


CONTRADICTIONS: tuple[tuple[str, str], ...] = (
    ("residue_free", "leaves_film"),
    ("plastic_safe", "metal_only"),
    ("plastic_safe", "ketones"),
    ("plastic", "aluminium"),
    ("cable", "electronic"),
    ("upstream", "downstream"),
    ("engine_cold", "engine_warm_running"),
    ("engine_warm_running", "removed"),
    ("engine_warm_running", "battery_off"),
    ("engine_warm_running", "ignition_off"),
)
"""Words that can not hold together, of properties, features and states."""


def check_together(field_name: str, words: Sequence[str]) -> None:
    """Raise `InputError` for two words that can not hold together."""
    for a, b in CONTRADICTIONS:
        if a in words and b in words:
            raise InputError(
                field_name, f"{a} and {b}", "one of the two: they can not hold together"
            )


def judge(
    rules: Sequence[Rule],
    agent: Agent | None,
    way: str,
    *,
    subject: Subject,
    features: Sequence[str],
    state: Sequence[str],
    engine: EngineFacts = EngineFacts(),
) -> Judgement:
    """The verdict on an agent, a way of applying it, a part and its state.

    Parameters
    ----------
    rules : all rules; the strictest finding decides
    agent : the class or product, None only for a dry way
    way : a word of `WAYS`
    subject : the kind of component
    features : this part's own, added to its kind's
    state : words of `STATES` that hold; one that is not named does not hold
    engine : what is known of the engine; where it matters and is not known, the strictest decides

    Raises
    ------
    InputError
        Words that are not known or can not hold together; a wet way without an agent.
    """
    require(way in WAYS, "application", way, allowed=", ".join(WAYS))
    check_words("features", features, FEATURES)
    check_words("state", state, STATES)
    held = set(subject.features)
    for a, b in CONTRADICTIONS:
        # What is said of this part stands over its kind's default.
        held -= {a} if b in features else {b} if a in features else set()
    check_together("features", list(features))
    check_together("state", list(state))
    require(
        agent is not None or way in DRY_WAYS,
        "class",
        None,
        allowed="an agent's class, as this way brings one",
    )
    plain = Situation(
        agent=None if way in DRY_WAYS else agent,
        way=way,
        component=subject.component,
        features=frozenset(held | set(features)),
        state=frozenset(state),
    )
    verdict, findings = _strictest_engine(rules, plain, possible_engines(engine))
    # Beside a plain no, conditions would read as a way round it.
    told = [f for f in findings if verdict != "no" or f.verdict == "no"]
    conditions = tuple(dict.fromkeys(c for f in told for c in f.conditions))
    protection = tuple(dict.fromkeys(p for f in findings for p in f.protection))
    if plain.agent is not None:
        protection = tuple(dict.fromkeys((*plain.agent.protection, *protection)))
    minutes = (
        subject.drying_minutes
        if plain.wet and plain.agent is not None and plain.agent.drying and verdict != "no"
        else 0.0
    )
    reasons = tuple(
        Reason(f.rule, f.text) for f in sorted(told, key=lambda f: -VERDICTS.index(f.verdict))
    )
    if not reasons:
        reasons = (Reason("nothing_against", "No rule stands against it."),)
    return Judgement(
        verdict=verdict,
        reasons=reasons,
        conditions=conditions,
        protective_equipment=protection,
        drying_minutes=minutes,
    )
