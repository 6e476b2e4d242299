"""What a test that is run again says: passed, better, failed, or not to be compared."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.family import Band
from galene.core.proof.records import (
    Figure,
    Polarity,
    TestProof,
    TestReading,
    TestRun,
    TestSide,
    TestWord,
)

CLEAN_GRADE = 1
"""Deposit grade up to which a part counts as clean: a film that does nothing (the grades' own
scale)."""


@dataclass(frozen=True)
class Seen:
    """How one side stands by one kind of result: whether it shows the fault, and in words. `rank`
    grows with how good it is, among the words of one test."""

    shows_fault: bool | None
    words: str
    rank: float = 0.0


def judge_test(
    run: TestRun,
    reading: TestReading | None,
    *,
    title: str,
    polarities: Mapping[str, Polarity],
    components: Sequence[str] = (),
    bands: Mapping[str, Band] | None = None,
) -> TestProof:
    """Judge one test.

    Parameters
    ----------
    run : both sides of it
    reading : how its figures and words are read, None for a look
    title : what it is called
    polarities : how the evidence that it gave speaks
    components : kinds of part that were worked on, for tests that speak of several
    bands : known-good band by metric

    Returns
    -------
    TestProof
        ``passed`` follows from the side after alone: what showed the fault shows it no more.
        ``better`` and ``failed`` need the same test before.
    """
    band = (bands or {}).get(reading.band) if reading and reading.band else None

    def told(verdict: TestWord, text: str) -> TestProof:
        return TestProof(test=run.test, verdict=verdict, text=f"{title}: {text}.")

    if run.after is None or run.after.says_nothing:
        return told("not_comparable", "not run again after the work")
    after = _seen(run.after, reading, band=band, polarities=polarities, components=components)
    if not after or any(s.shows_fault is None for s in after):
        what = next((s.words for s in after if s.shows_fault is None), "nothing that can be read")
        return told("not_comparable", f"after the work {what}")
    before = (
        _seen(run.before, reading, band=band, polarities=polarities, components=components)
        if run.before
        else []
    )
    now = ", ".join(s.words for s in after)
    was = ", ".join(s.words for s in before)
    if not any(s.shows_fault for s in after):
        passed = told("passed", f"{now}; before: {was}" if was else now)
        known = before and all(s.shows_fault is not None for s in before)
        showed = any(s.shows_fault for s in before) if known else None
        return replace(passed, showed_before=showed)
    if not before:
        return told("failed", f"it still shows the fault: {now}")
    if _gained(run, reading, before=before, after=after):
        return told("better", f"{now}; before: {was}. Better, but the fault still shows")
    return told("failed", f"it still shows the fault: {now}; before: {was}")


def _seen(
    side: TestSide,
    reading: TestReading | None,
    *,
    band: Band | None,
    polarities: Mapping[str, Polarity],
    components: Sequence[str],
) -> list[Seen]:
    found = [_evidence_seen(polarities[e], state) for e, state in side.evidence.items()]
    mine = {c: ok for c, ok in side.within.items() if not components or c in components}
    if mine:
        # Of several sensors the ones that were worked on answer for the work.
        found += [
            Seen(
                not ok,
                f"{c.replace('_', ' ')} {'agrees' if ok else 'is off'}",
                float(ok),
            )
            for c, ok in mine.items()
        ]
    elif side.verdict:
        found.append(_word_seen(side.verdict, reading, side.figures))
    elif side.figures and reading:
        found += _figures_seen(side.figures, reading, band)
    if side.grade is not None:
        found.append(Seen(side.grade > CLEAN_GRADE, f"grade {side.grade}", -side.grade))
    return found


def _evidence_seen(polarity: Polarity, state: str) -> Seen:
    if state == "unknown":
        return Seen(None, f"“{polarity.text}” was not answered")
    shows = state == polarity.bad
    words = f"“{polarity.text}” {'seen' if state == 'present' else 'not seen'}"
    return Seen(shows, words, -float(shows))


def _word_seen(verdict: str, reading: TestReading | None, figures: Mapping[str, float]) -> Seen:
    words = verdict.replace("_", " ")
    if reading is None or verdict not in (*reading.passed, *reading.failed):
        return Seen(None, f"its result says nothing of the fault ({words})")
    passes = verdict in reading.passed
    words = (reading.passed if passes else reading.failed)[verdict]
    shown = "" if verdict == "stalled" else _shown(reading.figures, figures)
    rank = len(reading.failed) if passes else list(reading.failed).index(verdict)
    return Seen(not passes, words + (f" ({shown})" if shown else ""), rank)


def _shown(known: Sequence[Figure], figures: Mapping[str, float]) -> str:
    return next(
        (f"{f.label} {figures[f.name]:.3g} {f.unit}".strip() for f in known if f.name in figures),
        "",
    )


def _figures_seen(
    figures: Mapping[str, float], reading: TestReading, band: Band | None
) -> list[Seen]:
    """A result without a verdict word, by its figures and their limits."""
    for i, figure in enumerate(reading.figures):
        value = figures.get(figure.name)
        if value is None:
            continue
        words = f"{figure.label} {value:.3g} {figure.unit}".strip()
        if i == 0 and band is not None:
            inside = value >= band.low if figure.aim == "higher" else band.low <= value <= band.high
            return [Seen(not inside, f"{words}, known good {band.low:g} to {band.high:g}", value)]
        if figure.passes_from is not None:
            passes = (
                value <= figure.passes_from
                if figure.aim == "lower"
                else value >= figure.passes_from
            )
            return [Seen(not passes, words, value)]
        return [Seen(None, f"{words}, and no good value is known")]
    return []


def _gained(
    run: TestRun, reading: TestReading | None, *, before: list[Seen], after: list[Seen]
) -> bool:
    """Whether a test that still shows the fault shows less of it."""
    if run.before is None or run.after is None:
        return False
    if sum(bool(s.shows_fault) for s in after) < sum(bool(s.shows_fault) for s in before):
        return True
    if run.before.grade is not None and run.after.grade is not None:
        return run.after.grade < run.before.grade
    if (
        reading
        and run.before.verdict in reading.failed
        and run.after.verdict in reading.failed
        and run.before.verdict != run.after.verdict
    ):
        return after[0].rank > before[0].rank
    return reading is not None and _figure_gained(reading, run.before.figures, run.after.figures)


def _figure_gained(
    reading: TestReading, before: Mapping[str, float], after: Mapping[str, float]
) -> bool:
    for figure in reading.figures:
        if figure.name not in before or figure.name not in after:
            continue
        old, new = before[figure.name], after[figure.name]
        if isinstance(figure.aim, float):
            gain = abs(old - figure.aim) - abs(new - figure.aim)
        else:
            gain = new - old if figure.aim == "higher" else old - new
        return gain > figure.least_share * abs(old)
    return False
