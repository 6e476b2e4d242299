"""One request by one signed-in person: session, workshop, rendering, and the frame round every write."""

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from galene.jobs.act import Act, find_job
from galene.jobs.people import session_of
from galene.store.models import Job, Person, WebSession, Workshop
from galene.web.forms import Form
from galene.web.security import COOKIE
from galene.web.templating import TEMPLATES, frame_of


class SignInFirst(Exception):
    """Nobody is signed in; `back` is where to go afterwards."""

    def __init__(self, back: str) -> None:
        self.back = back


class Visit:
    """What a route needs. Reads use `db` straight; writes go through `writing`."""

    def __init__(self, request: Request, db: Session, row: WebSession, shop: Workshop) -> None:
        self.request, self.db, self.session, self.shop = request, db, row, shop
        self.now: datetime = request.app.state.clock()
        self.person: Person = row.person

    @contextmanager
    def writing(self, form: Form, location: str) -> Iterator[Act]:
        """A write that is claimed by the form's token, durable when the block is left, undone when it raises."""
        act = Act(self.db, self.person, self.now)
        try:
            act.once(form.token, location)
            yield act
            self.db.commit()
        except Exception:
            self.db.rollback()
            self.db.refresh(self.session)
            raise

    @contextmanager
    def setting(self) -> Iterator[Act]:
        """A write that sets a named value to a named state: safe to send twice by itself."""
        act = Act(self.db, self.person, self.now)
        try:
            yield act
            self.db.commit()
        except Exception:
            self.db.rollback()
            self.db.refresh(self.session)
            raise

    def job(self, number: str) -> Job:
        """The job for reading."""
        return find_job(self.db, number)

    def context(self, **extra: Any) -> dict[str, Any]:
        """What every template can see."""
        job = extra.get("job")
        return {
            "request": self.request, "me": self.person, "shop": self.shop, "theme": self.session.theme, "layout": self.session.layout,
            "now": self.now, "once": lambda: secrets.token_urlsafe(12), "system": self.shop.system, "faults": {}, "entered": None,
            "frame": frame_of(job, self.now, extra.get("stage", "")) if job is not None else None, **extra,
        }  # fmt: skip

    def page(self, template: str, status: int = 200, /, **extra: Any) -> HTMLResponse:
        """A whole page."""
        return HTMLResponse(TEMPLATES.get_template(template).render(self.context(**extra)), status)

    def part(self, template: str, block: str, status: int = 200, /, **extra: Any) -> HTMLResponse:
        """One block of a page, for htmx."""
        source = TEMPLATES.get_template(template)
        context = source.new_context(self.context(**extra))
        return HTMLResponse("".join(source.blocks[block](context)), status)

    @property
    def by_htmx(self) -> bool:
        """Whether htmx asked for a part of the page."""
        return self.request.headers.get("hx-request") == "true"

    def go(self, location: str) -> Response:
        """Answer a write: look at the result there."""
        return RedirectResponse(location, 303)


def open_visit(request: Request) -> Iterator[Visit]:
    """Dependency: the visit of a signed-in person, else the sign-in page."""
    with request.app.state.sessions() as db:
        secret = request.cookies.get(COOKIE, "")
        row = session_of(db, secret, request.app.state.clock()) if secret else None
        if row is None:
            back = request.url.path if request.method == "GET" else request.headers.get("referer", "/")
            raise SignInFirst(back)
        yield Visit(request, db, row, db.get_one(Workshop, 1))


Signed = Annotated[Visit, Depends(open_visit)]


async def _form(request: Request) -> Any:
    return await request.form(max_files=0, max_fields=600)


def sent_form(visit: Signed, data: Annotated[Any, Depends(_form)]) -> Form:
    """Dependency: the form that came with the request."""
    form = Form(data, visit.shop.system)
    visit.request.state.form = form
    return form


Sent = Annotated[Form, Depends(sent_form)]


async def _form_with_file(request: Request) -> Any:
    data = await request.form(max_files=1, max_fields=60)
    file = data.get("file")
    return data, b"" if file is None or isinstance(file, str) else await file.read()


def sent_file(visit: Signed, sent: Annotated[Any, Depends(_form_with_file)]) -> Form:
    """Dependency: the form with its one file."""
    data, file = sent
    form = Form(data, visit.shop.system)
    form.file = file
    visit.request.state.form = form
    return form


SentFile = Annotated[Form, Depends(sent_file)]
