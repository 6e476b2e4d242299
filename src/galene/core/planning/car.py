"""The model of the car: what is true of it after each step. Pure; nothing here plans or judges."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from galene.core.planning.marks import bears
from galene.core.planning.records import DoneStep, OpenItem, StateWords, Step
from galene.core.planning.words import (
    MOUTH_KINDS,
    Battery,
    Codes,
    Coolant,
    Engine,
    FuelLine,
    Heat,
    Place,
)


@dataclass(frozen=True, kw_only=True)
class Car:
    """The state of the car.

    Parameters
    ----------
    place : part id to place; a part that is absent is mounted
    open : must-go-back items by id
    wet : part id to the wait that it dries under
    coolant_touched, fuel_touched : whether either was ever opened on this job
    """

    battery: Battery = "on"
    engine: Engine = "off"
    heat: Heat = "cold"
    coolant: Coolant = "full"
    fuel_line: FuelLine = "closed"
    codes: Codes = "kept"
    before_set: bool = False
    place: Mapping[str, Place] = field(default_factory=dict)
    open: Mapping[str, OpenItem] = field(default_factory=dict)
    wet: Mapping[str, str] = field(default_factory=dict)
    coolant_touched: bool = False
    fuel_touched: bool = False

    def place_of(self, part: str) -> Place:
        """Where a part is."""
        return self.place.get(part, "mounted")

    def mouths_on(self, part: str) -> tuple[OpenItem, ...]:
        """Caps, tape, rags and tools that a part bears now."""
        return tuple(i for i in self.open.values() if i.on == part and i.kind in MOUTH_KINDS)

    def bearer_away(self, mouth: str) -> bool:
        """Whether the part that bears a mouth is out of the house."""
        return any(where == "away" and bears(mouth, p) for p, where in self.place.items())


WORDS: tuple[str, ...] = (
    "battery",
    "engine",
    "heat",
    "coolant",
    "fuel_line",
    "codes",
    "before_set",
)


def car_at(start: StateWords) -> Car:
    """The car as it comes in; what is not said is as usual.

    Examples
    --------
    >>> car_at(StateWords(heat="warm")).engine
    'off'
    """
    said = {name: getattr(start, name) for name in WORDS if getattr(start, name) is not None}
    return replace(Car(place=dict(start.place)), **said)


def after(car: Car, step: Step) -> Car:
    """The car after a step: liquids, power and codes by what it does, parts and items by what it
    moves."""
    does = step.does
    # Written out, not by `replace`: a planning asks for some hundred of these.
    return Car(
        battery=does.battery or car.battery,
        engine=does.engine or car.engine,
        heat=does.heat or car.heat,
        coolant=does.coolant or car.coolant,
        fuel_line=does.fuel_line or car.fuel_line,
        codes=does.codes or car.codes,
        before_set=car.before_set if does.before_set is None else does.before_set,
        place=_places_after(car, step),
        open=_open_after(car, step),
        wet=_wet_after(car, step),
        coolant_touched=car.coolant_touched or (does.coolant or car.coolant) != "full",
        fuel_touched=car.fuel_touched or (does.fuel_line or car.fuel_line) == "opened",
    )


def _places_after(car: Car, step: Step) -> Mapping[str, Place]:
    if not (step.does.place or step.takes_off or step.sends or step.receives or step.refits):
        return car.place
    place = {**car.place, **step.does.place}
    moves: tuple[tuple[tuple[str, ...], Place], ...] = (
        (step.takes_off, "off"),
        (step.sends, "away"),
        (step.receives, "off"),
        (step.refits, "mounted"),
    )
    for parts, where in moves:
        place.update(dict.fromkeys(parts, where))
    return place


def _open_after(car: Car, step: Step) -> Mapping[str, OpenItem]:
    if not (step.opens or step.closes):
        return car.open
    items = {k: i for k, i in car.open.items() if k not in step.closes}
    items.update({i.id: i for i in step.opens})
    return items


def _wet_after(car: Car, step: Step) -> Mapping[str, str]:
    if not (step.wets or (car.wet and step.waits_for)):
        return car.wet
    wet = {**car.wet, **{one.part: step.wait.id if step.wait else "" for one in step.wets}}
    return {part: wait for part, wait in wet.items() if wait not in step.waits_for}


def car_after(start: StateWords, done: Iterable[DoneStep]) -> Car:
    """The car after the steps that were done, those left out changing nothing."""
    car = car_at(start)
    for one in done:
        if not one.left_out:
            car = after(car, one.step)
    return car


IN_WORDS: Mapping[tuple[str, object], str] = {
    ("battery", "on"): "the battery connected",
    ("battery", "off"): "the battery disconnected",
    ("engine", "off"): "engine and ignition off",
    ("engine", "ignition"): "the ignition on and the engine off",
    ("engine", "running"): "the engine running",
    ("heat", "cold"): "a cold engine",
    ("heat", "warm"): "a warm engine",
    ("coolant", "full"): "the coolant full",
    ("coolant", "lowered"): "the coolant lowered",
    ("coolant", "drained"): "the coolant drained",
    ("fuel_line", "closed"): "the fuel line closed",
    ("fuel_line", "opened"): "the fuel line opened",
    ("fuel_line", "vented"): "the fuel line vented",
    ("codes", "kept"): "the codes not yet cleared",
    ("codes", "cleared"): "the codes cleared",
    ("before_set", True): "the before readings taken",
    ("before_set", False): "no before readings yet",
}
"""A state of the car as a person says it."""


def lacking(car: Car, needs: StateWords) -> list[str]:
    """What a step needs and the car does not give, in words; empty where it may be done.

    Examples
    --------
    >>> lacking(car_at(StateWords(heat="cold")), StateWords(heat="warm", engine="off"))
    ['a warm engine']
    """
    found = [
        IN_WORDS[name, getattr(needs, name)]
        for name in WORDS
        if getattr(needs, name) is not None
        and getattr(needs, name) != getattr(car, name)
        and not (name == "fuel_line" and needs.fuel_line == "closed" and car.fuel_line == "vented")
    ]
    found += [
        f"{part} {where} (it is {car.place_of(part)})"
        for part, where in needs.place.items()
        if car.place_of(part) != where
    ]
    return found
