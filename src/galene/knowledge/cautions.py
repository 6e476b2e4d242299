"""Cautions: hazard, harm, what to do. Serious ones are acknowledged once per job."""

from dataclasses import dataclass

from galene.knowledge.documents import table


@dataclass(frozen=True, kw_only=True)
class Caution:
    """One caution as it stands on a step."""

    id: str
    hazard: str
    harm: str
    do: str
    serious: bool = False


CAUTIONS: dict[str, Caution] = table("cautions.toml", Caution, "cautions")
GENERAL_NOTICE = (
    "Labels, safety data sheets, the maker's service information, local law and licensed practice"
    " win over anything shown here."
)

SERIOUS: dict[str, str] = {
    c.id: f"{c.hazard}: {c.harm}. {c.do}" for c in CAUTIONS.values() if c.serious
}
"""Cautions that are acknowledged, with their words."""
