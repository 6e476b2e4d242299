"""Which variants of a procedure the schools can ask for: what a template is checked against."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import product

from galene.core.airpath.family import EngineFamily, Part
from galene.core.errors import InputError
from galene.core.planning.records import PartWork
from galene.core.planning.template_faults import TemplateWords
from galene.core.planning.words import Work
from galene.knowledge.agents import AGENTS
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.documents import read
from galene.knowledge.families import FAMILIES
from galene.knowledge.policy import BY_LETTER, DEFAULT_POLICY
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.treatment import Circumstances, Treater

TAG_WORDS: dict[str, str] = read("variants.toml", dict[str, str], "tags")
"""Tags of variants in words, with the school that decides."""
SCHOOL_WORDS: dict[str, str] = {
    t: w for t, w in TAG_WORDS.items() if w[:1].isupper() and w[1] in ":,"
}
"""Tags that a school decides, with its letter."""
LETTERS: dict[str, str] = read("variants.toml", dict[str, str], "letters")
"""Kinds of part whose procedure depends on schools, and their letters."""
DRYING = frozenset(
    {
        "alkanes",
        "2-propanol",
        "acetone",
        "aromatics",
        "water",
        "soap_and_water",
        "maf_cleaner",
        "contact_cleaner",
        "throttle_cleaner",
    }
)
WORDS = TemplateWords(
    agents=frozenset(AGENTS),
    drying=DRYING,
    cautions=frozenset(CAUTIONS),
    tags=frozenset(TAG_WORDS),
    kinds=frozenset(COMPONENTS),
)


@dataclass(frozen=True)
class Variant:
    """A kind of work with the tags that come together for it."""

    work: Work
    tags: frozenset[str]


def policies_of(letters: str) -> Iterator[dict[str, str]]:
    """Every combination of the choices of some letters, over the default schools."""
    choices = [[c for c, _ in BY_LETTER[letter].choices] for letter in letters]
    for chosen in product(*choices):
        yield {**DEFAULT_POLICY, **dict(zip(letters, chosen, strict=True))}


def _variants(family: EngineFamily, part: Part) -> Iterator[tuple[str, Variant]]:
    """Variants of one part of one engine, over schools, grades, oil, where it lies."""
    seen: set[tuple[frozenset[str], str]] = set()
    for policy in policies_of(LETTERS.get(part.component, "G")):
        treater = Treater(family=family, now=Circumstances(policy=policy))
        for grade, kind, off, opened, asked in product(
            (2, 4), ("", "oil_film"), (False, True), (False, True), ("clean", "upkeep")
        ):
            try:
                work = treater.work_of(part, asked)  # type: ignore[arg-type]
                one = PartWork(part=part.id, work=work, grade=grade, kind=kind)
                tags = treater.tags(part, one, off=off, opened=opened)
            except InputError:
                continue
            for done in (work, *OTHERS) if asked == "clean" else (work,):
                name = treater.procedure_for(part, done, tags).component
                if (tags, f"{name}:{done}") not in seen:
                    seen.add((tags, f"{name}:{done}"))
                    yield name, Variant(done, tags)


OTHERS: tuple[Work, ...] = ("replace", "repair", "inspect", "adjust")


@lru_cache(maxsize=1)
def _every() -> dict[str, frozenset[Variant]]:
    found: dict[str, set[Variant]] = {}
    for family in FAMILIES.values():
        for part in family.parts:
            for name, variant in _variants(family, part):
                works = {w for s in PROCEDURES[name].steps for w in s.works}
                if variant.work in works:
                    found.setdefault(name, set()).add(variant)
    return {k: frozenset(v) for k, v in found.items()}


def variants_of(procedure_id: str) -> list[Variant]:
    """Kinds of work and tags that come together for a procedure on the engines that ship."""
    every = _every().get(procedure_id, frozenset({Variant("clean", frozenset())}))
    return sorted(every, key=lambda v: (v.work, sorted(v.tags)))


def tags_for(procedure_id: str) -> list[str]:
    """Tags that steps of a procedure may depend on, in the order of their words."""
    known = {t for variant in variants_of(procedure_id) for t in variant.tags}
    return [t for t in TAG_WORDS if t in known]
