"""Hands for the planning tests: a case as the contract takes it, and ways to read its plan."""

from collections.abc import Iterable, Mapping
from typing import Any

from galene.exchange.plans import plan_of


def work(
    part: str, work: str = "clean", grade: int | None = 3, *, kind: str = ""
) -> dict[str, Any]:
    """A part of a case."""
    return {"part": part, "work": work, "grade": grade, "kind": kind}


class Card:
    """A plan of the contract, asked by the words of its steps."""

    def __init__(
        self,
        family: str,
        *parts: str | dict[str, Any],
        answers: Mapping[str, str] | None = None,
        policy: Mapping[str, str] | None = None,
        **case: Any,
    ) -> None:
        self.document = plan_of(
            {
                "family": family,
                "parts": [work(p) if isinstance(p, str) else p for p in parts],
                "answers": dict(answers or {}),
                "policy": dict(policy or {}),
                **case,
            }
        )
        self.steps: list[dict[str, Any]] = self.document["steps"]

    @property
    def ids(self) -> list[str]:
        return [s["id"] for s in self.steps]

    @property
    def text(self) -> str:
        """Every word of the card, for what may not be on it."""
        return " ".join(f"{s['text']} {s['why']} {' '.join(s['cautions'])}" for s in self.steps)

    @property
    def spares(self) -> list[str]:
        return [s["name"] for s in self.document["price"]["spares"]]

    @property
    def relearns(self) -> list[str]:
        return [r["id"] for r in self.document["relearns"]]

    def at(self, words: str) -> int:
        """Place of the only step, or the first, whose id or text holds the words."""
        for i, step in enumerate(self.steps):
            if words in step["id"] or words in step["text"]:
                return i
        raise AssertionError(f"no step of {words!r}")

    def step(self, words: str) -> dict[str, Any]:
        return self.steps[self.at(words)]

    def has(self, words: str) -> bool:
        return any(words in s["id"] or words in s["text"] for s in self.steps)

    def ordered(self, *words: str) -> bool:
        """Whether the steps of these words come one after another."""
        places = [self.at(w) for w in words]
        assert places == sorted(places) and len(set(places)) == len(places), dict(
            zip(words, places, strict=True)
        )
        return True

    def record(self, step_id: str, key: str) -> dict[str, Any]:
        step = next(s for s in self.steps if s["id"] == step_id)
        return next(r for r in step["records"] if r["id"].endswith(f"/{key}"))

    def tools_of(self, words: str) -> Iterable[str]:
        return self.step(words)["tools"]
