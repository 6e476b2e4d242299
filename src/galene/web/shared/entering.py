"""The page that asks who is there, with a form kept on it that somebody had typed when their
session was over."""

import json
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse

from galene.jobs.signing_in import shared_device
from galene.store.repositories import people as people_rows
from galene.store.vault import Vault
from galene.web.shared.caller import caller_of
from galene.web.shared.forms import NOT_KEPT, Form
from galene.web.shared.templating import TEMPLATES

KEPT_MOST = 1_000_000
"""Characters of a form that is kept through a sign-in."""


def inside(path: str) -> str:
    """A path of our own pages; of anything else the first page."""
    return path if path.startswith("/") and not path.startswith(("//", "/\\")) else "/"


def keep_form(request: Request, form: Form) -> str:
    """A form, sealed, so that it comes back as it was; empty where it is too much."""
    vault: Vault = request.app.state.vault
    pairs = [(k, v) for k, v in form.pairs if k not in NOT_KEPT]
    text = json.dumps({"path": request.url.path, "pairs": pairs})
    return vault.seal(text) if len(text) <= KEPT_MOST else ""


def kept_form(request: Request, kept: str) -> tuple[str, list[tuple[str, str]]] | None:
    """Path and fields of a form that was kept, None where there is none."""
    vault: Vault = request.app.state.vault
    opened = vault.open(kept) if kept else None
    if opened is None:
        return None
    found = json.loads(opened)
    return inside(found["path"]), [(str(k), str(v)) for k, v in found["pairs"]]


def sign_in_page(
    request: Request, *, back: str = "/", kept: str = "", status: int = 200, **extra: Any
) -> HTMLResponse:
    """The page that asks for name and password; on a shared tablet who of those with a PIN it is.

    Parameters
    ----------
    back : where to go afterwards
    kept : a form that is kept through the sign-in
    extra : ``step`` (``name``, ``second`` or ``first``), ``ticket``, ``name``, ``fault``
    """
    with request.app.state.sessions() as db:
        shop = people_rows.workshop(db)
        tablet = shared_device(db, caller_of(request))
        by_pin = people_rows.with_pin(db) if tablet else []
        return HTMLResponse(
            TEMPLATES.get_template("sign_in.html").render(
                {
                    "request": request,
                    "back": inside(back),
                    "kept": kept,
                    "shop": shop,
                    "tablet": tablet,
                    "by_pin": by_pin,
                    "step": "name",
                    "ticket": "",
                    "name": "",
                    "fault": "",
                    "chosen": 0,
                    **extra,
                }
            ),
            status,
        )
