"""How the open routes answer: the result, or the fault with its field and what is allowed.

They are computed in processes of their own with a limit of time, so that a page waits for none of
them; an address of the net has so many requests and so much time a minute.
"""

import multiprocessing
import time
from collections.abc import Callable
from concurrent.futures import TimeoutError as TooLong
from functools import cache
from threading import BoundedSemaphore
from typing import Any

from fastapi import Request
from fastapi.responses import JSONResponse
from pebble import ProcessExpired, ProcessPool

from galene.core.errors import InputError
from galene.web.shared.limits import Limits

PROCESSES, AT_ONCE = 2, 6
"""Computing processes, and requests that may be in them or wait for one."""
LONGEST_S = 5.0
START_S = 60.0
"""A process that must start first may take this long: it loads the computation."""
Told = tuple[int, Any]
"""Status and body of an answer."""
_waiting = BoundedSemaphore(AT_ONCE)


@cache
def _pool() -> ProcessPool:
    return ProcessPool(PROCESSES, context=multiprocessing.get_context("spawn"))


def warm() -> None:
    """Let the computing processes load what they need."""


def _told(run: Callable[..., Any], *arguments: Any) -> Told:
    """The answer of a run, made in the computing process."""
    try:
        return 200, run(*arguments)
    except InputError as fault:
        return 422, {
            "error": str(fault),
            "field": fault.field,
            "value": str(fault.value)[:200],
            "allowed": fault.allowed,
        }


@cache
def _loaded() -> bool:
    """Whether a computing process has started: asked once, with time to load."""
    _pool().schedule(warm, timeout=START_S).result()
    return True


def _busy(words: str, status: int, seconds: int) -> JSONResponse:
    return JSONResponse({"error": words}, status, {"retry-after": str(seconds)})


def answered(request: Request, run: Callable[..., Any], *arguments: Any) -> JSONResponse:
    """The result of a run as JSON; what can not be is named, with 422.

    Parameters
    ----------
    run : a function of a module, with arguments that another process can be given
    """
    limits: Limits = request.app.state.api_limits
    address = request.client.host if request.client else ""
    if seconds := limits.wait(address):
        return _busy("asked too often or for too much from this address", 429, seconds)
    if not _waiting.acquire(blocking=False):
        return _busy("all computing processes are busy", 503, 2)
    begun = time.monotonic()
    try:
        _loaded()
        begun = time.monotonic()
        status, body = _pool().schedule(_told, args=(run, *arguments), timeout=LONGEST_S).result()
    except TooLong:
        return _busy(f"no end after {LONGEST_S:g} s: ask for less at once", 422, 60)
    except ProcessExpired:
        return _busy("this took more than there is", 422, 60)
    finally:
        _waiting.release()
        limits.spent(address, time.monotonic() - begun)
    return JSONResponse(body, status)
