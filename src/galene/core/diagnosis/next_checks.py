"""Which check tells most a minute about the causes in question."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from galene.core.diagnosis.model import (
    Floats,
    Model,
    log_odds,
    normal,
)
from galene.core.diagnosis.records import (
    Case,
    Check,
    Evidence,
    KnowledgeBase,
    NextCheck,
    Outcome,
)

RAISED, FOCUS = 0.25, 6
"""Log-odds that evidence must add for a cause to be in question, and how many such causes are
looked at together."""
LEAST_BITS = 0.002
"""A check that tells less is not offered (project default)."""


def _minutes(check: Check, case: Case) -> float:
    if (
        check.minutes_open is not None
        and check.access
        and set(check.access) <= set(case.access_open)
    ):
        return check.minutes_open
    return check.minutes


def _focus(model: Model, posterior: Floats, background: Floats) -> npt.NDArray[np.intp]:
    """Which group of sets each set belongs to: sets alike in the causes that the evidence has
    raised.

    `background` are the log-odds from distance and history alone: they make causes likelier, a
    complaint puts them in question. What the evidence has left where it was is not in question,
    however cheap it is to look at. Without any cause raised, all sets stand for themselves.
    """
    before, after = normal(model.table @ background) @ model.table, posterior @ model.table
    raised = np.flatnonzero((log_odds(after) - log_odds(before) >= RAISED) & (after >= 0.03))
    if not len(raised):
        return np.arange(len(model.table))
    leading = raised[np.argsort(-after[raised], kind="stable")][:FOCUS]
    _, groups = np.unique(
        model.table[:, leading] @ (2.0 ** np.arange(len(leading))), return_inverse=True
    )
    return groups.reshape(-1)


@dataclass(frozen=True, kw_only=True)
class _Telling:
    """A check with the bits of all its answers, and the piece of evidence that says most."""

    check: Check
    bits: float
    main: Evidence


def worth_asking(
    case: Case, model: Model, posterior: Floats, *, background: Floats, prices: Floats
) -> tuple[NextCheck, ...]:
    """Checks by expected information per minute about the causes in question; mutual information,
    exact.

    Parameters
    ----------
    posterior : sets, chance of each
    background : causes, log-odds from distance and history alone
    prices : causes, money for mending each alone
    """
    groups = _focus(model, posterior, background)
    told = (_told(c, case, model, posterior, groups) for c in _possible(case, model.knowledge))
    telling = [t for t in told if t]
    if not telling:
        return ()
    found = _with_outcomes(telling, case, model, posterior, prices)
    last = {c.id: c.last_resort for c in model.knowledge.checks.values()}
    return tuple(sorted(found, key=lambda c: (last[c.id], -c.bits / max(0.5, c.minutes))))


def _known(case: Case) -> set[str]:
    return {e for e, o in case.evidence.items() if o.state != "unknown"}


def _possible(case: Case, knowledge: KnowledgeBase) -> list[Check]:
    """Checks that can be made on this engine now and were not."""
    known = _known(case)
    return [
        check
        for check in knowledge.checks.values()
        if check.id not in case.done_checks
        and check.possible_on(case.engine)
        and set(check.after) <= set(case.done_checks)
        and (check.piecemeal or not known & set(check.yields))
    ]


def _told(
    check: Check, case: Case, model: Model, posterior: Floats, groups: npt.NDArray[np.intp]
) -> _Telling | None:
    """What a check tells, None where that is next to nothing."""
    known = _known(case)
    kinds = [
        k
        for k in (model.knowledge.evidence[e] for e in check.yields if e not in known)
        if set(k.needs) <= case.engine.components and any(c.id in k.links for c in model.causes)
    ]
    if not kinds:
        return None
    bits = _information(posterior, groups, model, kinds=kinds[:4])
    if bits < LEAST_BITS:
        return None
    main = (
        kinds[0]
        if len(kinds) == 1
        else max(kinds, key=lambda kind: _information(posterior, groups, model, kinds=[kind]))
    )
    return _Telling(check=check, bits=bits, main=main)


def _with_outcomes(
    telling: Sequence[_Telling], case: Case, model: Model, posterior: Floats, prices: Floats
) -> list[NextCheck]:
    """The checks with what either answer would make of the causes."""
    now = int(np.argmax((posterior @ model.table) / prices))
    # checks x sets: every yes at once; what is not yes is no
    yes = np.array([model.chance(t.main) for t in telling]) * posterior
    chance_yes, held_yes = yes.sum(axis=1), yes @ model.table
    chance = np.clip(np.concatenate([chance_yes, 1 - chance_yes]), 1e-12, None)
    marginals = np.concatenate([held_yes, posterior @ model.table - held_yes]) / chance[:, None]
    found: list[NextCheck] = []
    for k, one in enumerate(telling):
        outcomes, changes = [], False
        for row in (k, k + len(telling)):
            top = np.argsort(-marginals[row], kind="stable")[:3]
            p = float(chance[row])
            likeliest = {model.causes[i].id: float(marginals[row, i]) for i in top}
            outcomes.append(Outcome(p, likeliest))
            changes = changes or (p >= 0.05 and int(np.argmax(marginals[row] / prices)) != now)
        found.append(
            NextCheck(
                id=one.check.id,
                asks=one.main.id,
                bits=one.bits,
                minutes=_minutes(one.check, case),
                if_positive=outcomes[0],
                if_negative=outcomes[1],
                changes_first_action=changes,
            )
        )
    return found


def _information(
    posterior: Floats, groups: npt.NDArray[np.intp], model: Model, *, kinds: list[Evidence]
) -> float:
    """Bits about the groups of sets in the joint answer; the answers are independent given the
    set."""
    joint = [posterior]
    for kind in kinds:
        chance = model.chance(kind)
        joint = [part for j in joint for part in (j * chance, j * (1 - chance))]
    # answers x groups: the joint chance of each answer with each group
    table = np.array([np.bincount(groups, weights=j) for j in joint])
    answer, group = table.sum(axis=1), table.sum(axis=0)

    def entropy(chances: Floats) -> float:
        return -float(
            np.sum(np.where(chances > 0, chances * np.log2(np.clip(chances, 1e-300, None)), 0.0))
        )

    return max(0.0, entropy(answer) + entropy(group) - entropy(table))
