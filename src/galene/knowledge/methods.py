"""How each kind of part is treated, and why: what the plan shows beside the part."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galene.core.airpath.family import Part
from galene.core.planning.policy_keys import METER_AGENT, PRESSURE_SENSOR_AGENT
from galene.knowledge.documents import by_kind
from galene.knowledge.policy import way_in_place


@dataclass(frozen=True, kw_only=True)
class Method:
    """Method of a component kind, or of a procedure that several kinds share: the words, agent
    class and way, why this agent, the schools' letters.

    `state` is what the procedure's own steps bring about before the agent comes near; `instead` are
    agents and ways that are taken where the rules forbid the first on this part, in this order.
    """

    component: str
    text: str
    agent: str
    why: str
    schools: tuple[str, ...]
    way: str = ""
    state: tuple[str, ...] = ()
    instead: tuple[tuple[str, str], ...] = ()


METHODS: dict[str, Method] = by_kind(Method, "method")


def agents_for(
    part: Part, tags: Iterable[str], policy: Mapping[str, str]
) -> tuple[tuple[str, str, Mapping[str, bool]], ...]:
    """Agents, ways and what their label must say, for a part under the schools, the first choice
    first."""
    held = set(tags)
    method = METHODS.get(way_in_place(held) or part.component)
    if method is None or not method.agent:
        return ()
    usual: tuple[tuple[str, str, Mapping[str, bool]], ...] = tuple(
        (a, w, {}) for a, w in ((method.agent, method.way), *method.instead)
    )
    if (
        part.component in ("maf_sensor", "secondary_air_flow_sensor")
        and policy.get(METER_AGENT) == "plastic_safe"
    ):
        return (("contact_cleaner", "direct_spray", {}), *usual)
    if method.agent == "contact_cleaner" and policy.get(PRESSURE_SENSOR_AGENT) == "brake_cleaner":
        return (("brake_cleaner_flammable", "direct_spray", {"plastic_safe": True}), *usual)
    if "direct" in held:
        return ((method.agent, "direct_spray", {}), *usual)
    if "blast" in held:
        return (("blast_walnut", "blast", {}),)
    if "bath_own" in held:
        return (("bath_detergent", "bath", {}),)
    if method.component == "running_flush":
        # One stream wets every part on its way, aluminium among them.
        return tuple((a, w, {"aluminium_safe": True}) for a, w, _ in usual)
    return () if "bath_out" in held else usual


PREPARED: tuple[str, ...] = ("ignition_off", "engine_cold", "ventilated")
"""What making safe brings about in every procedure, before anything wet is touched."""

CABLE_THROTTLE = Method(
    component="throttle_body",
    text="Wiped with a damp cloth, a little at a time, plate held open by its lever",
    agent="throttle_cleaner",
    why="On the cloth: sprayed liquid creeps along the shaft and runs into the manifold.",
    schools=("E", "F"),
    way="on_cloth",
    state=("plate_open",),
    instead=(("isopropanol", "on_cloth"),),
)
"""The throttle's method where a cable moves it: no motor, nothing to unplug, nothing to learn."""
