"""What the proof of a repair takes and gives. The knowledge tables are made of the first half."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from galene.core.airpath.family import Band
from galene.core.calculations.before_after import MetricValue
from galene.core.calculations.conditions import Conditions

Direction = Literal["higher", "lower"]
Aim = Literal["higher", "lower", "band"]
TestWord = Literal["passed", "better", "failed", "not_comparable"]
ReadingWord = Literal["better", "worse", "was_good", "unchanged", "not_comparable"]
ProofWord = Literal["proven", "better_to_confirm", "not_better", "not_comparable"]
SymptomWord = Literal["gone", "less", "same"]


@dataclass(frozen=True, kw_only=True)
class Figure:
    """A figure that a test gives: where it should lie, and what it is called.

    Parameters
    ----------
    name : field of the calculation's result, with its unit
    label, unit : words for the reader
    aim : ``higher``, ``lower``, or the value to be near
    least_share : change that counts, as a share of the figure before
    passes_from : value from which it passes by itself (to which, where lower is better)
    """

    name: str
    label: str
    unit: str
    aim: Direction | float
    least_share: float = 0.1
    passes_from: float | None = None


@dataclass(frozen=True, kw_only=True)
class TestReading:
    """How a test's result is read.

    Parameters
    ----------
    test : id of the check, or of the calculation with underscores
    title : words for the reader
    passed : verdict words that show the fault no more, with what they say
    failed : verdict words that still show it, the worst first, with what they say
    figures : figures of the result, the telling one first
    band : metric whose known-good band the first figure is held against
    """

    test: str
    title: str
    passed: Mapping[str, str] = field(default_factory=dict)
    failed: Mapping[str, str] = field(default_factory=dict)
    figures: tuple[Figure, ...] = ()
    band: str = ""


@dataclass(frozen=True, kw_only=True)
class ProvingTest:
    """A test that shows whether a cause is cured, heaviest first in the cause's list.

    Parameters
    ----------
    test : what is run
    why : why it tells
    source : where this comes from
    metrics : readings that stand for the test where they are taken before and after, with the
        direction in which the cure moves them where no band is known, or `band` where only that
        tells
    """

    test: str
    why: str
    source: str
    metrics: Mapping[str, Aim] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Polarity:
    """How one piece of evidence speaks of a cause: the state in which it shows the fault."""

    evidence: str
    bad: Literal["present", "absent"]
    text: str


@dataclass(frozen=True, kw_only=True)
class ProvenCause:
    """A cause to be proven, with all that the judgement must know of it.

    Parameters
    ----------
    component : kind of part that was worked on
    tests : its proving tests that this engine can have, heaviest first
    code_groups : groups of codes that point to it
    """

    id: str
    title: str
    component: str
    tests: tuple[ProvingTest, ...]
    code_groups: frozenset[str] = frozenset()


@dataclass(frozen=True, kw_only=True)
class TestSide:
    """A test's result on one side: of its calculation, or the evidence that it gave.

    Parameters
    ----------
    verdict : word of the calculation, empty where it gave none
    figures : of the result, in its units
    grade : deposit grade 0 to 4
    evidence : state by evidence id
    within : kind of sensor to whether it agrees, of a key-on reading
    """

    verdict: str = ""
    figures: Mapping[str, float] = field(default_factory=dict)
    grade: int | None = None
    evidence: Mapping[str, str] = field(default_factory=dict)
    within: Mapping[str, bool] = field(default_factory=dict)

    @property
    def says_nothing(self) -> bool:
        """Whether nothing was told."""
        told = (self.verdict, self.figures, self.evidence, self.within)
        return self.grade is None and not any(told)


@dataclass(frozen=True, kw_only=True)
class TestRun:
    """The same test before and after the work; a side that was not run is None."""

    test: str
    before: TestSide | None = None
    after: TestSide | None = None


@dataclass(frozen=True, kw_only=True)
class ReadingSide:
    """Readings of one side with what held meanwhile; None where that was not recorded.

    `read_at`: metric to the speed, rpm, or the air, g/s, at which it was read where that is not the
    set's own.
    """

    metrics: tuple[MetricValue, ...] = ()
    conditions: Conditions | None = None
    read_at: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class CodesTold:
    """Codes before, and after a drive; None where nobody said so."""

    before: tuple[str, ...] = ()
    after_stored: tuple[str, ...] = ()
    after_pending: tuple[str, ...] = ()
    drive_done: bool | None = None
    monitors_ready: bool | None = None


@dataclass(frozen=True, kw_only=True)
class ProofCase:
    """All that is known of a repair.

    Parameters
    ----------
    bands : known-good band by metric, the case's own over the family's
    symptoms : how each symptom of the complaint stands now
    symptom_texts, test_titles : their words for the reader
    open_ends : what else is not done yet, in words
    started : whether the engine has run since the work
    confirmed : whether somebody has said what it was
    silent : tests that showed no fault before the work: run again they tell nothing
    spoke_of : test to the causes of which it spoke before the work, where that is known
    group_of : group of a code, empty for a code of none
    """

    causes: tuple[ProvenCause, ...]
    tests: tuple[TestRun, ...] = ()
    before: ReadingSide | None = None
    after: ReadingSide | None = None
    bands: Mapping[str, Band] = field(default_factory=dict)
    symptoms: Mapping[str, SymptomWord] = field(default_factory=dict)
    symptom_texts: Mapping[str, str] = field(default_factory=dict)
    test_titles: Mapping[str, str] = field(default_factory=dict)
    codes: CodesTold = field(default_factory=CodesTold)
    open_ends: tuple[str, ...] = ()
    started: bool = True
    confirmed: bool = True
    silent: frozenset[str] = frozenset()
    spoke_of: Mapping[str, frozenset[str]] = field(default_factory=dict)
    group_of: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class TestProof:
    """What a test says of the repair; `showed_before`: whether it showed the fault before the work,
    None where it was not run then."""

    test: str
    verdict: TestWord
    text: str
    showed_before: bool | None = None


@dataclass(frozen=True, kw_only=True)
class ReadingProof:
    """What a reading says of the repair.

    Parameters
    ----------
    text : with its figures, kept units
    reason : without figures, for a page that shows them in the reader's units
    before, after : means in the metric's kept unit, None where there are none
    low, high : 95 % interval of the change, None for single values
    band : known-good band, kept unit
    in_band : whether it lies in its band now, None without a band or a value
    """

    metric: str
    verdict: ReadingWord
    text: str
    reason: str = ""
    before: float | None = None
    after: float | None = None
    low: float | None = None
    high: float | None = None
    band: Band | None = None
    in_band: bool | None = None


@dataclass(frozen=True, kw_only=True)
class CauseProof:
    """How one cause stands: by its separating tests. `shown`: the test that says so had shown the
    fault before the work."""

    cause: str
    title: str
    verdict: TestWord | Literal["not_run"]
    by: str
    shown: bool = False


@dataclass(frozen=True, kw_only=True)
class Proof:
    """The judgement of a repair. `missing` names what would still tell: ``start``, ``drive``,
    ``monitors``, ``symptoms``, ``symptom:ID``, ``test:ID``, ``shown:CAUSE``, ``worse:METRIC``,
    ``code:CODE``, ``cause``, ``open:WORDS``."""

    verdict: ProofWord
    headline: str
    tests: tuple[TestProof, ...]
    readings: tuple[ReadingProof, ...]
    causes: tuple[CauseProof, ...]
    missing: tuple[str, ...]
