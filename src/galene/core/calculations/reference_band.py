"""A known-good band out of own work: `reference-band`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import (
    Asked,
    Calculation,
    FormEntry,
    InputForm,
    asked,
    check_ranges,
)
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range
from galene.core.learning.bands import COVERAGE, DEFAULT_WEIGHT, Prior, learned_band

MOST = 5000
FARTHEST = 1e9
"""What no reading of an engine is beyond, in any unit."""
FEW = 5
"""Own samples from which a band is called own (this project's judgement)."""


@dataclass(frozen=True, kw_only=True)
class BandPrior:
    """The family's entry: its band, and for how many samples it counts."""

    low: float
    high: float
    weight: float = field(
        default=DEFAULT_WEIGHT, metadata=asked(label="Counts as samples", low=0.5, high=1000)
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class ReferenceBandInput:
    """Readings of sound engines, one a job, and what was known beforehand."""

    samples: list[float]
    prior: BandPrior | None = None
    coverage: float = field(
        default=COVERAGE, metadata=asked(label="Share inside", low=0.5, high=0.99)
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class ReferenceBandResult:
    """The band, its middle and spread; `odd` are the places of samples that do not count."""

    low: float
    high: float
    mean: float
    spread: float
    counted: int
    odd: list[int]
    verdict: str
    sentence: str


def reference_band(given: ReferenceBandInput) -> ReferenceBandResult:
    """The range in which the next sound engine's reading lies.

    Parameters
    ----------
    given.samples : readings in one unit, one a job
    given.prior : the family's entry in the same unit

    Raises
    ------
    InputError
        No prior and fewer than two samples, samples that are all the same, a prior upside down.

    Notes
    -----
    See `galene.core.learning.bands`.
    """
    check_ranges(given)
    require(len(given.samples) <= MOST, "samples", len(given.samples), allowed=f"up to {MOST}")
    for i, sample in enumerate(given.samples):
        require_range(f"samples[{i}]", sample, -FARTHEST, high=FARTHEST)
    prior = None
    if given.prior is not None:
        check_ranges(given.prior, "prior.")
        for end in ("low", "high"):
            require_range(f"prior.{end}", getattr(given.prior, end), -FARTHEST, high=FARTHEST)
        require(
            given.prior.low < given.prior.high,
            "prior.low",
            given.prior.low,
            allowed=f"below prior.high, which is {given.prior.high:g}",
        )
        prior = Prior(low=given.prior.low, high=given.prior.high, weight=given.prior.weight)
    found = learned_band(given.samples, prior, given.coverage)
    own = found.counted >= FEW
    odd = len(found.odd)
    sentence = (
        f"{given.coverage:.0%} of sound engines lie between {found.low:.4g} and {found.high:.4g}"
        f" ({found.counted} sample{'s' if found.counted != 1 else ''}"
        f"{' and the entry' if prior else ''})."
    )
    if odd:
        sentence += f" {odd} odd sample{'s' if odd != 1 else ''} shown and not counted."
    return ReferenceBandResult(
        low=found.low,
        high=found.high,
        mean=found.mean,
        spread=found.spread,
        counted=found.counted,
        odd=list(found.odd),
        verdict="own" if own else "few_samples" if found.counted else "entry_only",
        sentence=sentence,
    )


def _shaped(given: dict[str, Any]) -> dict[str, Any]:
    """The form's fields in the contract's shape: a prior where both its ends are typed."""
    found: dict[str, Any] = {"samples": [r["sample"] for r in given["samples"]]}
    if given.get("low") is not None and given.get("high") is not None:
        found["prior"] = {"low": given["low"], "high": given["high"]}
        if given.get("weight") is not None:
            found["prior"]["weight"] = given["weight"]
    return found


FORM = InputForm(
    entries=(
        FormEntry(name="low", asked=Asked(label="Entry's band from", start="2.2"), optional=True),
        FormEntry(name="high", asked=Asked(label="to", start="3.0"), optional=True),
        FormEntry(
            name="weight",
            asked=Asked(label="Counts as samples", start="4", low=0.5, high=1000),
            optional=True,
        ),
    ),
    table="samples",
    columns=(FormEntry(name="sample", asked=Asked(label="Reading of a sound engine")),),
    rows=tuple((s,) for s in ("2.61", "2.74", "2.55", "2.69", "2.83", "2.58")),
    shape=_shaped,
)
CALCULATION = Calculation(
    name="reference-band",
    title="Known-good band",
    question="Where do sound engines of this kind lie?",
    takes=ReferenceBandInput,
    run=reference_band,
    place=21,
    form=FORM,
)
