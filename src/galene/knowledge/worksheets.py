"""Worksheets by what is asked, each with the kind of part that its drawing shows."""

from dataclasses import dataclass

from galene.knowledge.documents import read


@dataclass(frozen=True, kw_only=True)
class Group:
    """Worksheets that answer one kind of question. `sheets`: name to the kind of part drawn."""

    id: str
    title: str
    sheets: dict[str, str]


GROUPS = read("worksheets.toml", tuple[Group, ...], "groups")
