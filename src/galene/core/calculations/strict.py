"""How a calculation takes its input: a field that it does not know is a fault."""

from typing import Any

STRICT: dict[str, Any] = {"extra": "forbid"}
"""Pydantic's settings of every record that comes in."""
