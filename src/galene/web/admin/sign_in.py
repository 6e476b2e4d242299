"""Signing in and out, and how this browser shows pages."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from galene.core.text_gate import digits
from galene.jobs import signing_in
from galene.jobs.errors import Invalid
from galene.jobs.signing_in import FirstPassword, Outcome, SecondFactor, SignedIn, Wait
from galene.store.repositories import people as people_rows
from galene.web.shared.caller import SESSION, caller_of, cookie, forget_session, signed_in
from galene.web.shared.entering import inside, kept_form, sign_in_page
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import Sent, Signed, VisitRoute, form_data

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
WRONG = "Name and password do not fit together."
WRONG_FIGURES = "These are not the figures of now. Each is taken once."
WRONG_PIN = "Not that PIN."


@router.get("/sign-in")
def show(request: Request, back: str = "/") -> HTMLResponse:
    return sign_in_page(request, back=back)


def _text(data: Any, name: str) -> str:
    value = data.get(name, "")
    return value if isinstance(value, str) else ""


def _answer(
    request: Request, db: Session, data: Any, found: Outcome, *, wrong: str, **page: Any
) -> Response:
    """Where a try leads: in, to the next step, or to the same page with what is wrong."""
    back, kept = inside(_text(data, "back")), _text(data, "kept")
    match found:
        case SignedIn():
            return _enter(request, db, found, back=back, kept=kept)
        case SecondFactor(ticket=ticket):
            return sign_in_page(request, back=back, kept=kept, step="second", ticket=ticket)
        case FirstPassword(ticket=ticket):
            return sign_in_page(request, back=back, kept=kept, step="first", ticket=ticket)
        case Wait(seconds=seconds):
            fault = f"Too many wrong tries. The next one is looked at in {seconds} seconds."
            answer = sign_in_page(request, back=back, kept=kept, fault=fault, status=429, **page)
            answer.headers["retry-after"] = str(seconds)
            return answer
        case _:
            request.app.state.watch.failed.inc()
            return sign_in_page(request, back=back, kept=kept, fault=wrong, status=422, **page)


def _enter(request: Request, db: Session, found: SignedIn, *, back: str, kept: str) -> Response:
    shop = people_rows.workshop(db)
    again = kept_form(request, kept)
    answer: Response
    if again is None:
        answer = RedirectResponse(back, 303)
    else:
        path, pairs = again
        answer = HTMLResponse(
            TEMPLATES.get_template("kept_form.html").render(
                request=request, path=path, pairs=pairs, back=back
            )
        )
    signed_in(request, answer, found, seconds=shop.session_hours * 3600)
    return answer


@router.post("/sign-in")
def enter(request: Request, data: Any = Depends(form_data)) -> Response:
    name = _text(data, "name")[:80]
    with request.app.state.sessions() as db:
        found = signing_in.sign_in(
            db,
            caller_of(request),
            name,
            password=_text(data, "password"),
            vault=request.app.state.vault,
            now=request.app.state.clock(),
        )
        db.commit()
        return _answer(request, db, data, found, wrong=WRONG, name=name)


@router.post("/sign-in/second-factor")
def second_factor(request: Request, data: Any = Depends(form_data)) -> Response:
    ticket = _text(data, "ticket")
    with request.app.state.sessions() as db:
        found = signing_in.second_factor(
            db,
            caller_of(request),
            ticket,
            figures=_text(data, "figures")[:40],
            vault=request.app.state.vault,
            now=request.app.state.clock(),
        )
        db.commit()
        page = {"step": "second", "ticket": ticket}
        return _answer(request, db, data, found, wrong=WRONG_FIGURES, **page)


@router.post("/sign-in/first-password")
def first_password(request: Request, data: Any = Depends(form_data)) -> Response:
    ticket = _text(data, "ticket")
    with request.app.state.sessions() as db:
        try:
            found = signing_in.first_password(
                db,
                caller_of(request),
                ticket,
                password=_text(data, "new_password"),
                vault=request.app.state.vault,
                now=request.app.state.clock(),
            )
        except Invalid as fault:
            return sign_in_page(
                request,
                back=_text(data, "back"),
                kept=_text(data, "kept"),
                step="first",
                ticket=ticket,
                fault=fault.fields["password"],
                status=422,
            )
        db.commit()
        over = "This took too long, or the code was used: sign in by the code again."
        return _answer(request, db, data, found, wrong=over)


@router.post("/sign-in/pin")
def by_pin(request: Request, data: Any = Depends(form_data)) -> Response:
    chosen = _text(data, "person")
    person = int(chosen) if digits(chosen) else 0
    with request.app.state.sessions() as db:
        found = signing_in.sign_in_by_pin(
            db,
            caller_of(request),
            person,
            pin=_text(data, "pin")[:20],
            now=request.app.state.clock(),
        )
        db.commit()
        return _answer(request, db, data, found, wrong=WRONG_PIN, chosen=person)


@router.post("/sign-out")
def leave(request: Request) -> Response:
    """End the session; twice is harmless, and so is one that is over."""
    with request.app.state.sessions() as db:
        signing_in.sign_out(db, cookie(request, SESSION))
        db.commit()
    answer = RedirectResponse("/sign-in", 303)
    forget_session(request, answer)
    return answer


@router.post("/view")
def view(request: Request, visit: Signed, form: Sent) -> Response:
    theme, layout = (
        form.text("theme") or visit.session.theme,
        form.text("layout") or visit.session.layout,
    )
    keys = form.text("keys")
    try:
        signing_in.set_view(visit.db, cookie(request, SESSION), theme, layout=layout, keys=keys)
    except Invalid:
        visit.db.rollback()
        raise
    visit.db.commit()
    return visit.go(inside(form.text("back") or "/"))
