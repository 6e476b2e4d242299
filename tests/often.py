"""How often a random walk is taken: a few times for every change, many times in a long run."""

import os

CHANGE, LONG = 40, 500


def walks(change: int = CHANGE) -> int:
    """Examples of a property: `change` for every change, 500 in `./galene test --long`."""
    return max(change, LONG) if os.environ.get("GALENE_LONG") else change
