"""The JSON contract of plans: a case in, steps, relearns, proof, minutes, pick list and price
out."""

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.planning.case import Case
from galene.core.planning.planner import planned
from galene.core.planning.records import (
    NOTHING,
    Air,
    OpenItem,
    PartWork,
    Plan,
    Record,
    StateWords,
    Step,
)
from galene.core.planning.uses import Used, uses_of
from galene.core.planning.verify import verify
from galene.core.planning.words import (
    Battery,
    Codes,
    Coolant,
    Engine,
    FuelLine,
    Heat,
    Place,
    Work,
)
from galene.exchange.shapes import shaped
from galene.knowledge.bill import PriceList, bill_of
from galene.knowledge.components import DEPOSIT_KINDS
from galene.knowledge.families import FAMILIES
from galene.knowledge.hazards import HAZARDS
from galene.knowledge.policy import BY_LETTER, DEFAULT_POLICY
from galene.knowledge.treatment import Circumstances, judged_use, trade_for

MOST_PARTS = 60
MOST_ANSWERS = 500


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class PartFile(_Strict):
    """A part of the scope."""

    part: str = Field(max_length=60, description="Part id of the family, or a kind it has once")
    work: Work = "clean"
    grade: int | None = Field(None, ge=0, le=4)
    kind: str = Field("", max_length=40, description="Kind of deposit, empty where not known")


class AirFile(_Strict):
    """The bay's air."""

    temperature_c: float = Field(20.0, ge=-20, le=60)
    humidity: float = Field(0.5, ge=0, le=0.98)


class StateFile(_Strict):
    """State words of the car; a word that is left out is as usual."""

    battery: Battery | None = None
    engine: Engine | None = None
    heat: Heat | None = None
    coolant: Coolant | None = None
    fuel_line: FuelLine | None = None
    codes: Codes | None = None
    before_set: bool | None = None
    place: dict[str, Place] = Field(default_factory=dict, max_length=MOST_PARTS)

    def words(self) -> StateWords:
        """As the core's record."""
        return StateWords(
            battery=self.battery,
            engine=self.engine,
            heat=self.heat,
            coolant=self.coolant,
            fuel_line=self.fuel_line,
            codes=self.codes,
            before_set=self.before_set,
            place=dict(self.place),
        )


class PlanFile(_Strict):
    """A case to plan."""

    model_config = ConfigDict(
        extra="forbid",
        allow_inf_nan=False,
        json_schema_extra={
            "examples": [
                {
                    "family": "D",
                    "parts": [{"part": "egr_valve", "work": "clean", "grade": 3, "kind": "soot"}],
                    "policy": {"G": "reuse"},
                    "air": {"temperature_c": 14, "humidity": 0.68},
                    "start": {"heat": "warm", "before_set": True},
                    "answers": {"egr_valve:look/pale": "no"},
                }
            ]
        },
    )
    family: str = Field(max_length=40)
    parts: list[PartFile] = Field(min_length=1, max_length=MOST_PARTS)
    policy: dict[str, str] = Field(default_factory=dict, max_length=40)
    air: AirFile = Field(default_factory=AirFile)
    start: StateFile = Field(default_factory=StateFile)
    answers: dict[str, str] = Field(default_factory=dict, max_length=MOST_ANSWERS)
    distance_km: float | None = Field(None, ge=0, le=10_000_000)
    duty: list[str] = Field(default_factory=list, max_length=40)
    codes: list[str] = Field(default_factory=list, max_length=60)


class ErrorAnswer(BaseModel):
    """Why a case can not be planned."""

    error: str
    field: str
    value: str
    allowed: str


class StepAnswer(BaseModel):
    """A step of the plan; see docs/formats for the words of `needs` and `does`."""

    id: str
    text: str
    why: str
    part: str | None
    phase: str
    work: str | None
    act: str
    minutes: float
    needs: dict[str, Any]
    does: dict[str, Any]
    opens: list[dict[str, Any]]
    closes: list[str]
    takes_off: list[str]
    refits: list[str]
    sends: list[str]
    receives: list[str]
    wets: list[dict[str, Any]]
    wait: dict[str, Any] | None
    waits_for: list[str]
    agent: dict[str, Any] | None
    records: list[dict[str, Any]]
    cautions: list[str]
    tools: list[str]
    fasteners: list[str]
    consumes: list[str]
    note: str
    name: str
    turn: int
    operation: str | None
    cylinders: list[int]
    acts: list[str]
    through: list[str]
    on: list[str]
    dirties: list[str]
    judges_clean: list[str]
    seals: list[str]
    sees: list[str]
    uses: list[dict[str, Any]]


class RelearnAnswer(BaseModel):
    """A relearn, run in the state that the step before it leaves."""

    id: str
    after: str
    needs: dict[str, Any]


class ProofAnswer(BaseModel):
    """A test that is to show the gain."""

    test: str
    why: str


class MinutesAnswer(BaseModel):
    """Minutes with hands on, and from the first step to the last."""

    hands_on: float
    elapsed: float


class PlanAnswer(BaseModel):
    """The plan of a case."""

    steps: list[StepAnswer]
    relearns: list[RelearnAnswer]
    proof: list[ProofAnswer]
    minutes: MinutesAnswer
    parts: list[dict[str, Any]]
    agents: list[dict[str, Any]]
    tools: list[str]
    price: dict[str, Any]
    held: dict[str, str] | None = None


def plan_of(given: Any, families: Mapping[str, EngineFamily] = FAMILIES) -> dict[str, Any]:
    """Plan a case file; `families` are the workshop's own where there are any.

    Raises
    ------
    InputError
        Wrong shape, unknown ids, work that is not done on such a part, no way in to it.
    """
    wanted = shaped(PlanFile, given)
    case, family = _case(wanted, families)
    trade = trade_for(
        family,
        Circumstances(
            policy=case.policy,
            distance_km=wanted.distance_km,
            codes=wanted.codes,
            duty=wanted.duty,
        ),
    )
    plan = planned(case, trade, wanted.answers)
    answered = [
        i for i, s in enumerate(plan.steps, 1) if {r.id for r in s.records} & set(wanted.answers)
    ]
    found = verify(
        plan,
        family,
        case.start,
        judge=judged_use,
        hazards=HAZARDS,
        done=max(answered, default=0),
    )
    if found:
        first = found[0]
        raise InputError("parts", first.step, f"a plan that holds; rule {first.rule}: {first.text}")
    return plan_document(plan, family)


def _case(wanted: PlanFile, families: Mapping[str, EngineFamily]) -> tuple[Case, EngineFamily]:
    if wanted.family not in families:
        raise InputError("family", wanted.family, ", ".join(families))
    family = families[wanted.family]
    for letter, choice in wanted.policy.items():
        if letter not in BY_LETTER:
            raise InputError("policy", letter, ", ".join(BY_LETTER))
        choices = dict(BY_LETTER[letter].choices)
        if choice not in choices:
            raise InputError(f"policy.{letter}", choice, ", ".join(choices))
    for i, part in enumerate(wanted.parts):
        if part.kind and part.kind not in DEPOSIT_KINDS:
            raise InputError(f"parts[{i}].kind", part.kind, ", ".join(DEPOSIT_KINDS))
    for part_id in wanted.start.place:
        family.part(part_id)
    if any(where != "mounted" for where in wanted.start.place.values()):
        raise InputError(
            "start.place", "off", "parts that are mounted: a plan begins at the whole car"
        )
    case = Case(
        family=family,
        works=tuple(
            PartWork(part=p.part, work=p.work, grade=p.grade, kind=p.kind) for p in wanted.parts
        ),
        policy={**DEFAULT_POLICY, **family.maker_says, **wanted.policy},
        air=Air(temperature_c=wanted.air.temperature_c, humidity=wanted.air.humidity),
        start=wanted.start.words(),
    )
    return case, family


def plan_document(
    plan: Plan, family: EngineFamily, prices: PriceList | None = None
) -> dict[str, Any]:
    """A plan as the contract's plain data."""
    bill = bill_of(plan, family, prices or PriceList())
    document: dict[str, Any] = {
        "steps": [_step(s) for s in plan.steps],
        "relearns": [
            {"id": r.id, "after": r.after, "needs": _words(r.needs)} for r in plan.relearns
        ],
        "proof": [{"test": t.test, "why": t.why} for t in plan.proof],
        "minutes": {"hands_on": plan.hands_on_minutes, "elapsed": plan.elapsed_minutes},
        "parts": [
            {"part": p.part, "work": p.work, "minutes": p.minutes, "left_out": p.left_out}
            for p in plan.parts
        ],
        "agents": [
            {
                "class": a.class_id,
                "title": a.title,
                "ml": a.ml,
                "price": round(a.price, 2),
                "label": list(a.label),
            }
            for a in bill.agents
        ],
        "tools": list(bill.tools),
        "price": {
            "labour": round(bill.labour, 2),
            "spares": [
                {"id": s.id, "name": s.name, "number": s.number, "price": s.price}
                for s in bill.spares
            ],
            "parts": round(bill.spares_price, 2),
            "agents": round(bill.agents_price, 2),
            "total": round(bill.total, 2),
            "unknown": [s.id for s in bill.spares if s.price is None],
        },
    }
    if plan.held:
        document["held"] = {"record": plan.held.record, "why": plan.held.why}
    return document


def _words(words: StateWords) -> dict[str, Any]:
    if words is NOTHING:
        return {}
    found: dict[str, Any] = {
        name: value
        for name in (
            "battery",
            "engine",
            "heat",
            "coolant",
            "fuel_line",
            "codes",
            "before_set",
        )
        if (value := getattr(words, name)) is not None
    }
    if words.place:
        found["place"] = dict(words.place)
    return found


def _item(item: OpenItem) -> dict[str, Any]:
    return {
        "id": item.id,
        "what": item.what,
        "kind": item.kind,
        "inside": item.inside,
        "on": item.on,
        "while_running": item.while_running,
        "count": item.count,
        "before": item.before,
        "dangerous": item.dangerous,
        "operation": item.operation or None,
        "turn": item.turn,
        "cylinder": item.cylinder,
        "mouth": item.mouth or None,
        "by_hand": item.by_hand,
    }


def _record(record: Record) -> dict[str, Any]:
    consequences = {
        c.answer: {
            "kind": c.kind,
            "text": c.text,
            **({"parts": list(c.parts)} if c.parts else {}),
            **({"then": c.then} if c.kind == "again" else {}),
        }
        for c in record.consequences
    }
    found: dict[str, Any] = {
        "id": record.id,
        "kind": record.kind,
        "label": record.label,
        "consequence": consequences,
    }
    if record.quantity:
        found |= {"quantity": record.quantity, "least": record.least, "most": record.most}
    return found


def _step(step: Step) -> dict[str, Any]:
    agent, wait = step.agent, step.wait
    return {
        "id": step.id,
        "text": step.text,
        "why": step.why,
        "part": step.part or None,
        "phase": step.phase,
        "work": step.work,
        "act": step.act,
        "minutes": step.minutes,
        "needs": _words(step.needs),
        "does": _words(step.does),
        "opens": [_item(i) for i in step.opens],
        "closes": list(step.closes),
        "takes_off": list(step.takes_off),
        "refits": list(step.refits),
        "sends": list(step.sends),
        "receives": list(step.receives),
        "wets": [
            {"part": w.part, "agent": w.agent, "way": w.way, "dry_minutes": w.dry_minutes}
            for w in step.wets
        ],
        "wait": {"id": wait.id, "minutes": wait.minutes, "why": wait.why} if wait else None,
        "waits_for": list(step.waits_for),
        "agent": (
            {
                "class": agent.class_id,
                "way": agent.way,
                "ml": agent.ml,
                "properties": list(agent.properties),
                "label": list(agent.label),
            }
            if agent
            else None
        ),
        "records": [_record(r) for r in step.records],
        "cautions": list(step.cautions),
        "tools": list(step.tools),
        "fasteners": list(step.fasteners),
        "consumes": list(step.consumes),
        "note": step.note,
        "name": step.name,
        "turn": step.turn,
        "operation": step.opening or step.closing or None,
        "cylinders": list(step.cylinders),
        "acts": list(step.acts),
        "through": list(step.through),
        "on": list(step.on),
        "dirties": list(step.dirties),
        "judges_clean": list(step.judges_clean),
        "seals": list(step.seals),
        "sees": list(step.sees),
        "uses": [_used(u) for u in uses_of(step)],
    }


def _used(use: Used) -> dict[str, Any]:
    return {"id": use.id, "ml": use.ml} if use.ml else {"id": use.id, "count": use.count}
