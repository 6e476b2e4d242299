"""The own account: password, PIN, second factor, sessions."""

from typing import Any

import segno
from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import people
from galene.jobs.act import Act
from galene.store.repositories import sessions
from galene.store.vault import Vault
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """The account of who is signed in."""
    return visit.page(
        "account.html",
        status,
        place="account",
        sessions=sessions.of_person(visit.db, visit.person.id, visit.now),
        own=visit.session.id,
        **{"sealed": "", "codes": (), "picture": "", "typed": "", **extra},
    )


def _vault(visit: Visit) -> Vault:
    vault: Vault = visit.request.app.state.vault
    return vault


def _factor_shown(visit: Visit, sealed: str) -> dict[str, Any]:
    """A secret that is not confirmed yet, as a picture and as figures to type."""
    address = people.factor_address(
        _vault(visit), sealed, person=visit.person, shop=visit.shop.name
    )
    return {
        "sealed": sealed,
        "picture": segno.make(address, error="m").svg_data_uri(scale=5, border=2),
        "typed": _vault(visit).open(sealed),
    }


@router.get("/account")
def show(visit: Signed) -> HTMLResponse:
    return page(visit)


def _saved(visit: Visit, form: Sent, write: Any, place: str) -> Response:
    return visit.submit(
        form,
        write,
        to=f"/account#{place}",
        shown=lambda faults: page(visit, 422, faults=faults, at=place),
    )


@router.post("/account/password")
def password(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> None:
        act.proves()
        people.change_password(act, "", new=form.text("new_password"), session=visit.session.id)

    return _saved(visit, form, write, "password")


@router.post("/account/pin")
def pin(visit: Signed, form: Sent) -> Response:
    return _saved(visit, form, lambda act: people.set_pin(act, form.text("pin")), "pin")


@router.post("/account/second-factor")
def begin_factor(visit: Signed, form: Sent) -> Response:
    """A new secret: the answer is the page itself, as the secret is kept nowhere yet."""
    made: list[str] = []

    def write(act: Act) -> None:
        made.append(people.begin_factor(act, _vault(visit)))

    answer = _saved(visit, form, write, "second-factor")
    return page(visit, **_factor_shown(visit, made[0])) if made else answer


@router.post("/account/second-factor/confirm")
def confirm_factor(visit: Signed, form: Sent) -> Response:
    """Set up: the answer is the page itself, as the recovery codes are shown once."""
    made: list[str] = []
    sealed = form.text("sealed")

    def write(act: Act) -> None:
        made.extend(people.confirm_factor(act, _vault(visit), sealed, figures=form.text("figures")))

    answer = visit.submit(
        form,
        write,
        to="/account#second-factor",
        shown=lambda faults: page(
            visit,
            422,
            faults=faults,
            at="second-factor",
            **(_factor_shown(visit, sealed) if _vault(visit).open(sealed) else {}),
        ),
    )
    return page(visit, codes=tuple(made)) if made else answer


@router.post("/account/second-factor/off")
def drop_factor(visit: Signed, form: Sent) -> Response:
    return _saved(visit, form, people.drop_factor, "second-factor")


@router.post("/account/sessions/end")
def end_others(visit: Signed, form: Sent) -> Response:
    own = visit.session.id
    return _saved(visit, form, lambda act: people.end_other_sessions(act, own), "sessions")


@router.post("/account/sessions/{key}/end")
def end_one(visit: Signed, key: str, form: Sent) -> Response:
    return _saved(visit, form, lambda act: people.end_own_session(act, key), "sessions")
