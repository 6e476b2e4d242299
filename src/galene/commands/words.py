"""What a command says, and what it is told by its environment."""

import sys
from typing import TYPE_CHECKING, Any

import typer

if TYPE_CHECKING:
    from galene.settings import Settings


def fail(line: str) -> typer.Exit:
    """One clear line on standard error, exit 2."""
    print("galene: " + " ".join(line.split()), file=sys.stderr)
    return typer.Exit(2)


def tell(line: str) -> None:
    """One line on standard error, of something that goes on."""
    print(f"galene: {line}", file=sys.stderr, flush=True)


def settings_with(**given: Any) -> "Settings":
    """The settings of the environment, with those that the command line names.

    Raises
    ------
    typer.Exit
        A setting that can not be, named.
    """
    from pydantic import ValidationError

    from galene.settings import Settings

    try:
        return Settings(**given)
    except ValidationError as fault:
        first = fault.errors()[0]
        raise fail(f"GALENE_{str(first['loc'][0]).upper()}: {first['msg']}") from fault
