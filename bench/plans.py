"""Measure planning and count what does not hold. Run: .venv/bin/python -m bench.plans [PLANS]

Random plans over every family, parts, works, grades, schools, answers and start states, each
planned and verified; the largest family with nine parts; a thousand cases of a file, one a line.
"""

import json
import statistics
import sys
import time
from random import Random

from bench.sizes import sized
from galene.core.errors import InputError
from galene.core.planning.case import Case
from galene.core.planning.planner import make_plan
from galene.core.planning.records import Air, PartWork
from galene.core.planning.verify import verify
from galene.exchange.plans import plan_of
from galene.knowledge.families import FAMILIES
from galene.knowledge.hazards import HAZARDS
from galene.knowledge.policy import DEFAULT_POLICY
from galene.knowledge.treatment import Circumstances, judged_use, trade_for
from tests.core.planning.cases import broken, drawn, walk

PLANS, ROUNDS, CASES = sized(10_000, 20), sized(30, 1), sized(1_000, 5)


def spread(times: list[float]) -> str:
    """Median, 95th percentile and worst in milliseconds."""
    ordered = sorted(times)
    high = ordered[int(len(ordered) * 0.95) - 1]
    return (
        f"median {statistics.median(ordered) * 1e3:5.1f} ms   95th {high * 1e3:5.1f} ms   "
        f"worst {ordered[-1] * 1e3:5.1f} ms"
    )


def every_plan(wanted: int) -> None:
    """Plans of random cases and of the answers given to them, all verified."""
    plans = wrong = seed = 0
    began = time.perf_counter()
    while plans < wanted:
        random = Random(seed)
        seed += 1
        case = drawn(random)
        if case is None:
            continue
        for plan, answers in walk(case, random):
            plans += 1
            found = broken(case, plan, answers)
            wrong += len(found)
            for fault in found:
                print(f"  seed {seed - 1}: rule {fault.rule} at {fault.step}: {fault.text}")
    print(
        f"  {plans} plans of {seed} cases: {wrong} violations, {time.perf_counter() - began:.0f} s"
    )


def largest() -> None:
    """Planning with verify of the largest family with nine parts of many ways in."""
    family = max(FAMILIES.values(), key=lambda f: len(f.parts))
    parts: list[PartWork] = []
    trade = trade_for(family, Circumstances(policy=DEFAULT_POLICY))

    def case_of(works: list[PartWork]) -> Case:
        return Case(
            family=family,
            works=tuple(works),
            policy=DEFAULT_POLICY,
            air=Air(temperature_c=14.0, humidity=0.68),
        )

    for part in family.parts:
        wanted = PartWork(part=part.id, grade=3)
        try:
            if len(make_plan(case_of([wanted]), trade).steps) > 18 and len(parts) < 9:
                parts.append(wanted)
        except InputError:
            continue
    case = case_of(parts)
    times = []
    for _ in range(ROUNDS):
        begin = time.perf_counter()
        plan = make_plan(case, trade)
        found = verify(plan, family, case.start, judge=judged_use, hazards=HAZARDS)
        times.append(time.perf_counter() - begin)
        assert not found, found
    print(
        f"  family {family.id}, {len(parts)} parts, {len(plan.steps)} steps, with verify:"
        f" {spread(times)}"
    )


def lines() -> None:
    """A thousand cases as a file gives them, one a line, to their plans as text."""
    random = Random(5)
    texts: list[str] = []
    while len(texts) < CASES:
        case = drawn(random)
        if case is None or case.case.family.id not in FAMILIES:
            continue
        parts = [
            {"part": w.part, "work": w.work, "grade": w.grade, "kind": w.kind}
            for w in case.case.works
        ]
        texts.append(json.dumps({"family": case.case.family.id, "parts": parts}))
    begin = time.perf_counter()
    told = refused = 0
    for text in texts:
        try:
            told += len(json.dumps(plan_of(json.loads(text))))
        except InputError:
            refused += 1
    seconds = time.perf_counter() - begin
    print(
        f"  {CASES} cases, one a line: {seconds:.1f} s, {told // 1024} kB, {refused} can not be"
        " planned"
    )


if __name__ == "__main__":
    largest()
    lines()
    every_plan(int(sys.argv[1]) if len(sys.argv) > 1 else PLANS)
