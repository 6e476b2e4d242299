"""What is found on the way: the steps that each find adds, and what it does besides."""

from galene.core.airpath.family import EngineFamily
from galene.core.planning.case import FindKind
from galene.core.planning.procedure import StepTemplate
from galene.core.planning.records import Record
from galene.knowledge.procedures.words import asked


def _step(
    key: str,
    text: str,
    why: str,
    *,
    minutes: float,
    acts: tuple[str, ...],
    tools: tuple[str, ...] = (),
    records: tuple[Record, ...] = (),
) -> StepTemplate:
    return StepTemplate(
        key=key,
        text=text,
        why=why,
        minutes=minutes,
        acts=acts,
        tools=tools,
        records=records,
    )


VACUUM = "vacuum with fine filter"
COUNT_CHIPS = _step(
    "chips",
    "Vacuum every chip, count the pieces; new bolt, finger-started",
    "One chip in a port scores a cylinder.",
    acts=("vacuum", "measure"),
    minutes=6,
    tools=(VACUUM,),
)
KINDS: tuple[FindKind, ...] = (
    FindKind(
        id="snapped_bolt",
        title="Snapped bolt or stud",
        steps=(
            _step(
                "soak",
                "Soak the stump with penetrating oil, rag under it, and let it work",
                "Heat and oil first: a drill is the last way.",
                acts=("soak",),
                minutes=10,
                tools=("penetrating oil",),
            ),
            _step(
                "draw",
                "Draw the stump: locking pliers or a welded nut, else drill it to the middle and"
                " use an extractor",
                "A hole off the middle costs the thread.",
                acts=("unscrew", "ream"),
                minutes=35,
                tools=("locking pliers", "extractor set", "centre punch"),
                records=(
                    asked(
                        "out",
                        "The stump is out and the thread is whole",
                        "again",
                        text="Once more with the extractor; then the part goes to the machinist.",
                    ),
                ),
            ),
            COUNT_CHIPS,
        ),
    ),
    FindKind(
        id="stripped_thread",
        title="Thread stripped",
        steps=(
            _step(
                "insert",
                "Grease on the drill, drill and tap for a thread insert, chips caught; insert below"
                " the face, tang broken off and found",
                "A torque on half a thread holds nothing.",
                acts=("ream", "grease"),
                minutes=25,
                tools=("thread insert set", VACUUM),
                records=(
                    asked(
                        "holds",
                        "The insert holds the bolt's torque, its tang is found",
                        "stop",
                        text="A thread that holds nothing or a tang that is missing: no cranking.",
                    ),
                ),
            ),
            COUNT_CHIPS,
        ),
        needs_cost=True,
    ),
    FindKind(
        id="seized_clamp",
        title="Seized clamp or fastener",
        steps=(
            _step(
                "cut",
                "Penetrating oil on the clamp; cut it with a shield against the hose, never toward"
                " the hand",
                "A clamp that springs cuts.",
                acts=("soak", "unscrew"),
                minutes=12,
                tools=("penetrating oil", "cutters", "shield"),
            ),
            _step(
                "new",
                "Fit a new clamp, screw accessible next time",
                "It will be opened again.",
                acts=("fit", "torque"),
                minutes=3,
                tools=("driver",),
            ),
        ),
    ),
    FindKind(
        id="cracked_body",
        title="Cracked body",
        steps=(
            _step(
                "keep",
                "Take a picture of the crack; keep the part, do not clean it",
                "Cleaning mends no crack: the owner sees why it is replaced.",
                acts=("look", "note"),
                minutes=3,
                tools=("lamp",),
            ),
        ),
        replaces=True,
        needs_cost=True,
    ),
    FindKind(
        id="broken_tab",
        title="Broken tab or lug",
        steps=(
            _step(
                "piece",
                "Find the piece that broke off: look into the port with the lamp; it is in the hand"
                " before anything goes on",
                "A tab in the intake ends in a cylinder.",
                acts=("look", "take_out"),
                minutes=5,
                tools=("lamp", "tweezers"),
                records=(
                    asked(
                        "piece",
                        "The piece is in the hand",
                        "stop",
                        text="It lies inside: no cranking until it is out.",
                    ),
                ),
            ),
        ),
        replaces=True,
        needs_cost=True,
    ),
    FindKind(
        id="missing_gasket",
        title="Missing or torn gasket",
        steps=(
            _step(
                "gasket",
                "Clean both faces, measure the groove, fit the new gasket dry unless its maker says"
                " else",
                "A second leak comes from the old residue.",
                acts=("scrape", "measure", "seal_new"),
                minutes=8,
                tools=("plastic scraper",),
            ),
        ),
        needs_cost=True,
    ),
    FindKind(
        id="torn_boot",
        title="Torn boot or hose",
        steps=(
            _step(
                "tear",
                "Take a picture of the tear, look how far it goes; tape is no repair",
                "Air that enters here is counted by nobody.",
                acts=("look", "note"),
                minutes=3,
                tools=("lamp",),
            ),
        ),
        replaces=True,
        needs_cost=True,
    ),
    FindKind(
        id="sticking_pintle",
        title="Sticking pintle",
        on=("egr_valve", "idle_valve"),
        steps=(
            _step(
                "work",
                "Press and turn the stem at several depths with cleaner on a brush, until it falls"
                " back by itself",
                "Spray alone does not free it.",
                acts=("work_free", "brush"),
                minutes=15,
                tools=("soft brush", "scraper"),
                records=(
                    asked(
                        "falls",
                        "It falls back by itself",
                        "again",
                        text="Work it once more; it sticks still, a new valve goes in.",
                        then="replace",
                    ),
                ),
            ),
        ),
    ),
    FindKind(
        id="stiff_flap",
        title="Stiff flap",
        on=("runner_flaps",),
        steps=(
            _step(
                "feel",
                "Lever off: move the flaps by hand over their whole travel and say where they bind",
                "What binds here breaks the motor next.",
                acts=("move_by_hand",),
                minutes=4,
                tools=("lamp",),
            ),
        ),
        joins=("intake_manifold", "runner_flaps"),
    ),
    FindKind(
        id="coolant_residue",
        title="Coolant residue",
        coolant=True,
        stops="Coolant in the gas: stop, find the leak before anything is cleaned.",
    ),
    FindKind(
        id="dropped",
        title="Something dropped inside",
        steps=(
            _step(
                "fetch",
                "Look where it lies with lamp and borescope; fetch it with magnet, tweezers or"
                " vacuum; nothing is turned meanwhile",
                "Cranked once, it is in a cylinder.",
                acts=("look", "take_out"),
                minutes=15,
                tools=("borescope", "magnet", "tweezers", VACUUM),
                records=(
                    asked(
                        "retrieved",
                        "It is in the hand, whole",
                        "stop",
                        text="It lies inside: no cranking until it is out.",
                    ),
                ),
            ),
        ),
        needs_retrieved=True,
    ),
    FindKind(
        id="worse_deposit",
        title="Deposit worse than thought",
        steps=(
            _step(
                "look",
                "Stop and look again: grade it, take a picture, say what the heavier way costs",
                "A grade more is another method, and another price.",
                acts=("look",),
                minutes=5,
                tools=("lamp", "borescope"),
            ),
            _step(
                "tool",
                "Go on by tool: scrape or brush in short goes, vacuum between",
                "Layers need tools; amounts of spray do not help.",
                acts=("scrape", "brush", "vacuum"),
                minutes=40,
                tools=("scraper", "brushes", VACUUM),
                records=(
                    asked(
                        "bare",
                        "Metal shows all round",
                        "note",
                        text="Say so in the handover: what is left comes back first.",
                    ),
                ),
            ),
        ),
    ),
    FindKind(
        id="own_words",
        title="Something else",
        steps=(
            _step(
                "do",
                "Deal with what was found, as it stands here",
                "It was not on the plan.",
                acts=("mend",),
                minutes=0,
            ),
        ),
        own_words=True,
    ),
)
FOUND: dict[str, FindKind] = {k.id: k for k in KINDS}


def finds_of(family: EngineFamily) -> dict[str, FindKind]:
    """What may be found on an engine."""
    return {k: f for k, f in FOUND.items() if f.possible_on(family)}
