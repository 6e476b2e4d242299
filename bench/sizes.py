"""Sizes of what is measured: the tests run every module once with the smallest."""

import os

SMALL = bool(os.environ.get("BENCH_SMALL"))


def sized(whole: int, small: int) -> int:
    """How much of something is measured."""
    return small if SMALL else whole
