"""Where pictures lie: a folder, or a bucket of any store that speaks S3. Names are content hashes;
what has a name is whole and durable."""

import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Protocol
from urllib.parse import urlsplit

from galene.core.errors import InputError

SUFFIX = ".jpg"


class Objects(Protocol):
    """Named contents."""

    def has(self, name: str) -> bool:
        """Whether there is one of this name."""

    def read(self, name: str) -> bytes | None:
        """The content, None where there is none."""

    def write(self, name: str, data: bytes) -> None:
        """Keep a content; durable when this returns."""

    def delete(self, name: str) -> None:
        """Take a content away; twice is harmless."""

    def names(self) -> Iterator[str]:
        """All names."""

    def age_s(self, name: str) -> float:
        """Seconds since it was written."""


class Folder:
    """A folder of files."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def _file(self, name: str) -> Path:
        return self.path / name[:2] / f"{name}{SUFFIX}"

    def has(self, name: str) -> bool:
        return self._file(name).is_file()

    def read(self, name: str) -> bytes | None:
        file = self._file(name)
        return file.read_bytes() if file.is_file() else None

    def write(self, name: str, data: bytes) -> None:
        path = self._file(name)
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, half = tempfile.mkstemp(dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            Path(half).replace(path)
            folder = os.open(path.parent, os.O_RDONLY)
            try:
                os.fsync(folder)  # the name too, not only what is in the file
            finally:
                os.close(folder)
        except OSError:
            Path(half).unlink(missing_ok=True)
            raise

    def delete(self, name: str) -> None:
        self._file(name).unlink(missing_ok=True)

    def names(self) -> Iterator[str]:
        for path in sorted(self.path.glob(f"??/*{SUFFIX}")):
            yield path.stem

    def age_s(self, name: str) -> float:
        return time.time() - self._file(name).stat().st_mtime


class Bucket:
    """A bucket, or a part of one under a prefix. Address and keys of the store come from the
    environment, as every program for S3 reads them (``AWS_ENDPOINT_URL_S3``,
    ``AWS_ACCESS_KEY_ID``, ``AWS_SECRET_ACCESS_KEY``, ``AWS_DEFAULT_REGION``)."""

    def __init__(self, bucket: str, prefix: str = "") -> None:
        import boto3
        from botocore.config import Config

        self.bucket, self.prefix = bucket, f"{prefix.strip('/')}/" if prefix.strip("/") else ""
        patience = Config(connect_timeout=3, read_timeout=20, retries={"max_attempts": 3})
        self._client: Any = boto3.client("s3", config=patience)

    def _key(self, name: str) -> str:
        return f"{self.prefix}{name[:2]}/{name}{SUFFIX}"

    def _head(self, name: str) -> dict[str, Any] | None:
        from botocore.exceptions import ClientError

        try:
            found: dict[str, Any] = self._client.head_object(
                Bucket=self.bucket, Key=self._key(name)
            )
        except ClientError as fault:
            if fault.response.get("Error", {}).get("Code") in ("404", "NoSuchKey"):
                return None
            raise
        return found

    def has(self, name: str) -> bool:
        return self._head(name) is not None

    def read(self, name: str) -> bytes | None:
        if self._head(name) is None:
            return None
        found = self._client.get_object(Bucket=self.bucket, Key=self._key(name))
        data: bytes = found["Body"].read()
        return data

    def write(self, name: str, data: bytes) -> None:
        self._client.put_object(
            Bucket=self.bucket, Key=self._key(name), Body=data, ContentType="image/jpeg"
        )

    def delete(self, name: str) -> None:
        self._client.delete_object(Bucket=self.bucket, Key=self._key(name))

    def names(self) -> Iterator[str]:
        pages = self._client.get_paginator("list_objects_v2")
        for page in pages.paginate(Bucket=self.bucket, Prefix=self.prefix):
            for found in page.get("Contents", ()):
                if found["Key"].endswith(SUFFIX):
                    yield Path(found["Key"]).stem

    def age_s(self, name: str) -> float:
        found = self._head(name)
        return time.time() - found["LastModified"].timestamp() if found else 0.0


def objects_at(url: str, home: Path) -> Objects:
    """Where pictures lie.

    Parameters
    ----------
    url : ``s3://bucket/prefix``, or empty for a folder in the data folder

    Raises
    ------
    InputError
        Any other address.
    """
    if not url:
        return Folder(home / "pictures")
    found = urlsplit(url)
    if found.scheme != "s3" or not found.netloc:
        raise InputError("GALENE_PICTURES_URL", url, "s3://bucket/prefix, or nothing for a folder")
    return Bucket(found.netloc, found.path)
