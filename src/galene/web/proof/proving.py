"""The proving tests of each cause as a page shows them: where each is run again, how it
stands."""

from dataclasses import dataclass

from galene.core.proof.records import CauseProof, ProvenCause, ProvingTest, TestProof
from galene.jobs.proof import Told
from galene.knowledge.proving import title_of
from galene.store.models import Job

ON_THE_PAGE = {
    "idle_readings": "#after",
    "trim_survey": "#after",
    "key_on_agreement": "#after",
    "road_test": "#road",
}
"""Tests that are entered on the page of the proof itself."""
NO_SHEET = {"bore_restriction": "evidence#looks", "charge_pressure": "logs"}
"""Tests that are no check, and where their figures come in."""


@dataclass(frozen=True, kw_only=True)
class ShownTest:
    """A proving test: what it is called, where it is run again, what it says by now; `stands`:
    what the readings say for it where it was not run itself."""

    title: str
    why: str
    to: str
    said: TestProof | None
    stands: str


@dataclass(frozen=True, kw_only=True)
class ShownCause:
    """A cause with its proving tests, heaviest first."""

    title: str
    proof: CauseProof
    tests: tuple[ShownTest, ...]


def where(job: Job, test: str) -> str:
    """Where a test is run again on a job."""
    if test in ON_THE_PAGE:
        return f"/jobs/{job.number}/prove{ON_THE_PAGE[test]}"
    if test in NO_SHEET:
        return f"/jobs/{job.number}/{NO_SHEET[test]}"
    if test == "fuel_economy_change":
        return f"/vehicles/{job.vehicle.plate_key}/fuel"
    return f"/jobs/{job.number}/checks/{test}?after=true"


def proving_of(job: Job, told: Told) -> tuple[ShownCause, ...]:
    """Every cause that is to be proven with its tests."""
    said = {t.test: t for t in told.proof.tests}
    return tuple(
        ShownCause(
            title=cause.title,
            proof=proof,
            tests=tuple(_shown(job, t, said, proof=proof) for t in cause.tests),
        )
        for cause, proof in zip(told.causes, told.proof.causes, strict=True)
    )


BY_READINGS = {
    "passed": "✓ What was out of its band stands inside now.",
    "better": "↗ Nearer to where it belongs, not there yet.",
    "failed": "✗ Still outside of where it belongs.",
}


def _shown(
    job: Job, test: ProvingTest, said: dict[str, TestProof], *, proof: CauseProof
) -> ShownTest:
    return ShownTest(
        title=title_of(test.test),
        why=test.why,
        to=where(job, test.test),
        said=said.get(test.test),
        stands=BY_READINGS.get(proof.verdict, "") if proof.by == test.test else "",
    )


def how_we_know(cause: ProvenCause) -> str:
    """The heaviest test of a cause, for the page that ranks it."""
    first = cause.tests[0]
    return f"{title_of(first.test)}: {first.why[:1].lower() + first.why[1:]}"
