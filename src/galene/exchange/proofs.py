"""The JSON contract of a proof: checked for shape here, judged in the core."""

from collections.abc import Iterable, Mapping
from typing import Any, Literal

from pydantic import ConfigDict, Field

from galene.core.airpath.family import Band, EngineFamily
from galene.core.calculations.before_after import MetricValue
from galene.core.calculations.catalogue import as_plain
from galene.core.calculations.conditions import Conditions
from galene.core.calculations.metrics import METRICS
from galene.core.diagnosis.codes import read_codes
from galene.core.errors import InputError, require
from galene.core.proof.prove import prove
from galene.core.proof.proving_verdict import judge_test
from galene.core.proof.records import (
    CodesTold,
    Proof,
    ProofCase,
    ProvenCause,
    ReadingSide,
    SymptomWord,
    TestProof,
    TestRun,
    TestSide,
)
from galene.exchange.shapes import Strict, shaped
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.check_readings import READINGS as CHECK_READINGS
from galene.knowledge.codes import code_meaning
from galene.knowledge.families import FAMILIES
from galene.knowledge.proving import (
    OTHER_TESTS,
    READINGS,
    SYMPTOM_TEXTS,
    polarity_of,
    proven_cause,
    title_of,
)

MOST = 200
"""Entries of a list that one case may hold."""


class DeviationFile(Strict):
    """One sensor of a key-on reading, as its calculation gives it."""

    component: str = Field(max_length=60)
    deviation_kpa: float | None = None
    within: bool | None = None


class SideFile(Strict):
    """A test's result: of its calculation as it gives it, or evidence, or a grade."""

    model_config = ConfigDict(extra="allow", allow_inf_nan=False)

    verdict: str | None = Field(None, max_length=40)
    evidence: dict[str, Literal["present", "absent", "unknown"]] = Field({}, max_length=MOST)
    grade: int | None = Field(None, ge=0, le=4)
    deviations: list[DeviationFile] = Field([], max_length=MOST)


class TestFile(Strict):
    """The same test before and after."""

    test: str = Field(max_length=60)
    before: SideFile | None = None
    after: SideFile | None = None


class ReadingsFile(Strict):
    """Readings of one side."""

    conditions: Conditions | None = None
    metrics: list[MetricValue] = Field([], max_length=MOST)


class BothReadings(Strict):
    """Readings of both sides."""

    before: ReadingsFile | None = None
    after: ReadingsFile | None = None


class CodesFile(Strict):
    """Codes before, and after a drive."""

    before: list[str] = Field([], max_length=MOST)
    after_stored: list[str] = Field([], max_length=MOST)
    after_pending: list[str] = Field([], max_length=MOST)
    drive_done: bool | None = None
    monitors_ready: bool | None = None


class ProofFile(Strict):
    """A repair: its family, what it was, and what shows it."""

    family: str = Field(max_length=60)
    causes: list[str] = Field(min_length=1, max_length=MOST)
    tests: list[TestFile] = Field([], max_length=MOST)
    readings: BothReadings = BothReadings()
    bands: dict[str, tuple[float, float]] = Field({}, max_length=MOST)
    symptoms: dict[str, Literal["gone", "less", "same"]] = Field({}, max_length=MOST)
    codes: CodesFile = CodesFile()


def prove_case(given: Any, families: Mapping[str, EngineFamily] = FAMILIES) -> Any:
    """Judge a repair; `families` are the workshop's own where there are any.

    Raises
    ------
    InputError
        Wrong shape, unknown ids, a cause that the engine can not have, an impossible figure.
    """
    told = shaped(ProofFile, given)
    if told.family not in families:
        raise InputError("family", told.family, ", ".join(families))
    family = families[told.family]
    require(
        len(set(told.causes)) == len(told.causes), "causes", told.causes, allowed="each cause once"
    )
    case = ProofCase(
        causes=tuple(proven_cause(c, family) for c in told.causes),
        tests=tuple(_run(i, t) for i, t in enumerate(told.tests)),
        before=_side(told.readings.before),
        after=_side(told.readings.after),
        bands={**family.bands, **_bands(told.bands)},
        symptoms=_symptoms(told.symptoms),
        codes=_codes(told.codes),
    )
    proof = proof_of(case)
    plain = as_plain(proof)
    return {
        "verdict": plain["verdict"],
        "headline": plain["headline"],
        "tests": [{k: t[k] for k in ("test", "verdict", "text")} for t in plain["tests"]],
        "readings": [{k: r[k] for k in ("metric", "verdict", "text")} for r in plain["readings"]],
        "missing": plain["missing"],
    }


def proof_of(case: ProofCase) -> Proof:
    """Judge a repair with the words of the knowledge tables."""
    tests = tuple(_judged(run, case) for run in case.tests)
    codes = (*case.codes.before, *case.codes.after_stored, *case.codes.after_pending)
    known = {t.test for c in case.causes for t in c.tests} | {t.test for t in case.tests}
    named = ProofCase(
        **{
            **case.__dict__,
            "symptom_texts": SYMPTOM_TEXTS,
            "test_titles": {t: title_of(t) for t in known},
            "spoke_of": {r.test: _spoke_of(r.before, r.test, case.causes) for r in case.tests},
            "group_of": {c: code_meaning(c).group or "" for c in codes},
        }
    )
    return prove(named, tests)


def silent_before(causes: Iterable[ProvenCause], before: Mapping[str, TestSide]) -> frozenset[str]:
    """Tests of these causes that showed no fault before the work, by their sides then."""
    case = ProofCase(causes=tuple(causes))
    runs = (TestRun(test=t, before=side, after=side) for t, side in before.items())
    return frozenset(r.test for r in runs if _judged(r, case).verdict == "passed")


def _spoke_of(side: TestSide | None, test: str, causes: Iterable[ProvenCause]) -> frozenset[str]:
    """Of which causes a test spoke by what it showed."""
    if side is None:
        return frozenset()
    told = dict(side.evidence)
    reading = CHECK_READINGS.get(test)
    if reading is not None:
        told |= {e: state for e, (state, _) in reading.says.get(side.verdict, {}).items()}
    bad = [e for e, state in told.items() if polarity_of(e).bad == state]
    linked = {c for e in bad for c in KNOWLEDGE.evidence[e].links}
    return frozenset(c.id for c in causes if c.id in linked)


def _judged(run: TestRun, case: ProofCase) -> TestProof:
    evidence = {e for side in (run.before, run.after) if side is not None for e in side.evidence}
    return judge_test(
        run,
        READINGS.get(run.test),
        title=title_of(run.test),
        polarities={e: polarity_of(e) for e in evidence},
        components=tuple(c.component for c in case.causes),
        bands=case.bands,
    )


def _run(i: int, told: TestFile) -> TestRun:
    test = told.test.replace("-", "_")
    by_calculation = {c.calculation: c.id for c in KNOWLEDGE.checks.values() if c.calculation}
    if test not in KNOWLEDGE.checks and test not in OTHER_TESTS:
        # A calculation's own name stands for the check that it reads.
        test = by_calculation.get(told.test.replace("_", "-"), test)
    if test not in KNOWLEDGE.checks and test not in OTHER_TESTS:
        known = (*KNOWLEDGE.checks, *OTHER_TESTS)
        raise InputError(f"tests[{i}].test", told.test, ", ".join(known))
    return TestRun(
        test=test,
        before=_test_side(f"tests[{i}].before", told.before),
        after=_test_side(f"tests[{i}].after", told.after),
    )


def _test_side(where: str, told: SideFile | None) -> TestSide | None:
    if told is None:
        return None
    for evidence in told.evidence:
        if evidence not in KNOWLEDGE.evidence:
            raise InputError(f"{where}.evidence", evidence, "an id of the vocabulary")
    figures = {
        k: float(v)
        for k, v in (told.model_extra or {}).items()
        if isinstance(v, int | float) and not isinstance(v, bool)
    }
    for name, value in figures.items():
        require(abs(value) < 1e9, f"{where}.{name}", value, allowed="a figure that a test can give")
    return TestSide(
        verdict=told.verdict or "",
        figures=figures,
        grade=told.grade,
        evidence=told.evidence,
        within={d.component: d.within for d in told.deviations if d.within is not None},
    )


def _side(told: ReadingsFile | None) -> ReadingSide | None:
    if told is None:
        return None
    return ReadingSide(metrics=tuple(told.metrics), conditions=told.conditions)


def _bands(told: Mapping[str, tuple[float, float]]) -> dict[str, Band]:
    for metric, (low, high) in told.items():
        if metric not in METRICS:
            raise InputError("bands", metric, ", ".join(METRICS))
        require(low < high, f"bands.{metric}", [low, high], allowed="the low end, then the high")
    return {m: Band(low, high, "this case") for m, (low, high) in told.items()}


def _symptoms(told: Mapping[str, SymptomWord]) -> dict[str, SymptomWord]:
    for symptom in told:
        if symptom not in SYMPTOM_TEXTS:
            raise InputError("symptoms", symptom, ", ".join(SYMPTOM_TEXTS))
    return dict(told)


def _codes(told: CodesFile) -> CodesTold:
    return CodesTold(
        before=_read("codes.before", told.before),
        after_stored=_read("codes.after_stored", told.after_stored),
        after_pending=_read("codes.after_pending", told.after_pending),
        drive_done=told.drive_done,
        monitors_ready=told.monitors_ready,
    )


def _read(where: str, codes: list[str]) -> tuple[str, ...]:
    found = []
    for i, code in enumerate(codes):
        read = read_codes(code[:40])
        if len(read.codes) != 1 or read.not_understood:
            raise InputError(f"{where}[{i}]", code[:40], "a trouble code such as P0401")
        found.append(read.codes[0].code)
    return tuple(dict.fromkeys(found))
