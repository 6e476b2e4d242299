"""What was answered, and what follows from it: read from the steps that are done, nothing else."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from galene.core.planning.records import Answer, Consequence, DoneStep, Held, Record
from galene.core.planning.words import ConsequenceKind, Work
from galene.core.text_gate import digits

STRICTEST: tuple[ConsequenceKind, ...] = (
    "stop",
    "replace",
    "more",
    "again",
    "part_only",
    "note",
)


def base_id(step_id: str) -> str:
    """A step's id without the count of its repeats.

    Examples
    --------
    >>> base_id("walk~2"), base_id("maf_sensor:look")
    ('walk', 'maf_sensor:look')
    """
    return step_id.partition("~")[0]


def keys_of(record: Record, answer: str) -> tuple[str, ...]:
    """The keys under which an answer may have a consequence.

    Parameters
    ----------
    answer : ``yes`` or ``no``; a grade 0 to 4, a kind of deposit, or both as ``3:soot``; a figure,
        ``low`` or ``high``
    """
    if record.kind == "grade":
        return tuple(p for p in answer.split(":") if p)
    if record.kind == "reading":
        try:
            value = float(answer.replace(",", "."))
        except ValueError:
            return (answer,)
        if record.least is not None and value < record.least:
            return ("low",)
        if record.most is not None and value > record.most:
            return ("high",)
        return ()
    return (answer,)


def consequence_of(record: Record, answer: str) -> Consequence | None:
    """What an answer does, the strictest where several things follow; None for a good answer."""
    keys = keys_of(record, answer)
    found = [c for c in record.consequences if c.answer in keys]
    return min(found, key=lambda c: STRICTEST.index(c.kind), default=None)


@dataclass(kw_only=True)
class Changes:
    """What answers have changed of a plan, gathered in the order of the steps that are done."""

    works: dict[str, Work] = field(default_factory=dict)
    grades: dict[str, tuple[int, str]] = field(default_factory=dict)
    left: dict[str, str] = field(default_factory=dict)
    joined: list[str] = field(default_factory=list)
    again: Counter[str] = field(default_factory=Counter)
    repeats: dict[str, frozenset[str]] = field(default_factory=dict)
    """Step to the deeds that its repeat is made of; none named: all of the treatment."""
    held: Held | None = None
    answers: list[Answer] = field(default_factory=list)


def changes_of(done: Sequence[DoneStep], resolved: frozenset[str]) -> Changes:
    """Everything that the answers of the steps done so far have changed.

    Parameters
    ----------
    done : steps in the order in which they were done
    resolved : records whose stop a foreman has lifted
    """
    changes = Changes()
    for one in done:
        once_more: list[Consequence] = []
        for record in one.step.records:
            answer = one.answers.get(record.id)
            if answer is None or one.left_out:
                continue
            found = _apply(changes, one, record, answer=answer, resolved=resolved)
            once_more += [found] if found else []
        if once_more:
            # However many answers asked for it, the step is done once more and not once for each.
            base = base_id(one.step.id)
            changes.again[base] += 1
            named = [frozenset(c.repeats) for c in once_more]
            changes.repeats[base] = frozenset().union(*named) if all(named) else frozenset()
    return changes


def _apply(
    changes: Changes, one: DoneStep, record: Record, *, answer: str, resolved: frozenset[str]
) -> Consequence | None:
    """What an answer changes; given back where it asks for the same once more."""
    consequence = consequence_of(record, answer)
    parts = one.step.treats or ((one.step.part,) if one.step.part else ())
    changes.answers.append(
        Answer(
            record=record.id,
            step=one.step.id,
            part=one.step.part,
            label=record.label,
            answer=answer,
            consequence=consequence,
        )
    )
    if record.kind == "grade" and record.name == "grade_before":
        grade, _, deposit = answer.partition(":")
        if digits(grade):
            changes.grades.update({p: (int(grade), deposit) for p in parts})
    if consequence is None:
        return None
    kind = consequence.kind
    if kind == "again" and one.step.turn > 1:
        kind = consequence.then
    if kind == "stop" and record.id not in resolved and changes.held is None:
        changes.held = Held(record=record.id, why=consequence.text)
    elif kind == "replace":
        changes.works.update(dict.fromkeys(parts, "replace"))
    elif kind == "again":
        return consequence
    elif kind == "more":
        changes.joined += consequence.parts
    elif kind == "part_only":
        changes.left.update(dict.fromkeys(parts, consequence.text))
    return None
