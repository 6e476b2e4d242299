"""What a calculation's verdict is called where a person reads it; one that is not here reads as its
own id does."""

from collections.abc import Mapping

VERDICT_WORDS: Mapping[str, str] = {
    "agree": "They agree",
    "one_off": "One sensor is off",
    "several_off": "Several sensors are off",
    "undecided": "Not decided by this",
    "not_enough": "Not enough readings",
    "no_reference": "Nothing to compare it with",
    "no_measurement": "Nothing was measured",
    "label_time": "The label's time will do",
    "longer_than_label": "Longer than the label says",
    "allowed": "The drive may be tested",
    "not_allowed": "The drive may not be tested",
    "either": "Either will do",
    "clean": "Clean it",
    "replace": "Fit a new one",
    "keep": "Keep some on the shelf",
    "order_now": "Order now",
    "order_when_needed": "Order when it is needed",
    "enough": "There is enough",
    "own": "The workshop's own band",
    "few_samples": "Too few samples for an own band",
    "entry_only": "The band as it was entered",
    "due": "Due later",
    "due_now": "Due now",
    "rises": "Lean that grows with airflow",
    "found": "Found",
    "in_range": "Within its range",
    "never": "It does not pay back",
    "pays": "It pays back",
}


def verdict_words(verdict: str) -> str:
    """A verdict's words."""
    return VERDICT_WORDS.get(verdict) or verdict.replace("_", " ").capitalize()
