"""Checks: what they need at hand, how they are done, what they tell and what a sound engine shows.

Minutes with the access closed, and with it open, by workshop judgement; needs and what is shown by
general practice: a family's own figures stand beside it.
"""

from galene.core.diagnosis.records import Check
from galene.knowledge.documents import read

CHECKS: tuple[Check, ...] = read("checks.toml", tuple[Check, ...], "checks")
