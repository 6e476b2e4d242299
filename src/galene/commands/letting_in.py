"""A one-time code from the console, for who can not sign in."""

from datetime import UTC, datetime

from galene.commands.running import application_at, data_folder
from galene.commands.words import fail
from galene.jobs.errors import Missing, Refused
from galene.jobs.people import CODE_DAYS, code_at_console
from galene.settings import Settings
from galene.store.database import session_at


def print_code(settings: Settings, sign_in: str) -> None:
    """Print a new one-time code; the password and the second factor count no longer."""
    with application_at(settings, data_folder(settings)) as url:
        code = _code_at(url, sign_in)
    print(
        f"{code}  counts once, for {CODE_DAYS} days: sign in as {sign_in} with it as the password,"
        " then choose a new one. The old password, PIN and second factor count no longer."
    )


def _code_at(url: str, sign_in: str) -> str:
    try:
        with session_at(url) as db:
            return code_at_console(db, sign_in, datetime.now(UTC))
    except Missing as fault:
        raise fail(f"nobody signs in as {sign_in}") from fault
    except Refused as fault:
        raise fail(f"{fault}: another foreman opens it on the page of people") from fault
