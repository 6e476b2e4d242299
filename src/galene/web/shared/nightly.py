"""What is done behind the pages: the nightly backup, and letting go of what is kept for a while
only. Every process looks; a lock in the database lets one of them do it."""

import threading
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import structlog
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from galene.jobs.backups import BackupPlan, run
from galene.store.pictures import PictureStore
from galene.store.repositories import live, sessions, writes

LOOK_S = 60.0
TOKENS_KEPT, TRIES_KEPT, SESSIONS_KEPT = (timedelta(days=n) for n in (30, 2, 7))
LIVE_WHOLE, LIVE_KEPT = timedelta(days=2), timedelta(days=60)
"""How long all that a bridge read is kept, and how long a tenth of it; what figures were taken from
stays with its job as a log."""
log = structlog.get_logger()


class Nightly:
    """A thread that looks every minute what is due."""

    def __init__(
        self,
        engine: Engine,
        pictures: PictureStore,
        home: Path,
        *,
        plan: BackupPlan,
        clock: Callable[[], datetime],
    ) -> None:
        self.engine, self.pictures, self.home = engine, pictures, home
        self.plan, self.clock = plan, clock
        self._over = threading.Event()

    def start(self) -> None:
        """Begin to look."""
        threading.Thread(target=self._look, daemon=True, name="nightly").start()

    def stop(self) -> None:
        """Look no more; a backup under way ends by itself or leaves no file."""
        self._over.set()

    def back_up_now(self) -> None:
        """Make a backup behind the page that asks for it."""
        threading.Thread(target=self._back_up, daemon=True, name="backup").start()

    def _back_up(self, nightly: bool = False) -> None:
        run(
            self.engine,
            self.pictures,
            self.home,
            self.plan,
            now=self.clock(),
            nightly=nightly,
        )

    def _look(self) -> None:
        while not self._over.wait(LOOK_S):
            try:
                self._forget()
                self._back_up(nightly=True)
            except (DBAPIError, PoolTimeout, OSError) as fault:
                log.warning("nightly", fault=type(fault).__name__)

    def _forget(self) -> None:
        now = self.clock()
        with Session(self.engine) as db:
            writes.forget_tokens(db, now - TOKENS_KEPT)
            sessions.forget_old_tries(db, now - TRIES_KEPT)
            sessions.forget_ended(db, now - SESSIONS_KEPT)
            live.thin_out(db, thinned_before=now - LIVE_WHOLE, gone_before=now - LIVE_KEPT)
            db.commit()
