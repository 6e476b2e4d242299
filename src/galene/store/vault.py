"""The workshop's own key: seals what must not lie open in the database, and signs what a browser
brings back."""

import base64
import json
import os
import secrets
from datetime import datetime
from pathlib import Path
from typing import Any

from cryptography.fernet import Fernet, InvalidToken

GIVEN_KEY = "GALENE_SECRET_KEY"


class Vault:
    """Seals and opens texts by a key.

    Parameters
    ----------
    key : 32 bytes as url-safe base64
    """

    def __init__(self, key: str) -> None:
        self._fernet = Fernet(key)

    @classmethod
    def of_home(cls, home: Path) -> "Vault":
        """The vault whose key is in the environment (`GALENE_SECRET_KEY`), or lies in the data
        folder, where it is made when it is missing."""
        given = os.environ.get(GIVEN_KEY)
        return cls(given or key_in(home))

    def seal(self, text: str) -> str:
        """A text that only the same key opens."""
        return self._fernet.encrypt(text.encode()).decode()

    def open(self, sealed: str) -> str | None:
        """What was sealed, None where another key did it or it was changed."""
        try:
            return self._fernet.decrypt(sealed.encode()).decode()
        except (InvalidToken, UnicodeError):
            return None

    def ticket(self, what: str, now: datetime, **data: Any) -> str:
        """A sealed ticket that a browser carries from one page to the next."""
        return self.seal(json.dumps({"what": what, "at": now.timestamp(), **data}))

    def take(self, ticket: str, what: str, *, now: datetime, seconds: float) -> dict[str, Any]:
        """What a ticket carries; empty where it is none of these, or older than `seconds`."""
        opened = self.open(ticket)
        found: dict[str, Any] = json.loads(opened) if opened else {}
        fresh = found.get("what") == what and 0 <= now.timestamp() - found["at"] <= seconds
        return found if fresh else {}


def new_key() -> str:
    """A new key."""
    return base64.urlsafe_b64encode(secrets.token_bytes(32)).decode()


def key_file(home: Path) -> Path:
    """Where the key lies."""
    return home / "secret.key"


def keep_key(home: Path, key: str, *, name: str) -> Path:
    """Write a key into a file that nobody else reads; durable when this returns."""
    path = home / name
    path.touch(mode=0o600)
    with path.open("w") as file:
        file.write(key)
        file.flush()
        os.fsync(file.fileno())
    return path


def key_in(home: Path) -> str:
    """The key in a data folder; made once, whoever comes first."""
    path = key_file(home)
    if not path.exists():
        home.mkdir(parents=True, exist_ok=True)
        half = keep_key(home, new_key(), name=f"secret.key.{secrets.token_hex(4)}")
        try:
            path.hardlink_to(half)
        except FileExistsError:
            pass
        finally:
            half.unlink()
    return path.read_text().strip()
