"""Pictograms and statements of the Globally Harmonized System, as far as a workshop's cans bear
them."""

from galene.knowledge.documents import read

PICTOGRAMS: dict[str, str] = read("labels.toml", dict[str, str], "pictograms")
STATEMENTS: dict[str, str] = read("labels.toml", dict[str, str], "statements")
"""The wording is this project's short form; the label's own wording wins."""
