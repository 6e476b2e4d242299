"""A relearn by the car's own word: its holds are listened to, broken guards begin them anew by
themselves, success is measured."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np

from galene.core.jobcard.job_records import AimRead
from galene.core.proof.live_hold import GuardLimit, HoldJudged, Sample, Wanted, judge_hold
from galene.core.proof.relearn import Phase
from galene.jobs import live, prove
from galene.jobs.act import Act, family_of
from galene.jobs.bands import with_own_bands
from galene.jobs.errors import Invalid, Refused
from galene.jobs.live_codes import answer_of
from galene.jobs.live_taking import window_of
from galene.knowledge.live_guards import aims_of, limits_of, wanted_in
from galene.store.models import Job, LiveBatch, LiveCommand
from galene.store.repositories import live as rows

CONTEXT_S = 4.0
"""What went just before the part that is judged now: longer than any guard takes to break."""
LONGEST_LOOK_S = 7200.0
MEASURED_S = 12.0
ENDLESS = 1e9
WAITS: dict[Wanted, str] = {
    "running": "The hold waits: the engine does not run.",
    "key_on": "The hold waits for the ignition on and the engine standing.",
    "silent": "The hold waits for the ignition to be off: the car still answers.",
}


@dataclass(frozen=True, kw_only=True)
class GuardRead:
    """A guard that the car tells itself, with its newest value."""

    limit: GuardLimit
    value: float | None

    @property
    def holds(self) -> bool:
        """Whether it holds now; what is not read breaks nothing."""
        return self.value is None or self.limit.holds(self.value)


@dataclass(frozen=True, kw_only=True)
class HoldTold:
    """The present hold as the car tells it."""

    phase: Phase
    held_s: float
    asked_s: float
    guards: tuple[GuardRead, ...]
    waits: str
    line: live.Line
    restarts: int

    @property
    def done(self) -> bool:
        """Whether it ran whole."""
        return self.held_s >= self.asked_s - prove.HELD_SLACK_S


def listen(act: Act, number: str) -> HoldTold | None:
    """Judge what the car said since the last look, and keep it; None where no hold runs or it is
    gone through by hand.

    Raises
    ------
    Missing, ReadOnly
    """
    job = act.job(number)
    state, template = prove.relearn_state(job), prove.template_of(job)
    if state is None or template is None or state.outcome != "running":
        return None
    line = live.line_of_job(act.db, job, act.now)
    if job.relearn.live is None and line.state in ("live", "off"):
        job.relearn = replace(job.relearn, live=True, judged_to=state.phase_began)
    if not job.relearn.live:
        return None
    phase = template.phases[state.phase]
    limits, wanted = limits_of(family_of(job), phase), wanted_in(phase)
    judged, upto = _judged(act, job, limits, wanted)
    for broken in judged.broken:
        prove.relearn_guard(act, number, broken.guard, phase=state.phase)
    job.relearn = replace(job.relearn, held_s=judged.held_s, judged_to=upto)
    return HoldTold(
        phase=phase,
        held_s=judged.held_s,
        asked_s=60 * phase.hold_minutes,
        guards=tuple(GuardRead(limit=x, value=judged.values.get(x.column)) for x in limits),
        waits=_waits(line, wanted, fits=judged.fits),
        line=line,
        restarts=len(job.relearn.restarts),
    )


def _waits(line: live.Line, wanted: Wanted, *, fits: bool) -> str:
    if line.state not in ("live", "off") or (line.state == "off" and wanted != "silent"):
        return f"The hold waits. {line.words}"
    return "" if fits else WAITS[wanted]


def _judged(
    act: Act, job: Job, limits: tuple[GuardLimit, ...], wanted: Wanted
) -> tuple[HoldJudged, datetime]:
    """The hold gone on with, and the moment up to which was judged."""
    kept = job.relearn
    assert kept.phase_began is not None
    since = max(kept.judged_to or kept.phase_began, kept.phase_began)
    since = max(since, act.now - timedelta(seconds=LONGEST_LOOK_S))
    start = since - timedelta(seconds=CONTEXT_S)
    batches = rows.batches_between(act.db, job.id, start, act.now)
    samples = samples_of(batches, start)
    judged = judge_hold(
        samples,
        limits,
        wanted,
        held_s=kept.held_s,
        counts_from_s=(since - start).total_seconds(),
    )
    upto = start + timedelta(seconds=samples[-1].at_s) if samples else since
    return judged, max(upto, since)


def samples_of(batches: list[LiveBatch], start: datetime) -> list[Sample]:
    """Batches as samples: a row each where figures came, one for a silent car."""
    found: list[Sample] = []
    for batch in batches:
        ends = (batch.at - start).total_seconds()
        if batch.state == "off":
            found.append(Sample(at_s=ends, heard=False, figures={}))
        for row in batch.rows:
            figures = {
                name: value
                for name, value in zip(batch.columns, row[1:], strict=True)
                if value is not None
            }
            found.append(Sample(at_s=ends - row[0], heard=True, figures=figures))
    return sorted((s for s in found if s.at_s >= 0), key=lambda s: s.at_s)


CONDITIONS: Mapping[str, tuple[str, float, str]] = {
    "warm": ("coolant_c", 75.0, "Coolant stands at {:.0f} °C, asked is above 75 °C."),
    "voltage": ("voltage_v", 12.2, "The battery stands at {:.1f} V, asked is above 12.2 V."),
}
"""Conditions of a relearn that the car tells: the column, its least value, and what is said."""


def require_conditions(act: Act, number: str) -> None:
    """Raise `Invalid` where the car contradicts a condition of the due relearn, by its id. What is
    not read contradicts nothing."""
    job = act.job(number)
    template = prove.template_of(job)
    window = window_of(act.db, job, act.now - timedelta(seconds=CONTEXT_S), act.now)
    faults = {}
    for condition, _ in template.conditions if template else ():
        column, least, words = CONDITIONS.get(condition, ("", 0.0, ""))
        values = window.last(column, CONTEXT_S) if column else np.empty(0)
        if len(values) and float(np.mean(values)) < least:
            faults[condition] = words.format(float(np.mean(values)))
    if faults:
        raise Invalid(faults)


def by_hand(act: Act, number: str) -> Job:
    """Go on without the car's word: the hold that runs begins anew by the clock. Twice is
    harmless."""
    job = act.job(number)
    state = prove.relearn_state(job)
    if state is None or job.relearn.live is False:
        return job
    job.relearn = replace(job.relearn, live=False, held_s=0.0, judged_to=None, phase_began=act.now)
    act.trace(job, "relearn_by_hand", phase=state.phase)
    return job


def measured(act: Act, job: Job, codes: LiveCommand) -> prove.Measured:
    """What the car shows at the end of a relearn.

    Parameters
    ----------
    codes : the command that read the codes

    Raises
    ------
    Refused
        It told no codes.
    Invalid
        No figure of this relearn can be measured on this engine.
    """
    template = prove.template_of(job)
    aims = aims_of(with_own_bands(act.db, family_of(job)), template.id if template else "")
    if not aims:
        raise Invalid({"learned": "No figure tells of this one: say yourself how it stands."})
    told = answer_of(codes).codes
    if told is None:
        raise Refused("No answer", ["the car told no codes"])
    window = window_of(act.db, job, act.now - timedelta(seconds=MEASURED_S), act.now)
    found = []
    for aim in aims:
        values = window.last(aim.column, MEASURED_S)
        found.append(
            AimRead(
                label=aim.label,
                quantity=aim.quantity,
                value=round(float(np.mean(values)), 2) if len(values) else None,
                low=aim.low if aim.low is not None else -ENDLESS,
                high=aim.high if aim.high is not None else ENDLESS,
            )
        )
    return prove.Measured(
        aims=tuple(found), codes=tuple(dict.fromkeys((*told.stored, *told.pending)))
    )
