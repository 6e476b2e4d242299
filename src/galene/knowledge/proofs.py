"""The tests that show whether the work on a kind of part helped, and why each does."""

from galene.core.planning.records import ProofTest
from galene.knowledge.documents import read


def _test(test: str, why: str) -> ProofTest:
    return ProofTest(test=test, why=why)


IDLE = _test(
    "idle_readings", "Speed, air and opening at the same warm idle, against the before set."
)
TRIMS = _test("trim_survey", "Trims over airflow: a meter or a leak shows by its shape.")
KEY_ON = _test(
    "key_on_agreement", "With the engine off every absolute sensor must read the same air."
)
FLOW = _test(
    "egr_flow_test", "The valve commanded open at idle: what the passage really lets through."
)
SWEEP = _test("egr_position_sweep", "Position follows command over the whole travel.")
CROSS = _test("egr_dp_crosscheck", "Differential pressure against the balance of air.")
FLAPS = _test("runner_sweep_commanded", "Both stops reached, nothing stiff.")
ROAD = _test("road_test", "The complaint's own situation, driven once more.")
PENDING = _test(
    "pending_codes", "Codes come back by driving: read after the road, pending ones too."
)
PROOFS: dict[str, tuple[ProofTest, ...]] = read(
    "proofs.toml", dict[str, tuple[ProofTest, ...]], "proofs"
)
