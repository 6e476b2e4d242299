"""The one gate for text and numbers that come from outside: what passes can be kept, shown and
computed with."""

import json
import re
from collections.abc import Mapping
from typing import Any

from galene.core.errors import InputError

LONGEST_TEXT, LONGEST_NAME, LONGEST_DIGITS = 500_000, 120, 300
MOST_VALUES, DEEPEST = 60_000, 40
"""Values of one document, and how deep they may lie in each other."""
# Control characters but for tabulator and line ends; halves of characters that stand alone;
# places that no character has.
_REFUSED = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def passes(text: str) -> bool:
    """Whether a text holds only what text can hold.

    Examples
    --------
    >>> passes("Größe 2"), passes("a\\x00b"), passes("\\ud800")
    (True, False, False)
    """
    return _REFUSED.search(text) is None


def printable(text: str, longest: int = 60) -> str:
    """A text that did not pass, so that it can be told.

    Examples
    --------
    >>> printable("a\\x00b")
    'a?b'
    """
    return _REFUSED.sub("?", text[:longest])


def require_text(name: str, text: str, longest: int = LONGEST_TEXT) -> str:
    """The text, where it may pass.

    Parameters
    ----------
    name : the field, for the fault
    longest : characters

    Raises
    ------
    InputError
    """
    if len(text) > longest:
        raise InputError(name, f"{len(text)} characters", f"at most {longest} characters")
    if not passes(text):
        raise InputError(name, printable(text), "text without control characters")
    return text


def digits(text: str, longest: int = 9) -> bool:
    """Whether a text is a short row of the figures 0 to 9: raised and foreign ones are none.

    Examples
    --------
    >>> digits("42"), digits("²"), digits("")
    (True, False, False)
    """
    return text.isascii() and text.isdecimal() and len(text) <= longest


def _whole(text: str) -> int:
    if len(text) > LONGEST_DIGITS:
        raise InputError("(input)", f"a number of {len(text)} figures", "a shorter number")
    return int(text)


def _no_number(text: str) -> Any:
    raise InputError("(input)", text, "a finite number")


def read_json(data: bytes | str) -> Any:
    """A JSON document whose texts and numbers have passed the gate.

    Raises
    ------
    InputError
        No JSON, or a value that can not pass, with its place.
    """
    try:
        found = json.loads(data, parse_int=_whole, parse_constant=_no_number)
    except RecursionError:
        raise InputError("(input)", "lists in lists", f"at most {DEEPEST} deep") from None
    except UnicodeDecodeError:
        raise InputError("(input)", "bytes", "JSON in UTF-8") from None
    except json.JSONDecodeError as fault:
        place = f"line {fault.lineno}, column {fault.colno}: {fault.msg}"
        raise InputError("(input)", place, "a JSON document") from None
    check_values(found)
    return found


def check_values(document: Any) -> None:
    """Hold every text, number and size of a plain document against the gate.

    Raises
    ------
    InputError
        The first value that can not pass.
    """
    left = [(document, "", 0)]
    count = 0
    while left:
        value, place, depth = left.pop()
        count += 1
        if count > MOST_VALUES:
            raise InputError("(input)", "more values", f"at most {MOST_VALUES} in all")
        if depth > DEEPEST:
            raise InputError(place or "(input)", "lists in lists", f"at most {DEEPEST} deep")
        if isinstance(value, str):
            require_text(place or "(input)", value)
        elif isinstance(value, float) and value - value != 0:
            raise InputError(place or "(input)", str(value), "a finite number")
        elif isinstance(value, Mapping):
            for name, inner in value.items():
                require_text(place or "(input)", str(name), LONGEST_NAME)
                left.append((inner, f"{place}.{name}" if place else str(name), depth + 1))
        elif isinstance(value, list):
            left += [(inner, f"{place}[{i}]", depth + 1) for i, inner in enumerate(value)]
