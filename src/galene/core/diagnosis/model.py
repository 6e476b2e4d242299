"""What an engine's causes make of the evidence: every set of them, its prior, the chance of each
sign."""

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from threading import Lock
from typing import Any

import numpy as np
import numpy.typing as npt
from cachetools import LRUCache, cached

from galene.core.diagnosis.records import (
    Case,
    Cause,
    EngineOutline,
    Evidence,
    KnowledgeBase,
    Observation,
)
from galene.core.errors import InputError

Floats = npt.NDArray[np.float64]
DISTANCE_ODDS_KM = 100_000.0
"""Deposits are as likely as their prior says at this distance (project default)."""


@lru_cache(maxsize=64)
def all_sets(count: int) -> Floats:
    """Every set of up to three of `count` causes as rows of zeros and ones."""
    rows = [c for size in range(4) for c in combinations(range(count), size)]
    table = np.zeros((len(rows), count))
    for i, row in enumerate(rows):
        table[i, list(row)] = 1.0
    table.setflags(write=False)
    return table


def causes_of(engine: EngineOutline, knowledge: KnowledgeBase) -> tuple[Cause, ...]:
    """The causes that this engine can have, in the order of the tables."""
    return tuple(c for c in knowledge.causes.values() if c.possible_on(engine))


def prior_log_odds(case: Case, causes: tuple[Cause, ...], knowledge: KnowledgeBase) -> Floats:
    odds = np.array([math.log(c.prior / (1 - c.prior)) for c in causes])
    odds += np.array(
        [
            sum(math.log(f) for name, v, f in c.likelier if getattr(case.engine, name) == v)
            for c in causes
        ]
    )
    if case.distance_km is not None:
        # Growth with distance, held between a half and two and a half so that a typing slip decides
        # nothing.
        factor = math.log(min(2.5, max(0.5, case.distance_km / DISTANCE_ODDS_KM)))
        odds += np.array([factor if c.kind == "deposit" else 0.0 for c in causes])
    return odds


def history_shift(kind: Evidence, seen: Observation, causes: tuple[Cause, ...]) -> Floats:
    """Change of prior log-odds by a piece of history; its absence speaks a third as loud the other
    way."""
    sign = (1.0 if seen.state == "present" else -1 / 3) * (2 * seen.confidence - 1)
    return np.array([sign * math.log(kind.odds.get(c.id, 1.0)) for c in causes])


class Model:
    """What one engine's causes make of the evidence: fixed by the tables, so each row is worked out
    once."""

    def __init__(self, engine: EngineOutline, knowledge: KnowledgeBase) -> None:
        self.knowledge = knowledge
        self.causes = causes_of(engine, knowledge)
        self.table = all_sets(len(self.causes))
        self._chances: dict[str, Floats] = {}
        self._bits: dict[str, Floats] = {}

    def chance(self, kind: Evidence) -> Floats:
        """P(present | set) for every set."""
        known = self._chances.get(kind.id)
        if known is None:
            quiet = np.log([max(1e-9, 1 - kind.links.get(c.id, 0.0)) for c in self.causes])
            silent: Floats = (1 - kind.leak) * np.exp(self.table @ quiet)
            known = self._chances[kind.id] = silent if kind.inverse else 1 - silent
        return known

    def bits(self, kind: Evidence) -> Floats:
        """Entropy of the answer given each set."""
        known = self._bits.get(kind.id)
        if known is None:
            known = self._bits[kind.id] = answer_bits(self.chance(kind))
        return known


@cached(LRUCache(maxsize=64), key=lambda engine, knowledge: (id(knowledge), engine), lock=Lock())
def model_of(engine: EngineOutline, knowledge: KnowledgeBase) -> Model:
    """The model of an engine. The knowledge base is held by the model, so its identity stays its
    own."""
    return Model(engine, knowledge)


def normal(log_weights: Floats) -> Floats:
    weights = np.exp(log_weights - log_weights.max(axis=-1, keepdims=True))
    total: Floats = weights / weights.sum(axis=-1, keepdims=True)
    return total


def answer_bits(chance: Floats | float) -> Any:
    p = np.clip(chance, 1e-12, 1 - 1e-12)
    return -(p * np.log2(p) + (1 - p) * np.log2(1 - p))


def log_odds(p: Floats) -> Floats:
    clipped = np.clip(p, 1e-9, 1 - 1e-9)
    out: Floats = np.log(clipped / (1 - clipped))
    return out


@dataclass(frozen=True, kw_only=True)
class Belief:
    """What a case's evidence makes of the sets of causes.

    Parameters
    ----------
    full : sets, log weight of each
    posterior, marginal : chance of each set, and of each cause
    background : causes, log-odds from distance and history alone
    shifts : evidence id with the log weight that it adds to each set
    """

    full: Floats
    posterior: Floats
    marginal: Floats
    background: Floats
    shifts: tuple[tuple[str, Floats], ...]

    def weights(self, model: Model) -> Floats:
        """Evidence x causes: by how much the log-odds of each cause fall without each piece."""
        if not self.shifts:
            return np.zeros((0, len(model.causes)))
        without = normal(self.full[None, :] - np.array([s for _, s in self.shifts])) @ model.table
        return log_odds(self.marginal)[None, :] - log_odds(without)


def weighed(case: Case, model: Model) -> Belief:
    """The belief that a case's evidence leaves.

    Parameters
    ----------
    case : its evidence is of the vocabulary; what is unknown counts for nothing
    """
    causes, table, knowledge = model.causes, model.table, model.knowledge
    prior = prior_log_odds(case, causes, knowledge)
    background = prior.copy()
    shifts: list[tuple[str, Floats]] = []
    for evidence_id, seen in case.evidence.items():
        if seen.state == "unknown":
            continue
        kind = evidence_kind(evidence_id, knowledge)
        total = np.zeros(len(table))
        if kind.odds:
            shift = history_shift(kind, seen, causes)
            total = table @ shift
            if not kind.links:
                background += shift
        if kind.links or not kind.odds:
            chance = model.chance(kind)
            likely = chance if seen.state == "present" else 1 - chance
            mixed = seen.confidence * likely + (1 - seen.confidence) * (1 - likely)
            total = total + np.log(np.clip(mixed, 1e-12, None))
        shifts.append((evidence_id, total))
    full = table @ prior + sum((s for _, s in shifts), np.zeros(len(table)))
    posterior = normal(full)
    return Belief(
        full=full,
        posterior=posterior,
        marginal=posterior @ table,
        background=background,
        shifts=tuple(shifts),
    )


def evidence_kind(evidence_id: str, knowledge: KnowledgeBase) -> Evidence:
    """The table's row for an id; ``key_on_one_off:<component>`` is looked up whole.

    Raises
    ------
    InputError
        Unknown id.
    """
    kind = knowledge.evidence.get(evidence_id)
    if kind is None:
        raise InputError("evidence", evidence_id, "an id of the vocabulary")
    return kind
