"""Every calculation by its contract name: the one list that command line, API and worksheets
share."""

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

from galene.core import (
    actuator,
    airflow,
    bore,
    drying,
    ingestion,
    pressures,
    proving,
    recirculation,
    repair,
    throttle,
    traces,
)


@dataclass(frozen=True, kw_only=True)
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
        Calculation(
            name="isa-pressure",
            title="Standard air pressure",
            question="What should an absolute sensor read up here?",
            takes=pressures.IsaPressureInput,
            run=pressures.isa_pressure,
        ),
        Calculation(
            name="key-on-agreement",
            title="Key-on agreement",
            question="Engine off, ignition on: which sensor stands out?",
            takes=pressures.KeyOnInput,
            run=pressures.key_on_agreement,
        ),
        Calculation(
            name="expected-airflow",
            title="Expected airflow",
            question="How much air should the meter count?",
            takes=airflow.ExpectedAirflowInput,
            run=airflow.expected_airflow,
        ),
        Calculation(
            name="trim-split",
            title="Trim split",
            question="Does the meter lie, or does air leak in behind it?",
            takes=airflow.TrimSplitInput,
            run=airflow.trim_split,
        ),
        Calculation(
            name="idle-gap",
            title="Idle gap",
            question="What has the control unit learned to get past the deposit?",
            takes=throttle.IdleGapInput,
            run=throttle.idle_gap,
        ),
        Calculation(
            name="bore-restriction",
            title="Bore gauge",
            question="How much of the bore is still open?",
            takes=bore.BoreInput,
            run=bore.bore_restriction,
        ),
        Calculation(
            name="drying-time",
            title="Drying time",
            question="How long must it stand in this bay's air?",
            takes=drying.DryingTimeInput,
            run=drying.drying_time,
        ),
        Calculation(
            name="egr-flow-test",
            title="Recirculation flow test",
            question="How much of the passage is open, by what the opened valve does to the idle?",
            takes=recirculation.FlowTestInput,
            run=recirculation.egr_flow_test,
        ),
        Calculation(
            name="egr-flow-crosscheck",
            title="Differential pressure against balance",
            question="Does the differential sensor see the gas that must be there?",
            takes=recirculation.CrosscheckInput,
            run=recirculation.egr_flow_crosscheck,
        ),
        Calculation(
            name="actuator-drive-check",
            title="Actuator drive check",
            question="May this actuator be driven by a jumper, and how?",
            takes=actuator.DriveInput,
            run=actuator.actuator_drive_check,
        ),
        Calculation(
            name="sensor-line",
            title="Sensor line",
            question="What pressure do these volts stand for?",
            takes=actuator.SensorLineInput,
            run=actuator.sensor_line,
        ),
        Calculation(
            name="ingestion-limit",
            title="Ingestion limit",
            question="How much may a running engine swallow, in which bursts?",
            takes=ingestion.IngestionInput,
            run=ingestion.ingestion_limit,
        ),
        Calculation(
            name="blast-positions",
            title="Blast positions",
            question="Where must the crank stand so that each intake valve is shut?",
            takes=ingestion.BlastInput,
            run=ingestion.blast_positions,
        ),
        Calculation(
            name="regeneration-trace",
            title="Burn-off trace",
            question="Did the particulate filter burn off whole?",
            takes=traces.BurnInput,
            run=traces.regeneration_trace,
        ),
        Calculation(
            name="runner-sweep",
            title="Runner sweep",
            question="Do the flaps follow over their whole travel?",
            takes=traces.SweepInput,
            run=traces.runner_sweep,
        ),
        Calculation(
            name="oxygen-response",
            title="Oxygen sensor response",
            question="Is the oxygen sensor alive, slow or flat?",
            takes=traces.OxygenInput,
            run=traces.oxygen_response,
        ),
        Calculation(
            name="repair-sequence",
            title="Repair sequence",
            question="What to do first when several things may be wrong?",
            takes=repair.RepairInput,
            run=repair.repair_sequence,
        ),
        Calculation(
            name="fuel-economy-change",
            title="Fuel economy",
            question="Did the fuel use change?",
            takes=repair.EconomyInput,
            run=repair.fuel_economy_change,
        ),
        Calculation(
            name="before-after",
            title="Before and after",
            question="Is it proven better, under the same conditions?",
            takes=proving.BeforeAfterInput,
            run=proving.before_after,
        ),
    )
}


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
