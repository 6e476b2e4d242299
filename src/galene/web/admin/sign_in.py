"""Signing in and out, and how this browser shows pages."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from galene.jobs.errors import Invalid
from galene.jobs.people import SESSION_LENGTH, set_view, sign_in, sign_out
from galene.store.repositories import people as people_rows
from galene.web.shared.security import COOKIE
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import Sent, Signed, VisitRoute, form_data

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def _page(
    request: Request, back: str, name: str = "", *, fault: str = "", status: int = 200
) -> HTMLResponse:
    with request.app.state.sessions() as db:
        shop = people_rows.workshop(db)
        return HTMLResponse(
            TEMPLATES.get_template("sign_in.html").render(
                request=request, back=back, name=name, fault=fault, shop=shop
            ),
            status,
        )


def _inside(path: str) -> str:
    return path if path.startswith("/") and not path.startswith(("//", "/\\")) else "/"


@router.get("/sign-in")
def show(request: Request, back: str = "/") -> HTMLResponse:
    return _page(request, _inside(back))


@router.post("/sign-in")
def enter(request: Request, data: Any = Depends(form_data)) -> Response:
    name, password, back = (str(data.get(k, "")) for k in ("name", "password", "back"))
    with request.app.state.sessions() as db:
        secret = (
            sign_in(db, name, password, now=request.app.state.clock())
            if "\x00" not in name + password
            else None
        )
        db.commit()
    if secret is None:
        return _page(
            request,
            _inside(back),
            name[:80],
            fault="Name and password do not fit together.",
            status=422,
        )
    answer = RedirectResponse(_inside(back), 303)
    answer.set_cookie(
        COOKIE,
        secret,
        max_age=int(SESSION_LENGTH.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
    )
    return answer


@router.post("/sign-out")
def leave(request: Request, visit: Signed) -> Response:
    sign_out(visit.db, request.cookies.get(COOKIE, ""))
    visit.db.commit()
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(COOKIE)
    return answer


@router.post("/view")
def view(request: Request, visit: Signed, form: Sent) -> Response:
    theme, layout = (
        form.text("theme") or visit.session.theme,
        form.text("layout") or visit.session.layout,
    )
    try:
        set_view(visit.db, request.cookies.get(COOKIE, ""), theme, layout=layout)
    except Invalid:
        visit.db.rollback()
        raise
    visit.db.commit()
    return visit.go(_inside(form.text("back") or "/"))
