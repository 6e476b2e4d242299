"""The JSON contract of judgements: an agent, a way and a part in, what may be done out."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, Any, Literal

from pydantic import Field

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.chemistry.judge import (
    Agent,
    EngineFacts,
    engine_of,
    judge,
    refined,
)
from galene.core.chemistry.rules import RULES
from galene.core.errors import InputError
from galene.exchange.shapes import MOST_NAMES, Names, Strict, shaped
from galene.knowledge.agents import AGENTS, subject_of
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES


class JudgedEngine(Strict):
    """What is known of the engine that an agent comes near; what is left out may be anything."""

    family: str | None = None
    components: Names | None = None
    fuel: Literal["petrol", "diesel"] | None = None
    injection: Literal["port", "direct"] | None = None
    cycle: Literal["four_stroke", "two_stroke"] | None = None
    throttle: Literal["cable", "electronic", "none"] | None = None
    charged: bool | None = None


class JudgementFile(Strict):
    """An agent, a way, a part, its state, the engine or its family."""

    class_: str | None = Field(None, alias="class")
    product: str | int | None = None
    application: str
    component: str
    features: Names = Field(default_factory=list)
    state: Names = Field(default_factory=list)
    properties: Annotated[dict[str, bool], Field(max_length=MOST_NAMES)] = Field(
        default_factory=dict
    )
    family: str | None = None
    engine: JudgedEngine | None = None


def _engine_judged(wanted: JudgementFile, families: Mapping[str, EngineFamily]) -> EngineFacts:
    """What the file says of the engine: its family's facts, and what is told of the engine
    itself."""
    told = wanted.engine or JudgedEngine()
    if wanted.family is not None and told.family is not None and wanted.family != told.family:
        raise InputError("family", wanted.family, f"one family: the engine names {told.family}")
    name = wanted.family if wanted.family is not None else told.family
    if name is not None:
        if name not in families:
            raise InputError("family", name, ", ".join(families))
        known = engine_of(families[name])
        for word in ("fuel", "injection", "cycle", "charged"):
            said, holds = getattr(told, word), getattr(known, word)
            if said is not None and said != holds:
                raise InputError(f"engine.{word}", said, f"{holds}, as family {name} has it")
        return known
    charged = told.charged
    for component in told.components or ():
        if component not in COMPONENTS:
            raise InputError("engine.components", component, ", ".join(COMPONENTS))
        charged = True if charged is None and kind_is(component, "charged_only") else charged
    return EngineFacts(fuel=told.fuel, injection=told.injection, cycle=told.cycle, charged=charged)


def judgement_of(
    given: Any,
    products: Mapping[str, Agent] = MappingProxyType({}),
    families: Mapping[str, EngineFamily] = FAMILIES,
) -> Any:
    """Whether an agent may touch a part, this way, in this state; `products` are the shelf's own by
    id, `families` those that may be named.

    Raises
    ------
    InputError
        Wrong shape, unknown words, or words that can not hold together.
    """
    wanted = shaped(JudgementFile, given)
    if wanted.component not in COMPONENTS:
        raise InputError("component", wanted.component, ", ".join(COMPONENTS))
    agent = None
    if wanted.class_ is not None and wanted.product is not None:
        raise InputError("product", wanted.product, "either a class or a product")
    if wanted.class_ is not None:
        if wanted.class_ not in AGENTS:
            raise InputError("class", wanted.class_, ", ".join(AGENTS))
        agent = AGENTS[wanted.class_].agent
    elif wanted.product is not None:
        if str(wanted.product) not in products:
            raise InputError(
                "product",
                wanted.product,
                ", ".join(products) or "a product of the workshop's shelf",
            )
        agent = products[str(wanted.product)]
    if agent is not None and wanted.properties:
        agent = refined(agent, wanted.properties)
    engine = _engine_judged(wanted, families)
    found = judge(
        RULES,
        agent,
        wanted.application,
        subject=subject_of(wanted.component),
        features=wanted.features,
        state=wanted.state,
        engine=engine,
    )
    return {
        "verdict": found.verdict,
        "reasons": [{"rule": r.rule, "text": r.text} for r in found.reasons],
        "conditions": list(found.conditions),
        "protective_equipment": list(found.protective_equipment),
        "drying_minutes": found.drying_minutes,
    }
