"""The one place that every text of the pages passes: a gettext catalogue per language, English
being the source."""

import gettext
from functools import lru_cache
from pathlib import Path

LOCALES = Path(__file__).parent / "locales"


@lru_cache(maxsize=8)
def catalogue(language: str) -> gettext.NullTranslations:
    """The catalogue of a language; English, and any language without a catalogue, says the source
    text."""
    return gettext.translation("galene", LOCALES, [language], fallback=True)


def say(text: str, language: str = "en") -> str:
    """`text` in `language`."""
    return catalogue(language).gettext(text) if text else ""
