"""The tests that show whether the work on a kind of part helped, and why each does."""

from galene.core.planning.records import ProofTest
from galene.knowledge.documents import read

PROOFS = read("proofs.toml", dict[str, tuple[ProofTest, ...]], "proofs")
"""Kind of part to its tests."""
