"""Causes and root causes. Priors, minutes and costs are this project's generic defaults, to be corrected by use.

A prior is the share of vehicles with an air-path complaint in which the cause is found; deposits are common, failed
sensors are rarer than they are replaced. Minutes are for the work itself, parts at a small workshop's prices.
"""

from galene.core.diagnosis.records import Cause, RootCause


def _deposit(id_: str, title: str, prior: float, *, component: str, minutes: float, cost: float,
             components: tuple[str, ...] | None = None, **only: str) -> Cause:  # fmt: skip
    return Cause(id=id_, title=title, kind="deposit", prior=prior, components=components or (component,), action="clean", component=component, minutes=minutes, cost=cost, only=only)


def _fault(id_: str, title: str, prior: float, *, component: str, action: str, minutes: float, cost: float, mends: str,
           components: tuple[str, ...] | None = None, **only: str) -> Cause:  # fmt: skip
    return Cause(id=id_, title=title, kind="fault", prior=prior, components=(component,) if components is None else components, action=action, component=component,
                 minutes=minutes, cost=cost, only=only, mends=mends)  # fmt: skip


def _wiring(id_: str, title: str, component: str) -> Cause:
    """A plug, pin or wire of a sensor: found by looking and pulling, before a new sensor is bought."""
    return _fault(
        id_, title, 0.012, component=component, action="repair", minutes=25, cost=5,
        mends="Look at plug, pins and loom, measure the wire through, mend it there; then the sensor is asked again.",
    )  # fmt: skip


CAUSES: tuple[Cause, ...] = (
    # A diesel is not throttled: its intake flap wears soot and idles no worse for it.
    _deposit("throttle_deposit", "Deposit round the throttle plate", 0.14, component="throttle_body", minutes=35, cost=8, fuel="petrol"),
    _deposit("throttle_sticking", "Throttle plate sticks in its deposit", 0.05, component="throttle_body", minutes=45, cost=8, fuel="petrol"),
    _deposit("idle_valve_deposit", "Deposit in the idle air valve", 0.10, component="idle_air_valve", minutes=35, cost=6),
    _deposit("maf_dust", "Dust on the air meter's element", 0.07, component="maf_sensor", minutes=20, cost=6),
    _deposit("maf_oil_film", "Oil film on the air meter's element", 0.05, component="maf_sensor", minutes=20, cost=6),
    _deposit("secondary_air_sensor_dirty", "Dirt in the small secondary-air meter", 0.03, component="secondary_air_flow_sensor", minutes=20, cost=6),
    _deposit("secondary_air_valve_coked", "Secondary-air valve coked", 0.03, component="secondary_air_valve", minutes=50, cost=10),
    _deposit("map_fouled", "Manifold pressure sensor sooted up", 0.05, component="map_sensor", minutes=20, cost=6),
    _deposit("boost_sensor_fouled", "Boost sensor sooted up", 0.06, component="boost_sensor", minutes=20, cost=6),
    _deposit("exhaust_pressure_tube_blocked", "Exhaust pressure tube blocked", 0.05, component="exhaust_pressure_tube", minutes=45, cost=6),
    _deposit("egr_dp_ports_blocked", "Differential pressure ports blocked", 0.06, component="egr_dp_ports", minutes=40, cost=6),
    _deposit("egr_passage_plugged", "Recirculation passage plugged", 0.08, component="egr_passage", minutes=95, cost=25),
    _deposit("egr_valve_stuck_open", "Recirculation valve held open by carbon", 0.05, component="egr_valve", minutes=60, cost=20),
    _deposit("egr_valve_sluggish", "Recirculation valve sticks", 0.05, component="egr_valve", minutes=60, cost=20),
    _deposit("egr_cooler_plugged", "Recirculation cooler plugged", 0.06, component="egr_cooler", minutes=180, cost=90),
    _deposit("manifold_coked", "Intake manifold coked", 0.06, component="intake_manifold", minutes=210, cost=80),
    _deposit("runner_flaps_stuck", "Runner flaps stuck", 0.04, component="runner_flaps", minutes=210, cost=80),
    _deposit("runner_actuator_sensor_dirty", "Brush dust in the flap actuator's sensor", 0.04, component="runner_actuator", minutes=40, cost=5),
    Cause(id="ports_coked", title="Intake ports coked", kind="deposit", prior=0.02, components=("intake_ports",), action="clean", component="intake_ports", minutes=240, cost=60,
          likelier=(("injection", "direct", 4.0),)),
    _deposit("crankcase_hose_blocked", "Crankcase pressure hose blocked", 0.08, component="crankcase_pressure_hose", minutes=25, cost=5),
    _deposit("oxygen_sensor_fouled", "Oxygen sensor fouled but alive", 0.03, component="oxygen_sensor", minutes=30, cost=20),
    _deposit("doser_fouled", "Exhaust fuel doser coked", 0.05, component="aftertreatment_doser", minutes=70, cost=25),
    _deposit("filter_restricted", "Air filter restricted", 0.06, component="air_filter", minutes=10, cost=22),
    _fault("unmetered_air_leak", "Air enters behind the meter", 0.09, component="intake_tube", action="repair", minutes=30, cost=35,
           mends="Mend the boot, clamp or gasket; cleaning does not close a leak.", components=(), fuel="petrol"),
    _fault("maf_failed", "Air meter failed", 0.02, component="maf_sensor", action="replace", minutes=15, cost=190, mends="Replace it; a clean element changed nothing."),
    _fault("map_failed", "Manifold pressure sensor failed", 0.015, component="map_sensor", action="replace", minutes=15, cost=70, mends="Replace the sensor."),
    _fault("boost_leak", "Charge air leaks", 0.06, component="charge_air_pipe", action="repair", minutes=40, cost=45, mends="Mend seal, clip or hose."),
    _fault("turbo_control_fault", "Turbine control at fault", 0.03, component="charge_air_pipe", action="refer_on", minutes=60, cost=300,
           mends="Outside this work: actuator and turbine are tested by those who rebuild them."),
    _fault("throttle_actuator_fault", "Throttle motor or its position tracks at fault", 0.02, component="throttle_body", action="replace", minutes=45, cost=320,
           mends="Replace the throttle body.", throttle="electronic"),
    _fault("idle_adaptation_lost", "Idle adaptation lost or out of date", 0.03, component="throttle_body", action="relearn", minutes=35, cost=0,
           mends="Relearn; nothing is dirty or broken.", throttle="electronic", fuel="petrol"),
    _fault("egr_valve_electrical", "Recirculation valve's electrics at fault", 0.03, component="egr_valve", action="replace", minutes=45, cost=240,
           mends="Find the circuit's fault, else replace the valve."),
    _fault("egr_dp_sensor_damaged", "Differential pressure sensor damaged", 0.02, component="egr_dp_sensor", action="replace", minutes=20, cost=120, mends="Replace it."),
    _fault("egr_cooler_leak", "Recirculation cooler leaks coolant", 0.02, component="egr_cooler", action="replace", minutes=180, cost=480,
           mends="Replace the cooler before anything is cleaned."),
    _fault("exhaust_pressure_sensor_failed", "Exhaust pressure sensor failed", 0.015, component="exhaust_pressure_sensor", action="replace", minutes=20, cost=110,
           mends="Replace it once its tube is known to be clear."),
    _fault("runner_lever_unhooked", "Flap lever off its ball", 0.02, component="runner_flaps", action="repair", minutes=30, cost=10,
           mends="Hook it on again and find why it jammed."),
    _fault("crankcase_sensor_seal_leak", "Crankcase sensor leaks at its seal or barb", 0.06, component="crankcase_pressure_sensor", action="repair", minutes=20, cost=6,
           mends="New O-ring, sound hose end."),
    _fault("crankcase_sensor_failed", "Crankcase pressure sensor failed", 0.02, component="crankcase_pressure_sensor", action="replace", minutes=15, cost=85, mends="Replace it."),
    _fault("oxygen_sensor_failed", "Oxygen sensor failed", 0.02, component="oxygen_sensor", action="replace", minutes=30, cost=95,
           mends="Replace it: flat, cracked or soaked sensors do not come back."),
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
    _fault("pedal_sensor_fault", "Pedal sensor or its wires at fault", 0.008, component="engine", action="refer_on", minutes=40, cost=110,
           mends="Read both pedal tracks against each other; it is changed as a whole.", components=(), throttle="electronic"),
    _fault("idle_valve_electrical", "Idle valve's motor or wires at fault", 0.015, component="idle_air_valve", action="replace", minutes=25, cost=95,
           mends="Find the circuit's fault, else replace the valve."),
    _fault("boost_sensor_failed", "Boost sensor failed", 0.012, component="boost_sensor", action="replace", minutes=15, cost=65, mends="Replace the sensor."),
    _fault("barometric_failed", "Ambient pressure sensor failed", 0.006, component="barometric_sensor", action="replace", minutes=20, cost=60,
           mends="Replace it; inside the control unit it is a matter for its maker."),
    _fault("secondary_air_supply_fault", "Secondary air pump, its relay or its line", 0.03, component="secondary_air_valve", action="refer_on", minutes=50, cost=160,
           mends="Hear whether the pump runs, feel its line, read relay and fuse."),
    _fault("turbo_seal_leak", "Turbine's seal passes oil", 0.012, component="charge_air_pipe", action="refer_on", minutes=120, cost=700,
           mends="Outside this work: stop running it, the turbine goes to those who rebuild it."),
    Cause(id="ignition_or_fuel_fault", title="Ignition, fuel or the engine itself", kind="outside", prior=0.08, components=(), action="refer_on", component="engine", minutes=60, cost=60, only={},
          mends="Outside this work: refer on."),
)  # fmt: skip

ROOT_CAUSES: tuple[RootCause, ...] = (
    RootCause(id="breather_oil_carryover", title="Oil carried over by the crankcase breather",
              ask="Is there oil in the tube after the breather, is the separator stuck, is the oil above its mark?",
              feeds=("throttle_deposit", "throttle_sticking", "manifold_coked", "ports_coked", "maf_oil_film", "idle_valve_deposit"),
              signs=("oil_in_charge_pipe", "long_idle_or_pto", "oil_level_high")),
    RootCause(id="overoiled_filter", title="Over-oiled filter", ask="Is the filter an oiled one, when was it oiled and how much?",
              feeds=("maf_oil_film",), signs=("oiled_filter_fitted",)),
    RootCause(id="low_load_duty", title="Short, cold or idle running",
              ask="How long are the runs, does the engine reach its heat, how many hours idle?",
              feeds=("throttle_deposit", "egr_passage_plugged", "egr_valve_stuck_open", "egr_valve_sluggish", "egr_cooler_plugged",
               "map_fouled", "boost_sensor_fouled", "exhaust_pressure_tube_blocked", "egr_dp_ports_blocked", "doser_fouled",
               "manifold_coked"),
              signs=("short_trips", "long_idle_or_pto")),
    RootCause(id="dust_ingress", title="Dust past the filter", ask="Does the filter seat all round, is the box closed, are pleats split?",
              feeds=("maf_dust", "secondary_air_sensor_dirty", "filter_restricted", "crankcase_sensor_seal_leak"),
              signs=("dusty_use", "filter_light_blocked", "seal_dust_path_seen")),
    RootCause(id="coolant_leak_into_gas", title="Coolant in the gas", ask="Does the coolant sink when cold, is the deposit pale and crusty?",
              feeds=("egr_cooler_plugged", "boost_sensor_fouled", "egr_valve_stuck_open", "oxygen_sensor_fouled"),
              signs=("coolant_loss", "crack_seen")),
    RootCause(id="rich_or_oily_combustion", title="Rich or oily combustion", ask="Does it use oil, smoke, or run rich with good reason?",
              feeds=("oxygen_sensor_fouled", "egr_passage_plugged", "ports_coked", "exhaust_pressure_tube_blocked"),
              signs=("black_smoke", "code_rich")),
)  # fmt: skip
