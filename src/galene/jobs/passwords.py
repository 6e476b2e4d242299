"""What may be a password or a PIN, and how they are kept: only as slow hashes."""

import hashlib
import secrets
from collections.abc import Sequence
from functools import cache
from itertools import pairwise

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher

HASHER = PasswordHash((Argon2Hasher(time_cost=2, memory_cost=19456, parallelism=1),))
UNUSABLE = "*"
"""Stands where a password's hash would: no password fits it."""
LEAST, MOST = 12, 128
"""Characters of a password (OWASP ASVS 2.1.1, 2.1.2)."""
GUESSES_LEAST = 10**8
"""A password that a guesser who knows the common ones finds in fewer tries is refused: what it
takes against one who tries 10 000 a second for three hours (zxcvbn's "safely unguessable")."""
PIN_LEAST, PIN_MOST = 4, 8
CODE_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"
"""Without those that are read for another one."""


def hashed(secret: str) -> str:
    """A password or PIN as it is kept."""
    return HASHER.hash(secret)


@cache
def _nobodys() -> str:
    """Compared against when nobody has that name, so that the answer takes as long."""
    return HASHER.hash(secrets.token_urlsafe(12))


def fits(secret: str, kept: str | None) -> bool:
    """Whether it is the one that is kept; as slow where none is, or one that nothing fits."""
    known = kept if kept and kept != UNUSABLE else None
    right = HASHER.verify(secret[:MOST], known or _nobodys())
    return bool(right) and known is not None


def digest(secret: str) -> str:
    """A long random secret as it is kept: it can not be guessed, so a quick hash will do."""
    return hashlib.sha256(secret.encode()).hexdigest()


def password_fault(password: str, about: Sequence[str]) -> str:
    """What is wrong with a password, empty where nothing is.

    Parameters
    ----------
    about : words that a guesser would try first, such as the person's name and the workshop's
    """
    if len(password) < LEAST:
        return f"At least {LEAST} characters: a few words in a row are good."
    if len(password) > MOST:
        return f"At most {MOST} characters."
    from zxcvbn import zxcvbn

    found = zxcvbn(password[:72], user_inputs=[w.lower() for w in about if w])
    if found["guesses"] < GUESSES_LEAST:
        return "Too easy to guess: it is a common one, or made of your name. Take other words."
    return ""


def pin_fault(pin: str) -> str:
    """What is wrong with a PIN, empty where nothing is."""
    if not (pin.isascii() and pin.isdecimal() and PIN_LEAST <= len(pin) <= PIN_MOST):
        return f"{PIN_LEAST} to {PIN_MOST} figures."
    steps = {int(b) - int(a) for a, b in pairwise(pin)}
    if len(steps) == 1 and steps <= {-1, 0, 1}:
        return "Not one figure again and again, nor a row of figures."
    return ""


def new_code() -> str:
    """A one-time code that can be read out: three groups of four."""
    letters = "".join(secrets.choice(CODE_LETTERS) for _ in range(12))
    return "-".join(letters[i : i + 4] for i in (0, 4, 8))


def plain_code(typed: str) -> str:
    """A code as it was typed, without what people put between the groups."""
    return "".join(c for c in typed.upper() if c.isalnum())
