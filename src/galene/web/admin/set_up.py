"""The one-time address at which a new workshop is set up; until then nothing else answers."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp, Receive, Scope, Send

from galene.jobs import signing_in, workshop
from galene.jobs.errors import Invalid, Missing
from galene.jobs.people import PersonForm
from galene.jobs.workshop import SetUpForm
from galene.store.repositories import people as people_rows
from galene.web.shared.caller import caller_of, signed_in
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import VisitRoute, form_data

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
BEFORE = ("/set-up/", "/static/", "/healthz", "/readyz")
FIELDS = ("workshop", "system", "currency", "bays", "name", "sign_in")


class SetUpFirst:
    """Lets nothing through to the application until there is a workshop."""

    def __init__(self, app: ASGIApp) -> None:
        self.app, self._is_set_up = app, False

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or self._is_set_up or scope["path"].startswith(BEFORE):
            await self.app(scope, receive, send)
            return
        self._is_set_up = await run_in_threadpool(_asked, scope["app"])
        if self._is_set_up:
            await self.app(scope, receive, send)
            return
        page = TEMPLATES.get_template("not_set_up.html").render(request=Request(scope))
        await HTMLResponse(page, 503)(scope, receive, send)


def _asked(app: Any) -> bool:
    with app.state.sessions() as db:
        return workshop.is_set_up(db)


def _page(
    request: Request, entered: dict[str, str], faults: dict[str, str], status: int = 200
) -> HTMLResponse:
    found = TEMPLATES.get_template("set_up.html").render(
        request=request, entered=entered, faults=faults
    )
    return HTMLResponse(found, status, {"referrer-policy": "no-referrer"})


@router.get("/set-up/{secret}")
def show(request: Request, secret: str) -> HTMLResponse:
    with request.app.state.sessions() as db:
        if not workshop.set_up_opens(db, secret):
            raise Missing("such address for a set-up")
    return _page(request, {"system": "metric", "currency": "¤", "bays": "bay 1"}, {})


@router.post("/set-up/{secret}")
def enter(request: Request, secret: str, data: Any = Depends(form_data)) -> Response:
    given = {name: str(data.get(name, "")) for name in FIELDS}
    password = str(data.get("new_password", ""))
    form = SetUpForm(
        name=given["workshop"],
        system=given["system"],
        currency=given["currency"],
        bays=workshop.bays_of(given["bays"]),
        foreman=PersonForm(sign_in=given["sign_in"], name=given["name"]),
        password=password,
    )
    now = request.app.state.clock()
    with request.app.state.sessions() as db:
        try:
            person = workshop.set_up(db, secret, form, now=now)
        except Invalid as fault:
            return _page(request, given, fault.fields, 422)
        found = signing_in.enter(db, caller_of(request), person, now=now)
        shop = people_rows.workshop(db)
        db.commit()
    answer = RedirectResponse("/", 303)
    signed_in(request, answer, found, seconds=shop.session_hours * 3600)
    return answer
