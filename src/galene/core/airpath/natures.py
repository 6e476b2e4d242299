"""What a kind of part is, in the words that rules speak of. No rule knows a kind by its name: the
trade's documents say what each kind is, once, before anything is judged or planned."""

from collections.abc import Collection, Iterable, Mapping

from galene.core.errors import InputError

NATURES: dict[str, str] = {
    "sensor": "electronics on a stalk: comes off what is bathed or sent away",
    "oxygen": "reads what is left of oxygen in the exhaust",
    "air_meter": "an element in the air that the engine or its pump draws",
    "main_meter": "counts all the air of the engine",
    "paper": "a filter's element: wet, it swells",
    "boot": "the soft tube before throttle or compressor",
    "rubber": "an elastomer itself: no seal that could be taken out first",
    "cool": "before throttle and compressor: never heated by the engine",
    "plate": "a bore with a plate that meters the air",
    "idle_air": "lets the idle's air past, and is learned again when it was touched",
    "spool": "a slide that shuts by its own fit",
    "plenum": "shared room before the runners",
    "ports": "the ways in the head and the backs of the valves",
    "flaps": "flaps in the runners",
    "flap_motor": "moves the flaps",
    "breather": "parts oil from the crankcase's gas; hangs on hoses",
    "crank_chamber": "where a two-stroke's charge passes its bearings",
    "crank_hose": "a hose to the crankcase",
    "gas_valve": "meters the gas that is led back",
    "passage": "cast or bolted way of that gas: worked from both ends",
    "cooler": "cools that gas by coolant: thin walls between gas and water",
    "dp_sensor": "reads a pressure difference",
    "dp_line": "a sensor of a pressure difference, or the ports that it reads by",
    "wheel": "turns on oil film at high speed",
    "doser": "sprays into the exhaust through a fine hole",
    "catalysed": "works by its coating: catalyst or filter",
    "soot_filter": "gathers soot and is burned off",
    "carries_drive": "its motor or solenoid sits on metal that gets dirty",
    "moved_by_motor": "a motor or solenoid moves it of its own accord while there is power",
    "greased": "its bearings or gears live on the grease that is in them",
    "in_gas": "its gas goes on through oxygen sensor, catalyst and filter",
    "hot_gas": "a way of the exhaust's own gas: hot while the engine runs and long after",
    "burns": "burns a hand on a warm engine: touched cold, whatever the family's entry says",
    "drawn_to": "reached by a mist drawn in behind meter, compressor and charge cooler",
    "line_to_sensor": "a pressure sensor reads through it: what is pushed in ends at its membrane",
    "comes_off": "an operation on it takes it off, where a family does not say what it removes",
    "sends_soot": "cleaning it sends soot on into the particulate filter",
    "charged_only": "only an engine with pressed air has it",
    "reads_manifold": "reads the manifold's pressure",
    "reads_boost": "reads the charge pressure",
    "reads_crankcase": "reads the crankcase's pressure",
    "reads_exhaust": "reads the exhaust's pressure",
    "reads_outside": "reads the air outside",
    "reads_intake_heat": "reads how warm the intake air is",
    "reads_gas_heat": "reads how hot the gas is that is led back",
    "absolute": "reads an absolute pressure: the air outside with the engine off",
    "secondary_meter": "counts the air pumped into the exhaust",
    "secondary_valve": "shuts the line of the air pumped into the exhaust",
    "first_catalyst": "the catalyst that a monitor watches",
    "may_leak_air": "its joints let in air that nobody counts, or out what was pressed",
    "seals_intake": "fitted without its seal, the intake draws air there",
    "not_looked_into": "has nothing to be seen without taking it apart",
    "not_cleaned": "nothing on the shelf is for it",
}
"""The closed vocabulary of natures, each with its meaning."""
_NONE: frozenset[str] = frozenset()
_natures: dict[str, frozenset[str]] = {}


def tell_kinds(kinds: Mapping[str, Collection[str]]) -> None:
    """Say what each kind of part is, for the whole program; once, before anything is judged.

    Parameters
    ----------
    kinds : kind of part to words of `NATURES`

    Raises
    ------
    InputError
        A word that is no nature.
    """
    for kind, words in kinds.items():
        for word in words:
            if word not in NATURES:
                raise InputError(f"{kind}.nature", word, ", ".join(NATURES))
    _natures.clear()
    _natures.update({kind: frozenset(words) for kind, words in kinds.items()})


def _told() -> Mapping[str, frozenset[str]]:
    """What was told. A rule that asks before that would find nothing dangerous anywhere."""
    if not _natures:
        raise RuntimeError("what each kind of part is was not told: load the trade first")
    return _natures


def kind_is(kind: str, *natures: str) -> bool:
    """Whether a kind of part is one of these.

    Parameters
    ----------
    kind : a kind of part; one that was not among those told is nothing
    natures : words of `NATURES`, at least one

    Returns
    -------
    bool
        True where the kind has one of them.

    Raises
    ------
    RuntimeError
        Nothing was told yet.
    """
    return not _told().get(kind, _NONE).isdisjoint(natures)


def natures_of(kinds: Iterable[str]) -> frozenset[str]:
    """All that some kinds of part are.

    Parameters
    ----------
    kinds : kinds of part

    Returns
    -------
    frozenset of str
        Words of `NATURES`.
    """
    told = _told()
    return frozenset().union(*(told.get(kind, _NONE) for kind in kinds))


def any_is(kinds: Iterable[str], *natures: str) -> bool:
    """Whether one of several kinds of part is one of these.

    Parameters
    ----------
    kinds : kinds of part
    natures : words of `NATURES`

    Returns
    -------
    bool
        True where one kind has one of them.
    """
    return any(kind_is(kind, *natures) for kind in kinds)
