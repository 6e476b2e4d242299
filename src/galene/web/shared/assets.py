"""Styles, scripts, letters: served under names that hold what is in them, so that a new version's
pages never run an old version's scripts."""

import hashlib
from functools import cache
from pathlib import Path

from starlette.staticfiles import StaticFiles
from starlette.types import Message, Receive, Scope, Send

WEB = Path(__file__).parent.parent
SHARED = WEB / "shared" / "static"
FOREVER, ASK_AGAIN = "public, max-age=31536000, immutable", "no-cache"


def folders() -> dict[str, Path]:
    """Each feature's folder of files by its name; the shared one under an empty name."""
    found = {p.parent.name: p for p in sorted(WEB.glob("*/static")) if p != SHARED}
    return {"": SHARED, **found}


@cache
def version() -> str:
    """Names the content of all files."""
    whole = hashlib.sha256()
    for name, folder in folders().items():
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                whole.update(f"{name}/{path.relative_to(folder)}\0".encode())
                whole.update(path.read_bytes())
    return f"v-{whole.hexdigest()[:12]}"


def static(name: str) -> str:
    """The address of a file, such as ``card/card.js``."""
    return f"/static/{version()}/{name}"


class Assets:
    """Serves the files of all features. A script finds its neighbours beside it, in the same
    version."""

    def __init__(self) -> None:
        self._served = {name: StaticFiles(directory=path) for name, path in folders().items()}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        path = scope["path"].removeprefix(scope.get("root_path", "")).lstrip("/")
        first, _, rest = path.partition("/")
        named = first.startswith("v-")
        if named:
            path = rest
        feature, _, inner = path.partition("/")
        found = self._served.get(feature) if feature else None
        app, inner = (found, inner) if found else (self._served[""], path)
        lasts = FOREVER if first == version() else ASK_AGAIN

        async def send_on(message: Message) -> None:
            if message["type"] == "http.response.start" and message["status"] in (200, 304):
                message["headers"] = [*message["headers"], (b"cache-control", lasts.encode())]
            await send(message)

        await app({**scope, "path": f"/{inner}", "root_path": ""}, receive, send_on)
