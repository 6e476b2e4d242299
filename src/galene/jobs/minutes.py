"""Minutes out of the ticks of a card: kept when the job is signed, told beside the book."""

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session, object_session

from galene.core.airpath.family import EngineFamily
from galene.core.learning.minutes import OwnTime, Spent, Tick, Timed, own_time, spent
from galene.core.planning.records import Plan
from galene.jobs.act import Act
from galene.store.models import Job, StepRow, StepTime
from galene.store.repositories import minutes as rows

MOST_SHOWN = 24


def timed_steps(job: Job, plan: Plan) -> Mapping[str, Timed]:
    """What own work says of a plan's steps."""
    db = object_session(job)
    if db is None:
        return {}
    return rows.timed(db, job.family_id, [s.id for s in plan.steps])


def _ticked(job: Job) -> list[StepRow]:
    """Steps of the card that took time, in the order in which they were done."""
    done = [s for s in job.steps if s.done_at and not s.records.left_out]
    return sorted(
        (s for s in done if s.document.minutes > 0), key=lambda s: (s.done_at, s.position)
    )


def spent_on(job: Job) -> list[tuple[StepRow, Spent]]:
    """The steps of a job with the minutes that they took."""
    if job.work_began_at is None:
        return []
    ends = {w.name: w.ends_at for w in job.waits}
    done = _ticked(job)
    ticks = [
        Tick(
            step=s.document.id,
            book=s.document.minutes,
            at=s.done_at.timestamp() / 60 if s.done_at else 0.0,
            free_from=max(
                (ends[w].timestamp() / 60 for w in s.document.waits_for if w in ends),
                default=None,
            ),
        )
        for s in done
    ]
    began = job.work_began_at.timestamp() / 60
    if ticks and ticks[0].at < began:
        # A card whose work began anew: what was ticked before has no beginning.
        return []
    return list(zip(done, spent(ticks, began), strict=True))


def learn_from(act: Act, job: Job) -> None:
    """Keep what each step took; a job that is signed once more counts by its last card."""
    rows.forget(act.db, job.id)
    act.db.add_all(
        StepTime(
            job_id=job.id,
            position=row.position,
            family_id=job.family_id,
            step_id=row.document.id,
            title=row.document.text[:160],
            book=one.book,
            minutes=one.minutes,
            at=row.done_at,
            person_id=row.done_by_id,
        )
        for row, one in spent_on(job)
    )


def forget(act: Act, job: Job) -> None:
    """A job that is opened again is not done yet."""
    rows.forget(act.db, job.id)


@dataclass(frozen=True, kw_only=True)
class JobTold:
    """Planned against true, over the steps that were timed; `paused` ones say nothing."""

    book: float
    minutes: float
    steps: int
    paused: int


def told_of(job: Job) -> JobTold | None:
    """Planned against true of one job, None while no step was timed."""
    found = [one for _, one in spent_on(job)]
    counted = [one for one in found if one.minutes is not None]
    if not counted:
        return None
    return JobTold(
        book=sum(one.book for one in counted),
        minutes=sum(one.minutes or 0.0 for one in counted),
        steps=len(counted),
        paused=len(found) - len(counted),
    )


@dataclass(frozen=True, kw_only=True)
class StepTold:
    """A step of a family: the book's minutes, the shop's own, and what is lost over all doings."""

    family: str
    title: str
    book: float
    own: OwnTime
    lost: float


def steps_told(db: Session, families: Mapping[str, EngineFamily]) -> list[StepTold]:
    """Steps that were timed, those that lose most time first."""
    return [
        StepTold(
            family=families[s.family_id].name if s.family_id in families else s.family_id,
            title=s.title,
            book=s.book,
            own=own_time(s.book, s.timed),
            lost=s.lost,
        )
        for s in rows.losses(db, MOST_SHOWN)
    ]


def jobs_told(db: Session) -> list[rows.JobTimes]:
    """Finished jobs with what they took, the newest first."""
    return rows.by_job(db, MOST_SHOWN)
