"""The closed sets of words that a plan is made of. Each is a contract of the plan's JSON."""

from typing import Literal

Battery = Literal["on", "off"]
Engine = Literal["off", "ignition", "running"]
Heat = Literal["cold", "warm"]
Coolant = Literal["full", "lowered", "drained"]
FuelLine = Literal["closed", "opened", "vented"]
Codes = Literal["kept", "cleared"]
Place = Literal["mounted", "loose", "off", "away"]
Work = Literal["clean", "replace", "repair", "inspect", "adjust", "relearn", "upkeep"]
Phase = Literal["safe", "running", "open", "clean", "close", "walk", "start", "relearn", "prove"]
Act = Literal["tick", "before_set", "clear", "start", "relearn", "after_set", "road", "pending"]
RecordKind = Literal["yes_no", "grade", "reading", "words"]
ConsequenceKind = Literal["stop", "replace", "again", "more", "part_only", "note"]

WORKS: dict[Work, str] = {
    "clean": "clean",
    "replace": "fit new",
    "repair": "repair",
    "inspect": "look only",
    "adjust": "adjust",
    "relearn": "relearn only",
    "upkeep": "upkeep, nothing taken off",
}
PHASES: tuple[Phase, ...] = (
    "safe",
    "running",
    "open",
    "clean",
    "close",
    "walk",
    "start",
    "relearn",
    "prove",
)
CONSEQUENCES: dict[ConsequenceKind, str] = {
    "stop": "stop: held until a foreman or a new plan resolves it",
    "replace": "this part is fitted new",
    "again": "the same once more, then decide",
    "more": "more parts join the scope",
    "part_only": "this part is left out, and the report says so",
    "note": "noted in the report",
}
MOUTH_KINDS = frozenset({"cover", "tape", "rag inside", "tool inside", "media inside"})
"""Kinds of open item that lie in or over a mouth: they come off before the part that bears them."""
