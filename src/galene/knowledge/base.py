"""The knowledge tables as one base for the diagnosis, and case files read against it."""

from collections.abc import Mapping
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.codes import read_codes
from galene.core.diagnosis.records import Case, EngineOutline, KnowledgeBase, Observation
from galene.core.errors import InputError
from galene.knowledge.causes import CAUSES, ROOT_CAUSES
from galene.knowledge.checks import CHECKS
from galene.knowledge.codes import code_meaning, evidence_of
from galene.knowledge.components import COMPONENTS
from galene.knowledge.dangers import DANGERS
from galene.knowledge.evidence import EVIDENCE

KNOWLEDGE = KnowledgeBase(
    causes={c.id: c for c in CAUSES},
    roots={r.id: r for r in ROOT_CAUSES},
    evidence={e.id: e for e in EVIDENCE},
    checks={c.id: c for c in CHECKS},
    components=frozenset(COMPONENTS),
    dangers=DANGERS,
)


def outline_of(family: EngineFamily) -> EngineOutline:
    """What the diagnosis must know of a family."""
    upstream = sum(
        p.component == "oxygen_sensor" and "upstream" in p.features for p in family.parts
    )
    return EngineOutline(
        components=family.components,
        fuel=family.fuel,
        injection=family.injection,
        cycle=family.cycle,
        throttle=family.throttle,
        banks=max(1, upstream),
        cooling=family.cooling,
    )


def code_evidence(codes: tuple[str, ...], banks: int = 1) -> dict[str, Observation]:
    """What the codes say together, as evidence.

    Raises
    ------
    InputError
        A text that is no trouble code, naming it.
    """
    known: list[tuple[str, bool]] = []
    for code in codes:
        read = read_codes(code)
        if len(read.codes) != 1 or read.not_understood:
            raise InputError("codes", code, "a trouble code such as P0171")
        known.append((read.codes[0].code, read.codes[0].status == "pending"))
    return {e: Observation("present", sure) for e, sure in evidence_of(known, banks).items()}


def case_from(given: Mapping[str, Any], outlines: Mapping[str, EngineOutline]) -> Case:
    """A case file (already checked for shape) as a case: the engine looked up, codes and duty
    turned into evidence.

    A code in `codes` makes its group present; saying the same group absent in `evidence` is a
    contradiction.
    """
    engine = given["engine"]
    if engine.get("family") is not None:
        if engine["family"] not in outlines:
            raise InputError("engine.family", engine["family"], ", ".join(sorted(outlines)))
        outline = outlines[engine["family"]]
    else:
        outline = EngineOutline(
            components=frozenset(engine["components"]),
            fuel=engine["fuel"],
            injection=engine["injection"],
            cycle=engine["cycle"],
            throttle=engine["throttle"],
        )
    evidence = {
        evidence_id: (
            seen
            if isinstance(seen, Observation)
            else Observation(**seen)
            if isinstance(seen, Mapping)
            else Observation(seen)
        )
        for evidence_id, seen in given.get("evidence", {}).items()
    }
    for code in given.get("codes", ()):
        read = read_codes(code).codes
        group = code_meaning(read[0].code).group if read else None
        if group in evidence and evidence[group].state == "absent":
            raise InputError(f"evidence.{group}", "absent", "not absent, as codes show it present")
    for source, found in (
        ("codes", code_evidence(tuple(given.get("codes", ())), outline.banks)),
        ("duty", {d: Observation("present") for d in given.get("duty", ())}),
    ):
        for evidence_id, seen in found.items():
            if evidence_id not in KNOWLEDGE.evidence:
                raise InputError(source, evidence_id, "an id of the vocabulary")
            if evidence_id in evidence and evidence[evidence_id].state == "absent":
                raise InputError(
                    f"evidence.{evidence_id}", "absent", f"not absent, as {source} show it present"
                )
            evidence[evidence_id] = seen
    return Case(
        engine=outline,
        evidence=evidence,
        codes=tuple(given.get("codes", ())),
        distance_km=given.get("distance_km"),
        hours=given.get("hours"),
        duty=tuple(given.get("duty", ())),
        access_open=tuple(given.get("access_open", ())),
        done_checks=tuple(given.get("done_checks", ())),
    )
