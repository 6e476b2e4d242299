"""What a calculation's verdict is called where a person reads it; one that is not here reads as its
own id does."""

from collections.abc import Mapping

from galene.knowledge.documents import read

VERDICT_WORDS: Mapping[str, str] = read("verdicts.toml", dict[str, str], "words")


def verdict_words(verdict: str) -> str:
    """A verdict's words."""
    return VERDICT_WORDS.get(verdict) or verdict.replace("_", " ").capitalize()
