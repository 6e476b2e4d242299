"""One part's procedure as steps of this car: templates chosen, repeated, computed, worded."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from galene.core.airpath.family import EngineFamily, OpenedItem, Part
from galene.core.calculations.blast_positions import BlastInput, BlastPosition, blast_positions
from galene.core.calculations.drying_time import DryingTimeInput, drying_time
from galene.core.calculations.ingestion_limit import WARN_SHARE, clearance_ml
from galene.core.chemistry.judge import refined
from galene.core.chemistry.rules import COOL_PARTS
from galene.core.planning.case import PALE, Case, Trade, Treatment
from galene.core.planning.marks import mouth_of
from galene.core.planning.openings import carrier_of, has, numbered
from galene.core.planning.policy_keys import DRYING
from galene.core.planning.procedure import DOES, NEEDS, PLACES, STAGES, StepTemplate, Wait, merged
from galene.core.planning.records import (
    AgentUse,
    Air,
    OpenItem,
    PlannedWait,
    Record,
    StateWords,
    Step,
    Wet,
)
from galene.core.planning.running_goes import HELD_RPM, held_airflow, running_bursts, vacuum_goes
from galene.core.planning.words import Phase, Place

LONG_DRY_MINUTES = 60.0
SHORT_DRY_MINUTES = 5.0
"""School C's fixed hour and short air-dry (project defaults)."""
DRY_USES = frozenset({"running_ingestion", "blast"})
"""Ways that leave nothing wet on the part itself."""
PHASE_OF: dict[str, Phase] = {
    "whole": "safe",
    "running": "running",
    "first": "open",
    "clean": "clean",
    "close": "close",
    "back": "close",
    "walk": "walk",
    "drive": "prove",
}
WATER = frozenset({"water", "soap_and_water"})


@dataclass(frozen=True, kw_only=True)
class Link:
    """A step of a chain with the template that made it, and the steps that must go before it."""

    step: Step
    template: StepTemplate
    after: tuple[str, ...]


def drying_minutes(wait: Wait, air: Air, policy: Mapping[str, str]) -> tuple[float, str]:
    """Minutes and reason of a wait in this bay.

    Parameters
    ----------
    wait : base minutes at 20 C and what dries
    air : degrees C, relative humidity as a share
    policy : school C decides (label times factor, an hour, short with a check)

    Notes
    -----
    Clausius-Clapeyron, see `drying_time`; a wait that dries nothing keeps its minutes.
    """
    if wait.dries is None:
        return wait.base_minutes, wait.reason
    if policy.get(DRYING) == "fixed_hour":
        return LONG_DRY_MINUTES, f"{wait.reason}. Shop policy C: one hour"
    if policy.get(DRYING) == "short_with_check":
        return SHORT_DRY_MINUTES, f"{wait.reason}. Shop policy C: short, then check for moisture"
    result = drying_time(
        DryingTimeInput(
            base_minutes=wait.base_minutes,
            temperature_c=air.temperature_c,
            class_=wait.dries,
            relative_humidity=air.humidity if wait.dries in WATER else None,
        )
    )
    times = max(1.0, result.factor)
    return (
        float(round(result.minutes)),
        f"{wait.reason}. {wait.base_minutes:g} min at 20 °C, {times:.2f} times in this bay",
    )


def crank_positions(family: EngineFamily) -> tuple[BlastPosition, ...]:
    """Crank positions in which each cylinder's intake valves are shut once.

    Returns
    -------
    tuple of BlastPosition
        Degrees past the first cylinder's firing dead centre; none where the family does not hold
        its firing order and valve timing.
    """
    opens, shuts = family.intake_opens_btdc_deg, family.intake_closes_abdc_deg
    if not family.firing_order or opens is None or shuts is None:
        return ()
    given = BlastInput(
        firing_order=list(family.firing_order),
        intake_opens_btdc_deg=opens,
        intake_closes_abdc_deg=shuts,
    )
    return blast_positions(given).positions


def holds(template: StepTemplate, treatment: Treatment) -> bool:
    """Whether a template stands in this treatment: by its kind of work, and by all of its tags."""
    return treatment.work.work in template.works and set(template.when) <= treatment.tags


def templates_of(treatment: Treatment) -> tuple[StepTemplate, ...]:
    """The templates that stand in a treatment by its kind of work and tags."""
    return tuple(t for t in treatment.procedure.steps if holds(t, treatment))


def steps_of(treatment: Treatment, family: EngineFamily) -> tuple[StepTemplate, ...]:
    """The templates that stand in a treatment, in the order of its procedure; none speaks of what
    the vehicle has not."""
    return tuple(
        t for t in templates_of(treatment) if all(has(family, word) for word in t.speaks_of)
    )


class Chain:
    """The steps of one treatment. `place` is where the part lies while it is worked on."""

    def __init__(
        self,
        case: Case,
        trade: Trade,
        treatment: Treatment,
        *,
        place: Place,
        treats: tuple[str, ...],
    ) -> None:
        self.case, self.trade, self.treatment = case, trade, treatment
        self.family, self.place, self.treats = case.family, place, treats
        self.part = case.family.part(treatment.part)
        self.names: dict[str, int] = {}

    def links(self) -> list[Link]:
        """The chain in the order of its templates, those of each position or cylinder repeated."""
        templates = sorted(
            steps_of(self.treatment, self.family), key=lambda t: STAGES.index(t.place)
        )
        found: list[Link] = []
        placed: set[str] = set()
        for template in templates:
            if template.key in placed:
                continue
            if not template.each:
                placed.add(template.key)
                before = self._before(found, template)
                step = self._step(template, number="", position=None, cylinder=None)
                found.append(Link(step=self._waiting(step, found), template=template, after=before))
                continue
            group = [t for t in templates if t.each]
            placed.update(t.key for t in group)
            found += self._repeated(group, found)
        return found

    def _before(self, found: Sequence[Link], template: StepTemplate) -> tuple[str, ...]:
        same = [x for x in found if PHASE_OF[x.template.place] == PHASE_OF[template.place]]
        if not same:
            return (found[-1].step.id,) if found else ()
        each = [x.step.id for x in same if x.template.each]
        return tuple(dict.fromkeys([same[-1].step.id, *each]))

    def _waiting(self, step: Step, found: Sequence[Link]) -> Step:
        """The step with every wait of its chain that is still to be kept before it."""
        waits = tuple(x.step.wait.id for x in found if x.step.wait)
        return replace(step, waits_for=waits) if waits else step

    def _repeated(self, group: Sequence[StepTemplate], found: Sequence[Link]) -> list[Link]:
        """Steps of each position and cylinder: a position waits for the one before it to be
        empty."""
        positions = crank_positions(self.family) or tuple(
            BlastPosition(-1.0, (n,)) for n in range(1, self.family.cylinders + 1)
        )
        first = tuple(x.step.id for x in found[-1:])
        made: list[Link] = []
        turned: tuple[str, ...] = first
        for number, position in enumerate(positions, 1):
            here: tuple[str, ...] = turned
            for template in (t for t in group if t.each == "position"):
                step = self._step(template, number=f"_{number}", position=position, cylinder=None)
                made.append(Link(step=step, template=template, after=here))
                here = (step.id,)
            emptied: list[str] = []
            for cylinder in position.cylinders:
                last, wet = here, False
                for template in (t for t in group if t.each == "cylinder"):
                    step = self._step(
                        template, number=f"_{cylinder}", position=position, cylinder=cylinder
                    )
                    made.append(Link(step=step, template=template, after=last))
                    last = (step.id,)
                    if not wet:
                        emptied.append(step.id)
                    wet = wet or step.wait is not None
            turned = tuple(emptied) or here
        return self._dried_together(made)

    def _dried_together(self, links: list[Link]) -> list[Link]:
        """What follows the wetting of one cylinder waits until all of them are wetted and dry."""
        wetting = [x.step for x in links if x.step.wait]
        if not wetting:
            return links
        keys = [x.template.key for x in links if x.step.wait]
        position = {t: i for i, t in enumerate(dict.fromkeys(x.template.key for x in links))}
        last = max(position[k] for k in keys)
        waits = tuple(s.wait.id for s in wetting if s.wait)
        ids = tuple(s.id for s in wetting)
        return [
            (
                replace(x, step=replace(x.step, waits_for=waits), after=(*x.after, *ids))
                if x.template.each == "cylinder" and position[x.template.key] > last
                else x
            )
            for x in links
        ]

    def _step(
        self,
        template: StepTemplate,
        *,
        number: str,
        position: BlastPosition | None,
        cylinder: int | None,
    ) -> Step:
        owner = self.treatment.owner
        step_id = f"{owner}:{template.key}{number}"
        share = 1.0
        if template.each:
            share = 1.0 / self.family.cylinders
        part, treats = self._about(template)
        # What lies on the bench already is not taken off a second time.
        moves = {
            name: (self.part.id,)
            for name in template.moves
            if name != "takes_off" or self.place == "mounted"
        }
        step = Step(
            id=step_id,
            name=template.key,
            **self._marks(template, cylinder),
            text=template.text if cylinder is None else f"Cylinder {cylinder}: {template.text}",
            why=template.why,
            part=part.id,
            phase=PHASE_OF[template.place],
            work=self.treatment.work.work,
            minutes=(
                max(0.5, round(template.minutes * share * 2) / 2)
                if template.each
                else template.minutes
            ),
            needs=self._needs(template),
            does=merged(template.does, DOES),
            brings=template.brings,
            opens=tuple(self._item(owner, o, number) for o in template.opens),
            closes=tuple(f"{owner}:{c}{number}" for c in template.closes),
            tools=template.tools,
            cautions=template.cautions,
            records=tuple(bound(r, step_id) for r in self._asked(template.records)),
            consumes=tuple(
                c for c in template.consumes if any(s.id == c for s in self.family.spares)
            ),
            where=part.where,
            tags=template.when,
            owner=owner,
            treats=treats,
            cylinders=(cylinder,) if cylinder else position.cylinders if position else (),
            **moves,  # type: ignore[arg-type]
        )
        step = self._wetted(step, template, number, share=share)
        return self._computed(step, template, position)

    def _about(self, template: StepTemplate) -> tuple[Part, tuple[str, ...]]:
        """The part that a step is about and all that it treats: one alone where its template names
        a kind of those that the go treats."""
        for part_id in (self.treats or (self.part.id,)) if template.about else ():
            if self.family.part(part_id).component == template.about:
                return self.family.part(part_id), ()
        return self.part, self.treats

    def _marks(self, template: StepTemplate, cylinder: int | None) -> dict[str, Any]:
        """The template's marks with the places of this car."""
        family, part = self.family, self.part
        return {
            "acts": template.acts,
            "through": mouths_through(
                family,
                part,
                template.through,
                on_bench=self.place == "off",
                cylinder=cylinder,
            ),
            "dirties": parts_named(family, part, template.dirties, on_bench=self.place == "off"),
            "judges_clean": parts_named(family, part, template.judges, on_bench=False),
            "seals": (part.id,) if template.seals else (),
            "sees": (part.id,) if "own" in template.sees else (),
            "speaks_of": template.speaks_of,
        }

    def _asked(self, records: Sequence[Record]) -> Iterator[Record]:
        """What a step asks on this engine: of coolant only where there is any."""
        for record in records:
            if self.family.cooling == "liquid":
                yield record
            elif record.id != "pale":
                kept = tuple(c for c in record.consequences if c.answer != PALE)
                yield replace(record, consequences=kept)

    def _needs(self, template: StepTemplate) -> StateWords:
        words = merged(template.needs, NEEDS)
        place: dict[str, Place] = {}
        named = next((p for p in template.needs if p in PLACES), None)
        if template.place == "clean" and not self.treatment.procedure.in_place:
            place[self.part.id] = self.place
        if template.place in ("whole", "back"):
            place[self.part.id] = "mounted"
        if named:
            place[self.part.id] = named  # type: ignore[assignment]
        if "receives" in template.moves:
            place[self.part.id] = "away"
        if (
            template.place in ("clean", "whole", "back")
            and words.engine is None
            and not self.treatment.procedure.in_place
        ):
            words = replace(words, engine="off")
        if self._burns(template):
            words = replace(words, heat="cold")
        return replace(words, place=place)

    def _burns(self, template: StepTemplate) -> bool:
        """Whether what the step brings lights on hot metal; a part just taken off is as hot as its
        engine."""
        if not template.agent or template.way in DRY_USES:
            return False
        held = any("hand_warm" in t.brings for t in templates_of(self.treatment))
        if self.place == "off" and (held or self.part.component in COOL_PARTS):
            return False
        class_id = self.treatment.instead.get(template.agent, template.agent)
        return "flammable" in self.trade.agents[class_id].properties

    def _item(self, owner: str, opened: OpenedItem, number: str) -> OpenItem:
        inside = opened.kind in ("rag inside", "tool inside", "media inside")
        return OpenItem(
            id=f"{owner}:{opened.what}{number}",
            what=opened.what if not number else f"{opened.what} ({number.removeprefix('_')})",
            kind=opened.kind,
            inside=inside,
            on=self.part.id,
            while_running=opened.while_running,
            count=opened.count,
            before=opened.before,
            dangerous=opened.dangerous or inside,
            owner=owner,
            of=self.part.id if opened.of == "own" else opened.of,
        )

    def _wetted(self, step: Step, template: StepTemplate, number: str, *, share: float) -> Step:
        wait = template.wait
        if template.agent:
            class_id = self.treatment.instead.get(template.agent, template.agent)
            agent = self.trade.agents[class_id]
            label = self.treatment.label if class_id == self.treatment.agent else {}
            agent = refined(agent, label)
            way = template.way or "on_cloth"
            use = AgentUse(
                class_id=class_id,
                way=way,
                ml=round(template.agent_ml * share, 1),
                properties=tuple(sorted(agent.properties)),
                label=tuple(sorted(word for word, affirmed in label.items() if affirmed)),
            )
            step = replace(step, agent=use)
            dries = way not in DRY_USES and "assembly_aid" not in agent.properties
            if dries and (wait is None or wait.dries is None):
                wait = Wait(
                    name="drying",
                    base_minutes=self.trade.dry_minutes.get(self.part.component, 5.0),
                    reason="Wet until it looks and feels dry",
                    dries=agent.drying or "water",
                )
            if dries and wait:
                minutes, _ = drying_minutes(wait, self.case.air, self.case.policy)
                wet = Wet(part=self.part.id, agent=class_id, way=way, dry_minutes=minutes)
                step = replace(step, wets=(wet,))
        if wait is None:
            return step
        minutes, why = drying_minutes(wait, self.case.air, self.case.policy)
        name = f"{self.part.name} {wait.name}"
        count = self.names[name] = self.names.get(name, 0) + 1
        if count > 1:
            name = f"{name} {count}"
        return replace(step, wait=PlannedWait(id=name, minutes=minutes, why=why))

    def _computed(self, step: Step, template: StepTemplate, position: BlastPosition | None) -> Step:
        """The step with what is computed at it for this engine."""
        family = self.family
        if template.computation == "clearance":
            whole = clearance_ml(family.displacement_l, family.cylinders, family.compression_ratio)
            note = (
                f"At most {WARN_SHARE * whole:.1f} ml in one go: a tenth of one cylinder's "
                f"clearance of {whole:.0f} ml. Liquid does not compress."
            )
            step = replace(step, worksheet="ingestion-limit", note=note)
        if template.computation in ("aerosol", "flush"):
            step = ingested(
                step, family, ml=template.agent_ml, water=template.computation == "flush"
            )
        if template.computation == "goes":
            step = drawn_in(step, family, ml=template.agent_ml)
        if template.computation == "drive":
            step = replace(step, worksheet="actuator-drive-check")
        if template.each == "position" and position is not None:
            step = self._turned(step, position)
        return step

    def _turned(self, step: Step, position: BlastPosition) -> Step:
        if position.crank_deg < 0:
            note = (
                "Firing order and valve timing from the service information give the positions and "
                "the least turning."
            )
            return replace(step, worksheet="blast-positions", note=note)
        cylinders = ", ".join(map(str, position.cylinders))
        note = (
            f"Crank at {position.crank_deg:.0f}° past the firing dead centre of cylinder "
            f"{self.family.firing_order[0]}, turned forward only: the intake valves of cylinder "
            f"{cylinders} are shut."
        )
        return replace(step, worksheet="blast-positions", crank_deg=position.crank_deg, note=note)


def mouths_through(
    family: EngineFamily,
    part: Part,
    words: Sequence[str],
    *,
    on_bench: bool,
    cylinder: int | None,
) -> tuple[str, ...]:
    """The mouths that a template's `through` names at a part of a car; see `marks.THROUGH`.

    Parameters
    ----------
    on_bench : whether the part lies on the bench, where nothing but itself is gone through
    cylinder : the one whose step it is, None where it is of all
    """
    found: list[str] = []
    joined = [p for p in family.pipes if part.id in (p.source, p.target)]
    others = [p.source if p.target == part.id else p.target for p in joined]
    seated = [t.sensor for t in family.taps if t.on == part.id]
    for word in words:
        if word in ("own", "ways"):
            found += [mouth_of(part.id, o) for o in (*others, *seated)]
        if word == "ways" and not on_bench:
            near = {carrier_of(family, part.id), *(p.target for p in joined)} - {"", part.id}
            found += [
                mouth_of(p.target, p.source)
                for p in family.pipes
                if p.target in near and p.circuit == "main"
            ]
        if word == "upstream":
            found += [mouth_of(p.source, part.id) for p in joined if p.target == part.id]
        if word == "port":
            found += [mouth_of(t.on, part.id) for t in family.taps if t.sensor == part.id and t.on]
        if word == "each":
            every = range(1, family.cylinders + 1) if cylinder is None else (cylinder,)
            found += [mouth_of(part.id, n) for n in every]
    return tuple(dict.fromkeys(found))


def parts_named(
    family: EngineFamily, part: Part, words: Sequence[str], *, on_bench: bool
) -> tuple[str, ...]:
    """The parts and ports that a template names from its own; see `marks.TOUCHED`."""
    found: list[str] = []
    for word in words:
        if word == "own":
            found.append(part.id)
        elif word == "carrier":
            found.append(carrier_of(family, part.id))
        elif word == "port":
            found += [mouth_of(t.on, part.id) for t in family.taps if t.sensor == part.id and t.on]
        elif not on_bench:
            for pipe in family.pipes:
                if word == "downstream" and pipe.source == part.id:
                    found.append(pipe.target)
                if word == "upstream" and pipe.target == part.id:
                    found.append(pipe.source)
    return tuple(dict.fromkeys(f for f in found if f))


def bound(record: Record, step_id: str) -> Record:
    """A record at its step: its id is unique in the plan, its own name stays its key."""
    return replace(record, id=f"{step_id}/{record.name}", key=record.name)


def ingested(step: Step, family: EngineFamily, *, ml: float, water: bool) -> Step:
    """Bursts and pauses for this engine's air at the held speed, and the minutes of the whole
    amount.

    Parameters
    ----------
    ml : what is drawn in all, millilitres
    water : a water-based agent, else a solvent of 0.74 g/ml

    Notes
    -----
    See `running_bursts`; without a family's idle air and speed the step says what is read first.
    """
    air, idle = family.bands.get("idle_airflow_g_s"), family.bands.get("idle_rpm")
    if air is None or idle is None:
        note = "Read the air at the held speed and compute bursts and pauses before the first one."
        return replace(step, worksheet="ingestion-limit", note=note)
    low, high = held_airflow(air.low, air.high, idle.low, rpm_high=idle.high)
    # A solvent is given a second at a time: shorter bursts need shorter pauses.
    longest_s = 3.0 if water else 1.0
    bursts = running_bursts(
        low,
        family.displacement_l,
        family.cylinders,
        compression_ratio=family.compression_ratio,
        amount_ml=ml,
        water_based=water,
        longest_s=longest_s,
        fuel=family.fuel,
    )
    note = (
        f"Bursts of {bursts.burst_s:g} s with {bursts.pause_s:.0f} s between them:"
        f" {bursts.minutes:.0f} min in all. Reckoned for the least of {low:.1f} to {high:.1f} g/s"
        f" of air at {bursts.held_rpm:.0f} rpm and a can that gives {bursts.can_rate_g_s:g} g/s; a"
        f" burst is {bursts.share:.0%} of one cylinder's clearance."
    )
    minutes = max(step.minutes, float(round(bursts.minutes)))
    return replace(step, worksheet="ingestion-limit", minutes=minutes, note=note)


def drawn_in(step: Step, family: EngineFamily, *, ml: float) -> Step:
    """Goes through a vacuum line for this engine's air at the held speed, and the minutes of the
    dose.

    Parameters
    ----------
    ml : the whole dose, millilitres

    Notes
    -----
    See `vacuum_goes`; without a family's idle air and speed the step says what is read first.
    """
    air, idle = family.bands.get("idle_airflow_g_s"), family.bands.get("idle_rpm")
    if air is None or idle is None:
        note = "Read the air at the held speed and compute the goes before the first one."
        return replace(step, worksheet="ingestion-limit", note=note)
    low, high = held_airflow(air.low, air.high, idle.low, rpm_high=idle.high)
    goes = vacuum_goes(airflow_g_s=low, amount_ml=ml)
    note = (
        f"{goes.goes} goes of {goes.go_s:.0f} s, {goes.pause_s:.0f} s between them, about "
        f"{goes.go_ml:.0f} ml in each: {goes.minutes:.0f} min in all. Reckoned for the least of "
        f"{low:.1f} to {high:.1f} g/s of air at {HELD_RPM:.0f} rpm and {ml:.0f} ml; "
        "the label's dose decides."
    )
    minutes = max(step.minutes, float(round(goes.minutes)))
    return replace(step, worksheet="ingestion-limit", minutes=minutes, note=note)


def repeated(
    links: Sequence[Link], at: int, turn: int, deeds: frozenset[str] = frozenset()
) -> Iterator[Link]:
    """The steps that are done once more after `at`: the treatment where it judges one, else itself.

    Parameters
    ----------
    at : index of the link whose answer asked for it
    turn : 2 for the first repeat
    deeds : what the answer names; empty: all of the treatment
    """
    link = links[at]
    judges = any(r.name == "grade_after" for r in link.step.records) or bool(link.template.judges)
    first = at
    if judges:
        first = next((i for i, x in enumerate(links) if x.template.treats), at)
        first = min(first, at)
    segment = list(links[first : at + 1])
    if deeds:
        segment = _named(segment, deeds, turn)
    ids = {x.step.id for x in segment}
    items = {i.id for x in segment for i in x.step.opens}
    waits = {x.step.wait.id for x in segment if x.step.wait}
    head = True
    for one in segment:
        step = again(one.step, turn, items=items, waits=waits)
        after = tuple(numbered(a, turn) if a in ids else a for a in one.after)
        yield Link(
            step=step, template=one.template, after=(*after, link.step.id) if head else after
        )
        head = False


def _named(segment: Sequence[Link], deeds: frozenset[str], turn: int) -> list[Link]:
    """Of a treatment the steps that an answer names: looked at again, dried first where it says so,
    nothing wetted a second time."""
    kept = [x for x in segment if set(x.step.acts) <= deeds]
    wetting = next((x for x in reversed(segment) if x.step.wait), None)
    if "dry" not in deeds or wetting is None or not kept:
        return kept or list(segment[-1:])
    assert wetting.step.wait is not None
    wait = replace(wetting.step.wait, why=f"It was still wet. {wetting.step.wait.why}")
    dry = replace(
        wetting.step,
        id=f"{wetting.step.owner}:dry",
        name="dry",
        text="Nothing is sprayed on top: leave it in moving air until it is dry",
        why="Power on what is wet ruins it.",
        minutes=0.5,
        acts=("dry",),
        agent=None,
        wait=wait,
        opens=(),
        closes=(),
        records=(),
        consumes=(),
        tools=(),
        dirties=(),
    )
    first = replace(wetting, step=dry, after=())
    return [
        first,
        *(
            replace(
                x, step=replace(x.step, waits_for=(*x.step.waits_for, wait.id)), after=(dry.id,)
            )
            for x in kept
        ),
    ]


def again(step: Step, turn: int, *, items: set[str], waits: set[str]) -> Step:
    """A step's repeat, under ids of its own."""
    step_id = numbered(step.id, turn)
    return replace(
        step,
        id=step_id,
        turn=turn,
        records=tuple(replace(r, id=f"{step_id}/{r.name}") for r in step.records),
        wait=replace(step.wait, id=step.wait.id + f" ({turn})") if step.wait else None,
        waits_for=tuple(f"{w} ({turn})" if w in waits else w for w in step.waits_for),
        opens=tuple(replace(i, id=numbered(i.id, turn), turn=turn) for i in step.opens),
        closes=tuple(numbered(c, turn) for c in step.closes if c in items),
    )
