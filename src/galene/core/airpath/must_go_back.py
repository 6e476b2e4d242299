"""Words of what must go back: its kinds, what is counted, the gates that it holds."""

KINDS: tuple[str, ...] = (
    "connector",
    "hose",
    "clamp",
    "fastener set",
    "cover",
    "tape",
    "sensor unplugged",
    "coolant low",
    "fuel line open",
    "battery lead",
    "tool inside",
    "rag inside",
    "media inside",
    "cab tilted",
)
WORST_FIRST: tuple[str, ...] = (
    "rag inside",
    "tool inside",
    "media inside",
    "fuel line open",
    "coolant low",
    "hose",
    "clamp",
    "connector",
    "sensor unplugged",
    "fastener set",
    "battery lead",
    "tape",
    "cover",
    "cab tilted",
)
INSIDE = frozenset({"rag inside", "tool inside", "media inside"})
"""Kinds that are inside the engine: looked for twice."""
COUNTED: dict[str, str] = {
    "cloths": "Cloths",
    "caps": "Caps and plugs",
    "tape": "Strips of tape",
    "sockets": "Sockets and bits",
}
"""What is counted in and out of the engine bay."""
BEFORE: tuple[str, ...] = ("start", "road test", "handover")
