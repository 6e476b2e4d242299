"""One part's procedure as steps of this car: templates chosen, repeated, computed, worded."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from galene.core.airpath.family import EngineFamily, OpenedItem, Part
from galene.core.airpath.natures import kind_is
from galene.core.calculations.blast_positions import BlastInput, BlastPosition, blast_positions
from galene.core.calculations.drying_time import DryingTimeInput, drying_time
from galene.core.calculations.ingestion_limit import WARN_SHARE, clearance_ml
from galene.core.chemistry.judge import refined
from galene.core.planning.amounts import drawn_in, ingested
from galene.core.planning.case import PALE, Case, Trade, Treatment
from galene.core.planning.openings import has
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
from galene.core.planning.touched import mouths_through, parts_named
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
            own_cautions=template.cautions,
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
        if self.place == "off" and (held or kind_is(self.part.component, "cool")):
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


def bound(record: Record, step_id: str) -> Record:
    """A record at its step: its id is unique in the plan, its own name stays its key."""
    return replace(record, id=f"{step_id}/{record.name}", key=record.name)
