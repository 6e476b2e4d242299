"""How often a random walk is taken: a few times for every change, many times in a long run."""

import os

CHANGE, LONG = 40, 500
IS_LONG = bool(os.environ.get("GALENE_LONG"))


def walks(change: int = CHANGE) -> int:
    """Examples of a property: `change` for every change, 500 in `./galene test --long`."""
    return often(change, max(change, LONG))


def often(change: int, long: int) -> int:
    """How often for every change, and how often in a long run."""
    return long if IS_LONG else change
