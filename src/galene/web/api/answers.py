"""How the open routes answer: the result, or the fault with its field and what is allowed."""

from collections.abc import Callable
from typing import Any

from fastapi.responses import JSONResponse

from galene.core.errors import InputError


def answered(run: Callable[[], Any]) -> JSONResponse:
    """The result of a run as JSON; what can not be is named, with 422."""
    try:
        return JSONResponse(run())
    except InputError as fault:
        return JSONResponse(
            {
                "error": str(fault),
                "field": fault.field,
                "value": str(fault.value),
                "allowed": fault.allowed,
            },
            422,
        )
