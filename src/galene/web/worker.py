"""One web process of several, started by `galene serve --workers`; and the application as the
settings have it."""

import socket
import sys
import threading
from pathlib import Path

from fastapi import FastAPI

from galene.jobs.backups import BackupPlan
from galene.lifeline import tied_to_parent
from galene.settings import Settings
from galene.store.database import make_engine
from galene.web.app import Site, create_app, quiet_log, tune_gc
from galene.web.server import Listening, Server
from galene.web.shared.templating import warm_templates


def application(settings: Settings, url: str, home: Path, *, nightly: bool = True) -> FastAPI:
    """The application on a database, as the settings have it.

    Parameters
    ----------
    nightly : whether it makes backups by itself
    """
    quiet_log()
    site = Site(
        home=home,
        hosts=settings.hosts,
        pictures_url=settings.pictures_url,
        backups=plan_of(settings, home) if nightly else None,
    )
    return create_app(make_engine(url, settings.pool_size), site)


def plan_of(settings: Settings, home: Path) -> BackupPlan:
    """Where nightly backups go, as the settings have it."""
    told = settings.model_dump(
        mode="json",
        exclude={"database_url", "database_owner_url", "backup_passphrase"},
        exclude_none=True,
    )
    return BackupPlan(
        folder=settings.backup_folder or home / "backups",
        hour=settings.backup_hour,
        passphrase=settings.backup_passphrase.get_secret_value(),
        settings=tuple((name, str(value)) for name, value in told.items()),
    )


def listening_at(settings: Settings) -> Listening:
    """Where the server listens, and whom it believes."""
    return Listening(
        host=settings.host,
        port=settings.port,
        proxies=settings.trusted_proxies,
        certificate=settings.tls_certificate,
        key=settings.tls_key,
    )


def main() -> None:
    """Serve at the socket that was handed over, whose number is the argument."""
    tied_to_parent()
    settings = Settings()
    app = application(settings, settings.database_url, settings.home)
    tune_gc()
    warm = threading.Thread(target=warm_templates, args=(settings.home / "templates",), daemon=True)
    warm.start()
    sock = socket.socket(fileno=int(sys.argv[1]))
    Server(app, listening_at(settings)).run(sockets=[sock])
    app.state.engine.dispose()


if __name__ == "__main__":
    main()
