"""Causes and root causes. Priors, minutes and costs are this project's generic defaults, to be corrected by use.

A prior is the share of vehicles with an air-path complaint in which the cause is found; deposits are common, failed
sensors are rarer than they are replaced. Minutes are for the work itself, parts at a small workshop's prices.
"""

from galene.core.diagnosis.records import Cause, RootCause


def _deposit(id_: str, title: str, prior: float, component: str, minutes: float, cost: float,
             components: tuple[str, ...] | None = None, **only: str) -> Cause:  # fmt: skip
    return Cause(id_, title, "deposit", prior, components or (component,), "clean", component, minutes, cost, only)


def _fault(id_: str, title: str, prior: float, component: str, action: str, minutes: float, cost: float, mends: str,
           components: tuple[str, ...] | None = None, **only: str) -> Cause:  # fmt: skip
    return Cause(id_, title, "fault", prior, (component,) if components is None else components, action, component,
                 minutes, cost, only, mends)  # fmt: skip


def _wiring(id_: str, title: str, component: str) -> Cause:
    """A plug, pin or wire of a sensor: found by looking and pulling, before a new sensor is bought."""
    return _fault(
        id_, title, 0.012, component, "repair", 25, 5,
        "Look at plug, pins and loom, measure the wire through, mend it there; then the sensor is asked again.",
    )  # fmt: skip


CAUSES: tuple[Cause, ...] = (
    # A diesel is not throttled: its intake flap wears soot and idles no worse for it.
    _deposit("throttle_deposit", "Deposit round the throttle plate", 0.14, "throttle_body", 35, 8, fuel="petrol"),
    _deposit("throttle_sticking", "Throttle plate sticks in its deposit", 0.05, "throttle_body", 45, 8, fuel="petrol"),
    _deposit("idle_valve_deposit", "Deposit in the idle air valve", 0.10, "idle_air_valve", 35, 6),
    _deposit("maf_dust", "Dust on the air meter's element", 0.07, "maf_sensor", 20, 6),
    _deposit("maf_oil_film", "Oil film on the air meter's element", 0.05, "maf_sensor", 20, 6),
    _deposit("secondary_air_sensor_dirty", "Dirt in the small secondary-air meter", 0.03, "secondary_air_flow_sensor", 20, 6),
    _deposit("secondary_air_valve_coked", "Secondary-air valve coked", 0.03, "secondary_air_valve", 50, 10),
    _deposit("map_fouled", "Manifold pressure sensor sooted up", 0.05, "map_sensor", 20, 6),
    _deposit("boost_sensor_fouled", "Boost sensor sooted up", 0.06, "boost_sensor", 20, 6),
    _deposit("exhaust_pressure_tube_blocked", "Exhaust pressure tube blocked", 0.05, "exhaust_pressure_tube", 45, 6),
    _deposit("egr_dp_ports_blocked", "Differential pressure ports blocked", 0.06, "egr_dp_ports", 40, 6),
    _deposit("egr_passage_plugged", "Recirculation passage plugged", 0.08, "egr_passage", 95, 25),
    _deposit("egr_valve_stuck_open", "Recirculation valve held open by carbon", 0.05, "egr_valve", 60, 20),
    _deposit("egr_valve_sluggish", "Recirculation valve sticks", 0.05, "egr_valve", 60, 20),
    _deposit("egr_cooler_plugged", "Recirculation cooler plugged", 0.06, "egr_cooler", 180, 90),
    _deposit("manifold_coked", "Intake manifold coked", 0.06, "intake_manifold", 210, 80),
    _deposit("runner_flaps_stuck", "Runner flaps stuck", 0.04, "runner_flaps", 210, 80),
    _deposit("runner_actuator_sensor_dirty", "Brush dust in the flap actuator's sensor", 0.04, "runner_actuator", 40, 5),
    Cause("ports_coked", "Intake ports coked", "deposit", 0.02, ("intake_ports",), "clean", "intake_ports", 240, 60,
          likelier=(("injection", "direct", 4.0),)),
    _deposit("crankcase_hose_blocked", "Crankcase pressure hose blocked", 0.08, "crankcase_pressure_hose", 25, 5),
    _deposit("oxygen_sensor_fouled", "Oxygen sensor fouled but alive", 0.03, "oxygen_sensor", 30, 20),
    _deposit("doser_fouled", "Exhaust fuel doser coked", 0.05, "aftertreatment_doser", 70, 25),
    _deposit("filter_restricted", "Air filter restricted", 0.06, "air_filter", 10, 22),
    _fault("unmetered_air_leak", "Air enters behind the meter", 0.09, "intake_tube", "repair", 30, 35,
           "Mend the boot, clamp or gasket; cleaning does not close a leak.", (), fuel="petrol"),
    _fault("maf_failed", "Air meter failed", 0.02, "maf_sensor", "replace", 15, 190, "Replace it; a clean element changed nothing."),
    _fault("map_failed", "Manifold pressure sensor failed", 0.015, "map_sensor", "replace", 15, 70, "Replace the sensor."),
    _fault("boost_leak", "Charge air leaks", 0.06, "charge_air_pipe", "repair", 40, 45, "Mend seal, clip or hose."),
    _fault("turbo_control_fault", "Turbine control at fault", 0.03, "charge_air_pipe", "refer_on", 60, 300,
           "Outside this work: actuator and turbine are tested by those who rebuild them."),
    _fault("throttle_actuator_fault", "Throttle motor or its position tracks at fault", 0.02, "throttle_body", "replace", 45, 320,
           "Replace the throttle body.", throttle="electronic"),
    _fault("idle_adaptation_lost", "Idle adaptation lost or out of date", 0.03, "throttle_body", "relearn", 35, 0,
           "Relearn; nothing is dirty or broken.", throttle="electronic", fuel="petrol"),
    _fault("egr_valve_electrical", "Recirculation valve's electrics at fault", 0.03, "egr_valve", "replace", 45, 240,
           "Find the circuit's fault, else replace the valve."),
    _fault("egr_dp_sensor_damaged", "Differential pressure sensor damaged", 0.02, "egr_dp_sensor", "replace", 20, 120, "Replace it."),
    _fault("egr_cooler_leak", "Recirculation cooler leaks coolant", 0.02, "egr_cooler", "replace", 180, 480,
           "Replace the cooler before anything is cleaned."),
    _fault("exhaust_pressure_sensor_failed", "Exhaust pressure sensor failed", 0.015, "exhaust_pressure_sensor", "replace", 20, 110,
           "Replace it once its tube is known to be clear."),
    _fault("runner_lever_unhooked", "Flap lever off its ball", 0.02, "runner_flaps", "repair", 30, 10,
           "Hook it on again and find why it jammed."),
    _fault("crankcase_sensor_seal_leak", "Crankcase sensor leaks at its seal or barb", 0.06, "crankcase_pressure_sensor", "repair", 20, 6,
           "New O-ring, sound hose end."),
    _fault("crankcase_sensor_failed", "Crankcase pressure sensor failed", 0.02, "crankcase_pressure_sensor", "replace", 15, 85, "Replace it."),
    _fault("oxygen_sensor_failed", "Oxygen sensor failed", 0.02, "oxygen_sensor", "replace", 30, 95,
           "Replace it: flat, cracked or soaked sensors do not come back."),
    _wiring("maf_wiring", "Air meter's plug or wire", "maf_sensor"),
    _wiring("map_wiring", "Manifold pressure sensor's plug or wire", "map_sensor"),
    _wiring("iat_wiring", "Intake temperature sensor's plug or wire", "iat_sensor"),
    _wiring("boost_sensor_wiring", "Boost sensor's plug or wire", "boost_sensor"),
    _wiring("exhaust_pressure_wiring", "Exhaust pressure sensor's plug or wire", "exhaust_pressure_sensor"),
    _wiring("crankcase_sensor_wiring", "Crankcase sensor's plug or wire", "crankcase_pressure_sensor"),
    _wiring("oxygen_sensor_wiring", "Oxygen sensor's plug, wire or heater circuit", "oxygen_sensor"),
    _wiring("throttle_wiring", "Throttle's plug or wire", "throttle_body"),
    _wiring("runner_wiring", "Flap actuator's plug or wire", "runner_actuator"),
    _wiring("secondary_meter_wiring", "Small secondary-air meter's plug or wire", "secondary_air_flow_sensor"),
    _fault("pedal_sensor_fault", "Pedal sensor or its wires at fault", 0.008, "engine", "refer_on", 40, 110,
           "Read both pedal tracks against each other; it is changed as a whole.", (), throttle="electronic"),
    _fault("idle_valve_electrical", "Idle valve's motor or wires at fault", 0.015, "idle_air_valve", "replace", 25, 95,
           "Find the circuit's fault, else replace the valve."),
    _fault("boost_sensor_failed", "Boost sensor failed", 0.012, "boost_sensor", "replace", 15, 65, "Replace the sensor."),
    _fault("barometric_failed", "Ambient pressure sensor failed", 0.006, "barometric_sensor", "replace", 20, 60,
           "Replace it; inside the control unit it is a matter for its maker."),
    _fault("secondary_air_supply_fault", "Secondary air pump, its relay or its line", 0.03, "secondary_air_valve", "refer_on", 50, 160,
           "Hear whether the pump runs, feel its line, read relay and fuse."),
    _fault("turbo_seal_leak", "Turbine's seal passes oil", 0.012, "charge_air_pipe", "refer_on", 120, 700,
           "Outside this work: stop running it, the turbine goes to those who rebuild it."),
    Cause("ignition_or_fuel_fault", "Ignition, fuel or the engine itself", "outside", 0.08, (), "refer_on", "engine", 60, 60, {},
          "Outside this work: refer on."),
)  # fmt: skip

ROOT_CAUSES: tuple[RootCause, ...] = (
    RootCause("breather_oil_carryover", "Oil carried over by the crankcase breather",
              "Is there oil in the tube after the breather, is the separator stuck, is the oil above its mark?",
              ("throttle_deposit", "throttle_sticking", "manifold_coked", "ports_coked", "maf_oil_film", "idle_valve_deposit"),
              ("oil_in_charge_pipe", "long_idle_or_pto", "oil_level_high")),
    RootCause("overoiled_filter", "Over-oiled filter", "Is the filter an oiled one, when was it oiled and how much?",
              ("maf_oil_film",), ("oiled_filter_fitted",)),
    RootCause("low_load_duty", "Short, cold or idle running",
              "How long are the runs, does the engine reach its heat, how many hours idle?",
              ("throttle_deposit", "egr_passage_plugged", "egr_valve_stuck_open", "egr_valve_sluggish", "egr_cooler_plugged",
               "map_fouled", "boost_sensor_fouled", "exhaust_pressure_tube_blocked", "egr_dp_ports_blocked", "doser_fouled",
               "manifold_coked"),
              ("short_trips", "long_idle_or_pto")),
    RootCause("dust_ingress", "Dust past the filter", "Does the filter seat all round, is the box closed, are pleats split?",
              ("maf_dust", "secondary_air_sensor_dirty", "filter_restricted", "crankcase_sensor_seal_leak"),
              ("dusty_use", "filter_light_blocked", "seal_dust_path_seen")),
    RootCause("coolant_leak_into_gas", "Coolant in the gas", "Does the coolant sink when cold, is the deposit pale and crusty?",
              ("egr_cooler_plugged", "boost_sensor_fouled", "egr_valve_stuck_open", "oxygen_sensor_fouled"),
              ("coolant_loss", "crack_seen")),
    RootCause("rich_or_oily_combustion", "Rich or oily combustion", "Does it use oil, smoke, or run rich with good reason?",
              ("oxygen_sensor_fouled", "egr_passage_plugged", "ports_coked", "exhaust_pressure_tube_blocked"),
              ("black_smoke", "code_rich")),
)  # fmt: skip
