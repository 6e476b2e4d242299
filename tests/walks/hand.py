"""A person at the pages: reads them, fills in the forms that stand there, and sends them."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

from lxml import html  # type: ignore[import-untyped]

from galene.web.shared.caller import SESSION
from tests.web.conftest import Browser

Fields = Mapping[str, str | list[str] | None]
"""Name to what is typed or chosen; None takes a field out."""


STAYS = timedelta(minutes=25)
"""How long somebody stays signed in here before signing in anew."""


@dataclass
class Clock:
    """The workshop's clock, put forward by hand."""

    now: datetime = field(default_factory=lambda: datetime.now(UTC))

    def __call__(self) -> datetime:
        return self.now

    def forward(self, minutes: float) -> None:
        self.now += timedelta(minutes=minutes)


def words_of(node: Any) -> str:
    """What a node says, on one line."""
    return " ".join(node.text_content().split())


class Refusal(AssertionError):
    """A page that did not take what was sent: its status and what it says."""


@dataclass(kw_only=True)
class Hand:
    """One person of the workshop."""

    browser: Browser
    clock: Clock
    sign_in: Callable[[], str]
    """Signs in and gives what the browser keeps of it."""
    password: str
    secret: str = ""
    since: datetime | None = None

    def page(self, path: str) -> Any:
        """A page that is shown to this person."""
        self._as_me()
        answer = self.browser.get(path)
        assert answer.status_code == 200, (path, answer.status_code, answer.text[:400])
        return html.fromstring(answer.text, base_url="http://127.0.0.1")

    def text(self, path: str) -> str:
        """What a page says, on one line."""
        main = self.page(path)
        for script in main.xpath("//script|//style|//svg"):
            script.drop_tree()
        return words_of(main)

    def form(self, path: str, action: str) -> Any:
        """The form of a page that leads to `action`."""
        found = [f for f in self.page(path).forms if _ends(f, action)]
        assert found, (path, action, [f.get("action") for f in self.page(path).forms])
        return found[0]

    def has(self, path: str, action: str) -> bool:
        """Whether a page has such a form."""
        return any(_ends(f, action) for f in self.page(path).forms)

    def send(self, path: str, action: str, fields: Fields | None = None, button: str = "") -> str:
        """Fill in the form of a page and send it, as it stands but for `fields`; gives where it
        leads.

        Raises
        ------
        Refusal
            It was not taken.
        """
        return self.send_form(self.form(path, action), path, fields, button=button)

    def send_form(
        self,
        form: Any,
        path: str,
        fields: Fields | None = None,
        *,
        button: str = "",
        more: Fields | None = None,
    ) -> str:
        """Send one form of a page; `more` are fields that its script has put into it."""
        answer = self._posted(form, path, fields, button=button, more=more)
        if answer.status_code not in (302, 303):
            said = html.fromstring(answer.text) if answer.text else None
            raise Refusal(
                f"{form.get('action') or path}: {answer.status_code} "
                + (" | ".join(_faults(said)) if said is not None else "")
            )
        return str(answer.headers["location"])

    def refused(
        self, path: str, action: str, fields: Fields | None = None, button: str = ""
    ) -> str:
        """What is said of a form that must not be taken."""
        answer = self._posted(self.form(path, action), path, fields, button=button)
        assert answer.status_code in (409, 422), (answer.status_code, action)
        return " | ".join(_faults(html.fromstring(answer.text)))

    def _posted(
        self,
        form: Any,
        path: str,
        fields: Fields | None,
        *,
        button: str,
        more: Fields | None = None,
    ) -> Any:
        self._as_me()
        pairs = [(k, v) for k, v in form.form_values() if k]
        for name, value in (fields or {}).items():
            known = {i.name for i in form.inputs}
            assert name in known, (name, sorted(x for x in known if x))
            pairs = [(k, v) for k, v in pairs if k != name]
            if isinstance(value, list):
                pairs += [(name, v) for v in value]
            elif value is not None:
                pairs.append((name, value))
        pairs += [(k, str(v)) for k, v in (more or {}).items()]
        names = {i.name for i in form.inputs}
        if "password_again" in names:
            pairs = [(k, v) for k, v in pairs if k != "password_again"]
            pairs.append(("password_again", self.password))
        action = form.get("action") or path
        if button:
            name, _, value = button.partition("=")
            pressed = [
                b
                for b in form.xpath(".//button")
                if b.get("name") == name and b.get("value") == value
            ]
            assert pressed, (button, [words_of(b) for b in form.xpath(".//button")])
            action = pressed[0].get("formaction") or action
            pairs.append((name, value))
        data: dict[str, list[str]] = {}
        for key, value in pairs:
            data.setdefault(key, []).append(value)
        return self.browser.post(
            action, data=data, headers={"origin": "http://127.0.0.1"}, follow_redirects=False
        )

    def _as_me(self) -> None:
        if self.since is None or self.clock.now - self.since > STAYS:
            # Who was away while something cooled or lay in a bath signs in anew.
            self.secret, self.since = self.sign_in(), self.clock.now
        self.browser.cookies.clear()
        self.browser.cookies.set(SESSION, self.secret)


def _ends(form: Any, action: str) -> bool:
    path = str(form.get("action") or "").split("?")[0]
    return form.method == "POST" and path.endswith(action)


def _faults(page: Any) -> list[str]:
    """What a page says is wrong."""
    loud = "contains(@class,'fault') or @role='alert' or contains(@class,'caution')"
    found = [words_of(f) for f in page.xpath(f"//*[{loud}]") if words_of(f)]
    return found[:8] or [words_of(page)[:900]]


NUMBER = re.compile(r"/jobs/([\w-]+)")


def steps_ahead(page: Any) -> Iterator[Any]:
    """Forms of the steps that are left on a card, in their order."""
    forms = [f for f in page.forms if f.get("data-entry") == "tick"]
    yield from sorted(forms, key=lambda f: int(f.get("data-position")))
