"""Who agreed to a plan, and how: a name of somebody, and a way by which it was said."""

import re

from galene.core.errors import InputError

WAYS: dict[str, str] = {
    "person": "in person",
    "phone": "by phone",
    "written": "in writing",
    "standing": "by a standing agreement",
}
"""How an owner says yes, by its key."""
STANDING = "standing"
NAMES_NOBODY = re.compile(
    r"\b(no\s*body|no\s*one|none|not?\s+asked|unasked|unknown|anyone|anybody|somebody|n\s*/\s*a)\b",
    re.IGNORECASE,
)
_LETTERS = re.compile(r"[^\W\d_]{2}")


def agreement_text(name: str, way: str) -> str:
    """Who agreed and how, as it is kept.

    Parameters
    ----------
    name : who said yes
    way : a key of `WAYS`

    Raises
    ------
    InputError
        ``approved_by``: nobody is named. ``approved_how``: no such way.

    Examples
    --------
    >>> agreement_text("Ms Holm", "phone")
    'Ms Holm, by phone'
    """
    name = " ".join(name.split())
    if not _LETTERS.search(name) or NAMES_NOBODY.search(name):
        raise InputError("approved_by", name[:60], "the name of the person who said yes")
    if way not in WAYS:
        raise InputError("approved_how", way[:20], ", ".join(WAYS))
    return f"{name}, {WAYS[way]}"
