"""Causes and root causes. Priors, minutes and costs are this project's generic defaults, to be
corrected by use.

A prior is the share of vehicles with an air-path complaint in which the cause is found; deposits
are common, failed sensors are rarer than they are replaced. Minutes are for the work itself, parts
at a small workshop's prices.
"""

from galene.core.diagnosis.records import Cause, RootCause
from galene.knowledge.documents import read

CAUSES: tuple[Cause, ...] = read("causes.toml", tuple[Cause, ...], "causes")

ROOT_CAUSES: tuple[RootCause, ...] = read("causes.toml", tuple[RootCause, ...], "roots")
