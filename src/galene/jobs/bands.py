"""Known-good bands that every proven job moves, and what a foreman does with their samples."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from galene.core.airpath.family import Band, EngineFamily
from galene.core.calculations.metrics import METRICS
from galene.core.learning.bands import LearnedBand, Prior, learned_band
from galene.core.proof.readings import IDEALS
from galene.core.statistics import mean
from galene.exchange.bands import FORMAT, SampleFile, samples_of
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.intake import check_text
from galene.jobs.rights import Right
from galene.store.models import BandSample, Job
from galene.store.repositories import bands as rows

LEAST_WITHOUT_ENTRY = 5
"""Samples that make a band where the family's entry has none (this project's judgement)."""


@dataclass(frozen=True, kw_only=True)
class BandStory:
    """How a band came to be.

    Parameters
    ----------
    metric : what is read
    entry : the family's own band, None where it has none
    samples : all of them, the oldest first
    now : the band in force, None while nothing makes one
    counted : the samples that are not set aside, in the order of `now`'s places
    moved : the band after each counted sample, from the entry on
    """

    metric: str
    entry: Band | None
    samples: tuple[BandSample, ...]
    now: LearnedBand | None
    counted: tuple[BandSample, ...]
    moved: tuple[tuple[float, float], ...]

    @property
    def odd(self) -> frozenset[int]:
        """Samples that stand too far off to count, by id."""
        return frozenset(self.counted[i].id for i in self.now.odd) if self.now else frozenset()


def _band(metric: str, entry: Band | None, values: list[float]) -> LearnedBand | None:
    """The band, no wider than what an engine can show at all. A reading whose ideal is an end of
    that (a spread of nothing, a whole bore) can not be too good."""
    if entry is None and (len(values) < LEAST_WITHOUT_ENTRY or min(values) == max(values)):
        return None
    found = learned_band(values, Prior(low=entry.low, high=entry.high) if entry else None)
    possible, ideal = METRICS[metric], IDEALS.get(metric)
    low, high = max(found.low, possible.low), min(found.high, possible.high)
    return replace(
        found,
        low=possible.low if ideal == possible.low else low,
        high=possible.high if ideal == possible.high else high,
    )


def bands_of(
    db: Session, family: EngineFamily, *, before: datetime | None = None
) -> dict[str, Band]:
    """The bands in force: the family's, moved by what proven jobs were left with; `before`: as they
    were then, so that a signed report goes on saying what it said."""
    found = dict(family.bands)
    values: dict[str, list[float]] = {}
    for sample in rows.of_family(db, family.id):
        if sample.set_aside_at is None and (before is None or sample.at < before):
            values.setdefault(sample.metric, []).append(sample.value)
    for metric, own in values.items():
        band = _band(metric, family.bands.get(metric), own)
        if band is not None:
            jobs = f"{band.counted} proven job{'s' if band.counted != 1 else ''}"
            source = f"family entry and {jobs}" if metric in family.bands else jobs
            found[metric] = Band(band.low, band.high, source)
    return found


def with_own_bands(db: Session, family: EngineFamily) -> EngineFamily:
    """The family with the bands in force."""
    return replace(family, bands=bands_of(db, family))


def stories_of(db: Session, family: EngineFamily) -> tuple[BandStory, ...]:
    """Every band of a family with its samples and how they moved it."""
    samples: dict[str, list[BandSample]] = {}
    for sample in rows.of_family(db, family.id):
        samples.setdefault(sample.metric, []).append(sample)
    metrics = [m for m in METRICS if m in samples or m in family.bands]
    return tuple(_story(m, family.bands.get(m), samples.get(m, [])) for m in metrics)


MOST_MOVES = 60
"""Steps that a drawing of a band's way shows: the last ones."""


def _story(metric: str, entry: Band | None, samples: list[BandSample]) -> BandStory:
    counted = tuple(s for s in samples if s.set_aside_at is None)
    values = [s.value for s in counted]
    moved = []
    for n in range(max(0, len(values) - MOST_MOVES), len(values) + 1):
        band = _band(metric, entry, values[:n])
        if band is not None:
            moved.append((band.low, band.high))
    return BandStory(
        metric=metric,
        entry=entry,
        samples=tuple(samples),
        now=_band(metric, entry, values) if values or entry else None,
        counted=counted,
        moved=tuple(moved),
    )


def learn_from(act: Act, job: Job, readings: Mapping[str, list[float]]) -> None:
    """Keep what a proven job was left with: one sample a metric, the mean of its readings. A job
    that is proven once more counts by its last readings."""
    kept = rows.of_job(act.db, job.id)
    for metric, values in readings.items():
        if not values:
            continue
        sample = kept.get(metric)
        if sample is None:
            sample = BandSample(
                family_id=job.family_id, metric=metric, job_id=job.id, source=f"job {job.number}"
            )
            act.db.add(sample)
        sample.value, sample.at = mean(values), act.now
        sample.set_aside_at = sample.set_aside_by_id = None
        sample.set_aside_why = ""


def forget(act: Act, job: Job) -> None:
    """Set aside what came of a job that is opened again: it is not proven any more."""
    for sample in rows.of_job(act.db, job.id).values():
        _aside(act, sample, "the job was opened again")


def _aside(act: Act, sample: BandSample, why: str) -> None:
    sample.set_aside_at, sample.set_aside_by_id = act.now, act.person.id
    sample.set_aside_why = why


def set_aside(act: Act, family_id: str, sample_id: int, *, why: str) -> BandSample:
    """Leave a sample out of its band, with the reason; without one, count it again. It stays to be
    seen.

    Raises
    ------
    NotAllowed
        A foreman's write.
    Missing
        No such sample of this family.
    """
    act.needs(Right.BANDS)
    sample = rows.by_id(act.db, sample_id)
    if sample is None or sample.family_id != family_id:
        raise Missing(f"sample {sample_id} of engine family {family_id[:20]}")
    check_text({"why": why})
    if why.strip():
        if len(why.strip()) > LONGEST_WHY:
            raise Invalid({"why": f"Up to {LONGEST_WHY} characters."})
        _aside(act, sample, why.strip())
    else:
        sample.set_aside_at = sample.set_aside_by_id = None
        sample.set_aside_why = ""
    act.trace(
        None,
        "band_sample",
        family=family_id,
        metric=sample.metric,
        sample=sample.id,
        why=why.strip(),
    )
    return sample


LONGEST_WHY = 200


def exported(db: Session, family_id: str, workshop: str) -> dict[str, Any]:
    """The counted samples of a family as a document that other workshops take in."""
    return {
        "format": FORMAT,
        "version": 1,
        "family": family_id,
        "samples": [
            {
                "metric": s.metric,
                "value": s.value,
                "at": s.at.isoformat(),
                "source": f"{workshop}, {s.source}" if s.job_id else s.source,
            }
            for s in rows.of_family(db, family_id)
            if s.set_aside_at is None
        ],
    }


def take_in(act: Act, family_id: str, text: str) -> int:
    """Take another workshop's samples in; the same document twice is harmless.

    Returns
    -------
    int
        Samples that were new.

    Raises
    ------
    NotAllowed, Invalid
    """
    act.needs(Right.BANDS)
    given = samples_of(text, family_id)
    held = {(s.metric, s.at, s.value, s.source) for s in rows.of_family(act.db, family_id)}
    new = [s for s in given if _key(s) not in held]
    for one in new:
        act.db.add(
            BandSample(
                family_id=family_id,
                metric=one.metric,
                value=one.value,
                at=one.at,
                job_id=None,
                source=one.source,
            )
        )
    act.trace(None, "band_samples_in", family=family_id, samples=len(new))
    act.db.flush()
    return len(new)


def _key(sample: SampleFile) -> tuple[str, datetime, float, str]:
    return (sample.metric, sample.at, sample.value, sample.source)
