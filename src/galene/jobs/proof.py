"""What a job proves: its causes, the tests that are run again, readings, the complaint, the
codes."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from galene.core.calculations.before_after import MetricValue
from galene.core.calculations.metrics import METRICS
from galene.core.diagnosis.measured import (
    MeasuredSet,
    key_on_of,
    outside_pressure_kpa,
    trim_split_of,
)
from galene.core.jobcard.job_records import KeptProof
from galene.core.logs.charge import charge_pull
from galene.core.proof.metrics import conditions_of, metrics_of
from galene.core.proof.records import (
    CodesTold,
    Proof,
    ProofCase,
    ProvenCause,
    ProvingTest,
    ReadingSide,
    SymptomWord,
    TestRun,
    TestSide,
)
from galene.exchange.proofs import proof_of, silent_before
from galene.jobs import log_traces, logs
from galene.jobs.act import family_of
from galene.jobs.bands import bands_of
from galene.jobs.diagnosis import assess_job
from galene.jobs.evidence import measured, set_of
from galene.jobs.fuel import change_by
from galene.jobs.rounds import done_steps
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.proving import SYMPTOM_TEXTS, own_words, proven_cause
from galene.store.models import CheckResult, Job, Workshop
from galene.store.repositories import jobs, people

LEVEL = "level"
"""The record's own name wherever a step asks for the coolant's level."""
LIKELY = 0.25
"""Chance from which a cause is to be proven cured before anybody has said what it was, where its
part was worked on (this project's judgement)."""
SYMPTOM_WORDS: Mapping[str, SymptomWord] = {"gone": "gone", "less": "less", "same": "same"}
COMPLAINT: Mapping[str, SymptomWord] = {"gone": "gone", "better": "less", "there": "same"}
Kept = Mapping[tuple[str, str], CheckResult]
"""Newest run of a check by its id and phase."""


@dataclass(frozen=True, kw_only=True)
class Told:
    """A proof with what it was made of, for the page."""

    proof: Proof
    causes: tuple[ProvenCause, ...]
    confirmed: bool
    kept: Kept


def symptoms_of(job: Job) -> tuple[str, ...]:
    """Symptoms that were there at intake, in the vocabulary's order."""
    present = {o.evidence for o in job.observations if o.state == "present"}
    return tuple(s for s in SYMPTOM_TEXTS if s in present)


def causes_to_prove(job: Job, hourly_rate: float) -> tuple[str, ...]:
    """What the proof is about: what it was where that is said, nothing where nobody knows; else the
    likely causes of the parts that were worked on, else the deposits that such parts wear."""
    if job.handover.said:
        return tuple(c.id for c in job.handover.causes)
    family = family_of(job)
    ranking = assess_job(job, hourly_rate).causes
    treated = {
        family.part(p).component
        for s in job.steps
        if s.done_at and not s.records.left_out
        for p in s.document.treats or (s.document.part,)
        if p and s.document.work
    }
    mended = [c for c in ranking if KNOWLEDGE.causes[c.id].component in treated]
    likely = tuple(c.id for c in mended if c.probability >= LIKELY)
    if likely:
        return likely
    if ranking and ranking[0].probability >= LIKELY and not treated:
        return (ranking[0].id,)
    worn: dict[str, str] = {}
    outline = outline_of(family)
    for cause in KNOWLEDGE.causes.values():
        if cause.kind == "deposit" and cause.component in treated and cause.possible_on(outline):
            worn.setdefault(cause.component, cause.id)
    return tuple(worn.values())


def kept_checks(db: Session, job: Job) -> Kept:
    """The newest run of every check on a job before and after the work."""
    return _newest(job, jobs.check_results(db, job.id))


def _newest(job: Job, runs: Sequence[CheckResult]) -> Kept:
    """The first of each check and side. What proved an earlier round is how this one found the
    car."""
    found: dict[tuple[str, str], CheckResult] = {}
    for row in runs:
        stale = row.phase == "after" and not _of_this_round(job, row.at)
        found.setdefault((row.check_id, "before" if stale else row.phase), row)
    return found


def _of_this_round(job: Job, at: datetime) -> bool:
    return job.work_began_at is None or at >= job.work_began_at


def _taken(job: Job, phase: str, kind: str) -> MeasuredSet | None:
    """A set of readings; one of an earlier round's after is none of this one's."""
    row = set_of(job, phase, kind)
    if row is None or (phase == "after" and not _of_this_round(job, row.taken_at)):
        return None
    return measured(job, phase, kind)


def told_of(db: Session, job: Job, shop: Workshop | None = None) -> Told:
    """The proof of a job as it stands."""
    shop = shop or people.workshop(db)
    family = family_of(job)
    causes = tuple(proven_cause(c, family) for c in causes_to_prove(job, shop.hourly_rate))
    if job.handover.words:
        causes = (*causes, own_words(job.handover.words))
    runs = jobs.check_results(db, job.id)
    kept = _newest(job, runs)
    case = ProofCase(
        causes=causes,
        tests=(
            *_runs(job, causes, kept, altitude_m=shop.altitude_m),
            *_fuel_run(db, job, causes, shop),
            *_charge_run(db, job, causes),
        ),
        before=_readings(job, "before", kept),
        after=_readings(job, "after", kept),
        bands=bands_of(db, family, before=job.signed_at),
        symptoms=_symptoms(job),
        codes=codes_told(job),
        open_ends=(*_open_ends(job), *_contrary(job, runs)),
        started=job.engine_started_at is not None,
        confirmed=job.handover.said,
        silent=_silent(job, causes, kept, altitude_m=shop.altitude_m),
    )
    return Told(proof=proof_of(case), causes=causes, confirmed=job.handover.said, kept=kept)


def kept_proof(db: Session, job: Job, shop: Workshop | None = None) -> KeptProof:
    """What a signed job proved, as it was signed; of one that stands open, as it stands."""
    if job.state == "finished" and job.proof.verdict:
        return job.proof
    proof = told_of(db, job, shop).proof
    return KeptProof(verdict=proof.verdict, headline=proof.headline, missing=proof.missing)


def _open_ends(job: Job) -> Iterable[str]:
    if job.card.held:
        yield f"what holds the job: {job.card.held.why.rstrip('.')}"
    if job.relearn.outcome == "failed":
        yield "the relearn, which failed"
    if _level_low(job):
        yield "the coolant at its mark, and where it went"


def _level_low(job: Job) -> bool:
    """Whether the coolant's level was last seen below its mark: whoever lifted that stop, it
    stands."""
    low = job.fluids.coolant == "low"
    for done in done_steps(job):
        for record in done.step.records:
            answer = done.answers.get(record.id)
            if record.name == LEVEL and answer in ("yes", "no"):
                low = answer == "no"
    return low


def _contrary(job: Job, runs: Sequence[CheckResult]) -> Iterable[str]:
    """Checks that told one thing and then another after the same work: neither counts alone."""
    by_check: dict[str, list[CheckResult]] = {}
    for row in runs:
        if row.phase == "after" and _of_this_round(job, row.at):
            by_check.setdefault(row.check_id, []).append(row)
    worked = [s.done_at for s in job.steps if s.done_at and s.document.phase in ("open", "clean")]
    for check, rows in by_check.items():
        newest = rows[0]
        unlike = [r for r in rows[1:] if _tells(r) != _tells(newest)]
        if any(not any(r.at < at < newest.at for at in worked) for r in unlike):
            title = KNOWLEDGE.checks[check].title
            yield f"“{title}” once more: it told one thing and then another after the same work"


def _tells(row: CheckResult) -> object:
    """What a run said, without its figures."""
    said = {e: s[0] for e, s in row.said.items()}
    return row.result.get("verdict") if row.result else tuple(sorted(said.items()))


def codes_told(job: Job) -> CodesTold:
    """Codes of both sides, and whether a drive lies between."""

    def of(phase: str, *statuses: str) -> tuple[str, ...]:
        return tuple(c.code for c in job.codes if c.phase == phase and c.status in statuses)

    read = job.pending_read_at is not None
    return CodesTold(
        before=of("before", "stored", "pending", "permanent"),
        # A permanent one stays after clearing until its monitor has run: before it says nothing.
        after_stored=of("after", "stored", *(("permanent",) if job.monitors_ready else ()))
        if read
        else (),
        after_pending=of("after", "pending") if read else (),
        drive_done=job.road_test.done and read,
        monitors_ready=job.monitors_ready,
    )


def _symptoms(job: Job) -> dict[str, SymptomWord]:
    asked = {s: SYMPTOM_WORDS[w] for s, w in job.road_test.symptoms.items() if w in SYMPTOM_WORDS}
    if asked or not job.road_test.complaint:
        return asked
    return {"complaint": COMPLAINT[job.road_test.complaint]}


FUEL_TEST, CHARGE_TEST = "fuel_economy_change", "charge_pressure"
BY_CHECK: Mapping[str, tuple[str, str, float]] = {
    "egr_flow_test": ("egr_area_mm2", "passage_area_mm2", 1.0),
    "airflow_against_expected": ("meter_ratio_percent", "ratio", 100.0),
}
"""Checks whose result is a metric too: metric, field of the result, and its factor."""


def _metrics(job: Job, phase: str, kept: Kept) -> list[MetricValue]:
    areas = [
        k.open_area_percent
        for k in job.looks
        if k.phase == phase and k.open_area_percent is not None
    ]
    idle, trims = _taken(job, phase, "idle"), _taken(job, phase, "trim")
    found = metrics_of(idle, trims, open_areas=areas)
    for check, (metric, name, factor) in BY_CHECK.items():
        row = kept.get((check, phase))
        value = row.result.get(name) if row is not None else None
        if isinstance(value, int | float) and METRICS[metric].low <= value * factor:
            found.append(
                MetricValue(metric=metric, value=min(value * factor, METRICS[metric].high))
            )
    return found


def samples_of(job: Job, phase: str, kept: Kept) -> dict[str, list[float]]:
    """Samples of every metric of a phase, for the plot; a metric with one value has one sample."""
    return {
        m.metric: m.samples or ([m.value] if m.value is not None else [])
        for m in _metrics(job, phase, kept)
    }


def _readings(job: Job, phase: str, kept: Kept) -> ReadingSide | None:
    metrics = _metrics(job, phase, kept)
    if not metrics:
        return None
    held = _taken(job, phase, "idle") or _taken(job, phase, "trim")
    active = [c.code for c in job.codes if c.phase == phase and c.status != "history"]
    # The before set's codes are not held against it: that its control unit was not in a protective
    # mode is what the technician recorded with the set.
    after = active if phase == "after" else None
    return ReadingSide(
        metrics=tuple(metrics),
        conditions=conditions_of(held, codes_active=after) if held else None,
        read_at=_read_at(job, phase, kept),
    )


def _read_at(job: Job, phase: str, kept: Kept) -> dict[str, float]:
    """At which air or speed metrics were read that are not the idle's."""
    found: dict[str, float] = {}
    trims = _taken(job, phase, "trim")
    flows = trims.column("airflow_g_s") if trims else ()
    if flows:
        found["trim_cruise_percent"] = max(flows)
    meter = kept.get(("airflow_against_expected", phase))
    speed = meter.given.get("rpm") if meter else None
    if isinstance(speed, int | float):
        found["meter_ratio_percent"] = float(speed)
    return found


def _runs(
    job: Job, causes: Iterable[ProvenCause], kept: Kept, *, altitude_m: float
) -> Iterable[TestRun]:
    """The proving tests of the causes that were run on either side, each once."""
    seen: set[str] = set()
    for cause in causes:
        for test in cause.tests:
            if test.test in seen:
                continue
            sides = tuple(
                _side(job, cause, test, phase=phase, kept=kept, altitude_m=altitude_m)
                for phase in ("before", "after")
            )
            if sides[1] is not None:
                seen.add(test.test)
                yield TestRun(test=test.test, before=sides[0], after=sides[1])


def _silent(
    job: Job, causes: Iterable[ProvenCause], kept: Kept, *, altitude_m: float
) -> frozenset[str]:
    """Tests that showed no fault before the work."""
    before: dict[str, TestSide] = {}
    for cause in causes:
        for test in cause.tests:
            side = _side(job, cause, test, phase="before", kept=kept, altitude_m=altitude_m)
            if side is not None and not side.says_nothing:
                before.setdefault(test.test, side)
    return silent_before(causes, before)


def _side(
    job: Job, cause: ProvenCause, test: ProvingTest, *, phase: str, kept: Kept, altitude_m: float
) -> TestSide | None:
    row = kept.get((test.test, phase))
    if row is not None and row.result:
        return side_of_result(row.result)
    if row is not None:
        return TestSide(evidence={e: s[0] for e, s in row.said.items()})
    if test.test == "key_on_agreement":
        found = key_on_of(_taken(job, phase, "key_on"), altitude_m)
        if found is None:
            return None
        within = {d.component: d.within for d in found.deviations if d.within is not None}
        return TestSide(verdict=found.verdict, within=within)
    if test.test == "trim_survey":
        outside = outside_pressure_kpa(measured(job, "before", "key_on"), altitude_m)
        split = trim_split_of(_taken(job, phase, "trim"), outside)
        if split is None:
            return None
        return TestSide(verdict=split.verdict, figures={"leak_g_s": split.leak_g_s})
    if test.test == "bore_restriction":
        return _bore(job, cause, phase)
    return _seen_before(job, test) if phase == "before" else None


def _fuel_run(
    db: Session, job: Job, causes: Iterable[ProvenCause], shop: Workshop
) -> Iterable[TestRun]:
    """What the vehicle's fills say, where a cause is proven by them and they reach far enough."""
    if not any(t.test == FUEL_TEST for c in causes for t in c.tests):
        return
    found = change_by(db, job, shop)
    if found is not None and found.change.verdict != "not_enough":
        yield TestRun(test=FUEL_TEST, before=None, after=TestSide(verdict=found.change.verdict))


def _charge_run(db: Session, job: Job, causes: Iterable[ProvenCause]) -> Iterable[TestRun]:
    """Pulls of the logs that were taken in before and after the work, where a cause is proven by
    them."""
    began = job.work_began_at
    if began is None or not any(t.test == CHARGE_TEST for c in causes for t in c.tests):
        return
    sides: dict[str, TestSide] = {}
    for log in logs.logs_of(db, job):
        if not {"boost_kpa", "boost_command_kpa"} <= log.mapping.channels.keys():
            continue
        pull = charge_pull(log_traces.trace_of(db, log)) if log.mapping.time is not None else None
        if pull is not None:
            # The newest of each side counts: logs come newest first.
            sides.setdefault(
                "after" if log.at >= began else "before",
                TestSide(
                    verdict=pull.verdict, figures={"percent_of_command": pull.percent_of_command}
                ),
            )
    if "after" in sides:
        yield TestRun(test=CHARGE_TEST, before=sides.get("before"), after=sides["after"])


def side_of_result(result: Mapping[str, object]) -> TestSide:
    """A calculation's kept result as a side of a test."""
    deviations = result.get("deviations") or ()
    return TestSide(
        verdict=str(result.get("verdict", "")),
        figures={
            k: float(v)
            for k, v in result.items()
            if isinstance(v, int | float) and not isinstance(v, bool)
        },
        within={
            str(d["component"]): bool(d["within"])
            for d in (deviations if isinstance(deviations, list) else ())
        },
    )


def _bore(job: Job, cause: ProvenCause, phase: str) -> TestSide | None:
    """The worst of the cause's parts: as found before or during the work, as left after it."""
    family = family_of(job)
    phases = ("before", "work") if phase == "before" else ("after",)
    found = [
        k
        for k in job.looks
        if k.phase in phases and family.part(k.part).component == cause.component
    ]
    if not found:
        return None
    areas = [k.open_area_percent for k in found if k.open_area_percent is not None]
    return TestSide(
        grade=max(k.grade for k in found),
        figures={"open_area_percent": min(areas)} if areas else {},
    )


def _seen_before(job: Job, test: ProvingTest) -> TestSide | None:
    """What the diagnosis knows of a check that is a look."""
    check = KNOWLEDGE.checks.get(test.test)
    if check is None:
        return None
    states = {
        o.evidence: o.state
        for o in job.observations
        if o.evidence in check.yields and o.state != "unknown"
    }
    return TestSide(evidence=states) if states else None
