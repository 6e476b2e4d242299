"""Every route reads what comes from outside through the one gate of the core."""

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from fastapi.routing import APIRoute
from starlette.datastructures import FormData
from starlette.exceptions import HTTPException

from galene.core.errors import InputError
from galene.core.text_gate import LONGEST_NAME, read_json, require_text
from galene.jobs.errors import Invalid


class Told(HTTPException):
    """What is refused before a route sees it; `detail` is for the reader."""


class NotRead(Told):
    """A body that did not pass the gate."""

    def __init__(self, fault: InputError) -> None:
        super().__init__(422, str(fault))


class GatedRequest(Request):
    """A request whose JSON has passed the gate."""

    async def json(self) -> Any:
        """The body as plain data.

        Raises
        ------
        NotRead
            A value that can not pass.
        """
        if not hasattr(self, "_gated"):
            try:
                self._gated = read_json(await self.body())
            except InputError as fault:
                raise NotRead(fault) from fault
        return self._gated


class GatedRoute(APIRoute):
    """A route that reads through the gate. All routes are such, see `galene.web.app`."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The route's own handler behind the gate."""
        inner = super().get_route_handler()

        async def handle(request: Request) -> Response:
            return await inner(GatedRequest(request.scope, request.receive))

        return handle


def gated_form(data: FormData) -> FormData:
    """A form whose names and texts have passed the gate; names of files too.

    Raises
    ------
    Invalid
        By field.
    """
    faults = {}
    for name, value in data.multi_items():
        text = value if isinstance(value, str) else value.filename or ""
        try:
            require_text("(form)", name, LONGEST_NAME)
            require_text(name, text)
        except InputError as fault:
            faults[fault.field] = f"{fault.value}: {fault.allowed}."
    if faults:
        raise Invalid(faults)
    return data
