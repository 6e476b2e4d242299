"""The JSON contracts of calculations, assessments, scopes and judgements: checked for shape here,
judged in the core."""

from collections.abc import Mapping
from dataclasses import is_dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from galene.core.airpath.access import scope, ways_in
from galene.core.airpath.family import EngineFamily
from galene.core.calculations.catalogue import CALCULATIONS, as_plain
from galene.core.calculations.declaring import check_sizes
from galene.core.chemistry.judge import (
    CHARGED_BY,
    Agent,
    EngineFacts,
    engine_of,
    judge,
    refined,
)
from galene.core.chemistry.rules import RULES
from galene.core.diagnosis.assess import assess
from galene.core.errors import InputError
from galene.core.text_gate import check_values
from galene.core.units import with_contract_units
from galene.knowledge.agents import AGENTS, subject_of
from galene.knowledge.base import KNOWLEDGE, case_from, outline_of
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES

MOST_NAMES = 200
"""How many names of parts, codes, findings a list of a contract may hold."""
Names = Annotated[list[str], Field(max_length=MOST_NAMES)]


class Strict(BaseModel):
    """No field that the contract does not know, no figure that is not one."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class State(Strict):
    """A state with its confidence."""

    state: Literal["present", "absent", "unknown"]
    confidence: float = Field(1.0, ge=0.5, le=1.0)


class Engine(Strict):
    """A family, or what the engine has."""

    family: str | None = None
    components: Names | None = None
    fuel: Literal["petrol", "diesel"] = "petrol"
    injection: Literal["port", "direct"] = "port"
    cycle: Literal["four_stroke", "two_stroke"] = "four_stroke"
    throttle: Literal["cable", "electronic", "none"] = "electronic"


class CaseFile(Strict):
    """What is known of one vehicle."""

    engine: Engine
    distance_km: float | None = Field(None, ge=0)
    hours: float | None = Field(None, ge=0)
    duty: Names = []
    evidence: Annotated[
        dict[str, State | Literal["present", "absent", "unknown"]], Field(max_length=MOST_NAMES)
    ] = {}
    codes: Names = []
    access_open: Names = []
    done_checks: Names = []


class ScopeFile(Strict):
    """Parts to reach, and what is open already."""

    family: str
    components: Annotated[Names, Field(min_length=1)]
    open: Names = []


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
    features: Names = []
    state: Names = []
    properties: Annotated[dict[str, bool], Field(max_length=MOST_NAMES)] = {}
    family: str | None = None
    engine: JudgedEngine | None = None


def _first_fault(fault: ValidationError) -> InputError:
    error = fault.errors()[0]
    place = ""
    for step in error["loc"]:
        if isinstance(step, int):
            place += f"[{step}]"
        elif not (step[:1].isupper() or step.startswith("literal")):
            place += ("." if place else "") + step
    allowed = {"missing": "a value: this field is needed", "extra_forbidden": "no such field"}.get(
        error["type"], error["msg"]
    )
    value = None if error["type"] == "missing" else error["input"]
    return InputError(place or "(input)", value, allowed)


M = TypeVar("M", bound=BaseModel)


def shaped(model: type[M], given: Any) -> M:
    """What was sent, in the contract's shape.

    Raises
    ------
    InputError
        No JSON object, a figure that is not finite, a field that is missing, unknown or of another
        kind.
    """
    if not isinstance(given, dict):
        raise InputError("(input)", type(given).__name__, "a JSON object")
    check_values(given)
    try:
        found = model.model_validate(given)
    except ValidationError as fault:
        raise _first_fault(fault) from fault
    _check_records(found, "")
    return found


def _check_records(model: BaseModel, where: str) -> None:
    """Hold the lists of records that a contract has in it against what they may hold."""
    for name in type(model).model_fields:
        value = getattr(model, name)
        inner = enumerate(value) if isinstance(value, list) else [(-1, value)]
        for i, one in inner:
            place = f"{where}{name}" + (f"[{i}]" if i >= 0 else "")
            if isinstance(one, BaseModel):
                _check_records(one, f"{place}.")
            elif is_dataclass(one):
                check_sizes(one, f"{place}.")


@lru_cache(maxsize=32)
def _adapter(name: str) -> TypeAdapter[Any]:
    return TypeAdapter(CALCULATIONS[name].takes)


def calculate(name: str, given: Any) -> Any:
    """Run the calculation `name` on plain data, quantities as numbers in the field's unit or as
    texts with a unit.

    Raises
    ------
    InputError
        Unknown name, wrong shape, or figures that can not be.
    """
    if name not in CALCULATIONS:
        raise InputError("name", name, ", ".join(CALCULATIONS))
    if not isinstance(given, dict):
        raise InputError("(input)", type(given).__name__, "a JSON object")
    check_values(given)
    try:
        record = _adapter(name).validate_python(with_contract_units(given))
    except ValidationError as fault:
        raise _first_fault(fault) from fault
    check_sizes(record)
    return as_plain(CALCULATIONS[name].run(record))


def assess_case(given: Any, families: Mapping[str, EngineFamily] = FAMILIES) -> Any:
    """Judge a case file; `families` are the workshop's own where there are any.

    Raises
    ------
    InputError
        Wrong shape, unknown ids, contradictions, a component that the engine lacks.
    """
    case = shaped(CaseFile, given)
    if (case.engine.family is None) == (case.engine.components is None):
        raise InputError("engine", given.get("engine"), "either a family or a list of components")
    family = families.get(case.engine.family or "")
    ways = ways_in(family, case.access_open) if family else None
    result = assess(
        case_from(case.model_dump(), {i: outline_of(f) for i, f in families.items()}),
        KNOWLEDGE,
        access=ways,
    )
    plain = as_plain(result)
    for check in plain["next_checks"]:
        for side in ("if_positive", "if_negative"):
            check[side] = {
                "probability": check[side]["probability"],
                "causes": check[side]["causes"],
            }
    return plain


def scope_of(given: Any, families: Mapping[str, EngineFamily] = FAMILIES) -> Any:
    """Access for a set of parts; `families` are the workshop's own where there are any.

    Raises
    ------
    InputError
        Unknown family, part or operation, naming it.
    """
    wanted = shaped(ScopeFile, given)
    if wanted.family not in families:
        raise InputError("family", wanted.family, ", ".join(families))
    found = scope(families[wanted.family], wanted.components, wanted.open)
    return {
        "operations": [
            {
                "id": o.id,
                "minutes_off": o.minutes_off,
                "minutes_on": o.minutes_on,
                "opens": [x.what for x in o.opens],
                "parts": list(o.consumes),
            }
            for o in found.operations
        ],
        "hands_on_minutes": found.hands_on_minutes,
        "marginal": dict(found.marginal),
        "suggested": [
            {"component": s.component, "minutes": s.minutes, "why": s.why} for s in found.suggested
        ],
    }


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
        charged = True if charged is None and component in CHARGED_BY else charged
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
