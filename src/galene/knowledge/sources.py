"""Where what decides something is from: standard and clause, textbook, physics, labels, practice,
or our own default."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import product
from typing import Any, Literal

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.threads import HEADS, most_torque_nm
from galene.core.calculations.egr_flow_test import PLUGGED_BELOW, RESTRICTED_BELOW, TOO_OPEN
from galene.core.calculations.ingestion_limit import LEAST_PAUSE_S, REFUSE_SHARE, WARN_SHARE
from galene.core.calculations.key_on_agreement import WEATHER_KPA
from galene.core.calculations.oxygen_response import RICH_V, SLOW_S
from galene.core.calculations.sensor_line import LINE_SLACK
from galene.core.chemistry.judge import (
    DRY_WAYS,
    POSSIBLE_ENGINES,
    STATES,
    WAYS,
    Situation,
)
from galene.core.chemistry.rules import RULES
from galene.knowledge.agents import AGENTS, subject_of
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.codes import GROUPS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.documents import read

Kind = Literal["standard", "textbook", "physics", "label", "practice", "default"]
KIND_WORDS: dict[Kind, str] = {
    "standard": "standard",
    "textbook": "textbook",
    "physics": "physics",
    "label": "label",
    "practice": "workshop practice",
    "default": "this project's default",
}


@dataclass(frozen=True, kw_only=True)
class Source:
    """Where something is from. A `default` is this project's own figure, to be corrected by use."""

    kind: Kind
    text: str = ""


@dataclass(frozen=True, kw_only=True)
class Fact:
    """One thing that is held true of a part: what, why, and where from."""

    subject: str
    text: str
    why: str
    source: Source


RULE_SOURCES: dict[str, Source] = read("sources.toml", dict[str, Source], "rules")
"""Rule of chemistry, by its function's name, to where it is from."""
OWN = Source(kind="default", text="workshop judgement, to be corrected by confirmed cases")
FIGURES: tuple[tuple[tuple[str, ...], str, object, Source], ...] = (
    (
        ("egr_passage", "egr_valve"),
        "Share of the clean passage under which it counts as plugged, %",
        PLUGGED_BELOW,
        OWN,
    ),
    (
        ("egr_passage", "egr_valve"),
        "Share of the clean passage under which it counts as restricted, %",
        RESTRICTED_BELOW,
        OWN,
    ),
    (
        ("egr_passage", "egr_valve"),
        "Manifold over ambient from which no flow is reckoned",
        TOO_OPEN,
        Source(kind="textbook", text="orifice equation, Heywood app. C"),
    ),
    (
        (
            "map_sensor",
            "boost_sensor",
            "barometric_sensor",
            "exhaust_pressure_sensor",
            "crankcase_pressure_sensor",
        ),
        "How far weather moves the air from its height's standard, kPa",
        WEATHER_KPA,
        Source(kind="standard", text="ISO 2533 is a mean"),
    ),
    (
        ("oxygen_sensor",),
        "Seconds from 0.3 to 0.6 V from which a sensor is slow",
        SLOW_S,
        Source(kind="practice", text="narrow-band zirconia sensors"),
    ),
    (
        ("oxygen_sensor",),
        "Volts above which a steady signal says rich",
        RICH_V,
        Source(kind="physics", text="Nernst voltage about 0.45 V at lambda 1"),
    ),
    (
        ("intake_ports", "intake_manifold", "throttle_body"),
        "Share of a clearance from which a burst is warned of",
        WARN_SHARE,
        OWN,
    ),
    (
        ("intake_ports", "intake_manifold", "throttle_body"),
        "Share of a clearance from which a burst is refused",
        REFUSE_SHARE,
        OWN,
    ),
    (
        ("intake_ports", "intake_manifold"),
        "Least pause between bursts on a diesel, s",
        LEAST_PAUSE_S,
        OWN,
    ),
    (
        ("map_sensor", "boost_sensor", "egr_dp_sensor"),
        "Share of the supply by which a reading may leave its line",
        LINE_SLACK,
        OWN,
    ),
)
"""Thresholds that a verdict hangs on, with the parts that they judge; read from the code that uses
them."""


def _name(rule: Callable[..., Any]) -> str:
    return getattr(rule, "__name__", "")


@lru_cache(maxsize=64)
def chemistry_of(component: str) -> tuple[Fact, ...]:
    """Every sentence that a rule of chemistry can say of a kind of part, once each."""
    subject = subject_of(component)
    every: tuple[frozenset[str], ...] = (
        frozenset(),
        frozenset(STATES) - {"engine_warm_running"},
        frozenset({"engine_warm_running", "ventilated"}),
    )
    marks: tuple[frozenset[str], ...] = (
        frozenset(),
        frozenset({"electronic", "coated_bore"}),
        frozenset({"cable", "faces_down"}),
    )
    found: dict[str, Fact] = {}
    agents = [None, *(a.agent for a in AGENTS.values())]
    for agent, way in product(agents, WAYS):
        if (agent is None) != (way in DRY_WAYS):
            continue
        for state, more in product(every, marks if component == "throttle_body" else marks[:1]):
            for engine in POSSIBLE_ENGINES if way == "running_ingestion" else POSSIBLE_ENGINES[-1:]:
                here = Situation(
                    agent=agent,
                    way=way,
                    component=component,
                    features=subject.features | more,
                    state=state,
                    engine=engine,
                )
                for rule in RULES:
                    for finding in rule(here):
                        if finding.rule == "way.not_made_for":
                            continue
                        found.setdefault(
                            finding.rule,
                            Fact(
                                subject=(rule.__doc__ or "").strip().partition(":")[0].rstrip("."),
                                text=finding.text,
                                why="",
                                source=RULE_SOURCES[_name(rule)],
                            ),
                        )
    return tuple(found.values())


def diagnosis_of(component: str) -> tuple[Fact, ...]:
    """Causes of a kind of part, what shows them, and how likely they are taken to be."""
    found = []
    for cause in KNOWLEDGE.causes.values():
        if component not in (*cause.components, cause.component):
            continue
        shown = sorted(
            ((e.links[cause.id], e) for e in KNOWLEDGE.evidence.values() if cause.id in e.links),
            key=lambda pair: -pair[0],
        )
        signs = "; ".join(f"{e.text} ({strength:.0%}: {e.ground})" for strength, e in shown[:4])
        found.append(
            Fact(
                subject=cause.title,
                text=f"In {cause.prior:.1%} of cars with a complaint.",
                why=signs,
                source=OWN,
            )
        )
    codes = Source(
        kind="standard",
        text="SAE J2012, ISO 15031-6: what a code says; what it does not is practice",
    )
    found += [
        Fact(subject=group.title, text=group.says, why=group.says_not, source=codes)
        for group in GROUPS.values()
        if group.component == component
    ]
    return tuple(found)


def figures_of(component: str, families: Mapping[str, EngineFamily]) -> tuple[Fact, ...]:
    """Figures that a verdict on a kind of part hangs on: thresholds, drying, torques, bands."""
    found = [
        Fact(
            subject=text,
            text=f"{value:g}" if isinstance(value, float | int) else str(value),
            why="",
            source=source,
        )
        for parts, text, value, source in FIGURES
        if component in parts
    ]
    minutes = subject_of(component).drying_minutes
    found.append(
        Fact(
            subject="Drying at 20 °C",
            text=f"{minutes:g} min, never less than the label",
            why="shorter warm, longer cold: vapour pressure by Antoine's equation",
            source=Source(kind="default", text="minutes; the way with temperature is physics"),
        )
    )
    for family in families.values():
        ids = {p.id for p in family.parts if p.component == component}
        for fastener in family.all_fasteners:
            if fastener.part in ids and fastener.torque_nm is not None:
                most = most_torque_nm(fastener)
                bears = (
                    f"{HEADS[fastener.driver]} of class 8.8 bears {most:g} N m"
                    if most
                    else "its own thread"
                )
                found.append(
                    Fact(
                        subject=(
                            f"{family.id}: {fastener.count} × {fastener.what}, {fastener.driver}"
                        ),
                        text=f"{fastener.torque_nm:g} N m",
                        why=bears,
                        source=Source(
                            kind="standard",
                            text="VDI 2230 sheet 1, table A1" if most else "family entry",
                        ),
                    )
                )
    return tuple(found)


def facts_of(component: str, families: Mapping[str, EngineFamily]) -> dict[str, tuple[Fact, ...]]:
    """What is held true of a kind of part, by subject.

    Raises
    ------
    KeyError
        No such kind.
    """
    if component not in COMPONENTS:
        raise KeyError(component)
    return {
        "Chemistry": chemistry_of(component),
        "Diagnosis": diagnosis_of(component),
        "Figures": figures_of(component, families),
    }
