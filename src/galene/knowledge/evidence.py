"""Evidence and how it bears on the causes, with a ground for each row.

Strengths are the chance that the cause alone shows the evidence; leaks the chance that something else does. All by
this project's judgement of workshop practice and the physics in `galene.core`; to be corrected by confirmed cases.
"""

from galene.core.diagnosis.records import Evidence


def _see(id_: str, group: str, text: str, leak: float, links: dict[str, float], ground: str, *needs: str) -> Evidence:
    return Evidence(id_, group, text, ground, leak, links, needs=needs)


def _good(id_: str, text: str, leak: float, links: dict[str, float], ground: str, *needs: str) -> Evidence:
    return Evidence(id_, "check", text, ground, leak, links, inverse=True, needs=needs)


def _past(id_: str, text: str, odds: dict[str, float], ground: str, group: str = "history") -> Evidence:
    return Evidence(id_, group, text, ground, odds=odds)


SYMPTOMS: tuple[Evidence, ...] = (
    _see("rough_idle", "idle", "Rough idle", 0.12, {
        "throttle_deposit": 0.65, "throttle_sticking": 0.4, "idle_valve_deposit": 0.65, "unmetered_air_leak": 0.65,
        "egr_valve_stuck_open": 0.8, "maf_dust": 0.3, "maf_oil_film": 0.3, "maf_failed": 0.4, "map_fouled": 0.3,
        "ports_coked": 0.55, "manifold_coked": 0.3, "ignition_or_fuel_fault": 0.6, "runner_flaps_stuck": 0.3,
        "idle_adaptation_lost": 0.4, "oxygen_sensor_failed": 0.2, "oxygen_sensor_fouled": 0.15},
        "little air at idle: a small gap or leak is a large share"),
    _see("hunting_idle", "idle", "Idle hunts up and down", 0.05, {
        "unmetered_air_leak": 0.4, "throttle_deposit": 0.3, "idle_valve_deposit": 0.4, "idle_adaptation_lost": 0.45,
        "throttle_sticking": 0.3, "egr_valve_sluggish": 0.2, "throttle_actuator_fault": 0.2},
        "the idle control corrects past its mark"),
    _see("high_idle", "idle", "Idle too high", 0.04, {
        "unmetered_air_leak": 0.4, "idle_adaptation_lost": 0.8, "throttle_sticking": 0.25, "idle_valve_deposit": 0.2,
        "throttle_actuator_fault": 0.25},
        "more air than the control expects: leak, or an offset learned past a deposit that is gone"),
    _see("stalls_coming_to_stop", "stopping", "Stalls coming to a stop", 0.04, {
        "throttle_deposit": 0.6, "idle_valve_deposit": 0.6, "throttle_sticking": 0.4, "egr_valve_stuck_open": 0.5,
        "unmetered_air_leak": 0.25, "maf_failed": 0.3, "maf_dust": 0.2, "ignition_or_fuel_fault": 0.12},
        "the closing plate catches too little air"),
    _see("hard_start", "starting", "Hard to start", 0.06, {
        "throttle_deposit": 0.25, "idle_valve_deposit": 0.35, "unmetered_air_leak": 0.2, "ignition_or_fuel_fault": 0.45,
        "egr_valve_stuck_open": 0.35, "crankcase_hose_blocked": 0.4, "crankcase_sensor_failed": 0.5, "map_failed": 0.4},
        "cranking air goes through the idle gap"),
    _see("hesitation", "pulling", "Hesitates when pulling away", 0.1, {
        "maf_dust": 0.5, "maf_oil_film": 0.5, "maf_failed": 0.55, "unmetered_air_leak": 0.4, "throttle_sticking": 0.4,
        "throttle_deposit": 0.25, "map_fouled": 0.4, "boost_leak": 0.35, "ports_coked": 0.35, "ignition_or_fuel_fault": 0.4,
        "crankcase_hose_blocked": 0.4, "egr_valve_stuck_open": 0.4, "exhaust_pressure_tube_blocked": 0.3},
        "fuel follows a signal that is late or low"),
    _see("jerks_on_acceleration", "pulling", "Jerks on acceleration", 0.06, {
        "maf_dust": 0.3, "maf_oil_film": 0.3, "throttle_sticking": 0.35, "ignition_or_fuel_fault": 0.5, "ports_coked": 0.3,
        "throttle_actuator_fault": 0.35, "boost_sensor_fouled": 0.3},
        "torque comes in steps"),
    _see("weak_low_end", "pulling", "Weak at low revs", 0.08, {
        "runner_flaps_stuck": 0.5, "runner_lever_unhooked": 0.5, "egr_valve_stuck_open": 0.5, "boost_leak": 0.4,
        "manifold_coked": 0.35, "ports_coked": 0.35, "maf_dust": 0.3, "turbo_control_fault": 0.5},
        "charge motion or fresh air is missing at low flow"),
    _see("delayed_pedal_response", "pulling", "Pedal answers late", 0.04, {
        "throttle_sticking": 0.7, "throttle_deposit": 0.3, "throttle_actuator_fault": 0.5, "boost_leak": 0.2},
        "the plate must break free first"),
    _see("low_power_all_range", "load", "Low power at all revs", 0.08, {
        "filter_restricted": 0.5, "maf_dust": 0.45, "maf_oil_film": 0.45, "maf_failed": 0.5, "manifold_coked": 0.5,
        "boost_sensor_fouled": 0.5, "map_fouled": 0.45, "boost_leak": 0.6, "egr_valve_stuck_open": 0.4, "turbo_control_fault": 0.7,
        "exhaust_pressure_tube_blocked": 0.55, "ports_coked": 0.3, "egr_dp_ports_blocked": 0.4, "doser_fouled": 0.3,
        "ignition_or_fuel_fault": 0.35, "exhaust_pressure_sensor_failed": 0.5, "throttle_actuator_fault": 0.4},
        "less air, or less air counted"),
    _see("bogs_high_rpm", "load", "Bogs at high revs", 0.03, {
        "crankcase_hose_blocked": 0.6, "crankcase_sensor_seal_leak": 0.8, "crankcase_sensor_failed": 0.4,
        "filter_restricted": 0.45, "maf_dust": 0.3, "maf_oil_film": 0.3, "ignition_or_fuel_fault": 0.3},
        "the load signal or the air runs out where flow is largest"),
    _see("reduced_power_mode", "load", "Reduced power mode", 0.05, {
        "throttle_sticking": 0.5, "throttle_actuator_fault": 0.8, "boost_sensor_fouled": 0.7, "boost_leak": 0.5,
        "turbo_control_fault": 0.6, "map_failed": 0.4, "map_fouled": 0.3, "exhaust_pressure_tube_blocked": 0.45,
        "throttle_deposit": 0.12, "runner_actuator_sensor_dirty": 0.25, "egr_valve_stuck_open": 0.25},
        "the control unit protects itself from a signal it can not trust"),
    _see("boost_shown_but_no_thrust", "load", "Boost is shown but no thrust", 0.02, {
        "exhaust_pressure_tube_blocked": 0.7, "boost_sensor_fouled": 0.35, "egr_valve_stuck_open": 0.25,
        "exhaust_pressure_sensor_failed": 0.4},
        "the control closes down on a false back pressure"),
    _see("fuel_economy_down", "any", "Uses more fuel", 0.15, {
        "maf_dust": 0.35, "maf_oil_film": 0.35, "filter_restricted": 0.25, "oxygen_sensor_fouled": 0.6,
        "oxygen_sensor_failed": 0.6, "exhaust_pressure_tube_blocked": 0.7, "egr_valve_stuck_open": 0.3, "manifold_coked": 0.35,
        "doser_fouled": 0.5, "boost_leak": 0.4, "egr_dp_ports_blocked": 0.4, "throttle_deposit": 0.1},
        "mixture or pumping work is off"),
    _see("fuel_economy_flat", "any", "Fuel use is the same whatever the load", 0.03, {
        "exhaust_pressure_tube_blocked": 0.3, "doser_fouled": 0.5, "map_fouled": 0.5, "egr_dp_ports_blocked": 0.3, "manifold_coked": 0.3},
        "load is no longer seen"),
    _see("black_smoke", "any", "Black smoke", 0.05, {
        "boost_leak": 0.6, "egr_valve_stuck_open": 0.6, "maf_dust": 0.2, "manifold_coked": 0.4, "filter_restricted": 0.3,
        "exhaust_pressure_tube_blocked": 0.55, "egr_dp_ports_blocked": 0.5, "boost_sensor_fouled": 0.3, "turbo_control_fault": 0.4},
        "too little air for the fuel"),
    _see("frequent_regeneration", "any", "Frequent burn-offs", 0.05, {
        "doser_fouled": 0.6, "egr_dp_ports_blocked": 0.5, "egr_valve_stuck_open": 0.5, "manifold_coked": 0.45, "map_fouled": 0.4,
        "boost_leak": 0.4, "exhaust_pressure_tube_blocked": 0.3},
        "more soot, or a burn-off that does not finish"),
    _see("whistle_or_hiss", "any", "Whistle or hiss", 0.03, {"unmetered_air_leak": 0.45, "boost_leak": 0.6},
         "air through a small gap is heard"),
    _see("coolant_loss", "any", "Loses coolant", 0.03, {"egr_cooler_leak": 0.85}, "it goes where the gas is"),
    _see("worse_when_hot", "any", "Worse when hot", 0.1, {
        "maf_failed": 0.35, "throttle_actuator_fault": 0.4, "ignition_or_fuel_fault": 0.3, "egr_valve_electrical": 0.4},
        "windings and cracks open with heat; deposits hardly change"),
)  # fmt: skip

HISTORY: tuple[Evidence, ...] = (
    _past("valve_already_replaced", "The recirculation valve is already new", {
        "egr_passage_plugged": 3.0, "egr_valve_stuck_open": 0.25, "egr_valve_sluggish": 0.25, "egr_valve_electrical": 0.35},
        "a new valve is seldom the fault twice"),
    _past("cleaned_before_helped", "Cleaning helped before", {
        "throttle_deposit": 2.0, "idle_valve_deposit": 2.0, "maf_dust": 1.5, "maf_oil_film": 1.5, "map_fouled": 1.5},
        "what fed the deposit is still there"),
    _past("oiled_filter_fitted", "An oiled filter is fitted", {"maf_oil_film": 4.0, "maf_dust": 0.7}, "oil leaves the mesh and lands on the element"),
    _past("long_idle_or_pto", "Idles long or works by power take-off", {
        "throttle_deposit": 1.5, "egr_passage_plugged": 1.5, "egr_cooler_plugged": 2.0, "egr_dp_ports_blocked": 1.6,
        "doser_fouled": 1.8, "map_fouled": 1.5, "exhaust_pressure_tube_blocked": 1.6},
        "cool gas drops its soot", "duty"),
    _past("short_trips", "Short trips", {
        "throttle_deposit": 1.6, "egr_passage_plugged": 1.6, "egr_valve_sluggish": 1.5, "boost_sensor_fouled": 1.4,
        "ports_coked": 1.3, "oxygen_sensor_fouled": 1.5},
        "moisture and fuel in the breather, cold soot", "duty"),
    _past("dusty_use", "Dusty use", {"maf_dust": 2.5, "filter_restricted": 2.5, "secondary_air_sensor_dirty": 2.0,
        "crankcase_sensor_seal_leak": 1.6}, "dust finds the filter's edge", "duty"),
    _past("high_distance_never_cleaned", "High distance and never cleaned", {
        "throttle_deposit": 2.0, "manifold_coked": 1.6, "ports_coked": 2.0, "egr_passage_plugged": 1.6, "map_fouled": 1.6,
        "egr_dp_ports_blocked": 1.6, "exhaust_pressure_tube_blocked": 1.6, "doser_fouled": 1.6, "egr_cooler_plugged": 1.6},
        "deposit only grows"),
    _see("code_returns_within_minutes", "history", "The code returns within minutes", 0.1, {
        "runner_actuator_sensor_dirty": 0.6, "runner_lever_unhooked": 0.6, "runner_flaps_stuck": 0.5, "manifold_coked": 0.45, "throttle_actuator_fault": 0.6,
        "egr_valve_electrical": 0.6, "maf_failed": 0.5, "map_failed": 0.5, "oxygen_sensor_failed": 0.3},
        "the fault is there at every self-test"),
    _past("battery_was_disconnected", "The battery was disconnected", {"idle_adaptation_lost": 8.0}, "learned values are lost with the supply"),
    _past("adaptation_not_done_after_work", "No relearn was done after the last work", {"idle_adaptation_lost": 12.0},
          "the old offset stays learned on a clean plate"),
)  # fmt: skip

CODES: tuple[Evidence, ...] = (
    _see("code_maf", "code", "Air meter code", 0.02, {"maf_dust": 0.4, "maf_oil_film": 0.4, "maf_failed": 0.8,
         "unmetered_air_leak": 0.12, "filter_restricted": 0.12, "throttle_deposit": 0.05}, "the meter misses its model"),
    _see("code_map", "code", "Manifold pressure code", 0.02, {"map_fouled": 0.6, "map_failed": 0.8}, "the signal misses its model"),
    _see("code_iat", "code", "Intake temperature code", 0.02, {"map_fouled": 0.2, "maf_failed": 0.2}, "often one housing with another sensor"),
    _see("code_throttle_position", "code", "Throttle position code", 0.01, {"throttle_sticking": 0.5, "throttle_actuator_fault": 0.75},
         "the plate hangs, or its tracks are worn", "throttle_body"),
    _see("code_lean", "code", "Mixture lean code", 0.03, {"unmetered_air_leak": 0.7, "maf_dust": 0.5, "maf_oil_film": 0.5,
         "maf_failed": 0.25, "ignition_or_fuel_fault": 0.2, "filter_restricted": 0.02}, "uncounted air, or counted too low"),
    _see("code_rich", "code", "Mixture rich code", 0.03, {"maf_failed": 0.25, "ignition_or_fuel_fault": 0.3, "map_fouled": 0.3,
         "map_failed": 0.3, "crankcase_sensor_failed": 0.3, "oxygen_sensor_failed": 0.15}, "counted too high, or fuel that nobody asked for"),
    _see("code_misfire", "code", "Misfire code", 0.04, {"ignition_or_fuel_fault": 0.7, "ports_coked": 0.6, "unmetered_air_leak": 0.2,
         "egr_valve_stuck_open": 0.3, "throttle_deposit": 0.03}, "a cylinder goes short of spark, fuel, pressure or air"),
    _see("code_idle", "code", "Idle speed code", 0.015, {"throttle_deposit": 0.45, "idle_valve_deposit": 0.6, "unmetered_air_leak": 0.25,
         "idle_adaptation_lost": 0.5, "throttle_sticking": 0.25}, "the control is at its end stop"),
    _see("code_throttle_control", "code", "Throttle control code", 0.01, {"throttle_sticking": 0.5, "throttle_actuator_fault": 0.8,
         "throttle_deposit": 0.1, "boost_sensor_fouled": 0.25, "idle_adaptation_lost": 0.2}, "the plate misses its command", "throttle_body"),
    _see("code_boost_low", "code", "Boost low code", 0.01, {"boost_leak": 0.7, "boost_sensor_fouled": 0.45, "turbo_control_fault": 0.6,
         "filter_restricted": 0.2, "exhaust_pressure_tube_blocked": 0.2, "egr_valve_stuck_open": 0.25}, "less pressure than asked for"),
    _see("code_boost_sensor", "code", "Boost sensor code", 0.01, {"boost_sensor_fouled": 0.75, "boost_leak": 0.1}, "slow or offset by soot", "boost_sensor"),
    _see("code_egr_flow_low", "code", "Recirculation flow low code", 0.01, {"egr_passage_plugged": 0.8, "egr_valve_sluggish": 0.45,
         "egr_valve_electrical": 0.5, "egr_cooler_plugged": 0.75, "egr_dp_ports_blocked": 0.6, "egr_dp_sensor_damaged": 0.5}, "commanded gas does not arrive", "egr_valve"),
    _see("code_egr_flow_high", "code", "Recirculation flow high code", 0.01, {"egr_valve_stuck_open": 0.7, "egr_dp_sensor_damaged": 0.4}, "gas comes without command", "egr_valve"),
    _see("code_egr_control", "code", "Recirculation control code", 0.01, {"egr_valve_electrical": 0.7, "egr_valve_sluggish": 0.4,
         "egr_valve_stuck_open": 0.35, "egr_cooler_plugged": 0.2}, "command and answer differ", "egr_valve"),
    _see("code_egr_position", "code", "Recirculation position code", 0.01, {"egr_valve_electrical": 0.6, "egr_valve_stuck_open": 0.45,
         "egr_valve_sluggish": 0.3}, "the stop is not reached", "egr_valve"),
    _see("code_secondary_air", "code", "Secondary air code", 0.01, {"secondary_air_sensor_dirty": 0.7, "secondary_air_valve_coked": 0.7}, "the small meter or valve"),
    _see("code_exhaust_pressure", "code", "Exhaust pressure code", 0.01, {"exhaust_pressure_tube_blocked": 0.6,
         "exhaust_pressure_sensor_failed": 0.7}, "no pressure reaches the sensor, or it is dead"),
    _see("code_pressure_correlation", "code", "Pressures disagree code", 0.015, {"exhaust_pressure_tube_blocked": 0.6, "map_fouled": 0.4,
         "map_failed": 0.4, "boost_sensor_fouled": 0.4, "exhaust_pressure_sensor_failed": 0.4, "throttle_deposit": 0.04}, "one of two lags"),
    _see("code_oxygen_sensor", "code", "Oxygen sensor code", 0.02, {"oxygen_sensor_fouled": 0.55, "oxygen_sensor_failed": 0.75,
         "unmetered_air_leak": 0.12, "maf_dust": 0.06, "maf_oil_film": 0.06}, "often the messenger", "oxygen_sensor"),
    _see("code_runner", "code", "Intake runner code", 0.01, {"runner_flaps_stuck": 0.7, "runner_actuator_sensor_dirty": 0.75,
         "runner_lever_unhooked": 0.8, "manifold_coked": 0.55}, "the flaps' position is not reached", "runner_flaps"),
    _see("code_particulate_filter", "code", "Particulate filter code", 0.02, {"doser_fouled": 0.5, "egr_dp_ports_blocked": 0.2,
         "manifold_coked": 0.2, "egr_valve_stuck_open": 0.25}, "more soot than is burnt", "particulate_filter"),
    _see("code_crankcase_pressure", "code", "Crankcase pressure code", 0.01, {"crankcase_hose_blocked": 0.6,
         "crankcase_sensor_failed": 0.7, "crankcase_sensor_seal_leak": 0.35}, "the load signal misses", "crankcase_pressure_sensor"),
)  # fmt: skip

RESULTS: tuple[Evidence, ...] = (
    _see("trim_leak_shape", "check", "Trims large at idle that fade with airflow", 0.03, {"unmetered_air_leak": 0.92},
         "a fixed leak is a smaller share of more air", "maf_sensor"),
    _see("trim_meter_shape", "check", "Trims a constant share at all airflows", 0.03, {"maf_dust": 0.75, "maf_oil_film": 0.8,
         "maf_failed": 0.5, "ignition_or_fuel_fault": 0.12}, "a meter that shows a fixed share of the truth", "maf_sensor"),
    _see("airflow_reads_low", "check", "Meter reads less than speed and density give", 0.04, {"maf_dust": 0.6, "maf_oil_film": 0.6,
         "maf_failed": 0.5, "unmetered_air_leak": 0.55, "map_fouled": 0.1}, "air uncounted", "maf_sensor"),
    _see("learned_opening_high", "check", "Throttle opening at idle above the family's band", 0.04, {"throttle_deposit": 0.85,
         "throttle_sticking": 0.3, "filter_restricted": 0.05, "idle_adaptation_lost": 0.15}, "idle-gap: the plate opens past the deposit", "throttle_body"),
    _see("idle_airflow_high", "check", "More air at idle than the family's band", 0.04, {"unmetered_air_leak": 0.12,
         "idle_adaptation_lost": 0.6, "ignition_or_fuel_fault": 0.15}, "the engine is given or needs more"),
    _good("look_throttle_clean", "Throttle bore and plate look clean", 0.08, {"throttle_deposit": 0.95, "throttle_sticking": 0.7},
          "the band at the closed plate is plain to see", "throttle_body"),
    _good("look_maf_clean", "Meter element looks clean", 0.12, {"maf_dust": 0.9, "maf_oil_film": 0.65},
          "dust shows, a thin oil film hides", "maf_sensor"),
    _see("maf_oily_seen", "check", "Meter element shines with oil", 0.02, {"maf_oil_film": 0.7}, "seen at a slant", "maf_sensor"),
    _see("secondary_meter_dirty_seen", "check", "Small secondary-air meter seen dirty", 0.02, {"secondary_air_sensor_dirty": 0.93}, "seen",
         "secondary_air_flow_sensor"),
    _see("secondary_valve_coked_seen", "check", "Secondary-air valve seen coked", 0.02, {"secondary_air_valve_coked": 0.93}, "seen", "secondary_air_valve"),
    _see("filter_light_blocked", "check", "No light through the filter", 0.05, {"filter_restricted": 0.92}, "a lamp behind the pleats", "air_filter"),
    _see("leak_found", "check", "A leak is found", 0.01, {"unmetered_air_leak": 0.93}, "smoke, or the engine's answer"),
    _see("boost_leak_found", "check", "A charge air leak is found", 0.01, {"boost_leak": 0.93}, "smoke or soap under pressure", "charge_air_pipe"),
    _see("plate_sticks", "check", "The plate sticks or steps through its sweep", 0.02, {"throttle_sticking": 0.85,
         "throttle_actuator_fault": 0.5}, "felt or seen in the sweep", "throttle_body"),
    _see("egr_test_area_small", "check", "Commanded-open test hardly moves manifold pressure", 0.02, {"egr_passage_plugged": 0.95,
         "egr_valve_sluggish": 0.3, "egr_valve_electrical": 0.85, "egr_cooler_plugged": 0.7}, "egr-flow-test", "egr_valve"),
    _good("egr_position_follows", "Valve position follows its command", 0.05, {"egr_valve_electrical": 0.9, "egr_valve_sluggish": 0.75,
          "egr_valve_stuck_open": 0.6}, "it moves: then the passage is in question", "egr_valve"),
    _good("egr_position_reaches_zero", "Valve position reaches zero", 0.04, {"egr_valve_stuck_open": 0.92, "egr_valve_sluggish": 0.3},
          "carbon on the seat holds it off", "egr_valve"),
    _see("egr_passage_blocked_seen", "check", "Passage seen plugged", 0.01, {"egr_passage_plugged": 0.95}, "seen", "egr_passage"),
    _see("dp_low_but_balance_high", "check", "Differential pressure low, recirculated mass high", 0.01, {"egr_dp_ports_blocked": 0.9,
         "egr_dp_sensor_damaged": 0.4}, "egr-flow-crosscheck", "egr_dp_sensor"),
    _see("dp_and_balance_low", "check", "Differential pressure and recirculated mass both low", 0.02, {"egr_cooler_plugged": 0.9,
         "egr_passage_plugged": 0.6, "egr_valve_sluggish": 0.4}, "egr-flow-crosscheck", "egr_dp_sensor"),
    _see("dp_ports_blocked_seen", "check", "Differential ports seen blocked", 0.01, {"egr_dp_ports_blocked": 0.95}, "seen", "egr_dp_ports"),
    _see("dp_reads_high_after_cleaning", "check", "Reads high after its ports were cleaned", 0.02, {"egr_dp_sensor_damaged": 0.8}, "body or one port", "egr_dp_sensor"),
    _good("flap_moves_freely", "Flap moves freely by hand", 0.05, {"runner_flaps_stuck": 0.95, "manifold_coked": 0.9},
          "felt at the lever", "runner_flaps"),
    _see("flap_stiff", "check", "Flap is stiff by hand", 0.02, {"manifold_coked": 0.92, "runner_flaps_stuck": 0.45}, "felt at the lever", "runner_flaps"),
    _see("lever_unhooked_seen", "check", "Flap lever off its ball", 0.005, {"runner_lever_unhooked": 0.97}, "seen", "runner_flaps"),
    Evidence("soot_on_map_sensor", "check", "Manifold pressure sensor caked with soot", "it tells how the rest looks", 0.02, {"map_fouled": 0.97},
             odds={"manifold_coked": 2.5, "ports_coked": 2.0, "egr_dp_ports_blocked": 3.0, "egr_passage_plugged": 2.0, "exhaust_pressure_tube_blocked": 2.5,
              "doser_fouled": 2.0}, needs=("map_sensor",)),
    _see("soot_on_boost_sensor", "check", "Boost sensor caked with soot", 0.04, {"boost_sensor_fouled": 0.95}, "seen", "boost_sensor"),
    _see("oil_in_charge_pipe", "check", "Oil and soot in runners or charge pipe", 0.08, {"manifold_coked": 0.6, "ports_coked": 0.5,
         "boost_sensor_fouled": 0.3}, "breather oil binds soot"),
    _see("oil_level_high", "history", "Oil above its upper mark", 0.05, {"manifold_coked": 0.1, "ports_coked": 0.1}, "more is thrown to the breather"),
    _see("ports_coked_seen", "check", "Ports seen coked", 0.01, {"ports_coked": 0.96}, "the borescope decides", "intake_ports"),
    _see("manifold_coked_seen", "check", "Manifold seen coked", 0.02, {"manifold_coked": 0.95}, "seen", "intake_manifold"),
    _see("seal_dust_path_seen", "check", "Dust or oil has passed the O-ring", 0.02, {"crankcase_sensor_seal_leak": 0.9}, "seen", "crankcase_pressure_sensor"),
    _good("hose_clear", "Hose and fitting are clear", 0.05, {"crankcase_hose_blocked": 0.95}, "blown through", "crankcase_pressure_hose"),
    _see("tube_blocked_seen", "check", "Exhaust pressure tube blocked", 0.01, {"exhaust_pressure_tube_blocked": 0.96}, "blown through", "exhaust_pressure_tube"),
    _see("cooler_face_plugged", "check", "Cooler face plugged", 0.02, {"egr_cooler_plugged": 0.95}, "seen", "egr_cooler"),
    _see("crack_seen", "check", "A crack is seen", 0.01, {"egr_cooler_leak": 0.4, "unmetered_air_leak": 0.3, "egr_dp_sensor_damaged": 0.3,
         "oxygen_sensor_failed": 0.15}, "no cleaning mends it"),
    _see("coolant_low_cold", "check", "Coolant low when cold", 0.04, {"egr_cooler_leak": 0.8}, "level against the mark", "egr_cooler"),
    _see("oxygen_response_slow", "check", "Oxygen sensor slow but alive", 0.03, {"oxygen_sensor_fouled": 0.85, "oxygen_sensor_failed": 0.2}, "oxygen-response", "oxygen_sensor"),
    _see("oxygen_response_flat", "check", "Oxygen sensor flat", 0.02, {"oxygen_sensor_failed": 0.9, "oxygen_sensor_fouled": 0.03}, "oxygen-response", "oxygen_sensor"),
    _see("burn_off_incomplete", "check", "Burn-off does not ignite or does not finish", 0.03, {"doser_fouled": 0.85}, "regeneration-trace", "particulate_filter"),
    _see("improves_unplugged", "check", "Runs better with the sensor unplugged", 0.03, {"maf_failed": 0.6, "maf_dust": 0.35, "maf_oil_film": 0.35}, "the control falls back on its model", "maf_sensor"),
    _see("fault_on_road", "check", "The fault shows on the road test", 0.3, {"throttle_sticking": 0.3, "boost_leak": 0.4, "maf_failed": 0.3}, "driven"),
    _see("key_on_one_off:map_sensor", "check", "Manifold pressure sensor is the odd one out at key-on", 0.01, {"map_fouled": 0.35, "map_failed": 0.8}, "key-on-agreement", "map_sensor"),
    _see("key_on_one_off:boost_sensor", "check", "Boost sensor is the odd one out at key-on", 0.01, {"boost_sensor_fouled": 0.6}, "key-on-agreement", "boost_sensor"),
    _see("key_on_one_off:exhaust_pressure_sensor", "check", "Exhaust pressure sensor is the odd one out at key-on", 0.01,
         {"exhaust_pressure_sensor_failed": 0.85, "exhaust_pressure_tube_blocked": 0.08}, "key-on-agreement", "exhaust_pressure_sensor"),
    _see("key_on_one_off:crankcase_pressure_sensor", "check", "Crankcase sensor is the odd one out at key-on", 0.01,
         {"crankcase_sensor_failed": 0.8, "crankcase_hose_blocked": 0.15}, "key-on-agreement", "crankcase_pressure_sensor"),
    _see("key_on_one_off:barometric_sensor", "check", "Ambient pressure sensor is the odd one out at key-on", 0.02, {}, "key-on-agreement", "barometric_sensor"),
)  # fmt: skip

EVIDENCE: tuple[Evidence, ...] = SYMPTOMS + HISTORY + CODES + RESULTS
WHEN = {
    "idle": "At idle", "stopping": "Coming to a stop", "starting": "Starting", "pulling": "Pulling away",
    "load": "Under load", "any": "Any time",
}  # fmt: skip
"""Groups of symptoms by when they show, in the order of the page."""
