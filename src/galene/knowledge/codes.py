"""Generic meanings of trouble codes, in our own words, by the public standard's numbering (SAE
J2012, ISO 15031-6)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from galene.knowledge.documents import table


@dataclass(frozen=True, kw_only=True)
class CodeGroup:
    """Codes that name one function. `evidence` is the id in the diagnosis, `component` where it
    lights up the drawing."""

    evidence: str
    title: str
    says: str
    says_not: str
    component: str | None = None


GROUPS: dict[str, CodeGroup] = table("codes.toml", CodeGroup, "groups", by="evidence")


@dataclass(frozen=True, kw_only=True)
class CodeMeaning:
    """What a code means in general.

    `group` is None for a code outside this work; `evidence` is what the code's own meaning says in
    the diagnosis: of its group, or narrower (a circuit code blames no deposit); `bank` is that of
    the mixture it speaks of, 0 where none.
    """

    code: str
    text: str
    group: str | None = None
    evidence: str | None = None
    bank: int = 0


KNOWN: dict[str, CodeMeaning] = table("codes.toml", CodeMeaning, "codes", by="code")
NOT_OURS = frozenset({"P0148", "P0149", "P0168", "P0169", "P2072"})
KINDS = {"P": "engine and drive", "B": "body", "C": "chassis", "U": "network between control units"}


def code_meaning(code: str) -> CodeMeaning:
    """The generic meaning of a five-character code. Never fails for a code that can exist."""
    if code in KNOWN and code not in NOT_OURS:
        return KNOWN[code]
    text = "Generic code outside the air path: look it up in the service information"
    if code[0] != "P":
        text = f"A code of the {KINDS[code[0]]}: outside this work, keep it on the job and refer on"
    elif code[1] == "1" or (code[1] == "3" and code[2] in "0123"):
        text = "Maker's own code: look it up in the service information"
    return CodeMeaning(code=code, text=text)


PENDING_CONFIDENCE = 0.8
"""How sure a code is that was seen once only (project default)."""


def evidence_of(
    codes: Iterable[tuple[str, bool]],
    banks: int = 1,
    named: Mapping[str, str | None] = MappingProxyType({}),
) -> dict[str, float]:
    """What codes say together: evidence present, and how sure.

    Parameters
    ----------
    codes : each with whether it is only pending
    banks : rows of cylinders with a mixture control of their own
    named : maker's own codes to the evidence that the workshop gave them

    Notes
    -----
    On an engine of two banks, lean codes of one of them alone speak against what both share.
    """
    found: dict[str, float] = {}
    lean: set[int] = set()
    for code, pending in codes:
        meaning = code_meaning(code)
        evidence = meaning.evidence or named.get(code)
        if evidence:
            sure = PENDING_CONFIDENCE if pending else 1.0
            found[evidence] = max(sure, found.get(evidence, 0.0))
        if meaning.group == "code_lean" and meaning.bank:
            lean.add(meaning.bank)
    if banks > 1 and len(lean) == 1:
        found["lean_one_bank"] = 0.9
    return found
