"""The trace of a job in words: every value by what its key holds, so that no id shows."""

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.jobs.act import family_of
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.log_channels import CHANNELS
from galene.knowledge.proving import title_of
from galene.knowledge.relearns import RELEARNS
from galene.store.models import AuditEntry, Job, Workshop
from galene.web.shared.templating import evidence_text, money, plain_words, quantity_text

KEYS = {
    "distance_km": "odometer",
    "up_to": "up to",
    "km": "driven",
    "temperature_c": "outside",
    "humidity": "humidity of the air",
    "frame": "freeze frame",
    "to": "to",
    "was": "before",
}
QUANTITIES = {"distance_km": "distance", "km": "distance", "temperature_c": "temperature"}
MONEY = ("price", "up_to", "cost")
SKIPPED = ("picture", "digest", "log", "columns")
"""What only the store reads."""


def told_of(entry: AuditEntry, job: Job, shop: Workshop) -> list[tuple[str, str]]:
    """What an entry of the trace holds, as pairs of words."""
    family = family_of(job)
    steps = {s.document.id: s.document.text for s in job.steps}
    answers = {r.id: r.label for s in job.steps for r in s.document.records}
    words: dict[str, Callable[[str], str]] = {
        "part": lambda v: _part(family, v),
        "parts": lambda v: _part(family, v),
        "causes": lambda v: KNOWLEDGE.causes[v].title if v in KNOWLEDGE.causes else v,
        "evidence": evidence_text,
        "results": evidence_text,
        "said": evidence_text,
        "symptoms": evidence_text,
        "check": title_of,
        "step": lambda v: steps.get(v, plain_words(v)),
        "caution": lambda v: CAUTIONS[v].hazard if v in CAUTIONS else plain_words(v),
        "records": lambda v: answers.get(v, plain_words(v)),
        "channels": lambda v: CHANNELS[v].label if v in CHANNELS else plain_words(v),
        "template": lambda v: RELEARNS[v].title if v in RELEARNS else plain_words(v),
    }
    found = []
    for key, value in entry.detail.items():
        if value in ("", None, [], {}) or key in SKIPPED:
            continue
        if key in QUANTITIES and isinstance(value, int | float):
            text = quantity_text(float(value), QUANTITIES[key], shop.system)
        elif key in MONEY and isinstance(value, int | float):
            text = money(float(value), shop.currency)
        elif key == "humidity":
            text = f"{100 * float(value):.0f} %"
        else:
            text = _said(value, words.get(key, plain_words))
        found.append((KEYS.get(key, plain_words(key)), text))
    return found


def _said(value: Any, word: Callable[[str], str]) -> str:
    """A value with its ids as words: of a table, the keys are ids and what stands there is said
    after them."""
    if isinstance(value, Mapping):
        return ", ".join(
            f"{word(str(k))}: {_numbers(v)}" if v not in ("", None, [], {}) else word(str(k))
            for k, v in value.items()
        )
    if isinstance(value, Iterable) and not isinstance(value, str):
        return ", ".join(word(str(v)) for v in value)
    return word(value) if isinstance(value, str) else plain_words(value)


def _numbers(value: Any) -> str:
    """What was said of an id: its state alone, where a share stands beside it."""
    if isinstance(value, list) and value and isinstance(value[0], str):
        return plain_words(value[0])
    return plain_words(value)


def _part(family: EngineFamily, part: str) -> str:
    if any(p.id == part for p in family.parts):
        return family.part(part).name
    kind = COMPONENTS.get(part)
    return kind.title if kind else plain_words(part)
