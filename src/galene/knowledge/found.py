"""What is found on the way: the steps, minutes and cautions that each adds to the card."""

from dataclasses import dataclass

from galene.core.procedures import Record


@dataclass(frozen=True)
class FoundStep:
    """A step that is added: the command, why, minutes, tools, cautions, what is asked."""

    text: str
    why: str
    minutes: float
    tools: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    records: tuple[Record, ...] = ()


@dataclass(frozen=True)
class Found:
    """A kind of find. `opens` is a must-go-back item that it leaves behind until its last step is done."""

    id: str
    title: str
    steps: tuple[FoundStep, ...]
    needs_cost: bool = False


FOUND: dict[str, Found] = {
    f.id: f
    for f in (
        Found("snapped_bolt", "Snapped bolt or stud", (
            FoundStep("Soak the stump with penetrating oil, rag under it, and let it work", "Heat and oil first: a drill is the last way.", 10, ("penetrating oil",), ("fire",)),
            FoundStep("Draw the stump: locking pliers or a welded nut, else drill it to the middle and use an extractor", "A hole off the middle costs the thread.", 35, ("locking pliers", "extractor set", "centre punch"), ("eyes", "objects"),
                      (Record("out", "yes_no", "The stump is out and the thread is whole", "Thread insert, or the part goes to the machinist: add it as its own find."),)),
            FoundStep("Vacuum every chip, count the pieces; new bolt, finger-started", "One chip in a port scores a cylinder.", 6, ("vacuum with fine filter",), ("objects",)),
        )),
        Found("seized_clamp", "Seized clamp or fastener", (
            FoundStep("Penetrating oil on the clamp; cut it with a shield against the hose, never toward the hand", "A clamp that springs cuts.", 12, ("penetrating oil", "cutters", "shield"), ("eyes",)),
            FoundStep("Fit a new clamp, screw accessible next time", "It will be opened again.", 3, ("driver",)),
        )),
        Found("cracked_body", "Cracked body or broken tab", (
            FoundStep("Take a picture of the crack; keep the part, do not clean it", "Cleaning mends no crack: the owner sees why it is replaced.", 3, ("lamp",)),
            FoundStep("Fit the new part; compare number and shape before it goes in", "A look-alike reads another curve.", 12, (), (), (Record("same", "yes_no", "Number and shape are the same", "Do not fit it: order the right one."),)),
        ), True),
        Found("missing_gasket", "Missing or torn gasket", (
            FoundStep("Clean both faces, measure the groove, fit the new gasket dry unless its maker says else", "A second leak comes from the old residue.", 8, ("plastic scraper",)),
        ), True),
        Found("worse_deposit", "Deposit worse than thought", (
            FoundStep("Stop and look again: grade it, take a picture, say what the heavier way costs", "A grade more is another method, and another price.", 5, ("lamp", "borescope")),
            FoundStep("Go on by tool: scrape or brush in short goes, vacuum between", "Layers need tools; amounts of spray do not help.", 40, ("scraper", "brushes", "vacuum with fine filter"), ("eyes", "objects"),
                      (Record("bare", "yes_no", "Metal shows all round", "Say so in the handover: what is left comes back first."),)),
        )),
    )
}  # fmt: skip
