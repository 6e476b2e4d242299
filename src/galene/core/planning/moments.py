"""What lies between two moments of a plan at an open mouth: whether something could drop in or the
hand goes away, and who is at work there. Planner and verifier ask the same."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from galene.core.planning.marks import bears
from galene.core.planning.records import Step


@dataclass(kw_only=True)
class Clean:
    """What was found clean at last, and what was dirtied since: part or port to the step."""

    judged: dict[str, str] = field(default_factory=dict)
    spoiled: dict[str, str] = field(default_factory=dict)

    def note(self, step: Step) -> None:
        """Carry on over a step. A new part has nothing of what the old one had."""
        if "compare_new" in step.acts:
            self.judged.pop(step.part, None)
            self.spoiled.pop(step.part, None)
        for part in step.dirties:
            for target in self.judged:
                if target == part or bears(target, part):
                    self.spoiled[target] = step.id
        for target in step.judges_clean:
            self.judged[target] = step.id
            self.spoiled.pop(target, None)


AT_THE_MOUTH = frozenset({"uncover", "cover", "look_in"})
"""Steps that are there for the mouths themselves."""


def elsewhere(step: Step, mouth: str) -> bool:
    """Whether a step is done elsewhere than through a mouth, so that something may drop into it, or
    nobody is there."""
    return mouth not in step.through and step.name not in AT_THE_MOUTH


def left_between(steps: Sequence[Step], first: int, last: int, mouth: str) -> bool:
    """Whether an open mouth is left strictly between two steps.

    Parameters
    ----------
    steps : in their order
    first, last : places of the two; -1 is before all, their count behind all

    Notes
    -----
    A wait that began by the first and that only the last keeps takes the hand away too.
    """
    if any(elsewhere(s, mouth) for s in steps[first + 1 : last]):
        return True
    if last >= len(steps):
        return False
    started = {s.wait.id for s in steps[: first + 1] if s.wait}
    held = {w for s in steps[: first + 1] for w in s.waits_for}
    return bool(set(steps[last].waits_for) & (started - held))


def visits(steps: Sequence[Step], start: int, end: int, mouth: str) -> list[tuple[int, int]]:
    """The stretches in which somebody goes through a mouth, first and last step of each.

    Parameters
    ----------
    start, end : where the mouth is laid open and shut; looked at strictly between

    Notes
    -----
    A chain that is elsewhere meanwhile with a step of its own comes back for another visit, but not
    where it stays at the part that bears the mouth; of a part with a mouth for each cylinder only
    one is at hand.
    """
    found: list[tuple[int, int]] = []
    for i in range(start + 1, min(end, len(steps))):
        if mouth not in steps[i].through or steps[i].name in AT_THE_MOUTH:
            continue
        if found and _goes_on(steps, found[-1][1], i, mouth):
            found[-1] = (found[-1][0], i)
        else:
            found.append((i, i))
    return found


def _goes_on(steps: Sequence[Step], before: int, here: int, mouth: str) -> bool:
    owner = steps[here].owner
    own = (s for s in steps[before + 1 : here] if s.owner == owner)
    stays = all(not elsewhere(s, mouth) or (bears(mouth, s.part) and not s.cylinders) for s in own)
    return steps[before].owner == owner and stays
