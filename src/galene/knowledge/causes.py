"""Causes and root causes; how sure their figures are stands at the head of the document."""

from galene.core.diagnosis.records import Cause, RootCause
from galene.knowledge.documents import read

CAUSES: tuple[Cause, ...] = read("causes.toml", tuple[Cause, ...], "causes")

ROOT_CAUSES: tuple[RootCause, ...] = read("causes.toml", tuple[RootCause, ...], "roots")
