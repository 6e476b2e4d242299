"""The order of a plan: one pair of hands, waits that run beside the work, the longest wait
first."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from galene.core.errors import InputError
from galene.core.planning.records import Step


@dataclass(kw_only=True)
class Task:
    """A step with the steps that must be done before it. `rank`: its section of the card."""

    step: Step
    rank: int
    after: set[str] = field(default_factory=set)
    place: int = 0


@dataclass(frozen=True, kw_only=True)
class Segment:
    """A stretch of the time strip, minutes from the start. `kind`: hands or wait."""

    start: float
    minutes: float
    kind: str
    phase: str
    text: str


CLEAN_RANK = 50


def placed(tasks: Mapping[str, Task]) -> list[Task]:
    """The tasks in the order in which they were gathered, each behind known ones only."""
    for place, task in enumerate(tasks.values()):
        task.place = place
        task.after &= set(tasks)
    return list(tasks.values())


def in_order(tasks: Sequence[Task]) -> list[Step]:
    """The tasks as a sequence.

    Parameters
    ----------
    tasks : each names the steps that go before it, only ones among `tasks`

    Returns
    -------
    list of Step

    Raises
    ------
    InputError
        Steps that wait for each other.

    Notes
    -----
    List scheduling: of what may be done now, the lowest section first; within cleaning the step
    with the longest wait behind it, and among equals the part in hand. Where everything waits, the
    clock moves to the first wait that ends.
    """
    left = {t.step.id: t for t in tasks}
    behind = _longest_wait_behind(tasks)
    ends: dict[str, float] = {}
    followers, unmet = _links(tasks)
    clock, part = 0.0, ""
    ordered: list[Step] = []
    while left:
        free = [t for t in left.values() if not unmet[t.step.id]]
        if not free:
            raise InputError("steps", sorted(left)[:6], "steps that do not wait for each other")
        ready = [t for t in free if _ready_at(t, ends) <= clock + 1e-9]
        if not ready:
            clock = min(_ready_at(t, ends) for t in free)
            continue

        def key(t: Task) -> tuple[float, ...]:
            if t.rank != CLEAN_RANK:
                return (t.rank, 0.0, 0.0, t.place)
            return (t.rank, -behind[t.step.id], t.step.part != part, t.place)  # noqa: B023

        one = min(ready, key=key)
        del left[one.step.id]
        for follower in followers.get(one.step.id, ()):
            unmet[follower] -= 1
        clock += one.step.minutes
        part = one.step.part or part
        if one.step.wait:
            ends[one.step.wait.id] = clock + one.step.wait.minutes
        ordered.append(one.step)
    return ordered


def _links(tasks: Sequence[Task]) -> tuple[dict[str, list[str]], dict[str, int]]:
    """What follows each task, and how many stand before each."""
    followers: dict[str, list[str]] = {}
    for task in tasks:
        for before in task.after:
            followers.setdefault(before, []).append(task.step.id)
    return followers, {t.step.id: len(t.after) for t in tasks}


def _ready_at(task: Task, ends: Mapping[str, float]) -> float:
    return max((ends.get(w, 0.0) for w in task.step.waits_for), default=0.0)


def _longest_wait_behind(tasks: Sequence[Task]) -> dict[str, float]:
    """The longest wait that a step starts or leads to within its own part's chain, in minutes."""
    by_id = {t.step.id: t for t in tasks}
    found: dict[str, float] = {}
    followers: dict[str, list[str]] = {}
    for task in tasks:
        for before in task.after:
            if before in by_id and by_id[before].step.part == task.step.part:
                followers.setdefault(before, []).append(task.step.id)
    for task in reversed(tasks):
        own = task.step.wait.minutes if task.step.wait else 0.0
        found[task.step.id] = max(
            [own, *(found.get(f, 0.0) for f in followers.get(task.step.id, ()))]
        )
    return found


def schedule(steps: Sequence[Step]) -> tuple[Segment, ...]:
    """The steps on a time line for one technician, minutes from the start.

    Waits run beside the work; only what no work fills is a stretch of its own.
    """
    clock = 0.0
    ends: dict[str, float] = {}
    segments: list[Segment] = []
    for step in steps:
        ready = max((ends.get(w, 0.0) for w in step.waits_for), default=0.0)
        if ready > clock + 0.01:
            names = ", ".join(w for w in step.waits_for if ends.get(w, 0.0) > clock)
            segments.append(
                Segment(
                    start=clock, minutes=ready - clock, kind="wait", phase=step.phase, text=names
                )
            )
            clock = ready
        if step.minutes:
            segments.append(
                Segment(
                    start=clock,
                    minutes=step.minutes,
                    kind="hands",
                    phase=step.phase,
                    text=step.text,
                )
            )
            clock += step.minutes
        if step.wait:
            ends[step.wait.id] = clock + step.wait.minutes
    left = max(ends.values(), default=0.0)
    if left > clock + 0.01:
        segments.append(
            Segment(start=clock, minutes=left - clock, kind="wait", phase="close", text="Last wait")
        )
    return tuple(segments)
