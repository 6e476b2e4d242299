"""Every calculation by its contract name: the one list that command line, API and worksheets share."""

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

from galene.core import airflow, bore, drying, pressures, proving, throttle


@dataclass(frozen=True)
class Calculation:
    """A pure function with the record that it takes."""

    name: str
    title: str
    question: str
    takes: type[Any]
    run: Callable[[Any], Any]


CALCULATIONS: dict[str, Calculation] = {
    c.name: c
    for c in (
        Calculation("isa-pressure", "Standard air pressure", "What should an absolute sensor read up here?",
                    pressures.IsaPressureInput, pressures.isa_pressure),
        Calculation("key-on-agreement", "Key-on agreement", "Engine off, ignition on: which sensor stands out?",
                    pressures.KeyOnInput, pressures.key_on_agreement),
        Calculation("expected-airflow", "Expected airflow", "How much air should the meter count?",
                    airflow.ExpectedAirflowInput, airflow.expected_airflow),
        Calculation("trim-split", "Trim split", "Does the meter lie, or does air leak in behind it?",
                    airflow.TrimSplitInput, airflow.trim_split),
        Calculation("idle-gap", "Idle gap", "What has the control unit learned to get past the deposit?",
                    throttle.IdleGapInput, throttle.idle_gap),
        Calculation("bore-restriction", "Bore gauge", "How much of the bore is still open?", bore.BoreInput, bore.bore_restriction),
        Calculation("drying-time", "Drying time", "How long must it stand in this bay's air?",
                    drying.DryingTimeInput, drying.drying_time),
        Calculation("before-after", "Before and after", "Is it proven better, under the same conditions?",
                    proving.BeforeAfterInput, proving.before_after),
    )
}  # fmt: skip


def as_plain(value: Any) -> Any:
    """A result as dicts, lists and numbers with its contract field names, ready for JSON."""
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name.rstrip("_"): as_plain(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, dict):
        return {k: as_plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [as_plain(v) for v in value]
    if isinstance(value, bool) or value is None or isinstance(value, (str, int)):
        return value
    return float(value)
