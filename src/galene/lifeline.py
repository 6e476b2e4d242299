"""A process that we start ends with the one that started it, however that ends."""

import ctypes
import os
import signal

PARENT = "GALENE_PARENT"
PR_SET_PDEATHSIG = 1


def with_parent() -> dict[str, str]:
    """The environment of a process that is to be tied to this one."""
    return {**os.environ, PARENT: str(os.getpid())}


def tied_to_parent() -> None:
    """Be told to end when the process that started this one is gone (prctl(2)); nothing where it
    was started by hand."""
    parent = os.environ.pop(PARENT, "")
    if not parent:
        return
    ctypes.CDLL(None, use_errno=True).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != int(parent):  # it was gone before
        os.kill(os.getpid(), signal.SIGTERM)
