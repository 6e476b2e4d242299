"""What is wrong with a template of steps or of a relearn, and at which field it is mended."""

import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from typing import Protocol

from galene.core.airpath.must_go_back import BEFORE, KINDS
from galene.core.chemistry.judge import STATES as CHEMISTRY_STATES
from galene.core.chemistry.judge import WAYS
from galene.core.errors import Fault
from galene.core.planning.marks import DEEDS, SEEN, SPOKEN_OF, THROUGH, TOUCHED
from galene.core.planning.procedure import (
    COMPUTATIONS,
    DOES,
    EACH,
    MOVES,
    NEEDS,
    PLACES,
    STAGES,
    PartProcedure,
    StepTemplate,
)
from galene.core.planning.records import Record
from galene.core.planning.words import CONSEQUENCES, WORKS, Work
from galene.core.proof.relearn import RelearnTemplate
from galene.core.units import QUANTITIES

RECORDS: tuple[str, ...] = ("grade", "yes_no", "reading", "words")
ID = re.compile(r"[a-z][a-z0-9_]{0,39}")
LONGEST_MINUTES = 2880.0


class VariantLike(Protocol):
    """A kind of work with the tags that come together for it."""

    @property
    def work(self) -> Work:
        """The kind of work."""

    @property
    def tags(self) -> frozenset[str]:
        """Tags that hold together."""


@dataclass(frozen=True, kw_only=True)
class TemplateWords:
    """What the words of a template may be: agent classes, drying classes, cautions, tags of
    variants, kinds of part."""

    agents: Collection[str]
    drying: Collection[str]
    cautions: Collection[str]
    tags: Collection[str]
    kinds: Collection[str]


def _said(place: str, text: str, least: int, *, most: int) -> Iterator[Fault]:
    if not least <= len(text.strip()) <= most:
        yield Fault(
            place, f"{least} to {most} characters" if least else f"at most {most} characters"
        )


def procedure_faults(
    procedure: PartProcedure, variants: Iterable[VariantLike], words: TemplateWords
) -> list[Fault]:
    """Everything that is wrong with a procedure; empty when every variant of it can be worked
    through.

    Parameters
    ----------
    procedure : PartProcedure
    variants : kinds of work with the tags that schools and engines give together
    words : TemplateWords

    Returns
    -------
    list of Fault
        Words first; opening and closing are judged, variant by variant, only when every word is
        known.
    """
    faults = list(_said("title", procedure.title, 3, most=80))
    if not procedure.steps:
        faults.append(Fault("steps", "at least one step"))
    for i, step in enumerate(procedure.steps):
        at = f"steps[{i}]"
        faults += [*_words(at, step, words), *_moves(at, step), *_agent(at, step, words)]
        for record in step.records:
            faults += _record(at, record)
    if not faults:
        found: dict[str, Fault] = {}
        for variant in variants:
            for fault in _variant_faults(procedure, variant):
                found.setdefault(fault.place, fault)
        faults = list(found.values())
    return faults


def _words(at: str, step: StepTemplate, words: TemplateWords) -> Iterator[Fault]:
    if not ID.fullmatch(step.key):
        yield Fault(
            f"{at}.key",
            f"{step.key!r} is no id: small letters, figures and underscores, a letter first",
        )
    yield from _said(f"{at}.text", step.text, 5, most=300)
    yield from _said(f"{at}.why", step.why, 0, most=300)
    if not 0 <= step.minutes <= 600:
        yield Fault(f"{at}.minutes", "0 to 600 minutes")
    for name, values, allowed in (
        ("when", step.when, words.tags),
        ("cautions", step.cautions, words.cautions),
        ("needs", step.needs, (*NEEDS, *PLACES)),
        ("does", step.does, DOES),
        ("brings", step.brings, CHEMISTRY_STATES),
        ("works", step.works, WORKS),
        ("moves", step.moves, MOVES),
        ("acts", step.acts, DEEDS),
        ("through", step.through, THROUGH),
        ("dirties", step.dirties, TOUCHED),
        ("judges", step.judges, TOUCHED),
        ("sees", step.sees, SEEN),
        ("speaks_of", step.speaks_of, (*SPOKEN_OF, *words.kinds)),
    ):
        for value in values:
            if value not in allowed:
                yield Fault(f"{at}.{name}", f"{value!r} is not known")
    if not step.acts:
        yield Fault(f"{at}.acts", "say what the hand does: cautions, drawings and proof go by it")
    if step.about and step.about not in words.kinds:
        yield Fault(f"{at}.about", f"{step.about!r} is no kind of part")
    if not step.works:
        yield Fault(f"{at}.works", "at least one kind of work in which it stands")
    for name, one, choices in (
        ("place", step.place, STAGES),
        ("computation", step.computation, COMPUTATIONS),
        ("each", step.each, EACH),
    ):
        if one not in choices:
            known = ", ".join(c for c in choices if c)
            yield Fault(f"{at}.{name}", f"{one!r} is none of {known}")


def _moves(at: str, step: StepTemplate) -> Iterator[Fault]:
    if step.wait is not None:
        yield from _said(f"{at}.wait", step.wait.name, 2, most=40)
        if not 0 < step.wait.base_minutes <= LONGEST_MINUTES:
            yield Fault(f"{at}.wait", "a wait above 0 and up to two days")
        if len(step.wait.reason.strip()) < 5:
            yield Fault(f"{at}.wait", "say why it waits: the reason stands beside the clock")
    for opened in step.opens:
        yield from _said(f"{at}.opens", opened.what, 3, most=60)
        if opened.kind not in KINDS or opened.before not in BEFORE or not 1 <= opened.count <= 99:
            yield Fault(f"{at}.opens", "a known kind, a gate and a count of 1 to 99")


def _agent(at: str, step: StepTemplate, words: TemplateWords) -> Iterator[Fault]:
    if step.agent and step.agent not in words.agents:
        yield Fault(f"{at}.agent", f"{step.agent!r} is no class of agent")
    if bool(step.agent) != (step.agent_ml > 0) or step.agent_ml > 20_000:
        yield Fault(
            f"{at}.agent_ml", "an agent and how much of it, up to 20 litres; neither or both"
        )
    if step.way and step.way not in WAYS:
        yield Fault(f"{at}.way", f"{step.way!r} is no way of applying an agent")
    dries = step.wait.dries if step.wait else None
    if dries is not None and dries not in words.drying:
        yield Fault(f"{at}.wait", f"{dries!r} dries by no known rule")


def _record(at: str, record: Record) -> Iterator[Fault]:
    yield from _said(f"{at}.records", record.label, 3, most=120)
    if record.kind not in RECORDS or not ID.fullmatch(record.id):
        yield Fault(
            f"{at}.records",
            "a grade, a reading, words, or a question that is answered by yes or no",
        )
    elif (record.kind == "reading") != (record.quantity in QUANTITIES):
        yield Fault(f"{at}.records", "a reading says of what: a quantity, which nothing else has")
    elif not record.consequences:
        yield Fault(f"{at}.records", "say what the bad answer does: stop, fit new, once more, note")
    for consequence in record.consequences:
        if consequence.kind not in CONSEQUENCES or not consequence.text.strip():
            yield Fault(f"{at}.records", "say what the bad answer means: it is shown beside it")
        if consequence.kind == "more" and not consequence.parts:
            yield Fault(f"{at}.records", "name the kinds of part that join the scope")
        if record.kind == "yes_no" and consequence.answer not in ("yes", "no"):
            yield Fault(f"{at}.records", "the bad answer is yes or no")


def in_variant(procedure: PartProcedure, variant: VariantLike) -> list[tuple[int, StepTemplate]]:
    """The steps that stand in a variant with their places in the template, in the card's order."""
    held = [
        (i, s)
        for i, s in enumerate(procedure.steps)
        if variant.work in s.works and set(s.when) <= variant.tags
    ]
    return sorted(held, key=lambda pair: STAGES.index(pair[1].place))


def _variant_faults(procedure: PartProcedure, variant: VariantLike) -> Iterator[Fault]:
    """A procedure that opens and never closes, or closes what nobody opened, in this variant."""
    tags = ", ".join(sorted(t.replace("_", " ") for t in variant.tags))
    under = f"{variant.work}: {tags}"
    keys: set[str] = set()
    opened: dict[str, int] = {}
    closed: set[str] = set()
    steps = in_variant(procedure, variant)
    if not steps and variant.work == "clean":
        yield Fault("steps", f"no step is left under {under}")
    for i, step in steps:
        if step.key in keys:
            yield Fault(f"steps[{i}].key", f"{step.key!r} stands twice under {under}")
        keys.add(step.key)
        for what in step.closes:
            if what not in opened:
                yield Fault(
                    f"steps[{i}].closes", f"“{what}” is closed but not opened before, under {under}"
                )
            elif what in closed:
                yield Fault(f"steps[{i}].closes", f"“{what}” is closed already, under {under}")
            closed.add(what)
        for item in step.opens:
            if item.what in opened:
                yield Fault(f"steps[{i}].opens", f"“{item.what}” is open already, under {under}")
            opened[item.what] = i
    for what, i in opened.items():
        if what not in closed:
            yield Fault(
                f"steps[{i}].opens", f"“{what}” is opened here and never closed, under {under}"
            )


def relearn_faults(relearn: RelearnTemplate) -> list[Fault]:
    """Everything that is wrong with a relearn; empty when it can be run to an end."""
    faults = [*_said("title", relearn.title, 3, most=80)]
    if len(relearn.success.strip()) < 10:
        text = "a relearn needs a test of success: what must be read or seen when it has learned"
        faults.append(Fault("success", text))
    if len(relearn.failure.strip()) < 10:
        faults.append(Fault("failure", "say what failure means and what is looked at next"))
    if not relearn.phases:
        faults.append(Fault("phases", "at least one phase"))
    ids = [c for c, _ in relearn.conditions]
    for i, (name, text) in enumerate(relearn.conditions):
        faults += _said(f"conditions[{i}]", text, 3, most=120)
        if not ID.fullmatch(name) or name in ids[:i]:
            faults.append(Fault(f"conditions[{i}]", "an id of its own"))
    names = [p.id for p in relearn.phases]
    for i, phase in enumerate(relearn.phases):
        at = f"phases[{i}]"
        faults += _said(f"{at}.text", phase.text, 5, most=300)
        faults += _said(f"{at}.normal", phase.normal, 5, most=300)
        if not ID.fullmatch(phase.id) or phase.id in names[:i]:
            faults.append(Fault(f"{at}.text", "an id of its own"))
        if not 0 < phase.hold_minutes <= LONGEST_MINUTES:
            faults.append(Fault(f"{at}.hold_minutes", "a hold above 0 and up to two days"))
    return faults
