"""One request by one signed-in person: session, workshop, rendering, and the frame round every
write."""

import inspect
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import wraps
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from fastapi.routing import APIRoute
from sqlalchemy.orm import Session

from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid
from galene.jobs.people import session_of
from galene.store.models import Job, Person, WebSession, Workshop
from galene.web.shared.forms import Form
from galene.web.shared.security import COOKIE
from galene.web.shared.templating import TEMPLATES, frame_of


class SignInFirst(Exception):
    """Nobody is signed in; `back` is where to go afterwards."""

    def __init__(self, back: str) -> None:
        self.back = back


class Visit:
    """What a route needs. Reads use `db` straight; writes go through `writing`.

    The session is opened by the first use, in the thread that runs the route: `VisitRoute` does
    that before the route and closes it behind it, so that a page costs one hop to a thread and not
    one for each of its parts.
    """

    def __init__(self, request: Request) -> None:
        self.request = request
        self.now: datetime = request.app.state.clock()
        self.routed = False
        self._held: tuple[Session, WebSession, Workshop] | None = None

    def open(self) -> tuple[Session, WebSession, Workshop]:
        """The database session, who is signed in, and the workshop.

        Raises
        ------
        SignInFirst
        """
        if self._held is None:
            if not self.routed:
                raise RuntimeError(
                    "a route that takes a visit belongs to a router with VisitRoute, which"
                    " closes it"
                )
            secret = self.request.cookies.get(COOKIE, "")
            db: Session = self.request.app.state.sessions()
            try:
                found = session_of(db, secret, self.now) if secret else None
            except BaseException:
                db.close()
                raise
            if found is None:
                db.close()
                raise SignInFirst(
                    self.request.url.path
                    if self.request.method == "GET"
                    else self.request.headers.get("referer", "/")
                )
            self._held = (db, *found)
        return self._held

    def close(self) -> None:
        """Give the database session back."""
        if self._held is not None:
            self._held[0].close()

    @property
    def db(self) -> Session:
        """The database session of this request."""
        return self.open()[0]

    @property
    def session(self) -> WebSession:
        """The signed-in browser."""
        return self.open()[1]

    @property
    def shop(self) -> Workshop:
        """The workshop's settings."""
        return self.open()[2]

    @property
    def person(self) -> Person:
        """Who is signed in."""
        return self.session.person

    @contextmanager
    def writing(self, form: Form, location: str) -> Iterator[Act]:
        """A write that is claimed by the form's token, durable when the block is left, undone when
        it raises."""
        act = Act(db=self.db, person=self.person, now=self.now)
        try:
            act.claim_key(form.idempotency_key, location)
            yield act
            self.db.commit()
        except Exception:
            self.db.rollback()
            self.db.refresh(self.session)
            raise

    def submit(
        self,
        form: Form,
        write: Callable[[Act], str | None],
        *,
        to: str,
        shown: Callable[[dict[str, str]], Response] | None = None,
    ) -> Response:
        """Every form's way: the write is claimed by the form's token, done and durable before the
        answer leads on; or the page is shown again with its faults.

        Parameters
        ----------
        write : does it; returns where to go where that is known only now
        to : where to go, for a form that was sent before too
        shown : the page with faults by field; without it they are told on a page of their own
        """
        try:
            form.check()
            with self.writing(form, to) as act:
                found = write(act)
                if found:
                    act.leads_to(form.idempotency_key, found)
        except Invalid as fault:
            if shown is None:
                raise
            return shown(fault.fields)
        return self.go(found or to)

    @contextmanager
    def setting(self) -> Iterator[Act]:
        """A write that sets a named value to a named state: safe to send twice by itself."""
        act = Act(db=self.db, person=self.person, now=self.now)
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
            "request": self.request,
            "me": self.person,
            "shop": self.shop,
            "theme": self.session.theme,
            "layout": self.session.layout,
            "now": self.now,
            "once": lambda: secrets.token_urlsafe(12),
            "system": self.shop.system,
            "faults": {},
            "entered": None,
            "frame": frame_of(job, self.now, extra.get("stage", "")) if job is not None else None,
            **extra,
        }

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


class VisitRoute(APIRoute):
    """A route of signed-in people: nobody else gets as far as its function."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **more: Any) -> None:
        super().__init__(
            path,
            _signed(endpoint) if "visit" in inspect.signature(endpoint).parameters else endpoint,
            **more,
        )


def _signed(endpoint: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(endpoint)
    def run(*args: Any, visit: Visit, **kwargs: Any) -> Any:
        visit.routed = True
        try:
            visit.open()
            return endpoint(*args, visit=visit, **kwargs)
        finally:
            visit.close()

    return run


async def open_visit(request: Request) -> Visit:
    """Dependency: the visit, whose session is opened by the route."""
    return Visit(request)


Signed = Annotated[Visit, Depends(open_visit)]


async def form_data(request: Request) -> Any:
    """Dependency: a form without files."""
    return await request.form(max_files=0, max_fields=1500)


async def sent_form(visit: Signed, data: Annotated[Any, Depends(form_data)]) -> Form:
    """Dependency: the form that came with the request."""
    form = Form(data, lambda: visit.shop.system)
    visit.request.state.form = form
    return form


Sent = Annotated[Form, Depends(sent_form)]


async def sent_file(visit: Signed, request: Request) -> Form:
    """Dependency: the form with its one file."""
    data = await request.form(max_files=1, max_fields=60)
    form = Form(data, lambda: visit.shop.system)
    file = data.get("file")
    if file is not None and not isinstance(file, str):
        form.file, form.file_name = await file.read(), file.filename or ""
    visit.request.state.form = form
    return form


SentFile = Annotated[Form, Depends(sent_file)]
