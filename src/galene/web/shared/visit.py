"""One request by one signed-in person: session, workshop, rendering, and the frame round every
write."""

import asyncio
import inspect
import secrets
from collections.abc import Callable, Coroutine, Generator, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from datetime import datetime
from functools import wraps
from threading import BoundedSemaphore
from typing import Annotated, Any, TypeVar
from urllib.parse import urlsplit

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid, NotAllowed
from galene.jobs.rights import FOREMAN, Right, holds
from galene.jobs.signing_in import proves, seen, session_of
from galene.store.models import Job, Person, WebSession, Workshop
from galene.web.rights import right_of
from galene.web.shared.caller import SESSION, cookie
from galene.web.shared.forms import Form
from galene.web.shared.gate import GatedRoute, gated_form
from galene.web.shared.templating import TEMPLATES, frame_of

T = TypeVar("T")
Awaits = Generator[Callable[[], bool], None, T]
"""A route, or a part of one, that waits for something outside: what it yields is asked now and then
whether it is so, and no thread is held meanwhile."""
LOOK_S = 0.1
"""How often that is asked."""


class SignInFirst(Exception):
    """Nobody is signed in; `back` is where to go afterwards."""

    def __init__(self, back: str) -> None:
        self.back = back


class FactorFirst(Exception):
    """The workshop asks a second factor of this person, who has none yet."""


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
            secret = cookie(self.request, SESSION)
            db: Session = self.request.app.state.sessions()
            try:
                found = session_of(db, secret, self.now) if secret else None
                if found and seen(db, *found, self.now):
                    db.commit()
            except BaseException:
                db.close()
                raise
            if found is None:
                db.close()
                raise SignInFirst(came_from(self.request))
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

    def may(self, right: Right) -> bool:
        """Whether the person has a right, as they are signed in here."""
        return holds(self.person.role, right, by_pin=self.session.by_pin)

    def act(self, *, proven: bool = False) -> Act:
        """What the person does, at this moment."""
        return Act(
            db=self.db,
            person=self.person,
            now=self.now,
            by_pin=self.session.by_pin,
            proven=proven,
        )

    def _proven(self, form: Form) -> bool:
        """Whether the own password came with a form.

        Raises
        ------
        Invalid
            It is not the person's.
        """
        if not form.text("password_again"):
            return False
        try:
            proves(self.act(), form.text("password_again"))
        except Invalid:
            self.db.refresh(self.session)
            raise
        return True

    @contextmanager
    def writing(self, form: Form, location: str) -> Iterator[Act]:
        """A write that is claimed by the form's token, durable when the block is left, undone when
        it raises."""
        act = self.act(proven=self._proven(form))
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
        act = self.act()
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
            "may": lambda right: self.may(Right[right]),
            "by_pin": self.session.by_pin,
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


class VisitRoute(GatedRoute):
    """A route of signed-in people: nobody else gets as far as its function, nor anybody without
    the right that the route asks for."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **more: Any) -> None:
        right = right_of(set(more.get("methods") or {"GET"}), path)
        signed = "visit" in inspect.signature(endpoint).parameters
        if signed == (right is Right.OPEN):
            raise LookupError(f"{path}: open and signed-in routes must be listed as what they are")
        self._asks_first = signed
        super().__init__(path, _signed(endpoint, right) if signed else endpoint, **more)

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The handler. Where a body is read for a route, who sends it is asked before."""
        inner = super().get_route_handler()
        if not (self._asks_first and self.body_field):
            return inner

        async def handle(request: Request) -> Response:
            if not await run_in_threadpool(_somebody, request):
                raise SignInFirst(came_from(request))
            return await inner(request)

        return handle


def came_from(request: Request) -> str:
    """The page to come back to after signing in: the one asked for, or the one with the form."""
    if request.method == "GET":
        query = f"?{request.url.query}" if request.url.query else ""
        return request.url.path + query
    referer = urlsplit(request.headers.get("referer", ""))
    own = referer.netloc == request.headers.get("host") and referer.path.startswith("/")
    return referer.path + (f"?{referer.query}" if referer.query else "") if own else "/"


def _factor_lacks(visit: Visit, right: Right) -> bool:
    """Whether the second factor that the workshop asks of foremen must be set up first."""
    asked = visit.shop.second_factor and visit.person.role == FOREMAN
    return asked and not visit.person.totp_secret and right is not Right.ACCOUNT


UPLOADS_AT_ONCE = 3
_uploads = BoundedSemaphore(UPLOADS_AT_ONCE)


def _signed(endpoint: Callable[..., Any], right: Right) -> Callable[..., Any]:
    # A file is read whole only in here, and by few at a time: the others lie on the disk.
    turn = _uploads if _takes_a_file(endpoint) else nullcontext()

    def let_in(*args: Any, visit: Visit, **kwargs: Any) -> Any:
        visit.routed = True
        visit.open()
        if _factor_lacks(visit, right):
            raise FactorFirst
        if not visit.may(right):
            raise NotAllowed
        return endpoint(*args, visit=visit, **kwargs)

    @wraps(endpoint)
    def run(*args: Any, visit: Visit, **kwargs: Any) -> Any:
        with turn:
            try:
                return let_in(*args, visit=visit, **kwargs)
            finally:
                visit.close()

    async def wait(*args: Any, visit: Visit, **kwargs: Any) -> Any:
        try:
            route = await run_in_threadpool(let_in, *args, visit=visit, **kwargs)
            while not (told := await run_in_threadpool(_further, route)).ended:
                while not await run_in_threadpool(told.what):
                    await asyncio.sleep(LOOK_S)
            return told.what
        finally:
            await run_in_threadpool(visit.close)

    if not inspect.isgeneratorfunction(endpoint):
        return run
    # Only its parameters are the endpoint's: it is called here, and not as a stream.
    signature = inspect.signature(endpoint, eval_str=True)
    wait.__signature__ = signature.replace(return_annotation=Response)  # type: ignore[attr-defined]
    wait.__name__, wait.__doc__ = endpoint.__name__, endpoint.__doc__
    return wait


@dataclass(frozen=True)
class _Told:
    """How far a waiting route went: its answer, or what it waits for."""

    ended: bool
    what: Any


def _further(route: Awaits[Response]) -> _Told:
    try:
        return _Told(ended=False, what=next(route))
    except StopIteration as end:
        return _Told(ended=True, what=end.value)


def _takes_a_file(endpoint: Callable[..., Any]) -> bool:
    form = inspect.signature(endpoint).parameters.get("form")
    return form is not None and form.annotation is SentFile


async def open_visit(request: Request) -> Visit:
    """Dependency: the visit, whose session is opened by the route."""
    return Visit(request)


Signed = Annotated[Visit, Depends(open_visit)]


async def form_data(request: Request) -> Any:
    """Dependency: a form without files."""
    return gated_form(await request.form(max_files=0, max_fields=1500))


async def sent_form(visit: Signed, data: Annotated[Any, Depends(form_data)]) -> Form:
    """Dependency: the form that came with the request."""
    form = Form(data, lambda: visit.shop.system)
    visit.request.state.form = form
    return form


Sent = Annotated[Form, Depends(sent_form)]


def _somebody(request: Request) -> bool:
    with request.app.state.sessions() as db:
        secret = cookie(request, SESSION)
        return bool(secret) and session_of(db, secret, request.app.state.clock()) is not None


async def sent_file(visit: Signed, request: Request) -> Form:
    """Dependency: the form with its one file. Who sends it is asked before a byte of it is read."""
    if not await run_in_threadpool(_somebody, request):
        raise SignInFirst(came_from(request))
    data = gated_form(await request.form(max_files=1, max_fields=60))
    form = Form(data, lambda: visit.shop.system)
    file = data.get("file")
    if file is not None and not isinstance(file, str):
        form.take(file)
    visit.request.state.form = form
    return form


SentFile = Annotated[Form, Depends(sent_file)]
