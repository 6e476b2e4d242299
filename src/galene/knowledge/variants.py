"""Which variants of a procedure the schools can ask for: what a template is checked against before it is in force."""

from functools import lru_cache
from itertools import product

from galene.core.airpath import Part
from galene.core.template_faults import TemplateWords
from galene.knowledge.agents import AGENTS
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.families import FAMILIES
from galene.knowledge.schools import BY_LETTER, tags_of, way_in_place

TAG_WORDS: dict[str, str] = {
    "on_engine": "on the engine",
    "off_engine": "off the engine",
    "light": "up to grade 2",
    "heavy": "grade 3 and over",
    "on_cloth": "E: on cloth or brush",
    "direct": "E: direct, cable",
    "gentle": "D: gently by hand",
    "free": "D: free, cable",
    "service_mode": "D: never by hand",
    "by_hand": "D: moved by hand",
    "by_scan_tool": "N: scan tool",
    "by_jumper": "N: jumper",
    "hand": "L, R: by hand",
    "bath_own": "R: own bath",
    "bath_out": "L, R: sent out",
    "opened": "laid open",
    "soak": "M: by hand",
    "blast": "M: blasted",
    "upkeep": "M: upkeep",
    "in_place": "K: in place",
    "leave": "K: left",
}
"""Tags of variants in words, with the school that decides."""
SCHOOL_WORDS: dict[str, str] = {t: w for t, w in TAG_WORDS.items() if w[0].isupper()}
"""Tags that a school decides, with its letter."""
LETTERS: dict[str, str] = {"throttle_body": "DE", "egr_valve": "KN", "egr_passage": "K", "intake_manifold": "KLR", "intake_ports": "KM"}
"""Kinds of part whose procedure depends on schools, and their letters."""
WORDS = TemplateWords(frozenset(AGENTS), frozenset({"alkanes", "2-propanol", "acetone", "aromatics", "water", "soap_and_water", "maf_cleaner", "contact_cleaner", "throttle_cleaner"}), frozenset(CAUTIONS), frozenset(TAG_WORDS))  # fmt: skip


def _tags(component: str) -> frozenset[frozenset[str]]:
    """Every set of tags that the schools give a kind of part, over all kinds of engine, grades and distances."""
    letters = LETTERS.get(component, "")
    policies = [dict(zip(letters, c, strict=True)) for c in product(*([x for x, _ in BY_LETTER[letter].choices] for letter in letters))]
    parts = [Part("part", component, "Part", features) for features in ((), ("electronic",))]
    return frozenset(
        tags_of(family, part, grade, km, policy, "", opened)
        for family, part, grade, km, policy, opened in product(FAMILIES.values(), parts, (2, 4), (0.0, 200_000.0), policies, (False, True))
    )


@lru_cache(maxsize=1)
def _every() -> dict[str, frozenset[frozenset[str]]]:
    found: dict[str, set[frozenset[str]]] = {}
    for component in LETTERS:
        for tags in _tags(component):
            found.setdefault(way_in_place(tags) or component, set()).add(tags)
    # One go treats several parts, so that the tags of any of them may come together.
    flush = found["running_flush"]
    found["running_flush"] = flush | {a | b for a in flush for b in flush}
    return {k: frozenset(v) for k, v in found.items()}


def variants_of(procedure_id: str) -> list[frozenset[str]]:
    """Tags that come together, with where the part is and how heavy its deposit."""
    chosen = _every().get(procedure_id, frozenset({frozenset()}))
    return [t | {where, grade} for t in sorted(chosen, key=sorted) for where in ("on_engine", "off_engine") for grade in ("light", "heavy")]


def tags_for(procedure_id: str) -> list[str]:
    """Tags that steps of a procedure may depend on, in the order of their words."""
    known = {t for tags in variants_of(procedure_id) for t in tags}
    return [t for t in TAG_WORDS if t in known]
