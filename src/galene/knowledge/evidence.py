"""Evidence and how it bears on the causes, with a ground for each row; whose judgement it is
stands at the head of the documents."""

from galene.core.diagnosis.records import Evidence
from galene.knowledge.documents import read

SYMPTOMS: tuple[Evidence, ...] = read("evidence/symptoms.toml", tuple[Evidence, ...], "symptoms")

HISTORY: tuple[Evidence, ...] = read("evidence/history.toml", tuple[Evidence, ...], "history")

CODES: tuple[Evidence, ...] = read("evidence/codes.toml", tuple[Evidence, ...], "codes")

RESULTS: tuple[Evidence, ...] = read("evidence/results.toml", tuple[Evidence, ...], "results")

EVIDENCE: tuple[Evidence, ...] = SYMPTOMS + HISTORY + CODES + RESULTS
WHEN = {
    "idle": "At idle",
    "stopping": "Coming to a stop",
    "starting": "Starting",
    "pulling": "Pulling away",
    "load": "Under load",
    "any": "Any time",
}
"""Groups of symptoms by when they show, in the order of the page."""
