"""Situations of the trade with the verdict that a careful person gives, and why; written beside the rules, not from them."""

from dataclasses import dataclass, field

import pytest

from galene.exchange.cases import judgement_of

COLD = ("ignition_off", "engine_cold", "ventilated")
BENCH = (*COLD, "removed")
BARE = (*BENCH, "electronics_removed", "sensor_removed", "seal_removed")
PLATE = (*COLD, "battery_off", "plate_open")
SHUT = (*BENCH, "port_shut", "sensor_removed", "seal_removed")
RUN = ("engine_warm_running", "ventilated")
NONE: tuple[str, ...] = ()
CARE = ("ok", "with_care")
PORT = {"fuel": "petrol", "injection": "port", "cycle": "four_stroke", "charged": False}
DIRECT = {"fuel": "petrol", "injection": "direct", "cycle": "four_stroke", "charged": True}
DIESEL = {"fuel": "diesel", "cycle": "four_stroke", "charged": True}
STROKE = {"fuel": "petrol", "injection": "port", "cycle": "two_stroke", "charged": False}


@dataclass(frozen=True, kw_only=True)
class Judged:
    """A situation, the verdicts that are right, what must be named before, and the reason in a person's words."""

    agent: str
    way: str
    part: str
    verdict: str | tuple[str, ...]
    why: str
    state: tuple[str, ...] = BENCH
    features: tuple[str, ...] = ()
    label: dict[str, bool] = field(default_factory=dict)
    engine: dict[str, object] | None = None
    first: tuple[str, ...] = ()


def j(agent: str, way: str, part: str, *, verdict: str | tuple[str, ...], why: str, **more: object) -> Judged:
    return Judged(agent=agent, way=way, part=part, verdict=verdict, why=why, **more)  # type: ignore[arg-type]


METER = "maf_sensor"
SITUATIONS: tuple[Judged, ...] = (
    # Hot elements.
    j("maf_cleaner", "direct_spray", METER, verdict=CARE, why="what it is made for, out and without power"),
    j("maf_cleaner", "direct_spray", METER, verdict="only_after", why="nothing is known of power and place", state=NONE, first=("removed", "ignition_off")),
    j("maf_cleaner", "direct_spray", METER, verdict="only_after", why="in its neck the dirt runs into the line", state=COLD, first=("removed",)),
    j("maf_cleaner", "on_cloth", METER, verdict="no", why="a cloth tears the element"),
    j("maf_cleaner", "on_brush", METER, verdict="no", why="a brush tears the element"),
    j("contact_cleaner", "direct_spray", METER, verdict=CARE, why="plastic-safe and leaves nothing"),
    j("isopropanol", "direct_spray", METER, verdict=CARE, why="pure, leaves nothing"),
    j("isopropanol", "drip_soak", METER, verdict="no", why="it runs into the electronics"),
    j("throttle_cleaner", "direct_spray", METER, verdict="no", why="its film bakes on"),
    j("carburettor_cleaner", "direct_spray", METER, verdict="no", why="ketones eat body and resin"),
    j("brake_cleaner_chlorinated", "direct_spray", METER, verdict="no", why="it eats the plastic"),
    j("brake_cleaner_flammable", "direct_spray", METER, verdict="no", why="acetone in it eats the plastic"),
    j("soap_and_water", "direct_spray", METER, verdict="no", why="soap stays on the element"),
    j("egr_cleaner", "direct_spray", METER, verdict="no", why="made for bare metal"),
    j("", "compressed_air", METER, verdict="no", why="air breaks the wire"),
    j("", "vacuum", METER, verdict="no", why="a nozzle tears the film"),
    j("", "soft_brush", METER, verdict="no", why="touching it breaks it"),
    j("intake_valve_aerosol", "running_ingestion", METER, verdict="no", why="only behind the meter", state=RUN, engine=PORT),
    j("maf_cleaner", "direct_spray", "secondary_air_flow_sensor", verdict=CARE, why="a small meter like the large one"),
    j("", "compressed_air", "secondary_air_flow_sensor", verdict="no", why="as for the large one"),
    # Pressure sensors.
    j("contact_cleaner", "direct_spray", "map_sensor", verdict="only_after", why="its O-ring swells in alkanes", features=("seal_nbr", "seal_epdm"), first=("seal_removed",)),
    j("contact_cleaner", "direct_spray", "map_sensor", verdict=CARE, why="across the hole, out and cold"),
    j("contact_cleaner", "direct_spray", "map_sensor", verdict="only_after", why="off the hot manifold it is as hot", state=("ignition_off", "removed", "ventilated"), first=("engine_cold",)),
    j("contact_cleaner", "direct_spray", "boost_sensor", verdict="only_after", why="in its port it soaks what lies behind", state=COLD, first=("removed",)),
    j("isopropanol", "direct_spray", "egr_dp_sensor", verdict=CARE, why="residue-free"),
    j("isopropanol", "bath", "egr_dp_sensor", verdict="no", why="the electronics drown"),
    j("throttle_cleaner", "direct_spray", "boost_sensor", verdict="no", why="a film on the membrane"),
    j("brake_cleaner_flammable", "direct_spray", "map_sensor", verdict="no", why="it is not plastic-safe as a class"),
    j("brake_cleaner_flammable", "direct_spray", "map_sensor", verdict=CARE, why="this label says plastic-safe", label={"plastic_safe": True}),
    j("egr_cleaner", "on_brush", "exhaust_pressure_sensor", verdict="no", why="a metal remover, and a brush at the hole"),
    j("", "pick_or_wire", "boost_sensor", verdict="no", why="the tab breaks, the membrane tears"),
    j("", "compressed_air", "crankcase_pressure_sensor", verdict="no", why="air bursts the membrane"),
    j("light_oil", "drip_soak", "map_sensor", verdict="no", why="oil in the hole"),
    j("silicone_grease", "on_cloth", "crankcase_pressure_sensor", verdict=CARE, why="a trace on the ring"),
    j("silicone_grease", "on_cloth", "map_sensor", verdict="no", why="silicone on a silicone ring swells it", features=("seal_silicone",)),
    j("contact_cleaner", "direct_spray", "iat_sensor", verdict="only_after", why="power at the plug is not known to be off", state=("engine_cold", "ventilated"), first=("ignition_off",)),
    j("contact_cleaner", "bath", "iat_sensor", verdict="no", why="no sensor goes into a bath"),
    # Throttles.
    j("throttle_cleaner", "on_cloth", "throttle_body", verdict=CARE, why="damp cloth, plate open, no power", features=("electronic",), state=PLATE),
    j("throttle_cleaner", "on_cloth", "throttle_body", verdict="only_after", why="a motor with power takes the finger", features=("electronic",), state=COLD, first=("battery_off", "plate_open")),
    j("throttle_cleaner", "direct_spray", "throttle_body", verdict="no", why="it creeps along the shaft", features=("electronic",), state=PLATE),
    j("throttle_cleaner", "drip_soak", "throttle_body", verdict="no", why="it creeps along the shaft", features=("electronic",), state=PLATE),
    j("throttle_cleaner", "direct_spray", "throttle_body", verdict="with_care", why="a cable plate bears a little", features=("cable",), state=PLATE),
    j("throttle_cleaner", "direct_spray", "throttle_body", verdict="only_after", why="behind a shut plate it pools", features=("cable",), state=COLD, first=("plate_open",)),
    j("throttle_cleaner", "on_cloth", "throttle_body", verdict="no", why="a coated bore, and the label says nothing of coatings", features=("electronic", "coated_bore"), state=PLATE),
    j("throttle_cleaner", "on_cloth", "throttle_body", verdict=CARE, why="the label says coating-safe", features=("electronic", "coated_bore"), state=PLATE, label={"coating_safe": True}),
    j("carburettor_cleaner", "on_cloth", "throttle_body", verdict="no", why="strong solvent on a coating", features=("electronic", "coated_bore"), state=PLATE),
    j("throttle_cleaner", "on_brush", "throttle_body", verdict="no", why="a brush on the coated band", features=("electronic", "coated_bore"), state=PLATE, label={"coating_safe": True}),
    j("throttle_cleaner", "direct_spray", "throttle_body", verdict="only_after", why="facing down it runs into the engine", features=("cable", "faces_down"), state=PLATE, first=("removed",)),
    j("throttle_cleaner", "on_cloth", "throttle_body", verdict="with_care", why="facing down: nearly dry", features=("electronic", "faces_down"), state=PLATE),
    j("bath_detergent", "bath", "throttle_body", verdict="no", why="grease of shaft and gears is washed out", features=("electronic",), state=BARE, label={"aluminium_safe": True}),
    j("bath_detergent", "bath", "throttle_body", verdict="no", why="the same for a cable's", features=("cable",), state=BARE, label={"aluminium_safe": True}),
    j("", "scraper", "throttle_body", verdict="no", why="it scores the edge", features=("cable",)),
    j("", "pick_or_wire", "throttle_body", verdict="no", why="it scores the edge", features=("electronic",), state=PLATE),
    j("intake_valve_aerosol", "running_ingestion", "throttle_body", verdict="no", why="it pools before a plate that faces down", features=("faces_down",), state=RUN, engine=PORT),
    j("soap_and_water", "on_cloth", "throttle_body", verdict=CARE, why="mild, plate open, no power", features=("electronic",), state=PLATE),
    # Motors and solenoids.
    j("egr_cleaner", "drip_soak", "egr_valve", verdict="only_after", why="the drive is not soaked", first=("electronics_removed",)),
    j("egr_cleaner", "on_brush", "egr_valve", verdict=CARE, why="bare metal, drive parted", state=BARE),
    j("egr_cleaner", "on_brush", "egr_valve", verdict="only_after", why="off, but hot still", state=("ignition_off", "ventilated", "removed", "electronics_removed"), first=("engine_cold",)),
    j("", "pick_or_wire", "egr_valve", verdict="only_after", why="it may move while there is power", state=("engine_cold",), first=("ignition_off",)),
    j("", "scraper", "egr_valve", verdict=CARE, why="in the hand"),
    j("throttle_cleaner", "bath", "egr_valve", verdict="no", why="no agent for a bath", state=BARE),
    j("throttle_cleaner", "on_cloth", "idle_air_valve", verdict="with_care", why="motor side up, nothing that runs"),
    j("throttle_cleaner", "direct_spray", "idle_air_valve", verdict="only_after", why="never sprayed with its motor on", first=("electronics_removed",)),
    j("bath_detergent", "bath", "idle_air_valve", verdict="no", why="its greased thread is washed dry", state=BARE),
    j("", "soft_brush", "runner_actuator", verdict=CARE, why="brush dust goes by a dry brush"),
    j("", "soft_brush", "runner_actuator", verdict="only_after", why="it moves while there is power", state=NONE, first=("ignition_off",)),
    j("throttle_cleaner", "on_cloth", "runner_actuator", verdict="no", why="a film before the Hall sensor"),
    j("contact_cleaner", "direct_spray", "runner_actuator", verdict="only_after", why="electronics are not sprayed", first=("electronics_removed",)),
    j("silicone_grease", "on_cloth", "idle_air_valve", verdict="no", why="its vapour ends at the oxygen sensor"),
    j("silicone_grease", "on_cloth", "breather_valve", verdict="no", why="its vapour ends at the oxygen sensor"),
    # Rubber, plastic, aluminium.
    j("soap_and_water", "on_cloth", "intake_tube", verdict=CARE, why="rubber bears soap"),
    j("throttle_cleaner", "on_cloth", "intake_tube", verdict="no", why="aromatics swell the tube itself"),
    j("carburettor_cleaner", "on_cloth", "intake_tube", verdict="no", why="ketones and aromatics on rubber"),
    j("penetrating_oil", "on_cloth", "intake_tube", verdict=("no", "only_after"), why="mineral oil swells it"),
    j("soap_and_water", "bath", "breather_valve", verdict=CARE, why="washed"),
    j("throttle_cleaner", "on_cloth", "charge_air_pipe", verdict="only_after", why="its seals swell", first=("seal_removed",)),
    j("soap_and_water", "on_cloth", "charge_air_pipe", verdict=CARE, why="seals bear soap"),
    j("carburettor_cleaner", "on_cloth", "intake_manifold", verdict="no", why="ketones craze plastic", state=BARE),
    j("egr_cleaner", "on_brush", "intake_manifold", verdict="no", why="a remover for metal on plastic", state=BARE),
    j("egr_cleaner", "on_brush", "intake_manifold", verdict=CARE, why="an aluminium one", features=("aluminium",), state=BARE),
    j("soap_and_water", "on_brush", "intake_manifold", verdict=CARE, why="plastic bears soap", state=BARE),
    j("soap_and_water", "on_brush", "intake_manifold", verdict="only_after", why="what runs in ends at its sensor", first=("sensor_removed",)),
    j("bath_detergent", "bath", "intake_manifold", verdict="no", why="alkali on aluminium, and the label says nothing of it", features=("aluminium",), state=BARE),
    j("bath_detergent", "bath", "intake_manifold", verdict="with_care", why="by its label, rinsed and dried", features=("aluminium",), state=BARE, label={"aluminium_safe": True}),
    j("bath_detergent", "bath", "intake_manifold", verdict="only_after", why="not with electronics and sensors on it", state=COLD, first=("removed", "electronics_removed", "sensor_removed")),
    j("soot_flush_waterbased", "on_brush", "egr_passage", verdict="no", why="alkali on aluminium without its label"),
    j("soot_flush_waterbased", "on_brush", "egr_passage", verdict=CARE, why="by its label", label={"aluminium_safe": True}),
    # Gas path, chlorine, silicone.
    j("egr_cleaner", "on_brush", "egr_pipe", verdict=CARE, why="bare metal, cold"),
    j("egr_cleaner", "on_brush", "egr_pipe", verdict="only_after", why="just off it is hot", state=("removed", "ventilated"), first=("engine_cold",)),
    j("brake_cleaner_chlorinated", "direct_spray", "egr_pipe", verdict="no", why="what stays burns to acid in the catalyst"),
    j("brake_cleaner_chlorinated", "on_brush", "exhaust_pressure_tube", verdict="no", why="upstream of catalyst and filter"),
    j("brake_cleaner_chlorinated", "direct_spray", "exhaust_pipe", verdict="no", why="upstream of catalyst and filter"),
    j("brake_cleaner_chlorinated", "on_brush", "aftertreatment_doser", verdict="no", why="upstream of catalyst and filter"),
    j("brake_cleaner_chlorinated", "on_cloth", "secondary_air_valve", verdict="no", why="upstream of catalyst and filter"),
    j("brake_cleaner_chlorinated", "on_cloth", "idle_air_valve", verdict="no", why="upstream of catalyst and filter"),
    j("brake_cleaner_chlorinated", "on_brush", "egr_dp_ports", verdict="no", why="upstream of catalyst and filter", state=BARE),
    j("brake_cleaner_chlorinated", "direct_spray", "crankcase", verdict="no", why="it ends in the engine, and washes it dry"),
    j("silicone_grease", "on_cloth", "charge_air_pipe", verdict="no", why="its vapour ends at the catalyst"),
    j("", "pick_or_wire", "egr_cooler", verdict="no", why="a tube with coolant behind it"),
    j("", "scraper", "egr_cooler", verdict="no", why="a tube with coolant behind it"),
    j("", "vacuum", "egr_cooler", verdict=CARE, why="takes soot, hurts nothing"),
    j("", "pick_or_wire", "egr_dp_ports", verdict="only_after", why="what is pushed in ends at the membrane", first=("sensor_removed",)),
    j("", "pick_or_wire", "egr_dp_ports", verdict=CARE, why="sensor off", state=BARE),
    j("", "compressed_air", "exhaust_pressure_tube", verdict="only_after", why="it ends at the sensor", first=("sensor_removed",)),
    j("", "compressed_air", "crankcase_pressure_hose", verdict="only_after", why="it ends at the sensor", first=("sensor_removed",)),
    j("egr_cleaner", "drip_soak", "aftertreatment_doser", verdict=CARE, why="its tip, in the hand"),
    j("egr_cleaner", "drip_soak", "aftertreatment_doser", verdict="only_after", why="in place it runs into the exhaust", state=COLD, first=("removed",)),
    j("parts_wash_solvent", "bath", "aftertreatment_doser", verdict="no", why="an electric injector drowns"),
    j("", "pick_or_wire", "aftertreatment_doser", verdict="no", why="a wire widens the hole"),
    j("soap_and_water", "bath", "particulate_filter", verdict="no", why="burnt off, not washed"),
    j("", "soft_brush", "egr_temperature_sensor", verdict=CARE, why="soot goes by a soft brush"),
    # Ports.
    j("blast_walnut", "blast", "intake_ports", verdict="only_after", why="only above a shut valve", first=("port_shut",)),
    j("blast_walnut", "blast", "intake_ports", verdict="with_care", why="shut, sealed, counted out", state=SHUT),
    j("blast_walnut", "blast", "intake_manifold", verdict="no", why="media stay in it", state=BARE),
    j("egr_cleaner", "drip_soak", "intake_ports", verdict="only_after", why="it runs past an open valve", first=("port_shut",)),
    j("egr_cleaner", "drip_soak", "intake_ports", verdict="with_care", why="measured, vacuumed out", state=SHUT),
    j("", "scraper", "intake_ports", verdict="only_after", why="lumps fall past an open valve", first=("port_shut",)),
    # Drawn in by the running engine.
    j("intake_valve_aerosol", "running_ingestion", "intake_ports", verdict="with_care", why="what it is made for", state=RUN, engine=DIRECT),
    j("intake_valve_aerosol", "running_ingestion", "intake_ports", verdict="only_after", why="warm, running, led out", state=NONE, engine=PORT, first=("engine_warm_running",)),
    j("intake_valve_aerosol", "running_ingestion", "intake_ports", verdict="no", why="a diesel runs away on it", state=RUN, engine=DIESEL),
    j("intake_valve_aerosol", "running_ingestion", "intake_ports", verdict="no", why="nobody says that it is no diesel", state=RUN),
    j("intake_valve_aerosol", "running_ingestion", "intake_manifold", verdict="no", why="it goes through a two-stroke's bearings", state=RUN, engine=STROKE),
    j("soot_flush_waterbased", "running_ingestion", "egr_valve", verdict="with_care", why="water-based, warm, in bursts", state=RUN, engine=DIESEL),
    j("soot_flush_waterbased", "running_ingestion", "intake_tube", verdict="no", why="before the compressor", state=RUN, engine=DIESEL),
    j("soot_flush_waterbased", "running_ingestion", "egr_cooler", verdict="no", why="it never comes there", state=RUN, engine=DIESEL),
    j("soot_flush_waterbased", "running_ingestion", "turbine", verdict="no", why="nothing is fed at a turbine", state=RUN, engine=DIESEL),
    j("soot_flush_waterbased", "running_ingestion", "exhaust_pipe", verdict="no", why="nothing is fed at the exhaust", state=RUN, engine=DIESEL),
    j("soot_flush_waterbased", "running_ingestion", "crankcase", verdict="no", why="nothing is fed at the crankcase", state=RUN, engine=STROKE),
    j("soot_flush_waterbased", "running_ingestion", "intake_manifold", verdict="no", why="a sensor is out on a running engine", state=(*RUN, "sensor_removed"), engine=PORT),
    j("throttle_cleaner", "running_ingestion", "intake_manifold", verdict="no", why="not made to be drawn in", state=RUN, engine=PORT),
    j("brake_cleaner_chlorinated", "running_ingestion", "intake_manifold", verdict="no", why="it burns to toxic gas", state=RUN, engine=PORT),
    j("fuel_system_additive", "running_ingestion", "intake_ports", verdict="with_care", why="fuel washes these ports", state=RUN, engine=PORT),
    j("fuel_system_additive", "running_ingestion", "intake_ports", verdict="no", why="fuel goes past them", state=RUN, engine=DIRECT),
    j("fuel_system_additive", "running_ingestion", "egr_valve", verdict="no", why="fuel never comes there", state=RUN, engine=PORT),
    j("fuel_system_additive", "running_ingestion", "oxygen_sensor", verdict="no", why="the label says nothing of oxygen sensors", state=RUN, engine=PORT),
    j("fuel_system_additive", "running_ingestion", "oxygen_sensor", verdict="with_care", why="by its label, one dose", state=RUN, engine=PORT, label={"oxygen_sensor_safe": True}),
    j("contact_cleaner", "direct_spray", "oxygen_sensor", verdict="no", why="never sprayed"),
    j("", "soft_brush", "oxygen_sensor", verdict="no", why="its cover is not scrubbed"),
    # Filters, two-strokes, fire.
    j("soap_and_water", "bath", "air_filter", verdict="no", why="wet paper tears"),
    j("", "compressed_air", "air_filter", verdict="no", why="air opens the paper"),
    j("carburettor_cleaner", "direct_spray", "crankcase", verdict="no", why="it washes the bearings dry", engine=STROKE),
    j("soap_and_water", "on_cloth", "crankcase_pressure_hose", verdict=CARE, why="rubber bears soap"),
    j("isopropanol", "on_cloth", "egr_pipe", verdict="only_after", why="vapour at a running engine", state=RUN, first=("engine_cold",)),
    j("brake_cleaner_flammable", "on_cloth", "egr_pipe", verdict="only_after", why="nobody says that it is cold", state=("ventilated",), first=("engine_cold",)),
)  # fmt: skip


@pytest.mark.parametrize("told", SITUATIONS, ids=lambda t: f"{t.agent or 'dry'}-{t.way}-{t.part}-{t.why}"[:90])
def test_situation(told: Judged) -> None:
    given: dict[str, object] = {
        "application": told.way,
        "component": told.part,
        "state": list(told.state),
        "features": list(told.features),
    }
    if told.agent:
        given |= {"class": told.agent, "properties": told.label}
    if told.engine is not None:
        given["engine"] = told.engine
    found = judgement_of(given)
    right = (told.verdict,) if isinstance(told.verdict, str) else told.verdict
    assert found["verdict"] in right, (told.why, found)
    assert set(told.first) <= set(found["conditions"]), (told.why, found["conditions"])
    assert found["reasons"] and all(r["text"] for r in found["reasons"])


def test_there_are_enough_of_them_and_every_verdict_is_among_them() -> None:
    assert len(SITUATIONS) >= 120
    assert len({(t.agent, t.way, t.part, t.state, t.features, str(t.engine), str(t.label)) for t in SITUATIONS}) == len(SITUATIONS)
    verdicts = {v for t in SITUATIONS for v in ((t.verdict,) if isinstance(t.verdict, str) else t.verdict)}
    assert verdicts == {"ok", "with_care", "only_after", "no"}
