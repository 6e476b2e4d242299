"""Files that were looked at and wait to be taken in, named by what is in them, for a day."""

import hashlib
import os
import tempfile
import time
from pathlib import Path

KEPT_SECONDS = 86_400.0


class Staging:
    """A folder of waiting files under the data folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def put(self, data: bytes) -> str:
        """Keep a file; its content hash. What waits for longer than a day is let go."""
        self.folder.mkdir(parents=True, exist_ok=True)
        for old in self.folder.iterdir():
            if time.time() - old.stat().st_mtime > KEPT_SECONDS:
                old.unlink(missing_ok=True)
        name = hashlib.sha256(data).hexdigest()
        handle, half = tempfile.mkstemp(dir=self.folder)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(half).replace(self.folder / name)
        return name

    def get(self, name: str) -> bytes | None:
        """A waiting file, None where it is gone or the name is no content hash."""
        if len(name) != 64 or any(c not in "0123456789abcdef" for c in name):
            return None
        path = self.folder / name
        return path.read_bytes() if path.is_file() else None
