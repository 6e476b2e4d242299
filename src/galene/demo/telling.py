"""The demo told in a process of its own: what that takes of memory goes with it, and the server
loads meanwhile.
"""

import subprocess
import sys
from datetime import UTC, datetime

from galene.lifeline import tied_to_parent, with_parent

LOADED = "loaded"


class Untold(RuntimeError):
    """The demo could not be loaded."""


class Teller:
    """A process that has the stories ready and waits for the database that they are told into."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "galene.demo.telling"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env=with_parent(),
        )

    def tell(self, database: str) -> None:
        """Begin, where nothing is in the database yet."""
        assert self._process.stdin
        self._process.stdin.write(f"{database}\n")
        self._process.stdin.flush()

    def told(self) -> bool:
        """Wait for the end; whether it was loaded now.

        Raises
        ------
        Untold
        """
        said, _ = self._process.communicate()
        if self._process.returncode:
            raise Untold("the demo could not be loaded: see what was said above")
        return said.strip() == LOADED

    def stop(self) -> None:
        """End it, told or not."""
        self._process.kill()
        self._process.wait()


def main() -> None:
    """Read the database's address and tell the stories."""
    tied_to_parent()
    from galene.demo.world import is_empty, load
    from galene.store.database import session_at

    database = sys.stdin.readline().strip()
    if not database:
        return
    with session_at(database) as db:
        if is_empty(db):
            load(db, datetime.now(UTC))
            print(LOADED)


if __name__ == "__main__":
    main()
