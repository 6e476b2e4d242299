"""Every calculation by its contract name: the one list that command line, API and worksheets share."""

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

from galene.core import actuator, airflow, bore, drying, ingestion, pressures, proving, recirculation, repair, throttle, traces


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
        Calculation("egr-flow-test", "Recirculation flow test", "How much of the passage is open, by what the opened valve does to the idle?",
                    recirculation.FlowTestInput, recirculation.egr_flow_test),
        Calculation("egr-flow-crosscheck", "Differential pressure against balance", "Does the differential sensor see the gas that must be there?",
                    recirculation.CrosscheckInput, recirculation.egr_flow_crosscheck),
        Calculation("actuator-drive-check", "Actuator drive check", "May this actuator be driven by a jumper, and how?",
                    actuator.DriveInput, actuator.actuator_drive_check),
        Calculation("sensor-line", "Sensor line", "What pressure do these volts stand for?", actuator.SensorLineInput, actuator.sensor_line),
        Calculation("ingestion-limit", "Ingestion limit", "How much may a running engine swallow, in which bursts?",
                    ingestion.IngestionInput, ingestion.ingestion_limit),
        Calculation("blast-positions", "Blast positions", "Where must the crank stand so that each intake valve is shut?",
                    ingestion.BlastInput, ingestion.blast_positions),
        Calculation("regeneration-trace", "Burn-off trace", "Did the particulate filter burn off whole?", traces.BurnInput, traces.regeneration_trace),
        Calculation("runner-sweep", "Runner sweep", "Do the flaps follow over their whole travel?", traces.SweepInput, traces.runner_sweep),
        Calculation("oxygen-response", "Oxygen sensor response", "Is the oxygen sensor alive, slow or flat?", traces.OxygenInput, traces.oxygen_response),
        Calculation("repair-sequence", "Repair sequence", "What to do first when several things may be wrong?", repair.RepairInput, repair.repair_sequence),
        Calculation("fuel-economy-change", "Fuel economy", "Did the fuel use change?", repair.EconomyInput, repair.fuel_economy_change),
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
