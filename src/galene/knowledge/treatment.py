"""How the trade treats a part of a car under its schools: kind of work, procedure, tags, agent."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from itertools import combinations, product
from types import MappingProxyType

from galene.core.airpath.family import EngineFamily, Part
from galene.core.chemistry.judge import (
    FEATURES,
    POSSIBLE_ENGINES,
    EngineFacts,
    Judgement,
    engine_of,
    judge,
    refined,
)
from galene.core.chemistry.rules import RULES
from galene.core.errors import InputError
from galene.core.planning.case import FindKind, Trade, Treatment
from galene.core.planning.policy_keys import (
    CODED_METER,
    HEALTHY_SENSOR,
    OXYGEN_SENSOR,
    SEALS,
    THROTTLE_PLACE,
)
from galene.core.planning.procedure import PartProcedure
from galene.core.planning.records import AgentUse, PartWork
from galene.core.planning.words import Work
from galene.core.proof.relearn import RelearnTemplate
from galene.knowledge.agents import AGENTS, DRYING_MINUTES, subject_of
from galene.knowledge.codes import code_meaning
from galene.knowledge.components import COMPONENTS
from galene.knowledge.found import FOUND
from galene.knowledge.hazards import HAZARDS
from galene.knowledge.methods import METHODS, PREPARED, agents_for
from galene.knowledge.policy import (
    REPLACE_FROM_KM,
    drawn_through_a_line,
    tags_of,
    way_in_place,
)
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.proofs import PROOFS
from galene.knowledge.relearns import RELEARNS, with_holds

RUNNING = ("engine_warm_running", "ventilated")
"""What a running procedure brings about before its agent is drawn in."""
BARE_BORE = "bare_bore"
"""Of a family's throttle it is known: where its entry names no coating, it has none."""
CAST_IN = frozenset({"intake_ports", "egr_dp_ports", "egr_passage", "crankcase"})
"""Kinds that are part of a larger casting, but where the family's store holds one."""
LABEL_WORDS = ("coating_safe", "oxygen_sensor_safe", "aluminium_safe")
"""What only a product's own label can say: unknown of every class, and unknown is no."""
LABEL_CHOICES: tuple[tuple[str, ...], ...] = tuple(
    words for size in range(len(LABEL_WORDS) + 1) for words in combinations(LABEL_WORDS, size)
)
EVERY_LABEL: Mapping[str, bool] = MappingProxyType(dict.fromkeys(LABEL_WORDS, True))
LAID_OPEN = frozenset({"opened", "soak", "blast", "hand", "bath_own", "bath_out"})
"""Tags of treatments that upkeep does without."""
FLUSHED = frozenset({"egr_valve", "egr_passage", "intake_manifold", "intake_ports"})
RELEARNED: dict[str, str] = {
    "throttle_body": "the family's own",
    "idle_air_valve": "the family's own",
    "egr_valve": "egr_valve_zero",
    "runner_actuator": "runner_flap_adaptation",
    "runner_flaps": "runner_flap_adaptation",
    "egr_dp_sensor": "differential_zero",
    "egr_dp_ports": "differential_zero",
}
"""Kinds of part with something that the control unit learns anew."""


@dataclass(frozen=True, kw_only=True)
class Circumstances:
    """What a car's schools and history say: policy by letter, distance, codes stored."""

    policy: Mapping[str, str]
    distance_km: float | None = None
    codes: Collection[str] = ()
    duty: Collection[str] = ()


@dataclass(frozen=True, kw_only=True)
class ChosenAgent:
    """The agent that a part is treated with, the way, and what the rules say of it there."""

    class_id: str
    way: str
    judgement: Judgement
    label: Mapping[str, bool] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Treater:
    """`Treat` for one car: procedures in force, its schools, its family."""

    family: EngineFamily
    now: Circumstances
    procedures: Mapping[str, PartProcedure] = field(default_factory=lambda: PROCEDURES)
    own: Collection[str] = ()
    """Procedures that the workshop has written itself: their agents are judged step by step."""

    def __call__(self, work: PartWork, *, off: bool, opened: bool) -> Treatment:
        """See `Treat`."""
        part = self.family.part(work.part)
        if work.work == "replace" and self._cast_in(part):
            raise InputError(
                "work", work.work, f"work that is done on {part.label.lower()}: it is cast in"
            )
        work = replace(work, part=part.id, work=self.work_of(part, work.work))
        tags = self.tags(part, work, off=off, opened=opened)
        wants_off = self.wants_off(part, work)
        procedure = self.procedure_for(part, work.work, tags)
        if work.work in ("replace", "inspect", "repair", "adjust", "upkeep"):
            if not any(work.work in s.works and set(s.when) <= tags for s in procedure.steps):
                raise InputError(
                    "work", work.work, f"work that is done on {part.label.lower()}: clean, inspect"
                )
            drawn = self._agent(part, tags) if work.work == "upkeep" else None
            return Treatment(
                part=part.id,
                work=work,
                procedure=procedure,
                tags=tags,
                agent=drawn.class_id if drawn else "",
                label=drawn.label if drawn else {},
                off=wants_off,
            )
        agent = self._agent(part, tags)
        if agent is None and agents_for(part, tags, self.now.policy):
            look = replace(work, work="inspect")
            procedure = self.procedures.get(part.component, self.procedures["inspect_only"])
            return Treatment(part=part.id, work=look, procedure=procedure, tags=tags)
        instead = self._stand_ins(part, procedure, tags, agent=agent)
        return Treatment(
            part=part.id,
            work=work,
            procedure=procedure,
            tags=tags,
            instead=instead,
            agent=agent.class_id if agent else "",
            label=agent.label if agent else {},
            off=wants_off,
        )

    def _cast_in(self, part: Part) -> bool:
        """Whether a part is a way in a casting, for which there is no new one."""
        priced = any(s.id == part.id for s in self.family.spares)
        return part.component in CAST_IN and not priced

    def _agent(self, part: Part, tags: frozenset[str]) -> ChosenAgent | None:
        return chosen_agent(part, tags, self.now.policy, engine=engine_of(self.family))

    def work_of(self, part: Part, work: Work) -> Work:
        """The kind of work, as schools B, O and P and the kind of part decide it.

        Raises
        ------
        InputError
            Upkeep or a relearn of a kind of part that has none.
        """
        if work == "clean" and self.replaced_by_school(part):
            return "replace"
        if work == "clean" and part.component == "oxygen_sensor":
            # Drawn in before the catalyst, the product does not reach the sensor behind it.
            behind = (
                "downstream" in part.features and self.now.policy.get(OXYGEN_SENSOR) == "ingestion"
            )
            return "inspect" if behind else "upkeep"
        if work == "relearn" and part.component not in RELEARNED:
            raise InputError(
                "work", work, f"work that is done on {part.label.lower()}: it learns nothing"
            )
        return work

    def replaced_by_school(self, part: Part) -> str:
        """The letter of the school that has this part replaced, empty where none does."""
        policy, far = self.now.policy, (self.now.distance_km or 0) >= REPLACE_FROM_KM
        coded = any(code_meaning(c).group == "code_maf" for c in self.now.codes)
        if part.component == "maf_sensor" and policy.get(CODED_METER) == "replace" and coded:
            return "B"
        if part.component == "oxygen_sensor":
            upstream = "downstream" not in part.features
            return "P" if upstream and far and policy.get(OXYGEN_SENSOR) == "replace" else ""
        if COMPONENTS[part.component].sensor and far and policy.get(HEALTHY_SENSOR) == "replace":
            return "O"
        return ""

    def wants_off(self, part: Part, work: PartWork) -> bool:
        """School F: the throttle off the engine."""
        if part.component != "throttle_body" or work.work != "clean":
            return False
        held = {"always_off": True, "always_on": False}.get(self.now.policy.get(THROTTLE_PLACE, ""))
        return held if held is not None else (work.grade or 0) >= 3 or "faces_down" in part.features

    def tags(self, part: Part, work: PartWork, *, off: bool, opened: bool) -> frozenset[str]:
        """Tags by the schools, and those that are facts of this car."""
        chosen = tags_of(
            self.family,
            part,
            work.grade,
            distance_km=self.now.distance_km,
            policy=self.now.policy,
            deposit=work.kind,
            opened=opened,
        )
        if work.work == "upkeep":
            chosen = frozenset({upkeep_tag(self.family, part, self.now.policy)}) | (
                chosen - LAID_OPEN - {"leave"}
            )
        heavy = work.grade is not None and work.grade >= 3
        return (
            chosen
            | facts_of(self.family, part)
            | {
                "off_engine" if off else "on_engine",
                "heavy" if heavy else "light",
                "oily" if work.kind in ("oil_film", "oil_carbon") else "not_oily",
                "seal_reuse" if self.now.policy.get(SEALS) == "reuse" else "seal_new",
            }
        )

    def procedure_for(self, part: Part, work: Work, tags: frozenset[str]) -> PartProcedure:
        """The procedure that does a kind of work on a part: a shared one, or its kind's own."""
        shared = way_in_place(tags) if work in ("clean", "upkeep") else ""
        own = self.procedures.get(part.component)
        return self.procedures[shared] if shared else own or self.procedures["inspect_only"]

    def _stand_ins(
        self,
        part: Part,
        procedure: PartProcedure,
        tags: frozenset[str],
        *,
        agent: ChosenAgent | None,
    ) -> dict[str, str]:
        """Agents of the procedure's steps that others stand in for, as schools or rules have it."""
        method = METHODS.get(procedure.component)
        if agent is None or method is None or not method.agent:
            return {}
        found = {method.agent: agent.class_id} if agent.class_id != method.agent else {}
        if procedure.component in self.own:
            features = [f for f in part.features if f in FEATURES]
            named = {s.agent for s in procedure.steps if s.agent and s.agent != method.agent}
            found |= {
                a: agent.class_id
                for a in sorted(named)
                if forbidden(part.component, procedure.component, a, features=features)
            }
        return found


def upkeep_tag(family: EngineFamily, part: Part, policy: Mapping[str, str]) -> str:
    """The tag of the upkeep that reaches a kind of part with nothing taken off.

    Raises
    ------
    InputError
        None reaches it.
    """
    if part.component == "oxygen_sensor":
        return "vacuum_line" if drawn_through_a_line(family, part, policy) else "tank"
    if part.component == "intake_ports" and family.fuel == "petrol":
        if family.cycle == "four_stroke":
            return "upkeep"
    elif part.component in FLUSHED and family.cycle == "four_stroke":
        return "in_place"
    raise InputError(
        "work", "upkeep", f"work that is done on {part.label.lower()}: no upkeep reaches it"
    )


def facts_of(family: EngineFamily, part: Part) -> frozenset[str]:
    """Tags that are facts of this car: what its steps may say without being false on it."""
    throttle = next((p for p in family.parts if p.component == "throttle_body"), None)
    features = set(throttle.features) if throttle else set()
    driven = "electronic" if "electronic" in features else "cable"
    if throttle and not features & {"electronic", "cable"}:
        driven = family.throttle if family.throttle in ("electronic", "cable") else "cable"
    own = driven if part.component == "throttle_body" else ""
    return frozenset(
        t
        for t in (
            own,
            family.fuel,
            family.cycle,
            "faces_down" if "faces_down" in features else "level_throttle",
        )
        if t
    )


def judged(
    class_id: str,
    way: str,
    component: str,
    *,
    features: Sequence[str],
    state: Sequence[str],
    label: Mapping[str, bool] = MappingProxyType({}),
    engine: EngineFacts = EngineFacts(),
) -> Judgement:
    """The rules on a class of agent, or on a product of it whose label affirms or denies
    `label`."""
    return _judged(
        class_id,
        way,
        component,
        features=tuple(features),
        state=(*state, BARE_BORE),
        label=tuple(sorted(label.items())),
        engine=engine,
    )


@lru_cache(maxsize=4096)
def _judged(
    class_id: str,
    way: str,
    component: str,
    *,
    features: tuple[str, ...],
    state: tuple[str, ...],
    label: tuple[tuple[str, bool], ...],
    engine: EngineFacts,
) -> Judgement:
    """Plans ask the same few situations again and again: the rules are the same for the life of the
    process."""
    agent = refined(AGENTS[class_id].agent, dict(label))
    return judge(
        RULES,
        agent,
        way,
        subject=subject_of(component),
        features=features,
        state=state,
        engine=engine,
    )


def judged_use(
    use: AgentUse,
    component: str,
    features: Sequence[str],
    *,
    state: Sequence[str],
    engine: EngineFacts = EngineFacts(),
) -> str:
    """The verdict on an agent as a step brings it: what the planner's verifier asks."""
    known = [f for f in features if f in FEATURES]
    agent = replace(AGENTS[use.class_id].agent, properties=frozenset(use.properties))
    return judge(
        RULES,
        agent,
        use.way,
        subject=subject_of(component),
        features=known,
        state=(*state, BARE_BORE),
        engine=engine,
    ).verdict


def chosen_agent(
    part: Part,
    tags: Iterable[str],
    policy: Mapping[str, str],
    *,
    engine: EngineFacts = EngineFacts(),
) -> ChosenAgent | None:
    """The first agent of the part's method and the schools that no rule forbids on it.

    Returns
    -------
    ChosenAgent or None
        With what its product's label must affirm, as little as frees it; None where no agent is
        used or none is left.
    """
    method = METHODS.get(way_in_place(tags) or part.component)
    features = [f for f in part.features if f in FEATURES]
    for class_id, way, label in agents_for(part, tags, policy):
        assert method is not None
        # What comes with fuel or air acts later, on the running engine.
        state = RUNNING if way == "running_ingestion" else (*PREPARED, *method.state)
        for affirmed in LABEL_CHOICES:
            asked = {**label, **dict.fromkeys(affirmed, True)}
            found = judged(
                class_id,
                way,
                part.component,
                features=features,
                state=state,
                label=asked,
                engine=engine,
            )
            if found.verdict != "no":
                return ChosenAgent(class_id=class_id, way=way, judgement=found, label=asked)
    return None


def forbidden(component: str, method_id: str, agent: str, *, features: list[str]) -> str:
    """Why an agent may not touch a part in any way on any engine, whatever its label says.

    Returns
    -------
    str
        Empty where there is a way.
    """
    method = METHODS.get(method_id)
    if component not in COMPONENTS:
        return ""
    why = ""
    ways = [method.way] if method and method.agent == agent else sorted(AGENTS[agent].agent.ways)
    for way, engine in product(ways, POSSIBLE_ENGINES):
        # What comes with fuel or air acts on the running engine.
        ready = (*PREPARED, *(method.state if method else ()))
        state = RUNNING if way == "running_ingestion" else ready
        found = judged(
            agent, way, component, features=features, state=state, label=EVERY_LABEL, engine=engine
        )
        if found.verdict != "no":
            return ""
        why = why or f"{found.reasons[0].text} ({found.reasons[0].rule})"
    return why


def trade_for(
    family: EngineFamily,
    now: Circumstances,
    *,
    procedures: Mapping[str, PartProcedure] = MappingProxyType(PROCEDURES),
    relearns: Mapping[str, RelearnTemplate] = MappingProxyType(RELEARNS),
    finds: Mapping[str, FindKind] = MappingProxyType(FOUND),
    own: Collection[str] = (),
) -> Trade:
    """What the planner must know of the trade, for one car."""
    return Trade(
        treat=Treater(family=family, now=now, procedures=procedures, own=own),
        relearns={name: with_holds(family, name, relearns) for name in relearns},
        agents={a.id: a.agent for a in AGENTS.values()},
        dry_minutes={c: DRYING_MINUTES.get(c, subject_of(c).drying_minutes) for c in COMPONENTS},
        find_kinds=finds,
        proofs=PROOFS,
        hazards=HAZARDS,
    )
