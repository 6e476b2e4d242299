"""The judgement of a repair: proven, better and to be confirmed, not better, not to be compared."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galene.core.calculations.metrics import METRICS
from galene.core.proof.readings import judge_readings, sides_of
from galene.core.proof.records import (
    CauseProof,
    Direction,
    Proof,
    ProofCase,
    ProofWord,
    ProvenCause,
    ReadingProof,
    TestProof,
)

ROAD = "road_test"


@dataclass(frozen=True, kw_only=True)
class _Told:
    """All that the ladder is climbed by."""

    case: ProofCase
    causes: tuple[CauseProof, ...]
    tests: Mapping[str, TestProof]
    readings: tuple[ReadingProof, ...]

    @property
    def own_groups(self) -> frozenset[str]:
        """Groups of codes that are the complaint's, or point to a cause."""
        codes = self.case.codes
        groups = {self.case.group_of.get(c, "") or c for c in codes.before}
        return frozenset(groups).union(*(c.code_groups for c in self.case.causes))

    def own(self, codes: Iterable[str]) -> list[str]:
        """Those of some codes that are of the complaint."""
        group = self.case.group_of
        return [c for c in codes if (group.get(c, "") or c) in self.own_groups]

    @property
    def complaint(self) -> str:
        """gone, less, same, or empty where nobody asked."""
        words = list(self.case.symptoms.values())
        if not words:
            return ""
        if all(w == "gone" for w in words):
            return "gone"
        return "same" if all(w == "same" for w in words) else "less"


def prove(case: ProofCase, tests: tuple[TestProof, ...]) -> Proof:
    """Judge a repair by what is known of it.

    Parameters
    ----------
    case : ProofCase
    tests : its tests, each judged

    Returns
    -------
    Proof

    Raises
    ------
    InputError
        A reading or a condition that can not be.

    Notes
    -----
    Proven: the separating test of every cause passed, no symptom is left, a drive was done and left
    no code, and no reading of a cause's own proof got worse. A stored code of the complaint's group
    is not better; a pending one, or any other code, is still to be confirmed. Monitors count where
    a code was the complaint: what has not been watched can not have been found. A reading outside
    of what the causes are proven by changes nothing.
    """
    directions: dict[str, Direction] = {
        metric: direction
        for cause in case.causes
        for test in cause.tests
        for metric, direction in test.metrics.items()
        if direction != "band"
    }
    sides = sides_of(case.before, case.after)
    readings = judge_readings(sides, bands=case.bands, directions=directions)
    by_id = {t.test: t for t in tests}
    causes = tuple(_cause(c, case, by_id, {r.metric: r for r in readings}) for c in case.causes)
    told = _Told(case=case, causes=causes, tests=by_id, readings=readings)
    missing = tuple(_missing(told))
    verdict = _ladder(told, missing)
    return Proof(
        verdict=verdict,
        headline=_headline(verdict, told, missing),
        tests=tests,
        readings=readings,
        causes=causes,
        missing=missing,
    )


def _cause(
    cause: ProvenCause,
    case: ProofCase,
    tests: Mapping[str, TestProof],
    readings: Mapping[str, ReadingProof],
) -> CauseProof:
    """How a cause stands: by its tests where one was run again, else by what stands for them. One
    that failed counts more than one that passed."""
    run: list[tuple[str, str, bool]] = []
    standing_in: list[tuple[str, str, bool]] = []
    for test in cause.tests:
        found = tests.get(test.test)
        of = case.spoke_of.get(test.test)
        if found and of and cause.id not in of and found.verdict != "failed":
            # It showed another cause: that this one is gone does not follow from it.
            found = None
        # What showed no fault before either tells nothing of its cure.
        if found is not None and not (found.verdict == "passed" and found.showed_before is False):
            run.append((found.verdict, test.test, bool(found.showed_before)))
        word = _by_readings([readings[m] for m in test.metrics if m in readings])
        if test.test == ROAD and found is None:
            word = _by_road(case)
        if word:
            # Readings that pass came into their band, and a drive without the complaint lost it.
            standing_in.append((word, test.test, True))
    for told in (run, standing_in):
        for wanted in ("failed", "better", "passed"):
            for word, test_id, shown in told:
                if word == wanted:
                    return CauseProof(
                        cause=cause.id,
                        title=cause.title,
                        verdict=wanted,
                        by=test_id,
                        shown=shown or wanted == "better",
                    )
    return CauseProof(
        cause=cause.id,
        title=cause.title,
        verdict="not_comparable" if run else "not_run",
        by=cause.tests[0].test,
    )


def _by_readings(told: list[ReadingProof]) -> str:
    """What the readings that stand for a test say: passed where all that have a band lie in it now
    and one came into it, or none could be taken before. Inside before and after proves nothing."""
    words = {r.verdict for r in told}
    banded = [r for r in told if r.in_band is not None]
    if banded and all(r.in_band for r in banded):
        shown = any(
            r.verdict == "better" or (r.verdict == "not_comparable" and r.after is not None)
            for r in banded
        )
        return "passed" if shown else "better" if "better" in words else ""
    if "better" in words:
        return "better"
    return "failed" if any(r.verdict in ("unchanged", "worse") for r in banded) else ""


def _by_road(case: ProofCase) -> str:
    """A drive without the complaint and without a code is the road test passed."""
    codes = case.codes
    if not codes.drive_done or any(w != "gone" for w in case.symptoms.values()):
        return ""
    if codes.after_stored or codes.after_pending:
        return ""
    return "passed" if case.symptoms or codes.before else ""


def _missing(told: _Told) -> Iterable[str]:
    """What would still tell, most telling first."""
    case, codes = told.case, told.case.codes
    if not case.started:
        yield "start"
    if not case.causes:
        yield "cause"
    for cause, proof in zip(case.causes, told.causes, strict=True):
        if proof.verdict != "passed":
            yield _still_due(cause, proof, told)
    yield from (f"worse:{metric}" for metric in _got_worse(told))
    for symptom, word in case.symptoms.items():
        if word != "gone":
            yield f"symptom:{symptom}"
    if not case.symptoms and not codes.before:
        yield "symptoms"
    if not codes.drive_done:
        yield "drive"
    for code in (*codes.after_stored, *codes.after_pending):
        yield f"code:{code}"
    if codes.before and codes.monitors_ready is False:
        yield "monitors"
    for end in case.open_ends:
        yield f"open:{end}"


def _still_due(cause: ProvenCause, proof: CauseProof, told: _Told) -> str:
    """The test that would tell of a cause; a test that passed is not to come once more."""
    if proof.verdict in ("better", "failed"):
        return f"test:{proof.by}"
    passed = {t.test for t in told.tests.values() if t.verdict == "passed"}
    left = [t.test for t in cause.tests if t.test not in passed | told.case.silent]
    return f"test:{left[0]}" if left else f"shown:{cause.id}"


def _got_worse(told: _Told) -> list[str]:
    """Readings of the causes' own proofs that got worse."""
    own = {m for c in told.case.causes for t in c.tests for m in t.metrics}
    return [r.metric for r in told.readings if r.verdict == "worse" and r.metric in own]


def _ladder(told: _Told, missing: tuple[str, ...]) -> ProofWord:
    codes = told.case.codes
    if not told.case.started:
        return "not_comparable"
    if told.own(codes.after_stored):
        return "not_better"
    if not missing:
        # Every cause's separating test that has not passed is among what is missing.
        return "proven"
    if told.complaint == "same":
        return "not_better"
    failed = any(c.verdict == "failed" for c in told.causes)
    if failed and told.complaint != "gone":
        return "not_better"
    if _anything_good(told):
        return "better_to_confirm"
    if any(r.verdict in ("worse", "unchanged") for r in told.readings) and told.case.tests == ():
        return "not_better"
    return "not_comparable"


def _anything_good(told: _Told) -> bool:
    """Whether something says that it is better."""
    return (
        any(c.verdict in ("passed", "better") for c in told.causes)
        or told.complaint in ("gone", "less")
        or any(r.verdict == "better" for r in told.readings)
    )


def _headline(verdict: ProofWord, told: _Told, missing: tuple[str, ...]) -> str:
    """One sentence or two that are true for the owner."""
    good = _sentence(_good(told))
    still = _joined(_missing_words(m, told) for m in missing)
    if verdict == "proven":
        return f"Proven. {good}."
    if verdict == "better_to_confirm":
        return f"Better, to be confirmed. {good}. Still to come: {still}."
    if verdict == "not_better":
        return f"Not better. {_sentence(_bad(told))}." + (f" {good}." if good else "")
    return f"Can not be compared. {_sentence(_why_not(told))}. What would tell: {still}."


def _joined(pieces: Iterable[str]) -> str:
    """Pieces in one row, each once."""
    told = [p for p in dict.fromkeys(pieces) if p]
    if len(told) < 2:
        return "".join(told)
    return "; ".join(told[:-1]) + "; and " + told[-1]


def _sentence(pieces: Iterable[str]) -> str:
    """Pieces as one sentence without its stop, capital first."""
    text = _joined(pieces)
    return text[:1].upper() + text[1:]


def _good(told: _Told) -> list[str]:
    codes = told.case.codes
    found = []
    for cause in told.causes:
        name = cause.title[:1].lower() + cause.title[1:]
        if cause.verdict == "passed" and cause.shown and told.case.confirmed:
            found.append(f"what showed “{name}” shows it no more")
        elif cause.verdict == "passed":
            found.append(f"its test finds nothing of “{name}”")
        elif cause.verdict == "better":
            found.append(f"what showed “{name}” shows less of it")
    if told.complaint == "gone":
        found.append("the complaint is gone")
    elif "gone" in told.case.symptoms.values() or "less" in told.case.symptoms.values():
        gone = [_symptom(s, told) for s, w in told.case.symptoms.items() if w == "gone"]
        less = [_symptom(s, told) for s, w in told.case.symptoms.items() if w == "less"]
        found += [f"{s} is gone" for s in gone] + [f"{s} is less" for s in less]
    if codes.drive_done and not codes.after_stored and not codes.after_pending:
        found.append("the drive brought no code")
    if not found and any(r.verdict == "better" for r in told.readings):
        found.append("readings came nearer to where they belong")
    return found


def _bad(told: _Told) -> list[str]:
    codes = told.case.codes
    found = [f"{c} is stored again after the drive" for c in told.own(codes.after_stored)]
    found += [
        f"{_symptom(s, told)} is as it was" for s, w in told.case.symptoms.items() if w == "same"
    ]
    found += [
        f"the test for “{c.title[:1].lower() + c.title[1:]}” still shows it"
        for c in told.causes
        if c.verdict == "failed"
    ]
    return found or ["the readings did not change for the better"]


def _why_not(told: _Told) -> list[str]:
    """Why there is nothing to go by."""
    if not told.case.started:
        return ["the engine has not run since the work"]
    unlike = [r.reason for r in told.readings if r.verdict == "not_comparable"]
    tests = [
        t.text.partition(": ")[2].rstrip(".")
        for t in told.tests.values()
        if t.verdict == "not_comparable"
    ]
    if unlike or tests:
        return [*tests[:1], *unlike[:1]]
    return ["nothing was measured again after the work"]


def _symptom(symptom: str, told: _Told) -> str:
    if symptom not in told.case.symptom_texts:
        # A complaint in the owner's own words has no name of the vocabulary.
        return "the complaint"
    text = told.case.symptom_texts[symptom]
    return f"“{text[:1].lower() + text[1:]}”"


def _missing_words(missing: str, told: _Told) -> str:
    kind, _, name = missing.partition(":")
    words = {
        "start": "the first start, and what is read after it",
        "cause": "what it was",
        "drive": "a drive, and the codes after it",
        "monitors": "the control unit's own monitors, run to their end",
        "symptoms": "the complaint, asked again",
    }
    if kind == "test":
        title = told.case.test_titles.get(name, name.replace("_", " "))
        return f"the test “{title}” passed"
    if kind == "symptom":
        return f"{_symptom(name, told)} gone for good"
    if kind == "open":
        return name
    if kind == "shown":
        cause = next(c.title for c in told.case.causes if c.id == name)
        return f"what shows that “{cause[:1].lower() + cause[1:]}” was there and is not"
    if kind == "worse":
        return f"why {METRICS[name].label.lower()} got worse"
    if kind == "code":
        return f"{name} gone after a drive"
    return words[kind]
