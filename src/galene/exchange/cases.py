"""The JSON contract of assessments: a case in, its causes, checks and repairs out."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import Field

from galene.core.airpath.access import ways_in
from galene.core.airpath.family import EngineFamily
from galene.core.calculations.catalogue import as_plain
from galene.core.diagnosis.assess import assess
from galene.core.errors import InputError
from galene.exchange.shapes import MOST_NAMES, Names, Strict, shaped
from galene.knowledge.base import KNOWLEDGE, case_from, outline_of
from galene.knowledge.families import FAMILIES


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
    duty: Names = Field(default_factory=list)
    evidence: Annotated[
        dict[str, State | Literal["present", "absent", "unknown"]], Field(max_length=MOST_NAMES)
    ] = Field(default_factory=dict)
    codes: Names = Field(default_factory=list)
    access_open: Names = Field(default_factory=list)
    done_checks: Names = Field(default_factory=list)


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
