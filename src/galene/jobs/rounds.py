"""The round of a job: the rows of its card, what is done of them, and what was done for checks
before there is one."""

from galene.core.planning.records import DoneStep, StateWords
from galene.store.models import Job, StepRow

FINISHED = StateWords(before_set=True, heat="warm")
"""How a car stands when its evidence is taken: read warm, the before set in."""


def rows_of_round(job: Job) -> list[StepRow]:
    """The card's steps of the present round, in their order."""
    return [s for s in job.steps if s.position >= job.card.first]


def done_steps(job: Job) -> list[DoneStep]:
    """What is done of the round, in the order in which it was done, with its answers."""
    return _as_done(rows_of_round(job))


def is_running(job: Job) -> bool:
    """Whether a card is being worked on."""
    return any(s.done_at is None for s in rows_of_round(job))


def on_the_car(job: Job) -> list[DoneStep]:
    """What has been done to the car as it stands: by the card that runs, or for checks since the
    last one ended."""
    if is_running(job):
        return done_steps(job)
    if not job.work_began_at:
        return done_steps(job)
    since = job.card.next_first
    return [] if since is None else _as_done([s for s in job.steps if s.position >= since])


def start_of(job: Job) -> StateWords:
    """The state in which what is `on_the_car` began."""
    return job.card.start if is_running(job) else FINISHED


def _as_done(rows: list[StepRow]) -> list[DoneStep]:
    done = sorted((s for s in rows if s.done_at), key=lambda s: (s.done_at, s.position))
    return [
        DoneStep(
            step=r.document,
            answers={g.record: g.said for g in r.records.given},
            left_out=bool(r.records.left_out),
        )
        for r in done
    ]
