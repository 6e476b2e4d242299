"""Pictures, named by what is in them: the same picture is kept once, and a half-written one never
has a name."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from io import BytesIO
from threading import BoundedSemaphore

from galene.core.errors import InputError
from galene.store.objects import Objects

LONGEST_SIDE, THUMBNAIL_SIDE, QUALITY = 1600, 320, 84
MOST_PIXELS = {"JPEG": 110_000_000, "PNG": 40_000_000, "WEBP": 40_000_000}
"""By kind: a JPEG is read at a part of its size, the others whole, at four bytes a pixel."""
AT_ONCE = BoundedSemaphore(2)
"""How many pictures a process decodes at a time: each takes up to 160 MB meanwhile."""


@dataclass(frozen=True, kw_only=True)
class Encoded:
    """A picture as it is kept, its small twin, and its size in pixels."""

    picture: bytes
    thumbnail: bytes
    width: int
    height: int


@dataclass(frozen=True, kw_only=True)
class Kept:
    """Content hashes of a picture and its small twin, and its size in pixels."""

    digest: str
    thumbnail: str
    width: int
    height: int


def encode(data: bytes) -> Encoded:
    """Any common picture as a JPEG: turned the right way up, at most 1600 pixels, without the
    camera's notes.

    Raises
    ------
    InputError
        No picture, a kind that can not be read here (HEIC among them), or one that is too large to
        open.
    """
    from PIL import Image, ImageFile, ImageOps, UnidentifiedImageError

    if data[4:12] in (b"ftypheic", b"ftypheix", b"ftypmif1", b"ftyphevc"):
        raise InputError(
            "picture", "HEIC", "JPEG, PNG or WebP: set the camera to “most compatible”"
        )
    Image.MAX_IMAGE_PIXELS = None  # asked below, before anything is decoded
    # The printing library lets half pictures pass for the whole process; here they are refused.
    ImageFile.LOAD_TRUNCATED_IMAGES = False
    try:
        with AT_ONCE, Image.open(BytesIO(data), formats=tuple(MOST_PIXELS)) as opened:
            most = MOST_PIXELS[opened.format or "PNG"]
            if opened.width * opened.height > most:
                raise InputError(
                    "picture",
                    f"{opened.width} x {opened.height} pixels",
                    f"at most {most // 1_000_000} million pixels",
                )
            # A large JPEG is read at half or a quarter of its size where that is still more than is
            # kept.
            opened.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
            upright = ImageOps.exif_transpose(opened)
            upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
            whole = upright.convert("RGB")
            out, small = BytesIO(), BytesIO()
            whole.save(out, "JPEG", quality=QUALITY)
            size = whole.size
            whole.thumbnail((THUMBNAIL_SIDE, THUMBNAIL_SIDE))
            whole.save(small, "JPEG", quality=QUALITY)
    except (
        UnidentifiedImageError,
        OSError,
        ValueError,
        SyntaxError,
    ) as fault:
        if isinstance(fault, InputError):
            raise
        raise InputError(
            "picture", f"{len(data)} bytes", "a whole JPEG, PNG or WebP picture"
        ) from fault
    return Encoded(
        picture=out.getvalue(), thumbnail=small.getvalue(), width=size[0], height=size[1]
    )


def checked_name(name: str) -> str:
    """The name, where it is a content hash.

    Raises
    ------
    InputError
    """
    if len(name) != 64 or any(c not in "0123456789abcdef" for c in name):
        raise InputError("picture", name[:80], "a content hash")
    return name


class PictureStore:
    """Pictures by what is in them."""

    def __init__(self, objects: Objects) -> None:
        self._objects = objects

    def keep(self, data: bytes) -> str:
        """Encode and keep a picture; its content hash. Durable when this returns."""
        return self._write(encode(data).picture)

    def keep_with_thumbnail(self, data: bytes) -> Kept:
        """Encode and keep a picture with its small twin. Durable when this returns."""
        made = encode(data)
        return Kept(
            digest=self._write(made.picture),
            thumbnail=self._write(made.thumbnail),
            width=made.width,
            height=made.height,
        )

    def names(self) -> Iterator[str]:
        """Content hashes of all pictures that are kept."""
        return self._objects.names()

    def forget(self, name: str) -> None:
        """Take a picture away."""
        self._objects.delete(checked_name(name))

    def age_s(self, name: str) -> float:
        """Seconds since a picture was kept."""
        return self._objects.age_s(checked_name(name))

    def keep_encoded(self, name: str, data: bytes) -> str:
        """Keep a JPEG that came with its hash, so that a family that is sent on keeps its names;
        others are encoded anew."""
        if hashlib.sha256(data).hexdigest() == name and data[:3] == b"\xff\xd8\xff":
            encode(data)
            return self._write(data)
        return self.keep(data)

    def put_back(self, name: str, data: bytes) -> None:
        """Keep a picture of a backup under the name that it had.

        Raises
        ------
        InputError
            A name that is not that of the content.
        """
        if hashlib.sha256(data).hexdigest() != checked_name(name):
            raise InputError("picture", name, "the hash of what is in it")
        self._write(data)

    def read(self, name: str) -> bytes | None:
        """The picture, None where there is none."""
        return self._objects.read(checked_name(name))

    def _write(self, data: bytes) -> str:
        name = hashlib.sha256(data).hexdigest()
        if not self._objects.has(name):
            self._objects.write(name, data)
        return name
