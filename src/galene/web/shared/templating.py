"""The template environment: filters for units and times, and the frame of a job's pages."""

import contextlib
import re
from collections.abc import Callable, Mapping, MutableMapping
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached
from jinja2 import Environment, FileSystemBytecodeCache, FileSystemLoader, StrictUndefined
from jinja2.bccache import Bucket
from jinja2.runtime import Context
from markupsafe import Markup

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.must_go_back import KINDS, WORST_FIRST
from galene.core.chemistry.judge import PROPERTIES
from galene.core.diagnosis.codes import read_codes
from galene.core.jobcard.job_records import Handover
from galene.core.units import QUANTITIES, UNIT_SIGNS, in_system, shown
from galene.jobs.act import family_of, revision
from galene.jobs.gates import open_items
from galene.jobs.stages import STAGES, lacks
from galene.jobs.waits import running_waits
from galene.jobs.work import current_step
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.cautions import CAUTIONS, GENERAL_NOTICE
from galene.knowledge.codes import GROUPS, code_meaning
from galene.knowledge.components import COMPONENTS, DEPOSIT_KINDS, GRADES, deposits_of
from galene.knowledge.hazards import WORKSHEET_HAZARDS, cautions_of_check, cautions_of_phase
from galene.knowledge.variants import SCHOOL_WORDS
from galene.knowledge.verdict_words import verdict_words
from galene.store.models import ItemRow, Job, WaitRow
from galene.web.shared.assets import static
from galene.web.shared.forms import SAID
from galene.web.shared.texts import say

WEB = Path(__file__).parent.parent
FOLDERS = [path.parent for path in sorted(WEB.glob("*/__init__.py"))]
"""One folder a feature: its templates lie beside its routes, under names of their own."""
STAGE_TITLES = {
    "intake": "Intake",
    "evidence": "Evidence",
    "diagnosis": "Diagnosis",
    "plan": "Plan",
    "work": "Work",
    "prove": "Relearn and prove",
    "handover": "Handover",
}


def quantity_text(value: float | None, quantity: str, system: str = "metric") -> str:
    """A kept value as text with its unit; a dash where there is none."""
    return "–" if value is None else shown(quantity, value, system)


def bare_number(value: float | None, quantity: str, system: str = "metric") -> str:
    """A kept value as a number in the workshop's unit, for a form's field."""
    if value is None:
        return ""
    from galene.core.units import convert

    kind = QUANTITIES[quantity]
    unit = in_system(kind, system)
    return f"{convert(kind, value, kind.kept.id, target=unit.id):.{unit.decimals}f}"


def money(value: float, currency: str) -> str:
    """An amount with two decimals."""
    return f"{currency}\u202f{value:,.2f}".replace(",", "\u202f")


def minutes_text(minutes: float) -> str:
    """Minutes as a technician says them."""
    whole = round(minutes)
    return f"{whole}\u202fmin" if whole < 90 else f"{whole // 60}\u202fh {whole % 60:02d}"


def engine_text(family: EngineFamily) -> str:
    """What tells one engine from another at the bonnet: fuel and way of injection, litres,
    cylinders."""
    direct = ", direct" if family.fuel != "diesel" and family.injection == "direct" else ""
    strokes = " two-stroke" if family.cycle == "two_stroke" else ""
    many = "cylinder" if family.cylinders == 1 else "cylinders"
    return (
        f"{family.fuel}{strokes}{direct}, {family.displacement_l:g}\u202fl,"
        f" {family.cylinders}\u202f{many}"
    )


def day_text(when: datetime | date | str | None) -> str:
    """A day as 24 Nov 2026."""
    if not when:
        return "–"
    moment = datetime.fromisoformat(when) if isinstance(when, str) else when
    return f"{moment:%d %b %Y}".lstrip("0")


def clock_text(when: datetime | str | None) -> str:
    """Day and time in the server's local zone."""
    if not when:
        return "–"
    moment = (datetime.fromisoformat(when) if isinstance(when, str) else when).astimezone()
    return f"{moment:%d %b, %H:%M}".lstrip("0")


class PatientCache(FileSystemBytecodeCache):
    """Compiled templates on the disk. On a full disk they are compiled anew: the page that says so
    must not fail by it."""

    def dump_bytecode(self, bucket: Bucket) -> None:
        """Keep one, where there is room."""
        with contextlib.suppress(OSError):
            super().dump_bytecode(bucket)


@dataclass(frozen=True, kw_only=True)
class RailStop:
    """One stage on the rail. `mark`: past, here or ahead; `note` what it still lacks."""

    id: str
    title: str
    mark: str
    note: str


@dataclass(frozen=True, kw_only=True)
class Frame:
    """What stands round every page of a job."""

    rail: tuple[RailStop, ...]
    items: tuple[ItemRow, ...]
    waits: tuple[WaitRow, ...]
    dangers: tuple[str, ...]
    stage: str


def dangers_of(job: Job) -> tuple[str, ...]:
    """What is dangerous on this job now, worst first."""
    found = [f"Vehicle marked: {h}. Qualified person only" for h in job.vehicle.hazards]
    if job.card.held:
        found.insert(0, f"Held: {job.card.held.why}")
    if job.stage == "work":
        step = current_step(job)
        found += [
            f"{c.hazard}: {c.harm}"
            for c in (CAUTIONS[x] for x in (step.document.cautions if step else ()))
            if c.serious
        ]
        if any(i.kind == "rag inside" for i in open_items(job)):
            found.insert(0, "A cloth is inside the intake: no cranking")
    if job.stage == "prove":
        found.append("Exhaust gas: outside or extraction on")
        if open_items(job):
            found.insert(0, "Items are open: read the list before any start")
    return tuple(found)


def frame_of(job: Job, now: datetime, stage: str) -> Frame:
    """Rail and strip of a job."""
    here = STAGES.index(job.stage)
    stops = []
    for i, name in enumerate(STAGES):
        mark = "past" if i < here or job.state == "finished" else "here" if i == here else "ahead"
        missing = lacks(job, name) if i == here and job.state == "open" else []
        note = f"needs {missing[0].text}" if missing else ""
        stops.append(RailStop(id=name, title=STAGE_TITLES[name], mark=mark, note=note))
    items = sorted(
        open_items(job),
        key=lambda x: (not x.dangerous, WORST_FIRST.index(x.kind) if x.kind in WORST_FIRST else 99),
    )
    return Frame(
        rail=tuple(stops),
        items=tuple(items),
        waits=tuple(running_waits(job, now)),
        dangers=dangers_of(job),
        stage=stage,
    )


def plain_words(value: Any) -> str:
    """What the record keeps, as words: yes and no, ids without their marks, lists with commas."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Mapping):
        return ", ".join(f"{plain_words(k)} {plain_words(v)}" for k, v in value.items())
    if isinstance(value, list | tuple):
        return ", ".join(plain_words(v) for v in value)
    if isinstance(value, str) and re.fullmatch(r"[a-z0-9_.:]+", value):
        return re.sub(r"[_.]", " ", SAID.get(value, value)).replace(":", ", ")
    return f"{value:g}" if isinstance(value, float) else str(value)


def fault_line(name: str, said: str) -> str:
    """What is wrong with a field in one line: the row of a table by its number, and the field's
    name where the fault does not begin with its label."""
    base, _, row = name.rpartition(".")
    if base and row.isdigit():
        name, said = base, f"Row {int(row) + 1}: {said}"
    if re.match(r"[A-Z][^.:]{1,60}: ", said):
        return said
    words = plain_words(name)
    return f"{words[:1].upper()}{words[1:]}: {said}"


def evidence_text(evidence_id: str) -> str:
    """The words of a piece of evidence."""
    kind = KNOWLEDGE.evidence.get(evidence_id)
    return kind.text if kind else evidence_id


PROOF_TITLES = {
    "proven": "Proven",
    "better_to_confirm": "Better, to be confirmed",
    "not_better": "Not better",
    "not_comparable": "Can not be compared",
}
"""The verdict's word as a title."""


def exposure_text(value: float, hours: bool, system: str) -> str:
    """Km or miles, or engine hours, in the workshop's units."""
    return f"{value:.0f}\u202fh" if hours else quantity_text(value, "distance", system)


def it_was(handover: Handover) -> str:
    """What it was, in the words of the vocabulary and the technician's own."""
    titles = [KNOWLEDGE.causes[c.id].title for c in handover.causes if c.id in KNOWLEDGE.causes]
    told = "; ".join([*titles, *([handover.words] if handover.words else [])])
    if handover.unsure:
        return f"Not sure{': ' + told if told else ''}"
    return told


def unit_options(quantity: str) -> tuple[str, ...]:
    """Units that a field of this quantity may be entered in."""
    return tuple(u.id for u in QUANTITIES[quantity].units)


@cached(LRUCache(maxsize=400), key=lambda key, macro, *args: key, lock=Lock())
def remembered(key: Any, macro: Callable[..., Any], *args: Any) -> Markup:
    """What a macro gave for the same key before; a key must hold everything that its arguments
    decide."""
    return Markup(macro(*args))  # noqa: S704


def chance_text(probability: float) -> str:
    """A chance as a person reads it: never quite certain."""
    return (
        "> 99 %"
        if probability >= 0.995
        else "< 1 %"
        if probability < 0.005
        else f"{probability * 100:.0f} %"
    )


def _pair(one: Any) -> tuple[str, str]:
    """Value and words of an option: a part, operation, spare, caution, relearn, or a plain word."""
    if isinstance(one, str):
        return one, one.replace("_", " ")
    return one.id, next(
        str(getattr(one, a))
        for a in ("label", "name", "title", "text", "hazard")
        if hasattr(one, a)
    )


class Parts:
    """The components of a page by their names, `p.token(...)`: each is made when it is first asked
    for, once a page. It sees what the page's templates see."""

    def __init__(self, environment: Environment, seen: dict[str, Any]) -> None:
        self._environment, self._seen = environment, seen

    def __getattr__(self, name: str) -> Any:
        template = self._environment.get_template(f"components/{name}.html")
        macro = getattr(template.make_module(self._seen), name)
        setattr(self, name, macro)
        return macro


class PageContext(Context):
    """What a template sees: the components too, the same ones in all templates of a page."""

    def __init__(
        self,
        environment: Environment,
        parent: dict[str, Any],
        name: str | None,
        blocks: dict[str, Any],
        globals: MutableMapping[str, Any] | None = None,
    ) -> None:
        if "p" not in parent:
            seen = dict(parent)
            seen["p"] = parent["p"] = Parts(environment, seen)
        super().__init__(environment, parent, name, blocks, globals)


def _environment() -> Environment:
    env = Environment(
        loader=FileSystemLoader(FOLDERS),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
    )
    env.context_class = PageContext
    env.globals.update(
        cautions_of_check=cautions_of_check,
        cautions_of_phase=cautions_of_phase,
        WORKSHEET_HAZARDS=WORKSHEET_HAZARDS,
        _=say,
        static=static,
        STAGES=STAGES,
        STAGE_TITLES=STAGE_TITLES,
        COMPONENTS=COMPONENTS,
        DEPOSIT_KINDS=DEPOSIT_KINDS,
        deposits_of=deposits_of,
        GRADES=GRADES,
        CAUTIONS=CAUTIONS,
        GROUPS=GROUPS,
        GENERAL_NOTICE=GENERAL_NOTICE,
        KNOWLEDGE=KNOWLEDGE,
        code_meaning=code_meaning,
        read_codes=read_codes,
        revision=revision,
        MUST_GO_BACK=KINDS,
        SCHOOL_WORDS=SCHOOL_WORDS,
        remembered=remembered,
        family_of=family_of,
        unit_options=unit_options,
        Markup=Markup,
        it_was=it_was,
        exposure=exposure_text,
        PROOF_TITLES=PROOF_TITLES,
        shop_unit=lambda q, system: in_system(QUANTITIES[q], system).id,
    )
    filters: dict[str, Any] = {
        "q": quantity_text,
        "minus": lambda text: text.replace("-", "\u2212"),
        "upper_first": lambda text: text[:1].upper() + text[1:],
        "bare": bare_number,
        "money": money,
        "mins": minutes_text,
        "engine": engine_text,
        "day": day_text,
        "clock": clock_text,
        "evidence": evidence_text,
        "unit": lambda u: UNIT_SIGNS.get(u, u),
        "verdict": verdict_words,
        "plain": plain_words,
        "fault_line": fault_line,
        "iso": lambda d: d.isoformat(),
        "chance": chance_text,
        "key": lambda pair: pair[0],
        "named": lambda part: (part.id, part.label),
        "pair": _pair,
        "spare_name": lambda spare_id, family: family.spare(spare_id).name,
        "labels": lambda words: ", ".join(PROPERTIES[w] for w in words),
        "from_stamp": lambda seconds: datetime.fromtimestamp(seconds, UTC),
    }
    env.filters.update(filters)
    return env


TEMPLATES = _environment()


def warm_templates(folder: Path) -> None:
    """Compile every template, or take what a start before this one has compiled.

    Parameters
    ----------
    folder : where the compiled ones are kept; without it they are compiled all the same
    """
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        TEMPLATES.bytecode_cache = PatientCache(str(folder))
    for name in TEMPLATES.list_templates(extensions=["html"]):
        TEMPLATES.get_template(name)
