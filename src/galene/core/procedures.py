"""From a scope to steps: access opened in order, parts cleaned with the longest drying first, closed in reverse."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from galene.core.access import operations_for
from galene.core.airpath import EngineFamily, Opened, Operation
from galene.core.drying import DryingTimeInput, drying_time
from galene.core.errors import InputError
from galene.core.ingestion import WARN_SHARE, BlastInput, BlastPosition, blast_positions, clearance_ml, held_airflow, running_bursts


@dataclass(frozen=True)
class Wait:
    """A wait that a step starts: base minutes at 20 C, the agent class that dries (None: nothing to dry), the reason."""

    name: str
    base_minutes: float
    reason: str
    dries: str | None = None


@dataclass(frozen=True)
class Record:
    """Something to write down at a step. `kind`: grade, yes_no or reading; `bad` is what a bad answer means.

    A reading is a figure of `quantity`, typed in whatever unit the meter shows and kept in that quantity's own.
    """

    id: str
    kind: str
    label: str
    bad: str = ""
    bad_answer: str = "no"
    quantity: str = ""


@dataclass(frozen=True)
class StepTemplate:
    """A step of a part's procedure. `when` lists tags that must all hold (on_engine, off_engine, heavy, light...).

    `place` is where the step stands: ``running`` (warm engine, before anything is opened), ``first`` (laid open, before
    the battery comes off), ``clean``, ``close`` (before the refit) or ``walk`` (all closed, power back). `reckon` is what
    is computed at the step for this engine: ``clearance`` (liquid that one cylinder bears), ``aerosol`` or ``flush``
    (bursts and pauses into the running engine), ``drive`` (a jumper asks for the drive check). Steps of one `each`
    ``position`` are repeated together for every crank position in which ports are shut.
    """

    key: str
    text: str
    why: str
    minutes: float
    when: tuple[str, ...] = ()
    tools: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    records: tuple[Record, ...] = ()
    wait: Wait | None = None
    opens: tuple[Opened, ...] = ()
    closes: tuple[str, ...] = ()
    agent: str = ""
    agent_ml: float = 0.0
    needs: tuple[str, ...] = ()
    place: str = "clean"
    reckon: str = ""
    each: str = ""


@dataclass(frozen=True)
class PartProcedure:
    """How one kind of component is cleaned, or a way that several kinds share.

    One that is done `in_place` opens nothing of the engine; one go of it treats every part of the scope that asks for it
    when it is done `once`.
    """

    component: str
    title: str
    steps: tuple[StepTemplate, ...]
    in_place: bool = False
    once: bool = False


@dataclass(frozen=True)
class Step:
    """A compiled step, frozen into the job. `opens` and `closes` name must-go-back items by key, `when` the tags that chose it."""

    key: str
    phase: str
    part: str
    text: str
    why: str
    minutes: float
    tools: tuple[str, ...] = ()
    fasteners: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    records: tuple[Record, ...] = ()
    wait_name: str = ""
    wait_minutes: float = 0.0
    wait_reason: str = ""
    after_waits: tuple[str, ...] = ()
    opens: tuple["Item", ...] = ()
    closes: tuple[str, ...] = ()
    agent: str = ""
    agent_ml: float = 0.0
    consumes: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    where: str = ""
    note: str = ""
    worksheet: str = ""
    crank_deg: float | None = None
    cylinders: tuple[int, ...] = ()
    when: tuple[str, ...] = ()


@dataclass(frozen=True)
class Item:
    """A must-go-back item as a step opens it."""

    key: str
    what: str
    kind: str
    part: str
    count: int = 1
    before: str = "start"
    dangerous: bool = False


@dataclass(frozen=True)
class PartPlan:
    """How one part of the scope is treated: deposit grade and kind as seen, on or off the engine, the policy's tags."""

    part: str
    grade: int | None = None
    off_engine: bool = False
    tags: frozenset[str] = frozenset()
    instead: Mapping[str, str] = field(default_factory=dict)
    """Agent classes of the templates that are replaced on this part, as the rules forbid them on it."""
    by: str = ""
    """The procedure that treats it where that is not its own kind's: a shared one, or ``inspect_only``."""


@dataclass(frozen=True)
class Air:
    """The bay's air, which decides drying."""

    temperature_c: float
    relative_humidity: float = 0.5


@dataclass(frozen=True)
class Policy:
    """The shop's choices that steps depend on: letters of the schools to choice ids."""

    choices: Mapping[str, str] = field(default_factory=dict)

    def of(self, letter: str) -> str:
        """The choice for a letter, empty where none is held."""
        return self.choices.get(letter, "")


CAPACITORS = "Capacitors"
LONG_DRY_MINUTES = 60.0
SHORT_DRY_MINUTES = 5.0


def wait_minutes(wait: Wait, air: Air, policy: Policy) -> tuple[float, str]:
    """Minutes and reason of a wait under school C (drying); waits that dry nothing keep their minutes."""
    if wait.dries is None:
        return wait.base_minutes, wait.reason
    if policy.of("C") == "fixed_hour":
        return LONG_DRY_MINUTES, f"{wait.reason}. Shop policy C: one hour"
    if policy.of("C") == "short_with_check":
        return SHORT_DRY_MINUTES, f"{wait.reason}. Shop policy C: short, then check for moisture"
    humidity = air.relative_humidity if wait.dries in ("water", "soap_and_water") else None
    result = drying_time(DryingTimeInput(wait.base_minutes, air.temperature_c, wait.dries, None, humidity))
    return round(result.minutes), f"{wait.reason}. {wait.base_minutes:g} min at 20 °C, {max(1.0, result.factor):.2f} times in this bay"


def procedure_of(family: EngineFamily, plan: PartPlan, procedures: Mapping[str, PartProcedure]) -> PartProcedure:
    """The procedure that treats a part as planned; a kind without one of its own is looked at."""
    return procedures.get(plan.by or family.part(plan.part).component) or procedures["inspect_only"]


def laid_open(family: EngineFamily, parts: Sequence[PartPlan], procedures: Mapping[str, PartProcedure]) -> tuple[Operation, ...]:
    """What must be opened for the parts as they are planned, in the order of opening; nothing for those treated in place."""
    opened = [p for p in parts if not procedure_of(family, p, procedures).in_place]
    return operations_for(family, [p.part for p in opened], (), [p.part for p in opened if p.off_engine])


def compile_steps(
    family: EngineFamily,
    parts: Sequence[PartPlan],
    procedures: Mapping[str, PartProcedure],
    policy: Policy,
    air: Air,
    closing: Sequence[StepTemplate] = (),
) -> tuple[Step, ...]:
    """The job's procedure.

    Parameters
    ----------
    family : EngineFamily
    parts : the scope, each part once
    procedures : per kind of component and per shared way; a kind without one gets the entry ``inspect_only``
    policy : the shop's schools
    air : the bay's air, for drying
    closing : templates of the walk-round that ends every procedure

    Returns
    -------
    tuple of Step
        What the warm engine does comes before anything is opened. Every opened item is closed by a later step; a refit
        waits for what dries; dangerous items have a look of their own just before the place is shut.

    Raises
    ------
    InputError
        A part twice, or one that the family lacks; no part at all.
    """
    if not parts:
        raise InputError("scope", [], "at least one part")
    ids = [p.part for p in parts]
    if len(set(ids)) != len(ids):
        raise InputError("scope", ids, "each part once")
    operations = laid_open(family, parts, procedures)
    by_place: dict[str, list[Step]] = {}
    cleaning: list[tuple[float, list[Step]]] = []
    firsts: list[str] = []
    for plan in _goes(family, parts, procedures):
        part_steps = _part_steps(family, plan, procedures, policy, air)
        for place in ("running", "first", "close", "walk"):
            by_place.setdefault(place, []).extend(s for s in part_steps if s.phase == place)
        firsts += [plan.part for s in part_steps if s.phase == "first"][:1]
        now = [s for s in part_steps if s.phase == "clean"]
        cleaning.append((max((s.wait_minutes for s in now), default=0.0), now))
    steps = [
        Step("secure", "safe", "", "Parking brake on, wheels chocked, doors open or extraction on",
             "Solvent vapour and a rolling vehicle hurt without warning.", 2, cautions=("fumes", "fire")), *by_place["running"],
    ]  # fmt: skip
    battery: list[Step] = []
    if operations or any(now for _, now in cleaning):
        safe, battery = _make_safe(operations, [s for _, now in cleaning for s in now], policy)
        steps += safe
    # What a motor has to open itself is opened between the way in and the battery's lead.
    early = {o.id for o in operations_for(family, firsts)} if firsts else set()
    steps += [_opening(family, o) for o in operations if o.id in early]
    steps += [replace(s, phase="open") for s in by_place["first"]]
    steps += battery
    steps += [_opening(family, o) for o in operations if o.id not in early]
    # Longest drying first, and looks at dried parts last, so that hands work while parts dry.
    cleaning.sort(key=lambda pair: -pair[0])
    steps += [s for _, now in cleaning for s in now if not s.after_waits]
    steps += [s for _, now in reversed(cleaning) for s in now if s.after_waits]
    steps += by_place["close"]
    wet = {s.part: s.wait_name for s in steps if s.wait_name and s.phase == "clean"}
    for operation in reversed(operations):
        waits = tuple(dict.fromkeys(wet[p] for p in (*operation.reaches, operation.removes) if p in wet))
        steps += _closing(family, operation, waits)
    if battery:
        steps.append(
            Step("battery_on", "close", "", "Connect the battery's negative lead and tighten it",
                 "Last of all, when nothing that moves can be touched.", 2, ("10 mm socket",), closes=("battery:lead",))
        )  # fmt: skip
    steps += by_place["walk"]
    opened = {i.key for s in steps for i in s.opens}
    closed = {k for s in steps for k in s.closes}
    for template in closing:
        keys = tuple(k for k in sorted(opened - closed) if any(k.endswith(c) for c in template.closes))
        if template.closes and not keys:
            continue
        closed |= set(keys)
        steps.append(replace(_from_template(template, "", ""), closes=keys))
    missing = opened - closed
    if missing:
        raise InputError("procedure", sorted(missing), "a procedure that closes all it opens")
    if any(s.wait_name == CAPACITORS for s in steps):
        steps = [replace(s, after_waits=(CAPACITORS, *s.after_waits)) if "battery_off" in s.needs else s for s in steps]
    return tuple(steps)


def _goes(family: EngineFamily, parts: Sequence[PartPlan], procedures: Mapping[str, PartProcedure]) -> list[PartPlan]:
    """The parts with those that one go treats together as one plan, at the first one's place and with every tag of theirs."""
    goes: dict[str, PartPlan] = {}
    for plan in parts:
        procedure = procedure_of(family, plan, procedures)
        key = procedure.component if procedure.once else f"part:{plan.part}"
        goes[key] = replace(goes[key], tags=goes[key].tags | plan.tags) if key in goes else plan
    return list(goes.values())


def _make_safe(operations: Sequence[Operation], cleaning: Sequence[Step], policy: Policy) -> tuple[list[Step], list[Step]]:
    """What comes before the first opening, and the battery's step, which school H may leave out."""
    needs = {n for o in operations for n in o.needs} | {n for s in cleaning for n in s.needs}
    battery = ("battery_off" in needs and policy.of("H") != "ignition_only") or policy.of("H") == "battery_always"
    steps: list[Step] = []
    wait = max((o.wait_minutes for o in operations), default=0.0)
    if "engine_cold" in needs:
        steps.append(
            Step("cool", "safe", "", "Let the engine cool until a hand can rest on the throttle",
                 "Hot coolant is under pressure and solvents catch fire on hot metal.", 0, cautions=("hot_coolant",),
                 wait_name="Engine cooling", wait_minutes=wait, wait_reason="Hot coolant and hot metal")
        )  # fmt: skip
    steps.append(
        Step("ignition", "safe", "", "Ignition off, key out and away from the car",
             "A plug pulled under power sets codes and may hurt a driver.", 1)
    )  # fmt: skip
    if not battery:
        return steps, []
    return steps, [
        Step("battery", "safe", "", "Take the battery's negative lead off and turn it aside",
             "The plate has a motor: no power, no pinched fingers, no stored codes.", 3, ("10 mm socket",),
             cautions=("battery",), wait_name=CAPACITORS, wait_minutes=2,
             wait_reason="Airbag and throttle electronics hold charge",
             opens=(Item("battery:lead", "Battery negative lead", "battery lead", ""),))
    ]  # fmt: skip


def _fastener_texts(family: EngineFamily, part: str) -> tuple[str, ...]:
    texts = []
    for f in family.fasteners_of(part):
        tight = "" if f.torque_nm is None else f", {f.torque_nm:g} N m"
        texts.append(f"{f.count} × {f.what}, {f.driver}{tight}{', by hand only' if f.hand_tool_only else ''}")
    return tuple(texts)


def _opening(family: EngineFamily, operation: Operation) -> Step:
    items = tuple(Item(f"{operation.id}:{o.what}", o.what, o.kind, operation.part, o.count, o.before, o.dangerous) for o in operation.opens)
    return Step(
        f"open:{operation.id}", "open", operation.part, operation.text, "", operation.minutes_off, operation.tools,
        _fastener_texts(family, operation.part) if any(o.kind in ("fastener set", "clamp") for o in operation.opens) else (),
        operation.cautions, opens=items, needs=operation.needs, where=family.part(operation.part).where,
        after_waits=("Engine cooling",) if "engine_cold" in operation.needs else (),
    )  # fmt: skip


def _closing(family: EngineFamily, operation: Operation, waits: tuple[str, ...]) -> list[Step]:
    steps = []
    # Liquids are closed by the level check of the walk-round, not by refitting.
    shut = [o for o in operation.opens if o.kind != "coolant low"]
    for opened in (o for o in shut if o.dangerous):
        steps.append(
            Step(f"look:{operation.id}:{opened.what}", "close", operation.part, f"Take out: {opened.what.lower()}. Look in with the lamp, then look again",
                 "What stays in here ends up in a cylinder.", 1, ("lamp",), cautions=("objects",),
                 records=(Record("eyes", "yes_no", "Looked in twice, and it is empty", "Stop: find it before anything is shut."),),
                 after_waits=waits, closes=(f"{operation.id}:{opened.what}",))
        )  # fmt: skip
    steps.append(
        Step(
            f"close:{operation.id}", "close", operation.part, operation.text_back, "", operation.minutes_on, operation.tools,
            _fastener_texts(family, operation.part), after_waits=waits, consumes=operation.consumes,
            closes=tuple(f"{operation.id}:{o.what}" for o in shut if not o.dangerous), where=family.part(operation.part).where,
        )
    )  # fmt: skip
    return steps


def _holds(template: StepTemplate, plan: PartPlan) -> bool:
    heavy = plan.grade is not None and plan.grade >= 3
    tags = plan.tags | {"off_engine" if plan.off_engine else "on_engine", "heavy" if heavy else "light"}
    return set(template.when) <= tags


def _from_template(template: StepTemplate, owner: str, part: str) -> Step:
    """`owner` names the step and its items: the part, or the go that treats several; empty for the walk-round."""
    return Step(
        f"{owner}:{template.key}" if owner else template.key, template.place, part, template.text, template.why, template.minutes,
        template.tools, cautions=template.cautions, records=template.records,
        opens=tuple(Item(f"{owner}:{o.what}", o.what, o.kind, part, o.count, o.before, o.dangerous) for o in template.opens),
        closes=tuple(f"{owner}:{c}" for c in template.closes) if owner else (),
        agent=template.agent, agent_ml=template.agent_ml, needs=template.needs, when=template.when,
    )  # fmt: skip


def _part_steps(family: EngineFamily, plan: PartPlan, procedures: Mapping[str, PartProcedure], policy: Policy, air: Air) -> list[Step]:
    part = family.part(plan.part)
    procedure = procedure_of(family, plan, procedures)
    owner = procedure.component if procedure.once else plan.part
    steps: list[Step] = []
    drying = ""
    for template, position in _repeated(family, [t for t in procedure.steps if _holds(t, plan)]):
        step = replace(_from_template(template, owner, plan.part), where=part.where)
        step = _reckoned(step, template, family, position)
        if step.agent in plan.instead:
            step = replace(step, agent=plan.instead[step.agent])
        if template.wait:
            minutes, reason = wait_minutes(template.wait, air, policy)
            drying = f"{part.label} {template.wait.name}"
            step = replace(step, wait_name=drying, wait_minutes=minutes, wait_reason=reason)
        elif drying:
            step = replace(step, after_waits=(drying,))
        steps.append(step)
    return steps


def crank_positions(family: EngineFamily) -> tuple[BlastPosition, ...]:
    """Crank positions in which each cylinder's intake valves are shut once, from the first one's firing dead centre; none
    where the family does not hold its firing order and valve timing."""
    opens, shuts = family.intake_opens_btdc_deg, family.intake_closes_abdc_deg
    if not family.firing_order or opens is None or shuts is None:
        return ()
    return blast_positions(BlastInput(list(family.firing_order), opens, shuts)).positions


def _repeated(family: EngineFamily, templates: Sequence[StepTemplate]) -> list[tuple[StepTemplate, BlastPosition | None]]:
    """Templates in their order, those of each crank position repeated together, with their share of minutes and agent."""
    positions = crank_positions(family) if any(t.each for t in templates) else ()
    each = [t for t in templates if t.each]
    found: list[tuple[StepTemplate, BlastPosition | None]] = []
    for template in templates:
        if not (template.each and positions):
            found.append((template, None))
        elif template is each[0]:
            for number, position in enumerate(positions, 1):
                share = len(position.cylinders) / family.cylinders
                for one in each:
                    opens = one.opens if number == 1 else ()
                    minutes = max(1.0, round(one.minutes * share))
                    found.append(
                        (replace(one, key=f"{one.key}_{number}", minutes=minutes, agent_ml=one.agent_ml * share, opens=opens), position)
                    )
    return found


def _reckoned(step: Step, template: StepTemplate, family: EngineFamily, position: BlastPosition | None) -> Step:
    """The step with what is computed at it for this engine."""
    if template.reckon == "clearance":
        whole = clearance_ml(family.displacement_l, family.cylinders, family.compression_ratio)
        return replace(
            step,
            worksheet="ingestion-limit",
            note=f"At most {WARN_SHARE * whole:.1f} ml in one go: a tenth of one cylinder's clearance of {whole:.0f} ml. Liquid does not compress.",
        )
    if template.reckon in ("aerosol", "flush"):
        return _ingested(step, template, family)
    if template.reckon == "drive":
        return replace(step, worksheet="actuator-drive-check")
    if template.each and position is None:
        return replace(
            step,
            worksheet="blast-positions",
            note="Firing order and valve timing from the service information give the positions and the least turning.",
        )
    if position is not None:
        cylinders = ", ".join(map(str, position.cylinders))
        return replace(
            step, worksheet="blast-positions", crank_deg=position.crank_deg, cylinders=position.cylinders,
            note=f"Crank at {position.crank_deg:.0f}° past the firing dead centre of cylinder {family.firing_order[0]}, turned forward only: the intake valves of cylinder {cylinders} are shut.",
        )  # fmt: skip
    return step


def _ingested(step: Step, template: StepTemplate, family: EngineFamily) -> Step:
    """Bursts and pauses for this engine's air at the held speed, and the minutes that the whole amount takes."""
    air, idle = family.bands.get("idle_airflow_g_s"), family.bands.get("idle_rpm")
    if air is None or idle is None:
        return replace(
            step, worksheet="ingestion-limit", note="Read the air at the held speed and reckon bursts and pauses before the first one."
        )
    low, high = held_airflow(air.low, air.high, idle.low, idle.high)
    bursts = running_bursts(
        low, family.displacement_l, family.cylinders, family.compression_ratio, template.agent_ml, template.reckon == "flush"
    )
    return replace(
        step, worksheet="ingestion-limit", minutes=max(template.minutes, round(bursts.minutes)),
        note=f"Bursts of {bursts.burst_s:g} s with {bursts.pause_s:.0f} s between them: {bursts.minutes:.0f} min in all. Reckoned for the least of "
        f"{low:.1f} to {high:.1f} g/s of air at {bursts.held_rpm:.0f} rpm and a can that gives {bursts.can_rate_g_s:g} g/s; a burst is {bursts.share:.0%} of one cylinder's clearance.",
    )  # fmt: skip


def goes_before(phase: str, part: str, later_phase: str, later_part: str) -> bool:
    """Whether a step that stands earlier on the card must be done before a later one.

    Making safe, opening, closing and the walk-round keep their order; only while parts lie open may one part's cleaning
    be done before another's.
    """
    return not (phase == later_phase == "clean" and part != later_part)


@dataclass(frozen=True)
class Segment:
    """A stretch of the time strip, minutes from the start. `kind`: hands or wait."""

    start: float
    minutes: float
    kind: str
    phase: str
    text: str


def schedule(steps: Sequence[Step]) -> tuple[Segment, ...]:
    """Lay the steps on a time line for one technician: waits run beside the work, and only what is left of them shows."""
    clock = 0.0
    ends: dict[str, float] = {}
    segments: list[Segment] = []
    for step in steps:
        ready = max((ends.get(w, 0.0) for w in step.after_waits), default=0.0)
        if ready > clock + 0.01:
            names = ", ".join(w for w in step.after_waits if ends.get(w, 0.0) > clock)
            segments.append(Segment(clock, ready - clock, "wait", step.phase, names))
            clock = ready
        if step.minutes:
            segments.append(Segment(clock, step.minutes, "hands", step.phase, step.text))
            clock += step.minutes
        if step.wait_name:
            ends[step.wait_name] = clock + step.wait_minutes
    left = max(ends.values(), default=0.0)
    if left > clock + 0.01:
        segments.append(Segment(clock, left - clock, "wait", "close", "Last wait"))
    return tuple(segments)
